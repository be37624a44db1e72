"""Filling from another take: a photo of the same camera, between which nothing moved, shows what is behind."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray

from roofline.core.light import even, stored, to_display, to_linear
from roofline.core.plates.exemplar import textured
from roofline.core.plates.filling import window
from roofline.core.plates.worked import Canvas, Worked
from roofline.errors import PlateError

AROUND = 200  # pixels about a hole by which the two exposures are told
LEAST = 300  # pixels that both show, for a curve; for fewer a gain
MOST = 20_000
DARK, BRIGHT = 0.002, 0.9  # linear light beyond which a picture says nothing of its exposure
ROUNDS = 20
OFF = 0.1  # stops: what lies much farther off the curve is something else in one of the two


def from_take(
    worked: Worked, where: NDArray[np.float32], look: Callable[[Canvas], NDArray[np.float32]]
) -> tuple[Worked, float]:
    """A plate's hole from another take, pixel for pixel, brought to the plate's exposure.

    Unlike what comes through the geometry it is not bent to meet its border: beside a cut-out lie its shadow and its
    rest, which would bleed into what is seen behind.

    ``look``: the take on a canvas, (H, W, 4), linear and premultiplied.

    Returns the share of the hole that the take gives; the rest is filled with texture.
    """
    ys, xs = window(where > 0.004, AROUND)
    cover, seen = where[ys, xs], look(worked.canvas.part(xs, ys))
    hole, there = cover > 0.004, seen[..., 3] > 0.98
    if not (hole & there).any():
        raise PlateError("The other take shows nothing of what is to be filled.")
    part = np.ascontiguousarray(worked.pixels[ys, xs])
    own, other = to_linear(part), seen[..., :3] / np.maximum(seen[..., 3:], 1e-6)
    beside = there & ~cv2.dilate(hole.astype(np.uint8), np.ones((5, 5), np.uint8)).astype(bool)
    light = exposed_as(own[beside], other[beside], other)
    shown = even(light) if part.dtype == np.float32 else to_display(light)
    share = (cover * there)[..., None]
    new = (even(part) * (1 - share) + shown * share).astype(np.float32)
    rest = hole & ~there
    if rest.any():
        new = textured(new, rest, np.ones(hole.shape, bool))
    out = worked.pixels.copy()
    out[ys, xs] = np.where(hole[..., None], stored(new, part), part)
    return Worked(worked.canvas, out, worked.matte, worked.notes), float((hole & there).sum() / hole.sum())


def exposed_as(own: NDArray, other: NDArray, picture: NDArray) -> NDArray[np.float32]:
    """A picture (…, 3) of a take as the plate's camera exposed it, from what both show of the same places, (N, 3) each.

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
