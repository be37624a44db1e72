"""The move: keys of the camera, and when a frame holds."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, field_validator, model_validator

from roofline.model.base import Change, Eased, ItemId, Model, Positive, Quaternion, Vec3, give_ids

Held = Literal["position", "rotation", "focal_px"]


class Key(Model):
    """A camera at a frame. Rotation is a quaternion w, x, y, z, camera → world.

    ``zoom``: its focal length over that of home, so that neither the delivered size nor another frame over the photo
    makes it another lens. ``focal_px``: as packages state it, in delivered pixels; a `Shot` reads it as a zoom, and
    within one it is always null.
    ``free``: values that this key does not hold: they go past it as the other keys have them. ``focus_m``, ``f_stop``:
    the distance along the lens's axis that is sharp, in metres, and the aperture; null where a key leaves them alone.
    ``velocity``: how the camera passes, metres a frame; ``speed``: how fast, the way it goes being left to the path;
    null both: as its neighbours have it, and at rest at the first and the last key.
    """

    id: ItemId = ""  # given on reading, where there is none
    frame: int
    position: Vec3
    rotation: Quaternion
    zoom: Positive = 1.0
    focal_px: Positive | None = None
    home: bool = False
    ease: Literal["rest", "pass"] | None = None
    free: list[Held] = []
    focus_m: Annotated[float, Field(gt=0, le=1e6)] | None = None
    f_stop: Annotated[float, Field(ge=0.1, le=1000)] | None = None
    velocity: Vec3 | None = None
    speed: Annotated[float, Field(gt=0, le=1000)] | None = None

    @model_validator(mode="after")
    def _agrees(self) -> Key:
        if not {"zoom", "focal_px"} & self.model_fields_set:
            raise ValueError("a key states its lens: focal_px, in delivered pixels")
        if self.home and self.free:
            raise ValueError("a key at home holds all of the surveyed camera")
        if self.velocity is not None and self.speed is not None:
            raise ValueError("a key is passed by a velocity or at a speed, one of them")
        if self.passed and (self.ease == "rest" or "position" in self.free):
            raise ValueError("a key that comes to rest, or leaves the position to others, is not passed at a speed")
        return self

    def focal(self, home_px: float) -> float:
        """Its focal length in delivered pixels, where home's is `home_px`."""
        return self.zoom * home_px if self.focal_px is None else self.focal_px

    @property
    def passed(self) -> bool:
        """Whether it says itself how fast it is passed."""
        return self.velocity is not None or self.speed is not None


class KeyChange(Change):
    """A key set by figures; angles in degrees, metres, metres a frame.

    What is not given is as it is: of the key that stands there, else of the camera as it passes. Of a position, axes
    that are null stay. Without ``home`` the key stands by itself. ``seen``: the figures are of the camera as it is
    seen, on its carrier, aimed and swaying.
    """

    frame: int
    position: tuple[float | None, float | None, float | None] | None = None
    pan_deg: float | None = None
    tilt_deg: float | None = None
    roll_deg: float | None = None
    zoom: Positive | None = None  # its focal length over home's
    home: bool = False
    ease: Literal["rest", "pass"] | None = None
    free: list[Held] | None = None
    focus_m: Annotated[float, Field(gt=0, le=1e6)] | None = None
    f_stop: Annotated[float, Field(ge=0.1, le=1000)] | None = None
    velocity: Vec3 | None = None
    speed: Annotated[float, Field(gt=0, le=1000)] | None = None
    seen: bool = False

    @property
    def places(self) -> list[Held]:
        """Which of the camera's values its figures set."""
        turns = {"pan_deg", "tilt_deg", "roll_deg"} & self.model_fields_set
        held: list[Held] = ["position"] if self.position is not None else []
        return held + (["rotation"] if turns else []) + (["focal_px"] if self.zoom is not None else [])


class CarrierKey(Eased):
    """What the camera rides on at a frame; rotation w, x, y, z, its own directions → world."""

    frame: int
    position: Vec3
    rotation: Quaternion = (1.0, 0.0, 0.0, 0.0)


class Carrier(Model):
    """The camera's keys are relative to it."""

    keys: Annotated[list[CarrierKey], Field(min_length=1, max_length=2000)]

    @field_validator("keys")
    @classmethod
    def _ordered(cls, value: list[CarrierKey]) -> list[CarrierKey]:
        if len({key.frame for key in value}) != len(value):
            raise ValueError("two keys of the carrier stand on the same frame")
        return sorted(value, key=lambda key: key.frame)


class Aim(Model):
    """What the camera keeps looking at: a point, or the middle of a piece."""

    at: Vec3 | None = None
    solid: str | None = None

    @model_validator(mode="after")
    def _one(self) -> Aim:
        if (self.at is None) == (self.solid is None):
            raise ValueError("an aim is a point or a piece, one of them")
        return self


class Sway(Model):
    """Movement as of a hand: position in metres along run, rise and return, rotation as pan, tilt, roll in degrees.

    Noise within half and one and a half times a frequency; what is said is what it reaches but one time in twenty.
    """

    frequency_hz: Annotated[float, Field(gt=0, le=60)] = 0.6
    position_m: Vec3 = (0.0, 0.0, 0.0)
    rotation_deg: Vec3 = (0.0, 0.0, 0.0)
    seed: Annotated[int, Field(ge=0, le=2**31)] = 0
    fade_frames: Annotated[int, Field(ge=0, le=100_000)] = 0


class Move(Model):
    """``speed``: (frame, progress) of a monotone curve, progress 0…1 of the keys' own time; none: the keys' own."""

    keys: list[Key] = []
    speed: Annotated[list[tuple[float, float]], Field(min_length=2, max_length=2000)] | None = None
    carrier: Carrier | None = None
    aim: Aim | None = None
    aim_share: Annotated[float, Field(ge=0, le=1)] = 1.0
    sway: Sway | None = None

    @field_validator("speed")
    @classmethod
    def _monotone(cls, value: list[tuple[float, float]] | None) -> list[tuple[float, float]] | None:
        for (f, p), (g, q) in zip(value or [], (value or [])[1:], strict=False):
            if g <= f or q < p:
                raise ValueError("a speed curve goes on from frame to frame and never back")
        if value and not (value[0][1] >= 0 and value[-1][1] <= 1):
            raise ValueError("a speed curve's progress is between 0 and 1")
        return value

    @field_validator("keys")
    @classmethod
    def _ordered(cls, value: list[Key]) -> list[Key]:
        frames = [key.frame for key in value]
        if len(set(frames)) != len(frames):
            raise ValueError("two keys stand on the same frame")
        give_ids(value, "k")
        return sorted(value, key=lambda key: key.frame)


class TravelChange(Change):
    """How the camera travels, some of it; null takes a pace, a carrier, an aim or a sway away.

    ``in_motion``: whether the first and the last key are passed in motion or rest, whatever pace lies over them.
    """

    in_motion: bool | None = None
    speed: list[tuple[float, float]] | None = None
    carrier: Carrier | None = None
    aim: Aim | None = None
    aim_share: Annotated[float, Field(ge=0, le=1)] | None = None
    sway: Sway | None = None


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


class LimitsChange(Change):
    """Some of when a frame holds."""

    stretch: Annotated[float, Field(ge=1)] | None = None
    magnification: Positive | None = None
    gap_percent: Annotated[float, Field(ge=0, le=100)] | None = None
    strain_percent: Annotated[float, Field(ge=0, le=100)] | None = None
    surfaces: dict[str, SurfaceLimits] | None = None
