from __future__ import annotations

from typing import ClassVar, Literal, Self

import numpy as np
from pydantic import field_validator

from roofline.core.camera import Array, View
from roofline.core.massing.kinds.base import SMALLEST, Axis, Drawing, Placing, Point, Solid, foot, vec3
from roofline.core.massing.solids import Faces, Meshes, heading
from roofline.errors import MassingError
from roofline.model.base import Vec3, Vec4


class Flat(Solid):
    """An upright cut-out: a rectangle through `foot`, square to `heading_deg`; its plate's matte shapes it.

    `extent` is (left, right, bottom, top) in metres from the foot, in the plane of the flat. `passes`: the rise, in
    metres, of a ground that hides nothing of what lies below it: that is drawn before the ground, as the photo has it.
    """

    kind: Literal["flat"] = "flat"
    own: ClassVar[frozenset[str]] = frozenset({"foot", "heading_deg", "extent"})
    can_fade: ClassVar[bool] = True
    feet: ClassVar[int | None] = 1
    foot: Vec3
    heading_deg: float
    extent: Vec4
    passes: float | None = None

    @field_validator("extent")
    @classmethod
    def _extent(cls, value: Vec4) -> Vec4:
        if value[1] <= value[0] or value[3] <= value[2]:
            raise ValueError("a flat needs a width and a height above zero")
        return value

    def shape(self, meshes: Meshes) -> Faces:
        _, right = heading(self.heading_deg)
        left, rt, bottom, top = self.extent
        up = np.array([0, 1.0, 0])
        at = np.array(self.foot)
        if self.passes is None or self.foot[1] + bottom >= self.passes:
            v = [right * x + up * y for x, y in ((left, bottom), (rt, bottom), (rt, top), (left, top))]
            return Faces(np.array(v) + at, ["front"], [[0, 1, 2, 3]], cutout=True)
        level = min(self.passes - self.foot[1], top)
        rows = (bottom, level, top) if level < top else (bottom, top)
        v = [right * x + up * y for y in rows for x in (left, rt)]
        loops = [[2 * i, 2 * i + 1, 2 * i + 3, 2 * i + 2] for i in range(len(rows) - 1)]
        return Faces(np.array(v) + at, ["below", "front"][: len(loops)], loops, True, {"below": self.passes})

    def placed(self, to: Placing) -> Self:
        turn = self.heading_deg - to.turn_deg
        return self.with_(foot=to.p3(self.foot), extent=to.by(self.extent), heading_deg=turn)

    def mirrored(self, at: float) -> Self:
        left, right, bottom, top = self.extent
        x, y, z = self.foot
        return self.with_(foot=(2 * at - x, y, z), heading_deg=-self.heading_deg, extent=(-right, -left, bottom, top))

    def own_axis(self, axis: Axis) -> Array:
        return super().own_axis(axis) if axis == "rise" else heading(self.heading_deg)[1]

    def pulled(self, corner: int, start: Array, axis: Axis, by: float) -> Self:
        left, right, bottom, top = self.extent
        if axis == "rise":
            if start[1] - self.foot[1] > 0.5 * (bottom + top):
                top = max(top + by, bottom + SMALLEST)
            else:
                bottom = min(bottom + by, top - SMALLEST)
        elif float((start - np.array(self.foot)) @ self.own_axis(axis)) > 0.5 * (left + right):
            right = max(right + by, left + SMALLEST)
        else:
            left = min(left + by, right - SMALLEST)
        return self.with_(extent=(left, right, bottom, top))

    @classmethod
    def drawn(cls, d: Drawing) -> Self:
        if d.canvas is None:
            raise MassingError("A flat shows a plate of its own: outline the foreground in Plates first.")
        return cls.through(d.view, *d.called("flat"), d.points[0], d.canvas, d.level)

    @classmethod
    def through(
        cls, view: View, ident: str, name: str, at: Point, canvas: tuple[float, float, float, float], level: float = 0.0
    ) -> Self:
        """An upright flat at a foot point, square to the view's heading, that shows all of a plate's canvas."""
        base = foot(view, at, level)
        ahead = view.rotation[2]
        turn = float(np.degrees(np.arctan2(ahead[0], -ahead[2])))
        out, right = heading(turn)
        x0, y0, w, h = canvas
        spots = []
        for pixel in ((x0, y0), (x0 + w, y0), (x0 + w, y0 + h), (x0, y0 + h)):
            ray = view.rays(np.array(pixel))
            along = float(ray @ out)
            if along <= 1e-6:
                raise MassingError("The plate reaches too far up or down for an upright flat there.")
            spot = view.position + ray * (float((base - view.position) @ out) / along) - base
            spots.append((float(spot @ right), float(spot[1])))
        s = np.array(spots)
        extent = (float(s[:, 0].min()), float(s[:, 0].max()), float(s[:, 1].min()), float(s[:, 1].max()))
        return cls(id=ident, name=name, foot=vec3(base), heading_deg=turn, extent=extent)
