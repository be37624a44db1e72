"""What is assumed of the lens is held against the edges, and said to be wrong only where it is."""

from __future__ import annotations

import re

import numpy as np
import pytest
from tools.survey_scenes import H, W, scene

from roofline.core.survey.solve import solve

CENTRE, BEND = "principal point in the picture's centre", "lens that does not bend"


def scenes(seeds, what: str, lens=(0.0, 0.0), off=False) -> float:
    made = (scene(seed, 20, points=6, lens=lens, off_centre=off).given(1.0)[0] for seed in seeds)
    return float(np.mean([any(what in w for w in solve(given).warnings) for given in made]))


@pytest.mark.slow
def test_a_lens_as_assumed_is_not_doubted():
    for what in (CENTRE, BEND):
        assert scenes(range(900, 925), what) <= 0.04


@pytest.mark.slow
def test_a_lens_that_bends_and_a_picture_that_was_cropped_are_noticed():
    assert scenes(range(20), BEND, lens=(-0.08, 0.0)) > 0.85
    assert scenes(range(20), CENTRE, off=True) > 0.65


def test_the_place_that_is_told_is_the_true_one():
    s = scene(3, 24, points=6, off_centre=True)
    (word,) = [w for w in solve(s.given(1.0)[0]).warnings if CENTRE in w]
    across, off, down, down_off = (float(v) for v in re.findall(r"[+-]?\d+(?= px| ±)", word))
    assert abs(across - (s.view.centre[0] - W / 2)) < 4 * off
    assert abs(down - (s.view.centre[1] - H / 2)) < 4 * down_off
