"""Changes worked out on a snapshot: another one in between, a locked database, lists made from older ones, unused
files."""

from __future__ import annotations

import sqlite3
import threading
import time

import pytest

from roofline.core.massing.kinds import Block
from roofline.errors import Busy, Conflict
from roofline.model.photo import Photo
from roofline.model.shot import Shot
from roofline.store.clearing import clear, sweep_deliveries
from roofline.store.orders import Orders
from roofline.store.store import MadeFrom, Store


def block(name: str) -> Block:
    return Block(id=name, name=name, corner=(0, 0, 0), size=(1, 1, 1))


@pytest.fixture
def store(tmp_path):
    store = Store(tmp_path)
    store.create(Shot(name="S"), "s")
    return store


def adding(name):
    return lambda s: s.model_copy(update={"solids": [*s.solids, block(name)]})


def test_nothing_is_locked_while_a_change_is_worked_out(store):
    """Another program writes in the midst of it; the change is worked out again on what is there then."""
    calls = []

    def slow(shot):
        calls.append([s.id for s in shot.solids])
        if len(calls) == 1:
            Store(store.folder, patience=0.2).change("s", "Other", adding("other"))
        return adding("mine")(shot)

    after = store.change("s", "Mine", slow)
    assert calls == [[], ["other"]]
    assert [s.id for s in after.solids] == ["other", "mine"]
    assert store.revision("s") == 2 and store.undo("s") == "Mine"


def test_changes_of_many_threads_are_all_kept(store):
    def work(n):
        for i in range(5):
            store.change("s", "x", adding(f"b{n}-{i}"))

    threads = [threading.Thread(target=work, args=(n,)) for n in range(6)]
    for t in threads:
        t.start()
    for t in threads:
        t.join(60)
    assert len(store.load("s").solids) == 30 and store.revision("s") == 30


def test_a_busy_database_is_waited_for_then_told(tmp_path, store):
    other = sqlite3.connect(store.path, isolation_level=None, check_same_thread=False)
    other.execute("BEGIN IMMEDIATE")
    impatient = Store(tmp_path, patience=0.1)
    with pytest.raises(Busy, match="written to by another program"):
        impatient.change("s", "x", adding("a"))
    threading.Timer(0.3, other.execute, args=("COMMIT",)).start()
    store.change("s", "x", adding("b"))
    assert [s.id for s in store.load("s").solids] == ["b"]


def test_a_list_made_from_an_older_one_goes_over_nothing(store):
    from roofline.model.move import Move

    def keys(shot):
        return shot.model_copy(update={"move": Move(keys=[])})

    store.change("s", "Solids", adding("a"))
    at = store.revision("s")
    # what lies elsewhere does not count
    store.change("s", "x", keys, MadeFrom("key", 0, "the keys"))
    store.change("s", "x", adding("b"), MadeFrom("solid", at, "the solids"))
    with pytest.raises(Conflict, match="the solids have been changed elsewhere"):
        store.change("s", "x", adding("c"), MadeFrom("solid", at, "the solids"))
    store.undo("s")  # an undo changes the list as well
    with pytest.raises(Conflict):
        store.change("s", "x", adding("d"), MadeFrom("solid", at + 1, "the solids"))
    assert [s.id for s in store.load("s").solids] == ["a"]


def test_unused_files_go_after_their_grace_and_not_before(store):
    def photo(file):
        return Photo(id="p", name="P", file=file)

    names = [store.blobs.keep(bytes([n]) * 10, ".png") for n in range(4)]
    used, undone, ordered, loose = names
    store.change("s", "One", lambda s: s.model_copy(update={"photos": [photo(undone)]}))
    store.change("s", "Two", lambda s: s.model_copy(update={"photos": [photo(ordered)]}))
    Orders(store).add("s", "deliver", "x", {}, True)
    store.change("s", "Three", lambda s: s.model_copy(update={"photos": [photo(used)]}))
    there = {p.name for p in store.blobs.folder.glob("??/*")}
    assert there == set(names)
    assert (clear(store).files, clear(store).waiting) == (0, 1)
    done = clear(store, days=0)
    assert (done.files, done.bytes) == (1, 10)
    assert {p.name for p in store.blobs.folder.glob("??/*")} == {used, undone, ordered}
    assert not (store.blobs.folder / loose[:2] / loose).exists()
    store.undo("s")
    store.undo("s")
    assert clear(store, days=0).files == 0  # by redo they can come back


def test_what_is_brought_again_begins_anew(store):
    name = store.blobs.keep(b"x" * 9, ".png")
    assert clear(store).waiting == 1
    time.sleep(0.02)
    store.blobs.keep(b"x" * 9, ".png")
    # known as unused for long enough, but brought again since
    assert clear(store, days=0.01 / 86_400).files == 0 or not (store.blobs.folder / name[:2] / name).exists()


def test_files_that_no_row_knows_are_swept_at_the_start(store):
    orders = Orders(store)
    kept = orders.add("s", "deliver", "x", {}, True)
    folder = store.folder / "deliveries"
    for path in ("s/v001/a.png", "s/v007/b.png", "gone/v001/c.png"):
        (folder / path).parent.mkdir(parents=True)
        (folder / path).write_bytes(b"1")
    assert kept.version == 1
    sweep_deliveries(store)
    assert [str(p.relative_to(folder)) for p in folder.rglob("*.png")] == ["s/v001/a.png"]
