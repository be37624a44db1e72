"""Plates as textures for the browser's 3D view: small enough that all of them stay on screen at once."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from roofline.formats import pictures
from roofline.formats.face_pictures import spread

WIDEST, NARROWEST = 4096, 1536  # pixels
WHOLE = 8  # plates up to which each may have the widest


def texture_width(plates: int) -> int:
    """Pixels that the texture of one of so many plates may be wide: together they take no more than eight wide ones,
    as far as the narrowest allows, so that a graphics card holds them all."""
    return int(np.clip(WIDEST * np.sqrt(WHOLE / max(plates, 1)), NARROWEST, WIDEST))


def texture_of(shown: NDArray[np.uint8], alpha: NDArray[np.uint8] | None, width: int) -> bytes:
    """A picture (H, W, 3) with its alpha (H, W) at most so many pixels wide: PNG with alpha, JPEG without.

    Clear pixels have the colour of the nearest that are not: what is smoothed on the way must not find black beside it.
    """
    h, w = shown.shape[:2]
    size = (min(w, width), max(1, round(h * min(w, width) / w)))
    if alpha is None:
        return pictures.jpeg(_shrunk(shown, size), 95)
    if size[0] < w:
        # averaged as light is, by how much of each is there
        weight = alpha.astype(np.float32)
        small = _shrunk(weight, size)
        colour = _shrunk(shown * weight[..., None], size) / np.maximum(small, 1e-3)[..., None]
        shown, alpha = (colour + 0.5).astype(np.uint8), (small + 0.5).astype(np.uint8)
    return pictures.png(np.dstack([spread(shown, alpha > 0), alpha]), 1)


def _shrunk(pixels: NDArray, size: tuple[int, int]) -> NDArray:
    if pixels.shape[1] == size[0]:
        return np.ascontiguousarray(pixels)
    return np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA))
