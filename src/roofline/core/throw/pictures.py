"""The plates' pictures for the engine: a pyramid of each, in one slot, and all of them side by side."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from roofline.core.throw.throws import side_by_side

BLOCK = 16  # pixels: a plate's empty blocks are known, and not looked up
TEXEL = 16  # bytes: four times float32


@dataclass(frozen=True)
class Pyramid:
    """A plate's levels, each half the size of the one before, rounded up, one after another in one array."""

    texels: NDArray[np.float32]  # (…, 4) linear light, premultiplied
    at: NDArray[np.int64]  # (L,) where each level begins
    size: NDArray[np.int64]  # (L, 2) width, height
    filled: NDArray[np.uint8] | None  # (⌈H / BLOCK⌉, ⌈W / BLOCK⌉) whether a block has any alpha; none: all have


class Textures(NamedTuple):
    """Pyramids of all plates for the compiled loops. L: levels of all plates."""

    texels: Any  # (… × 4) float32: the one that lies lowest in memory, see `side_by_side`
    level_at: Any  # (L,) each level's place beyond it
    level_size: Any  # (L × 2) width, height
    first: Any  # (P + 1,) first level of each plate
    filled: Any  # blocks of all plates
    filled_at: Any  # (P,) where each plate's begin, −1 where all are filled


# half the size by Lanczos's kernel of reach three, which falls symmetrically between two pixels: twelve of them
_AT = (np.arange(12) - 5.5) / 2
HALVING = np.sinc(_AT) * np.sinc(_AT / 3) / (np.sinc(_AT) * np.sinc(_AT / 3)).sum()
BAND = 256  # rows that are halved at once


def _sizes(width: int, height: int) -> list[tuple[int, int]]:
    out = [(width, height)]
    while max(out[-1]) > 1:
        w, h = out[-1]
        out.append(((w + 1) // 2, (h + 1) // 2))
    return out


def _halve(fine: NDArray[np.float32], out: NDArray[np.float32]) -> None:
    """Write half of ``fine`` (H, W, 4) to ``out`` (⌈H / 2⌉, ⌈W / 2⌉, 4).

    What the kernel's negative lobes add beyond the values under its middle is held in: nothing rings. By bands, so
    that it takes little memory.
    """
    height, around = fine.shape[0], 6
    for top in range(0, out.shape[0], BAND):
        rows = min(BAND, out.shape[0] - top)
        first, end = 2 * top - around, 2 * (top + rows) + around
        band = fine[max(first, 0) : min(end, height)]
        above, below = max(-first, 0), max(end - height, 0)
        wider = cv2.copyMakeBorder(band, above, below, around, around + 1, cv2.BORDER_REPLICATE)
        # OpenCV's kernel of twelve lies around its sixth: of a pixel and the next, the middle is half a pixel further
        soft = cv2.sepFilter2D(wider, -1, HALVING, HALVING, anchor=(5, 5), borderType=cv2.BORDER_REPLICATE)
        middle = np.ones((6, 6), np.uint8)
        low, high = cv2.erode(wider, middle, anchor=(2, 2)), cv2.dilate(wider, middle, anchor=(2, 2))
        wide = out.shape[1]
        pick = slice(around, around + 2 * rows, 2), slice(around, around + 2 * wide, 2)
        np.clip(soft[pick], low[pick], high[pick], out=out[top : top + rows])


def _filled(matte: NDArray[np.float32]) -> NDArray[np.uint8]:
    """Which blocks of a matte (H, W) have anything."""
    any_alpha = np.maximum.reduceat(matte > 0, np.arange(0, matte.shape[0], BLOCK), axis=0)
    return np.maximum.reduceat(any_alpha, np.arange(0, matte.shape[1], BLOCK), axis=1).astype(np.uint8)


def pyramid_of(colour: NDArray[np.float32], matte: NDArray[np.float32] | None) -> Pyramid:
    """Premultiplied RGBA levels of a colour (H, W, 3) and a matte (H, W), written where they stay.

    A texel of a level is two by two of the one before, whatever its size: where that is odd, the border continues.
    """
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
        _halve(fine, coarse)
    return Pyramid(texels, at[:-1], np.array(sizes, dtype=np.int64), None if matte is None else _filled(matte))


@dataclass(frozen=True)
class Held:
    """Textures, and the pyramids that have to live as long."""

    textures: Textures
    pyramids: tuple[Pyramid, ...]


def textures_of(pyramids: Sequence[Pyramid]) -> Held:
    """Pyramids side by side, none of them copied."""
    texels, places = side_by_side([p.texels for p in pyramids], TEXEL)
    blocks = [np.zeros(0, np.uint8) if p.filled is None else p.filled.ravel() for p in pyramids]
    starts = np.cumsum([0, *(b.size for b in blocks)], dtype=np.int64)[:-1]
    return Held(
        Textures(
            texels.ravel() if pyramids else np.zeros(4, dtype=np.float32),
            np.concatenate([np.zeros(0, np.int64), *(p.at + a for p, a in zip(pyramids, places, strict=True))]),
            np.concatenate([np.zeros(0, np.int64), *(p.size.ravel() for p in pyramids)]),
            np.cumsum([0, *(len(p.at) for p in pyramids)], dtype=np.int64),
            np.concatenate([*blocks, np.zeros(1, np.uint8)]),
            np.array([-1 if p.filled is None else at for p, at in zip(pyramids, starts, strict=True)], np.int64),
        ),
        tuple(pyramids),
    )
