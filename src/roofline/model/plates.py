"""Plates, what is done to them, and what is thrown on what."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import ConfigDict, Field, PrivateAttr, field_validator, model_validator

from roofline.model.base import Id, Model, Name, Vec2, Vec4, give_ids
from roofline.model.steps import ExtendStep, Grade, Step, Tone


class Outline(Model):
    """A matte drawn by points, in straightened photo pixels; feather is the width of its soft border."""

    points: Annotated[list[Vec2], Field(min_length=3, max_length=5000)]
    feather_px: Annotated[float, Field(ge=0, le=200)] = 2.0


CLEAR = -1  # the number of no picture of a video


class Video(Model):
    """How the pictures of a video run along a shot.

    `first` is the frame on which its first picture stands, `rate` its pictures a second, null for the file's own times;
    `after` says what is seen before its first and after its last picture: that picture held, the video over and over,
    or nothing.
    """

    first: Annotated[int, Field(ge=-1_000_000, le=1_000_000)] = 1
    rate: Annotated[float, Field(gt=0, le=1000)] | None = None
    after: Literal["hold", "loop", "clear"] = "hold"

    def number(self, at: int, count: int) -> int:
        """The picture that is seen where the one with number ``at`` would stand, of ``count``; CLEAR for none."""
        if self.after == "loop":
            return at % count
        if self.after == "clear" and not 0 <= at < count:
            return CLEAR
        return min(max(at, 0), count - 1)


class Plate(Model):
    """A source in its photo's straightened pixel grid, and the steps that make a plate of it.

    The source is a `file`, or a `tone`. `canvas` is x0, y0, width, height in photo pixels: where the file's picture
    lies; of the photo's own file, which is straightened on the way in, the part that is taken. `matte` is a file too,
    the source's own alpha beside it. `without` names the solids that have been painted out of it: they do not hide
    what it is thrown on. What an `added` plate shows was never before its photo's lens: pieces that have nothing but
    such plates hide nothing from the others. Where the file is a video, `video` says how it runs. Plates of before
    there were steps had one `outline`; it is read as a step.
    """

    id: Id
    name: Name
    photo: Id
    file: str | None = None
    tone: Tone | None = None
    matte: str | None = None
    canvas: Vec4
    role: Literal["photo", "foreground", "clean", "added"] = "photo"
    clean_of: str | None = None
    without: list[str] = []
    steps: list[Step] = []
    video: Video | None = None
    _still: int | None = PrivateAttr(None)

    @model_validator(mode="before")
    @classmethod
    def _outlined(cls, data: Any) -> Any:
        """A single outline of before is a step; the matte that was made of it is made anew."""
        if isinstance(data, dict) and data.get("outline") and not data.get("steps"):
            old = Outline.model_validate(data["outline"])
            step = {"do": "outline", "loops": [{"points": old.points}], "feather_px": old.feather_px}
            data = {k: v for k, v in data.items() if k != "outline"} | {"steps": [step], "matte": None}
        return data

    @model_validator(mode="after")
    def _sourced(self) -> Plate:
        if (self.file is None) == (self.tone is None):
            raise ValueError(f"the plate '{self.name}' needs a file or a tone as its source, and one of them only")
        if self.video is not None and self.file is None:
            raise ValueError(f"the plate '{self.name}' runs as a video, and has no file")
        return self

    @field_validator("steps")
    @classmethod
    def _steps(cls, value: list[Step]) -> list[Step]:
        give_ids(value, "s")
        return value

    @field_validator("canvas")
    @classmethod
    def _canvas(cls, value: Vec4) -> Vec4:
        if value[2] <= 0 or value[3] <= 0:
            raise ValueError("a plate's canvas needs a width and a height above zero")
        return value

    @property
    def still(self) -> int | None:
        """The number of the video's picture that this plate stands at; None while that is left open."""
        return self._still

    def standing(self, number: int | None) -> Plate:
        """The plate at one picture of its video."""
        out = self.model_copy()
        out._still = number
        return out

    def makes_matte_of_picture(self) -> bool:
        """Whether its matte comes from the colours of its picture."""
        return any(getattr(s, "do", "") in ("colour", "hair") for outer in self.steps for s in _inner(outer))

    @property
    def reach(self) -> Vec4:
        """The canvas with what steps extend it by."""
        x0, y0, w, h = self.canvas
        for s in self.steps:
            if isinstance(s, ExtendStep) and not s.off:
                x0, y0, w, h = x0 - s.left, y0 - s.top, w + s.left + s.right, h + s.top + s.bottom
        return x0, y0, w, h

    def refers_to(self) -> set[str]:
        """Ids of the plates that its steps look at."""
        return {str(p) for s in self.steps for p in _plates_in(s)}

    def step_files(self) -> list[str]:
        """Files that its steps name."""
        return [f for s in self.steps for f in _files_in(s)]


def _inner(step: Any) -> list[Any]:
    """A step, and the matte steps within it."""
    where = getattr(step, "where", None)
    return [step, *(where if isinstance(where, list) else [])]


def _plates_in(step: Any) -> list[str]:
    left_out = getattr(getattr(step, "where", None), "but", [])
    return [*(s.plate for s in _inner(step) if getattr(s, "plate", None)), *left_out]


def _files_in(step: Any) -> list[str]:
    found = [s.file for s in _inner(step) if getattr(s, "do", "") == "painted"]
    return found + [s.picture.file for s in _inner(step) if getattr(s, "picture", None)]


def with_step_files(plate: Plate, renamed: Any) -> Plate:
    """The plate with other names for the files of its steps."""
    plate = plate.model_copy(deep=True)
    for outer in plate.steps:
        for step in _inner(outer):
            if getattr(step, "do", "") == "painted":
                step.file = renamed[step.file]
            elif getattr(step, "picture", None):
                step.picture.file = renamed[step.picture.file]
    return plate


class Seam(Model):
    """Where a throw ends on a surface and others go on: faded over so many photo pixels, or ended within them along the
    line on which the two differ least."""

    px: Annotated[float, Field(gt=0, le=2000)]
    along: Literal["width", "least"] = "width"


class Throw(Model):
    """A plate cast from its camera onto surfaces (`solid` or `solid/face`)."""

    plate: Id
    targets: list[str]
    occlusion: bool = True
    opacity: Annotated[float, Field(ge=0, le=1)] = 1.0
    grade: Grade | None = None
    first_on: list[str] = []  # of its targets: there it is tried before those that stand earlier in the list
    seam: Seam | None = None

    @property
    def look(self) -> str:
        """What it changes of its plate's picture; empty: nothing. Throws of one plate may look different."""
        grade = None if self.grade is None or self.grade == Grade() else self.grade.model_dump_json()
        if grade is None and self.opacity == 1 and self.seam is None:
            return ""
        return f"{self.opacity}:{grade}" + (f":{self.seam.model_dump_json()}" if self.seam else "")


class ThrowChange(Model):
    """What changes in one throw; what is not said stays. Names that are none of these are refused."""

    model_config = ConfigDict(extra="forbid")

    add: list[str] = []
    drop: list[str] = []
    occlusion: bool | None = None
    opacity: Annotated[float, Field(ge=0, le=1)] | None = None
    grade: Grade | None = None
    ungraded: bool = False  # takes the grade off
    first_on: list[str] | None = None
    seam: Seam | None = None
    unseamed: bool = False  # takes the seam away
    place: Annotated[int, Field(ge=0)] | None = None  # in the order in which throws are tried
