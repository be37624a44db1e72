"""A moment of a shot: what everything that looks at the set is given, in place of a frame's number and a view."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from roofline.core.camera import Array, View


@dataclass(frozen=True)
class Pose:
    """Where a piece is: a point X of it, as it stands at rest, goes to ``shift + scale · rotation @ X``; and how
    opaque it is, 0…1."""

    rotation: Array = field(default_factory=lambda: np.eye(3))  # (3, 3)
    shift: Array = field(default_factory=lambda: np.zeros(3))  # metres, (3,)
    scale: float = 1.0
    opacity: float = 1.0

    @staticmethod
    def about(pivot: Array, rotation: Array, offset: Array, scale: float = 1.0, opacity: float = 1.0) -> Pose:
        """Turned and scaled about a pivot (3,), then set off by some metres (3,)."""
        at = np.asarray(pivot, dtype=np.float64)
        return Pose(rotation, at + offset - scale * rotation @ at, scale, opacity)

    def after(self, first: Pose) -> Pose:
        """This pose over another one: what that has moved is moved on."""
        return Pose(
            self.rotation @ first.rotation,
            self.shift + self.scale * self.rotation @ first.shift,
            self.scale * first.scale,
            self.opacity * first.opacity,
        )

    def eye(self, position: Array) -> Array:
        """Where a standpoint (3,) lies as seen from the piece at rest."""
        return np.asarray(self.rotation.T @ (np.asarray(position) - self.shift) / self.scale)


@dataclass(frozen=True)
class Moment:
    """A frame, the view of it, and where the pieces are by then.

    ``poses``: by the id of a solid; those that are not named stand at rest. Plates are always thrown at rest: a piece
    that has moved carries its picture along.
    """

    frame: float
    view: View
    poses: Mapping[str, Pose] = field(default_factory=dict)

    def seen(self, view: View) -> Moment:
        """The same moment in another view."""
        return replace(self, view=view)

    def view_of(self, solid: str) -> View:
        """The view as a piece has it that stands at rest, and carries its picture along."""
        pose = self.poses.get(solid)
        if pose is None:
            return self.view
        return replace(self.view, position=pose.eye(self.view.position), rotation=self.view.rotation @ pose.rotation)

    def resized(self, width: int, height: int) -> Moment:
        """The same moment on another pixel grid of the same aspect."""
        return self.seen(self.view.resized(width, height))

    def across(self, width: int) -> Moment:
        """The same moment at most so many pixels wide, as high as the aspect has it."""
        return self.seen(self.view.across(min(width, self.view.width)))


def spread(moments: Sequence[object], most: int) -> list[int]:
    """Numbers of at most so many moments, evenly spread, the first and the last among them."""
    return sorted({round(i) for i in np.linspace(0, len(moments) - 1, min(most, len(moments)))})


def still(view: View) -> Moment:
    """A view of the set with everything at rest."""
    return Moment(np.nan, view)
