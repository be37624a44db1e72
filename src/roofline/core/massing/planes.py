"""Planar faces: their planes and triangles."""

from __future__ import annotations

import mapbox_earcut
import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import Array, View


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
    out = index.astype(np.int64)
    a, b, c = flat[out[:, 0]], flat[out[:, 1]], flat[out[:, 2]]
    area = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    out[area < 0] = out[area < 0][:, ::-1]
    # points on a straight side leave triangles of no area, which cover nothing
    return out[np.abs(area) > 1e-12 * np.abs(area).max(initial=0.0)]
