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
    hidden: bool = False
    grazing: list[int] = []  # loops that no photo sees steeply enough


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


Pixels = Annotated[float, Field(ge=0, le=400)]
Ids = Annotated[list[str], Field(min_length=1, max_length=2000)]


class Construction(Model):
    """A gesture through the photo, in straightened photo pixels; clicks snap within `reach` pixels (0: to nothing)."""

    kind: Literal[
        "ground",
        "block",
        "wall",
        "slab",
        "gable",
        "room",
        "column",
        "steps",
        "panel",
        "recess",
        "flat",
        "backdrop",
        "fold",
        "street",
    ]
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


class Move3(Model):
    """Moved by metres, and turned about the rise through the middle of all."""

    op: Literal["move"] = "move"
    ids: Ids
    by: Vec3 = (0.0, 0.0, 0.0)
    turn_deg: Annotated[float, Field(ge=-360, le=360)] = 0.0


class Push(Model):
    """Moved in depth by a factor; the picture from home stays, or the true size where it is locked."""

    op: Literal["push"] = "push"
    ids: Ids
    factor: Annotated[float, Field(gt=0)]


class Repeat(Model):
    """Copies, each a step further."""

    op: Literal["repeat"] = "repeat"
    ids: Ids
    step: Vec3
    times: Annotated[int, Field(ge=1, le=200)] = 1


class Mirror(Model):
    """Mirrored across run or return, at a coordinate in metres or about the middle of all; with `keep` as a copy."""

    op: Literal["mirror"] = "mirror"
    ids: Ids
    axis: Literal["run", "return"]
    at: float | None = None
    keep: bool = False


class Align(Model):
    """One face brought into the plane of another."""

    op: Literal["align"] = "align"
    face: str
    to: str


class Stand(Model):
    """Set on a level; the picture from home stays, or the true size where it is locked."""

    op: Literal["stand"] = "stand"
    ids: Ids
    level: float = 0.0


class Mark(Model):
    """Names of groups and tags, locks, what is shown: whatever is given, for all."""

    op: Literal["mark"] = "mark"
    ids: Ids
    locked: bool | None = None
    hidden: bool | None = None
    true_size: bool | None = None
    group: str | None = None  # an empty one takes out of the group
    tags: list[Name] | None = None


class Remove(Model):
    op: Literal["remove"] = "remove"
    ids: Ids


class Order(Model):
    """The pieces in a new order."""

    op: Literal["order"] = "order"
    ids: Ids


Arrange = Annotated[Move3 | Push | Repeat | Mirror | Align | Stand | Mark | Remove | Order, Field(discriminator="op")]


class SettledState(Model):
    """The shot after a piece has been settled: what its sides still miss, and how well its seen corners are known."""

    state: ShotState
    rms_px: float
    corner_m: float
    used: int
    left_out: int


class Built(Model):
    """The shot after a gesture, and the pieces that it made or changed."""

    state: ShotState
    made: list[str]


class DepthReading(Model):
    """Metres in front of the lens at a pixel, and along its ray; null where there is nothing."""

    depth_m: float | None
    distance_m: float | None
    surface: str | None


class Looks(Model):
    """What the photo's frame shows: part covered by surfaces (percent), nearest and farthest depth (metres)."""

    cover_percent: float
    near_m: float | None
    far_m: float | None


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
