"""Solids → planar faces. Every solid of a shot becomes vertices and named, counter-clockwise loops."""

from __future__ import annotations

from dataclasses import dataclass

import mapbox_earcut
import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import Array
from roofline.shot import (
    AnySolid,
    Backdrop,
    Block,
    Column,
    Flat,
    Gable,
    Ground,
    Mesh,
    Wall,
)


@dataclass(frozen=True)
class Faces:
    """Vertices (V, 3) in metres and named loops, counter-clockwise seen from the face's front."""

    vertices: Array
    names: list[str]
    loops: list[list[int]]
    cutout: bool = False


def turned(points: Array, corner: tuple[float, float, float], turn_deg: float) -> Array:
    """Local points (…, 3) turned about the rise through the origin and set at `corner`."""
    c, s = np.cos(np.radians(turn_deg)), np.sin(np.radians(turn_deg))
    r = np.array([[c, 0, s], [0, 1, 0], [-s, 0, c]])
    return points @ r.T + np.array(corner)


def heading(heading_deg: float) -> tuple[Array, Array]:
    """Unit level vectors of a heading: where it points (0° along −return, turning to the right), and its right."""
    a = np.radians(heading_deg)
    return np.array([np.sin(a), 0.0, -np.cos(a)]), np.array([np.cos(a), 0.0, np.sin(a)])


def _ground(s: Ground) -> Faces:
    (x, z), (w, d) = s.centre, s.size
    v = [
        [x - w / 2, s.height, z + d / 2],
        [x + w / 2, s.height, z + d / 2],
        [x + w / 2, s.height, z - d / 2],
        [x - w / 2, s.height, z - d / 2],
    ]
    return Faces(np.array(v), ["top"], [[0, 1, 2, 3]])


BOX_NAMES = ["front", "right", "back", "left", "top", "base"]
BOX_LOOPS = [[4, 5, 6, 7], [5, 1, 2, 6], [1, 0, 3, 2], [0, 4, 7, 3], [7, 6, 2, 3], [0, 1, 5, 4]]


def _block(s: Block) -> Faces:
    w, h, d = s.size
    v = np.array([[0, 0, 0], [w, 0, 0], [w, h, 0], [0, h, 0], [0, 0, d], [w, 0, d], [w, h, d], [0, h, d]], float)
    return Faces(turned(v, s.corner, s.turn_deg), list(BOX_NAMES), [list(loop) for loop in BOX_LOOPS])


def _gable(s: Gable) -> Faces:
    w, h, d = s.size
    foot = [[0, 0, 0], [w, 0, 0], [w, 0, d], [0, 0, d]]
    if s.ridge == "run":
        v = np.array([*foot, [0, h, d / 2], [w, h, d / 2]], float)
        names = ["front", "back", "left", "right", "base"]
        loops = [[3, 2, 5, 4], [1, 0, 4, 5], [0, 3, 4], [2, 1, 5], [0, 1, 2, 3]]
    else:
        v = np.array([*foot, [w / 2, h, 0], [w / 2, h, d]], float)
        names = ["right", "left", "front", "back", "base"]
        loops = [[2, 1, 4, 5], [0, 3, 5, 4], [3, 2, 5], [1, 0, 4], [0, 1, 2, 3]]
    return Faces(turned(v, s.corner, s.turn_deg), names, loops)


def _column(s: Column) -> Faces:
    n = s.sides
    a = np.arange(n) * 2 * np.pi / n
    ring = np.stack([np.sin(a), np.zeros(n), np.cos(a)], axis=1)
    low, high = ring * s.radius_foot, ring * s.radius_top + np.array([0, s.height, 0])
    loops = [[i, (i + 1) % n, n + (i + 1) % n, n + i] for i in range(n)]
    loops += [[n + i for i in range(n)], list(range(n))[::-1]]
    return Faces(
        np.concatenate([low, high]) + np.array(s.foot), [f"side{i + 1}" for i in range(n)] + ["top", "base"], loops
    )


def _wall(s: Wall) -> Faces:
    (ax, az), (bx, bz) = s.a, s.b
    v = [[ax, s.base, az], [bx, s.base, bz], [bx, s.base + s.height, bz], [ax, s.base + s.height, az]]
    return Faces(np.array(v), ["front"], [[0, 1, 2, 3]])


def _flat(s: Flat) -> Faces:
    _, right = heading(s.heading_deg)
    left, rt, bottom, top = s.extent
    up = np.array([0, 1.0, 0])
    v = [right * x + up * y for x, y in ((left, bottom), (rt, bottom), (rt, top), (left, top))]
    return Faces(np.array(v) + np.array(s.foot), ["front"], [[0, 1, 2, 3]], cutout=True)


def _backdrop(s: Backdrop) -> Faces:
    ahead, right = heading(s.heading_deg)
    viewer = np.array(s.viewer)
    up = np.array([0, 1.0, 0])
    base = np.array([viewer[0], s.base, viewer[2]])
    if s.arc_deg <= 0:
        middle = base + ahead * s.distance
        feet = [middle - right * s.width / 2, middle + right * s.width / 2]
    else:
        n = max(2, int(np.ceil(s.arc_deg / 6)) + 1)
        angles = np.radians(np.linspace(-s.arc_deg / 2, s.arc_deg / 2, n))
        feet = [base + s.distance * (np.cos(a) * ahead + np.sin(a) * right) for a in angles]
    v = np.array(feet + [f + up * s.height for f in feet])
    m = len(feet)
    loops = [[i, i + 1, m + i + 1, m + i] for i in range(m - 1)]
    return Faces(v, ["front"] if m == 2 else [f"panel{i + 1}" for i in range(m - 1)], loops)


def faces_of(solid: AnySolid) -> Faces:
    """Faces of a solid in world metres."""
    match solid:
        case Ground():
            return _ground(solid)
        case Block():
            return _block(solid)
        case Gable():
            return _gable(solid)
        case Column():
            return _column(solid)
        case Wall():
            return _wall(solid)
        case Flat():
            return _flat(solid)
        case Backdrop():
            return _backdrop(solid)
        case Mesh():
            return Faces(
                np.array(solid.vertices, dtype=np.float64),
                [f.name for f in solid.faces],
                [list(f.loop) for f in solid.faces],
                solid.cutout,
            )


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


def triangles_of(points: Array) -> NDArray[np.int64]:
    """Triangulate a planar loop (N, 3), convex or not; indices (T, 3) with the loop's own winding."""
    count = len(points)
    if count == 3:
        return np.array([[0, 1, 2]])
    n, _ = plane_of(points)
    if not np.any(n):
        return np.zeros((0, 3), dtype=np.int64)
    side = np.cross(n, [0.0, 1.0, 0.0] if abs(n[1]) < 0.9 else [1.0, 0.0, 0.0])
    side /= np.linalg.norm(side)
    flat = np.stack([points @ side, points @ np.cross(n, side)], axis=1)
    index = mapbox_earcut.triangulate_float64(flat, np.array([count], dtype=np.uint32)).reshape(-1, 3)
    out = index.astype(np.int64)
    a, b, c = flat[out[:, 0]], flat[out[:, 1]], flat[out[:, 2]]
    area = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    out[area < 0] = out[area < 0][:, ::-1]
    return out
