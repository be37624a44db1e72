"""Outlines: exact areas, by the even-odd rule; smooth points."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from roofline.core.plates.coverage import coverage, curve, enclosed

# to a millionth of a pixel: of corners 1e-136 apart GEOS, which the reference is clipped from, makes rings inside out
POINT = st.tuples(*(st.floats(-6, most).map(lambda v: round(v, 6)) for most in (26, 22)))


def cut(ring: np.ndarray, axis: int, at: float, sign: int) -> np.ndarray:
    """A ring's part on one side of a line, by Sutherland and Hodgman: its signed area is right whatever the ring."""
    away = sign * (ring[:, axis] - at)
    out = []
    for i in range(len(ring)):
        a, b = away[i - 1], away[i]
        if (a >= 0) != (b >= 0):
            crossing = ring[i - 1] + a / (a - b) * (ring[i] - ring[i - 1])
            crossing[axis] = at
            out.append(crossing)
        if b >= 0:
            out.append(ring[i])
    return np.array(out).reshape(-1, 2)


def exactly(area, width: int, height: int) -> np.ndarray:
    """The area in each pixel, by clipping rings (GEOS may give a whole pixel to a spike of no width)."""
    out = np.zeros((height, width))
    for part in shapely.get_parts(shapely.get_parts(area)):
        if part.geom_type != "Polygon":
            continue
        turned = shapely.geometry.polygon.orient(part)
        for ring in (turned.exterior, *turned.interiors):
            corners = np.asarray(ring.coords)[:-1, :2]
            for row in range(height):
                band = cut(cut(corners, 1, row, 1), 1, row + 1, -1)
                for col in range(width):
                    x, y = cut(cut(band, 0, col, 1), 0, col + 1, -1).T
                    out[row, col] += 0.5 * (x * (np.roll(y, -1) - np.roll(y, 1))).sum()
    return out


@pytest.mark.slow
@given(st.lists(st.lists(POINT, min_size=3, max_size=8), min_size=1, max_size=3))
@settings(max_examples=60, deadline=None)
def test_every_pixel_has_its_exact_area(loops):
    points = [np.array(loop) for loop in loops]
    got = coverage(points, 20, 16)
    assert np.abs(got - exactly(enclosed(points), 20, 16)).max() < 1 / 255


def test_a_loop_within_a_loop_is_a_hole_and_crossings_alternate():
    outer = np.array([(2, 2), (18, 2), (18, 14), (2, 14)], float)
    inner = np.array([(6, 6), (12, 6), (12, 10), (6, 10)], float)
    for loops in ([outer, inner], [outer, inner[::-1]]):
        got = coverage(loops, 20, 16)
        assert got.sum() == pytest.approx(16 * 12 - 6 * 4) and not got[7, 8] and got[4, 4] == 1
    bow = np.array([(0, 0), (10, 10), (10, 0), (0, 10)], float)  # crosses itself in its middle
    assert coverage([bow], 10, 10).sum() == pytest.approx(50)


def test_smooth_points_lie_on_the_curve_and_sharp_ones_are_corners():
    corners = np.array([(0, 0), (40, 0), (40, 40), (0, 40)], float)
    assert (curve(corners, False) == corners).all()
    round_ = curve(corners, True)
    assert all((np.abs(round_ - c).sum(1) < 1e-9).any() for c in corners)
    ring = np.array([(50 + 30 * np.cos(a), 50 + 30 * np.sin(a)) for a in np.linspace(0, 2 * np.pi, 12, False)])
    away = np.hypot(*(curve(ring, True) - 50).T)
    assert np.abs(away - 30).max() < 0.2  # twelve points make nearly a circle
    mixed = curve(corners, [True, False, False, True])
    straight = mixed[(mixed[:, 0] == 40) & (mixed[:, 1] > 0) & (mixed[:, 1] < 40)]
    assert len(straight) == 0  # between two sharp points there is nothing but the line
    # a curve that runs through evenly spaced points of a line stays on it
    line = np.array([(0, 0), (10, 0), (20, 0), (30, 0), (15, 30)], float)
    between = curve(line, True)
    on = between[(between[:, 0] > 10) & (between[:, 0] < 20) & (between[:, 1] < 10)]
    assert len(on) > 10 and np.abs(on[:, 1]).max() < 1e-9
