"""Steps: what is done to a plate's source, one after another. Pixels are the photo's, its lens taken out.

The JSON of each is that of shot packages (docs/formats.md).
"""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import AfterValidator, Field, field_validator, model_validator

from roofline.model.base import ItemId, Model, Name, Positive, Vec2, Vec4, give_ids

Mode = Literal["add", "cut", "keep"]
How = Literal["smooth", "texture", "photo", "along"]
Points = Annotated[list[Vec2], Field(min_length=1, max_length=20_000)]
Pixels = Annotated[float, Field(ge=0, le=2000)]
Rgb = tuple[float, float, float]


class Base(Model):
    """What every step may carry. A step that is off is passed over."""

    id: ItemId = ""  # given on reading, where there is none
    name: Name | None = None
    off: bool = False


class Loop(Model):
    """A closed line. ``smooth``: for all points, or for each: the curve passes through it without a corner."""

    points: Annotated[list[Vec2], Field(min_length=3, max_length=5000)]
    smooth: bool | list[bool] = False

    @model_validator(mode="after")
    def _for_each(self) -> Loop:
        if isinstance(self.smooth, list) and len(self.smooth) != len(self.points):
            raise ValueError("an outline says of each of its points whether it is smooth, or of none")
        return self


class Stroke(Model):
    """A line that a brush was drawn along; ``hardness``: the share of the radius that is laid on in full."""

    id: ItemId = ""
    points: Points
    radius_px: Annotated[float, Field(gt=0, le=4000)] | None = None
    radius_m: Positive | None = None  # on a face
    hardness: Annotated[float, Field(ge=0, le=1)] = 0.5


class _Matte(Base):
    mode: Mode = "add"


class OutlineStep(_Matte):
    """What lies within loops, by the even-odd rule; ``feather_px`` is the width of its soft border."""

    do: Literal["outline"] = "outline"
    loops: Annotated[list[Loop], Field(min_length=1, max_length=500)]
    feather_px: Pixels = 0.0


class ColourStep(_Matte):
    """What has one of the picked colours; ``tolerance`` in CIE ΔE 2000."""

    do: Literal["colour"] = "colour"
    at: Annotated[list[Vec2], Field(min_length=1, max_length=200)]
    tolerance: Annotated[float, Field(gt=0, le=100)] = 8.0
    joined: bool = True


class _Strokes(Base):
    strokes: list[Stroke] = []

    @field_validator("strokes")
    @classmethod
    def _named(cls, value: list[Stroke]) -> list[Stroke]:
        give_ids(value, "k")
        return value


class BrushStep(_Strokes):
    """What strokes have covered."""

    do: Literal["brush"] = "brush"
    mode: Mode = "add"


class DepthPicture(Model):
    """A picture of depths, 8 or 16 bit grey or OpenEXR, over the photo."""

    file: str
    near_m: float
    far_m: float
    nearer: Literal["bright", "dark"] = "bright"


class DepthStep(_Matte):
    """What lies between two depths along the lens's axis: of the set, or of a picture that was brought."""

    do: Literal["depth"] = "depth"
    near_m: Annotated[float, Field(ge=0)]
    far_m: Annotated[float, Field(ge=0)]
    soft_m: Annotated[float, Field(ge=0)] = 0.0
    picture: DepthPicture | None = None

    @model_validator(mode="after")
    def _order(self) -> DepthStep:
        if self.far_m <= self.near_m:
            raise ValueError("a range of depths ends farther away than it begins")
        return self


class SilhouetteStep(_Matte):
    """What solids or faces cover, as the plate's camera sees them."""

    do: Literal["silhouette"] = "silhouette"
    targets: Annotated[list[str], Field(min_length=1)]


class PlateStep(_Matte):
    """Another plate's matte."""

    do: Literal["plate"] = "plate"
    plate: str


class GrowStep(Base):
    do: Literal["grow"] = "grow"
    px: Annotated[float, Field(ge=-2000, le=2000)]


class FeatherStep(Base):
    do: Literal["feather"] = "feather"
    px: Pixels


class HairStep(Base):
    """Alpha worked out anew in a band about the matte's border (Levin, Lischinski and Weiss 2008)."""

    do: Literal["hair"] = "hair"
    band_px: Annotated[float, Field(ge=1, le=400)] = 24.0


class FringeStep(Base):
    """Colours of half-covered pixels estimated anew (Germer, Uelwer, Conrad and Harmeling 2020)."""

    do: Literal["fringe"] = "fringe"
    band_px: Annotated[float, Field(ge=1, le=400)] = 12.0


_OnMatte = (
    OutlineStep
    | ColourStep
    | BrushStep
    | DepthStep
    | SilhouetteStep
    | PlateStep
    | GrowStep
    | FeatherStep
    | HairStep
    | FringeStep
)
MatteStep = Annotated[_OnMatte, Field(discriminator="do")]


class InFrontOf(Model):
    """What stands in front of solids or faces, as the plate's camera sees it, but for the mattes of some plates."""

    in_front_of: Annotated[list[str], Field(min_length=1)]
    but: list[str] = []


def _each_named(value: Any) -> Any:
    if isinstance(value, list):
        give_ids(value, "w")
    return value


MatteSteps = Annotated[list[MatteStep], AfterValidator(_each_named)]
Where = InFrontOf | MatteSteps


class FillStep(Base):
    """Something else in place of what is there. ``photo``: the one that `how` = photo takes it from."""

    do: Literal["fill"] = "fill"
    where: Where
    grow_px: Annotated[float, Field(ge=0, le=500)] = 0.0
    how: How = "texture"
    photo: str | None = None
    on: str | None = None
    seed: Annotated[int, Field(ge=0, le=2**31)] = 0


class _Taken(_Strokes):
    """Strokes that take from a place set off: from this plate, another plate or another photo."""

    offset: Vec2 = (0.0, 0.0)
    offset_m: Vec2 | None = None  # on a face: along it level, then up
    plate: str | None = None
    photo: str | None = None
    on: str | None = None

    @model_validator(mode="after")
    def _sized(self) -> Any:
        for stroke in self.strokes:
            if (stroke.radius_m if self.on else stroke.radius_px) is None:
                raise ValueError(
                    f"a stroke {'on a face' if self.on else 'on the picture'} needs its radius in "
                    f"{'metres (radius_m)' if self.on else 'pixels (radius_px)'}"
                )
        return self


class CloneStep(_Taken):
    do: Literal["clone"] = "clone"


class HealStep(_Taken):
    """The texture comes along, the light stays (Pérez, Gangnet and Blake 2003)."""

    do: Literal["heal"] = "heal"


class ExtendStep(Base):
    """The canvas grows by pixels on each side; what is new is filled."""

    do: Literal["extend"] = "extend"
    left: Annotated[int, Field(ge=0, le=20_000)] = 0
    top: Annotated[int, Field(ge=0, le=20_000)] = 0
    right: Annotated[int, Field(ge=0, le=20_000)] = 0
    bottom: Annotated[int, Field(ge=0, le=20_000)] = 0
    how: Literal["smooth", "texture"] = "texture"


class PaintedStep(Base):
    """A picture brought back from elsewhere, laid over where it was taken out.

    On a face it lies over ``area``, metres along and up: x0, y0, x1, y1; over all of the face where that is not said.
    """

    do: Literal["painted"] = "painted"
    file: str
    on: str | None = None
    area: Vec4 | None = None

    @field_validator("area")
    @classmethod
    def _area(cls, value: Vec4 | None) -> Vec4 | None:
        if value is not None and (value[2] <= value[0] or value[3] <= value[1]):
            raise ValueError("a painted picture's area has a width and a height above zero")
        return value


class Grade(Model):
    """In linear light: exposure and white first, then slope, offset, power and saturation as the ASC CDL has them."""

    exposure: Annotated[float, Field(ge=-20, le=20)] = 0.0  # stops
    temperature: Annotated[float, Field(ge=-200, le=200)] = 0.0  # mired
    tint: Annotated[float, Field(ge=-200, le=200)] = 0.0
    slope: Rgb = (1.0, 1.0, 1.0)
    offset: Rgb = (0.0, 0.0, 0.0)
    power: Rgb = (1.0, 1.0, 1.0)
    saturation: Annotated[float, Field(ge=0, le=10)] = 1.0

    @field_validator("slope")
    @classmethod
    def _slope(cls, value: Rgb) -> Rgb:
        if min(value) < 0:
            raise ValueError("a grade's slope is zero or above")
        return value

    @field_validator("power")
    @classmethod
    def _power(cls, value: Rgb) -> Rgb:
        if min(value) <= 0:
            raise ValueError("a grade's power is above zero")
        return value


class GradeStep(Base, Grade):
    do: Literal["grade"] = "grade"
    where: MatteSteps | None = None


Step = Annotated[
    _OnMatte | FillStep | CloneStep | HealStep | ExtendStep | PaintedStep | GradeStep,
    Field(discriminator="do"),
]
MATTES = ("outline", "colour", "brush", "depth", "silhouette", "plate", "grow", "feather", "hair")


class Cloud(Model):
    """Soft cloud: its size in pixels, and the number that it is drawn by."""

    size_px: Annotated[float, Field(ge=2, le=20_000)]
    seed: Annotated[int, Field(ge=0, le=2**31)] = 0


class Tone(Model):
    """A plain source: one colour, a ramp between two, or soft cloud of them. Display values, 0…1."""

    model_config = {**Model.model_config, "populate_by_name": True, "serialize_by_alias": True}
    start: Rgb = Field(alias="from")
    end: Rgb = Field(alias="to")
    angle_deg: float = 0.0  # of the way from one to the other: 0 to the right, 90 down
    cloud: Cloud | None = None
