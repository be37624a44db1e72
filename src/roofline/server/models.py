"""What the server says and is told, beyond the shot's own models."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from roofline.core.findings import Finding
from roofline.shot import (
    VERDICTS,
    AnySolid,
    CheckReport,
    Edge,
    Key,
    Model,
    Name,
    Outline,
    Shot,
    SurveyResult,
    Tie,
    Vec2,
    Vec3,
)

Axis = Literal["run", "rise", "return"]


class NewShot(Model):
    name: Name


class ListedShot(Model):
    id: str
    name: str
    made: str
    revision: int
    photo: str | None = None


class Outlined(Model):
    """A solid's shape: vertices in metres, loops of vertex numbers."""

    id: str
    vertices: list[Vec3]
    names: list[str]
    loops: list[list[int]]
    cutout: bool


class Telling(Model):
    """One stage on the rail: its one telling figure, and what is wrong, if anything."""

    stage: Literal["photo", "survey", "massing", "plates", "move", "handoff"]
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


class ShotState(Model):
    """All that the browser needs of a shot."""

    id: str
    revision: int
    shot: Shot
    shapes: list[Outlined]
    home: Key | None
    first_frame: int
    last_frame: int
    rail: list[Telling]
    undo: str | None
    redo: str | None
    deliveries: list[DeliveryFile]
    jobs: list[JobState]


class TrySurvey(Model):
    """A solution, or the sentence why there is none yet."""

    result: SurveyResult | None
    problem: str | None


class FoundEdges(Model):
    """Edges found in a photo, by direction, and the camera that they give; share: of the straight lines' length."""

    edges: list[Edge]
    result: SurveyResult
    share: float
    distortion: bool
    edge_sigma_px: float


class Snap(Model):
    points: Annotated[list[Vec2], Field(min_length=2, max_length=40)]
    reach: Annotated[float, Field(ge=1, le=60)] = 6.0


class Snapped(Model):
    """The edge on the picture's own edge, or null where there is no clear one."""

    points: list[Vec2] | None


class Measuring(Model):
    """Two pixels of the photo as taken, on a plane that lies `level` metres from the datum."""

    plane: Literal["ground", "front", "side", "ceiling"] = "ground"
    level: Annotated[float, Field(ge=-1000, le=1000, allow_inf_nan=False)] = 0.0
    a: Vec2
    b: Vec2


class Measured(Model):
    metres: float
    sigma_m: float


class Ties(Model):
    ties: Annotated[list[Tie], Field(max_length=400)]


class Joining(Model):
    lens: Name | None = None
    standpoint: str | None = None


class Construction(Model):
    """A gesture through the photo, in straightened photo pixels."""

    kind: Literal["ground", "block", "wall", "flat", "backdrop"]
    photo: str | None = None
    points: list[Vec2] = []
    top: Vec2 | None = None
    plate: str | None = None
    distance: float | None = None
    name: str | None = None


class Constructed(Model):
    solid: AnySolid
    shape: Outlined


class Pull(Model):
    corner: Annotated[int, Field(ge=0)]
    axis: Axis
    pixel: Vec2
    photo: str | None = None


class Push(Model):
    factor: Annotated[float, Field(gt=0)]


class NewOutline(Model):
    photo: str
    outline: Outline
    name: Name | None = None


class PlateChange(Model):
    name: Name | None = None
    outline: Outline | None = None


class CleanOrder(Model):
    grow_px: Annotated[float, Field(ge=0, le=500)] = 12.0


class FrameCamera(Model):
    """The delivered camera at a frame: position in metres, rotation world → camera, focal length in delivered pixels."""

    frame: int
    position: Vec3
    rotation: tuple[Vec3, Vec3, Vec3]
    focal_px: float
    pan_deg: float
    tilt_deg: float
    roll_deg: float


class PathState(Model):
    principal_point: Vec2
    cameras: list[FrameCamera]


class KeyByFigures(Model):
    """A key set by figures: angles in degrees."""

    frame: int
    position: Vec3
    pan_deg: float
    tilt_deg: float
    roll_deg: float
    focal_px: Annotated[float, Field(gt=0)]
    home: bool = False
    ease: Literal["rest", "pass"] | None = None


class CheckState(Model):
    """The check of the move as it stands, or null when it has not been made."""

    report: CheckReport | None
    findings: list[Finding]
    verdicts: tuple[str, ...] = VERDICTS


class DeliveryOrder(Model):
    form: Literal["png", "tiff", "exr", "mp4", "webm", "glb", "gltf", "obj", "usda", "zip"]
    first: int | None = None
    last: int | None = None
    bend: bool = False  # frames and videos: as the home photo's lens draws
