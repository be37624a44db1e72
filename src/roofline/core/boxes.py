"""Boxes of pixels: left, top, right and bottom of a part of a grid, the last two one beyond it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Box = tuple[int, int, int, int]
NOWHERE: Box = (0, 0, 0, 0)


def box_of(held: NDArray) -> Box:
    """Around all that is not zero in (H, W); NOWHERE where there is nothing."""
    rows, cols = np.flatnonzero(held.any(axis=1)), np.flatnonzero(held.any(axis=0))
    return (int(cols[0]), int(rows[0]), int(cols[-1]) + 1, int(rows[-1]) + 1) if len(rows) else NOWHERE


def area(box: Box) -> int:
    """Pixels of a box."""
    return (box[2] - box[0]) * (box[3] - box[1])


def parts(box: Box) -> tuple[slice, slice]:
    """Its rows and columns, as arrays are indexed."""
    return slice(box[1], box[3]), slice(box[0], box[2])


def joined(a: Box, b: Box) -> Box:
    """The box around both."""
    if not area(a) or not area(b):
        return a if area(a) else b if area(b) else NOWHERE
    return min(a[0], b[0]), min(a[1], b[1]), max(a[2], b[2]), max(a[3], b[3])


def wider(box: Box, pixels: float, size: tuple[int, int]) -> Box:
    """With so many pixels more all around, within a grid of a width and height."""
    by, (w, h) = int(np.ceil(pixels)), size
    return max(0, box[0] - by), max(0, box[1] - by), min(w, box[2] + by), min(h, box[3] + by)
