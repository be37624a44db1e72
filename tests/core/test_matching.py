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
from roofline.core.plates.matching import held_together, match
from roofline.errors import PlateError
from roofline.model.steps import Grade


def colours(seed: int, count: int = 3000) -> np.ndarray:
    return np.random.default_rng(seed).uniform(0.03, 0.45, (count, 3))


@given(st.floats(-1.0, 1.0), st.floats(-60, 60), st.floats(-15, 15), st.floats(0.6, 1.5))
@settings(max_examples=15, deadline=None)
def test_a_known_grade_is_found_again(exposure, temperature, tint, saturation):
    mine = colours(1)
    grade = Grade(exposure=exposure, temperature=temperature, tint=tint, saturation=saturation)
    theirs = graded(mine.astype(np.float32)[None], grade)[0].astype(float)
    got = match(mine, theirs)
    assert got.after < 0.3 or got.points < 1500
    assert abs(got.grade.exposure - exposure) < 0.02
    assert abs(got.grade.temperature - temperature) < 1.5
    assert abs(got.grade.saturation - saturation) < 0.02


def test_what_stands_in_the_way_is_not_followed():
    rng = np.random.default_rng(4)
    mine = colours(2)
    theirs = mine * 2**0.5 * rng.normal(1, 0.02, mine.shape)
    theirs[:900] = rng.uniform(0.0, 1.0, (900, 3))  # three in ten show something else
    got = match(mine, theirs)
    assert abs(got.grade.exposure - 0.5) < 0.05 and abs(got.grade.temperature) < 4
    assert got.after < got.before


def test_differences_of_colour_are_those_of_another_library():
    a, b = labs(colours(5, 200)), labs(colours(6, 200))
    assert np.allclose(delta_e(a, b), deltaE_ciede2000(a, b), atol=1e-6)
    lab = xyz2lab(colours(5, 200) @ SRGB_TO_XYZ.T / D65 * [0.95047, 1, 1.08883])
    assert np.allclose(a, lab, atol=0.02)


def test_too_little_in_common_is_said():
    with pytest.raises(PlateError, match="too little"):
        match(colours(7, 50), colours(8, 50))
    with pytest.raises(PlateError, match="too little"):  # burnt out, and black
        match(np.ones((5000, 3)), np.ones((5000, 3)))


def test_only_places_that_both_show_whole_are_held_together():
    a, b = np.full((40, 60, 4), 0.2), np.full((40, 60, 4), 0.4)
    a[..., 3] = b[..., 3] = 1
    a[:, 30:, 3] = 0.5
    a[:, 30:, :3] = 9.0  # what is not whole does not smear into what is
    mine, theirs = held_together(a, b)
    assert len(mine) == 40 * 30 and np.allclose(mine, 0.2) and np.allclose(theirs, 0.4)
