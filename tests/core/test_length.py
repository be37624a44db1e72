"""Shots made shorter and longer: all of the move fitted, cut there, or left."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation
from tests.conftest import houses

from roofline.core.camera import from_pan_tilt_roll, key_rotation
from roofline.core.move.length import beyond, lasting
from roofline.core.move.path import moments, shot_path
from roofline.core.move.travel import travelled
from roofline.errors import MoveError
from roofline.model.massing import Motion, MotionKey
from roofline.model.move import Carrier, CarrierKey, Key
from roofline.model.plates import Video
from roofline.model.shot import Shot


def key(frame: int, x: float, pan: float = 20.0, zoom: float = 1.0, **more) -> Key:
    turn = from_pan_tilt_roll(*np.radians([pan, -5, 0])).T
    return Key(frame=frame, position=(x, 1.7, -x), rotation=key_rotation(turn), zoom=zoom, **more)


def full(pace: bool = True) -> Shot:
    """A move of 60 frames, all of which has keys on its last frame."""
    shot, _ = houses(60, [key(1, 0), key(25, 1.0, 35, 1.2), key(60, 3.0, 5, 0.8)])
    shot.move.carrier = Carrier(
        keys=[CarrierKey(frame=f, position=(0.1 * f, 0, 0.002 * f * f)) for f in (1, 20, 60)],
    )
    if pace:
        shot.move.speed = [(1, 0), (20, 0.6), (60, 1)]
    shot.solids[1].motion = Motion(
        keys=[MotionKey(frame=f, offset=(0.01 * f, 0, 0), scale=1 + 0.01 * f) for f in (1, 15, 60)]
    )
    return shot


def off(one: Shot, other: Shot, frames) -> tuple[float, float, float, float]:
    """How far two moves are apart over some frames: metres, radians, parts of a focal length, and of pieces."""
    a, b = shot_path(one), shot_path(other)
    worst = np.zeros(4)
    for f in frames:
        p, q = travelled(one, a, f), travelled(other, b, f)
        turn = Rotation.from_matrix(p.rotation.T @ q.rotation).magnitude()
        worst = np.maximum(worst, [np.abs(p.position - q.position).max(), turn, abs(p.focal / q.focal - 1), 0])
    for m, n in zip(moments(one, frames[0], frames[-1]), moments(other, frames[0], frames[-1]), strict=True):
        for name, pose in m.poses.items():
            worst[3] = max(
                worst[3], np.abs(pose.shift - n.poses[name].shift).max(), abs(pose.scale - n.poses[name].scale)
            )
    a0, a1, a2, a3 = worst.tolist()
    return a0, a1, a2, a3


@pytest.mark.parametrize("pace", [False, True])
@pytest.mark.parametrize("frames", [59, 40, 24, 12, 3])
def test_what_is_cut_off_changes_nothing_of_what_stays(pace, frames):
    was = full(pace)
    now = Shot.model_validate(lasting(was, frames, "cut").model_dump())
    assert beyond(now, frames) == [] and now.delivery.frames == frames
    metres, radians, zoom, pieces = off(was, now, range(1, frames + 1))
    assert metres < 0.06 and radians < 6e-3 and zoom < 6e-3 and pieces < 1e-2  # the carrier goes 9 m
    assert len(now.move.carrier.keys) + len(now.solids[1].motion.keys) < 16
    bare = full(pace)
    bare.move.carrier, bare.solids[1].motion = None, None
    alone = off(bare, lasting(bare, frames, "cut"), range(1, frames + 1))
    assert max(alone) < (5e-3 * 5 if pace else 1e-9)  # the keys' own time: to the last digit


@given(st.integers(2, 200))
@settings(max_examples=25)
def test_a_move_that_is_fitted_goes_the_same_way(frames):
    was = full(pace=False)
    was.move.carrier = None
    was.solids[1].motion = None
    if frames < 4:
        return
    now = lasting(was, frames, "fit")
    assert now.move.keys[-1].frame == frames and now.move.keys[0].frame == 1
    a, b, share = shot_path(was), shot_path(now), (frames - 1) / 59
    middle = now.move.keys[1].frame
    assert abs(middle - (1 + 24 * share)) <= 0.5
    assert np.allclose(b.at(middle)[0], a.at(25)[0], atol=1e-9)
    # ends at rest, no farther from the way than a key's frame is rounded
    assert np.allclose(b.at(frames)[0], a.at(60)[0])


def test_fitting_takes_all_that_is_set_in_time():
    was = full()
    was.plates[0].video = Video(first=31)
    was.move.keys[1].speed = 0.05
    now = lasting(was, 30, "fit")
    share = 29 / 59
    assert np.allclose(now.move.speed, [(1, 0), (1 + 19 * share, 0.6), (30, 1)])
    assert [k.frame for k in now.move.carrier.keys] == [1, round(1 + 19 * share), 30]
    assert [k.frame for k in now.solids[1].motion.keys] == [1, round(1 + 14 * share), 30]
    assert now.plates[0].video.first == round(1 + 30 * share)
    assert [k.frame for k in now.move.keys] == [1, 25, 60]  # of their own time, under a pace
    plain = full(pace=False)
    plain.move.keys[1].speed = 0.05
    longer = lasting(plain, 119, "fit")
    assert longer.move.keys[1].speed == pytest.approx(0.05 * 59 / 118)
    assert off(full(), now, [1])[0] < 1e-9


def test_nothing_is_done_to_what_lies_beyond_without_being_asked():
    was = full()
    with pytest.raises(MoveError, match="Beyond frame 30: 1 handle of the pace, 1 key of the carrier, 1 key of the"):
        lasting(was, 30, None)
    left = lasting(was, 30, "leave")
    assert left.move == was.move and left.delivery.frames == 30
    assert len(beyond(left, 30)) == 3
    assert off(was, left, range(1, 31)) == (0, 0, 0, 0)
    assert lasting(left, 60, None) == was  # longer again: nothing had been lost
    assert lasting(was, 90, None).move == was.move


def test_keys_that_would_fall_on_one_frame_are_refused():
    shot, _ = houses(60, [key(f, f / 10) for f in (1, 20, 21, 60)])
    with pytest.raises(MoveError, match="Two keys of the camera would stand on one frame"):
        lasting(shot, 8, "fit")
