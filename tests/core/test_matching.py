"""A grade found from what two pictures show of the same points: against grades that are known."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from skimage.color import deltaE_ciede2000, xyz2lab

from roofline.core.light import D65, SRGB_TO_XYZ
from roofline.core.plates.colours import delta_e, labs
from roofline.core.plates.grading import graded
from roofline.core.plates.matching import Held, held_around, held_together, look_of, match
from roofline.errors import PlateError
from roofline.model.steps import Grade


def colours(seed: int, count: int = 3000) -> np.ndarray:
    return np.random.default_rng(seed).uniform(0.03, 0.45, (count, 3))


def held(mine: np.ndarray, theirs: np.ndarray, by: str = "shared") -> Held:
    """Colours in areas of twenty."""
    return Held(mine, theirs, np.arange(len(mine)) // 20, np.arange(len(theirs)) // 20, by)


@given(st.floats(-1.0, 1.0), st.floats(-60, 60), st.floats(-15, 15), st.floats(0.6, 1.5))
@settings(max_examples=15, deadline=None)
def test_a_known_grade_is_found_again(exposure, temperature, tint, saturation):
    mine = colours(1)
    grade = Grade(exposure=exposure, temperature=temperature, tint=tint, saturation=saturation)
    theirs = graded(mine.astype(np.float32)[None], grade)[0].astype(float)
    got = match(held(mine, theirs))
    assert got.after < 0.3 or got.points < 1500
    assert abs(got.grade.exposure - exposure) < 0.02
    assert abs(got.grade.temperature - temperature) < 1.5
    assert abs(got.grade.saturation - saturation) < 0.02


def test_what_stands_in_the_way_is_not_followed():
    rng = np.random.default_rng(4)
    mine = colours(2)
    theirs = mine * 2**0.5 * rng.normal(1, 0.02, mine.shape)
    theirs[:900] = rng.uniform(0.0, 1.0, (900, 3))  # three in ten show something else
    got = match(held(mine, theirs))
    assert abs(got.grade.exposure - 0.5) < 0.05 and abs(got.grade.temperature) < 4
    assert got.after < got.before


def test_differences_of_colour_are_those_of_another_library():
    a, b = labs(colours(5, 200)), labs(colours(6, 200))
    assert np.allclose(delta_e(a, b), deltaE_ciede2000(a, b), atol=1e-6)
    lab = xyz2lab(colours(5, 200) @ SRGB_TO_XYZ.T / D65 * [0.95047, 1, 1.08883])
    assert np.allclose(a, lab, atol=0.02)


def test_too_little_in_common_is_said():
    with pytest.raises(PlateError, match="too little"):
        match(held(colours(7, 50), colours(8, 50)))
    with pytest.raises(PlateError, match="too little"):  # burnt out, and black
        match(held(np.ones((5000, 3)), np.ones((5000, 3))))


def test_only_places_that_both_show_whole_are_held_together():
    a, b = np.full((40, 60, 4), 0.2), np.full((40, 60, 4), 0.4)
    a[..., 3] = b[..., 3] = 1
    a[:, 30:, 3] = 0.5
    a[:, 30:, :3] = 9.0  # what is not whole does not smear into what is
    got = held_together(a, b)
    assert len(got.mine) == 40 * 30 and np.allclose(got.mine, 0.2) and np.allclose(got.theirs, 0.4)
    same = np.zeros((40, 60), dtype=bool)
    same[:20] = True
    assert len(held_together(a, b, same).mine) == 20 * 30


def place(seed: int, height: int = 240, width: int = 400) -> np.ndarray:
    """A picture (H, W, 4) of many things, large and small, of all brightness and mild colours."""
    rng = np.random.default_rng(seed)
    out = np.zeros((height, width, 4))
    out[..., 3] = 1
    out[..., :3] = 0.15
    for _ in range(700):
        x, y = rng.integers(0, width), rng.integers(0, height)
        w, h = rng.integers(4, 40, 2)
        grey = np.exp(rng.normal(np.log(0.14), 0.6))
        out[y : y + h, x : x + w, :3] = np.clip(grey * np.exp(rng.normal(0, 0.25, 3)), 0.005, 0.9)
    return out


@pytest.mark.parametrize("exposure, temperature", [(0.0, 0.0), (-1.0, -40.0), (0.7, 45.0), (-0.4, 60.0)])
@pytest.mark.parametrize("seed", [1, 2])
def test_a_cut_out_before_other_things_takes_the_grade_of_what_lies_around_it(exposure, temperature, seed):
    """The cut-out and what is behind it show nothing of the same; what is behind has a known grade."""
    cut, behind = place(seed), place(seed + 10)
    grade = Grade(exposure=exposure, temperature=temperature)
    behind[..., :3] = graded(behind[None, ..., :3].astype(np.float32), grade)[0]
    y, x = np.mgrid[0:240, 0:400]
    cut[..., 3] = (np.hypot((x - 200) / 80, (y - 120) / 100) < 1).astype(float)
    cut *= cut[..., 3:]
    behind[cut[..., 3] > 0, :3] = (0.9, 0.01, 0.01)  # what it covers is not seen, and must not count
    together = held_around(cut, behind)
    assert not (together.theirs == (0.9, 0.01, 0.01)).all(1).any()
    if grade == Grade():
        try:
            got = match(together)
        except PlateError as error:  # there is nothing to be gained
            assert "nearer" in str(error)
            return
    else:
        got = match(together)
    assert got.by == "around" and got.grade.saturation == 1.0
    off = got.grade.exposure - exposure, got.grade.temperature - temperature
    assert abs(off[0]) < max(0.2, 3 * got.exposure_error) and abs(off[1]) < max(12, 3 * got.temperature_error)
    assert 0.01 < got.exposure_error < 0.5 and 0.5 < got.temperature_error < 30
    after = look_of(graded(together.mine[None].astype(np.float32), got.grade)[0].astype(float))
    assert np.abs(after - look_of(together.theirs))[:2].max() < 0.05


def test_a_grade_at_the_end_of_what_is_searched_is_none():
    mine = colours(3)
    theirs = mine * [0.2, 0.5, 2.2]  # bluer than any white
    with pytest.raises(PlateError, match="100 mired"):
        match(held(mine, theirs))


def test_a_grade_that_does_not_bring_what_is_held_out_nearer_is_refused():
    rng = np.random.default_rng(6)
    mine = colours(4)
    area = np.arange(len(mine)) // 20
    # one half of the areas is a stop brighter and warm, the other a stop darker and cold: no one grade is true
    sign = np.where(area % 2 == 0, 1.0, -1.0)[:, None]
    theirs = mine * 2**sign * (1 + sign * [0.2, 0.0, -0.2]) * rng.normal(1, 0.01, mine.shape)
    with pytest.raises(PlateError, match="No grade brings the plate nearer"):
        match(Held(mine, theirs, area, area))


def test_the_error_of_a_match_is_that_of_matches_of_other_areas():
    """Twelve pairs of places with one grade: what is found lies about it as widely as is said."""
    grade, found, said = Grade(exposure=-0.5, temperature=30), [], []
    for seed in range(20, 32):
        cut, behind = place(seed), place(seed + 100)
        behind[..., :3] = graded(behind[None, ..., :3].astype(np.float32), grade)[0]
        cut[:, :130, 3] = cut[:, 270:, 3] = 0
        got = match(held_around(cut * cut[..., 3:], behind))
        found.append((got.grade.exposure + 0.5, got.grade.temperature - 30))
        said.append((got.exposure_error, got.temperature_error))
    ratio = np.sqrt(np.mean(np.square(found), 0)) / np.mean(said, 0)
    assert (ratio < 2.2).all() and (ratio > 0.3).all(), ratio
