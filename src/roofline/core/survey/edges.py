"""Edges as arrays, and their residuals against vanishing directions."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numba import njit

from roofline.core.camera import Array, straighten
from roofline.model.base import EDGE_FAMILIES
from roofline.model.survey import Edge


@dataclass(frozen=True)
class EdgeSet:
    """All points of all edges in one array, with the edge each belongs to."""

    points: Array  # (P, 2) pixels as taken
    owner: np.ndarray  # (P,) index of the edge
    family: np.ndarray  # (E,) 0 run, 1 return, 2 rise, 3 second run, −1 none

    @classmethod
    def of(cls, edges: list[Edge]) -> EdgeSet:
        points = [np.array(e.points, dtype=np.float64) for e in edges]
        owner = np.repeat(np.arange(len(edges)), [len(p) for p in points])
        family = np.array([EDGE_FAMILIES.index(e.family) if e.family else -1 for e in edges], dtype=np.int64)
        return cls(np.concatenate(points) if points else np.zeros((0, 2)), owner, family)

    @cached_property
    def first(self) -> np.ndarray:
        """Where each edge's points begin, (E + 1,)."""
        return np.concatenate([[0], np.cumsum(np.bincount(self.owner, minlength=len(self.family)))]).astype(np.int64)

    @cached_property
    def counts(self) -> Array:
        return np.bincount(self.owner, minlength=len(self.family)).astype(np.float64)

    def mean(self, values: Array) -> Array:
        """Mean over each edge's points, (E,)."""
        return np.bincount(self.owner, values, minlength=len(self.family)) / self.counts

    def total(self, values: Array) -> Array:
        """Sum over each edge's points, (E,)."""
        return np.bincount(self.owner, values, minlength=len(self.family))  # type: ignore[return-value]

    def straightened(self, focal: float, centre: Array, lens: Array) -> Array:
        """Points in the straightened picture, (P, 2) pixels."""
        if not np.any(lens):
            return self.points
        return straighten((self.points - centre) / focal, lens) * focal + centre

    def middles(self, points: Array) -> Array:
        """Middle of each edge, (E, 2)."""
        return np.stack([self.mean(points[:, 0]), self.mean(points[:, 1])], axis=1)


def fitted_lines(edges: EdgeSet, points: Array) -> tuple[Array, Array, Array]:
    """Total least squares line of each edge: middle (E, 2), unit direction (E, 2), length (E,) in pixels."""
    middle = edges.middles(points)
    d = points - middle[edges.owner]
    sxx, syy, sxy = edges.total(d[:, 0] ** 2), edges.total(d[:, 1] ** 2), edges.total(d[:, 0] * d[:, 1])
    angle = 0.5 * np.arctan2(2 * sxy, sxx - syy)
    direction = np.stack([np.cos(angle), np.sin(angle)], axis=1)
    along = (d * direction[edges.owner]).sum(1)
    length = np.zeros(len(edges.family))
    np.maximum.at(length, edges.owner, np.abs(along))
    return middle, direction, 2 * length


@njit(cache=True, error_model="numpy", inline="always")
def _bent(x, y, lens):  # type: ignore[no-untyped-def]
    """`camera.bend` of one normalised point, and the entries xx, xy, yy of its derivative."""
    k1, k2, p1, p2, k3 = lens[0], lens[1], lens[2], lens[3], lens[4]
    r2 = x * x + y * y
    radial = 1 + r2 * (k1 + r2 * (k2 + r2 * k3))
    slope = k1 + r2 * (2 * k2 + 3 * r2 * k3)
    return (
        x * radial + 2 * p1 * x * y + p2 * (r2 + 2 * x * x),
        y * radial + p1 * (r2 + 2 * y * y) + 2 * p2 * x * y,
        radial + 2 * x * x * slope + 2 * p1 * y + 6 * p2 * x,
        2 * x * y * slope + 2 * p1 * x + 2 * p2 * y,
        radial + 2 * y * y * slope + 6 * p1 * y + 2 * p2 * x,
    )


@njit(cache=True, error_model="numpy")
def _distances(taken, first, family, focal, cx, cy, lens, vanishing):  # type: ignore[no-untyped-def]
    out = np.empty(len(taken))
    bends = False
    for v in lens:
        bends = bends or v != 0
    xs, ys, scale = np.empty(len(taken)), np.empty(len(taken)), np.ones((len(taken), 3))
    for n in range(len(taken)):
        x, y = taken[n, 0], taken[n, 1]
        if bends:
            u, v = (x - cx) / focal, (y - cy) / focal
            a, b = u, v
            for _ in range(30):
                bx, by, xx, xy, yy = _bent(a, b, lens)
                ex, ey = bx - u, by - v
                det = xx * yy - xy * xy
                if abs(det) < 1e-6:
                    det = 1e-6
                da, db = (yy * ex - xy * ey) / det, (xx * ey - xy * ex) / det
                a, b = a - da, b - db
                if abs(da) + abs(db) < 1e-13:
                    break
            _, _, scale[n, 0], scale[n, 1], scale[n, 2] = _bent(a, b, lens)
            x, y = a * focal + cx, b * focal + cy
        xs[n], ys[n] = x, y
    for e in range(len(family)):
        i, j = first[e], first[e + 1]
        count = float(j - i)
        mx, my = 0.0, 0.0
        for n in range(i, j):
            mx += xs[n] / count
            my += ys[n] / count
        dx, dy, nearness = 0.0, 0.0, 0.0
        if family[e] >= 0:
            vx, vy, vw = vanishing[family[e], 0], vanishing[family[e], 1], vanishing[family[e], 2]
            dx, dy = vx - mx * vw, vy - my * vw
            size = np.sqrt(dx * dx + dy * dy)
            if size > 1e-300:
                dx, dy, nearness = dx / size, dy / size, vw / size
        if dx == 0 and dy == 0:
            sxx, syy, sxy = 0.0, 0.0, 0.0
            for n in range(i, j):
                sxx += (xs[n] - mx) ** 2
                syy += (ys[n] - my) ** 2
                sxy += (xs[n] - mx) * (ys[n] - my)
            angle = 0.5 * np.arctan2(2 * sxy, sxx - syy)
            dx, dy = np.cos(angle), np.sin(angle)
        s_ab, s_aa = 0.0, 0.0
        for n in range(i, j):
            along = (xs[n] - mx) * dx + (ys[n] - my) * dy
            across = (ys[n] - my) * dx - (xs[n] - mx) * dy
            s_ab += along * across
            s_aa += along * along
        turn = s_ab * nearness / (count + nearness * nearness * s_aa)
        for n in range(i, j):
            along = (xs[n] - mx) * dx + (ys[n] - my) * dy
            across = (ys[n] - my) * dx - (xs[n] - mx) * dy
            r = across - turn * (nearness * along - 1)
            if bends:
                xx, xy, yy = scale[n, 0], scale[n, 1], scale[n, 2]
                r *= abs(xx * yy - xy * xy) / max(np.hypot(xx * dx + xy * dy, xy * dx + yy * dy), 1e-12)
            out[n] = r
    return out


@njit(cache=True, error_model="numpy")
def seen_pixel(rotation, point, focal, cx, cy, lens):  # type: ignore[no-untyped-def]
    """Pixel (2,) as taken of a point (3,) given from the standpoint; behind the camera it is drawn far outside."""
    out = np.empty(2)
    x = rotation[0, 0] * point[0] + rotation[0, 1] * point[1] + rotation[0, 2] * point[2]
    y = rotation[1, 0] * point[0] + rotation[1, 1] * point[1] + rotation[1, 2] * point[2]
    z = max(rotation[2, 0] * point[0] + rotation[2, 1] * point[1] + rotation[2, 2] * point[2], 1e-9)
    u, v, _, _, _ = _bent(x / z, y / z, lens)
    out[0], out[1] = u * focal + cx, v * focal + cy
    return out


def residuals(edges: EdgeSet, focal: float, centre: Array, lens: Array, vanishing: Array) -> Array:
    """Signed distances (P,) in pixels as taken from each point to the best line of its edge through its vanishing
    point.

    ``vanishing`` is (4, 3): homogeneous pixels of run, return, rise and the second run as rows, at infinity as well.
    The points are straightened first. The line's angle about the vanishing point is eliminated in closed form, to first
    order in the distance (variable projection; Golub and Pereyra 1973), so the edge's true position is a free nuisance
    and nothing is lost against the statistical limit. Edges without family are measured against their own best line.

    The noise is in the picture as taken; near the border of a strong lens a distance there and in the straightened
    picture differ by a third. An area scales by the determinant of the bending, the line by the length of its bent
    direction, the distance by what is left.
    """
    lens = np.ascontiguousarray(lens, dtype=np.float64)
    v = np.ascontiguousarray(vanishing)
    cx, cy = float(centre[0]), float(centre[1])
    return np.asarray(_distances(edges.points, edges.first, edges.family, focal, cx, cy, lens, v))
