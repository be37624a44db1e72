"""Grades: exposure, white, and the ASC CDL, in linear light."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import Array
from roofline.core.light import D65, SRGB_TO_XYZ
from roofline.model.steps import Grade

# CAT16's sharpened cone responses (Li et al. 2017)
CAT16 = np.array([[0.401288, 0.650173, -0.051461], [-0.250268, 1.204414, 0.045854], [-0.002079, 0.048952, 0.953127]])
LUMA = np.array([0.2126, 0.7152, 0.0722])  # of the ASC CDL's saturation (ITU-R BT.709)
NEUTRAL = 1e6 / 6504.0  # mired of D65
BLUEST = 1e6 / 15_000  # mired
TINT = 0.001  # of distance from the Planckian locus in CIE 1960 u, v, for each unit of tint


def planckian(mired: float) -> Array:
    """CIE 1960 (u, v) of a black body (Krystek 1985, good between 1,000 and 15,000 K); bluer ones on its tangent."""
    if mired < BLUEST:
        end = planckian(BLUEST)
        return np.asarray(end + (mired - BLUEST) * (planckian(BLUEST + 1) - end))
    t = 1e6 / min(mired, 1e6 / 1000)
    u = (0.860117757 + 1.54118254e-4 * t + 1.28641212e-7 * t * t) / (1 + 8.42420235e-4 * t + 7.08145163e-7 * t * t)
    v = (0.317398726 + 4.22806245e-5 * t + 4.20481691e-8 * t * t) / (1 - 2.89741816e-5 * t + 1.61456053e-7 * t * t)
    return np.array([u, v])


def white_of(temperature: float, tint: float) -> Array:
    """CIE XYZ of the white that D65 is taken to: so many mired warmer along the locus, so far across it to magenta."""
    x, y, z = D65
    uv = np.array([4 * x, 6 * y]) / (x + 15 * y + 3 * z)
    here = planckian(NEUTRAL + temperature)
    along = planckian(NEUTRAL + temperature + 1) - planckian(NEUTRAL + temperature - 1)
    across = np.array([-along[1], along[0]]) / float(np.hypot(*along))
    across = across if across[1] < 0 else -across  # below the locus is magenta
    u, v = uv + here - planckian(NEUTRAL) + tint * TINT * across
    cx, cy = 3 * u / (2 * u - 8 * v + 4), 2 * v / (2 * u - 8 * v + 4)
    return np.array([cx / cy, 1.0, (1 - cx - cy) / cy])


def adaptation(temperature: float, tint: float) -> Array:
    """Matrix (3, 3) on linear RGB that takes white to another (CAT16, complete adaptation)."""
    if temperature == 0 and tint == 0:
        return np.eye(3)
    gains = (CAT16 @ white_of(temperature, tint)) / (CAT16 @ D65)
    return np.asarray(np.linalg.inv(SRGB_TO_XYZ) @ np.linalg.inv(CAT16) @ np.diag(gains) @ CAT16 @ SRGB_TO_XYZ)


def graded(linear: NDArray[np.float32], grade: Grade) -> NDArray[np.float32]:
    """A picture (…, 3) in linear light with a grade applied.

    Slope, offset and power as published (ASC CDL 1.2): what is negative before the power becomes zero; values above
    one are kept. A power of one is not taken, and nothing is clamped then.
    """
    matrix = adaptation(grade.temperature, grade.tint) * 2.0**grade.exposure
    out = linear if np.allclose(matrix, np.eye(3), atol=1e-12) else linear @ matrix.T.astype(np.float32)
    slope, offset, power = (np.array(v, dtype=np.float32) for v in (grade.slope, grade.offset, grade.power))
    if (slope != 1).any() or offset.any():
        out = out * slope + offset
    if (power != 1).any():
        out = np.maximum(out, 0) ** power
    if grade.saturation != 1:
        luma = (out @ LUMA.astype(np.float32))[..., None]
        out = luma + np.float32(grade.saturation) * (out - luma)
    return np.asarray(out, dtype=np.float32)
