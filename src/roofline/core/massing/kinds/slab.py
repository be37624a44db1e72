from __future__ import annotations

import math
from collections.abc import Callable
from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, field_validator
from shapely import LinearRing

from roofline.core.camera import Array, View
from roofline.core.massing.kinds.base import SMALLEST, Axis, Drawing, Placing, Point, Solid, foot, pulled_height
from roofline.core.massing.solids import NO_MESHES, Faces, Meshes
from roofline.errors import MassingError
from roofline.model.base import Positive, Vec2
from roofline.model.massing import SolidBase

SAME = 1e-6  # metres: corners as near as this are one
NEW_THICKNESS = 0.2  # metres, until it has been pulled


class Slab(Solid):
    """A level plate of any outline (run, return): its top at `level`, `thickness` below it. A ceiling is one seen
    from below."""

    kind: Literal["slab"] = "slab"
    own: ClassVar[frozenset[str]] = frozenset({"outline", "level", "thickness"})
    feet: ClassVar[int | None] = 3
    outline: Annotated[list[Vec2], Field(min_length=3, max_length=400)]
    level: float
    thickness: Positive

    @field_validator("outline")
    @classmethod
    def _outline(cls, value: list[Vec2]) -> list[Vec2]:
        apart = [p for p, after in zip(value, [*value[1:], value[0]], strict=True) if math.dist(p, after) > SAME]
        value = apart if len(apart) >= 3 else value
        if abs(_area(value)) < 1e-9:
            raise ValueError("a slab's outline must enclose an area")
        return value

    def amiss(self) -> str | None:
        return None if LinearRing(self.outline).is_simple else "has an outline that crosses itself."

    def shape(self, meshes: Meshes) -> Faces:
        outline = list(self.outline)
        if (
            _area(outline) > 0
        ):  # run × return points down: counter-clockwise from above runs the other way in (run, return)
            outline.reverse()
        n = len(outline)
        v = [[x, self.level - self.thickness, z] for x, z in outline] + [[x, self.level, z] for x, z in outline]
        loops = [[i, (i + 1) % n, n + (i + 1) % n, n + i] for i in range(n)]
        loops += [[n + i for i in range(n)], list(range(n))[::-1]]
        return Faces(np.array(v), [f"side{i + 1}" for i in range(n)] + ["top", "base"], loops)

    def placed(self, to: Placing) -> Self:
        outline = [to.p2(p) for p in self.outline]
        return self.with_(outline=outline, level=to.y(self.level), thickness=self.thickness * to.scale)

    def mirrored(self, at: float) -> Self:
        return self.with_(outline=[(2 * at - x, z) for x, z in reversed(self.outline)])

    def pulled(self, corner: int, start: Array, axis: Axis, by: float) -> Self:
        if axis == "rise":
            return self._face("top" if start[1] > self.level - self.thickness / 2 else "base", by)
        direction = self.own_axis(axis)
        away = [float(np.hypot(p[0] - start[0], p[1] - start[2])) for p in self.outline]
        outline = list(self.outline)
        k = int(np.argmin(away))
        outline[k] = (float(outline[k][0] + by * direction[0]), float(outline[k][1] + by * direction[2]))
        return self.with_(outline=outline)

    def _face(self, face: str, by: float) -> Self:
        """Its top or underside moved up by some metres."""
        if face == "top":
            by = max(by, SMALLEST - self.thickness)
            return self.with_(level=self.level + by, thickness=self.thickness + by)
        return self.with_(thickness=max(self.thickness - by, SMALLEST))

    def shoved(self, face: str, normal: Array, by: float) -> Self:
        if face in ("top", "base"):
            return self._face(face, by if face == "top" else -by)
        faces = self.shape(NO_MESHES)
        loop = faces.loops[faces.names.index(face)]
        ends = {(round(float(faces.vertices[i][0]), 9), round(float(faces.vertices[i][2]), 9)) for i in loop}
        outline = [
            (x + by * float(normal[0]), z + by * float(normal[2])) if (round(x, 9), round(z, 9)) in ends else (x, z)
            for x, z in self.outline
        ]
        return self.with_(outline=outline)

    def measures(self) -> tuple[Array, Callable[[Array], SolidBase]]:
        foot_level = self.level - self.thickness

        def made(m: Array) -> SolidBase:
            thick = float(max(m[-1], 1e-3))
            points = [(float(a), float(b)) for a, b in m[:-1].reshape(-1, 2)]
            return self.with_(outline=points, thickness=thick, level=foot_level + thick)

        return np.r_[np.array(self.outline).ravel(), self.thickness], made

    @classmethod
    def drawn(cls, d: Drawing) -> Self:
        return cls.through(d.view, *d.called("slab"), d.points, d.top, d.level)

    @classmethod
    def through(
        cls, view: View, ident: str, name: str, points: list[Point], top: Point | None, level: float = 0.0
    ) -> Self:
        """A slab whose underside has its corners at pixels on a level; `top` shows its upper side over the last one."""
        spots = [foot(view, p, level) for p in points]
        if len(spots) < 3:
            raise MassingError("A slab needs three corners or more: click them one after another.")
        thickness = pulled_height(view, spots[-1], top, NEW_THICKNESS)
        outline = [(float(s[0]), float(s[2])) for s in spots]
        return cls(id=ident, name=name, outline=outline, level=level + thickness, thickness=thickness)


def _area(outline: list[Vec2]) -> float:
    return sum(a[0] * b[1] - b[0] * a[1] for a, b in zip(outline, [*outline[1:], outline[0]], strict=True)) / 2
