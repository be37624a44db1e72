"""Plates, their mattes, and what is thrown on what."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, field_validator

from roofline.model.base import Id, Model, Name, Vec2, Vec4


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


class ThrowChange(Model):
    """What changes in one throw; what is not said stays."""

    add: list[str] = []
    drop: list[str] = []
    occlusion: bool | None = None
    place: Annotated[int, Field(ge=0)] | None = None  # in the order in which throws are tried
