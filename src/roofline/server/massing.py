"""Routes of the Massing stage: drawing through the photo, dragging, arranging, settling, bringing in, looking."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Literal

import numpy as np
from flask import Response

from roofline.building import Gesture
from roofline.core.massing import arrange, pull
from roofline.errors import MassingError
from roofline.formats import depths
from roofline.formats.pictures import png
from roofline.server.models import (
    Align,
    Arrange,
    Built,
    Constructed,
    Construction,
    DepthReading,
    Looks,
    Mark,
    Mirror,
    Move3,
    Order,
    Pull,
    Push,
    Remove,
    Repeat,
    SettledState,
    ShotState,
    Shove,
    Stand,
    Touched,
    Touching,
)
from roofline.server.routes import Routes
from roofline.shot import AnySolid, Imported, Shot

if TYPE_CHECKING:
    from roofline.server.api import Api

HATCH = 9  # pixels between the lines over what lands on nothing


def massing_routes(api: Api, routes: Routes, base: str, uploaded: Callable[[], tuple[str, bytes]]) -> None:
    store, studio = api.store, api.studio
    building = studio.massing

    def gesture(body: Construction) -> Gesture:
        return Gesture(**body.model_dump())

    def constructed(shot: Shot, solids: list[AnySolid]) -> Constructed:
        return Constructed(solids=solids, shapes=[api.shape(shot, s) for s in solids])

    @routes.add("POST", base + "/touch", body=Touching, returns=Touched)
    def touch(shot_id: str, body: Touching) -> Touched:
        """What lies under the pointer, and what a click would snap to."""
        shot = store.load(shot_id)
        got = building.touch(shot, body.photo, body.pixel, body.mode, body.reach, body.level, body.base)
        world = None if got.world is None else (float(got.world[0]), float(got.world[1]), float(got.world[2]))
        ends = None
        if got.ends is not None:
            p = building.surveyed(shot, body.photo)[1].project(got.ends)
            if not np.isnan(p).any():
                ends = ((float(p[0, 0]), float(p[0, 1])), (float(p[1, 0]), float(p[1, 1])))
        return Touched(pixel=got.pixel, world=world, to=got.to, surface=got.surface, ends=ends)

    @routes.add("POST", base + "/construct/try", body=Construction, returns=Constructed)
    def try_construct(shot_id: str, body: Construction) -> Constructed:
        """What a gesture would build."""
        shot = store.load(shot_id)
        return constructed(shot, building.construct(shot, gesture(body)))

    @routes.add("POST", base + "/construct", body=Construction, returns=Built)
    def construct_solid(shot_id: str, body: Construction) -> Built:
        """Build by a gesture through the photo."""
        made = building.build(shot_id, gesture(body))
        return Built(state=api.changed(shot_id), made=made)

    @routes.add("PUT", base + "/solids/<solid_id>", body=AnySolid, returns=ShotState)
    def set_solid(shot_id: str, solid_id: str, body: AnySolid) -> ShotState:
        """Change a solid's figures or name."""
        building.change(shot_id, [solid_id], f"Change {body.name}", lambda _, __: body)
        return api.changed(shot_id)

    @routes.add("DELETE", base + "/solids/<solid_id>", returns=ShotState)
    def remove_solid(shot_id: str, solid_id: str) -> ShotState:
        """Remove a solid."""
        building.remove(shot_id, [solid_id])
        return api.changed(shot_id)

    def pulled(shot: Shot, solid: AnySolid, body: Pull) -> AnySolid:
        meshes = building.meshes(shot)
        if body.by is not None:
            return pull.pulled_by(solid, body.corner, body.axis, body.by, meshes)
        if body.pixel is None:
            raise MassingError("Where the corner is dragged to is missing: a pixel, or metres.")
        return pull.pulled(solid, building.surveyed(shot, body.photo)[1], body.corner, body.axis, body.pixel, meshes)

    @routes.add("POST", base + "/solids/<solid_id>/pull/try", body=Pull, returns=Constructed)
    def try_pull(shot_id: str, solid_id: str, body: Pull) -> Constructed:
        """What dragging a corner would give."""
        shot = store.load(shot_id)
        return constructed(shot, [pulled(shot, building.solid(shot, solid_id), body)])

    @routes.add("POST", base + "/solids/<solid_id>/pull", body=Pull, returns=ShotState)
    def pull_solid(shot_id: str, solid_id: str, body: Pull) -> ShotState:
        """Drag a corner along an axis."""
        building.change(shot_id, [solid_id], "Drag a corner", lambda shot, solid: pulled(shot, solid, body))
        return api.changed(shot_id)

    def shoved(shot: Shot, solid: AnySolid, body: Shove) -> AnySolid:
        view = building.surveyed(shot, body.photo)[1]
        return pull.shoved(solid, view, body.face, body.start, body.pixel, building.meshes(shot))

    @routes.add("POST", base + "/solids/<solid_id>/shove/try", body=Shove, returns=Constructed)
    def try_shove(shot_id: str, solid_id: str, body: Shove) -> Constructed:
        """What dragging a face would give."""
        shot = store.load(shot_id)
        return constructed(shot, [shoved(shot, building.solid(shot, solid_id), body)])

    @routes.add("POST", base + "/solids/<solid_id>/shove", body=Shove, returns=ShotState)
    def shove_solid(shot_id: str, solid_id: str, body: Shove) -> ShotState:
        """Drag a face along its normal."""
        building.change(shot_id, [solid_id], "Drag a face", lambda shot, solid: shoved(shot, solid, body))
        return api.changed(shot_id)

    @routes.add("POST", base + "/arrange", body=Arrange, returns=Built)
    def arrange_solids(shot_id: str, body: Arrange) -> Built:
        """Move, turn, push, repeat, mirror, align, stand, mark, remove or order some pieces, in one step."""
        made = _arranged(api, shot_id, body)
        return Built(state=api.changed(shot_id), made=made)

    @routes.add("POST", base + "/solids/<solid_id>/settle", returns=SettledState)
    def settle_solid(shot_id: str, solid_id: str) -> SettledState:
        """Fit a piece to the edges of the photos that see it."""
        got = building.settle(shot_id, solid_id)
        return SettledState(
            state=api.changed(shot_id),
            rms_px=got.rms_px,
            corner_m=got.corner_m,
            used=got.used,
            left_out=got.left_out,
        )

    @routes.add("POST", base + "/meshes", returns=Built, files=True)
    def bring_mesh(shot_id: str) -> Built:
        """Bring in a mesh (OBJ, GLB, glTF)."""
        name, data = uploaded()
        made = building.bring(shot_id, data, name)
        return Built(state=api.changed(shot_id), made=[made])

    @routes.add("GET", base + "/solids/<solid_id>/mesh", media="application/octet-stream")
    def mesh_of_solid(shot_id: str, solid_id: str) -> Response:
        """Triangles of a brought-in piece before it is placed: nine 32-bit floats each."""
        shot = store.load(shot_id)
        solid = building.solid(shot, solid_id)
        if not isinstance(solid, Imported):
            raise MassingError(f"{solid.name} was not brought in from a file.")
        mesh = building.meshes(shot)[solid.file]
        response = Response(mesh.vertices[mesh.indices].astype("<f4").tobytes(), mimetype="application/octet-stream")
        response.headers["Cache-Control"] = "private, max-age=86400"
        return response

    _looking(api, routes, base)


def _arranged(api: Api, shot_id: str, body: Arrange) -> list[str]:
    """Carry out an arrangement; returns the ids of what is to be chosen afterwards."""
    building = api.studio.massing
    match body:
        case Repeat():
            label = "Copy" if body.times == 1 else f"Repeat {body.times} times"
            return building.copy(shot_id, body.ids, body.step, body.times, label)
        case Remove():
            building.remove(shot_id, body.ids)
            return []
        case Order():
            building.reorder(shot_id, body.ids)
            return []
        case Align():
            solid_id, _, face = body.face.partition("/")

            def aligned(shot: Shot, solid: AnySolid) -> AnySolid:
                return arrange.aligned(solid, face, building.face_plane(shot, body.to), building.meshes(shot))

            building.change(shot_id, [solid_id], "Align a face", aligned)
            return [solid_id]
        case _:
            pass
    shot = api.store.load(shot_id)
    meshes = building.meshes(shot)
    chosen = [building.solid(shot, ident) for ident in body.ids]
    middle = np.mean([arrange.middle_of(s, meshes) for s in chosen], axis=0)
    if isinstance(body, Mirror):
        at = body.at if body.at is not None else float(middle[0 if body.axis == "run" else 2])
        return building.mirror(shot_id, body.ids, body.axis, at, body.keep)
    if isinstance(body, Mark):
        given = body.model_dump(include={"locked", "hidden", "true_size", "tags"}, exclude_none=True)
        if body.group is not None:
            given["group"] = body.group.strip() or None
        _mark(api, shot_id, body.ids, given)
        return body.ids

    def alter(shot: Shot, solid: AnySolid) -> AnySolid:
        if isinstance(body, Move3):
            turned = arrange.turned_about(solid, middle, body.turn_deg) if body.turn_deg else solid
            return arrange.moved(turned, np.array(body.by))
        home = building.surveyed(shot)[1].position
        if isinstance(body, Push):
            return arrange.pushed(solid, home, body.factor, meshes)
        assert isinstance(body, Stand)
        return arrange.stood(solid, body.level, home, meshes)

    labels = {"move": "Move", "push": "Move in depth", "stand": "Set on a level"}
    building.change(shot_id, body.ids, labels[body.op], alter)
    return body.ids


def _mark(api: Api, shot_id: str, ids: list[str], given: dict[str, object]) -> None:
    """Change what is said of pieces, not their shape; a lock does not stand against it."""

    def alter(shot: Shot) -> Shot:
        for ident in ids:
            api.studio.massing.solid(shot, ident)
        chosen = set(ids)
        # checked as a whole: a name too long is refused, and nothing has changed
        shot.solids = [
            type(s).model_validate({**s.model_dump(), **given}) if s.id in chosen else s for s in shot.solids
        ]
        return shot

    what = {"locked": "Lock", "hidden": "Show or hide", "group": "Group", "tags": "Tag", "true_size": "Keep the size"}
    api.store.change(shot_id, what.get(next(iter(given), ""), "Change"), alter)


def _looking(api: Api, routes: Routes, base: str) -> None:
    store, studio = api.store, api.studio
    Width = int

    @routes.add("GET", base + "/cover", media="image/png", query={"photo": str, "width": Width})
    def cover_picture(shot_id: str, photo: str = "", width: int = 960) -> Response:
        """Where the photo lands on no surface: ink with white hatching, clear elsewhere."""
        depth, _ = studio.depth(store.load(shot_id), photo or None, min(max(width, 16), 2048))
        bare = ~np.isfinite(depth)
        y, x = np.indices(bare.shape)
        line = (x + y) % HATCH < 2
        out = np.zeros((*bare.shape, 4), dtype=np.uint8)
        out[bare] = (34, 48, 58, 235)
        out[bare & line] = (255, 255, 255, 235)
        return Response(png(out, 1), mimetype="image/png")

    @routes.add("GET", base + "/looks", returns=Looks, query={"photo": str})
    def looks(shot_id: str, photo: str = "") -> Looks:
        """How much of the photo lands on surfaces, and between which depths."""
        depth, _ = studio.depth(store.load(shot_id), photo or None, 960)
        there = np.isfinite(depth)
        return Looks(
            cover_percent=100.0 * float(there.mean()),
            near_m=float(depth[there].min()) if there.any() else None,
            far_m=float(depth[there].max()) if there.any() else None,
        )

    @routes.add(
        "GET", base + "/depth", media="image/png", query={"photo": str, "width": Width, "near": float, "far": float}
    )
    def depth_picture(shot_id: str, near: float, far: float, photo: str = "", width: int = 960) -> Response:
        """Depth as brightness: light at `near`, dark at `far` (metres, in steps of inverse depth)."""
        if not 0 < near < far:
            raise MassingError("Depth is shown from a nearer to a farther distance, both above zero.")
        depth, _ = studio.depth(store.load(shot_id), photo or None, min(max(width, 16), 2048))
        there = np.isfinite(depth)
        light = np.zeros(depth.shape)
        light[there] = np.clip((1 / depth[there] - 1 / far) / (1 / near - 1 / far), 0, 1)
        grey = np.rint(20 + 225 * light).astype(np.uint8)
        out = np.dstack([grey, grey, grey, np.where(there, 255, 0).astype(np.uint8)])
        return Response(png(out, 1), mimetype="image/png")

    @routes.add("GET", base + "/depth/at", returns=DepthReading, query={"photo": str, "x": float, "y": float})
    def depth_at(shot_id: str, x: float, y: float, photo: str = "") -> DepthReading:
        """Depth at a pixel of the straightened photo."""
        shot = store.load(shot_id)
        _, view = studio.massing.surveyed(shot, photo or None)
        hits = studio.massing.place(shot).hits(view.position, view.rays(np.array([x, y])))
        if not hits:
            return DepthReading(depth_m=None, distance_m=None, surface=None)
        away = hits[0].world - view.position
        return DepthReading(
            depth_m=float(view.rotation[2] @ away),
            distance_m=float(np.linalg.norm(away)),
            surface=f"{hits[0].solid}/{hits[0].face}",
        )

    @routes.add(
        "GET",
        base + "/depth/file",
        media="application/octet-stream",
        query={"photo": str, "form": Literal["exr", "png"]},
    )
    def depth_file(shot_id: str, form: Literal["exr", "png"] = "exr", photo: str = "") -> Response:
        """Depth of the whole photo, as a file: metres."""
        shot = store.load(shot_id)
        depth, name = studio.depth(shot, photo or None, None)
        response = Response(depths.encode(depth, form), mimetype="image/png" if form == "png" else "image/x-exr")
        response.headers["Content-Disposition"] = f'attachment; filename="{name}-depth.{form}"'
        return response
