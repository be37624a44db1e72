"""Moves from ideas: what each promises, at every frame of the path that its keys make."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.conftest import looking, photographed

from roofline.core.massing.kinds import Block
from roofline.core.move.ideas import about, from_idea
from roofline.core.move.path import home_key, moment_at, shot_path
from roofline.errors import MoveError

BOX = Block(id="box", name="Box", corner=(0.0, 0.0, -10.0), size=(2.0, 2.0, 2.0))


def shot_of(frames: int = 60):
    view = looking(1200, 800, 1100, 12, 3, (0.5, 1.7, 2.0), 1.0)
    shot, _ = photographed(view, [BOX], [])
    return shot.model_copy(update={"delivery": shot.delivery.model_copy(update={"frames": frames})})


def views(shot, keys):
    shot = shot.model_copy(update={"move": shot.move.model_copy(update={"keys": keys})})
    first, last = shot.frame_range
    return [moment_at(shot, shot_path(shot), f).view for f in range(first, last + 1)]


@pytest.mark.parametrize("ends", [False, True])
@pytest.mark.parametrize("kind", ["push_in", "pull_out", "slide", "rise", "arc", "counter", "pan"])
def test_home_is_where_it_belongs_and_pinned(kind, ends):
    shot = shot_of()
    keys = from_idea(shot, kind, 2.0, "box", None, ends)
    assert [keys[0].frame, keys[-1].frame] == list(shot.frame_range)
    pinned = [k for k in keys if k.home]
    assert pinned == [keys[-1 if ends else 0]]
    assert pinned[0] == home_key(shot, pinned[0].frame)
    assert len({k.frame for k in keys}) == len(keys)


@given(st.floats(0.5, 6.0))
@settings(max_examples=10, deadline=None)
def test_a_counter_move_keeps_the_size_of_what_it_is_about(amount):
    shot = shot_of()
    middle = about(shot, "box", None)
    sizes = []
    for view in views(shot, from_idea(shot, "counter", amount, "box")):
        across = view.rotation[0]  # a short line across the picture, at the middle of the piece
        a, b = view.project(np.stack([middle - 0.3 * across, middle + 0.3 * across]))
        sizes.append(np.linalg.norm(a - b))
    assert np.ptp(sizes) / sizes[0] < 1e-3
    last = views(shot, from_idea(shot, "counter", amount, "box"))[-1]
    assert last.focal < shot.home_px  # nearer, and wider


@pytest.mark.slow
@given(st.floats(-80, 80).filter(lambda a: abs(a) > 2))
@settings(max_examples=12, deadline=None)
def test_an_arc_keeps_its_distance_and_what_it_is_about_in_place(degrees):
    shot = shot_of()
    middle = about(shot, "box", None)
    seen = views(shot, from_idea(shot, "arc", degrees, "box"))
    away = np.array([np.linalg.norm(v.position - middle) for v in seen])
    assert np.ptp(away) / away[0] < 2e-3
    assert np.ptp([v.position[1] for v in seen]) < 1e-6  # level
    pixels = np.array([v.project(middle) for v in seen])
    assert np.abs(pixels - pixels[0]).max() < 2.5
    ends = [np.arctan2(*(v.position - middle)[[0, 2]]) for v in (seen[0], seen[-1])]
    assert np.degrees((ends[1] - ends[0] + np.pi) % (2 * np.pi) - np.pi) == pytest.approx(degrees, abs=1e-6)


def test_each_goes_where_its_name_says():
    shot = shot_of()
    home = views(shot, [])[0]
    middle = about(shot, "box", None)

    def end(kind, amount, **what):
        return views(shot, from_idea(shot, kind, amount, **what))[-1]

    pushed = end("push_in", 3.0, solid="box")
    assert np.linalg.norm(middle - home.position) - np.linalg.norm(middle - pushed.position) == pytest.approx(3.0)
    assert np.allclose(pushed.rotation, home.rotation)
    assert (end("pull_out", 2.0).position - home.position) @ home.rotation[2] == pytest.approx(-2.0)
    slid = end("slide", 1.5).position - home.position
    assert slid[1] == pytest.approx(0) and slid @ home.rotation[0] > 1.49
    risen = end("rise", 2.0, solid="box")
    assert np.allclose(risen.position - home.position, [0, 2, 0])
    assert np.abs(risen.project(middle) - home.project(middle)).max() < 1
    panned = end("pan", 10.0)
    assert np.allclose(panned.position, home.position)
    ahead = home.project(panned.position + 10 * panned.rotation[2])
    assert ahead[0] > home.width / 2 + 100  # what is in the middle now was to the right
    other = end("slide", -1.5).position - home.position
    assert np.allclose(other, -slid)


def test_what_cannot_be_is_said():
    shot = shot_of()
    with pytest.raises(MoveError, match="go less far"):
        from_idea(shot, "push_in", 12.0, "box")
    with pytest.raises(MoveError, match="no piece"):
        from_idea(shot, "arc", 12.0, "gone")
    with pytest.raises(MoveError, match="behind the lens"):
        from_idea(shot, "counter", 1.0, None, (0.0, 1.0, 30.0))
    with pytest.raises(MoveError, match="two frames"):
        from_idea(shot_of(1), "pan", 5.0)
