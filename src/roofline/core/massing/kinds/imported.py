from __future__ import annotations

from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import Field

from roofline.core.camera import Array
from roofline.core.massing.kinds.base import Axis, Placing, Solid
from roofline.core.massing.solids import BOX_LOOPS, BOX_NAMES, Faces, Meshes, box, turned
from roofline.errors import MassingError
from roofline.model.base import Positive, Vec3


class Imported(Solid):
    """Triangles of a file that was brought in, set at `position`, turned about the rise and scaled."""

    kind: Literal["imported"] = "imported"
    own: ClassVar[frozenset[str]] = frozenset({"file", "triangles"})
    file: str
    triangles: Annotated[int, Field(ge=1)]
    low: Vec3  # the file's own extent, before it is placed
    high: Vec3
    position: Vec3 = (0.0, 0.0, 0.0)
    turn_deg: float = 0.0
    scale: Positive = 1.0

    def shape(self, meshes: Meshes) -> Faces:
        """Its triangles; while its file is not at hand, the box that it fills."""
        mesh = meshes.get(self.file)
        if mesh is None:
            low, high = np.array(self.low), np.array(self.high)
            v = low + box(tuple(np.maximum(high - low, 1e-6).tolist()))
            names, loops = list(BOX_NAMES), [list(loop) for loop in BOX_LOOPS]
        else:
            v, loops = mesh.vertices, mesh.indices.tolist()
            names = [f"f{i + 1}" for i in range(len(loops))]
        return Faces(turned(self.scale * v, self.position, self.turn_deg), names, loops)

    def placed(self, to: Placing) -> Self:
        turn = self.turn_deg + to.turn_deg
        return self.with_(position=to.p3(self.position), scale=self.scale * to.scale, turn_deg=turn)

    def mirrored(self, at: float) -> Self:
        raise MassingError(f"{self.name} was brought in from a file and is not mirrored: mirror the file.")

    def pulled(self, corner: int, start: Array, axis: Axis, by: float) -> Self:
        return self.moved(by * self.own_axis(axis))
