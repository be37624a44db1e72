"""What is kept warm: made once, under one ceiling, nobody waiting for another's."""

from __future__ import annotations

import errno
import os
import threading

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from roofline.work.kept import Kept, bytes_of
from roofline.work.proxies import Proxies


def test_each_is_made_once_also_when_many_ask():
    kept, made, gate = Kept(), [], threading.Event()

    def make():
        gate.wait(2)
        made.append(1)
        return np.zeros(10)

    got = []
    threads = [threading.Thread(target=lambda: got.append(kept.get("a", "k", make))) for _ in range(8)]
    for t in threads:
        t.start()
    gate.set()
    for t in threads:
        t.join(5)
    assert len(made) == 1 and kept.made["a"] == 1 and all(g is got[0] for g in got)


def test_nobody_waits_for_another_key():
    kept, gate, begun = Kept(), threading.Event(), threading.Event()

    def slow():
        begun.set()
        gate.wait(5)
        return 1

    thread = threading.Thread(target=lambda: kept.get("a", "slow", slow))
    thread.start()
    assert begun.wait(2)
    assert kept.get("a", "quick", lambda: 2) == 2  # would never come, were there one lock
    gate.set()
    thread.join(5)


def test_what_fails_is_tried_again():
    kept = Kept()

    def fails():
        raise ValueError("once")

    for _ in range(2):
        with pytest.raises(ValueError, match="once"):
            kept.get("a", "k", fails)
    assert kept.get("a", "k", lambda: 3) == 3


@given(st.lists(st.tuples(st.integers(0, 9), st.integers(1, 400)), max_size=60))
@settings(max_examples=100, deadline=None)
def test_the_ceiling_holds_and_the_oldest_go_first(asked):
    kept, model = Kept(4000), []
    for key, size in asked:
        kept.get("x", str(key), lambda size=size: np.zeros(size, np.uint8))
        known = [k for k, _ in model]
        if key in known:
            model.append(model.pop(known.index(key)))
        else:
            model.append((key, size))
            while sum(s for _, s in model) > 4000:
                model.pop(0)
        assert kept.held == sum(s for _, s in model) <= 4000
        for k, _ in model:  # peeking counts as asking: bring the order back
            kept.peek("x", str(k))


def test_textures_have_a_ceiling_of_their_own_and_push_nothing_else_out():
    kept = Kept(1000)
    kept.get("report", "a", lambda: np.zeros(900, np.uint8))
    for n in range(4):
        kept.get("pyramid", str(n), lambda: np.zeros(600, np.uint8))
    assert kept.held == 900 and kept.peek("report", "a") is not None
    assert [kept.peek("pyramid", str(n)) is not None for n in range(4)] == [False, False, True, True]
    assert kept.drawn == 1200
    kept.get("report", "b", lambda: np.zeros(900, np.uint8))
    assert kept.peek("report", "a") is None and kept.drawn == 1200


def test_what_is_larger_than_the_ceiling_is_handed_over_and_not_kept():
    kept = Kept(100)
    assert kept.get("x", "big", lambda: np.zeros(1000)).size == 1000
    assert kept.held == 0 and kept.peek("x", "big") is None


def test_bytes_are_those_of_the_arrays_within():
    inner = {"a": np.zeros(1000), "b": [np.zeros((10, 10), np.float32)]}
    assert 8400 <= bytes_of(inner) < 8400 + 3000


def test_proxies_are_made_again_when_their_ceiling_took_them(tmp_path):
    proxies, made = Proxies(tmp_path, ceiling=1000), []

    def make(n):
        made.append(n)
        return bytes(300)

    for n in range(5):
        assert len(proxies.get(f"{n}.jpg", lambda n=n: make(n))) == 300
    assert sum(f.stat().st_size for f in tmp_path.iterdir()) <= 1000
    assert proxies.get("4.jpg", lambda: make(4)) == bytes(300) and made == [0, 1, 2, 3, 4]
    proxies.get("0.jpg", lambda: make(0))
    assert made[-1] == 0 and len(made) == 6


@pytest.mark.parametrize("why", ["full", "gone"])
def test_a_picture_is_handed_out_where_it_cannot_be_kept(tmp_path, monkeypatch, why):
    proxies = Proxies(tmp_path / "proxies")
    if why == "gone":
        (tmp_path / "proxies").rmdir()
    else:

        def no_room(*names):
            raise OSError(errno.ENOSPC, "No space left on device")

        monkeypatch.setattr(os, "replace", no_room)
        monkeypatch.setattr(os, "utime", no_room)
    assert proxies.get("a.jpg", lambda: b"made") == b"made"
    assert not list(tmp_path.rglob("*.jpg")) and not list(tmp_path.rglob(".part-*"))
    if why == "full":
        (tmp_path / "proxies" / "a.jpg").write_bytes(b"kept")
        assert proxies.get("a.jpg", lambda: b"made") == b"kept"
    with pytest.raises(OSError, match="of its own"):  # what goes wrong in making is told

        def fails():
            raise OSError("of its own")

        proxies.get("b.jpg", fails)


def test_what_is_passed_through_once_does_not_push_out_what_is_shown():
    kept, size = Kept(1000 * 1024), 50 * 1024
    for n in range(40):  # a plate's file, what its steps make of it, and the small part that is shown
        for kind, share in (("source", 1), ("worked", 1), ("picture", 0.2)):
            kept.get(kind, str(n), lambda s=share: np.zeros(int(s * size), np.uint8))
    assert [kept.peek("picture", str(n)) is not None for n in range(40)] == [True] * 40
    assert kept.held == sum(int(0.2 * size) for _ in range(40)) + kept.passed <= kept.ceiling
    assert 6 * size < kept.passed <= 0.4 * kept.ceiling
    assert kept.peek("worked", "39") is not None  # the plate that was worked on last
    # one that is larger than their share is kept while it is worked on
    kept.put("worked", "vast", np.zeros(500 * 1024, np.uint8))
    assert kept.peek("worked", "vast") is not None and kept.passed == 500 * 1024


def test_what_several_hold_counts_once():
    """A plate's steps share its picture: each keeps a matte of its own alone."""
    kept, picture = Kept(100_000), np.zeros(4000, np.uint8)
    for n in range(3):
        kept.put("worked", str(n), (picture, np.zeros(1000, np.uint8)))
    assert 7000 <= kept.held == kept.passed < 7000 + 3 * 600
    kept.put("worked", "1", (np.zeros(10, np.uint8),))
    assert 6000 <= kept.held == kept.passed < 6100 + 3 * 600
    for n in range(3):
        kept.put("worked", str(n), b"")
    assert kept.held == kept.passed == 0
