"""The shot as typed models: the one description of the data.

JSON Schema (docs/schema) and the front end's TypeScript types are generated from here. The same models are
the `shot.json` of a shot package (docs/formats.md); fields beyond the exchange format are optional there.
"""

from __future__ import annotations

import math
from typing import Annotated, Any, Literal

from pydantic import Field, field_validator, model_validator

from roofline.base import (
    FAMILIES,
    VERDICTS,
    Family,
    Id,
    Mat3,
    Model,
    Name,
    PixelCount,
    Positive,
    Vec2,
    Vec3,
    Vec4,
    Vec5,
    Verdict,
)
from roofline.solid import (
    OWN_MEASURES,
    AnySolid,
    Backdrop,
    Block,
    Column,
    Cut,
    Flat,
    Gable,
    Ground,
    Imported,
    Mesh,
    MeshFace,
    Panel,
    Room,
    Slab,
    SolidBase,
    Steps,
    Wall,
)

__all__ = [
    "Advice",
    "AnySolid",
    "Backdrop",
    "Block",
    "Camera",
    "Cause",
    "CheckReport",
    "Column",
    "Cut",
    "Delivery",
    "Edge",
    "EdgeReport",
    "Effect",
    "FAMILIES",
    "Family",
    "Flat",
    "FocalPrior",
    "FrameReport",
    "Framing",
    "Gable",
    "Ground",
    "Id",
    "Imported",
    "Key",
    "Length",
    "Limits",
    "Mat3",
    "Mesh",
    "MeshFace",
    "Model",
    "Move",
    "Name",
    "OWN_MEASURES",
    "Outline",
    "Panel",
    "Photo",
    "PhotoFacts",
    "PixelCount",
    "Plate",
    "Positive",
    "ProbeReport",
    "Rejected",
    "Room",
    "Shot",
    "Slab",
    "SolidBase",
    "Steps",
    "SurfaceLimits",
    "Survey",
    "SurveyInput",
    "SurveyResult",
    "SurveySigma",
    "TapeReport",
    "Throw",
    "Tie",
    "VERDICTS",
    "Vec2",
    "Vec3",
    "Vec4",
    "Vec5",
    "Verdict",
    "Wall",
]

# ---------------------------------------------------------------- photo and survey


class Camera(Model):
    """A surveyed camera. World → camera rotation; position in metres, null while there is no scale."""

    width: PixelCount
    height: PixelCount
    focal_px: Positive
    principal_point: Vec2
    distortion: Vec5 = (0.0, 0.0, 0.0, 0.0, 0.0)
    rotation: Mat3
    position: Vec3 | None = None

    @field_validator("rotation")
    @classmethod
    def _proper(cls, value: Mat3) -> Mat3:
        for i in range(3):
            for j in range(i, 3):
                dot = sum(value[i][k] * value[j][k] for k in range(3))
                if abs(dot - (1.0 if i == j else 0.0)) > 1e-4:
                    raise ValueError("the rotation's rows must be of length one and at right angles")
        a, b, c = value
        cross = (a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0])
        if sum(cross[k] * c[k] for k in range(3)) < 0:
            raise ValueError("the rotation is a mirror image: its determinant must be +1")
        return value


class Edge(Model):
    """A straight edge of the place, as two or more pixels of the picture as taken."""

    family: Family | None = None
    points: Annotated[list[Vec2], Field(min_length=2, max_length=200)]


class FocalPrior(Model):
    value: Positive
    sigma: Annotated[float, Field(ge=0)]


class Length(Model):
    """A tape: a known length from pixel a (on the ground) to pixel b along one direction."""

    a: Vec2
    b: Vec2
    direction: Family
    metres: float


class Survey(Model):
    """What is known of a photo: the input of the camera solver, without the photo's size."""

    edges: Annotated[list[Edge], Field(max_length=2000)] = []
    focal_px: FocalPrior | None = None
    principal_point: Literal["centre", "solve"] | Vec2 = "centre"
    distortion: Literal["none", "solve"] | Vec5 = "none"
    edge_sigma_px: Positive = 1.0
    lengths: list[Length] = []
    camera_height_m: float | None = None
    datum: Vec2 | None = None
    horizon: tuple[Vec2, Vec2] | None = None  # two pixels of a horizon that is seen (the sea, a plain)


class SurveyInput(Survey):
    """The file that `roofline survey` reads."""

    width: PixelCount
    height: PixelCount


class SurveySigma(Model):
    """One sigma of each solved parameter; null where it was not solved."""

    focal_px: float | None
    rotation_deg: float
    principal_point: Vec2 | None = None
    distortion: Vec5 | None = None


class EdgeReport(Model):
    """How far off an edge is, how much it counted (1 fully, 0 left out), and what is wrong with it, in words."""

    residual_px: float
    weight: float = 1.0
    note: str | None = None


class TapeReport(Model):
    """A tape as the solution has it, and how far it is from what was typed."""

    solved_m: float
    off_m: float


class Effect(Model):
    """What the camera's error does: to a grid line at the picture's corners, and to a place on the ground far off."""

    border_px: float
    far_m: float | None = None
    at_m: float | None = None


class Advice(Model):
    """The edge to trace next: its direction, the part of the picture, and what it would do to the focal length's sigma."""

    family: Family
    centre: Vec2
    where: str
    focal_sigma_now: float
    focal_sigma_then: float


class SurveyResult(Model):
    """The file that `roofline survey` writes."""

    camera: Camera
    sigma: SurveySigma
    rms_px: float
    edges: list[EdgeReport]
    vanishing_points: dict[Family, Vec3]
    horizon: Vec3
    assumed: list[str] = []
    warnings: list[str] = []
    tapes: list[TapeReport] = []
    effect: Effect | None = None
    advice: list[Advice] = []
    position_sigma_m: Vec3 | None = None  # of a photo joined to another one's world


class PhotoFacts(Model):
    """What the file says of itself (EXIF)."""

    focal_mm: float | None = None
    focal_35mm: float | None = None
    taken_with: str | None = None
    bits: int = 8


class Photo(Model):
    id: Id
    name: Name
    file: str
    width: PixelCount | None = None
    height: PixelCount | None = None
    facts: PhotoFacts = PhotoFacts()
    survey: Survey = Survey()
    result: SurveyResult | None = None
    problem: str | None = None
    camera: Camera | None = None
    lens: Name | None = None  # photos that name the same lens share focal length, principal point and distortion
    standpoint: Id | None = None  # the photo from whose standpoint (a tripod's) this one was taken as well

    @model_validator(mode="after")
    def _size(self) -> Photo:
        if self.camera is not None:
            if self.width is None:
                object.__setattr__(self, "width", self.camera.width)
                object.__setattr__(self, "height", self.camera.height)
            elif (self.width, self.height) != (self.camera.width, self.camera.height):
                raise ValueError(f"photo '{self.id}' and its camera differ in size")
        return self


class Tie(Model):
    """A point seen in several photos, as pixels of the pictures as taken; what it lies on, if known; and the solution."""

    id: Id
    name: Name
    seen: dict[Id, Vec2] = {}
    surface: str | None = None  # "ground", or a face of a standing solid
    world: Vec3 | None = None
    off_px: dict[Id, float] = {}


# ---------------------------------------------------------------- plates and throws


class Outline(Model):
    """A matte drawn by points, in straightened photo pixels; feather is the width of its soft border."""

    points: Annotated[list[Vec2], Field(min_length=3, max_length=5000)]
    feather_px: Annotated[float, Field(ge=0, le=200)] = 2.0


class Plate(Model):
    """A picture in its photo's straightened pixel grid.

    `canvas` is x0, y0, width, height in photo pixels. A plate whose file is its photo's is straightened on the way
    in. `without` names the solids that have been painted out of it: they do not hide what it is thrown on.
    """

    id: Id
    name: Name
    photo: Id
    file: str
    matte: str | None = None
    canvas: Vec4
    role: Literal["photo", "foreground", "clean"] = "photo"
    outline: Outline | None = None
    clean_of: str | None = None
    grow_px: float = 0.0
    without: list[str] = []

    @field_validator("canvas")
    @classmethod
    def _canvas(cls, value: Vec4) -> Vec4:
        if value[2] <= 0 or value[3] <= 0:
            raise ValueError("a plate's canvas needs a width and a height above zero")
        return value


class Throw(Model):
    """A plate cast from its camera onto surfaces (`solid` or `solid/face`)."""

    plate: Id
    targets: list[str]
    occlusion: bool = True
    grade: dict[str, Any] | None = None


# ---------------------------------------------------------------- move


class Key(Model):
    """A camera at a frame. Rotation is a quaternion w, x, y, z, camera → world; focal length in delivered pixels."""

    frame: int
    position: Vec3
    rotation: Vec4
    focal_px: Positive
    home: bool = False
    ease: Literal["rest", "pass"] | None = None

    @field_validator("rotation")
    @classmethod
    def _unit(cls, value: Vec4) -> Vec4:
        norm = math.sqrt(sum(v * v for v in value))
        if norm < 1e-9:
            raise ValueError("a key's rotation must not be zero")
        return (value[0] / norm, value[1] / norm, value[2] / norm, value[3] / norm)


class Move(Model):
    keys: list[Key] = []
    sway: None = None

    @field_validator("keys")
    @classmethod
    def _ordered(cls, value: list[Key]) -> list[Key]:
        frames = [key.frame for key in value]
        if len(set(frames)) != len(frames):
            raise ValueError("two keys stand on the same frame")
        return sorted(value, key=lambda key: key.frame)


class Framing(Model):
    """Where the delivered frame lies over the home photo: photo pixels per delivered pixel, and its middle."""

    scale: Positive
    centre: Vec2


class Delivery(Model):
    width: Annotated[int, Field(ge=16, le=16384)] = 1920
    height: Annotated[int, Field(ge=16, le=16384)] = 1080
    fps: Annotated[float, Field(gt=0, le=240)] = 24.0
    frames: Annotated[int, Field(ge=1, le=100_000)] = 120
    first_frame: int | None = None
    framing: Framing | None = None


class SurfaceLimits(Model):
    stretch: Annotated[float, Field(ge=1)] | None = None
    magnification: Positive | None = None


class Limits(Model):
    """When a frame holds; stretch and magnification can be set otherwise for single surfaces."""

    stretch: Annotated[float, Field(ge=1)] = 2.0
    magnification: Positive = 1.5
    gap_percent: Annotated[float, Field(ge=0, le=100)] = 0.05
    strain_percent: Annotated[float, Field(ge=0, le=100)] = 1.0
    surfaces: dict[str, SurfaceLimits] = {}


class Shot(Model):
    format: Literal["roof-line-shot"] = "roof-line-shot"
    version: Literal[1] = 1
    name: Name
    delivery: Delivery = Delivery()
    photos: list[Photo] = []
    ties: list[Tie] = []
    solids: list[AnySolid] = []
    plates: list[Plate] = []
    throws: list[Throw] = []
    move: Move = Move()
    limits: Limits = Limits()

    @model_validator(mode="before")
    @classmethod
    def _bare_meshes(cls, data: Any) -> Any:
        """A solid of any kind that comes with vertices and faces only is read as a mesh (flats stay cut-outs)."""
        if isinstance(data, dict) and isinstance(data.get("solids"), list):
            data = dict(data)
            data["solids"] = [
                {**s, "kind": "mesh", "cutout": s.get("kind") == "flat"}
                if isinstance(s, dict)
                and {"vertices", "faces"} <= s.keys()
                and not OWN_MEASURES.get(str(s.get("kind")), {"kind of our own"}) <= s.keys()
                else s
                for s in data["solids"]
            ]
        return data

    @model_validator(mode="after")
    def _consistent(self) -> Shot:
        for what, items in (
            ("photos", self.photos),
            ("ties", self.ties),
            ("solids", self.solids),
            ("plates", self.plates),
        ):
            ids = [item.id for item in items]
            if len(set(ids)) != len(ids):
                double = next(i for i in ids if ids.count(i) > 1)
                raise ValueError(f"two {what} have the id '{double}'")
        photos = {p.id for p in self.photos}
        plates = {p.id for p in self.plates}
        for plate in self.plates:
            if plate.photo not in photos:
                raise ValueError(f"plate '{plate.id}' names the photo '{plate.photo}', which is not there")
        for throw in self.throws:
            if throw.plate not in plates:
                raise ValueError(f"a throw names the plate '{throw.plate}', which is not there")
        first, last = self.frame_range
        for key in self.move.keys:
            if not first <= key.frame <= last:
                raise ValueError(f"a key stands on frame {key.frame}, outside the shot's frames {first} to {last}")
        return self

    @property
    def frame_range(self) -> tuple[int, int]:
        """First and last frame. Unless stated, frames count from 1; from 0 when a key stands on frame 0."""
        first = self.delivery.first_frame
        if first is None:
            first = 0 if any(key.frame == 0 for key in self.move.keys) else 1
        return first, first + self.delivery.frames - 1

    def photo(self, photo_id: str) -> Photo:
        """The photo with this id; raises KeyError."""
        for photo in self.photos:
            if photo.id == photo_id:
                return photo
        raise KeyError(photo_id)

    def plate(self, plate_id: str) -> Plate:
        """The plate with this id; raises KeyError."""
        for plate in self.plates:
            if plate.id == plate_id:
                return plate
        raise KeyError(plate_id)


# ---------------------------------------------------------------- reports


class Cause(Model):
    surface: str
    plate: str | None
    verdict: Verdict
    percent: float


class FrameReport(Model):
    frame: int
    holds: bool
    sound: float
    soft: float
    smeared: float
    spilled: float
    bare: float
    void: float
    worst_stretch: float
    worst_magnification: float
    causes: list[Cause] = []


class CheckReport(Model):
    holds: bool
    frames: list[FrameReport]


class Rejected(Model):
    plate: str
    reason: Literal["outside", "matte", "hidden", "back"]


class ProbeReport(Model):
    surface: str | None
    plate: str | None
    verdict: Verdict
    world: Vec3 | None
    depth_m: float | None
    plate_pixel: Vec2 | None
    stretch: float | None
    magnification: float | None
    rejected: list[Rejected] = []
