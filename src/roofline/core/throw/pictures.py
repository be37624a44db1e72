"""The plates' pictures for the engine: a pyramid of each, in one slot, and all of them side by side."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from roofline.core.throw.throws import side_by_side

TEXEL = 16  # bytes: four times float32


@dataclass(frozen=True)
class Pyramid:
    """A plate's levels, each half the size of the one before, one after another in one array."""

    texels: NDArray[np.float32]  # (…, 4) linear light, premultiplied
    at: NDArray[np.int64]  # (L,) where each level begins
    size: NDArray[np.int64]  # (L, 2) width, height


class Textures(NamedTuple):
    """Pyramids of all plates for the compiled loops. L: levels of all plates."""

    texels: Any  # (… × 4) float32: the one that lies lowest in memory, see `side_by_side`
    level_at: Any  # (L,) each level's place beyond it
    level_size: Any  # (L × 2) width, height
    first: Any  # (P + 1,) first level of each plate


def _sizes(width: int, height: int) -> list[tuple[int, int]]:
    out = [(width, height)]
    while max(out[-1]) > 1:
        w, h = out[-1]
        out.append((max(1, w // 2), max(1, h // 2)))
    return out


def pyramid_of(colour: NDArray[np.float32], matte: NDArray[np.float32] | None) -> Pyramid:
    """Premultiplied RGBA levels of a colour (H, W, 3) and a matte (H, W), written where they stay (area average)."""
    sizes = _sizes(colour.shape[1], colour.shape[0])
    at = np.cumsum([0, *(w * h for w, h in sizes)], dtype=np.int64)
    texels = np.empty((int(at[-1]), 4), dtype=np.float32)
    levels = [texels[a : a + w * h].reshape(h, w, 4) for a, (w, h) in zip(at, sizes, strict=False)]
    if matte is None:
        levels[0][..., :3] = colour
        levels[0][..., 3] = 1.0
    else:
        np.multiply(colour, matte[..., None], out=levels[0][..., :3])
        levels[0][..., 3] = matte
    for fine, coarse in zip(levels, levels[1:], strict=False):
        cv2.resize(fine, (coarse.shape[1], coarse.shape[0]), dst=coarse, interpolation=cv2.INTER_AREA)
    return Pyramid(texels, at[:-1], np.array(sizes, dtype=np.int64))


@dataclass(frozen=True)
class Held:
    """Textures, and the pyramids that have to live as long."""

    textures: Textures
    pyramids: tuple[Pyramid, ...]


def textures_of(pyramids: Sequence[Pyramid]) -> Held:
    """Pyramids side by side, none of them copied."""
    texels, places = side_by_side([p.texels for p in pyramids], TEXEL)
    return Held(
        Textures(
            texels.ravel() if pyramids else np.zeros(4, dtype=np.float32),
            np.concatenate([np.zeros(0, np.int64), *(p.at + a for p, a in zip(pyramids, places, strict=True))]),
            np.concatenate([np.zeros(0, np.int64), *(p.size.ravel() for p in pyramids)]),
            np.cumsum([0, *(len(p.at) for p in pyramids)], dtype=np.int64),
        ),
        tuple(pyramids),
    )
