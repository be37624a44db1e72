from __future__ import annotations

from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field

from roofline.core.camera import Array, View
from roofline.core.massing.kinds.base import Boxed, Drawing, Placing, Point, pulled_height
from roofline.core.massing.kinds.block import Block
from roofline.core.massing.kinds.room import Room
from roofline.core.massing.solids import Faces, Meshes, turned
from roofline.errors import MassingError


class Gable(Boxed):
    """A ridged roof on the rectangle of a block: `size` is that rectangle and the ridge's height over the eaves.

    `overhang` is how far the slopes reach out beyond the rectangle; `hip` how far the ridge's ends stand in from it
    (0: upright ends; half the length: a tent).
    """

    kind: Literal["gable"] = "gable"
    ridge: Literal["run", "return"] = "run"
    turn_deg: float = 0.0
    overhang: Annotated[float, Field(ge=0)] = 0.0
    hip: Annotated[float, Field(ge=0)] = 0.0

    def shape(self, meshes: Meshes) -> Faces:
        """A ridge along run; one along return is the same, turned by a quarter."""
        w, h, d = self.size
        if self.ridge == "return":
            lengthways = _ridged(d, h, w, self.overhang, self.hip)
            v = np.stack([lengthways[0][:, 2], lengthways[0][:, 1], lengthways[0][:, 0]], axis=1)
            other = {"front": "right", "back": "left", "left": "back", "right": "front", "base": "base"}
            names, loops = [other[n] for n in lengthways[1]], [loop[::-1] for loop in lengthways[2]]
        else:
            v, names, loops = _ridged(w, h, d, self.overhang, self.hip)
        return Faces(turned(v, self.corner, self.turn_deg), names, loops)

    def placed(self, to: Placing) -> Self:
        return super().placed(to).with_(overhang=self.overhang * to.scale, hip=self.hip * to.scale)

    def shoved(self, face: str, normal: Array, by: float) -> Self:
        if abs(normal[1]) > 0.99:
            return self.moved(by * normal)
        return super().shoved(face, normal, by)

    @classmethod
    def drawn(cls, d: Drawing) -> Self:
        if d.on is None:
            raise MassingError("Choose the piece that is built on first.")
        if not isinstance(d.on, Block | Room):
            raise MassingError("A roof stands on a block: click one.")
        return cls.through(d.view, *d.called("gable"), d.on, d.top)

    @classmethod
    def through(cls, view: View, ident: str, name: str, on: Block | Room, top: Point | None) -> Self:
        """A roof on a block, its ridge along the longer side; `top` shows the ridge's height over one of its ends."""
        w, h, d = on.size
        ridge: Literal["run", "return"] = "run" if w >= d else "return"
        ends = [(0.0, h, d / 2), (w, h, d / 2)] if ridge == "run" else [(w / 2, h, d), (w / 2, h, 0.0)]
        bases = [turned(np.array(e), on.corner, on.turn_deg) for e in ends]
        height = 0.4 * min(w, d)
        if top is not None:
            off = [abs(float(view.project(b)[0]) - top[0]) for b in bases]
            height = pulled_height(view, bases[int(np.nanargmin(off))], top, height)
        corner = turned(np.array([0.0, h, 0.0]), on.corner, on.turn_deg)
        at = (float(corner[0]), float(corner[1]), float(corner[2]))
        return cls(id=ident, name=name, corner=at, size=(w, height, d), ridge=ridge, turn_deg=on.turn_deg)


def _ridged(w: float, h: float, d: float, overhang: float, hip: float) -> tuple[Array, list[str], list[list[int]]]:
    """A roof with its ridge along x over the rectangle w × d; slopes are carried on beyond it by the overhang."""
    hip = min(hip, w / 2)
    drop = overhang * h / (d / 2)
    # hipped ends reach the same eaves' level, upright ones stand out as far as the slopes
    end = overhang * hip / (d / 2) if hip > 0 else overhang
    x0, x1, z0, z1 = -end, w + end, -overhang, d + overhang
    foot = [[x0, -drop, z0], [x1, -drop, z0], [x1, -drop, z1], [x0, -drop, z1]]
    left, right = (hip, w - hip) if hip > 0 else (x0, x1)
    base = [0, 1, 2, 3]
    if right - left < 1e-9:
        v = np.array([*foot, [w / 2, h, d / 2]], float)
        return v, ["front", "back", "left", "right", "base"], [[3, 2, 4], [1, 0, 4], [0, 3, 4], [2, 1, 4], base]
    v = np.array([*foot, [left, h, d / 2], [right, h, d / 2]], float)
    return v, ["front", "back", "left", "right", "base"], [[3, 2, 5, 4], [1, 0, 4, 5], [0, 3, 4], [2, 1, 5], base]
