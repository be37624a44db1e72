from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, field_validator

from roofline.core.camera import Array, View
from roofline.core.massing.kinds.base import Axis, Drawing, Placing, Point, Solid, vec3
from roofline.core.massing.planes import plane_of, spot_on
from roofline.core.massing.solids import Faces, Meshes
from roofline.errors import MassingError
from roofline.model.base import Vec3
from roofline.model.massing import SolidBase


class Panel(Solid):
    """A polygon on any plane, counter-clockwise seen from its front."""

    kind: Literal["panel"] = "panel"
    own: ClassVar[frozenset[str]] = frozenset({"points"})
    points: Annotated[list[Vec3], Field(min_length=3, max_length=400)]

    @field_validator("points")
    @classmethod
    def _flat(cls, value: list[Vec3]) -> list[Vec3]:
        n = [0.0, 0.0, 0.0]
        for a, b in zip(value, [*value[1:], value[0]], strict=True):
            n = [n[0] + a[1] * b[2] - a[2] * b[1], n[1] + a[2] * b[0] - a[0] * b[2], n[2] + a[0] * b[1] - a[1] * b[0]]
        size = sum(v * v for v in n) ** 0.5
        if size < 1e-9:
            raise ValueError("a panel must enclose an area")
        middle = [sum(p[k] for p in value) / len(value) for k in range(3)]
        off = max(abs(sum(n[k] / size * (p[k] - middle[k]) for k in range(3))) for p in value)
        if off > 1e-6 * (1 + size**0.5):
            raise ValueError("a panel's points must lie on one plane")
        return value

    def shape(self, meshes: Meshes) -> Faces:
        return Faces(np.array(self.points, dtype=np.float64), ["front"], [list(range(len(self.points)))])

    def placed(self, to: Placing) -> Self:
        return self.with_(points=[to.p3(p) for p in self.points])

    def mirrored(self, at: float) -> Self:
        return self.with_(points=[(2 * at - x, y, z) for x, y, z in reversed(self.points)])

    def pulled(self, corner: int, start: Array, axis: Axis, by: float) -> Self:
        direction = self.own_axis(axis)
        normal, _ = plane_of(np.array(self.points))
        inside = direction - (direction @ normal) * normal  # a corner stays on the panel's plane
        if np.linalg.norm(inside) < 1e-6:
            return self.moved(by * direction)
        points = list(self.points)
        points[corner] = vec3(np.array(points[corner]) + by * inside / float(inside @ direction))
        return self.with_(points=points)

    def measures(self) -> tuple[Array, Callable[[Array], SolidBase]]:
        p = np.array(self.points)
        normal, _ = plane_of(p)
        side = np.cross(normal, [0, 1.0, 0] if abs(normal[1]) < 0.9 else [1.0, 0, 0])
        side /= np.linalg.norm(side)
        up = np.cross(normal, side)

        def made(m: Array) -> SolidBase:
            at = p[0] + m.reshape(-1, 2) @ np.stack([side, up])
            return self.with_(points=[vec3(v) for v in at])

        return ((p - p[0]) @ np.stack([side, up], axis=1)).ravel(), made

    @classmethod
    def drawn(cls, d: Drawing) -> Self:
        assert d.plane is not None
        return cls.through(d.view, *d.called("panel"), d.pixels, d.plane())

    @classmethod
    def through(cls, view: View, ident: str, name: str, points: list[Point], plane: tuple[Array, float]) -> Self:
        """A polygon whose corners are where pixels' rays meet a plane n·x = d, with its front towards the camera."""
        spots = []
        for pixel in points:
            spot = spot_on(view, pixel, plane)
            if spot is None:
                raise MassingError("That corner does not lie on the panel's plane as the camera sees it.")
            spots.append(spot)
        if len(spots) < 3:
            raise MassingError("A panel needs three corners or more: click them one after another.")
        p = np.array(spots)
        front = plane_of(p)[0]
        if not np.any(front):
            raise MassingError("These corners enclose no area: click them farther apart, and not all on one line.")
        if front @ (view.position - p[0]) < 0:
            p = p[::-1]
        return cls(id=ident, name=name, points=[vec3(v) for v in p])
