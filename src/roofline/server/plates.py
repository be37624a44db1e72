"""Routes of the Plates stage."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Literal

from flask import Response
from pydantic import Field

from roofline.formats.face_pictures import Depth
from roofline.model.base import Change, Model, Name, Vec4
from roofline.model.parts import Parts
from roofline.model.plates import Outline, Throw, ThrowChange
from roofline.model.steps import Grade, How, Step, Stroke
from roofline.server.routes import Routes, Width
from roofline.server.site import SHOT, Site, uploaded
from roofline.server.state import JobState, ShotState, job_state
from roofline.stages import clean, plates, squaring, stepping
from roofline.stages.squaring import FacePlane
from roofline.stages.stepping import Looked, NewPlate, OnFace, Shown


class NewOutline(Model):
    photo: str
    outline: Outline
    name: Name | None = None


class PlateChange(Model):
    name: Name


class CleanOrder(Model):
    grow_px: Annotated[float, Field(ge=0, le=500)] = 12.0
    how: How = "texture"
    take: str | None = None  # a photo of the same camera, taken without what is cut out: what is seen behind that


class CleanAll(CleanOrder):
    photo: str


class StepAdded(Model):
    step: Step
    place: Annotated[int, Field(ge=0)] | None = None


class StepChange(Change):
    """A step switched off or on, moved in the order, or some of its fields set."""

    off: bool | None = None
    place: Annotated[int, Field(ge=0)] | None = None
    set: Parts | None = None


class Trial(Model):
    """Steps that a hand is trying."""

    steps: list[Step]


class Matched(Model):
    """A grade and its errors (one sigma, stops and mired), the points that it rests on, and the median ΔE 2000 before
    and after; ``by``: what both show, or what lies around the plate in the other."""

    grade: Grade
    points: int
    before: float
    after: float
    exposure_error: float
    temperature_error: float
    by: Literal["shared", "around"]


def _on(canvas: Vec4, seconds: int) -> dict[str, str]:
    """Headers of a plate's picture: where it lies in its photo, and how long it may be kept."""
    return {"Roof-Line-Canvas": ",".join(f"{v:.6g}" for v in canvas), "Cache-Control": f"private, max-age={seconds}"}


def add_routes(site: Site, routes: Routes) -> None:
    desk, states = site.desk, site.states

    @routes.add("POST", SHOT + "/plates", body=NewOutline, returns=ShotState)
    def outline_plate(shot_id: str, body: NewOutline) -> ShotState:
        """Outline a foreground piece: a plate of its own."""
        plates.outline(desk, shot_id, body.photo, body.outline, body.name)
        return states.changed(shot_id)

    @routes.add("PUT", SHOT + "/plates/<plate_id>", body=PlateChange, returns=ShotState)
    def change_plate(shot_id: str, plate_id: str, body: PlateChange) -> ShotState:
        """Rename a plate."""
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
        return job_state(clean.order_clean(desk, shot_id, plate_id, body.grow_px, body.how, body.take))

    @routes.add("POST", SHOT + "/clean", body=CleanAll, returns=JobState)
    def clean_all(shot_id: str, body: CleanAll) -> JobState:
        """Make a clean plate of every surface that something stands before."""
        return job_state(clean.order_all(desk, shot_id, body.photo, body.grow_px, body.how, body.take))

    @routes.add("GET", SHOT + "/plates/<plate_id>/texture", media="image/*", query={"width": Width, "frame": int})
    def plate_texture(shot_id: str, plate_id: str, width: int = 4096, frame: int | None = None) -> Response:
        """A plate for the 3D view, its matte as alpha; of a video, the picture of a frame, or the first."""
        data, mime, canvas = stepping.texture(desk, shot_id, plate_id, width, frame)
        return Response(data, mimetype=mime, headers=_on(canvas, 60))

    _add_throws(site, routes)
    _add_steps(site, routes)


def _add_throws(site: Site, routes: Routes) -> None:
    desk, states = site.desk, site.states

    @routes.add("PUT", SHOT + "/throws", body=list[Throw], returns=ShotState, query={"revision": int})
    def set_throws(shot_id: str, body: list[Throw], revision: int) -> ShotState:
        """Set what is thrown on what, in order; `revision`: of the shot that the list was made from."""
        plates.set_throws(desk, shot_id, body, revision)
        return states.changed(shot_id)

    @routes.add("PATCH", SHOT + "/throws/<plate_id>", body=ThrowChange, returns=ShotState)
    def change_throw(shot_id: str, plate_id: str, body: ThrowChange) -> ShotState:
        """Change one plate's throw."""
        plates.change_throw(desk, shot_id, plate_id, body)
        return states.changed(shot_id)

    @routes.add("POST", SHOT + "/throws/merit", returns=JobState)
    def order_by_merit(shot_id: str) -> JobState:
        """Let every surface try that throw first which serves it best over the move."""
        return job_state(plates.order_merit(desk, shot_id))

    @routes.add("GET", SHOT + "/throws/<plate_id>/match", returns=Matched, query={"to": str})
    def match_throw(shot_id: str, plate_id: str, to: str) -> Matched:
        """The grade that makes a plate look like another one where both show the same surfaces; nothing is kept."""
        return Matched(**asdict(plates.matched(desk, shot_id, plate_id, to)))


def _add_steps(site: Site, routes: Routes) -> None:
    desk, states = site.desk, site.states
    steps = SHOT + "/plates/<plate_id>/steps"

    @routes.add("POST", SHOT + "/plates/new", body=NewPlate, returns=ShotState)
    def make_plate(shot_id: str, body: NewPlate) -> ShotState:
        """Make a plate of a photo, or of a tone, with its first steps."""
        stepping.make(desk, shot_id, body)
        return states.changed(shot_id)

    @routes.add("POST", steps, body=StepAdded, returns=ShotState)
    def add_step(shot_id: str, plate_id: str, body: StepAdded) -> ShotState:
        """Put a step in, last or at a place in the order."""
        stepping.add(desk, shot_id, plate_id, body.step, body.place)
        return states.changed(shot_id)

    @routes.add("PATCH", steps + "/<step_id>", body=StepChange, returns=ShotState)
    def change_step(shot_id: str, plate_id: str, step_id: str, body: StepChange) -> ShotState:
        """Set some of a step's fields, switch it off or on, or move it in the order."""
        if body.set:
            stepping.set_parts(desk, shot_id, plate_id, step_id, body.set)
        if body.off is not None or body.place is not None:
            stepping.switch(desk, shot_id, plate_id, step_id, body.off, body.place)
        return states.changed(shot_id)

    @routes.add("DELETE", steps + "/<step_id>", returns=ShotState)
    def remove_step(shot_id: str, plate_id: str, step_id: str) -> ShotState:
        """Take a step out."""
        stepping.remove(desk, shot_id, plate_id, step_id)
        return states.changed(shot_id)

    @routes.add("POST", steps + "/<step_id>/strokes", body=Stroke, returns=ShotState)
    def draw_stroke(shot_id: str, plate_id: str, step_id: str, body: Stroke) -> ShotState:
        """Add a stroke to a step that is drawn with them."""
        stepping.stroke(desk, shot_id, plate_id, step_id, body)
        return states.changed(shot_id)

    @routes.add("DELETE", steps + "/<step_id>/strokes/<stroke_id>", returns=ShotState)
    def remove_stroke(shot_id: str, plate_id: str, step_id: str, stroke_id: str) -> ShotState:
        """Take one stroke away."""
        stepping.unstroke(desk, shot_id, plate_id, step_id, stroke_id)
        return states.changed(shot_id)

    _faces_of_plates(site, routes)


def _faces_of_plates(site: Site, routes: Routes) -> None:
    desk, states = site.desk, site.states

    @routes.add(
        "GET",
        SHOT + "/plates/<plate_id>/on-face",
        returns=OnFace,
        query={"face": str, "x": float, "y": float},
    )
    def plate_on_face(shot_id: str, plate_id: str, face: str = "", x: float = 0.0, y: float = 0.0) -> OnFace:
        """Where a pixel of a plate's photo lies on a face, metres."""
        return stepping.on_face(desk, shot_id, plate_id, face, x, y)

    @routes.add(
        "GET",
        SHOT + "/plates/<plate_id>/squared",
        media="application/octet-stream",
        query={"face": str, "form": Depth},
    )
    def face_squared(shot_id: str, plate_id: str, face: str = "", form: Depth = "png16") -> Response:
        """A face as all throws give it, squared up at true scale, over what the plate's photo shows of it."""
        data, suffix = squaring.out(desk, shot_id, plate_id, face, form)
        name = f"{shot_id}-{face.replace('/', '-')}{suffix}"
        headers = {"Content-Disposition": f'attachment; filename="{name}"'}
        return Response(data, mimetype="application/octet-stream", headers=headers)

    @routes.add("GET", SHOT + "/plates/<plate_id>/plane", returns=FacePlane, query={"face": str})
    def face_plane(shot_id: str, plate_id: str, face: str = "") -> FacePlane:
        """How a face lies in a plate's photo."""
        return squaring.face_plane(desk, shot_id, plate_id, face)

    @routes.add("GET", SHOT + "/plates/<plate_id>/straight", media="image/png", query={"face": str, "width": Width})
    def plate_straight(shot_id: str, plate_id: str, face: str = "", width: int = 1600) -> Response:
        """A plate as it lies on a face, squared up."""
        data, area = squaring.straight_look(desk, shot_id, plate_id, face, width)
        return Response(data, mimetype="image/png", headers=_on(area, 60))

    @routes.add("POST", SHOT + "/plates/<plate_id>/painted", returns=ShotState, files=True, query={"face": str})
    def painted_back(shot_id: str, plate_id: str, face: str = "") -> ShotState:
        """Lay a painted picture over a plate, on its canvas or on a face."""
        name, data = uploaded()
        squaring.back(desk, shot_id, plate_id, data, name, face)
        return states.changed(shot_id)

    _look_at_plates(site, routes)


def _look_at_plates(site: Site, routes: Routes) -> None:
    desk = site.desk

    @routes.add("GET", SHOT + "/plates/<plate_id>/told", returns=Looked, query={"width": Width})
    def plate_told(shot_id: str, plate_id: str, width: int = 1200) -> Looked:
        """What a plate's steps have to say."""
        return stepping.told(desk, shot_id, plate_id, width)

    @routes.add(
        "GET",
        SHOT + "/plates/<plate_id>/look",
        media="image/png",
        query={"width": Width, "shown": Shown, "until": str},
    )
    def plate_look(
        shot_id: str, plate_id: str, width: int = 1600, shown: Shown = "plate", until: str | None = None
    ) -> Response:
        """A plate, or its matte, on its whole canvas; as it is after a step, if one is named."""
        data, canvas = stepping.look(desk, shot_id, plate_id, width, shown, until)
        return Response(data, mimetype="image/png", headers=_on(canvas, 60))

    @routes.add(
        "POST",
        SHOT + "/plates/<plate_id>/try",
        body=Trial,
        media="image/png",
        query={"width": Width, "shown": Shown},
    )
    def plate_tried(shot_id: str, plate_id: str, body: Trial, width: int = 1200, shown: Shown = "plate") -> Response:
        """A plate as it would be with other steps; nothing is kept."""
        data, canvas = stepping.look(desk, shot_id, plate_id, width, shown, None, body.steps)
        return Response(data, mimetype="image/png", headers=_on(canvas, 0))
