"""What all models share: their base, and the types of their fields."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, model_validator

Vec2 = tuple[float, float]
Vec3 = tuple[float, float, float]
Vec4 = tuple[float, float, float, float]
Vec5 = tuple[float, float, float, float, float]
Mat3 = tuple[Vec3, Vec3, Vec3]
Family = Literal["run", "return", "rise"]
FAMILIES: tuple[Family, ...] = ("run", "return", "rise")
EdgeFamily = Literal["run", "return", "rise", "second"]  # a second run: level, at an angle of its own
EDGE_FAMILIES: tuple[EdgeFamily, ...] = (*FAMILIES, "second")
Verdict = Literal["sound", "soft", "smeared", "spilled", "bare", "void"]
VERDICTS: tuple[Verdict, ...] = ("sound", "soft", "smeared", "spilled", "bare", "void")


def _unit(value: Vec4) -> Vec4:
    norm = math.sqrt(sum(v * v for v in value))
    if norm < 1e-9:
        raise ValueError("a rotation must not be zero")
    return value[0] / norm, value[1] / norm, value[2] / norm, value[3] / norm


Quaternion = Annotated[Vec4, AfterValidator(_unit)]  # w, x, y, z; made a unit one
Id = Annotated[str, Field(min_length=1, max_length=64, pattern=r"^[^/\s]+$")]
Name = Annotated[str, Field(min_length=1, max_length=120, pattern=r"^[^\x00-\x1f\x7f]+$")]
Positive = Annotated[float, Field(gt=0)]
PixelCount = Annotated[int, Field(ge=1, le=65536)]


ItemId = Annotated[str, Field(max_length=64, pattern=r"^[^/\s]*$")]


def give_ids(items: Iterable[Any], prefix: str) -> None:
    """Ids for those of a list that have none, or one that an earlier item has: `prefix` and the next free number.

    Files and rows of before things had ids are read so; the same list always gets the same ids.
    """
    items = list(items)
    taken, number = {item.id for item in items}, 0
    seen: set[str] = set()
    for item in items:
        if not item.id or item.id in seen:
            while (ident := f"{prefix}{(number := number + 1)}") in taken:
                pass
            item.id = ident
        seen.add(item.id)


def _optional(schema: dict[str, Any]) -> None:
    """Without defaults: what is not given stays, it does not become a default."""
    for field in schema.get("properties", {}).values():
        field.pop("default", None)


class Change(BaseModel):
    """What some of something is changed to, by its names: what is not given stays. Other names are refused."""

    model_config = ConfigDict(allow_inf_nan=False, extra="forbid", json_schema_extra=_optional)

    def given(self) -> dict[str, Any]:
        """What is given, as it was read."""
        return {name: getattr(self, name) for name in self.model_fields_set}


class Model(BaseModel):
    """Base: NaN and infinity refused, unknown fields of newer writers ignored."""

    model_config = ConfigDict(allow_inf_nan=False, extra="ignore", validate_assignment=True)


class Eased(Model):
    """How a key of a piece, a group or the carrier is passed: at rest, through (as its neighbours have it), or at a
    speed, in metres a frame; null both: so that nothing goes beyond its neighbours."""

    ease: Literal["rest", "pass"] | None = None
    speed: Annotated[float, Field(gt=0, le=1000)] | None = None

    @model_validator(mode="after")
    def _one_way(self) -> Eased:
        if self.ease is not None and self.speed is not None:
            raise ValueError("a key comes to rest, is passed, or is passed at a speed: one of them")
        return self
