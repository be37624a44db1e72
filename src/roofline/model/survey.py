"""What is known of a photo and what the survey makes of it: edges, tapes, shared points, cameras."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, field_validator, model_validator

from roofline.model.base import (
    EdgeFamily,
    Family,
    Id,
    ItemId,
    Mat3,
    Model,
    Name,
    PixelCount,
    Positive,
    Vec2,
    Vec3,
    Vec5,
    give_ids,
)


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

    id: ItemId = ""  # given on reading, where there is none
    family: EdgeFamily | None = None
    points: Annotated[list[Vec2], Field(min_length=2, max_length=200)]
    found: bool = False  # by looking through the picture, and no hand has moved it or said its direction since


class FocalPrior(Model):
    value: Positive
    sigma: Annotated[float, Field(ge=0)]
    source: Literal["typed", "file"] = "typed"


class Assumption(Model):
    """What stands in for what is not known of a photo, until edges, tapes or figures say it.

    The lens as 35 mm equivalent over the diagonal (CIPA DCG-001); the horizon as two pixels, level at half height
    where it is null; the eye's height over the ground.
    """

    lens_mm35: Annotated[float, Field(gt=3, lt=3000)] = 35.0
    horizon: tuple[Vec2, Vec2] | None = None
    eye_m: Annotated[float, Field(gt=0, lt=10_000)] = 1.6


class Doubt(Model):
    """How far the camera of edges that were found is open beyond what they miss by: which were found, where each
    belongs, how else the picture can be read. One sigma each.

    It counts as long as at least half of a survey's edges are found ones.
    """

    focal: Annotated[float, Field(ge=0, le=10)] = 0.0  # as a share of the focal length
    turn_deg: Annotated[float, Field(ge=0, le=180)] = 0.0
    said: list[Annotated[str, Field(max_length=1000)]] = []
    readings: bool = False  # whether part of it is that the picture can be read in another way


class Length(Model):
    """A tape: a known length from pixel a (on the ground) to pixel b along one direction.

    ``sigma_m``: how well the length is known, one sigma; null: exactly.
    """

    id: ItemId = ""
    a: Vec2
    b: Vec2
    direction: Family
    metres: float
    sigma_m: Annotated[float, Field(gt=0, le=1000)] | None = None


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
    assumption: Assumption | None = None  # what stands in for what is not known; null: nothing does
    doubt: Doubt | None = None  # about the edges that were found; null: none

    @model_validator(mode="after")
    def _named(self) -> Survey:
        give_ids(self.edges, "e")
        give_ids(self.lengths, "t")
        return self


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
    """The edge to trace next: its direction, the part of the picture, and what it would do to the focal length's
    sigma."""

    family: Family
    centre: Vec2
    where: str
    focal_sigma_now: float
    focal_sigma_then: float


class SecondRun(Model):
    """A level direction beside run and return, of façades at an odd angle: its heading in plan and one sigma of it.

    0° along run, 90° away from the viewer (−return); of the two ways along it, the one within ±90° of run.
    """

    angle_deg: float
    sigma_deg: float


class SurveyResult(Model):
    """The file that `roofline survey` writes."""

    camera: Camera
    sigma: SurveySigma
    rms_px: float
    edges: list[EdgeReport]
    vanishing_points: dict[EdgeFamily, Vec3]
    horizon: Vec3
    second_run: SecondRun | None = None
    assumed: list[str] = []
    warnings: list[str] = []
    tapes: list[TapeReport] = []
    effect: Effect | None = None
    advice: list[Advice] = []
    position_sigma_m: Vec3 | None = None  # of a photo joined to another one's world
    rivals: list[Vec3] = []  # where else it may have been taken from: within chance the shared points bear that as well
    stands_in: list[Literal["lens", "horizon", "eye"]] = []  # which figures rest on an assumption


class Tie(Model):
    """A point seen in several photos, as pixels of the pictures as taken; what it lies on, if known; and the
    solution."""

    id: Id
    name: Name
    seen: dict[Id, Vec2] = {}
    surface: str | None = None  # "ground", or a face of a standing solid
    world: Vec3 | None = None
    off_px: dict[Id, float] = {}
