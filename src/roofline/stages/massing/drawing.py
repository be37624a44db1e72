"""Drawing pieces through a photo: what a gesture builds."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from roofline.core.camera import Array, View, straighten_pixels
from roofline.core.massing import construct as made_of
from roofline.core.massing.kinds import Backdrop, Column, Ground, Wall, kind_of
from roofline.core.massing.kinds.base import Drawing, foot
from roofline.core.massing.kinds.opened import Opened
from roofline.core.massing.solids import faces_of
from roofline.core.massing.touch import Mode, Place, Touch
from roofline.core.survey.second import along
from roofline.errors import MassingError, NotFound
from roofline.model.base import Vec2, Vec3
from roofline.model.photo import Photo
from roofline.model.shot import Shot
from roofline.model.solids import AnySolid
from roofline.stages.massing.pieces import solid_of, thrown_on
from roofline.stages.photo import surveyed
from roofline.stages.shots import fresh_id, fresh_name
from roofline.work.desk import Desk
from roofline.work.engines import digest

STREET_END = 1.02  # a street's backdrop stands a little beyond the façades' far ends


@dataclass
class Gesture:
    """What was drawn: clicks as pixels of the straightened photo, and how they are to be read."""

    kind: str
    points: list[Vec2] = field(default_factory=list)
    top: Vec2 | None = None
    photo: str | None = None
    plate: str | None = None
    distance: float | None = None
    depth: float = 0.3
    height: float | None = None  # metres; instead of a pulled one
    on: str | None = None  # the solid, or solid/face, that is built on
    name: str | None = None
    reach: float = 0.0  # pixels within which clicks snap


def place(desk: Desk, shot: Shot, without: str | None = None) -> Place:
    """The pieces that can be touched: those shown, less the one that is being drawn anew."""
    shown = [s for s in shot.solids if not s.hidden and s.id != without]
    key = "|".join(s.model_dump_json(exclude={"name", "tags"}) for s in shown)
    return desk.kept.get("place", digest(key), lambda: Place(shown, desk.engines.meshes(shot)))


def _lines(photo: Photo) -> list[tuple[Array, Array]]:
    """The photo's traced edges, straightened."""
    if photo.camera is None:
        return []
    out = []
    for edge in photo.survey.edges:
        p = straighten_pixels(np.array([edge.points[0], edge.points[-1]]), photo.camera)
        out.append((p[0], p[1]))
    return out


def touch(
    desk: Desk,
    shot: Shot,
    photo_id: str | None,
    pixel: Vec2,
    mode: Mode,
    reach: float,
    level: float | None = None,
    base: Vec3 | None = None,
) -> Touch:
    """What a click at a pixel would take hold of."""
    photo, view = surveyed(shot, photo_id)
    at = None if base is None else np.array(base)
    return place(desk, shot).touch(view, pixel, mode, level, reach, _lines(photo), at)


def construct(desk: Desk, shot: Shot, g: Gesture) -> list[AnySolid]:
    """The new pieces of a gesture; or, of a recess, the piece that it is cut into, changed."""
    photo, view = surveyed(shot, g.photo)
    there, lines = place(desk, shot), _lines(photo)
    odd = photo.result.second_run if photo.result else None
    way = along(np.radians(odd.angle_deg)) if odd else None
    taken, names = [s.id for s in shot.solids], {s.name for s in shot.solids}

    def called(kind: str) -> tuple[str, str]:
        number = 1 + sum(s.kind == kind for s in shot.solids)
        name = g.name if g.name and kind == g.kind else f"{kind.capitalize()} {number}"
        name = fresh_name(name, names)
        ident = fresh_id(name, taken)
        taken.append(ident)
        names.add(name)
        return ident, name

    match g.kind:
        case "recess":
            return [_recess(desk, shot, view, g)]
        case "fold":
            return _folded(view, there, lines, g, called)
        case "street":
            return _street(view, *_over_ground(there, view, lines, g, 4, way), called)
    kind = kind_of(g.kind)
    if kind is None:
        raise MassingError(f"There is no way to draw a {g.kind} through the photo.")
    points, top, level = ([], g.top, 0.0) if kind.feet is None else _over_ground(there, view, lines, g, kind.feet, way)
    drawing = Drawing(
        view=view,
        called=called,
        points=points,
        pixels=g.points,
        level=level,
        top=top,
        distance=g.distance,
        on=None if g.on is None else solid_of(shot, g.on.partition("/")[0]),
        canvas=None if g.plate is None else plate_canvas(desk, shot, g.plate),
        plane=lambda: _plane(desk, shot, view, there, lines, g),
    )
    return [kind.drawn(drawing)]


def _over_ground(
    there: Place, view: View, lines: list[tuple[Array, Array]], g: Gesture, needed: int, way: Array | None = None
) -> tuple[list[Vec2], Vec2 | None, float]:
    """The foot points and the pulled height of a gesture after snapping, and the level that it stands on.

    ``way``: (3,) the direction of façades that stand at an odd angle, along which walls are laid that nearly run so.
    """
    if len(g.points) < needed:
        raise MassingError(f"A {g.kind} is drawn with {needed} points on the ground, not {len(g.points)}.")
    points, level = _feet(there, view, lines, g, way if g.kind in ("wall", "street") else None)
    return points, _top(there, view, points, level, g), level


Called = Callable[[str], tuple[str, str]]


def _folded(view: View, there: Place, lines: list[tuple[Array, Array]], g: Gesture, called: Called) -> list[AnySolid]:
    """Ground, and a backdrop that meets it where it was clicked."""
    points, _, level = _over_ground(there, view, lines, g, 1)
    far, _ = made_of.fold(view, points[0], level)
    return [Ground.through(view, *called("ground")), Backdrop.through(view, *called("backdrop"), far)]


def _street(view: View, points: list[Vec2], top: Vec2 | None, level: float, called: Called) -> list[AnySolid]:
    """Ground, the two façades along drawn foot lines, as high as the second is pulled, and a backdrop at their end."""
    right = Wall.through(view, *called("wall"), points[2], points[3], top, level)
    left = Wall.through(view, *called("wall"), points[0], points[1], None, level)
    left = left.model_copy(update={"height": right.height})
    ahead = view.rotation[2] * [1, 0, 1]
    ahead = ahead / np.linalg.norm(ahead)
    ends = [np.array([x, level, z]) for w in (left, right) for x, z in (w.a, w.b)]
    far = STREET_END * max(float((e - view.position) @ ahead) for e in ends)
    return [
        Ground.through(view, *called("ground")),
        left,
        right,
        Backdrop.through(view, *called("backdrop"), far),
    ]


def _feet(
    place: Place, view: View, lines: list[tuple[Array, Array]], g: Gesture, way: Array | None
) -> tuple[list[Vec2], float]:
    """The foot points after snapping, and the level that they stand on: that of the first one."""
    level: float | None = None
    out: list[Vec2] = []
    feet = g.points[:1] if g.kind == "room" else g.points
    for pixel in feet:
        touch = place.touch(view, pixel, "foot", level, g.reach, lines)
        if touch.world is None:
            raise MassingError("That point lies above the horizon, so it cannot be on the ground.")
        if level is None:
            level = float(touch.world[1])
            level = 0.0 if abs(level) < 1e-9 else level
        if way is not None and len(out) % 2 and touch.to is None:
            out.append(_laid_along(view, out[-1], touch, way, g.reach, level))
        else:
            out.append(touch.pixel)
    return out, level or 0.0


def _laid_along(view: View, first: Vec2, touch: Touch, way: Array, reach: float, level: float) -> Vec2:
    """The second foot of a wall, on the line from its first one along a direction where it is drawn that near to it."""
    assert touch.world is not None
    start = foot(view, first, level)
    there = view.project(start + way * float((touch.world - start) @ way))
    if np.isnan(there).any() or float(np.hypot(*(there - touch.pixel))) > reach:
        return touch.pixel
    return float(there[0]), float(there[1])


def _top(place: Place, view: View, points: list[Vec2], level: float, g: Gesture) -> Vec2 | None:
    """The pixel of the pulled height after snapping to other heights."""
    if not points or (g.top is None and g.height is None):
        return None
    base = foot(view, points[-1], level)
    if g.kind == "column":
        made = Column.through(view, "c", "c", points[0], points[1], None, level)
        base = np.array(made.foot)
    if g.height is not None:
        p = view.project(base + np.array([0.0, g.height, 0.0]))
        if np.isnan(p).any():
            raise MassingError("That height reaches behind the camera.")
        return float(p[0]), float(p[1])
    assert g.top is not None
    return place.touch(view, g.top, "height", None, g.reach, None, base).pixel


def _chosen(shot: Shot, g: Gesture) -> AnySolid:
    if g.on is None:
        raise MassingError("Choose the piece that is built on first.")
    return solid_of(shot, g.on.partition("/")[0])


def _plane(
    desk: Desk, shot: Shot, view: View, place: Place, lines: list[tuple[Array, Array]], g: Gesture
) -> tuple[Array, float]:
    """The plane that a panel lies on: that of a face, or upright over the first point's foot."""
    if g.on is not None and "/" in g.on:
        plane = faces_of(_chosen(shot, g), desk.engines.meshes(shot)).plane(g.on.partition("/")[2])
        if plane is None:
            raise MassingError("The face that the panel was to lie on is not there any more.")
        return plane
    if not g.points:
        raise MassingError("A panel needs three corners or more: click them one after another.")
    touch = place.touch(view, g.points[0], "foot", None, g.reach, lines)
    if touch.world is None:
        raise MassingError("Begin a panel on a face, or at its foot on the ground.")
    return made_of.upright_plane(view, touch.world)


def _recess(desk: Desk, shot: Shot, view: View, g: Gesture) -> AnySolid:
    solid = _chosen(shot, g)
    if not isinstance(solid, Wall | Opened) or g.on is None or "/" not in g.on:
        raise MassingError("Openings are cut into the faces of blocks, walls and rooms.")
    if solid.locked:
        raise MassingError(f"{solid.name} is locked; unlock it first.")
    if len(g.points) < 2:
        raise MassingError("Drag over the face, from one corner of the opening to the other.")
    face = g.on.partition("/")[2]
    there = place(desk, shot)
    points = [there.touch(view, p, "face", None, g.reach).pixel if g.reach else p for p in g.points[:2]]
    return made_of.recess(view, solid, face, points[0], points[1], g.depth, g.name or "Opening")


def build(desk: Desk, shot_id: str, g: Gesture) -> list[str]:
    """Keep what a gesture builds; returns the pieces' ids. Flats get their plate, the others the photo, thrown on
    them."""
    made: list[str] = []

    def alter(shot: Shot) -> Shot:
        made.clear()
        for solid in construct(desk, shot, g):
            made.append(solid.id)
            if any(s.id == solid.id for s in shot.solids):
                shot.solids = [solid if s.id == solid.id else s for s in shot.solids]
            else:
                shot.solids.append(solid)
                thrown_on(shot, solid, g.plate)
        return shot

    label = {"recess": "Cut an opening", "fold": "Fold the picture", "street": "Fold into a street"}
    desk.store.change(shot_id, label.get(g.kind, f"Build a {g.kind}"), alter)
    return made


def plate_canvas(desk: Desk, shot: Shot, plate_id: str) -> tuple[float, float, float, float]:
    """Where a plate lies in its photo; of one with steps, where its matte leaves anything."""
    try:
        plate = shot.plate(plate_id)
        return desk.engines.picture(shot, plate).canvas or plate.canvas
    except KeyError:
        raise NotFound(f"There is no plate '{plate_id}'.") from None
