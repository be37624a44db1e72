"""Outlines, growing, filling."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from roofline.core.plates import matte as m
from roofline.errors import PlateError
from roofline.model.plates import Outline


@given(st.floats(20, 60), st.floats(20, 60), st.floats(15, 60), st.floats(15, 60))
@settings(max_examples=50, deadline=None)
def test_a_hard_outline_covers_its_own_area(x, y, w, h):
    points = [(x, y), (x + w, y), (x + w, y + h), (x, y + h)]
    matte = m.draw(Outline(points=points, feather_px=0), (0, 0, 140, 140))
    assert matte.sum() == pytest.approx(w * h, rel=0.03)
    ys, xs = np.mgrid[0:140, 0:140] + 0.5
    assert (matte * xs).sum() / matte.sum() == pytest.approx(x + w / 2, abs=0.2)
    assert (matte * ys).sum() / matte.sum() == pytest.approx(y + h / 2, abs=0.2)


def test_a_feather_is_as_wide_as_said_and_half_on_the_outline():
    matte = m.draw(Outline(points=[(50, -200), (400, -200), (400, 400), (50, 400)], feather_px=12), (0, 0, 100, 100))
    row = matte[50]
    assert row[49] + row[50] == pytest.approx(1.0, abs=0.04)
    soft = np.flatnonzero((row > 0.02) & (row < 0.98))
    assert 12 <= len(soft) <= 24
    assert np.all(np.diff(row) >= -1e-6)


def test_growing_adds_exactly_so_many_pixels_all_around():
    matte = np.zeros((61, 61), np.float32)
    matte[30, 30] = 1
    grown = m.grown(matte, 10)
    ys, xs = np.mgrid[0:61, 0:61]
    assert (grown == (np.hypot(xs - 30, ys - 30) <= 10)).all()
    square = np.zeros((61, 61), np.float32)
    square[20:41, 20:41] = 1
    assert m.grown(square, -3).sum() == 15 * 15


@pytest.mark.parametrize("dtype", [np.uint8, np.uint16, np.float32])
def test_a_hole_in_a_gradient_is_filled_and_the_rest_is_untouched(dtype):
    top = {np.uint8: 200, np.uint16: 50000, np.float32: 0.8}[dtype]
    ramp = (np.linspace(0.2, 1, 80)[None, :, None] * np.ones((60, 1, 3)) * top).astype(dtype)
    hole = np.zeros((60, 80), np.float32)
    hole[20:40, 30:50] = 1
    damaged = ramp.copy()
    damaged[20:40, 30:50] = 0
    got = m.filled(damaged, hole)
    assert got.dtype == dtype
    assert (got[hole == 0] == ramp[hole == 0]).all()
    assert np.abs(got[hole > 0].astype(float) - ramp[hole > 0]).max() < 0.12 * top


def test_what_cannot_be_made_is_said():
    with pytest.raises(PlateError, match="no part of the photo"):
        m.box_of(Outline(points=[(-50, -50), (-20, -50), (-20, -20)]), 640, 480, 0)
    with pytest.raises(PlateError, match="no area"):
        m.draw(Outline(points=[(5, 5), (20, 20), (35, 35)]), (0, 0, 40, 40))
    with pytest.raises(PlateError, match="nothing to fill"):
        m.filled(np.zeros((8, 8, 3), np.uint8), np.zeros((8, 8), np.float32))
    with pytest.raises(PlateError, match="covers everything"):
        m.filled(np.zeros((8, 8, 3), np.uint8), np.ones((8, 8), np.float32))
