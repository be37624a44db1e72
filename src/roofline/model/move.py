"""The move: keys of the camera, and when a frame holds."""

from __future__ import annotations

import math
from typing import Annotated, Literal

from pydantic import Field, field_validator

from roofline.model.base import ItemId, Model, Positive, Vec3, Vec4, give_ids


class Key(Model):
    """A camera at a frame. Rotation is a quaternion w, x, y, z, camera → world; focal length in delivered pixels."""

    id: ItemId = ""  # given on reading, where there is none
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
        give_ids(value, "k")
        return sorted(value, key=lambda key: key.frame)


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
