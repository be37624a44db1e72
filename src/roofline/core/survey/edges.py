"""Edges as arrays, and their residuals against vanishing directions."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from roofline.core.camera import Array, straighten
from roofline.shot import FAMILIES, Edge


@dataclass(frozen=True)
class EdgeSet:
    """All points of all edges in one array, with the edge each belongs to."""

    points: Array  # (P, 2) pixels as taken
    owner: np.ndarray  # (P,) index of the edge
    family: np.ndarray  # (E,) 0 run, 1 return, 2 rise, −1 none

    @classmethod
    def of(cls, edges: list[Edge]) -> EdgeSet:
        points = [np.array(e.points, dtype=np.float64) for e in edges]
        owner = np.repeat(np.arange(len(edges)), [len(p) for p in points])
        family = np.array([FAMILIES.index(e.family) if e.family else -1 for e in edges], dtype=np.int64)
        return cls(np.concatenate(points) if points else np.zeros((0, 2)), owner, family)

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


def residuals(edges: EdgeSet, points: Array, vanishing: Array) -> Array:
    """Signed distances (P,) in pixels from each point to the best line of its edge through its vanishing point.

    ``vanishing`` is (3, 3): homogeneous pixels of run, return, rise as rows, at infinity as well. The line's angle
    about the vanishing point is eliminated in closed form, to first order in the distance (variable projection;
    Golub and Pereyra 1973), so the edge's true position is a free nuisance and nothing is lost against the
    statistical limit. Edges without family are measured against their own best line.
    """
    middle, free, _ = fitted_lines(edges, points)
    own = edges.family >= 0
    v = vanishing[np.where(own, edges.family, 0)]
    towards = v[:, :2] - middle * v[:, 2:]
    size = np.linalg.norm(towards, axis=1)
    safe = np.where(size > 1e-300, size, 1.0)
    e = np.where((own & (size > 1e-300))[:, None], towards / safe[:, None], free)
    nearness = np.where(own, v[:, 2] / safe, 0.0)  # one over the signed distance to the vanishing point
    d = points - middle[edges.owner]
    eo = e[edges.owner]
    along = d[:, 0] * eo[:, 0] + d[:, 1] * eo[:, 1]
    across = d[:, 1] * eo[:, 0] - d[:, 0] * eo[:, 1]
    s_ab, s_aa = edges.total(along * across), edges.total(along * along)
    turn = s_ab * nearness / (edges.counts + nearness**2 * s_aa)
    return across - turn[edges.owner] * (nearness[edges.owner] * along - 1)
