"""Planar faces: their planes and triangles."""

from __future__ import annotations

import mapbox_earcut
import numpy as np
from numpy.typing import NDArray
from shapely import Polygon, constrained_delaunay_triangles

from roofline.core.camera import Array, View

SLIVER = 1e-5  # of a loop's extent: triangles lower than this are looked for a better division


def plane_of(points: Array) -> tuple[Array, float]:
    """Unit normal (3,) and offset d of the plane n·X = d through a loop (N, 3), by Newell's method.

    A degenerate loop has a zero normal.
    """
    following = np.roll(points, -1, axis=0)
    n = np.cross(points, following).sum(0)
    size = float(np.linalg.norm(n))
    if size < 1e-14:
        return np.zeros(3), 0.0
    n = n / size
    return n, float(n @ points.mean(0))


def spot_on(view: View, pixel: tuple[float, float], plane: tuple[Array, float]) -> Array | None:
    """Where a pixel's ray meets a plane n·X = d, world (3,); None where it runs along it, or away from it."""
    normal, offset = plane
    ray = view.rays(np.array(pixel))
    slope = float(normal @ ray)
    if abs(slope) < 1e-9:
        return None
    depth = (offset - float(normal @ view.position)) / slope
    return None if depth <= 0 else np.asarray(view.position + depth * ray)


def triangles_of(points: Array) -> NDArray[np.int64]:
    """Triangulate a planar loop (N, 3); indices (T, 3) with the loop's own winding, a fan where it is convex."""
    count = len(points)
    if count == 3:
        return np.array([[0, 1, 2]])
    n, _ = plane_of(points)
    if not np.any(n):
        return np.zeros((0, 3), dtype=np.int64)
    side = np.cross(n, [0.0, 1.0, 0.0] if abs(n[1]) < 0.9 else [1.0, 0.0, 0.0])
    side /= np.linalg.norm(side)
    flat = np.stack([points @ side, points @ np.cross(n, side)], axis=1)
    ahead = np.roll(flat, -1, axis=0) - flat
    turns = ahead[:, 0] * np.roll(ahead[:, 1], -1) - ahead[:, 1] * np.roll(ahead[:, 0], -1)
    if np.all(turns > 1e-9 * np.abs(turns).max()):  # convex: a fan
        following = np.arange(1, count - 1)
        return np.stack([np.zeros_like(following), following, following + 1], axis=1)
    index = mapbox_earcut.triangulate_float64(flat, np.array([count], dtype=np.uint32)).reshape(-1, 3)
    out = _wound(flat, index.astype(np.int64))
    if _least_height(flat, out) < SLIVER * np.ptp(flat, axis=0).max():  # a corner that all but lies on a diagonal
        other = _delaunay(flat)
        if other is not None and _least_height(flat, other) > _least_height(flat, out):
            return other
    return out


def _wound(flat: Array, index: NDArray[np.int64]) -> NDArray[np.int64]:
    """Triangles (T, 3) of points (N, 2), all counter-clockwise, without those of no area: points on a straight side
    leave some, which cover nothing."""
    area = _areas(flat, index)
    out = index.copy()
    out[area < 0] = out[area < 0][:, ::-1]
    return out[np.abs(area) > 1e-12 * np.abs(area).max(initial=0.0)]


def _areas(flat: Array, index: NDArray[np.int64]) -> Array:
    a, b, c = flat[index[:, 0]], flat[index[:, 1]], flat[index[:, 2]]
    return np.asarray((b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0]))


def _least_height(flat: Array, index: NDArray[np.int64]) -> float:
    """The least height of triangles (T, 3) of points (N, 2); infinite where there are none."""
    p = flat[index]
    longest = np.linalg.norm(p - np.roll(p, 1, axis=1), axis=2).max(1, initial=0.0)
    return float((np.abs(_areas(flat, index)) / np.maximum(longest, 1e-300)).min(initial=np.inf))


def _delaunay(flat: Array) -> NDArray[np.int64] | None:
    """A loop (N, 2) in triangles that are as wide as its sides allow; None where it touches itself."""
    shape = Polygon(flat)
    if not shape.is_valid:
        return None
    corners = np.array([t.exterior.coords[:3] for t in constrained_delaunay_triangles(shape).geoms])
    index = np.linalg.norm(corners[:, :, None] - flat[None, None], axis=-1).argmin(-1)
    return _wound(flat, index.astype(np.int64))
