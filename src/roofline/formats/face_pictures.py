"""Pictures of faces as files: straight alpha, and colours that go on beyond where a picture ends."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from roofline.formats.colour import to_display
from roofline.formats.frames import save_frame
from roofline.formats.pictures import png

Depth = Literal["png", "png16", "exr"]
SUFFIX: dict[Depth, str] = {"png": ".png", "png16": ".png", "exr": ".exr"}


def spread(pixels: NDArray, known: NDArray[np.bool_]) -> NDArray:
    """Pixels (H, W, C) with each unknown one (H, W) replaced by the nearest known: a border that is interpolated
    across then shows no other colour."""
    if known.all() or not known.any():
        return pixels
    away = (~known).astype(np.uint8)
    _, labels = cv2.distanceTransformWithLabels(away, cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    y, x = np.nonzero(known)
    source = np.zeros(labels.max() + 1, dtype=np.int64)
    source[labels[y, x]] = y * known.shape[1] + x
    return pixels.reshape(-1, pixels.shape[2])[source[labels]].reshape(pixels.shape)


def encoded(linear: NDArray[np.float32], alpha: bool, depth: Depth) -> bytes:
    """A picture (H, W, 4), linear with straight alpha, as a file of 8 or 16 bit display values or of linear halves."""
    if depth == "exr":
        premultiplied = linear.copy()
        premultiplied[..., :3] *= linear[..., 3:]
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "face.exr"
            save_frame(path, premultiplied, "exr", alpha)
            return path.read_bytes()
    values = np.dstack([to_display(linear[..., :3]), np.clip(linear[..., 3], 0, 1)])
    most, kind = (255, np.uint8) if depth == "png" else (65535, np.uint16)
    whole = (values * most + 0.5).astype(kind)
    return png(whole if alpha else whole[..., :3])
