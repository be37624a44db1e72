"""Straight segments of a picture, a choice of them that is well spread, and how they are laid onto its edges."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import Array
from roofline.core.survey.snap import snap
from roofline.model.base import EdgeFamily
from roofline.model.survey import Edge

WORK_WIDTH = 1800  # pixels across at which segments are looked for
SHORTEST = 0.009  # of the diagonal
LONG = 0.018  # shorter segments are left aside where there are enough of these
ENOUGH = 9
MOST = 900  # segments looked at
PER_FAMILY = 22


def segments(grey: NDArray[np.uint8]) -> Array:
    """Straight segments (N, 2, 2) in pixels of the picture, longest first."""
    scale = min(1.0, WORK_WIDTH / max(grey.shape))
    small = cv2.resize(grey, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA) if scale < 1 else grey
    found: Any = cv2.createLineSegmentDetector(cv2.LSD_REFINE_STD).detect(small)[0]
    if found is None:
        return np.zeros((0, 2, 2))
    # LSD's pixels have whole centres; ours start at the corner
    lines = (found.reshape(-1, 2, 2).astype(np.float64) + 0.5) / scale
    length = np.linalg.norm(lines[:, 1] - lines[:, 0], axis=1)
    keep = np.argsort(-length)[:MOST]
    keep = keep[length[keep] > SHORTEST * np.hypot(*grey.shape)]
    return lines[keep]


def spread_out(lines: Array, most: int, width: int, height: int) -> NDArray[np.int64]:
    """Long segments that are not all in one part of the picture: the longest of every cell of a grid in turn."""
    length = np.linalg.norm(lines[:, 1] - lines[:, 0], axis=1)
    middle = lines.mean(1)
    cell = (np.clip(middle[:, 1] / height * 4, 0, 3).astype(int)) * 5 + np.clip(middle[:, 0] / width * 5, 0, 4).astype(
        int
    )
    rank = np.zeros(len(lines))
    for c in np.unique(cell):
        mine = np.flatnonzero(cell == c)
        rank[mine[np.argsort(-length[mine])]] = np.arange(len(mine))
    # a place in its cell costs as much as a quarter of the length
    return np.argsort(rank * 0.25 - length / length.max())[:most]


def laid(grey: NDArray[np.uint8], lines: Array, family: EdgeFamily, points: int) -> list[Edge]:
    """The best spread of the segments of a family, laid onto the picture's edges at full resolution."""
    height, width = grey.shape
    out: list[Edge] = []
    reach = max(3.0, 2.0 * max(grey.shape) / WORK_WIDTH)
    long = lines[np.linalg.norm(lines[:, 1] - lines[:, 0], axis=1) > LONG * np.hypot(width, height)]
    mine = long if len(long) >= ENOUGH else lines
    if not len(mine):
        return []
    for n in spread_out(mine, PER_FAMILY, width, height):
        edge = snap(grey, mine[n, 0], mine[n, 1], reach, points)
        if edge is not None and np.linalg.norm(edge[-1] - edge[0]) > 0.5 * SHORTEST * np.hypot(width, height):
            out.append(Edge(family=family, points=[(float(x), float(y)) for x, y in edge], found=True))
    return out
