"""Solids → planar faces. Every solid of a shot becomes vertices and named, counter-clockwise loops."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import Array
from roofline.core.massing.planes import plane_of
from roofline.errors import MassingError
from roofline.model.massing import SolidBase as AnySolid


@dataclass(frozen=True)
class Triangles:
    """What a file that was brought in contains: vertices (V, 3) in metres, indices (T, 3)."""

    vertices: Array
    indices: NDArray[np.int64]


Meshes = Mapping[str, Triangles]


@dataclass(frozen=True)
class Faces:
    """Vertices (V, 3) in metres and named loops, counter-clockwise seen from the face's front."""

    vertices: Array
    names: list[str]
    loops: list[list[int]]
    cutout: bool = False
    passes: Mapping[str, float] = field(default_factory=dict)  # faces that are drawn before a level, and its rise

    def plane(self, face: str) -> tuple[Array, float] | None:
        """Unit normal (3,) and offset d of the plane n·X = d of a named face; None when there is no such face."""
        return plane_of(self.vertices[self.loops[self.names.index(face)]]) if face in self.names else None


def turned(points: Array, corner: tuple[float, float, float], turn_deg: float) -> Array:
    """Local points (…, 3) turned about the rise through the origin and set at `corner`."""
    c, s = np.cos(np.radians(turn_deg)), np.sin(np.radians(turn_deg))
    r = np.array([[c, 0, s], [0, 1, 0], [-s, 0, c]])
    return points @ r.T + np.array(corner)


def heading(heading_deg: float) -> tuple[Array, Array]:
    """Unit level vectors of a heading: where it points (0° along −return, turning to the right), and its right."""
    a = np.radians(heading_deg)
    return np.array([np.sin(a), 0.0, -np.cos(a)]), np.array([np.cos(a), 0.0, np.sin(a)])


BOX_NAMES = ["front", "right", "back", "left", "top", "base"]
BOX_LOOPS = [[4, 5, 6, 7], [5, 1, 2, 6], [1, 0, 3, 2], [0, 4, 7, 3], [7, 6, 2, 3], [0, 1, 5, 4]]


def box(size: tuple[float, float, float]) -> Array:
    w, h, d = size
    return np.array([[0, 0, 0], [w, 0, 0], [w, h, 0], [0, h, 0], [0, 0, d], [w, 0, d], [w, h, d], [0, h, d]], float)


NO_MESHES: Meshes = {}


def faces_of(solid: AnySolid, meshes: Meshes = NO_MESHES) -> Faces:
    """Faces of a solid in world metres; `meshes` holds what the files of imported ones contain, by file.

    An imported one whose file is not at hand is the box that it fills.
    """
    shape: Callable[[Meshes], Faces] = solid.shape  # type: ignore[attr-defined]  # of kinds.base.Solid
    return shape(meshes)


def face_plane(solid: AnySolid, face: str, meshes: Meshes = NO_MESHES) -> tuple[Array, float]:
    """Unit normal (3,) and offset d of the plane n·X = d of a named face; raises MassingError when it has none."""
    plane = faces_of(solid, meshes).plane(face)
    if plane is None:
        raise MassingError(f"{solid.name} has no face '{face}' any more.")
    return plane
