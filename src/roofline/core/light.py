"""Display values and linear light (IEC 61966-2-1), and what their primaries are."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

#: linear light with sRGB's primaries → CIE XYZ, and its white, D65
SRGB_TO_XYZ = np.array(
    [[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750], [0.0193339, 0.1191920, 0.9503041]]
)
D65 = SRGB_TO_XYZ.sum(axis=1)


def top_of(pixels: NDArray) -> int:
    """What stands for 1 in a stored picture: 255 in 8 bit, 65535 in 16 bit, 1 in float."""
    return {"uint8": 255, "uint16": 65535}.get(pixels.dtype.name, 1)


def fraction(values: NDArray) -> NDArray[np.float32]:
    """Stored values as shares of what stands for 1, float32: of alpha, depth and anything else that is not light."""
    return np.asarray(values, dtype=np.float32) / np.float32(top_of(values))


def linear_of(display: NDArray) -> NDArray:
    """Display values 0…1 → linear light."""
    return np.where(display <= 0.04045, display / 12.92, ((np.maximum(display, 0) + 0.055) / 1.055) ** 2.4)


def to_linear(pixels: NDArray) -> NDArray[np.float32]:
    """Stored values → linear light float32 (H, W, C) (IEC 61966-2-1); float pictures are linear already."""
    if pixels.dtype == np.float32:
        return pixels
    top = top_of(pixels)
    return np.asarray(linear_of(np.arange(top + 1) / top), dtype=np.float32)[pixels]


def to_display(linear: NDArray) -> NDArray[np.float32]:
    """Linear light → display values 0…1 float32 (IEC 61966-2-1)."""
    v = np.clip(linear, 0, 1)
    return np.where(v <= 0.0031308, 12.92 * v, 1.055 * np.power(np.maximum(v, 1e-9), 1 / 2.4) - 0.055).astype(
        np.float32
    )


def coded(linear: NDArray[np.float32]) -> NDArray[np.float32]:
    """Linear light → display values, float32, without an end above: the reverse of `linear_of`."""
    curve = 1.055 * np.power(np.maximum(linear, 0.0031308), 1 / 2.4) - 0.055
    return np.where(linear <= 0.0031308, 12.92 * linear, curve).astype(np.float32)


def even(pixels: NDArray) -> NDArray[np.float32]:
    """Stored values on a scale on which equal steps look about equal: display values 0…1, of float pictures the
    signed square root, which has no end."""
    if pixels.dtype == np.float32:
        return np.asarray(np.sign(pixels) * np.sqrt(np.abs(pixels)), dtype=np.float32)
    return fraction(pixels)


def stored(values: NDArray[np.float32], like: NDArray) -> NDArray:
    """The reverse of `even`, for pictures of the kind of ``like``."""
    if like.dtype == np.float32:
        return np.asarray(np.sign(values) * values * values, dtype=np.float32)
    return (np.clip(values, 0, 1) * top_of(like) + 0.5).astype(like.dtype)
