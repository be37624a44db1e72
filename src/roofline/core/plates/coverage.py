"""The exact share of every pixel that closed lines enclose."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
from numba import njit
from numpy.typing import NDArray

from roofline.core.camera import Array

SUBDIVIDED = 16  # straight pieces of a smooth line between two points


def curve(points: Array, smooth: bool | Sequence[bool]) -> Array:
    """A closed line (M, 2) through points (N, 2): centripetal Catmull–Rom (Yuksel, Schaefer and Keyser 2011) about
    smooth points, straight between sharp ones. A sharp point ends the curve on either side of it."""
    n = len(points)
    soft = [smooth] * n if isinstance(smooth, bool) else list(smooth)
    if not any(soft):
        return points
    out: list[Array] = []
    for i in range(n):
        j = (i + 1) % n
        a, b = points[i], points[j]
        if not soft[i] and not soft[j]:
            out.append(a[None])
            continue
        before = points[i - 1] if soft[i] else 2 * a - b
        after = points[(j + 1) % n] if soft[j] else 2 * b - a
        out.append(_between(before, a, b, after))
    return np.concatenate(out)


def _between(p0: Array, p1: Array, p2: Array, p3: Array) -> Array:
    """Points of the curve from p1 to before p2, by Barry and Goldman's pyramid."""
    t = np.cumsum([0.0, *(max(float(np.hypot(*d)), 1e-12) ** 0.5 for d in (p1 - p0, p2 - p1, p3 - p2))])
    s = np.linspace(t[1], t[2], SUBDIVIDED, endpoint=False)[:, None]

    def mix(a: Array, b: Array, at: float, bt: float) -> Array:
        return np.asarray((bt - s) / (bt - at) * a + (s - at) / (bt - at) * b)

    first, second, third = mix(p0, p1, t[0], t[1]), mix(p1, p2, t[1], t[2]), mix(p2, p3, t[2], t[3])
    return mix(mix(first, second, t[0], t[2]), mix(second, third, t[1], t[3]), t[1], t[2])


def enclosed(loops: Sequence[Array]) -> shapely.Geometry:
    """The area within closed lines by the even-odd rule, also where they cross themselves or one another."""
    area: shapely.Geometry = shapely.Polygon()
    for loop in loops:
        area = shapely.symmetric_difference(area, shapely.make_valid(shapely.Polygon(loop), method="linework"))
    return area


def _rings(area: shapely.Geometry) -> list[Array]:
    """Its rings, outer ones one way round and holes the other."""
    rings = []
    for part in shapely.get_parts(area):
        if part.geom_type == "Polygon" and not part.is_empty:
            turned = shapely.geometry.polygon.orient(part)
            rings += [np.asarray(r.coords) for r in (turned.exterior, *turned.interiors)]
        elif part.geom_type.startswith(("Multi", "GeometryCollection")):
            rings += _rings(part)
    return rings


@njit(cache=True, error_model="numpy")
def _accumulate(x0, y0, x1, y1, out):  # type: ignore[no-untyped-def]
    """Add one edge to the running differences of (H, W + 2): summed along a row they give the covered area."""
    if y0 == y1:
        return
    height, width = out.shape[0], out.shape[1] - 2
    sign = 1.0
    if y0 > y1:
        x0, y0, x1, y1, sign = x1, y1, x0, y0, -1.0
    rise, run = y1 - y0, x1 - x0
    for row in range(max(0, int(np.floor(y0))), min(height, int(np.ceil(y1)))):
        top, bottom = max(y0, float(row)), min(y1, row + 1.0)
        if bottom <= top:
            continue
        a, b = x0 + (top - y0) / rise * run, x0 + (bottom - y0) / rise * run  # a slope may be without end
        share = sign * (bottom - top)
        low, high = min(a, b), max(a, b)
        if high <= 0:
            out[row, 0] += share
            continue
        if low >= width:
            continue
        if low < 0 or high > width:  # what lies beyond the picture's sides counts as on them
            low_, high_ = max(low, 0.0), min(high, float(width))
            out[row, 0] += share * (low_ - low) / (high - low)
            share *= (high_ - low_) / (high - low)
            low, high = low_, high_
        first, last = int(np.floor(low)), int(np.floor(high))
        if first == last or high == low:
            middle = 0.5 * (low + high) - first
            out[row, first] += share * (1 - middle)
            out[row, first + 1] += share * middle
            continue
        per = share / (high - low)
        before = 0.0
        for col in range(first, last + 1):
            left, right = max(low, float(col)), min(high, col + 1.0)
            # of this pixel: what the edge leaves to its right, by the mean over its part of the edge
            part = per * (right - left)
            middle = 0.5 * (left + right) - col
            value = before + part * (1 - middle)
            out[row, col] += value
            before = part * middle
        out[row, last + 1] += before


@njit(cache=True, error_model="numpy")
def _ring(points, out):  # type: ignore[no-untyped-def]
    for i in range(len(points) - 1):
        _accumulate(points[i, 0], points[i, 1], points[i + 1, 0], points[i + 1, 1], out)


def coverage(loops: Sequence[Array], width: int, height: int) -> NDArray[np.float32]:
    """Share of each pixel (H, W) float32 within closed lines, by the even-odd rule; pixels count from their corners.

    Exact up to rounding: edges are summed by the area that they leave to their right.
    """
    sums = np.zeros((height, width + 2))
    for ring in _rings(enclosed(loops)):
        _ring(np.ascontiguousarray(ring[:, :2]), sums)
    return np.clip(np.abs(np.cumsum(sums[:, :width], axis=1)), 0, 1).astype(np.float32)
