"""Whether two pictures were taken by a camera that did not move between them."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from roofline.errors import SurveyError

TILE = 512  # pixels of a side, a power of two; smaller pictures have smaller ones
LEAST = 16
PLACES = (0.2, 0.5, 0.8)  # of the picture's width and height, where tiles are compared
CLEAR = 0.05  # of a tile's common picture that has to peak in one spot
ENOUGH = 3  # tiles
AGREE = 0.05  # of a tile's side: how far tiles of one camera's pictures differ at most
SHOWS = 1.0  # pixels: what lies farther beside is said
MOVED = 0.01  # of the picture's width: farther apart, it was another camera


def beside_px(one: NDArray[np.uint8], other: NDArray[np.uint8]) -> float:
    """How far (px) the other picture (H, W) lies beside the one of the same size, in the median of nine places.

    By phase correlation (Kuglin and Hines 1975), which a difference in exposure does not disturb; what stands in one of
    the two alone counts for its own place only.

    Raises
    ------
    SurveyError
        When they differ in size, or show too little in common to tell.
    """
    (tall, wide), (t, w) = one.shape, other.shape
    if (tall, wide) != (t, w):
        sizes = f"{wide} × {tall} px, the other {w} × {t}"
        raise SurveyError(f"One picture has {sizes}: no camera took both as they are.")
    side = min(TILE, 1 << ((min(tall, wide) // 3).bit_length() - 1))  # OpenCV's middle is off for other sizes
    if side < LEAST:
        raise SurveyError(f"Pictures of {wide} × {tall} px are too small to tell whether anything moved.")
    window = cv2.createHanningWindow((side, side), cv2.CV_32F)
    ways = []
    for v in PLACES:
        for u in PLACES:
            x, y = (int(np.clip(share * n - side / 2, 0, n - side)) for share, n in ((u, wide), (v, tall)))
            a, b = (_relief(p[y : y + side, x : x + side]) for p in (one, other))
            (dx, dy), peak = cv2.phaseCorrelate(a, b, window)
            if peak > CLEAR:
                ways.append((dx, dy))
    apart = np.array(ways) - np.median(ways, axis=0) if len(ways) >= ENOUGH else np.full((1, 2), np.inf)
    if np.median(np.hypot(*apart.T)) > AGREE * side:
        raise SurveyError("The two pictures show too little in common to be of one camera: join them by points.")
    return float(np.median(np.hypot(*np.array(ways).T)))


def _relief(tile: NDArray[np.uint8]) -> NDArray[np.float32]:
    """A tile without its own brightness, (H, W)."""
    f = tile.astype(np.float32)
    return f - cv2.GaussianBlur(f, (0, 0), 8)
