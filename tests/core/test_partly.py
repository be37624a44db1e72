"""A step done again where a plate has changed is the same as the whole of it done anew."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from roofline.core.plates import partly
from roofline.core.plates.partly import Done, step_again
from roofline.core.plates.steps import step_done
from roofline.core.plates.worked import Canvas, Worked
from roofline.model.plates import Plate

W, H = 900, 700
RNG = np.random.default_rng(4)
PICTURE = RNG.integers(0, 256, (H, W, 3), dtype=np.uint8)
SQUARE = [[100.3, 80.2], [420.7, 90.1], [410.2, 380.8], [120.9, 400.4]]


def step(**what):
    plate = {"id": "a", "name": "A", "photo": "p", "file": "p.png", "canvas": (0, 0, W, H)}
    return Plate.model_validate({**plate, "steps": [{"id": "s", **what}]}).steps[0]


def plate(size=(W, H), seed=0) -> Worked:
    """A picture of noise with a soft blot for its matte, at half the scale of its photo."""
    w, h = size
    y, x = np.mgrid[0:h, 0:w]
    matte = np.clip((0.3 * h - np.hypot(x - 0.55 * w, y - 0.5 * h)) / 3 + 0.5, 0, 1).astype(np.float32)
    pixels = PICTURE if size == (W, H) else np.random.default_rng(seed).integers(0, 256, (h, w, 3), dtype=np.uint8)
    return Worked(Canvas(10, 20, 2 * w, 2 * h, size), pixels, matte)


def dabbed(worked: Worked, x: int, y: int, size: int, what: str) -> Worked:
    """Changed in a square: soft in the matte, or another colour."""
    if what == "pixels":
        pixels = worked.pixels.copy()
        pixels[y : y + size, x : x + size] = 255 - pixels[y : y + size, x : x + size]
        return replace(worked, pixels=pixels)
    matte = worked.full_matte.copy()
    part = matte[y : y + size, x : x + size]
    part[:] = np.random.default_rng(size).random(part.shape) if what == "noise" else 1 - part
    return replace(worked, matte=matte)


LOCAL = [
    step(do="grow", px=23),
    step(do="grow", px=-17),
    step(do="feather", px=21),
    step(do="grade", exposure=0.7, temperature=20),
    step(do="outline", mode="cut", loops=[{"points": SQUARE, "smooth": True}], feather_px=9),
    step(do="brush", strokes=[{"points": [[200, 300], [700, 500]], "radius_px": 60}]),
]


@settings(max_examples=40, deadline=None)
@given(
    st.sampled_from(LOCAL),
    st.integers(0, W - 40),
    st.integers(0, H - 40),
    st.integers(1, 40),
    st.sampled_from(["pixels", "noise", "turned"]),
)
def test_where_something_changed_is_done_anew_and_the_rest_is_as_it_was(what, x, y, size, change):
    before = plate()
    after = step_done(before, what, None)
    now = dabbed(before, x, y, size, change)
    again, whole = step_again(now, what, Done(what, before, after), None), step_done(now, what, None)
    if again is None:  # nothing of the matte lies near: what that means is seen of the whole
        assert what.do == "grow" and not (now.full_matte[max(0, y - 60) : y + 60, max(0, x - 60) : x + 60] >= 0.5).all()
        return
    same(again, whole)


def same(got: Worked, wanted: Worked):
    assert got.canvas == wanted.canvas and got.notes == wanted.notes and got.pixels.dtype == wanted.pixels.dtype
    np.testing.assert_allclose(got.pixels, wanted.pixels, rtol=0, atol=2e-6)  # stored ones are whole numbers
    np.testing.assert_allclose(got.full_matte, wanted.full_matte, rtol=0, atol=2e-6)  # rounding, from another pixel on


@settings(max_examples=40, deadline=None)
@given(
    st.integers(0, 7),
    st.tuples(st.floats(-60, 60), st.floats(-60, 60)),
    st.sampled_from(["moved", "put in", "taken out", "a loop more", "a loop less"]),
    st.booleans(),
)
def test_of_an_outline_only_where_its_line_was_moved(n, by, how, smooth):
    angle = np.arange(8) * np.pi / 4
    points = np.column_stack([700 + 300 * np.cos(angle), 600 + 260 * np.sin(angle)]).round(2).tolist()
    other = [[1200.5, 300.5], [1500.0, 330.0], [1330.0, 520.0]]
    fresh = [list(p) for p in points]
    if how == "moved":
        fresh[n] = [fresh[n][0] + by[0], fresh[n][1] + by[1]]
    elif how == "put in":
        fresh.insert(n, [points[n][0] + by[0], points[n][1] + by[1]])
    elif how == "taken out":
        del fresh[n]
    loops = [[points], [fresh]] if not how.startswith("a loop") else [[points], [points, other]]
    was, now = (
        step(do="outline", mode="add", feather_px=6, loops=[{"points": p, "smooth": smooth} for p in these])
        for these in (loops if how != "a loop less" else loops[::-1])
    )
    before = plate()
    again = step_again(before, now, Done(was, before, step_done(before, was, None)), None)
    assert again is not None
    same(again, step_done(before, now, None))


def test_of_a_brush_only_where_strokes_are_no_more():
    lines = [[[100 + 150 * n, 200], [180 + 150 * n, 260]] for n in range(6)]
    strokes = [{"id": f"k{n}", "points": p, "radius_px": 30} for n, p in enumerate(lines)]
    was = step(do="brush", mode="cut", strokes=strokes)
    now = step(do="brush", mode="cut", strokes=[*strokes[:2], *strokes[3:]])
    before = plate()
    again = step_again(before, now, Done(was, before, step_done(before, was, None)), None)
    assert again is not None
    same(again, step_done(before, now, None))


@pytest.mark.slow
@pytest.mark.parametrize("at", [(0, 0), (640, 2700), (300, 5370)])
def test_hair_is_solved_again_in_the_tiles_about_a_change(at, monkeypatch):
    """By tiles of a fixed grid, so that nothing differs by where the change lies."""
    w, h = size = 700, 5400
    y, x = np.mgrid[0:h, 0:w]
    waves = 0.5 + 0.5 * np.sin(x / 37) * np.sin(y / 41)
    pixels = (np.dstack([waves, 1 - waves, np.roll(waves, 9)]) * 255).astype(np.uint8)
    inside = (np.sin(x / 160) + np.sin(y / 190) > 0.2).astype(np.float32)
    before = Worked(Canvas(0, 0, w, h, size), pixels, inside)
    hair = step(do="hair", band_px=8)
    after = step_done(before, hair, None)
    now = dabbed(before, *at, 30, "turned")
    parts: list[tuple[int, int]] = []
    real = partly.step_done
    monkeypatch.setattr(partly, "step_done", lambda part, *rest: (parts.append(part.canvas.size), real(part, *rest))[1])
    again = step_again(now, hair, Done(hair, before, after), None)
    assert again is not None and len(parts) == 1 and parts[0][0] * parts[0][1] < 0.5 * w * h
    whole = step_done(now, hair, None)
    np.testing.assert_array_equal(again.full_matte, whole.full_matte)
    assert (whole.full_matte != after.full_matte).any()


def test_what_cannot_be_known_in_part_is_done_as_a_whole():
    before, grow = plate(), step(do="grow", px=9)
    after = step_done(before, grow, None)
    near = dabbed(before, 500, 300, 20, "turned")
    was = Done(grow, before, after)
    assert step_again(near, grow, was, None) is not None
    assert step_again(near, step(do="grow", px=8), was, None) is None  # by another figure
    assert step_again(near, step(do="feather", px=9), was, None) is None
    assert step_again(dabbed(before, 0, 0, 650, "turned"), grow, was, None) is None  # most of it
    other = replace(near, canvas=replace(near.canvas, x0=11))
    assert step_again(other, grow, was, None) is None
    colour = step(do="colour", at=[[300, 300]])
    assert step_again(near, colour, Done(colour, before, step_done(before, colour, None)), None) is None
    graded = step(do="grade", exposure=1, where=[{"do": "colour", "at": [[300, 300]]}])
    assert step_again(near, graded, Done(graded, before, step_done(before, graded, None)), None) is None


def test_what_is_faint_goes_once_there_is_something_to_grow():
    grow = step(do="grow", px=9)
    before = replace(plate(), matte=np.full((H, W), 0.2, np.float32))
    now = dabbed(before, 400, 300, 20, "turned")
    again = step_again(now, grow, Done(grow, before, step_done(before, grow, None)), None)
    assert again is None and step_done(now, grow, None).full_matte[0, 0] == 0


def test_what_has_not_changed_is_as_it_was_made():
    before, grow = plate(), step(do="grow", px=9)
    after = step_done(before, grow, None)
    again = step_again(replace(before, matte=before.full_matte.copy()), grow, Done(grow, before, after), None)
    assert again is not None and again.full_matte is after.full_matte
