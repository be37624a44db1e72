"""Routes of the Massing stage: drawing through the photo, dragging, arranging, settling, bringing in, looking."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Literal

import numpy as np
from flask import Response
from pydantic import Field

from roofline.core.massing import pull
from roofline.core.massing.kinds import Solid
from roofline.errors import MassingError
from roofline.formats import depths, glance
from roofline.formats.pictures import png
from roofline.model.base import Model, Name, Vec2, Vec3
from roofline.model.massing import KINDS
from roofline.model.parts import Parts
from roofline.model.shot import Shot
from roofline.model.solids import AnySolid
from roofline.server.routes import Routes, Width
from roofline.server.site import SHOT, Site, uploaded
from roofline.server.state import Built, Outlined, ShotState
from roofline.stages.massing import drawing, looking, pieces
from roofline.stages.massing.arranging import Arrange, arranged
from roofline.stages.massing.bringing import bring
from roofline.stages.massing.drawing import Gesture
from roofline.stages.massing.pieces import solid_of
from roofline.stages.massing.settling import settle_piece
from roofline.stages.photo import surveyed
from roofline.store.store import MadeFrom

Axis = Literal["run", "rise", "return"]
Pixels = Annotated[float, Field(ge=0, le=400)]
COMPOUND = ("recess", "fold", "street")  # what is drawn and is no kind of its own
if TYPE_CHECKING:
    Drawable = str
else:
    Drawable = Literal[(*(k for k, cls in KINDS.items() if cls.drawn.__func__ is not Solid.drawn.__func__), *COMPOUND)]


class Construction(Model):
    """A gesture through the photo, in straightened photo pixels; clicks snap within `reach` pixels (0: to nothing)."""

    kind: Drawable
    photo: str | None = None
    points: Annotated[list[Vec2], Field(max_length=400)] = []
    top: Vec2 | None = None
    plate: str | None = None
    distance: Annotated[float, Field(gt=0, le=100_000)] | None = None
    depth: Annotated[float, Field(gt=0, le=1000)] = 0.3
    height: Annotated[float, Field(gt=0, le=1000)] | None = None
    on: str | None = None
    name: Name | None = None
    reach: Pixels = 0.0


class Constructed(Model):
    """What a gesture would build."""

    solids: list[AnySolid]
    shapes: list[Outlined]


class Touching(Model):
    """Where the pointer is, and what is looked for: a foot to stand on, any face, or a height over a base point."""

    pixel: Vec2
    photo: str | None = None
    mode: Literal["foot", "face", "height"] = "foot"
    reach: Pixels = 0.0
    level: float | None = None
    base: Vec3 | None = None


class Touched(Model):
    """The pixel after snapping, its place, what it stuck to in words, and the face or ground that it lies on."""

    pixel: Vec2
    world: Vec3 | None
    to: str | None
    surface: str | None
    ends: tuple[Vec2, Vec2] | None = None  # of the edge that it stuck to, as pixels


class PartsSet(Model):
    """Fields, or single numbers of them (``corner.1``), and what they are set to."""

    set: Parts


class Pull(Model):
    """A corner dragged along an axis: to a pixel, or by metres (as in plan)."""

    corner: Annotated[int, Field(ge=0)]
    axis: Axis
    pixel: Vec2 | None = None
    by: Annotated[float, Field(ge=-10_000, le=10_000)] | None = None
    photo: str | None = None


class Shove(Model):
    """A face dragged along its normal, from the spot under one pixel to another."""

    face: str
    start: Vec2
    pixel: Vec2
    photo: str | None = None


class SettledState(Model):
    """The shot after a piece has been settled: what its sides still miss, and how well its seen corners are known."""

    state: ShotState
    rms_px: float
    corner_m: float
    used: int
    left_out: int
    farther: bool
    alone: bool


class DepthReading(Model):
    """Metres in front of the lens at a pixel, and along its ray; null where there is nothing."""

    depth_m: float | None
    distance_m: float | None
    surface: str | None


class Overlap(Model):
    """How much of a flat another piece hides at home, percent of what the flat would show."""

    piece: str
    percent: float


class HomeOrder(Model):
    """What hides a flat at home, and which flats it hides there."""

    hidden_by: list[Overlap]
    hides: list[Overlap]


class Looks(Model):
    """What the photo's frame shows: part covered by surfaces (percent), nearest and farthest depth (metres)."""

    cover_percent: float
    near_m: float | None
    far_m: float | None


def add_routes(site: Site, routes: Routes) -> None:
    for part in (_drawing, _dragging, _arranging, _looking):
        part(site, routes)


def _constructed(site: Site, shot: Shot, solids: list[AnySolid]) -> Constructed:
    return Constructed(solids=solids, shapes=site.states.shapes(shot, solids))


def _drawing(site: Site, routes: Routes) -> None:
    desk, states = site.desk, site.states

    def gesture(body: Construction) -> Gesture:
        return Gesture(**body.model_dump())

    @routes.add("POST", SHOT + "/touch", body=Touching, returns=Touched)
    def touch(shot_id: str, body: Touching) -> Touched:
        """What lies under the pointer, and what a click would snap to."""
        shot = desk.store.load(shot_id)
        got = drawing.touch(desk, shot, body.photo, body.pixel, body.mode, body.reach, body.level, body.base)
        world = None if got.world is None else (float(got.world[0]), float(got.world[1]), float(got.world[2]))
        ends = None
        if got.ends is not None:
            p = surveyed(shot, body.photo)[1].project(got.ends)
            if not np.isnan(p).any():
                ends = ((float(p[0, 0]), float(p[0, 1])), (float(p[1, 0]), float(p[1, 1])))
        return Touched(pixel=got.pixel, world=world, to=got.to, surface=got.surface, ends=ends)

    @routes.add("POST", SHOT + "/construct/try", body=Construction, returns=Constructed)
    def try_construct(shot_id: str, body: Construction) -> Constructed:
        """What a gesture would build."""
        shot = desk.store.load(shot_id)
        return _constructed(site, shot, drawing.construct(desk, shot, gesture(body)))

    @routes.add("POST", SHOT + "/construct", body=Construction, returns=Built)
    def construct_solid(shot_id: str, body: Construction) -> Built:
        """Build by a gesture through the photo."""
        made = drawing.build(desk, shot_id, gesture(body))
        return Built(state=states.changed(shot_id), made=made)

    @routes.add("PUT", SHOT + "/solids/<solid_id>", body=AnySolid, returns=ShotState, query={"revision": int})
    def set_solid(shot_id: str, solid_id: str, body: AnySolid, revision: int) -> ShotState:
        """Put another solid in the place of one; `revision`: of the shot that it was made from."""
        made_from = MadeFrom("solid", revision, "the pieces")
        pieces.change(desk, shot_id, [solid_id], "Change a piece", lambda _, __: body, made_from)
        return states.changed(shot_id)

    @routes.add("PATCH", SHOT + "/solids/<solid_id>", body=PartsSet, returns=ShotState)
    def change_solid(shot_id: str, solid_id: str, body: PartsSet) -> ShotState:
        """Set some of a solid's figures, or its name."""
        pieces.set_parts(desk, shot_id, solid_id, body.set)
        return states.changed(shot_id)

    @routes.add("DELETE", SHOT + "/solids/<solid_id>", returns=ShotState)
    def remove_solid(shot_id: str, solid_id: str) -> ShotState:
        """Remove a solid."""
        pieces.remove(desk, shot_id, [solid_id])
        return states.changed(shot_id)


def _dragging(site: Site, routes: Routes) -> None:
    desk, states = site.desk, site.states

    def pulled(shot: Shot, solid: AnySolid, body: Pull) -> AnySolid:
        meshes = desk.engines.meshes(shot)
        if body.by is not None:
            return pull.pulled_by(solid, body.corner, body.axis, body.by, meshes)
        if body.pixel is None:
            raise MassingError("Where the corner is dragged to is missing: a pixel, or metres.")
        return pull.pulled(solid, surveyed(shot, body.photo)[1], body.corner, body.axis, body.pixel, meshes)

    @routes.add("POST", SHOT + "/solids/<solid_id>/pull/try", body=Pull, returns=Constructed)
    def try_pull(shot_id: str, solid_id: str, body: Pull) -> Constructed:
        """What dragging a corner would give."""
        shot = desk.store.load(shot_id)
        return _constructed(site, shot, [pulled(shot, solid_of(shot, solid_id), body)])

    @routes.add("POST", SHOT + "/solids/<solid_id>/pull", body=Pull, returns=ShotState)
    def pull_solid(shot_id: str, solid_id: str, body: Pull) -> ShotState:
        """Drag a corner along an axis."""
        pieces.change(desk, shot_id, [solid_id], "Drag a corner", lambda shot, solid: pulled(shot, solid, body))
        return states.changed(shot_id)

    def shoved(shot: Shot, solid: AnySolid, body: Shove) -> AnySolid:
        view = surveyed(shot, body.photo)[1]
        return pull.shoved(solid, view, body.face, body.start, body.pixel, desk.engines.meshes(shot))

    @routes.add("POST", SHOT + "/solids/<solid_id>/shove/try", body=Shove, returns=Constructed)
    def try_shove(shot_id: str, solid_id: str, body: Shove) -> Constructed:
        """What dragging a face would give."""
        shot = desk.store.load(shot_id)
        return _constructed(site, shot, [shoved(shot, solid_of(shot, solid_id), body)])

    @routes.add("POST", SHOT + "/solids/<solid_id>/shove", body=Shove, returns=ShotState)
    def shove_solid(shot_id: str, solid_id: str, body: Shove) -> ShotState:
        """Drag a face along its normal."""
        pieces.change(desk, shot_id, [solid_id], "Drag a face", lambda shot, solid: shoved(shot, solid, body))
        return states.changed(shot_id)


def _arranging(site: Site, routes: Routes) -> None:
    desk, states = site.desk, site.states

    @routes.add("POST", SHOT + "/arrange", body=Arrange, returns=Built)
    def arrange_solids(shot_id: str, body: Arrange) -> Built:
        """Move, turn, push, repeat, mirror, align, stand, mark, remove or order some pieces, in one step."""
        made = arranged(desk, shot_id, body)
        return Built(state=states.changed(shot_id), made=made)

    @routes.add("POST", SHOT + "/solids/<solid_id>/settle", returns=SettledState)
    def settle_solid(shot_id: str, solid_id: str) -> SettledState:
        """Fit a piece to the edges of the photos that see it."""
        got = settle_piece(desk, shot_id, solid_id)
        return SettledState(
            state=states.changed(shot_id),
            rms_px=got.rms_px,
            corner_m=got.corner_m,
            used=got.used,
            left_out=got.left_out,
            farther=got.farther,
            alone=got.alone,
        )

    @routes.add("POST", SHOT + "/meshes", returns=Built, files=True)
    def bring_mesh(shot_id: str) -> Built:
        """Bring in a mesh (OBJ, GLB, glTF)."""
        name, data = uploaded(glance.mesh)
        made = bring(desk, shot_id, data, name)
        return Built(state=states.changed(shot_id), made=[made])


def _looking(site: Site, routes: Routes) -> None:
    desk = site.desk
    load = desk.store.load

    @routes.add("GET", SHOT + "/solids/<solid_id>/mesh", media="application/octet-stream")
    def mesh_of_solid(shot_id: str, solid_id: str) -> Response:
        """Triangles of a brought-in piece before it is placed: nine 32-bit floats each."""
        response = Response(looking.triangles(desk, load(shot_id), solid_id), mimetype="application/octet-stream")
        response.headers["Cache-Control"] = "private, max-age=86400"
        return response

    @routes.add("GET", SHOT + "/solids/<solid_id>/order", returns=HomeOrder)
    def order_of_solid(shot_id: str, solid_id: str) -> HomeOrder:
        """What hides a flat at home, and which flats it hides there."""
        by, hides = looking.order(desk, load(shot_id), solid_id)
        listed = [[Overlap(piece=k, percent=v) for k, v in found.items()] for found in (by, hides)]
        return HomeOrder(hidden_by=listed[0], hides=listed[1])

    @routes.add("GET", SHOT + "/cover", media="image/png", query={"photo": str, "width": Width})
    def cover_picture(shot_id: str, photo: str = "", width: int = 960) -> Response:
        """Where the photo lands on no surface: ink with white hatching, clear elsewhere."""
        return Response(
            png(looking.cover(desk, load(shot_id), photo or None, min(width, 2048)), 1), mimetype="image/png"
        )

    @routes.add("GET", SHOT + "/looks", returns=Looks, query={"photo": str})
    def looks(shot_id: str, photo: str = "") -> Looks:
        """How much of the photo lands on surfaces, and between which depths."""
        depth, _ = looking.depth(desk, load(shot_id), photo or None, 960)
        there = np.isfinite(depth)
        return Looks(
            cover_percent=100.0 * float(there.mean()),
            near_m=float(depth[there].min()) if there.any() else None,
            far_m=float(depth[there].max()) if there.any() else None,
        )

    @routes.add(
        "GET", SHOT + "/depth", media="image/png", query={"photo": str, "width": Width, "near": float, "far": float}
    )
    def depth_picture(shot_id: str, near: float, far: float, photo: str = "", width: int = 960) -> Response:
        """Depth as brightness: light at `near`, dark at `far` (metres, in steps of inverse depth)."""
        out = looking.shaded(desk, load(shot_id), photo or None, min(width, 2048), near, far)
        return Response(png(out, 1), mimetype="image/png")

    @routes.add("GET", SHOT + "/depth/at", returns=DepthReading, query={"photo": str, "x": float, "y": float})
    def depth_at(shot_id: str, x: float, y: float, photo: str = "") -> DepthReading:
        """Depth at a pixel of the straightened photo."""
        found = looking.depth_at(desk, load(shot_id), photo or None, x, y)
        depth, distance, surface = found if found is not None else (None, None, None)
        return DepthReading(depth_m=depth, distance_m=distance, surface=surface)

    @routes.add(
        "GET",
        SHOT + "/depth/file",
        media="application/octet-stream",
        query={"photo": str, "form": Literal["exr", "png"]},
    )
    def depth_file(shot_id: str, form: Literal["exr", "png"] = "exr", photo: str = "") -> Response:
        """Depth of the whole photo, as a file: metres."""
        depth, name = looking.depth(desk, load(shot_id), photo or None, None)
        response = Response(depths.encode(depth, form), mimetype="image/png" if form == "png" else "image/x-exr")
        response.headers["Content-Disposition"] = f'attachment; filename="{name}-depth.{form}"'
        return response
