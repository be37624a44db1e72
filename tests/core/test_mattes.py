"""Mattes: colour picks, growing, feathers, strokes, depths, hair and fringes; grades."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage
from skimage import color

from roofline.core.light import even, stored, to_display, to_linear
from roofline.core.plates import matte as m
from roofline.core.plates.colours import away_from, labs
from roofline.core.plates.grading import CAT16, adaptation, graded, white_of
from roofline.core.plates.strokes import laid
from roofline.core.plates.tones import cloud, toned
from roofline.model.steps import Grade, Tone


def test_differences_of_colour_are_those_of_another_library():
    rng = np.random.default_rng(4)
    shown = rng.random((40, 50, 3)).astype(np.float32)
    shown[:5] = shown[:5, :, :1]  # greys, whose hue means nothing
    pick = rng.random((1, 3)).astype(np.float32)
    got = away_from(to_linear((shown * 65535).astype(np.uint16)), labs(to_linear((pick * 65535).astype(np.uint16))))
    other = color.deltaE_ciede2000(color.rgb2lab(shown), color.rgb2lab(pick[None]))
    assert np.abs(got - other).max() < 0.05


def test_what_is_too_far_in_lightness_is_only_known_to_be_far():
    rng = np.random.default_rng(5)
    linear = (2.0 * rng.random((60, 80, 3)) ** 2).astype(np.float32)  # brighter than white as well
    picks = labs(rng.random((3, 3)))
    whole, bounded = away_from(linear, picks), away_from(linear, picks, 12.0)
    near = whole <= 12.0
    assert 20 < near.sum() < near.size / 2
    assert np.array_equal(whole[near], bounded[near])
    assert (bounded[~near] > 12.0).all() and (bounded[~near] <= whole[~near] + 1e-4).all()
    assert (bounded != whole).sum() > near.size / 6  # many are not worked out


def test_published_pairs_of_colours_differ_as_published():
    # Sharma, Wu and Dalal 2005, table 1: pairs 1, 7, 17, 25, 33
    from roofline.core.plates.colours import difference

    pairs = [
        ((50, 2.6772, -79.7751), (50, 0, -82.7485), 2.0425),
        ((50, 0, 0), (50, -1, 2), 2.3669),
        ((50, 2.5, 0), (73, 25, -18), 27.1492),
        ((60.2574, -34.0099, 36.2677), (60.4626, -34.1751, 39.4387), 1.2644),
        ((6.7747, -0.2908, -2.4247), (5.8714, -0.0985, -2.2286), 0.6377),
    ]
    for one, other, away in pairs:
        assert difference(*map(float, one), *map(float, other)) == pytest.approx(away, abs=1e-4)


def test_a_pick_takes_its_colour_in_full_and_fades_to_half_as_much_again():
    ramp = np.linspace(0.2, 0.8, 400, dtype=np.float32)[None, :, None] * np.ones((9, 1, 3), np.float32)
    linear = to_linear((ramp * 65535).astype(np.uint16))
    got = m.picked(linear, np.array([(200.5, 4.5)]), 6.0, False)
    away = color.deltaE_ciede2000(color.rgb2lab(ramp), color.rgb2lab(ramp[4:5, 200:201]))
    assert (got[away < 5.9] == 1).all() and (got[away > 9.1] == 0).all()
    soft = (away > 6.2) & (away < 8.8)
    assert np.abs(got[soft] - (9 - away[soft]) / 3).max() < 0.03


def test_a_joined_pick_stays_where_it_hangs_together():
    linear = np.full((40, 60, 3), 0.1, np.float32)
    linear[5:15, 5:15] = linear[25:35, 40:50] = (0.6, 0.1, 0.1)
    apart = m.picked(linear, np.array([(10.0, 10.0)]), 8, True)
    assert apart.sum() == 100 and not apart[25:35, 40:50].any()
    assert m.picked(linear, np.array([(10.0, 10.0)]), 8, False).sum() == 200
    assert m.picked(linear, np.array([(10.0, 10.0), (45.0, 30.0)]), 8, True).sum() == 200


@given(st.floats(-9, 12), st.integers(0, 100))
@settings(max_examples=40, deadline=None)
def test_growing_is_by_euclidean_distance(pixels, seed):
    inside = np.random.default_rng(seed).random((50, 60)) > 0.93
    inside[20:38, 10:30] = True
    got = m.grown(inside.astype(np.float32), pixels)
    if pixels >= 0:
        away = ndimage.distance_transform_edt(~inside)
        assert (got[away <= pixels] == 1).all() and (got[away >= pixels + 1] < 1e-4).all()
    else:
        padded = np.pad(inside, 1, mode="edge")
        deep = ndimage.distance_transform_edt(padded)[1:-1, 1:-1]
        assert (got[deep >= 1 - pixels + 1e-4] == 1).all() and (got[deep <= -pixels] < 1e-4).all()


def test_growing_and_shrinking_by_as_much_gives_a_square_back():
    square = np.zeros((80, 80), np.float32)
    square[20:60, 25:55] = 1
    assert m.grown(square, 0) is square
    assert np.abs(m.grown(m.grown(square, -6), 6) - square)[:, 32:48].max() < 1e-4
    assert m.grown(square, 7).sum() == pytest.approx(40 * 30 + 2 * 7 * 70 + np.pi * 49, rel=0.02)


def test_a_feather_is_as_wide_as_said_and_half_on_its_border():
    step = np.zeros((40, 120), np.float32)
    step[:, 60:] = 1
    row = m.feathered(step, 12)[20]
    assert row[59] + row[60] == pytest.approx(1, abs=1e-3) and (np.diff(row) >= -1e-6).all()
    soft = np.flatnonzero((row > 0.02) & (row < 0.98))
    assert 12 <= len(soft) <= 22


@pytest.mark.parametrize("hardness", [0.0, 0.5, 1.0])
def test_a_stroke_covers_what_lies_within_its_radius(hardness):
    got = laid([(np.array([(30.0, 30.0), (90.0, 30.0)]), 12.0, hardness)], 120, 60)
    ys, xs = np.mgrid[0:60, 0:120] + 0.5
    away = np.hypot(np.maximum(np.maximum(30 - xs, xs - 90), 0), ys - 30)
    assert (got[away < 12 * hardness - 0.6] == 1).all() and not got[away > 12.6].any()
    order = np.argsort(away.ravel())
    assert (np.diff(got.ravel()[order]) <= 1e-6).all()  # the farther, the less
    again = laid([(np.array([(30.0, 30.0), (90.0, 30.0)]), 12.0, hardness)] * 2, 120, 60)
    assert (again == got).all()  # going over it once more changes nothing


def test_modes_add_cut_and_keep():
    a, b = np.float32([[0, 0.5, 1]]), np.float32([[1, 0.25, 0.25]])
    assert m.combined(a, b, "add").tolist() == [[1, 0.5, 1]]
    assert m.combined(a, b, "cut").tolist() == [[0, 0.5, 0.75]]
    assert m.combined(a, b, "keep").tolist() == [[0, 0.25, 0.25]]


def test_depths_within_a_range_and_softly():
    depth = np.float32([[1, 4.9, 5, 7, 9, 9.5, np.inf]])
    assert m.within(depth, 5, 9, 0).tolist() == [[0, 0, 1, 1, 1, 0, 0]]
    assert m.within(depth, 5, 9, 2)[0].tolist() == pytest.approx([0, 0.45, 0.5, 1, 0.5, 0.25, 0])


FIGURES = [*range(4), *(pytest.param(seed, marks=pytest.mark.slow) for seed in range(4, 20))]


def strands(seed: int, size: int = 200):
    """A figure with thin strands about it, its true alpha, its colours, and the picture of it over a background."""
    rng = np.random.default_rng(seed)
    alpha = laid([(np.array([(size / 2, size / 2)]), size * 0.22, 0.98)], size, size)
    lines = []
    for turn in rng.uniform(0, 2 * np.pi, 60):
        start = size / 2 + size * 0.2 * np.array([np.cos(turn), np.sin(turn)])
        bend = turn + rng.normal(0, 0.3)
        lines.append((np.array([start, start + size * 0.13 * np.array([np.cos(bend), np.sin(bend)])]), 0.8, 0.9))
    alpha = np.maximum(alpha, 0.75 * laid(lines, size, size))
    x = np.linspace(0, 1, size)[None, :, None]
    own = (0.15 + 0.1 * x) * np.array([1.2, 0.8, 0.5]) * np.ones((size, 1, 1))
    behind = (0.5 + 0.3 * x) * np.array([0.6, 0.85, 1.0]) * np.ones((size, 1, 1))
    shown = alpha[..., None] * own + (1 - alpha[..., None]) * behind
    return (
        shown.astype(np.float32),
        alpha,
        own.astype(np.float32),
        laid([(np.full((1, 2), size / 2), size * 0.27, 1)], size, size),
    )


@pytest.mark.parametrize("seed", FIGURES)
def test_hair_halves_the_error_of_a_feathered_outline(seed):
    shown, alpha, _, drawn = strands(seed)
    feathered = m.feathered(drawn, 18)
    got = m.haired(shown, drawn, 48)
    near = m.band(drawn, 48)
    assert np.abs(got - alpha)[near].mean() < 0.5 * np.abs(feathered - alpha)[near].mean()
    assert (got[~near] == drawn[~near]).all()


@pytest.mark.parametrize("seed", FIGURES)
def test_a_fringe_takes_the_old_background_out_of_the_border(seed):
    shown, alpha, own, _ = strands(seed)
    got, changed = m.defringed(shown, alpha, 60)
    new = np.float32([0.05, 0.25, 0.08])
    soft = changed & (alpha > 0.1) & (alpha < 0.9)
    assert soft.sum() > 100
    true, with_, without = (alpha[..., None] * c + (1 - alpha[..., None]) * new for c in (own, got, shown))
    assert np.abs(with_ - true)[soft].mean() < 0.4 * np.abs(without - true)[soft].mean()
    assert (got[~changed] == shown[~changed]).all()


def test_hair_without_a_border_changes_nothing():
    whole = np.ones((20, 20), np.float32)
    assert (m.haired(np.zeros((20, 20, 3), np.float32), whole, 4) == whole).all()


# ---------------------------------------------------------------- grades


def test_slope_offset_power_and_saturation_as_the_cdl_has_them():
    """By hand from the definition (ASC CDL 1.2): (in × slope + offset) ^ power, then saturation about the luma."""
    grade = Grade(slope=(1.2, 1.0, 0.8), offset=(0.05, 0.0, -0.02), power=(1.1, 0.9, 1.0), saturation=0.5)
    got = graded(np.float32([[0.18, 0.4, 0.7]]), grade)[0]
    one = [(0.18 * 1.2 + 0.05) ** 1.1, 0.4**0.9, 0.7 * 0.8 - 0.02]
    luma = 0.2126 * one[0] + 0.7152 * one[1] + 0.0722 * one[2]
    assert got.tolist() == pytest.approx([luma + 0.5 * (v - luma) for v in one], rel=1e-5)
    dark = graded(np.float32([[0.01, 0.5, 0.5]]), Grade(offset=(-0.1, 0, 0), power=(2, 1, 1)))[0]
    assert dark[0] == 0  # nothing negative is raised to a power


def test_exposure_doubles_light_and_nothing_changes_nothing():
    linear = np.random.default_rng(1).random((5, 5, 3)).astype(np.float32) * 3
    assert np.allclose(graded(linear, Grade(exposure=1)), 2 * linear, rtol=1e-6)
    assert (graded(linear, Grade()) == linear).all()
    assert np.allclose(graded(graded(linear, Grade(exposure=1.5)), Grade(exposure=-1.5)), linear, rtol=1e-5)


@given(st.floats(-60, 60), st.floats(-30, 30))
@settings(max_examples=40, deadline=None)
def test_white_goes_where_cat16_takes_it(mired, tint):
    got = adaptation(mired, tint) @ np.ones(3)
    to_xyz = np.array(
        [[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750], [0.0193339, 0.119192, 0.9503041]]
    )
    assert np.allclose(to_xyz @ got, white_of(mired, tint), atol=1e-6)
    # the published matrix takes equal energy to equal responses (Li et al. 2017)
    assert np.allclose(CAT16 @ [1, 1, 1], 1, atol=1e-3)


def test_warmer_is_redder_and_tint_is_magenta():
    warm, magenta = adaptation(40, 0) @ np.ones(3), adaptation(0, 20) @ np.ones(3)
    assert warm[0] > 1.05 and warm[2] < 0.9
    assert magenta[1] < 0.98 and min(magenta[0], magenta[2]) > 1


# ---------------------------------------------------------------- values and tones


@pytest.mark.parametrize("kind", [np.uint8, np.uint16])
def test_stored_values_survive_the_way_there_and_back(kind):
    top = np.iinfo(kind).max
    values = np.arange(top + 1, dtype=kind).reshape(1, -1, 1)
    assert (stored(even(values), values) == values).all()
    assert ((to_display(to_linear(values)) * top + 0.5).astype(kind) == values).all()
    real = np.float32([[[-0.3, 0.0, 5.5]]])
    assert np.allclose(stored(even(real), real), real, rtol=1e-6)


def test_ramps_run_the_way_that_is_said_and_clouds_are_soft_and_repeatable():
    right = to_display(toned(Tone.model_validate({"from": (0, 0, 0), "to": (1, 0.5, 0)}), 64, 32))
    assert (np.diff(right[10, :, 0]) > 0).all() and np.ptp(right[:, 20, 0]) < 1e-3 and right.max() <= 1
    down = Tone.model_validate({"from": (0, 0, 0), "to": (1, 1, 1), "angle_deg": 90})
    assert (np.diff(to_display(toned(down, 64, 32))[:, 20, 0]) > 0).all()
    one, same, other = cloud(120, 80, 40, 3), cloud(120, 80, 40, 3), cloud(120, 80, 40, 4)
    assert (one == same).all() and np.abs(one - other).mean() > 0.02
    assert one.min() >= 0 and one.max() <= 1 and one.std() > 0.1 and np.abs(np.diff(one, axis=1)).max() < 0.2


@pytest.mark.parametrize("tint", [-30, 0, 30])
def test_every_white_that_a_grade_may_have_is_a_white_bluer_step_by_step(tint):
    """The locus is known to 15,000 K, 67 mired; a grade reaches 46 below none at all."""
    whites = np.array([white_of(t, tint) for t in range(100, -201, -5)])
    assert np.isfinite(whites).all() and (whites > 0).all()
    assert (np.diff(whites[:, 2]) > 0).all()  # more blue
    jumps = np.diff(np.log(whites[:, 2]))
    assert jumps.max() < 3 * np.median(jumps)
    grey = graded(np.float32([[0.2, 0.2, 0.2]]), Grade(temperature=-150, tint=tint))[0]
    assert np.isfinite(grey).all() and grey[2] > grey[0]
