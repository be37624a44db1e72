"""Editing pieces by dragging their corners and faces, in the lens view or in plan."""

from __future__ import annotations

import numpy as np

from roofline.core.camera import Array, View
from roofline.core.massing.arrange import Axis, moved
from roofline.core.massing.cuts import LEAST
from roofline.core.massing.planes import plane_of
from roofline.core.massing.solids import NO_MESHES, Meshes, faces_of, heading, turned
from roofline.core.survey.scale import along_line
from roofline.errors import MassingError
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

AXES: dict[Axis, Array] = {"run": np.array([1.0, 0, 0]), "rise": np.array([0, 1.0, 0]), "return": np.array([0, 0, 1.0])}
NUMBER: dict[Axis, int] = {"run": 0, "rise": 1, "return": 2}
SMALLEST = 0.01  # metres
Point = tuple[float, float]
Boxed = Block | Gable | Room | Steps


def axis_of(solid: AnySolid, axis: Axis) -> Array:
    """World direction (3,) of one of a solid's own axes."""
    if isinstance(solid, Flat) and axis != "rise":
        return heading(solid.heading_deg)[1]
    return turned(AXES[axis], (0.0, 0.0, 0.0), getattr(solid, "turn_deg", 0.0))


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
    start = _corner(solid, corner, meshes)
    direction = axis_of(solid, axis)
    match solid:
        case Block() | Room() | Gable() | Steps():
            own = turned(start - np.array(solid.corner), (0.0, 0.0, 0.0), -solid.turn_deg)
            if isinstance(solid, Block | Room) and (moved_cut := _cut_corner(solid, own, NUMBER[axis], by)):
                return moved_cut
            i = NUMBER[axis]
            return _side(solid, i, bool(own[i] > solid.size[i] / 2), by)
        case Wall():
            along = np.array([solid.b[0] - solid.a[0], solid.b[1] - solid.a[1]])
            ground = start[[0, 2]] - solid.a
            if axis == "rise":
                if start[1] > solid.base + solid.height / 2:
                    return solid.model_copy(update={"height": max(solid.height + by, SMALLEST)})
                by = min(by, solid.height - SMALLEST)
                return solid.model_copy(update={"base": solid.base + by, "height": solid.height - by})
            end = "b" if float(ground @ along) > 0.5 * float(along @ along) else "a"
            new = np.array(getattr(solid, end)) + by * direction[[0, 2]]
            return solid.model_copy(update={end: (float(new[0]), float(new[1]))})
        case Column():
            if axis == "rise":
                return solid.model_copy(update={"height": max(solid.height + by, SMALLEST)})
            away = start - np.array(solid.foot)
            which = "radius_foot" if away[1] < solid.height / 2 else "radius_top"
            grown = by * float(np.sign(away @ direction) or 1.0)
            return solid.model_copy(update={which: max(getattr(solid, which) + grown, SMALLEST)})
        case Slab():
            if axis == "rise":
                return _slab_face(solid, "top" if start[1] > solid.level - solid.thickness / 2 else "base", by)
            away2 = [float(np.hypot(p[0] - start[0], p[1] - start[2])) for p in solid.outline]
            outline = list(solid.outline)
            k = int(np.argmin(away2))
            outline[k] = (float(outline[k][0] + by * direction[0]), float(outline[k][1] + by * direction[2]))
            return solid.model_copy(update={"outline": outline})
        case Panel():
            normal, _ = plane_of(np.array(solid.points))
            inside = direction - (direction @ normal) * normal  # a corner stays on the panel's plane
            if np.linalg.norm(inside) < 1e-6:
                return moved(solid, by * direction)
            points = list(solid.points)
            at = np.array(points[corner]) + by * inside / float(inside @ direction)
            points[corner] = (float(at[0]), float(at[1]), float(at[2]))
            return solid.model_copy(update={"points": points})
        case Flat():
            left, right, bottom, top = solid.extent
            high = start[1] - solid.foot[1] > 0.5 * (bottom + top)
            far = float((start - np.array(solid.foot)) @ direction) > 0.5 * (left + right)
            if axis == "rise":
                bottom, top = (
                    (bottom, max(top + by, bottom + SMALLEST)) if high else (min(bottom + by, top - SMALLEST), top)
                )
            else:
                left, right = (
                    (left, max(right + by, left + SMALLEST)) if far else (min(left + by, right - SMALLEST), right)
                )
            return solid.model_copy(update={"extent": (left, right, bottom, top)})
        case Ground():
            if axis == "rise":
                return solid.model_copy(update={"height": solid.height + by})
            return _ground_side(solid, axis, start, by)
        case Backdrop():
            if axis == "rise" and solid.dome_deg == 0:
                if start[1] > solid.base + solid.height / 2:
                    return solid.model_copy(update={"height": max(solid.height + by, SMALLEST)})
                by = min(by, solid.height - SMALLEST)
                return solid.model_copy(update={"base": solid.base + by, "height": solid.height - by})
            raise MassingError("A backdrop is set by its distance and heading; drag its top or foot along rise.")
        case Mesh():
            vertices = [list(v) for v in solid.vertices]
            vertices[corner] = [float(v) for v in start + by * direction]
            return solid.model_copy(update={"vertices": [tuple(v) for v in vertices]})
        case Imported():
            return moved(solid, by * direction)


def _side(solid: Boxed, i: int, far: bool, by: float) -> AnySolid:
    """A box grown by some metres at one of its sides; the side opposite stays."""
    size, origin = list(solid.size), np.array(solid.corner)
    if far:
        size[i] = max(size[i] + by, SMALLEST)
    else:
        by = min(by, size[i] - SMALLEST)
        size[i] -= by
        axis: Axis = ("run", "rise", "return")[i]  # type: ignore[assignment]
        origin = origin + by * axis_of(solid, axis)
    update: dict[str, object] = {"size": tuple(size), "corner": tuple(float(v) for v in origin)}
    if isinstance(solid, Block | Room):
        update["cuts"] = [_kept_in_place(c, i, far, by, solid.size[i]) for c in solid.cuts]
    return solid.model_copy(update=update)


def _kept_in_place(cut: Cut, i: int, far: bool, by: float, size: float) -> Cut:
    """A cut after its box has grown at a side: where it was in the place, and still reaching that side if it did."""
    low, high = list(cut.low), list(cut.high)
    reaches = high[i] > size - 1e-6 if far else low[i] < 1e-6
    if far:
        high[i] += by if reaches else 0.0
    else:
        low[i] -= 0.0 if reaches else by
        high[i] -= by
    if high[i] - low[i] < SMALLEST:
        return cut
    return cut.model_copy(update={"low": tuple(low), "high": tuple(high)})


def _cut_corner(solid: Block | Room, own: Array, i: int, by: float) -> AnySolid | None:
    """The solid with the cut that a corner belongs to moved at that side; None where the box's own side is meant."""
    size = np.array(solid.size)
    near = LEAST * size.max()  # a corner lies as far as that from the sides that meet in it
    if abs(own[i]) < near or abs(own[i] - size[i]) < near:
        return None
    for n, cut in enumerate(solid.cuts):
        low, high = np.array(cut.low), np.array(cut.high)
        within = np.all((own > low - near) & (own < high + near))
        far = bool(abs(own[i] - high[i]) < near)
        if within and (far or abs(own[i] - low[i]) < near):
            moved_cut = _cut_side(cut, i, far, by + own[i] - (high[i] if far else low[i]))
            return solid.model_copy(update={"cuts": [moved_cut if k == n else c for k, c in enumerate(solid.cuts)]})
    return solid


def _cut_side(cut: Cut, i: int, far: bool, by: float) -> Cut:
    low, high = list(cut.low), list(cut.high)
    if far:
        high[i] = max(high[i] + by, low[i] + SMALLEST)
    else:
        low[i] = min(low[i] + by, high[i] - SMALLEST)
    return cut.model_copy(update={"low": tuple(low), "high": tuple(high)})


def _slab_face(solid: Slab, face: str, by: float) -> Slab:
    """A slab's top or underside moved up by some metres."""
    if face == "top":
        by = max(by, SMALLEST - solid.thickness)
        return solid.model_copy(update={"level": solid.level + by, "thickness": solid.thickness + by})
    return solid.model_copy(update={"thickness": max(solid.thickness - by, SMALLEST)})


def _ground_side(solid: Ground, axis: Axis, start: Array, by: float) -> Ground:
    i = 0 if axis == "run" else 1
    if solid.profile and solid.along == axis:
        raise MassingError("That side follows the ground's profile: change its figures.")
    sign = float(np.sign(start[0 if i == 0 else 2] - solid.centre[i]))
    size, centre = list(solid.size), list(solid.centre)
    grown = max(size[i] + sign * by, SMALLEST) - size[i]
    size[i] += grown
    centre[i] += sign * grown / 2
    return solid.model_copy(update={"size": tuple(size), "centre": tuple(centre)})


SIDE_OF = {
    "left": (0, False),
    "right": (0, True),
    "base": (1, False),
    "top": (1, True),
    "back": (2, False),
    "front": (2, True),
}
CUT_SIDE_OF = {
    "left": (0, False),
    "right": (0, True),
    "sill": (1, False),
    "head": (1, True),
    "back": (2, False),
    "front": (2, True),
}


def shoved(solid: AnySolid, view: View, face: str, start: Point, pixel: Point, meshes: Meshes = NO_MESHES) -> AnySolid:
    """The solid with one face dragged along its normal, from the spot under one pixel to where another shows that line."""
    normal, offset = _plane(solid, face, meshes)
    ray = view.rays(np.array(start))
    slope = float(normal @ ray)
    if abs(slope) < 1e-9:
        raise MassingError("That face is seen from its edge: take it in plan or from another side.")
    spot = view.position + ray * ((offset - float(normal @ view.position)) / slope)
    return shoved_by(solid, face, along_line(view, np.array(pixel), spot, normal), meshes)


def _plane(solid: AnySolid, face: str, meshes: Meshes) -> tuple[Array, float]:
    faces = faces_of(solid, meshes)
    if face not in faces.names:
        raise MassingError(f"{solid.name} has no face '{face}' any more.")
    return plane_of(faces.vertices[faces.loops[faces.names.index(face)]])


def shoved_by(solid: AnySolid, face: str, by: float, meshes: Meshes = NO_MESHES) -> AnySolid:
    """The solid with one face moved outwards along its normal by some metres; what has no side to give is moved whole."""
    normal, _ = _plane(solid, face, meshes)
    side = face.rstrip("0123456789")
    match solid:
        case Block() | Room() | Gable() | Steps():
            outward = -by if isinstance(solid, Room) else by
            if isinstance(solid, Block | Room) and "-" in face:
                name, _, looks = face.rpartition("-")
                i, far = CUT_SIDE_OF[looks.rstrip("0123456789")]
                # a cut's faces look into it: moving one that way makes the cut smaller
                along = -by if far else by
                return solid.model_copy(
                    update={"cuts": [_cut_side(c, i, far, along) if c.name == name else c for c in solid.cuts]}
                )
            if side in SIDE_OF and not (isinstance(solid, Gable) and abs(normal[1]) > 0.99):
                i, far = SIDE_OF[side]
                return _side(solid, i, far, outward if far else -outward)
        case Slab():
            if side in ("top", "base"):
                return _slab_face(solid, side, by if side == "top" else -by)
            return _slab_side(solid, normal, face, by)
        case Column():
            if side == "top":
                return solid.model_copy(update={"height": max(solid.height + by, SMALLEST)})
            if side == "side":
                grown = max(by, SMALLEST - min(solid.radius_foot, solid.radius_top))
                return solid.model_copy(
                    update={"radius_foot": solid.radius_foot + grown, "radius_top": solid.radius_top + grown}
                )
        case Backdrop():
            return solid.model_copy(update={"distance": max(solid.distance - by, SMALLEST)})
        case Ground():
            if not solid.profile:
                return solid.model_copy(update={"height": solid.height + by})
        case _:
            pass
    return moved(solid, by * normal)


def _slab_side(solid: Slab, normal: Array, face: str, by: float) -> Slab:
    faces = faces_of(solid)
    loop = faces.loops[faces.names.index(face)]
    ends = {(round(float(faces.vertices[i][0]), 9), round(float(faces.vertices[i][2]), 9)) for i in loop}
    outline = [
        (p[0] + by * float(normal[0]), p[1] + by * float(normal[2])) if (round(p[0], 9), round(p[1], 9)) in ends else p
        for p in solid.outline
    ]
    return solid.model_copy(update={"outline": outline})
