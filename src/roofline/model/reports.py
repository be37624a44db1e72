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

    @property
    def gap(self) -> float:
        """Percent of the frame without picture that belongs there."""
        return self.void + self.bare + self.spilled

    @property
    def strain(self) -> float:
        """Percent of the frame that is stretched or enlarged too far."""
        return self.smeared + self.soft


class CheckReport(Model):
    holds: bool
    frames: list[FrameReport]

    @property
    def failing(self) -> list[FrameReport]:
        """Frames that are known not to hold."""
        return [f for f in self.frames if not f.holds]


class CheckSoFar(CheckReport):
    """``open``: frames whose answer is not known yet: what they say of holding is not to be shown."""

    open: list[int] = []

    @property
    def failing(self) -> list[FrameReport]:
        """Frames that are known not to hold."""
        still = set(self.open)
        return [f for f in self.frames if not f.holds and f.frame not in still]


HomeWhy = Literal[
    "moved",
    "faded",
    "hidden",
    "sunk",
    "void",
    "bare",
    "clean",
    "added",
    "grade",
    "clear",
    "photo",
    "steps",
    "blend",
    "order",
]


class HomeCause(Model):
    """What is seen where home is not the photo; ``who``: the piece or plate it is due to; ``at``: delivered pixels."""

    surface: str
    plate: str | None
    why: HomeWhy
    who: str
    percent: float
    at: Vec2


class HomeReport(Model):
    """How far the delivered frame at home differs from the photo.

    ``percent``: of its pixels, those off by more than 8 of 255; ``largest``: of 255; ``psnr_db``: null where nothing
    differs at all.
    """

    frame: int
    percent: float
    largest: int
    psnr_db: float | None
    causes: list[HomeCause] = []


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


class AlongFrame(Model):
    """How fast a frame's picture runs, and how much picture there is beyond each of its sides, in delivered pixels.

    Beyond a side: negative where the gap is within the frame, null where nothing ends within what was looked at.
    ``hidden_by``: the cut-out that covers the whole frame, so that another shot can be joined on here.
    """

    frame: int
    speed_m_s: float
    near_px: float | None
    far_px: float | None
    left_px: float | None
    right_px: float | None
    top_px: float | None
    bottom_px: float | None
    hidden_by: str | None = None


class Stray(Model):
    """A piece where it would look flat most: how far what stands 10 cm out of it slips, and the relief that slips 1 px
    (null: none)."""

    solid: str
    surface: str
    slip_px: float
    relief_m: float | None
    frame: int
    at: Vec2


class EdgeShown(Model):
    """A matte whose border comes to lie over something else by more than it is soft; where most, and on how many of
    the frames that were looked at."""

    plate: str
    solid: str
    slip_px: float
    feather_px: float
    frame: int
    at: Vec2
    frames: int


class Along(Model):
    """A look along the move. ``rushed_px``: a thirtieth of the frame's width; ``room_px``: how far beyond the frame's
    sides was looked, across and up."""

    frames: list[AlongFrame]
    strays: list[Stray]
    edges: list[EdgeShown]
    rushed_px: float
    room_px: Vec2


class FocusAt(Model):
    """What is in focus: metres along the lens's axis; between `sharp_from_m` and `sharp_to_m` a point is no wider than
    one delivered pixel. Null: no aperture is given; `sharp_to_m` also where everything beyond is sharp."""

    focus_m: float
    f_stop: float | None = None
    sharp_from_m: float | None = None
    sharp_to_m: float | None = None
