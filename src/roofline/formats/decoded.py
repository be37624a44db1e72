"""A picture as it comes out of its file, and what may come out at all."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from roofline.errors import FormatError
from roofline.formats.colour import Conversion
from roofline.model.photo import PhotoFacts

MAX_PIXELS = 300_000_000
MAX_BYTES = 4_000_000_000  # decoded


@dataclass
class Decoded:
    """Pixels as stored, (H, W) or (H, W, C), and how they are meant."""

    pixels: NDArray
    facts: PhotoFacts
    notes: list[str] = field(default_factory=list)
    conversion: Conversion | None = None
    turned: bool = False
    premultiplied: bool = False
    inks: bool = False

    @property
    def alpha(self) -> bool:
        """Whether the last channel is alpha; of CMYK's four channels none is."""
        return self.pixels.ndim == 3 and self.pixels.shape[2] in (2, 4) and not self.inks


def guard(width: int, height: int, bytes_each: float, name: str) -> None:
    """Refuse a picture by its size, before it is decoded. ``bytes_each``: of a pixel, in memory."""
    if width < 1 or height < 1:
        raise FormatError(f"{name} has no pixels.")
    if width * height > MAX_PIXELS:
        raise FormatError(
            f"{name} is {width} × {height} pixels; up to {MAX_PIXELS // 1_000_000} megapixels can be worked on."
        )
    if width * height * bytes_each > MAX_BYTES:
        raise FormatError(
            f"{name} would take {width * height * bytes_each / 1e9:.1f} GB in memory; up to {MAX_BYTES / 1e9:.0f} GB "
            "can be worked on."
        )


def straight(pixels: NDArray) -> NDArray:
    """Colour that was multiplied by its alpha, divided by it again; where nothing covers, it stays as it is."""
    alpha = pixels[..., 3:].astype(np.float32)
    top = 1.0 if pixels.dtype == np.float32 else float(np.iinfo(pixels.dtype).max)
    colour = pixels[..., :3] * np.where(alpha > 0, top / np.maximum(alpha, 1e-6), 1).astype(np.float32)
    if pixels.dtype != np.float32:
        colour = np.clip(colour + 0.5, 0, top)
    return np.concatenate([colour.astype(pixels.dtype), pixels[..., 3:]], axis=-1)
