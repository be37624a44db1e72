from __future__ import annotations

from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, field_validator

from roofline.core.camera import Array, View
from roofline.core.massing.kinds.base import SMALLEST, Axis, Drawing, Placing, Solid
from roofline.core.massing.solids import Faces, Meshes
from roofline.errors import MassingError
from roofline.model.base import Positive, Vec2


class Ground(Solid):
    """A rectangle, `centre` (run, return); level, or following a `profile` of (along, rise) over its height."""

    kind: Literal["ground"] = "ground"
    own: ClassVar[frozenset[str]] = frozenset({"size"})
    feet: ClassVar[int | None] = 0
    centre: Vec2 = (0.0, 0.0)
    size: tuple[Positive, Positive] = (200.0, 200.0)
    height: float = 0.0
    profile: Annotated[list[Vec2], Field(max_length=200)] = []
    along: Literal["run", "return"] = "return"

    @field_validator("profile")
    @classmethod
    def _profile(cls, value: list[Vec2]) -> list[Vec2]:
        if len(value) == 1:
            raise ValueError("a ground's profile needs two points or more")
        if any(b[0] < a[0] or (b[0] == a[0] and b[1] == a[1]) for a, b in zip(value, value[1:], strict=False)):
            raise ValueError("a ground's profile runs one way: no point may lie before the one ahead of it")
        return value

    def shape(self, meshes: Meshes) -> Faces:
        (x, z), (w, d) = self.centre, self.size
        if not self.profile:
            y = self.height
            v = [
                [x - w / 2, y, z + d / 2],
                [x + w / 2, y, z + d / 2],
                [x + w / 2, y, z - d / 2],
                [x - w / 2, y, z - d / 2],
            ]
            return Faces(np.array(v), ["top"], [[0, 1, 2, 3]])
        along = [p[0] for p in self.profile]
        up = [self.height + p[1] for p in self.profile]
        if self.along == "run":
            rows = [[[x + a, y, z + d / 2], [x + a, y, z - d / 2]] for a, y in zip(along, up, strict=True)]
        else:
            rows = [[[x - w / 2, y, z + a], [x + w / 2, y, z + a]] for a, y in zip(along, up, strict=True)]
        n = len(rows)
        loops = [[2 * i, 2 * i + 2, 2 * i + 3, 2 * i + 1] for i in range(n - 1)]
        return Faces(np.array(rows, float).reshape(-1, 3), [f"strip{i + 1}" for i in range(n - 1)], loops)

    def level(self, run: float, back: float) -> float:
        """Its rise at a place; beyond its profile that of its nearest end."""
        if not self.profile:
            return self.height
        at = run - self.centre[0] if self.along == "run" else back - self.centre[1]
        along, up = zip(*self.profile, strict=True)
        return self.height + float(np.interp(at, along, up))

    def placed(self, to: Placing) -> Self:
        if to.turn_deg:
            raise MassingError(f"{self.name} lies along Run and Return: a ground is not turned.")
        return self.with_(
            centre=to.p2(self.centre),
            height=to.y(self.height),
            size=to.by(self.size),
            profile=[to.by(p) for p in self.profile],
        )

    def mirrored(self, at: float) -> Self:
        return self.mirrored_along("run", at)

    def mirrored_along(self, axis: Axis, at: float) -> Self:
        k = 0 if axis == "run" else 1
        centre = list(self.centre)
        centre[k] = 2 * at - centre[k]
        profile = self.profile
        if self.along == axis:
            profile = [(-p[0], p[1]) for p in reversed(profile)]
        return self.with_(centre=tuple(centre), profile=profile)

    def pulled(self, corner: int, start: Array, axis: Axis, by: float) -> Self:
        if axis == "rise":
            return self.with_(height=self.height + by)
        i = 0 if axis == "run" else 1
        if self.profile and self.along == axis:
            raise MassingError("That side follows the ground's profile: change its figures.")
        sign = float(np.sign(start[0 if i == 0 else 2] - self.centre[i]))
        size, centre = list(self.size), list(self.centre)
        grown = max(size[i] + sign * by, SMALLEST) - size[i]
        size[i] += grown
        centre[i] += sign * grown / 2
        return self.with_(size=tuple(size), centre=tuple(centre))

    def shoved(self, face: str, normal: Array, by: float) -> Self:
        if self.profile:
            return super().shoved(face, normal, by)
        return self.with_(height=self.height + by)

    @classmethod
    def drawn(cls, d: Drawing) -> Self:
        return cls.through(d.view, *d.called("ground"))

    @classmethod
    def through(cls, view: View, ident: str, name: str) -> Self:
        """A ground around what the camera sees, 400 m wide."""
        ahead = view.rotation[2]
        centre = (float(view.position[0] + 100 * ahead[0]), float(view.position[2] + 100 * ahead[2]))
        return cls(id=ident, name=name, centre=centre, size=(400.0, 400.0))
