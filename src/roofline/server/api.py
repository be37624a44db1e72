"""The API: parse, call, answer. No geometry here."""

from __future__ import annotations

import io
import json
import tempfile
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated, Any

import numpy as np
from flask import Response, request, send_file
from pydantic import Field

from roofline.core.camera import Array, from_pan_tilt_roll, matrix_to_quaternion, pan_tilt_roll
from roofline.core.findings import findings
from roofline.core.massing.planes import plane_of
from roofline.core.massing.solids import faces_of
from roofline.core.move.path import home_key, lens_centre
from roofline.core.survey.detect import FOUND_SIGMA
from roofline.errors import FormatError, NotFound, RoofLineError, SurveyError
from roofline.formats.pictures import png
from roofline.jobs import Job, Jobs, News
from roofline.server.massing import massing_routes
from roofline.server.models import (
    CheckState,
    CleanOrder,
    DeliveryFile,
    DeliveryOrder,
    FoundEdges,
    FrameCamera,
    JobState,
    Joining,
    KeyByFigures,
    ListedShot,
    Measured,
    Measuring,
    NewOutline,
    NewShot,
    Outlined,
    PathState,
    PlateChange,
    ShotState,
    Snap,
    Snapped,
    Ties,
    TrySurvey,
)
from roofline.server.routes import Routes
from roofline.server.telling import rail
from roofline.shot import (
    AnySolid,
    Delivery,
    Key,
    Limits,
    Move,
    ProbeReport,
    Shot,
    Survey,
    Throw,
)
from roofline.store.cache import Cache
from roofline.store.store import Store
from roofline.studio import Studio

Width = Annotated[int, Field(ge=16, le=8192)]
BASE = "/api/shots/<shot_id>"


GRAZING = np.sin(np.radians(10))  # faces seen more slantingly than this by every photo hardly take a plate


def _steepest(loop: Array, normal: Array, eye: Array) -> float:
    """The largest sine of the angle between a face and the rays from a standpoint that meet it: at its nearest places."""
    t = np.linspace(0, 1, 5)[:, None, None]
    middle = loop.mean(0)
    spots = (middle + t * (loop - middle)).reshape(-1, 3)
    below = eye - normal * float(normal @ (eye - middle))  # where the face is seen most steeply, if it reaches there
    low, high = loop.min(0), loop.max(0)
    spots = np.vstack([spots, np.clip(below, low, high)])
    away = eye - spots
    return float((away @ normal / np.linalg.norm(away, axis=1)).max())


def shape_of(solid: AnySolid, eyes: list[Array]) -> Outlined:
    """A solid's faces, and which of them the photos see from standpoints (3,) so slantingly that plates hardly reach them."""
    faces = faces_of(solid)
    grazing = []
    for n, loop in enumerate(faces.loops):
        p = faces.vertices[loop]
        normal, offset = plane_of(p)
        seeing = [e for e in eyes if float(normal @ e) > offset]
        if seeing and max(_steepest(p, normal, e) for e in seeing) < GRAZING:
            grazing.append(n)
    return Outlined(
        id=solid.id,
        vertices=[(float(x), float(y), float(z)) for x, y, z in faces.vertices],
        names=faces.names,
        loops=faces.loops,
        cutout=faces.cutout,
        hidden=solid.hidden,
        grazing=grazing,
    )


def job_state(job: Job) -> JobState:
    return JobState.model_validate(job.told())


class Api:
    """Handlers over one data folder."""

    def __init__(self, store: Store, news: News, jobs: Jobs):
        self.store, self.news, self.jobs = store, news, jobs
        self.studio = Studio(store)
        self._shapes: Cache[Outlined] = Cache(4000)

    def state(self, shot_id: str) -> ShotState:
        shot, revision = self.store.load_with_revision(shot_id)
        deliveries = self.store.deliveries(shot_id)
        history = self.store.history(shot_id)
        try:
            home = home_key(shot, shot.frame_range[0])
        except RoofLineError:
            home = None
        first, last = shot.frame_range
        return ShotState(
            id=shot_id,
            revision=revision,
            shot=shot,
            shapes=[self.shape(shot, s) for s in shot.solids],
            home=home,
            first_frame=first,
            last_frame=last,
            rail=rail(
                shot,
                self.studio,
                deliveries,
                revision,
                lambda: self.news.tell(shot_id, "changed", {"revision": revision}),
            ),
            undo=history.undo,
            redo=history.redo,
            jobs=[job_state(j) for j in self.jobs.of(shot_id) if j.state in ("waiting", "running")],
            deliveries=[
                DeliveryFile(
                    id=d.id,
                    version=d.version,
                    form=d.form,
                    file=Path(d.file).name,
                    frames=d.frames,
                    made=d.made,
                    current=d.revision == revision,
                )
                for d in deliveries
            ],
        )

    def shape(self, shot: Shot, solid: AnySolid) -> Outlined:
        """A solid's shape; kept, since most stay as they are from one change to the next."""
        places = [p.camera.position for p in shot.photos if p.camera is not None and p.camera.position is not None]
        key = f"{places}{solid.model_dump_json()}"
        return self._shapes.get(key, lambda: shape_of(solid, [np.array(p) for p in places]))

    def changed(self, shot_id: str) -> ShotState:
        state = self.state(shot_id)
        self.news.tell(shot_id, "changed", {"revision": state.revision})
        return state

    def start(self, shot_id: str, kind: str, label: str, work: Any) -> JobState:
        self.store.revision(shot_id)

        def run(tell: Any) -> Any:
            result = work(tell)
            self.news.tell(shot_id, "changed", {"revision": self.store.revision(shot_id)})
            return result

        return job_state(self.jobs.start(shot_id, kind, label, run))


def uploaded() -> tuple[str, bytes]:
    """The one uploaded file: name and bytes."""
    file = request.files.get("file")
    if file is None:
        raise FormatError("No file was sent.")
    data = file.read()
    if not data:
        raise FormatError(f"{file.filename or 'The file'} is empty.")
    return Path(file.filename or "photo").name, data


def make_routes(api: Api) -> Routes:
    """All routes."""
    routes = Routes()
    for part in (_shots, _photos, _massing, _plates, _moves, _handoff):
        part(api, routes)
    return routes


def _shots(api: Api, routes: Routes) -> None:
    store = api.store

    @routes.add("GET", "/api/shots", returns=list[ListedShot])
    def list_shots() -> list[ListedShot]:
        """All shots, newest first."""
        out = []
        for s in store.shots():
            photos = store.load(s.id).photos
            out.append(
                ListedShot(
                    id=s.id, name=s.name, made=s.made, revision=s.revision, photo=photos[0].id if photos else None
                )
            )
        return out

    @routes.add("POST", "/api/shots", body=NewShot, returns=ShotState)
    def new_shot(body: NewShot) -> ShotState:
        """Begin a shot."""
        return api.state(store.create(Shot(name=body.name)))

    @routes.add("POST", "/api/packages", returns=ShotState, files=True)
    def bring_package() -> ShotState:
        """Bring a shot package (ZIP)."""
        name, data = uploaded()
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "package.zip"
            path.write_bytes(data)
            if not zipfile.is_zipfile(path):
                raise FormatError(f"{name} is not a ZIP file: a shot package is wanted.")
            return api.state(api.studio.take_in(path))

    @routes.add("GET", BASE, returns=ShotState)
    def get_shot(shot_id: str) -> ShotState:
        """A shot with all that is shown of it."""
        return api.state(shot_id)

    @routes.add("DELETE", BASE, returns=list[ListedShot])
    def delete_shot(shot_id: str) -> list[ListedShot]:
        """Remove a shot for good."""
        store.delete(shot_id)
        return list_shots()

    @routes.add("PUT", BASE + "/name", body=NewShot, returns=ShotState)
    def rename_shot(shot_id: str, body: NewShot) -> ShotState:
        """Rename a shot."""
        store.change(shot_id, "Rename the shot", lambda s: s.model_copy(update={"name": body.name}))
        return api.changed(shot_id)

    @routes.add("POST", BASE + "/undo", returns=ShotState)
    def undo(shot_id: str) -> ShotState:
        """Take the last change back."""
        store.undo(shot_id)
        return api.changed(shot_id)

    @routes.add("POST", BASE + "/redo", returns=ShotState)
    def redo(shot_id: str) -> ShotState:
        """Make the change that was undone again."""
        store.redo(shot_id)
        return api.changed(shot_id)

    @routes.add("GET", BASE + "/events", media="text/event-stream")
    def events(shot_id: str) -> Response:
        """Live news of a shot: `changed` with its revision, `job` with its state."""
        store.revision(shot_id)

        def stream() -> Iterator[str]:
            yield "retry: 1000\n\n"
            for kind, data in api.news.listen(shot_id):
                yield ": beat\n\n" if kind == "beat" else f"event: {kind}\ndata: {json.dumps(data)}\n\n"

        return Response(stream(), mimetype="text/event-stream", headers={"Cache-Control": "no-store"})

    @routes.add("GET", "/api/jobs/<job_id>", returns=JobState)
    def get_job(job_id: str) -> JobState:
        """How far a job is."""
        return job_state(api.jobs.get(job_id))

    @routes.add("DELETE", "/api/jobs/<job_id>", returns=JobState)
    def cancel_job(job_id: str) -> JobState:
        """Cancel a job."""
        return job_state(api.jobs.cancel(job_id))


def _photos(api: Api, routes: Routes) -> None:
    store, studio = api.store, api.studio

    @routes.add("POST", BASE + "/photos", returns=ShotState, files=True)
    def bring_photo(shot_id: str) -> ShotState:
        """Bring a photo (JPEG, PNG, TIFF, OpenEXR)."""
        studio.add_photo(shot_id, *uploaded())
        return api.changed(shot_id)

    @routes.add("DELETE", BASE + "/photos/<photo_id>", returns=ShotState)
    def remove_photo(shot_id: str, photo_id: str) -> ShotState:
        """Remove a photo and its plates."""
        studio.remove_photo(shot_id, photo_id)
        return api.changed(shot_id)

    @routes.add(
        "GET", BASE + "/photos/<photo_id>/picture", media="image/jpeg", query={"width": Width, "straight": bool}
    )
    def photo_picture(shot_id: str, photo_id: str, width: int = 2048, straight: bool = False) -> Response:
        """The photo for the screen."""
        return Response(
            studio.proxy(shot_id, photo_id, width, straight),
            mimetype="image/jpeg",
            headers={"Cache-Control": "private, max-age=60"},
        )

    @routes.add("PUT", BASE + "/delivery", body=Delivery, returns=ShotState)
    def set_delivery(shot_id: str, body: Delivery) -> ShotState:
        """State what is delivered."""
        store.change(shot_id, "Change what is delivered", lambda s: s.model_copy(update={"delivery": body}))
        return api.changed(shot_id)

    @routes.add("POST", BASE + "/photos/<photo_id>/survey/try", body=Survey, returns=TrySurvey)
    def try_survey(shot_id: str, photo_id: str, body: Survey) -> TrySurvey:
        """Solve without keeping anything."""
        try:
            return TrySurvey(result=studio.survey.attempt(shot_id, photo_id, body), problem=None)
        except SurveyError as error:
            return TrySurvey(result=None, problem=str(error))

    @routes.add("PUT", BASE + "/photos/<photo_id>/survey", body=Survey, returns=ShotState, query={"label": str})
    def set_survey(shot_id: str, photo_id: str, body: Survey, label: str = "Change the survey") -> ShotState:
        """Keep edges and priors, and solve."""
        studio.survey.keep(shot_id, photo_id, body, label[:80])
        return api.changed(shot_id)

    @routes.add("POST", BASE + "/photos/<photo_id>/survey/find", returns=FoundEdges)
    def find_edges(shot_id: str, photo_id: str) -> FoundEdges:
        """Look for edges in the photo; nothing is kept."""
        found = studio.survey.find(shot_id, photo_id)
        return FoundEdges(
            edges=found.edges,
            result=found.result,
            share=found.share,
            distortion=found.distortion,
            edge_sigma_px=FOUND_SIGMA,
        )

    @routes.add("POST", BASE + "/photos/<photo_id>/survey/snap", body=Snap, returns=Snapped)
    def snap_edge(shot_id: str, photo_id: str, body: Snap) -> Snapped:
        """Lay an edge onto the picture's own edge."""
        return Snapped(points=studio.survey.snapped(shot_id, photo_id, body.points, body.reach))

    @routes.add("POST", BASE + "/photos/<photo_id>/measure", body=Measuring, returns=Measured)
    def measure_photo(shot_id: str, photo_id: str, body: Measuring) -> Measured:
        """Measure between two pixels on a plane of the world."""
        metres, sigma = studio.survey.measured(shot_id, photo_id, body.plane, body.a, body.b, body.level)
        return Measured(metres=metres, sigma_m=sigma)

    @routes.add("PUT", BASE + "/ties", body=Ties, returns=ShotState, query={"label": str})
    def set_ties(shot_id: str, body: Ties, label: str = "Change the shared points") -> ShotState:
        """Keep the points that photos share, and solve."""
        studio.survey.tie(shot_id, body.ties, label[:80])
        return api.changed(shot_id)

    @routes.add("PUT", BASE + "/photos/<photo_id>/joining", body=Joining, returns=ShotState)
    def set_joining(shot_id: str, photo_id: str, body: Joining) -> ShotState:
        """Say which lens and standpoint a photo shares."""
        studio.survey.join(shot_id, photo_id, body.lens, body.standpoint)
        return api.changed(shot_id)

    @routes.add(
        "GET",
        BASE + "/photos/<photo_id>/compared/<other_id>",
        media="image/png",
        query={"width": Width},
    )
    def compare_photos(shot_id: str, photo_id: str, other_id: str, width: int = 1280) -> Response:
        """The first photo thrown over the geometry, seen from the other one's camera."""
        return Response(studio.compared(shot_id, photo_id, other_id, min(width, 4096)), mimetype="image/png")


def _massing(api: Api, routes: Routes) -> None:
    massing_routes(api, routes, BASE, uploaded)


def _plates(api: Api, routes: Routes) -> None:
    store, studio = api.store, api.studio

    @routes.add("POST", BASE + "/plates", body=NewOutline, returns=ShotState)
    def outline_plate(shot_id: str, body: NewOutline) -> ShotState:
        """Outline a foreground piece: a plate of its own."""
        studio.outline(shot_id, body.photo, body.outline, body.name, None)
        return api.changed(shot_id)

    @routes.add("PUT", BASE + "/plates/<plate_id>", body=PlateChange, returns=ShotState)
    def change_plate(shot_id: str, plate_id: str, body: PlateChange) -> ShotState:
        """Rename a plate or give it a new outline."""
        if body.outline is not None:
            studio.outline(shot_id, "", body.outline, body.name, plate_id)
        elif body.name is not None:
            name = body.name

            def alter(shot: Shot) -> Shot:
                shot.plate(plate_id).name = name
                return shot

            if not any(p.id == plate_id for p in store.load(shot_id).plates):
                raise NotFound(f"There is no plate '{plate_id}'.")
            store.change(shot_id, "Rename a plate", alter)
        return api.changed(shot_id)

    @routes.add("DELETE", BASE + "/plates/<plate_id>", returns=ShotState)
    def remove_plate(shot_id: str, plate_id: str) -> ShotState:
        """Remove a plate, its clean plate and their throws."""
        studio.remove_plate(shot_id, plate_id)
        return api.changed(shot_id)

    @routes.add("POST", BASE + "/plates/<plate_id>/clean", body=CleanOrder, returns=JobState)
    def clean_plate(shot_id: str, plate_id: str, body: CleanOrder) -> JobState:
        """Make the clean plate behind a foreground plate."""
        return api.start(
            shot_id, "clean", "Clean plate", lambda tell: studio.clean(shot_id, plate_id, body.grow_px, tell)
        )

    @routes.add("GET", BASE + "/plates/<plate_id>/texture", media="image/*", query={"width": Width})
    def plate_texture(shot_id: str, plate_id: str, width: int = 4096) -> Response:
        """A plate for the 3D view, its matte as alpha."""
        data, mime = studio.texture(shot_id, plate_id, width)
        return Response(data, mimetype=mime, headers={"Cache-Control": "private, max-age=60"})

    @routes.add("PUT", BASE + "/throws", body=list[Throw], returns=ShotState)
    def set_throws(shot_id: str, body: list[Throw]) -> ShotState:
        """Set what is thrown on what, in order."""

        def alter(shot: Shot) -> Shot:
            shot.throws = body
            for plate in shot.plates:
                if plate.clean_of:
                    plate.without = [t for throw in body if throw.plate == plate.clean_of for t in throw.targets]
            return shot

        store.change(shot_id, "Change the throws", alter)
        return api.changed(shot_id)


def _moves(api: Api, routes: Routes) -> None:
    store, studio = api.store, api.studio

    @routes.add("PUT", BASE + "/move", body=Move, returns=ShotState, query={"label": str})
    def set_move(shot_id: str, body: Move, label: str = "Change the move") -> ShotState:
        """Set all keys."""
        store.change(shot_id, label[:80], lambda s: s.model_copy(update={"move": body}))
        return api.changed(shot_id)

    @routes.add("PUT", BASE + "/keys/<frame>", body=KeyByFigures, returns=ShotState)
    def set_key(shot_id: str, frame: str, body: KeyByFigures) -> ShotState:
        """Set the key that stands on a frame, or a new one there, by figures."""
        turn = from_pan_tilt_roll(*np.radians([body.pan_deg, body.tilt_deg, body.roll_deg]))
        w, x, y, z = matrix_to_quaternion(turn.T)
        key = Key(
            frame=body.frame,
            position=body.position,
            rotation=(float(w), float(x), float(y), float(z)),
            focal_px=body.focal_px,
            home=body.home,
            ease=body.ease,
        )

        def alter(shot: Shot) -> Shot:
            if key.home:
                placed = home_key(shot, key.frame).model_copy(update={"ease": key.ease})
            else:
                placed = key
            shot.move = Move(
                keys=[k for k in shot.move.keys if str(k.frame) != frame and k.frame != key.frame] + [placed]
            )
            return shot

        store.change(shot_id, f"Set the key on frame {body.frame}", alter)
        return api.changed(shot_id)

    @routes.add("DELETE", BASE + "/keys/<frame>", returns=ShotState)
    def remove_key(shot_id: str, frame: str) -> ShotState:
        """Remove the key on a frame."""

        def alter(shot: Shot) -> Shot:
            left = [k for k in shot.move.keys if str(k.frame) != frame]
            if len(left) == len(shot.move.keys):
                raise NotFound(f"There is no key on frame {frame}.")
            shot.move = Move(keys=left)
            return shot

        store.change(shot_id, f"Remove the key on frame {frame}", alter)
        return api.changed(shot_id)

    @routes.add("PUT", BASE + "/limits", body=Limits, returns=ShotState)
    def set_limits(shot_id: str, body: Limits) -> ShotState:
        """Set when a frame holds."""
        store.change(shot_id, "Change the limits", lambda s: s.model_copy(update={"limits": body}))
        return api.changed(shot_id)

    @routes.add("GET", BASE + "/path", returns=PathState)
    def camera_path(shot_id: str) -> PathState:
        """The delivered camera at every frame."""
        shot = store.load(shot_id)
        cameras = []
        for frame, view in studio.path(shot)[1]:
            r = view.rotation
            pan, tilt, roll = np.degrees(pan_tilt_roll(r))
            cameras.append(
                FrameCamera(
                    frame=frame,
                    position=tuple(view.position.tolist()),
                    rotation=tuple(tuple(row) for row in r.tolist()),  # type: ignore[arg-type]
                    focal_px=view.focal,
                    pan_deg=float(pan),
                    tilt_deg=float(tilt),
                    roll_deg=float(roll),
                )
            )
        return PathState(principal_point=lens_centre(shot), cameras=cameras)

    @routes.add("POST", BASE + "/check", returns=JobState)
    def start_check(shot_id: str) -> JobState:
        """Check every frame."""
        for job in api.jobs.of(shot_id):
            if job.kind == "check" and job.state in ("waiting", "running"):
                api.jobs.cancel(job.id)
        return api.start(shot_id, "check", "Check", lambda tell: studio.check(shot_id, tell))

    @routes.add("GET", BASE + "/check", returns=CheckState)
    def get_check(shot_id: str) -> CheckState:
        """The check of the move as it stands now."""
        shot = store.load(shot_id)
        report = studio.report(shot)
        return CheckState(report=report, findings=findings(shot, report) if report else [])

    @routes.add("GET", BASE + "/frames/<frame>/verdicts", media="image/png", query={"width": Width})
    def verdict_picture(shot_id: str, frame: str, width: int = 960) -> Response:
        """Verdicts of a frame as a grey PNG: 0 sound, 1 soft, 2 smeared, 3 spilled, 4 bare, 5 void."""
        shot = store.load(shot_id)
        view = studio.view(shot, number_of(frame), min(width, shot.delivery.width))
        return Response(
            png(studio.engine(shot).measure(view).verdict, 1),
            mimetype="image/png",
            headers={"Cache-Control": "no-store"},
        )

    @routes.add("GET", BASE + "/frames/<frame>/picture", media="image/png", query={"width": Width})
    def frame_picture(shot_id: str, frame: str, width: int = 960) -> Response:
        """A frame as it would be delivered, smaller."""
        from roofline.formats.pictures import to_display

        shot = store.load(shot_id)
        view = studio.view(shot, number_of(frame), min(width, shot.delivery.width))
        linear = studio.engine(shot).picture(view)
        return Response(
            png((to_display(linear[..., :3]) * 255 + 0.5).astype(np.uint8), 1),
            mimetype="image/png",
            headers={"Cache-Control": "no-store"},
        )

    @routes.add("GET", BASE + "/frames/<frame>/probe", returns=ProbeReport, query={"x": float, "y": float})
    def probe_pixel(shot_id: str, frame: str, x: float, y: float) -> ProbeReport:
        """A delivered pixel's whole story."""
        if not (abs(x) < 1e6 and abs(y) < 1e6):
            raise RoofLineError("That pixel is far outside of the frame.")
        shot = store.load(shot_id)
        return studio.engine(shot).probe(studio.view(shot, number_of(frame)), (x, y))

    @routes.add("POST", BASE + "/bring-back", returns=JobState)
    def start_bring_back(shot_id: str) -> JobState:
        """Shrink the move to the largest part that holds."""
        return api.start(shot_id, "bring_back", "Bring back", lambda tell: studio.bring_back(shot_id, tell))


def _handoff(api: Api, routes: Routes) -> None:
    store, studio = api.store, api.studio

    @routes.add("POST", BASE + "/deliveries", body=DeliveryOrder, returns=JobState)
    def start_delivery(shot_id: str, body: DeliveryOrder) -> JobState:
        """Render frames or a video, or export a scene or package, as the next version."""
        if body.form in ("png", "tiff", "exr", "mp4", "webm"):
            return api.start(
                shot_id,
                "deliver",
                f"Render {body.form}",
                lambda tell: studio.deliver(shot_id, body.form, body.first, body.last, body.bend, tell),
            )
        return api.start(shot_id, "export", f"Export {body.form}", lambda tell: studio.export(shot_id, body.form, tell))

    @routes.add("GET", BASE + "/deliveries/<delivery_id>/file", media="application/octet-stream")
    def delivery_file(shot_id: str, delivery_id: str) -> Response:
        """Download a delivery; several files come as one ZIP."""
        found = next((d for d in store.deliveries(shot_id) if str(d.id) == delivery_id), None)
        if found is None:
            raise NotFound("There is no such delivery.")
        path = store.folder / found.file
        if path.is_file():
            return send_file(path, as_attachment=True, download_name=path.name)
        if not path.is_dir():
            raise NotFound("The delivered files are no longer in the data folder.")
        buffer = io.BytesIO()
        with zipfile.ZipFile(buffer, "w", zipfile.ZIP_STORED) as archive:
            for file in sorted(path.iterdir()):
                archive.write(file, file.name)
        buffer.seek(0)
        return send_file(
            buffer, as_attachment=True, download_name=f"{path.name}-{found.form}.zip", mimetype="application/zip"
        )


def number_of(frame: str) -> int:
    try:
        return int(frame)
    except ValueError:
        raise NotFound(f"'{frame}' is not a frame.") from None
