"""What a survey estimates: lenses, standpoints, directions and shared points."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np

from roofline.core.camera import Array


@dataclass
class Lens:
    log_f: float
    centre: Array  # (2,)
    bend: Array  # (5,)

    @property
    def focal(self) -> float:
        return float(np.exp(self.log_f))

    @property
    def matrix(self) -> Array:
        f, (cx, cy) = self.focal, self.centre
        return np.array([[f, 0, cx], [0, f, cy], [0, 0, 1.0]])

    def nudged(self, kind: str, k: int, by: float) -> Lens:
        """The lens with its log focal length, or entry k of its centre or bending, moved a little."""
        if kind == "focal":
            return replace(self, log_f=self.log_f + by)
        values = (self.centre if kind == "centre" else self.bend).copy()
        values[k] += by
        return replace(self, centre=values) if kind == "centre" else replace(self, bend=values)


@dataclass
class State:
    """An estimate: rotations (3, 3), positions (3,) and the lens of every photo, and the tied points (T, 3).

    ``heading``: the angle of every photo's second run, in radians from run away from the viewer; none yet where empty.
    """

    rotation: list[Array]
    position: list[Array]
    lens: list[Lens]
    points: Array = field(default_factory=lambda: np.zeros((0, 3)))
    heading: list[float] = field(default_factory=list)


@dataclass(frozen=True)
class TiedPoint:
    """A point seen in photos (by number, as pixels as taken), on a plane n·x = d of the first photo's units to within
    a sigma of them, or far."""

    seen: dict[int, tuple[float, float]]
    plane: tuple[Array, float] | None = None
    sigma: float = 1e-4
    far: bool = False  # only its direction counts: all its photos were taken from one standpoint

    def held(self, t: int, state: State, step: Array) -> Array:
        """(1,) sigmas by which point t of a state is off what it lies on; how far a far one is, is not asked."""
        if self.far:
            return np.array([(np.linalg.norm(state.points[t]) - 1) / 1e-3])
        assert self.plane is not None
        normal, offset = self.plane
        return np.array([(normal @ state.points[t] - offset) / self.sigma])


@dataclass
class Block:
    """Some residuals, the parameters that they depend on, and which observation each belongs to (−1: a prior)."""

    value: Callable[[State, Array], Array]
    depends: set[str]
    owner: Array
