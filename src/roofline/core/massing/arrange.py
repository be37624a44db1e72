"""Setting pieces elsewhere: moved, turned, pushed in depth with their picture kept, mirrored, aligned, stood on a level."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np

from roofline.core.camera import Array
from roofline.core.massing.planes import plane_of
from roofline.core.massing.solids import NO_MESHES, Meshes, faces_of, turned
from roofline.errors import MassingError
from roofline.model.base import Vec2, Vec3
from roofline.model.massing import (
    AnySolid,
    Backdrop,
    Block,
    Column,
    Cut,
    Flat,
    Gable,
    Ground,
    Imported,
    Mesh,
    Panel,
    Room,
    Slab,
    Steps,
    Wall,
)

Axis = Literal["run", "rise", "return"]


def _vec3(v: Array) -> Vec3:
    return float(v[0]), float(v[1]), float(v[2])


def transformed(solid: AnySolid, scale: float, turn_deg: float, shift: Array) -> AnySolid:
    """The solid with every point p at ``scale · R p + shift``, R turning about the rise.

    Raises
    ------
    MassingError
        For a ground that is to be turned: it lies along run and return.
    """
    f = scale

    def p3(v: Vec3) -> Vec3:
        return _vec3(turned(f * np.array(v), (0.0, 0.0, 0.0), turn_deg) + shift)

    def p2(v: Vec2) -> Vec2:
        x = p3((v[0], 0.0, v[1]))
        return x[0], x[2]

    def y(v: float) -> float:
        return float(f * v + shift[1])

    def by(v: Any) -> Any:
        return tuple(f * x for x in v)

    def cuts(old: list[Cut]) -> list[Cut]:
        return [c.model_copy(update={"low": by(c.low), "high": by(c.high)}) for c in old]

    update: dict[str, Any]
    match solid:
        case Ground():
            if turn_deg:
                raise MassingError(f"{solid.name} lies along Run and Return: a ground is not turned.")
            update = {
                "centre": p2(solid.centre),
                "height": y(solid.height),
                "size": by(solid.size),
                "profile": [by(p) for p in solid.profile],
            }
        case Block() | Room() | Steps() | Gable():
            update = {"corner": p3(solid.corner), "size": by(solid.size), "turn_deg": solid.turn_deg + turn_deg}
            if isinstance(solid, Gable):
                update |= {"overhang": solid.overhang * f, "hip": solid.hip * f}
            if isinstance(solid, Block | Room):
                update["cuts"] = cuts(solid.cuts)
        case Column():
            update = {
                "foot": p3(solid.foot),
                "radius_foot": solid.radius_foot * f,
                "radius_top": solid.radius_top * f,
                "height": solid.height * f,
                "turn_deg": solid.turn_deg + turn_deg,
            }
        case Wall():
            update = {
                "a": p2(solid.a),
                "b": p2(solid.b),
                "base": y(solid.base),
                "height": solid.height * f,
                "cuts": cuts(solid.cuts),
            }
        case Slab():
            update = {
                "outline": [p2(p) for p in solid.outline],
                "level": y(solid.level),
                "thickness": solid.thickness * f,
            }
        case Panel():
            update = {"points": [p3(p) for p in solid.points]}
        case Flat():
            update = {"foot": p3(solid.foot), "extent": by(solid.extent), "heading_deg": solid.heading_deg - turn_deg}
        case Backdrop():
            update = {
                "viewer": p3(solid.viewer),
                "base": y(solid.base),
                "distance": solid.distance * f,
                "width": solid.width * f,
                "height": solid.height * f,
                "heading_deg": solid.heading_deg - turn_deg,
            }
        case Mesh():
            update = {"vertices": [p3(v) for v in solid.vertices]}
        case Imported():
            update = {
                "position": p3(solid.position),
                "scale": solid.scale * f,
                "turn_deg": solid.turn_deg + turn_deg,
            }
    return solid.model_copy(update=update)


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
    if isinstance(solid, Ground):
        k = 0 if axis == "run" else 1
        centre = list(solid.centre)
        centre[k] = 2 * at - centre[k]
        profile = solid.profile
        if solid.along == axis:
            profile = [(-p[0], p[1]) for p in reversed(profile)]
        return solid.model_copy(update={"centre": tuple(centre), "profile": profile})
    if axis == "return":  # half a turn, then mirrored along run, is the same
        return mirrored(turned_about(solid, np.array([0.0, 0.0, at]), 180.0), "run", 0.0)

    def p3(v: Vec3) -> Vec3:
        return 2 * at - v[0], v[1], v[2]

    def p2(v: Vec2) -> Vec2:
        return 2 * at - v[0], v[1]

    def swapped(cuts: list[Cut], width: float) -> list[Cut]:
        return [
            c.model_copy(update={"low": (width - c.high[0], *c.low[1:]), "high": (width - c.low[0], *c.high[1:])})
            for c in cuts
        ]

    update: dict[str, Any]
    match solid:
        case Block() | Room() | Steps() | Gable():
            far = turned(np.array([solid.size[0], 0.0, 0.0]), solid.corner, solid.turn_deg)
            update = {"corner": p3(_vec3(far)), "turn_deg": -solid.turn_deg}
            if isinstance(solid, Block | Room):
                update["cuts"] = swapped(solid.cuts, solid.size[0])
            if isinstance(solid, Room):
                other = {"left": "right", "right": "left"}
                update["open"] = [other.get(n, n) for n in solid.open]
        case Column():
            update = {"foot": p3(solid.foot), "turn_deg": -solid.turn_deg}
        case Wall():
            length = float(np.hypot(solid.b[0] - solid.a[0], solid.b[1] - solid.a[1]))
            update = {"a": p2(solid.b), "b": p2(solid.a), "cuts": swapped(solid.cuts, length)}
        case Slab():
            update = {"outline": [p2(p) for p in reversed(solid.outline)]}
        case Panel():
            update = {"points": [p3(p) for p in reversed(solid.points)]}
        case Flat():
            left, right, bottom, top = solid.extent
            update = {
                "foot": p3(solid.foot),
                "heading_deg": -solid.heading_deg,
                "extent": (-right, -left, bottom, top),
            }
        case Backdrop():
            update = {"viewer": p3(solid.viewer), "heading_deg": -solid.heading_deg}
        case Mesh():
            update = {
                "vertices": [p3(v) for v in solid.vertices],
                "faces": [f.model_copy(update={"loop": f.loop[::-1]}) for f in solid.faces],
            }
        case Imported():
            raise MassingError(f"{solid.name} was brought in from a file and is not mirrored: mirror the file.")
    return solid.model_copy(update=update)


def aligned(solid: AnySolid, face: str, plane: tuple[Array, float], meshes: Meshes = NO_MESHES) -> AnySolid:
    """The solid moved so that one of its faces lies in a plane n·x = d; turned about the rise first, where that is needed.

    Raises
    ------
    MassingError
        When the face cannot come to lie in the plane: one is level and the other is not, or they lean differently.
    """
    normal, offset = plane
    faces = faces_of(solid, meshes)
    if face not in faces.names:
        raise MassingError(f"{solid.name} has no face '{face}' any more.")

    def mine(s: AnySolid) -> tuple[Array, float]:
        f = faces_of(s, meshes)
        return plane_of(f.vertices[f.loops[f.names.index(face)]])

    own, _ = mine(solid)
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
    own, at = mine(solid)
    point = own * at
    return moved(solid, normal * (offset - float(normal @ point)))
