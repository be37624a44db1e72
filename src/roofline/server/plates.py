"""Routes of the Plates stage."""

from __future__ import annotations

from typing import Annotated

from flask import Response
from pydantic import Field

from roofline.model.base import Model, Name
from roofline.model.plates import Outline, Throw, ThrowChange
from roofline.server.routes import Routes, Width
from roofline.server.site import SHOT, Site
from roofline.server.state import JobState, ShotState, job_state
from roofline.stages import plates


class NewOutline(Model):
    photo: str
    outline: Outline
    name: Name | None = None


class PlateChange(Model):
    name: Name | None = None
    outline: Outline | None = None


class CleanOrder(Model):
    grow_px: Annotated[float, Field(ge=0, le=500)] = 12.0


def add_routes(site: Site, routes: Routes) -> None:
    desk, states = site.desk, site.states

    @routes.add("POST", SHOT + "/plates", body=NewOutline, returns=ShotState)
    def outline_plate(shot_id: str, body: NewOutline) -> ShotState:
        """Outline a foreground piece: a plate of its own."""
        plates.outline(desk, shot_id, body.photo, body.outline, body.name, None)
        return states.changed(shot_id)

    @routes.add("PUT", SHOT + "/plates/<plate_id>", body=PlateChange, returns=ShotState)
    def change_plate(shot_id: str, plate_id: str, body: PlateChange) -> ShotState:
        """Rename a plate or give it a new outline."""
        if body.outline is not None:
            plates.outline(desk, shot_id, "", body.outline, body.name, plate_id)
        elif body.name is not None:
            plates.rename(desk, shot_id, plate_id, body.name)
        return states.changed(shot_id)

    @routes.add("DELETE", SHOT + "/plates/<plate_id>", returns=ShotState)
    def remove_plate(shot_id: str, plate_id: str) -> ShotState:
        """Remove a plate, its clean plate and their throws."""
        plates.remove(desk, shot_id, plate_id)
        return states.changed(shot_id)

    @routes.add("POST", SHOT + "/plates/<plate_id>/clean", body=CleanOrder, returns=JobState)
    def clean_plate(shot_id: str, plate_id: str, body: CleanOrder) -> JobState:
        """Make the clean plate behind a foreground plate."""
        return job_state(plates.order_clean(desk, shot_id, plate_id, body.grow_px))

    @routes.add("GET", SHOT + "/plates/<plate_id>/texture", media="image/*", query={"width": Width})
    def plate_texture(shot_id: str, plate_id: str, width: int = 4096) -> Response:
        """A plate for the 3D view, its matte as alpha."""
        data, mime = plates.texture(desk, shot_id, plate_id, width)
        return Response(data, mimetype=mime, headers={"Cache-Control": "private, max-age=60"})

    @routes.add("PUT", SHOT + "/throws", body=list[Throw], returns=ShotState, query={"revision": int})
    def set_throws(shot_id: str, body: list[Throw], revision: int | None = None) -> ShotState:
        """Set what is thrown on what, in order; `revision`: of the shot that the list was made from."""
        plates.set_throws(desk, shot_id, body, revision)
        return states.changed(shot_id)

    @routes.add("PATCH", SHOT + "/throws/<plate_id>", body=ThrowChange, returns=ShotState)
    def change_throw(shot_id: str, plate_id: str, body: ThrowChange) -> ShotState:
        """Change one plate's throw."""
        plates.change_throw(desk, shot_id, plate_id, body)
        return states.changed(shot_id)
