"""Editing pieces by dragging their corners and faces, in the lens view or in plan."""

from __future__ import annotations

import numpy as np

from roofline.core.camera import Array, View
from roofline.core.massing.kinds import known
from roofline.core.massing.kinds.base import Axis, Point
from roofline.core.massing.planes import spot_on
from roofline.core.massing.solids import NO_MESHES, Meshes, face_plane, faces_of
from roofline.core.survey.scale import along_line
from roofline.errors import MassingError
from roofline.model.solids import AnySolid


def axis_of(solid: AnySolid, axis: Axis) -> Array:
    """World direction (3,) of one of a solid's own axes."""
    return known(solid).own_axis(axis)


def pulled(solid: AnySolid, view: View, corner: int, axis: Axis, pixel: Point, meshes: Meshes = NO_MESHES) -> AnySolid:
    """The solid with one corner dragged along one of its axes to where a pixel shows that axis line.

    ``corner`` indexes `faces_of(solid).vertices`. Sides opposite the corner stay where they are.
    """
    start = _corner(solid, corner, meshes)
    return pulled_by(solid, corner, axis, along_line(view, np.array(pixel), start, axis_of(solid, axis)), meshes)


def _corner(solid: AnySolid, corner: int, meshes: Meshes) -> Array:
    vertices = faces_of(solid, meshes).vertices
    if not 0 <= corner < len(vertices):
        raise MassingError("That corner is not there any more.")
    return np.asarray(vertices[corner])


def pulled_by(solid: AnySolid, corner: int, axis: Axis, by: float, meshes: Meshes = NO_MESHES) -> AnySolid:
    """The solid with one corner dragged some metres along one of its axes."""
    return known(solid).pulled(corner, _corner(solid, corner, meshes), axis, by)


def shoved(solid: AnySolid, view: View, face: str, start: Point, pixel: Point, meshes: Meshes = NO_MESHES) -> AnySolid:
    """The solid with one face dragged along its normal, from the spot under one pixel to where another shows that
    line."""
    plane = face_plane(solid, face, meshes)
    spot = spot_on(view, start, plane)
    if spot is None:
        raise MassingError("That face is seen from its edge: take it in plan or from another side.")
    return shoved_by(solid, face, along_line(view, np.array(pixel), spot, plane[0]), meshes)


def shoved_by(solid: AnySolid, face: str, by: float, meshes: Meshes = NO_MESHES) -> AnySolid:
    """The solid with one face moved outwards along its normal by some metres; what has no side to give is moved
    whole."""
    normal, _ = face_plane(solid, face, meshes)
    return known(solid).shoved(face, normal, by)
