from __future__ import annotations

from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, model_validator

from roofline.core.camera import Array
from roofline.core.massing.kinds.base import Axis, Placing, Solid, vec3
from roofline.core.massing.solids import Faces, Meshes
from roofline.model.base import Vec3
from roofline.model.massing import MeshFace


class Mesh(Solid):
    """Planar faces on vertices; loops counter-clockwise seen from the front."""

    kind: Literal["mesh"] = "mesh"
    own: ClassVar[frozenset[str]] = frozenset({"vertices"})
    vertices: Annotated[list[Vec3], Field(min_length=3)]
    faces: Annotated[list[MeshFace], Field(min_length=1)]
    cutout: bool = False

    @model_validator(mode="after")
    def _loops(self) -> Self:
        n = len(self.vertices)
        seen: set[str] = set()
        for face in self.faces:
            if max(face.loop) >= n:
                raise ValueError(f"face '{face.name}' of '{self.id}' names vertex {max(face.loop)}, there are {n}")
            if face.name in seen:
                raise ValueError(f"two faces of '{self.id}' are called '{face.name}'")
            seen.add(face.name)
        return self

    def shape(self, meshes: Meshes) -> Faces:
        v = np.array(self.vertices, dtype=np.float64)
        return Faces(v, [f.name for f in self.faces], [list(f.loop) for f in self.faces], self.cutout)

    def placed(self, to: Placing) -> Self:
        return self.with_(vertices=[to.p3(v) for v in self.vertices])

    def mirrored(self, at: float) -> Self:
        return self.with_(
            vertices=[(2 * at - x, y, z) for x, y, z in self.vertices],
            faces=[f.model_copy(update={"loop": f.loop[::-1]}) for f in self.faces],
        )

    def pulled(self, corner: int, start: Array, axis: Axis, by: float) -> Self:
        vertices = list(self.vertices)
        vertices[corner] = vec3(start + by * self.own_axis(axis))
        return self.with_(vertices=vertices)
