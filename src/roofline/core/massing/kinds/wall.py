from __future__ import annotations

from collections.abc import Callable
from typing import ClassVar, Literal, Self

import numpy as np

from roofline.core.camera import Array, View
from roofline.core.massing.cuts import Cells, cells_of, faces_of_cells, pinched
from roofline.core.massing.kinds.base import (
    NEW_HEIGHT,
    SMALLEST,
    UP,
    Axis,
    Cuts,
    OnFeet,
    Placing,
    Point,
    foot,
    pulled_height,
    swapped,
)
from roofline.core.massing.solids import Faces, Meshes
from roofline.errors import MassingError
from roofline.model.base import Positive, Vec2
from roofline.model.massing import SolidBase

SHORT = 1e-4  # metres


class Wall(OnFeet):
    """An upright rectangle from foot a to foot b (run, return), in front when seen from its left-hand side."""

    kind: Literal["wall"] = "wall"
    own: ClassVar[frozenset[str]] = frozenset({"a", "b", "height"})
    sections: ClassVar[bool] = True
    a: Vec2
    b: Vec2
    base: float = 0.0
    height: Positive
    cuts: Cuts = []

    @property
    def length(self) -> float:
        return float(np.hypot(self.b[0] - self.a[0], self.b[1] - self.a[1]))

    def amiss(self) -> str | None:
        return "is a wall from a point to itself." if self.length < SHORT else pinched(self.cells())

    def shape(self, meshes: Meshes) -> Faces:
        (ax, az), (bx, bz) = self.a, self.b
        low, high = self.base, self.base + self.height
        cells = self.cells()
        if cells is None:
            v = [[ax, low, az], [bx, low, bz], [bx, high, bz], [ax, high, az]]
            return Faces(np.array(v), ["front"], [[0, 1, 2, 3]])
        flat, names, loops = faces_of_cells(cells, self.cuts)
        front = [loop for n, loop in zip(names, loops, strict=True) if n.startswith("front")]
        used = sorted({i for loop in front for i in loop})
        place = {old: new for new, old in enumerate(used)}
        along = np.array([bx - ax, 0.0, bz - az]) / self.length
        world = np.array([ax, low, az]) + flat[used, :1] * along + flat[used, 1:2] * [0, 1.0, 0]
        loops = [[place[i] for i in loop] for loop in front]
        return Faces(world, ["front" if i == 0 else f"front{i + 1}" for i in range(len(loops))], loops)

    def cells(self) -> Cells | None:
        """As a block of one layer, of which only the front is kept."""
        layer = [c.model_copy(update={"low": (*c.low[:2], 0.0), "high": (*c.high[:2], 1.0)}) for c in self.cuts]
        return cells_of(np.array([self.length, self.height, 1.0]), layer) if layer else None

    def placed(self, to: Placing) -> Self:
        return self.with_(
            a=to.p2(self.a),
            b=to.p2(self.b),
            base=to.y(self.base),
            height=self.height * to.scale,
            cuts=to.cuts(self.cuts),
        )

    def mirrored(self, at: float) -> Self:
        a, b = (2 * at - self.b[0], self.b[1]), (2 * at - self.a[0], self.a[1])
        return self.with_(a=a, b=b, cuts=swapped(self.cuts, self.length))

    def pulled(self, corner: int, start: Array, axis: Axis, by: float) -> Self:
        if axis == "rise":
            if start[1] > self.base + self.height / 2:
                return self.with_(height=max(self.height + by, SMALLEST))
            by = min(by, self.height - SMALLEST)
            return self.with_(base=self.base + by, height=self.height - by)
        along = np.array([self.b[0] - self.a[0], self.b[1] - self.a[1]])
        ground = start[[0, 2]] - self.a
        end = "b" if float(ground @ along) > 0.5 * float(along @ along) else "a"
        new = np.array(getattr(self, end)) + by * self.own_axis(axis)[[0, 2]]
        return self.with_(**{end: (float(new[0]), float(new[1]))})

    def measures(self) -> tuple[Array, Callable[[Array], SolidBase]]:
        return np.array([*self.a, *self.b, self.height]), lambda m: self.with_(
            a=(float(m[0]), float(m[1])), b=(float(m[2]), float(m[3])), height=float(max(m[4], 1e-3))
        )

    @classmethod
    def through(
        cls, view: View, ident: str, name: str, a: Point, b: Point, top: Point | None, level: float = 0.0
    ) -> Self:
        """A wall from foot to foot, facing the camera; `top` shows its height over the second foot."""
        p, q = foot(view, a, level), foot(view, b, level)
        if float(np.hypot(q[0] - p[0], q[2] - p[2])) < SMALLEST:
            raise MassingError("The foot of a wall needs a length: drag along where it meets the ground.")
        height = pulled_height(view, q, top, NEW_HEIGHT)
        if np.cross(q - p, UP) @ (view.position - p) < 0:
            p, q = q, p
        ends = (float(p[0]), float(p[2])), (float(q[0]), float(q[2]))
        return cls(id=ident, name=name, a=ends[0], b=ends[1], base=level, height=height)
