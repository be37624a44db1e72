"""What is delivered, and where its frame lies over the home photo."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from roofline.model.base import Change, Model, Positive, Vec2

Side = Annotated[int, Field(ge=16, le=16384)]  # pixels
FrameRate = Annotated[float, Field(gt=0, le=240)]  # frames a second
FrameCount = Annotated[int, Field(ge=1, le=100_000)]
Blend = Literal["as_painted", "as_light"]  # mattes and opacity mix display values, or linear light
Beyond = Literal["fit", "cut", "leave"]


class Framing(Model):
    """Where the delivered frame lies over the home photo: photo pixels per delivered pixel, and its middle."""

    scale: Positive
    centre: Vec2


class Delivery(Model):
    width: Side = 1920
    height: Side = 1080
    fps: FrameRate = 24.0
    frames: FrameCount = 120
    first_frame: int | None = None
    framing: Framing | None = None
    blend: Blend = "as_light"


class DeliveryChange(Change):
    """Some of what is delivered. Another size is the same frame, written finer or coarser.

    ``beyond``: what becomes of what lies beyond a last frame that comes sooner: the move is fitted to the new length,
    cut there, or left. ``framing``: null for the largest that fits the photo.
    """

    width: Side | None = None
    height: Side | None = None
    fps: FrameRate | None = None
    frames: FrameCount | None = None
    first_frame: int | None = None
    framing: Framing | None = None
    beyond: Beyond | None = None
    blend: Blend | None = None
