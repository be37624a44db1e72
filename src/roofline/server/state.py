"""What the browser is told of a shot, whole or as what has changed since a revision that it has."""

from __future__ import annotations

import contextlib
import threading
from collections import OrderedDict
from pathlib import Path
from typing import Any, Literal

import numpy as np
from flask import request

from roofline.core.camera import pan_tilt_roll
from roofline.core.massing.shapes import grazing
from roofline.core.massing.solids import faces_of
from roofline.core.moment import Moment
from roofline.core.move.focus import focus_at
from roofline.core.move.path import home_key, lens_centre, moments, shot_path
from roofline.errors import RoofLineError
from roofline.model.base import Model, Vec2, Vec3
from roofline.model.move import Key
from roofline.model.reports import CheckSoFar, FocusAt
from roofline.model.shot import Shot
from roofline.model.solids import AnySolid
from roofline.stages import handoff, move, photo, plates, showing, stepping, survey
from roofline.stages.massing import looking
from roofline.work.desk import Desk
from roofline.work.engines import digest
from roofline.work.jobs import Job
from roofline.work.warm import STEPS

WANTS = "Roof-Line-Wants"  # header: "path" for who shows the camera's way
HAS = "Roof-Line-Has"  # header: the shot's birth and the revision that a page has
STATES = 40  # that are remembered, of all shots, to say what has changed since
BY_ID = ("photos", "ties", "solids", "plates")
Stage = Literal["photo", "survey", "massing", "plates", "move", "handoff"]


class Outlined(Model):
    """A solid's shape: vertices in metres, loops of vertex numbers."""

    id: str
    vertices: list[Vec3]
    names: list[str]
    loops: list[list[int]]
    cutout: bool
    hidden: bool = False
    in_set: bool = True
    grazing: list[int] = []  # loops that no photo sees steeply enough


class Telling(Model):
    """One stage on the rail: its one telling figure, and what is wrong, if anything."""

    stage: Stage
    figure: str
    problem: str | None = None


class JobState(Model):
    id: str
    shot: str
    kind: str
    label: str
    state: Literal["waiting", "running", "done", "failed", "cancelled"]
    progress: float
    doing: str
    seconds_left: float | None
    result: Any = None
    error: str | None


class DeliveryFile(Model):
    id: int
    version: int
    form: str
    file: str
    frames: int
    made: str
    current: bool
    says: str = ""  # whether its frames held


class WarmingState(Model):
    """How far the engine is compiled, once after an update."""

    step: int
    steps: int
    doing: str


class Sequence(Model):
    """The ids of all items of a shot's lists, in order."""

    photos: list[str]
    ties: list[str]
    solids: list[str]
    plates: list[str]


class PieceAt(Model):
    """A piece that has moved: a point X of it at rest goes to shift + scale · rotation X, metres."""

    solid: str
    rotation: tuple[Vec3, Vec3, Vec3]
    shift: Vec3
    scale: float
    opacity: float = 1.0


class FrameCamera(Model):
    """The delivered camera at a frame: position in metres, rotation world → camera, focal length in delivered
    pixels, and over home's."""

    frame: int
    position: Vec3
    rotation: tuple[Vec3, Vec3, Vec3]
    focal_px: float
    zoom: float
    pan_deg: float
    tilt_deg: float
    roll_deg: float
    moved: list[PieceAt] = []
    focus: FocusAt | None = None


class PathState(Model):
    """The delivered camera at every frame; ``home_px``: focal length in delivered pixels at a zoom of 1."""

    principal_point: Vec2
    home_px: float
    cameras: list[FrameCamera]


class ShotState(Model):
    """All that the browser needs of a shot.

    With `since`, the photos, ties, solids, plates and shapes are only those that differ from that revision's, and
    `order` names all that there are.
    """

    id: str
    born: str
    revision: int
    since: int | None = None
    order: Sequence | None = None
    shot: Shot
    shapes: list[Outlined]
    home: Key | None
    home_px: float | None  # focal length in delivered pixels at a zoom of 1; none where the frame cannot be shown
    first_frame: int
    last_frame: int
    rail: list[Telling]
    undo: str | None
    redo: str | None
    deliveries: list[DeliveryFile]
    jobs: list[JobState]
    checked: str | None = None  # names the report on this very move, when there is one
    warming: WarmingState | None = None
    path: PathState | None = None  # when it was asked for
    faults: list[Fault] = []
    pictures: dict[str, str] = {}  # of each plate with a camera: changes when it looks otherwise where it is thrown


class Fault(Model):
    """What of a shot cannot be shown: a piece, which can be taken out, or something else, which can be undone."""

    solid: str | None
    says: str


class Built(Model):
    """The shot after a gesture, and the pieces that it made or changed."""

    state: ShotState
    made: list[str]


def camera_of(moment: Moment, home_px: float) -> FrameCamera:
    rotation = moment.view.rotation
    pan, tilt, roll = (float(v) for v in np.degrees(pan_tilt_roll(rotation)))
    return FrameCamera(
        frame=int(moment.frame),
        position=tuple(moment.view.position.tolist()),
        rotation=tuple(tuple(row) for row in rotation.tolist()),  # type: ignore[arg-type]
        focal_px=moment.view.focal,
        zoom=moment.view.focal / home_px,
        pan_deg=pan,
        tilt_deg=tilt,
        roll_deg=roll,
        moved=[
            PieceAt(
                solid=ident,
                rotation=tuple(tuple(row) for row in pose.rotation.tolist()),  # type: ignore[arg-type]
                shift=tuple(pose.shift.tolist()),
                scale=pose.scale,
                opacity=pose.opacity,
            )
            for ident, pose in moment.poses.items()
        ],
    )


def path_of(shot: Shot) -> PathState:
    """The delivered camera at every frame."""
    path = shot_path(shot)
    cameras = [camera_of(m, shot.home_px) for m in moments(shot)]
    for camera in cameras:
        camera.focus = focus_at(shot, path, camera.frame, camera.focal_px)
    return PathState(cameras=cameras, principal_point=lens_centre(shot), home_px=shot.home_px)


def job_state(job: Job) -> JobState:
    return JobState.model_validate(job.told())


class States:
    """Makes states, and remembers the last ones."""

    def __init__(self, desk: Desk):
        self.desk = desk
        self._known: OrderedDict[tuple[str, str, int], ShotState] = OrderedDict()
        self._lock = threading.Lock()

    # ------------------------------------------------------------ whole

    def whole(self, shot_id: str) -> ShotState:
        """The state of a shot, all of it."""
        desk = self.desk
        shot, revision = desk.store.load_with_revision(shot_id)
        history = desk.store.history(shot_id)
        faults = showing.faults(shot)
        home = None
        if "(framing)" not in faults:
            with contextlib.suppress(RoofLineError):
                home = home_key(shot, shot.frame_range[0])
        first, last = shot.frame_range
        report = None if faults else move.report_of(desk, shot)
        # made of what has been validated already: to do it once more would take longer than all the rest
        state = ShotState.model_construct(
            id=shot_id,
            born=desk.store.born(shot_id),
            revision=revision,
            since=None,
            order=None,
            shot=shot,
            shapes=self.shapes(shot, [s for s in shot.solids if s.id not in faults]),
            home=home,
            home_px=None if "(framing)" in faults else shot.home_px,
            first_frame=first,
            last_frame=last,
            rail=self._rail(shot_id, shot, revision, report, bool(faults)),
            undo=history.undo,
            redo=history.redo,
            jobs=[job_state(j) for j in desk.jobs.of(shot_id)],
            deliveries=self._deliveries(shot_id, revision),
            checked=None if report is None else move.report_key(desk, shot),
            warming=self._warming(),
            path=None,
            pictures={} if faults else self._pictures(shot),
            faults=[Fault(solid=None if n.startswith("(") else n, says=says) for n, says in faults.items()],
        )
        with self._lock:
            self._known[shot_id, state.born, revision] = state
            while len(self._known) > STATES:
                self._known.popitem(last=False)
        return state

    def _pictures(self, shot: Shot) -> dict[str, str]:
        ready = {p.id for p in shot.photos if p.camera is not None}
        return {p.id: stepping.digest_of(self.desk, shot, p) for p in shot.plates if p.photo in ready}

    def _warming(self) -> WarmingState | None:
        w = self.desk.warming
        return None if w.ready else WarmingState(step=w.step, steps=len(STEPS), doing=w.doing)

    def _deliveries(self, shot_id: str, revision: int) -> list[DeliveryFile]:
        return [
            DeliveryFile(
                id=d.id,
                version=d.version,
                form=d.form,
                file=Path(d.file).name,
                frames=d.frames,
                made=d.made,
                current=d.revision == revision,
                says=d.says,
            )
            for d in self.desk.store.deliveries(shot_id)
        ]

    def shapes(self, shot: Shot, solids: list[AnySolid]) -> list[Outlined]:
        """Shapes of solids; kept, since most stay as they are from one change to the next."""
        eyes = [p.camera.position for p in shot.photos if p.camera is not None and p.camera.position is not None]
        seen_from, places = digest(eyes), [np.array(e) for e in eyes]
        return [self._shape(solid, seen_from, places) for solid in solids]

    def _shape(self, solid: AnySolid, seen_from: str, eyes: list[np.ndarray]) -> Outlined:
        def make() -> Outlined:
            faces = faces_of(solid)
            return Outlined(
                id=solid.id,
                vertices=[(float(x), float(y), float(z)) for x, y, z in faces.vertices],
                names=faces.names,
                loops=faces.loops,
                cutout=faces.cutout,
                hidden=solid.hidden,
                in_set=solid.in_set,
                grazing=grazing(faces, eyes),
            )

        return self.desk.kept.get("shape", seen_from + solid.model_dump_json(exclude={"name", "tags", "group"}), make)

    def _rail(self, shot_id: str, shot: Shot, revision: int, report: CheckSoFar | None, faulty: bool) -> list[Telling]:
        def late(told: tuple[str, str | None]) -> None:
            line = Telling(stage="massing", figure=told[0], problem=told[1])
            self.desk.news.tell(shot_id, "rail", {"revision": revision, "line": line.model_dump()})

        told: dict[Stage, tuple[str, str | None]] = {
            "photo": photo.telling(shot),
            "survey": survey.telling(shot),
            "massing": ("", "a piece cannot be shown") if faulty else looking.telling(self.desk, shot_id, shot, late),
            "plates": plates.telling(shot),
            "move": ("", "cannot be worked out") if faulty else move.telling(shot, report),
            "handoff": handoff.telling(self.desk, shot_id, revision),
        }
        return [Telling(stage=stage, figure=figure, problem=wrong) for stage, (figure, wrong) in told.items()]

    # ------------------------------------------------------------ what has changed

    def state(self, shot_id: str) -> ShotState:
        """The state of a shot, as the page that asks needs it: what has changed since what it has, if that is known."""
        whole = self.whole(shot_id)
        if request.headers.get(WANTS) == "path":
            with contextlib.suppress(*showing.WRONG):  # while there is no home, there is no path
                whole = whole.model_copy(update={"path": path_of(whole.shot)})
        born, _, revision = request.headers.get(HAS, "").rpartition(":")
        if not revision.isdecimal():
            return whole
        with self._lock:
            base = self._known.get((shot_id, born, int(revision)))
        return whole if base is None or born != whole.born else since(base, whole)

    def changed(self, shot_id: str) -> ShotState:
        """The state after a change; others hear of it."""
        state = self.state(shot_id)
        self.desk.news.tell(shot_id, "changed", {"revision": state.revision})
        return state


def since(base: ShotState, whole: ShotState) -> ShotState:
    """A state as what has changed since another one."""
    lists: dict[str, Any] = {}
    for name in BY_ID:
        old = {item.id: item for item in getattr(base.shot, name)}
        lists[name] = [item for item in getattr(whole.shot, name) if old.get(item.id) != item]
    shapes = {s.id: s for s in base.shapes}
    order = {name: [item.id for item in getattr(whole.shot, name)] for name in BY_ID}
    return whole.model_copy(
        update={
            "since": base.revision,
            "order": Sequence(**order),
            "shot": whole.shot.model_copy(update=lists),
            # a shape that is kept is the same object
            "shapes": [s for s in whole.shapes if shapes.get(s.id) is not s],
        }
    )
