from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import Field

from roofline.core.camera import Array, View
from roofline.core.massing.kinds.base import (
    NEW_HEIGHT,
    SMALLEST,
    Axis,
    OnFeet,
    Placing,
    Point,
    foot,
    pulled_height,
)
from roofline.core.massing.solids import Faces, Meshes
from roofline.errors import MassingError
from roofline.model.base import Positive, Vec3
from roofline.model.massing import SolidBase


class Column(OnFeet):
    """An upright n-sided column, tapered when the radii differ."""

    kind: Literal["column"] = "column"
    own: ClassVar[frozenset[str]] = frozenset({"foot", "radius_foot", "radius_top", "height"})
    foot: Vec3
    radius_foot: Positive
    radius_top: Positive
    height: Positive
    sides: Annotated[int, Field(ge=3, le=128)] = 24
    turn_deg: float = 0.0

    def shape(self, meshes: Meshes) -> Faces:
        n = self.sides
        a = np.arange(n) * 2 * np.pi / n + np.radians(self.turn_deg)
        ring = np.stack([np.sin(a), np.zeros(n), np.cos(a)], axis=1)
        low, high = ring * self.radius_foot, ring * self.radius_top + np.array([0, self.height, 0])
        loops = [[i, (i + 1) % n, n + (i + 1) % n, n + i] for i in range(n)]
        loops += [[n + i for i in range(n)], list(range(n))[::-1]]
        names = [f"side{i + 1}" for i in range(n)] + ["top", "base"]
        return Faces(np.concatenate([low, high]) + np.array(self.foot), names, loops)

    def placed(self, to: Placing) -> Self:
        return self.with_(
            foot=to.p3(self.foot),
            radius_foot=self.radius_foot * to.scale,
            radius_top=self.radius_top * to.scale,
            height=self.height * to.scale,
            turn_deg=self.turn_deg + to.turn_deg,
        )

    def mirrored(self, at: float) -> Self:
        x, y, z = self.foot
        return self.with_(foot=(2 * at - x, y, z), turn_deg=-self.turn_deg)

    def pulled(self, corner: int, start: Array, axis: Axis, by: float) -> Self:
        if axis == "rise":
            return self.with_(height=max(self.height + by, SMALLEST))
        away = start - np.array(self.foot)
        which = "radius_foot" if away[1] < self.height / 2 else "radius_top"
        grown = by * float(np.sign(away @ self.own_axis(axis)) or 1.0)
        return self.with_(**{which: max(getattr(self, which) + grown, SMALLEST)})

    def shoved(self, face: str, normal: Array, by: float) -> Self:
        side = face.rstrip("0123456789")
        if side == "top":
            return self.with_(height=max(self.height + by, SMALLEST))
        if side == "side":
            grown = max(by, SMALLEST - min(self.radius_foot, self.radius_top))
            return self.with_(radius_foot=self.radius_foot + grown, radius_top=self.radius_top + grown)
        return super().shoved(face, normal, by)

    def measures(self) -> tuple[Array, Callable[[Array], SolidBase]]:
        raise MassingError("A column's outline is no edge of it: set its foot and radius by hand.")

    @classmethod
    def through(
        cls,
        view: View,
        ident: str,
        name: str,
        left: Point,
        right: Point,
        top: Point | None,
        level: float = 0.0,
        sides: int = 24,
    ) -> Self:
        """A round column, from the left and the right border of its foot as the picture shows them, and its height.

        The two pixels' rays touch the foot's circle, so its middle lies between them, at the mean of their distances.
        """
        p, q = foot(view, left, level), foot(view, right, level)
        eye = view.position * [1, 0, 1] + [0, level, 0]
        to_p, to_q = p - eye, q - eye
        far = 0.5 * float(np.linalg.norm(to_p) + np.linalg.norm(to_q))
        u, v = to_p / np.linalg.norm(to_p), to_q / np.linalg.norm(to_q)
        middle = (u + v) / np.linalg.norm(u + v)
        half = float(np.arccos(np.clip(u @ middle, -1, 1)))
        radius = far * float(np.tan(half))
        if radius < SMALLEST / 2:
            raise MassingError("The foot of a column needs a width: drag across it from side to side.")
        centre = eye + middle * far / np.cos(half)
        return cls(
            id=ident,
            name=name,
            foot=(float(centre[0]), level, float(centre[2])),
            radius_foot=radius,
            radius_top=radius,
            height=pulled_height(view, centre, top, NEW_HEIGHT),
            sides=sides,
        )
