from __future__ import annotations

from typing import Literal, Self

import numpy as np

from roofline.core.camera import View
from roofline.core.massing.cuts import Cells, cells_of, faces_of_cells
from roofline.core.massing.kinds.base import NEW_HEIGHT, OnFeet, Point, pulled_height, rectangle
from roofline.core.massing.kinds.opened import Opened
from roofline.core.massing.solids import BOX_LOOPS, BOX_NAMES, Faces, Meshes, box, turned


class Block(OnFeet, Opened):
    """An upright box: its foot's corner, its size along run, rise and return, and its turn about the corner."""

    kind: Literal["block"] = "block"

    def shape(self, meshes: Meshes) -> Faces:
        cells = self.cells()
        if cells is None:
            v = turned(box(self.size), self.corner, self.turn_deg)
            return Faces(v, list(BOX_NAMES), [list(loop) for loop in BOX_LOOPS])
        v, names, loops = faces_of_cells(cells, self.cuts)
        return Faces(turned(v, self.corner, self.turn_deg), names, loops)

    def cells(self) -> Cells | None:
        return cells_of(np.array(self.size), self.cuts) if self.cuts else None

    @classmethod
    def through(
        cls, view: View, ident: str, name: str, a: Point, b: Point, top: Point | None, level: float = 0.0
    ) -> Self:
        """A block on the rectangle between two foot points; `top` shows its height over the second."""
        low, high, q = rectangle(view, a, b, level, "a block")
        height = pulled_height(view, q, top, NEW_HEIGHT)
        size = (float(high[0] - low[0]), height, float(high[2] - low[2]))
        return cls(id=ident, name=name, corner=(float(low[0]), level, float(low[2])), size=size)
