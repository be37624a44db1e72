from __future__ import annotations

from typing import ClassVar, Literal, Self

import numpy as np

from roofline.core.camera import Array, View
from roofline.core.massing.cuts import Cells, cells_of, faces_of_cells
from roofline.core.massing.kinds.base import SMALLEST, Drawing, Point, foot
from roofline.core.massing.kinds.opened import Opened
from roofline.core.massing.planes import spot_on
from roofline.core.massing.solids import BOX_LOOPS, BOX_NAMES, Faces, Meshes, box, turned
from roofline.errors import MassingError


class Room(Opened):
    """A box seen from inside; `open` names the sides that are left away. A cut is a bay built on."""

    kind: Literal["room"] = "room"
    feet: ClassVar[int | None] = 2
    open: list[Literal["front", "right", "back", "left", "top", "base"]] = ["front"]

    def shape(self, meshes: Meshes) -> Faces:
        cells = self.cells()
        if cells is not None:
            v, names, loops = faces_of_cells(cells, self.cuts, inward=True)
        else:
            v, names, loops = box(self.size), list(BOX_NAMES), [loop[::-1] for loop in BOX_LOOPS]
        kept = [(n, loop) for n, loop in zip(names, loops, strict=True) if n not in self.open]
        v = turned(v, self.corner, self.turn_deg)
        return Faces(v, [n for n, _ in kept], [loop for _, loop in kept])

    def cells(self) -> Cells | None:
        return cells_of(np.array(self.size), self.cuts, added=True) if self.cuts else None

    def mirrored(self, at: float) -> Self:
        other = {"left": "right", "right": "left"}
        return super().mirrored(at).with_(open=[other.get(n, n) for n in self.open])

    def shoved(self, face: str, normal: Array, by: float) -> Self:
        # its faces look inwards; those of a bay are cut into it as into a block
        return super().shoved(face, normal, by if "-" in face else -by)

    @classmethod
    def drawn(cls, d: Drawing) -> Self:
        return cls.through(d.view, *d.called("room"), d.points[0], d.pixels[1], d.level)

    @classmethod
    def through(cls, view: View, ident: str, name: str, a: Point, b: Point, level: float = 0.0) -> Self:
        """A room by its far wall: one of its lower corners, on the floor, and the corner opposite of it in the picture.

        The far wall stands across Return; floor, ceiling and side walls come forward past the camera.
        """
        p = foot(view, a, level)
        q = spot_on(view, b, (np.array([0.0, 0.0, 1.0]), float(p[2])))
        if q is None:
            raise MassingError(
                "The far wall stands across Return, in front of the camera: drag over it in the picture."
            )
        width, height = abs(float(q[0] - p[0])), float(q[1]) - level
        if width < SMALLEST or height < SMALLEST:
            raise MassingError("Drag from a lower corner of the far wall to the upper one opposite.")
        if p[2] >= view.position[2]:
            raise MassingError("Return points away from the camera here: exchange Run and Return in Survey first.")
        depth = abs(float(view.position[2] - p[2])) + 0.5
        corner = (float(min(p[0], q[0])), level, float(p[2]))
        return cls(id=ident, name=name, corner=corner, size=(width, height, depth), open=["front"])
