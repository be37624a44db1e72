"""What a survey estimates: lenses, standpoints, directions and shared points."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

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


@dataclass
class State:
    """An estimate: rotations (3, 3), positions (3,) and the lens of every photo, and the tied points (T, 3)."""

    rotation: list[Array]
    position: list[Array]
    lens: list[Lens]
    points: Array = field(default_factory=lambda: np.zeros((0, 3)))


@dataclass(frozen=True)
class TiedPoint:
    """A point seen in photos (by number, as pixels as taken), on a plane n·x = d of the first photo's units, or far."""

    seen: dict[int, tuple[float, float]]
    plane: tuple[Array, float] | None = None
    far: bool = False  # only its direction counts: all its photos were taken from one standpoint


@dataclass
class Block:
    """Some residuals, the parameters that they depend on, and which observation each belongs to (−1: a prior)."""

    value: Callable[[State, Array], Array]
    depends: set[str]
    owner: Array
