"""A made-up valley in five cut-out layers, and as one painting without edges: for the pictures of the beginnings."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

WIDTH, HEIGHT = 2400, 1350
NAMES = ("firs", "near ridge", "far ridge", "range", "sky")
HAZE = np.array([214, 196, 178.0])


def _noise(rng: np.random.Generator, count: int, width: int) -> NDArray[np.float64]:
    """A row of smooth noise in −1 … 1."""
    knots = rng.uniform(-1, 1, count + 3)
    at = np.linspace(0, count, width)
    i = at.astype(int)
    t = at - i
    smooth = t * t * (3 - 2 * t)
    return np.asarray(knots[i] * (1 - smooth) + knots[i + 1] * smooth)


def _ridge(rng: np.random.Generator, base: float, swing: float) -> NDArray[np.float64]:
    """Height in pixels from the top of a ridge's line, for every column."""
    line = sum(swing / 2.1**k * _noise(rng, 4 * 2**k, WIDTH) for k in range(6))
    return np.asarray(base + line)


def _firs(rng: np.random.Generator) -> NDArray[np.float64]:
    top = np.full(WIDTH, HEIGHT * 0.985)
    x = np.arange(WIDTH)
    for centre in (90, 210, 330, 2020, 2150, 2290):
        tall, wide = rng.uniform(480, 760), rng.uniform(80, 120)
        slope = np.abs(x - centre) / wide
        saw = 26 * ((slope * 9 + rng.uniform()) % 1)
        top = np.minimum(top, np.where(slope < 1, HEIGHT - tall * (1 - slope) + saw, HEIGHT))
    return top


def layers(seed: int = 11) -> list[tuple[str, NDArray[np.uint8]]]:
    """Names and pictures (H, W, 4), first the nearest."""
    rng = np.random.default_rng(seed)
    y = np.arange(HEIGHT)[:, None] + 0.5
    tops = [_firs(rng), _ridge(rng, 900, 130), _ridge(rng, 720, 120), _ridge(rng, 540, 150)]
    inks = [np.array(c, float) for c in ((26, 40, 38), (58, 78, 66), (104, 116, 108), (152, 150, 146))]
    out = []
    for name, top, ink, haze in zip(NAMES, tops, inks, (0.0, 0.5, 0.6, 0.7), strict=False):
        alpha = np.clip(y - top[None] + 0.5, 0, 1)
        deep = np.clip((y - top[None]) / 420, 0, 1)[..., None] * haze
        grain = rng.normal(0, 3, (HEIGHT, WIDTH, 1))
        colour = np.clip(ink * (1 - deep) + HAZE * deep + grain, 0, 255)
        out.append((name, np.dstack([colour, 255 * alpha]).astype(np.uint8)))
    down = y / HEIGHT
    sky = np.array([120, 158, 190.0]) * (1 - down)[..., None] + np.array([246, 214, 170.0]) * down[..., None]
    sky = np.broadcast_to(sky, (HEIGHT, WIDTH, 3))
    out.append((NAMES[-1], np.dstack([np.clip(sky, 0, 255), np.full((HEIGHT, WIDTH), 255.0)]).astype(np.uint8)))
    return out


def painting() -> NDArray[np.uint8]:
    """The valley as one picture (H, W, 3)."""
    pictures = [p.astype(np.float64) for _, p in layers()]
    out = pictures[-1][..., :3]
    for p in reversed(pictures[:-1]):
        alpha = p[..., 3:] / 255
        out = out * (1 - alpha) + p[..., :3] * alpha
    return np.asarray(out + 0.5).astype(np.uint8)
