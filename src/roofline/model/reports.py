"""What a check and a probe answer."""

from __future__ import annotations

from typing import Literal

from roofline.model.base import Model, Vec2, Vec3, Verdict


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
