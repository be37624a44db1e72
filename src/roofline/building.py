"""Massing over the store: what is drawn through a photo, dragged, arranged, settled, brought in and looked at."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import Array, View, straighten_pixels, view_of
from roofline.core.massing import arrange, construct
from roofline.core.massing.planes import plane_of
from roofline.core.massing.settle import Settled, Side, seen_sides, settle
from roofline.core.massing.solids import Triangles, faces_of
from roofline.core.massing.touch import Mode, Place, Touch
from roofline.core.move.path import home_photo
from roofline.core.survey.snap import snap
from roofline.errors import Conflict, MassingError, NotFound
from roofline.formats import meshes
from roofline.shot import AnySolid, Block, Flat, Imported, Photo, Room, Shot, Throw, Vec2, Vec3, Wall
from roofline.store.cache import Cache
from roofline.store.store import Store
from roofline.surveying import photo_of

SETTLE_REACH = 0.002  # of the photo's width: how far beside a side its edge in the picture is looked for
SETTLE_SIGMA = 0.5  # pixels: how well an edge of the picture is known
STREET_END = 1.02  # a street's backdrop stands a little beyond the façades' far ends


def fresh_id(prefix: str, taken: list[str]) -> str:
    """`prefix`, or the first of prefix2, prefix3 … that is free."""
    base = re.sub(r"[^a-z0-9]+", "-", prefix.lower()).strip("-")[:40] or "item"
    n, ident = 1, base
    while ident in taken:
        n += 1
        ident = f"{base}{n}"
    return ident


def fresh_name(name: str, taken: set[str]) -> str:
    """`name`, or with the next number that is free: Post, Post 2, Post 3."""
    if name not in taken:
        return name
    stem = re.sub(r"\s+\d+$", "", name)
    n = 2
    while f"{stem} {n}" in taken:
        n += 1
    return f"{stem} {n}"


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


class Building:
    """Operations of the Massing stage."""

    def __init__(self, store: Store, straight: Callable[[Photo], NDArray[np.uint8]]):
        self.store = store
        self._straight = straight
        self._places: Cache[Place] = Cache(4)
        self._meshes: Cache[Triangles] = Cache(12)
        self._greys: Cache[NDArray[np.uint8]] = Cache(3)

    # ------------------------------------------------------------ what is there

    def surveyed(self, shot: Shot, photo_id: str | None = None) -> tuple[Photo, View]:
        """A photo with camera and scale, and its view; raises MassingError otherwise."""
        photo = photo_of(shot, photo_id) if photo_id else home_photo(shot)
        if photo.camera is None:
            raise MassingError(f"The photo '{photo.name}' is not surveyed yet: trace edges first.")
        if photo.camera.position is None:
            raise MassingError("The survey has no scale yet: set a tape or the camera's height first.")
        return photo, view_of(photo.camera)

    def solid(self, shot: Shot, solid_id: str) -> AnySolid:
        for solid in shot.solids:
            if solid.id == solid_id:
                return solid
        raise NotFound(f"There is no solid '{solid_id}'.")

    def meshes(self, shot: Shot) -> dict[str, Triangles]:
        """What the files of imported pieces contain."""
        files = {s.file for s in shot.solids if isinstance(s, Imported)}
        return {f: self._meshes.get(f, lambda f=f: meshes.read(self.store.blobs.read(f), f)) for f in files}  # type: ignore[misc]

    def place(self, shot: Shot, without: str | None = None) -> Place:
        """The pieces that can be touched: those shown, less the one that is being drawn anew."""
        shown = [s for s in shot.solids if not s.hidden and s.id != without]
        key = "|".join(s.model_dump_json(exclude={"name", "tags"}) for s in shown)
        return self._places.get(key, lambda: Place(shown, self.meshes(shot)))

    def _lines(self, photo: Photo) -> list[tuple[Array, Array]]:
        """The photo's traced edges, straightened."""
        if photo.camera is None:
            return []
        out = []
        for edge in photo.survey.edges:
            p = straighten_pixels(np.array([edge.points[0], edge.points[-1]]), photo.camera)
            out.append((p[0], p[1]))
        return out

    def touch(
        self,
        shot: Shot,
        photo_id: str | None,
        pixel: Vec2,
        mode: Mode,
        reach: float,
        level: float | None = None,
        base: Vec3 | None = None,
    ) -> Touch:
        """What a click at a pixel would take hold of."""
        photo, view = self.surveyed(shot, photo_id)
        at = None if base is None else np.array(base)
        return self.place(shot).touch(view, pixel, mode, level, reach, self._lines(photo), at)

    # ------------------------------------------------------------ drawing

    def construct(self, shot: Shot, g: Gesture) -> list[AnySolid]:
        """The new pieces of a gesture; or, of a recess, the piece that it is cut into, changed."""
        photo, view = self.surveyed(shot, g.photo)
        place, lines = self.place(shot), self._lines(photo)
        taken, names = [s.id for s in shot.solids], {s.name for s in shot.solids}

        def called(kind: str) -> tuple[str, str]:
            number = 1 + sum(s.kind == kind for s in shot.solids)
            name = g.name if g.name and kind == g.kind else f"{kind.capitalize()} {number}"
            name = fresh_name(name, names)
            ident = fresh_id(name, taken)
            taken.append(ident)
            names.add(name)
            return ident, name

        if g.kind == "recess":
            return [self._recess(shot, view, g)]
        if g.kind == "gable":
            on = self._chosen(shot, g)
            if not isinstance(on, Block | Room):
                raise MassingError("A roof stands on a block: click one.")
            return [construct.gable(view, *called("gable"), on, g.top)]
        if g.kind == "panel":
            return [construct.panel(view, *called("panel"), g.points, self._plane(shot, view, place, lines, g))]
        need = {"block": 2, "wall": 2, "steps": 2, "column": 2, "room": 2, "street": 4, "fold": 1, "flat": 1, "slab": 3}
        if len(g.points) < need.get(g.kind, 0):
            raise MassingError(f"A {g.kind} is drawn with {need[g.kind]} points on the ground, not {len(g.points)}.")
        points, level = self._feet(place, view, lines, g)
        top = self._top(place, view, points, level, g)
        match g.kind:
            case "ground":
                return [construct.ground(view, *called("ground"))]
            case "block":
                return [construct.block(view, *called("block"), points[0], points[1], top, level)]
            case "wall":
                return [construct.wall(view, *called("wall"), points[0], points[1], top, level)]
            case "steps":
                return [construct.steps(view, *called("steps"), points[0], points[1], top, level)]
            case "column":
                return [construct.column(view, *called("column"), points[0], points[1], top, level)]
            case "slab":
                return [construct.slab(view, *called("slab"), points, top, level)]
            case "room":
                return [construct.room(view, *called("room"), points[0], g.points[1], level)]
            case "flat":
                if g.plate is None:
                    raise MassingError("A flat shows a plate of its own: outline the foreground in Plates first.")
                return [construct.flat(view, *called("flat"), points[0], _plate_canvas(shot, g.plate), level)]
            case "backdrop":
                far = g.distance if g.distance is not None else construct.FAR
                return [construct.backdrop(view, *called("backdrop"), far)]
            case "fold":
                far, _ = construct.fold(view, points[0], level)
                return [construct.ground(view, *called("ground")), construct.backdrop(view, *called("backdrop"), far)]
            case "street":
                return self._street(view, points, top, level, called)
        raise MassingError(f"There is no way to draw a {g.kind} through the photo.")

    def _street(
        self, view: View, points: list[Vec2], top: Vec2 | None, level: float, called: Callable[[str], tuple[str, str]]
    ) -> list[AnySolid]:
        """Ground, the two façades along drawn foot lines, as high as the second is pulled, and a backdrop at their end."""
        right = construct.wall(view, *called("wall"), points[2], points[3], top, level)
        left = construct.wall(view, *called("wall"), points[0], points[1], None, level)
        left = left.model_copy(update={"height": right.height})
        ahead = view.rotation[2] * [1, 0, 1]
        ahead = ahead / np.linalg.norm(ahead)
        ends = [np.array([x, level, z]) for w in (left, right) for x, z in (w.a, w.b)]
        far = STREET_END * max(float((e - view.position) @ ahead) for e in ends)
        return [
            construct.ground(view, *called("ground")),
            left,
            right,
            construct.backdrop(view, *called("backdrop"), far),
        ]

    def _feet(self, place: Place, view: View, lines: list[tuple[Array, Array]], g: Gesture) -> tuple[list[Vec2], float]:
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
            out.append(touch.pixel)
        return out, level or 0.0

    def _top(self, place: Place, view: View, points: list[Vec2], level: float, g: Gesture) -> Vec2 | None:
        """The pixel of the pulled height after snapping to other heights."""
        if not points or (g.top is None and g.height is None):
            return None
        base = construct.foot(view, points[-1], level)
        if g.kind == "column":
            made = construct.column(view, "c", "c", points[0], points[1], None, level)
            base = np.array(made.foot)
        if g.height is not None:
            p = view.project(base + np.array([0.0, g.height, 0.0]))
            if np.isnan(p).any():
                raise MassingError("That height reaches behind the camera.")
            return float(p[0]), float(p[1])
        assert g.top is not None
        return place.touch(view, g.top, "height", None, g.reach, None, base).pixel

    def _chosen(self, shot: Shot, g: Gesture) -> AnySolid:
        if g.on is None:
            raise MassingError("Choose the piece that is built on first.")
        return self.solid(shot, g.on.partition("/")[0])

    def _plane(
        self, shot: Shot, view: View, place: Place, lines: list[tuple[Array, Array]], g: Gesture
    ) -> tuple[Array, float]:
        """The plane that a panel lies on: that of a face, or upright over the first point's foot."""
        if g.on is not None and "/" in g.on:
            faces = faces_of(self._chosen(shot, g), self.meshes(shot))
            face = g.on.partition("/")[2]
            if face not in faces.names:
                raise MassingError("The face that the panel was to lie on is not there any more.")
            return plane_of(faces.vertices[faces.loops[faces.names.index(face)]])
        if not g.points:
            raise MassingError("A panel needs three corners or more: click them one after another.")
        touch = place.touch(view, g.points[0], "foot", None, g.reach, lines)
        if touch.world is None:
            raise MassingError("Begin a panel on a face, or at its foot on the ground.")
        return construct.upright_plane(view, touch.world)

    def _recess(self, shot: Shot, view: View, g: Gesture) -> AnySolid:
        solid = self._chosen(shot, g)
        if not isinstance(solid, Block | Wall | Room) or g.on is None or "/" not in g.on:
            raise MassingError("Openings are cut into the faces of blocks, walls and rooms.")
        if solid.locked:
            raise MassingError(f"{solid.name} is locked; unlock it first.")
        if len(g.points) < 2:
            raise MassingError("Drag over the face, from one corner of the opening to the other.")
        face = g.on.partition("/")[2]
        place = self.place(shot)
        points = [place.touch(view, p, "face", None, g.reach).pixel if g.reach else p for p in g.points[:2]]
        return construct.recess(view, solid, face, points[0], points[1], g.depth, g.name or "Opening")

    def build(self, shot_id: str, g: Gesture) -> list[str]:
        """Keep what a gesture builds; returns the pieces' ids. Flats get their plate, the others the photo, thrown on them."""
        made: list[str] = []

        def alter(shot: Shot) -> Shot:
            for solid in self.construct(shot, g):
                made.append(solid.id)
                if any(s.id == solid.id for s in shot.solids):
                    shot.solids = [solid if s.id == solid.id else s for s in shot.solids]
                else:
                    shot.solids.append(solid)
                    thrown_on(shot, solid, g.plate)
            return shot

        label = {"recess": "Cut an opening", "fold": "Fold the picture", "street": "Fold into a street"}
        self.store.change(shot_id, label.get(g.kind, f"Build a {g.kind}"), alter)
        return made

    # ------------------------------------------------------------ changing

    def change(self, shot_id: str, ids: list[str], label: str, alter_one: Callable[[Shot, AnySolid], AnySolid]) -> None:
        """Change some pieces in one step that can be undone."""

        def alter(shot: Shot) -> Shot:
            for ident in ids:
                solid = self.solid(shot, ident)
                new = alter_one(shot, solid)
                if new.id != ident:
                    raise Conflict("A solid keeps its id.")
                if solid.locked and new.locked:
                    raise MassingError(f"{solid.name} is locked; unlock it first.")
                shot.solids = [new if s.id == ident else s for s in shot.solids]
            return shot

        self.store.change(shot_id, label, alter)

    def remove(self, shot_id: str, ids: list[str]) -> None:
        def alter(shot: Shot) -> Shot:
            gone = set(ids)
            for ident in ids:
                self.solid(shot, ident)
            shot.solids = [s for s in shot.solids if s.id not in gone]
            for throw in shot.throws:
                throw.targets = [t for t in throw.targets if t.partition("/")[0] not in gone]
            for plate in shot.plates:
                plate.without = [w for w in plate.without if w not in gone]
            return shot

        self.store.change(shot_id, "Remove a solid" if len(ids) == 1 else f"Remove {len(ids)} solids", alter)

    def copy(self, shot_id: str, ids: list[str], step: Vec3, times: int, label: str) -> list[str]:
        """Copies of some pieces, each set a step further than the one before; thrown upon as the first ones are."""
        made: list[str] = []

        def alter(shot: Shot) -> Shot:
            for n in range(1, times + 1):
                for ident in ids:
                    solid = self.solid(shot, ident)
                    copied = arrange.moved(solid, n * np.array(step))
                    name = fresh_name(solid.name, {s.name for s in shot.solids})
                    new = copied.model_copy(
                        update={"id": fresh_id(name, [s.id for s in shot.solids]), "name": name, "locked": False}
                    )
                    shot.solids.append(new)
                    made.append(new.id)
                    _thrown_like(shot, ident, new.id)
            return shot

        self.store.change(shot_id, label, alter)
        return made

    def mirror(self, shot_id: str, ids: list[str], axis: arrange.Axis, at: float, keep: bool) -> list[str]:
        """Pieces mirrored at a plane across run or return; ``keep`` leaves the first ones standing beside."""
        made: list[str] = []

        def alter(shot: Shot) -> Shot:
            for ident in ids:
                solid = self.solid(shot, ident)
                new = arrange.mirrored(solid, axis, at)
                if not keep:
                    if solid.locked:
                        raise MassingError(f"{solid.name} is locked; unlock it first.")
                    shot.solids = [new if s.id == ident else s for s in shot.solids]
                    made.append(ident)
                    continue
                name = fresh_name(solid.name, {s.name for s in shot.solids})
                new = new.model_copy(update={"id": fresh_id(name, [s.id for s in shot.solids]), "name": name})
                shot.solids.append(new)
                made.append(new.id)
                _thrown_like(shot, ident, new.id)
            return shot

        self.store.change(shot_id, "Mirror", alter)
        return made

    def reorder(self, shot_id: str, ids: list[str]) -> None:
        """Put the pieces in an order; those that are not named stay behind the others, as they were."""

        def alter(shot: Shot) -> Shot:
            place = {ident: n for n, ident in enumerate(ids)}
            shot.solids = sorted(shot.solids, key=lambda s: place.get(s.id, len(ids)))
            return shot

        self.store.change(shot_id, "Change the order", alter)

    def face_plane(self, shot: Shot, name: str) -> tuple[Array, float]:
        """The plane of a face by its full name."""
        solid_id, _, face = name.partition("/")
        faces = faces_of(self.solid(shot, solid_id), self.meshes(shot))
        if face not in faces.names:
            raise NotFound(f"There is no face '{name}'.")
        return plane_of(faces.vertices[faces.loops[faces.names.index(face)]])

    # ------------------------------------------------------------ settling

    def settle(self, shot_id: str, solid_id: str) -> Settled:
        """Fit a piece to the edges of all photos that see it, and keep it."""
        got: list[Settled] = []

        def alter_one(shot: Shot, solid: AnySolid) -> AnySolid:
            got.append(self.settled(shot, solid))
            return got[-1].solid

        name = self.solid(self.store.load(shot_id), solid_id).name
        self.change(shot_id, [solid_id], f"Settle {name}", alter_one)
        return got[-1]

    def settled(self, shot: Shot, solid: AnySolid) -> Settled:
        shown = self.place(
            shot.model_copy(update={"solids": [s for s in shot.solids if s.id == solid.id or not s.hidden]})
        )
        number = next(n for n, s in enumerate(shown.solids) if s.id == solid.id)
        views: list[View] = []
        sides: list[Side] = []
        for photo in shot.photos:
            if photo.camera is None or photo.camera.position is None:
                continue
            view = view_of(photo.camera)
            grey = self._grey(photo)
            for ends, pixels in seen_sides(shown, number, view):
                laid = snap(grey, pixels[0], pixels[1], max(4.0, SETTLE_REACH * view.width), 6)
                if laid is not None:
                    sides.append(Side(len(views), ends, laid))
            views.append(view)
        return settle(solid, views, sides, SETTLE_SIGMA)

    def _grey(self, photo: Photo) -> NDArray[np.uint8]:
        key = f"{photo.file}{photo.camera.model_dump_json() if photo.camera else ''}"

        def make() -> NDArray[np.uint8]:
            return np.asarray(cv2.cvtColor(self._straight(photo), cv2.COLOR_RGB2GRAY))

        return self._greys.get(key, make)

    # ------------------------------------------------------------ bringing in

    def bring(self, shot_id: str, data: bytes, file_name: str) -> str:
        """Bring in a mesh file; returns the new piece's id."""
        mesh = meshes.read(data, file_name)
        file = self.store.blobs.keep(meshes.packed(mesh), ".glb")
        self._meshes.put(file, mesh)
        made: list[str] = []

        def alter(shot: Shot) -> Shot:
            stem = re.sub(r"\.[^.]*$", "", file_name.rsplit("/", 1)[-1])
            stem = re.sub(r"[\x00-\x1f\x7f]", "", stem).strip()[:80] or "Mesh"
            name = fresh_name(stem, {s.name for s in shot.solids})
            low, high = mesh.vertices.min(0), mesh.vertices.max(0)
            solid = Imported(
                id=fresh_id(name, [s.id for s in shot.solids]),
                name=name,
                file=file,
                triangles=len(mesh.indices),
                low=(float(low[0]), float(low[1]), float(low[2])),
                high=(float(high[0]), float(high[1]), float(high[2])),
            )
            made.append(solid.id)
            shot.solids.append(solid)
            thrown_on(shot, solid, None)
            return shot

        self.store.change(shot_id, "Bring in a mesh", alter)
        return made[-1]


def _plate_canvas(shot: Shot, plate_id: str) -> tuple[float, float, float, float]:
    try:
        return shot.plate(plate_id).canvas
    except KeyError:
        raise NotFound(f"There is no plate '{plate_id}'.") from None


def thrown_on(shot: Shot, solid: AnySolid, plate_id: str | None) -> None:
    """Throws for a new piece: on a flat its own plate; on others the photos and clean plates, as the artist expects."""
    if isinstance(solid, Flat) and plate_id:
        throw = next((t for t in shot.throws if t.plate == plate_id), None)
        if throw is None:
            shot.throws.insert(0, Throw(plate=plate_id, targets=[solid.id]))
        else:
            throw.targets.append(solid.id)
        for clean in (p for p in shot.plates if p.clean_of == plate_id):
            clean.without = [*clean.without, solid.id]
        return
    for throw in shot.throws:
        if shot.plate(throw.plate).role in ("photo", "clean"):
            throw.targets.append(solid.id)


def _thrown_like(shot: Shot, ident: str, new: str) -> None:
    """Give a copy the throws of the piece that it is copied from."""
    for throw in shot.throws:
        more = [new + t[len(ident) :] for t in throw.targets if t == ident or t.startswith(ident + "/")]
        throw.targets.extend(more)
    for plate in shot.plates:
        if ident in plate.without:
            plate.without = [*plate.without, new]
