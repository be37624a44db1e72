"""What is delivered, and where its frame lies over the home photo."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from roofline.model.base import Model, Positive, Vec2


class Framing(Model):
    """Where the delivered frame lies over the home photo: photo pixels per delivered pixel, and its middle."""

    scale: Positive
    centre: Vec2


class Delivery(Model):
    width: Annotated[int, Field(ge=16, le=16384)] = 1920
    height: Annotated[int, Field(ge=16, le=16384)] = 1080
    fps: Annotated[float, Field(gt=0, le=240)] = 24.0
    frames: Annotated[int, Field(ge=1, le=100_000)] = 120
    first_frame: int | None = None
    framing: Framing | None = None
