"""Membranes: the smoothest values within a hole that meet what is around it (Laplace's equation)."""

from __future__ import annotations

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

COARSEST = 8  # pixels: no level is smaller
OVER = 1.6  # successive over-relaxation


@njit(cache=True, nogil=True, error_model="numpy")
def _relax(values, free, rounds, over):  # type: ignore[no-untyped-def]
    """Rounds of red-black over-relaxation of the free pixels of (H, W, C); at the picture's border it ends level."""
    height, width, channels = values.shape
    for k in range(2 * rounds):
        for y in range(height):
            for x in range((y + k) % 2, width, 2):
                if not free[y, x]:
                    continue
                for c in range(channels):
                    total, count = 0.0, 0
                    if y > 0:
                        total += values[y - 1, x, c]
                        count += 1
                    if y < height - 1:
                        total += values[y + 1, x, c]
                        count += 1
                    if x > 0:
                        total += values[y, x - 1, c]
                        count += 1
                    if x < width - 1:
                        total += values[y, x + 1, c]
                        count += 1
                    values[y, x, c] += over * (total / count - values[y, x, c])


def membrane(values: NDArray[np.float32], hole: NDArray[np.bool_]) -> NDArray[np.float32]:
    """Values (H, W, C) with those in a hole (H, W) replaced by the smoothest that meet the others.

    Coarse to fine, so that it takes few rounds whatever the hole's size. Without anything around, zero.
    """
    height, width = hole.shape
    if hole.all():
        return np.zeros_like(values)
    if min(height, width) > COARSEST and hole.any():
        half = (max(1, (width + 1) // 2), max(1, (height + 1) // 2))
        known = (~hole).astype(np.float32)
        share = cv2.resize(known, half, interpolation=cv2.INTER_AREA)
        sums = cv2.resize(values * known[..., None], half, interpolation=cv2.INTER_AREA).reshape(*share.shape, -1)
        mean = (sums / np.maximum(share, 1e-6)[..., None]).astype(np.float32)
        coarse = membrane(mean, share < 1e-3)
        start = cv2.resize(coarse, (width, height), interpolation=cv2.INTER_LINEAR).reshape(values.shape)
        out = np.where(hole[..., None], start, values).astype(np.float32)
        _relax(out, hole, 12, OVER if max(height, width) > 32 else 1.0)
    else:
        out = np.where(hole[..., None], values[~hole].mean(0), values).astype(np.float32)
        _relax(out, hole, 200, 1.0)
    _relax(out, hole, 3, 1.0)
    return out


def grain(around: NDArray[np.float32], ring: NDArray[np.bool_], shape: tuple[int, int], seed: int) -> NDArray:
    """Noise (H, W, C) as fine and as strong as the picture's own within a ring (H, W) of it."""
    fine = around - cv2.GaussianBlur(around, (0, 0), 1.5)
    if not ring.any():
        return np.zeros((*shape, around.shape[2]), np.float32)
    # in the quieter parts of the ring there is grain alone; elsewhere edges and texture as well
    share = cv2.blur(ring.astype(np.float32), (9, 9))
    power = cv2.blur(fine * fine * ring[..., None].astype(np.float32), (9, 9)) / np.maximum(share, 1e-3)[..., None]
    strength = np.sqrt(np.percentile(power[ring & (share > 0.3)], 20, axis=0)) if (share > 0.3).any() else 0.0
    noise = np.random.default_rng(seed).normal(size=(*shape, around.shape[2])).astype(np.float32)
    # neighbouring pixels of a developed picture are alike: as much as these are
    near = float(np.corrcoef(fine[ring][:-1].ravel(), fine[ring][1:].ravel())[0, 1]) if ring.sum() > 50 else 0.0
    if near > 0.1:
        noise = np.asarray(cv2.GaussianBlur(noise, (0, 0), 0.4 + 0.5 * min(near, 0.8)), dtype=np.float32)
        noise /= noise.std() + 1e-9
    noise -= cv2.GaussianBlur(noise, (0, 0), 3)
    return np.asarray(noise * strength, dtype=np.float32)


def meeting(values: NDArray[np.float32], around: NDArray[np.float32], hole: NDArray[np.bool_]) -> NDArray[np.float32]:
    """Values (H, W, C) in a hole, their light brought to that of what is around: texture comes, light stays.

    The membrane of Pérez, Gangnet and Blake (2003) over the difference on the hole's rim.
    """
    if hole.all():
        return values
    gap = np.where(hole[..., None], 0, around - values).astype(np.float32)
    rim = cv2.dilate(hole.astype(np.uint8), np.ones((3, 3), np.uint8)).astype(bool) & ~hole
    # the rim's difference, less its grain
    soft = cv2.blur(rim.astype(np.float32), (5, 5))
    mean = cv2.blur(gap * rim[..., None].astype(np.float32), (5, 5)) / np.maximum(soft, 1e-6)[..., None]
    gap[rim] = mean.reshape(gap.shape)[rim]
    return np.asarray(np.where(hole[..., None], values + membrane(gap, hole), around), dtype=np.float32)
