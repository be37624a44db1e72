"""Flats that fade: how clear they are, what is seen through them, and that verdicts count it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.conftest import key_of, looking, photographed

from roofline.core.massing.kinds import Flat, Panel
from roofline.core.moment import Pose
from roofline.core.move.motion import opacity
from roofline.core.move.path import moment_at, shot_path
from roofline.core.throw.engine import engine_of
from roofline.model.base import VERDICTS
from roofline.model.handoff import Delivery
from roofline.model.massing import Motion
from roofline.model.move import Move
from roofline.model.plates import Throw

TAKEN = looking(320, 200, 260.0, 0.0, 0.0, (0.0, 1.7, 6.0))
WALL = Panel(id="wall", name="Wall", points=[(-9, -3, -3), (2, -3, -3), (2, 7, -3), (-9, 7, -3)])


def sheet(*keys) -> Flat:
    motion = Motion.model_validate({"keys": list(keys)}) if keys else None
    return Flat(
        id="mist", name="Mist", foot=(0.5, 0.0, 1.0), heading_deg=0.0, extent=(-1.2, 1.6, 0.4, 2.6), motion=motion
    )


def shot_with(*keys, on_wall=True):
    """A flat before a wall that ends behind it; the wall has a picture only where asked."""
    throws = [Throw(plate="plate", targets=["mist"])]
    if on_wall:  # also where the flat hid it from the camera
        throws.append(Throw(plate="plate", targets=["wall"], occlusion=False))
    shot, pictures = photographed(
        TAKEN, [sheet(*keys), WALL], throws, delivery=Delivery(width=320, height=200, frames=48)
    )
    return shot.model_copy(update={"move": Move(keys=[key_of(TAKEN, 1)])}), pictures


def at(shot, frame: float):
    return moment_at(shot, shot_path(shot), frame)


FADE = ({"frame": 1, "opacity": 1.0}, {"frame": 48, "opacity": 0.0})


@given(st.lists(st.floats(0, 1), min_size=2, max_size=6), st.floats(0, 60))
@settings(max_examples=50, deadline=None)
def test_between_keys_it_stays_between_them(values, frame):
    keys = [{"frame": 1 + 10 * n, "opacity": v} for n, v in enumerate(values)]
    motion = Motion.model_validate({"keys": keys})
    got = opacity(motion, frame)
    n = int(np.clip((frame - 1) // 10, 0, len(values) - 2))
    low, high = sorted(values[n : n + 2])
    assert low - 1e-9 <= got <= high + 1e-9
    for key in motion.keys:
        assert opacity(motion, key.frame) == pytest.approx(key.opacity, abs=1e-9)


@pytest.mark.parametrize("share", [0.25, 0.5, 0.8])
def test_a_picture_through_it_is_mixed_by_its_opacity(share):
    shot, pictures = shot_with()
    engine, here = engine_of(shot, pictures), at(shot, 1)
    half = replace(here, poses={"mist": Pose(opacity=share)})
    gone = engine_of(shot.model_copy(update={"solids": [WALL]}), pictures).picture(here)
    whole, mixed = engine.picture(here), engine.picture(half)
    assert np.abs(mixed - (share * whole + (1 - share) * gone)).max() < 1e-5
    assert np.abs(whole - gone).max() > 0.05
    clear = engine.picture(replace(here, poses={"mist": Pose(opacity=0.0)}))
    assert np.abs(clear - gone).max() < 1e-6


def test_what_shows_through_is_judged_as_well():
    shot, pictures = shot_with(*FADE, on_wall=False)
    engine = engine_of(shot, pictures)
    first, middle, last = (engine.measure(at(shot, f)) for f in (1, 24, 48))
    mist, wall = (engine.geometry.names.index(n) for n in ("mist/front", "wall/front"))
    over_wall = (first.face == mist) & (last.face == wall)
    beyond = (first.face == mist) & (last.face == -1)
    assert over_wall.sum() > 500 and beyond.sum() > 500
    bare, void = VERDICTS.index("bare"), VERDICTS.index("void")
    assert (first.verdict[first.face == mist] == 0).all()
    assert (middle.verdict[over_wall] == bare).all() and (middle.face[over_wall] == wall).all()
    assert (middle.verdict[beyond] == void).all()
    assert (last.verdict[over_wall] == bare).all() and (last.face != mist).all()
    # with a picture behind it, nothing is wrong with seeing through
    held, more = shot_with(*FADE)
    assert (engine_of(held, more).measure(at(held, 24)).verdict[over_wall] == VERDICTS.index("spilled")).mean() > 0.98
    held.plates[0].without = ["mist"]  # as of a clean plate
    seen = engine_of(held, more).measure(at(held, 24))
    assert (seen.verdict[over_wall] == 0).mean() > 0.98 and (seen.face[over_wall] == mist).mean() > 0.98
    assert (seen.verdict[beyond] == void).all()


def test_a_piece_that_fades_and_moves_is_where_its_pose_says():
    keys = ({"frame": 1}, {"frame": 48, "offset": (0.8, 0.0, 0.0), "opacity": 0.4})
    shot, pictures = shot_with(*keys)
    pose = at(shot, 48).poses["mist"]
    assert pose.opacity == pytest.approx(0.4) and np.allclose(pose.shift, [0.8, 0, 0])
    over = Pose(shift=np.array([0, 1.0, 0]), opacity=0.5).after(pose)
    assert over.opacity == pytest.approx(0.2)
