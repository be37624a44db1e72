"""Plain sources: one colour, a ramp between two, soft cloud."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from roofline.core.light import to_linear
from roofline.model.steps import Tone

OCTAVES = 5


def toned(tone: Tone, width: int, height: int) -> NDArray[np.float32]:
    """A tone as pixels (H, W, 3) in linear light: mixed as display values, so that a ramp looks even."""
    angle = np.radians(tone.angle_deg)
    x, y = np.meshgrid((np.arange(width) + 0.5) / width, (np.arange(height) + 0.5) / height)
    across = np.cos(angle) * (x - 0.5) * width + np.sin(angle) * (y - 0.5) * height
    reach = abs(np.cos(angle)) * width + abs(np.sin(angle)) * height
    share = np.clip(across / max(reach, 1e-9) + 0.5, 0, 1)
    if tone.cloud is not None:
        share = cloud(width, height, tone.cloud.size_px, tone.cloud.seed)
    start, end = np.array(tone.start), np.array(tone.end)
    shown = np.clip(start + share[..., None] * (end - start), 0, 1)
    return to_linear((shown * 65535 + 0.5).astype(np.uint16))


def cloud(width: int, height: int, size: float, seed: int) -> NDArray[np.float64]:
    """Soft cloud (H, W), 0…1: octaves of smooth noise, each half as large and half as strong (Perlin 1985)."""
    rng, total, weight = np.random.default_rng(seed), np.zeros((height, width)), 0.0
    for octave in range(OCTAVES):
        step = max(size / 2**octave, 1.0)
        cells = int(np.ceil(height / step)) + 3, int(np.ceil(width / step)) + 3
        noise = rng.normal(size=cells).astype(np.float32)
        at = np.array([[1 / step, 0, 1], [0, 1 / step, 1]])
        flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
        total += 0.5**octave * cv2.warpAffine(noise, at, (width, height), flags=flags)
        weight += 0.25**octave
    return np.asarray(0.5 + 0.5 * np.tanh(0.9 * total / np.sqrt(weight)))
