"""Display values and linear light (IEC 61966-2-1)."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def to_linear(pixels: NDArray) -> NDArray[np.float32]:
    """Stored values → linear light float32 (H, W, C) (IEC 61966-2-1); float pictures are linear already."""
    if pixels.dtype == np.float32:
        return pixels
    top = 255 if pixels.dtype == np.uint8 else 65535
    v = np.arange(top + 1) / top
    table = np.where(v <= 0.04045, v / 12.92, ((v + 0.055) / 1.055) ** 2.4).astype(np.float32)
    return table[pixels]


def to_display(linear: NDArray) -> NDArray[np.float32]:
    """Linear light → display values 0…1 float32 (IEC 61966-2-1)."""
    v = np.clip(linear, 0, 1)
    return np.where(v <= 0.0031308, 12.92 * v, 1.055 * np.power(np.maximum(v, 1e-9), 1 / 2.4) - 0.055).astype(
        np.float32
    )


def even(pixels: NDArray) -> NDArray[np.float32]:
    """Stored values on a scale on which equal steps look about equal: display values 0…1, of float pictures the signed
    square root, which has no end."""
    if pixels.dtype == np.float32:
        return np.asarray(np.sign(pixels) * np.sqrt(np.abs(pixels)), dtype=np.float32)
    return np.asarray(pixels / np.float32(255 if pixels.dtype == np.uint8 else 65535), dtype=np.float32)


def stored(values: NDArray[np.float32], like: NDArray) -> NDArray:
    """The reverse of `even`, for pictures of the kind of ``like``."""
    if like.dtype == np.float32:
        return np.asarray(np.sign(values) * values * values, dtype=np.float32)
    top = 255 if like.dtype == np.uint8 else 65535
    return (np.clip(values, 0, 1) * top + 0.5).astype(like.dtype)
