"""Frames as the photo's lens would have drawn them: rendered straight, with room around, and bent back."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import straighten
from roofline.core.moment import Moment
from roofline.errors import RoofLineError

Lens = tuple[float, float, float, float, float]
WIDEST = 2.5  # times the frame's size: further out a lens model is no longer a lens
ROOM = 4  # pixels around, for the filter


def is_straight(lens: Lens) -> bool:
    return not any(lens)


@lru_cache(maxsize=4)
def _straight_pixels(
    width: int, height: int, focal: float, centre: tuple[float, float], lens: Lens
) -> NDArray[np.float64]:
    """For every pixel of the bent frame the pixel of the straight one, (H, W, 2)."""
    x, y = np.meshgrid(np.arange(width) + 0.5, np.arange(height) + 0.5)
    bent = (np.stack([x, y], axis=-1) - centre) / focal
    return straighten(bent, lens) * focal + centre


def bent_picture(render: Callable[[Moment], NDArray[np.float32]], moment: Moment, lens: Lens) -> NDArray[np.float32]:
    """A frame (H, W, 4) bent by a lens k1, k2, p1, p2, k3, on coordinates normalised by the frame's own focal length.

    ``render`` draws straight moments; it is asked for one as large as the bent frame needs, and that is resampled with
    Lanczos's filter over eight pixels.

    Raises
    ------
    RoofLineError
        When the lens bends the frame's corners so far in that the straight picture would be several times as large.
    """
    view = moment.view
    if is_straight(lens):
        return render(moment)
    at = _straight_pixels(view.width, view.height, view.focal, (view.centre[0], view.centre[1]), lens)
    low = np.floor(at.min(axis=(0, 1))).astype(int) - ROOM
    high = np.ceil(at.max(axis=(0, 1))).astype(int) + ROOM
    width, height = (int(v) for v in high - low)
    if not np.isfinite(at).all() or width > WIDEST * view.width + 2 * ROOM or height > WIDEST * view.height + 2 * ROOM:
        raise RoofLineError(
            "The photo's lens bends too strongly for frames this wide to be bent back: deliver them straight."
        )
    centre = (view.centre[0] - float(low[0]), view.centre[1] - float(low[1]))
    straight = render(moment.seen(replace(view, width=width, height=height, centre=centre)))
    where = (at - low - 0.5).astype(np.float32)  # OpenCV counts from the first pixel's centre
    bent = cv2.remap(straight, where[..., 0], where[..., 1], cv2.INTER_LANCZOS4, borderMode=cv2.BORDER_REPLICATE)
    bent = np.maximum(bent, np.float32(0))
    bent[..., 3:] = np.minimum(bent[..., 3:], 1.0)  # the filter's swing, at the border of what there is
    return np.asarray(bent, dtype=np.float32)
