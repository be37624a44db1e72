"""Mattes: outlines with a feather, growing, and the fill of what stood in front."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from roofline.errors import PlateError
from roofline.model.plates import Outline

SUBPIXEL = 4
FILL_RADIUS = 5


def box_of(outline: Outline, width: int, height: int, margin: float) -> tuple[int, int, int, int]:
    """Whole-pixel canvas x0, y0, width, height around an outline and a margin, kept inside the photo.

    Raises PlateError when nothing of it lies inside the photo.
    """
    p = np.array(outline.points)
    low = np.floor(p.min(0) - margin)
    high = np.ceil(p.max(0) + margin)
    x0, y0 = max(0, int(low[0])), max(0, int(low[1]))
    x1, y1 = min(width, int(high[0])), min(height, int(high[1]))
    if x1 - x0 < 2 or y1 - y0 < 2:
        raise PlateError("The outline holds no part of the photo: draw it around what stands in front.")
    return x0, y0, x1 - x0, y1 - y0


def draw(outline: Outline, canvas: tuple[int, int, int, int]) -> NDArray[np.float32]:
    """Matte (H, W) float32 of an outline on a canvas: coverage of each pixel, softened over the feather's width.

    The feather lies half inside, half outside: the outline itself is at one half.
    """
    x0, y0, w, h = canvas
    p = np.array(outline.points) - [x0, y0]
    area = 0.5 * abs(float(np.sum(p[:, 0] * np.roll(p[:, 1], -1) - p[:, 1] * np.roll(p[:, 0], -1))))
    if area < 4:
        raise PlateError("The outline encloses no area: set points around what stands in front.")
    big = np.zeros((h * SUBPIXEL, w * SUBPIXEL), dtype=np.uint8)
    # fillPoly addresses pixel centres; ours start at corners
    drawn = [np.round((p * SUBPIXEL - 0.5) * 256).astype(np.int32)]
    cv2.fillPoly(big, drawn, 255, cv2.LINE_8, 8)
    # the fill takes every pixel that its border touches; on average the border halves them
    cv2.polylines(big, drawn, True, 128, 1, cv2.LINE_8, 8)
    matte = cv2.resize(big, (w, h), interpolation=cv2.INTER_AREA).astype(np.float32) / 255
    if outline.feather_px > 0:
        # a smooth ramp about `feather` wide
        matte = cv2.GaussianBlur(matte, (0, 0), outline.feather_px / 3.0, borderType=cv2.BORDER_REPLICATE)  # type: ignore[assignment]
    return matte  # type: ignore[return-value]


def grown(matte: NDArray[np.float32], pixels: float) -> NDArray[np.float32]:
    """What a matte touches at all, grown (or, below zero, shrunk) by pixels; hard edge, (H, W) float32 of 0 and 1."""
    touched = (matte > 0.004).astype(np.uint8)
    if pixels >= 0:
        away = cv2.distanceTransform(1 - touched, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
        return (away <= pixels).astype(np.float32)
    inside = cv2.distanceTransform(touched, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    return (inside > -pixels).astype(np.float32)


def filled(pixels: NDArray, hole: NDArray[np.float32]) -> NDArray:
    """The picture (H, W, 3) with the hole painted from its surroundings by OpenCV's inpainting (Telea 2004).

    Pixels outside of the hole stay bit for bit; 16-bit and float pictures keep their depth.
    """
    mask = (hole > 0.5).astype(np.uint8)
    if not mask.any():
        raise PlateError("There is nothing to fill: the matte is empty.")
    if mask.all():
        raise PlateError("The matte covers everything, so there is nothing to fill from: shrink it.")
    if pixels.dtype == np.uint8:
        out = cv2.inpaint(np.ascontiguousarray(pixels[..., :3]), mask, FILL_RADIUS, cv2.INPAINT_TELEA)
    elif pixels.dtype == np.uint16:
        out = np.dstack(
            [cv2.inpaint(np.ascontiguousarray(pixels[..., c]), mask, FILL_RADIUS, cv2.INPAINT_TELEA) for c in range(3)]
        )
    else:
        # OpenCV's fill is not usable on float pictures: fill a 16-bit stand-in, finer in the shadows
        top = float(max(pixels.max(), 1e-6))
        stand_in = (np.sqrt(np.clip(pixels[..., :3] / top, 0, 1)) * 65535 + 0.5).astype(np.uint16)
        out = ((filled(stand_in, hole).astype(np.float32) / 65535) ** 2 * top).astype(np.float32)
    result = pixels[..., :3].copy()
    result[mask > 0] = out[mask > 0]
    return result
