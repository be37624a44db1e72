"""Filling from another take: a photo of the same camera, between which nothing moved, shows what is behind."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray

from roofline.core.light import even
from roofline.core.plates.filling import Beside, Picture, from_other
from roofline.core.plates.worked import Canvas, Worked

AROUND = 200  # pixels about a hole by which the two exposures are told
LEAST = 300  # pixels that both show, for a curve; for fewer a gain
MOST = 20_000
DARK, BRIGHT = 0.002, 0.9  # linear light beyond which a picture says nothing of its exposure
ROUNDS = 20
OFF = 0.1  # stops: what lies much farther off the curve is something else in one of the two


def from_take(worked: Worked, where: Picture, look: Callable[[Canvas], Picture]) -> tuple[Worked, float]:
    """A plate's hole from another take, pixel for pixel, brought to the plate's exposure; see `from_other`.

    Unlike what comes through the geometry it is not bent to meet its border: beside a cut-out lie its shadow and its
    rest, which would bleed into what is seen behind.
    """
    return from_other(worked, where, look, AROUND, _crossed)


def _crossed(b: Beside) -> Picture:
    around = b.there & ~cv2.dilate(b.hole.astype(np.uint8), np.ones((5, 5), np.uint8)).astype(bool)
    light = exposed_as(b.own[around], b.other[around], b.other)
    share = (b.cover * b.there)[..., None]
    return (even(b.part) * (1 - share) + b.shown(light) * share).astype(np.float32)


def exposed_as(own: NDArray, other: NDArray, picture: NDArray) -> NDArray[np.float32]:
    """A picture (…, 3) of a take as the plate's camera exposed it, by what both show of the same places, (N, 3) each.

    Two exposures of one film differ by a curve, for each colour: one of the second degree in stops, fitted robustly, so
    that a shadow that only one of them has counts little.
    """
    if len(own) > MOST:
        chosen = np.random.default_rng(1).choice(len(own), MOST, replace=False)
        own, other = own[chosen], other[chosen]
    out = np.empty(picture.shape, np.float32)
    for c in range(3):
        a, b = own[:, c], other[:, c]
        ok = (np.minimum(a, b) > DARK) & (np.maximum(a, b) < BRIGHT)
        out[..., c] = _curve(np.log2(b[ok]), np.log2(a[ok]), picture[..., c])
    return out


def _curve(x: NDArray, y: NDArray, values: NDArray) -> NDArray:
    """Values of linear light through the curve that takes stops x to stops y; beyond those seen it goes on straight."""
    if len(x) < LEAST:
        return values * (2.0 ** float(np.median(y - x)) if len(x) else 1.0)
    low, high = np.percentile(x, [2, 98])
    t = (x - low) / max(high - low, 0.1)
    powers = np.stack([np.ones_like(t), t, t * t], axis=1)
    weight = np.ones_like(t)
    for _ in range(ROUNDS):
        k = np.linalg.lstsq(powers * weight[:, None], (y - x) * weight, rcond=None)[0]
        off = np.abs(y - x - powers @ k)
        weight = 1 / np.hypot(1.0, off / OFF)  # Cauchy's, as squares
    stops = np.log2(np.maximum(values, 1e-6))
    t = (np.clip(stops, low, high) - low) / max(high - low, 0.1)
    return values * 2.0 ** (k[0] + k[1] * t + k[2] * t * t)
