"""Setting pieces elsewhere: moved, turned, pushed in depth with their picture kept, mirrored, aligned, stood on a
level."""

from __future__ import annotations

import numpy as np

from roofline.core.camera import Array
from roofline.core.massing.kinds import known
from roofline.core.massing.kinds.base import Axis, Placing
from roofline.core.massing.solids import NO_MESHES, Meshes, face_plane, faces_of, turned
from roofline.errors import MassingError
from roofline.model.solids import AnySolid


def transformed(solid: AnySolid, scale: float, turn_deg: float, shift: Array) -> AnySolid:
    """The solid with every point p at ``scale · R p + shift``, R turning about the rise.

    Raises
    ------
    MassingError
        For a ground that is to be turned: it lies along run and return.
    """
    return known(solid).placed(Placing(scale, turn_deg, np.asarray(shift, dtype=np.float64)))


def moved(solid: AnySolid, by: Array) -> AnySolid:
    """The solid moved by (3,) metres."""
    return transformed(solid, 1.0, 0.0, np.asarray(by, dtype=np.float64))


def turned_about(solid: AnySolid, pivot: Array, turn_deg: float) -> AnySolid:
    """The solid turned about the rise through a point, counter-clockwise seen from above."""
    pivot = np.asarray(pivot, dtype=np.float64)
    return transformed(solid, 1.0, turn_deg, pivot - turned(pivot, (0.0, 0.0, 0.0), turn_deg))


def pushed(solid: AnySolid, centre: Array, factor: float, meshes: Meshes = NO_MESHES) -> AnySolid:
    """The solid moved in depth by a factor, as seen from `centre`.

    It is scaled about it, so that its picture from there stays the same exactly; a solid of `true_size` is carried
    along the ground instead, and its picture changes.
    """
    if not 1e-3 <= factor <= 1e3:
        raise MassingError("A depth move goes from a thousandth to a thousand times the distance.")
    c = np.asarray(centre, dtype=np.float64)
    if solid.true_size:
        away = middle_of(solid, meshes) - c
        return moved(solid, (factor - 1) * away * [1, 0, 1])
    return transformed(solid, factor, 0.0, c - factor * c)


def middle_of(solid: AnySolid, meshes: Meshes = NO_MESHES) -> Array:
    """The middle (3,) of a solid's extent."""
    v = faces_of(solid, meshes).vertices
    return 0.5 * (v.min(0) + v.max(0))  # type: ignore[no-any-return]


def stood(solid: AnySolid, level: float, centre: Array, meshes: Meshes = NO_MESHES) -> AnySolid:
    """The solid with its lowest point on a level: pushed in depth to it, or set down when it is of true size.

    Raises
    ------
    MassingError
        When a level above the lens, or at its height, is asked for, where nothing could be pushed to.
    """
    lowest = float(faces_of(solid, meshes).vertices[:, 1].min())
    if abs(lowest - level) < 1e-12:
        return solid
    if solid.true_size:
        return moved(solid, np.array([0.0, level - lowest, 0.0]))
    below, wanted = float(centre[1]) - lowest, float(centre[1]) - level
    if abs(below) < 1e-9 or wanted / below <= 1e-3:
        raise MassingError(
            f"Seen from home, {solid.name} cannot stand on that level without changing its picture: "
            "lock its true size to set it down."
        )
    return pushed(solid, centre, wanted / below, meshes)


def mirrored(solid: AnySolid, axis: Axis, at: float) -> AnySolid:
    """The solid mirrored in the upright plane across run or return at a coordinate in metres."""
    if axis == "rise":
        raise MassingError("Pieces are mirrored along Run or Return.")
    return known(solid).mirrored_along(axis, at)


def aligned(solid: AnySolid, face: str, plane: tuple[Array, float], meshes: Meshes = NO_MESHES) -> AnySolid:
    """The solid moved so that one of its faces lies in a plane n·x = d; turned about the rise first, where that is
    needed.

    Raises
    ------
    MassingError
        When the face cannot come to lie in the plane: one is level and the other is not, or they lean differently.
    """
    normal, offset = plane
    own, _ = face_plane(solid, face, meshes)
    if abs(abs(own[1]) - abs(normal[1])) > 1e-6:
        raise MassingError(
            "These two faces lean differently: they cannot be brought into one plane by turning upright."
        )
    if np.hypot(own[0], own[2]) > 1e-6:
        # to the same or the opposite side, whichever is nearer
        turns = []
        for sign in (1, -1):
            if abs(own[1] - sign * normal[1]) > 1e-6:
                continue
            a = np.arctan2(own[0], own[2])
            b = np.arctan2(sign * normal[0], sign * normal[2])
            turns.append(float((np.degrees(b - a) + 180) % 360 - 180))
        turn = min(turns, key=abs)
        if abs(turn) > 1e-9:
            solid = turned_about(solid, middle_of(solid, meshes), turn)
    own, at = face_plane(solid, face, meshes)
    point = own * at
    return moved(solid, normal * (offset - float(normal @ point)))
