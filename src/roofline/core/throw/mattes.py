"""Mattes, and where a cut-out is solid by them.

A look into a matte of many megapixels mostly waits for the memory. So each matte also has blocks of 4 × 4 pixels, few
enough to stay in the cache, which say when the whole block is on one side of a half.
"""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from roofline.core.throw.cast import open_cast

BLOCK_BITS = 2  # blocks are 4 × 4 picture pixels
SIDE = 1 << BLOCK_BITS
CLEAR, SOLID, MIXED, UNSAID = range(4)
SIMD = 8  # pixels that the inner loops take at once; a row in the making has room for as many beyond its end


@njit(cache=True, error_model="numpy", inline="always")
def linear(flat, at, x, y):  # type: ignore[no-untyped-def]
    """The linear form whose three coefficients stand at a place of a flat array, at (x, y)."""
    return flat[at] * x + flat[at + 1] * y + flat[at + 2]


@njit(cache=True, error_model="numpy", inline="always")
def linear_of(flat, at, x, y, w):  # type: ignore[no-untyped-def]
    """The linear form whose three coefficients stand at a place of a flat array, of the homogeneous (x, y, w)."""
    return flat[at] * x + flat[at + 1] * y + flat[at + 2] * w


@njit(cache=True, error_model="numpy", inline="always")
def line_pixel(line, x):  # type: ignore[no-untyped-def]
    """Pixel of a row's line at x."""
    nearness = 1.0 / (line[4] * x + line[5])
    return (line[0] * x + line[1]) * nearness, (line[2] * x + line[3]) * nearness


@njit(cache=True, error_model="numpy", inline="always")
def whole_blocks(count):  # type: ignore[no-untyped-def]
    """A number of pixels, rounded up to a multiple of SIMD."""
    return (count + SIMD - 1) // SIMD * SIMD


@njit(cache=True, nogil=True, error_model="numpy")
def matte_blocks(matte: NDArray[np.float32]) -> NDArray[np.uint8]:
    """Blocks (⌈H / 4⌉, ⌈W / 4⌉) of a matte (H, W): CLEAR or SOLID where that is so wherever in it one looks, or
    MIXED."""
    tall, wide = matte.shape
    out = np.empty(((tall + SIDE - 1) // SIDE, (wide + SIDE - 1) // SIDE), dtype=np.uint8)
    for j in range(out.shape[0]):
        y0, y1 = max(j * SIDE - 1, 0), min((j + 1) * SIDE + 1, tall)
        for i in range(out.shape[1]):
            least, most = np.float32(2), np.float32(-1)
            for y in range(y0, y1):  # a bilinear look from within reaches one pixel beyond
                for x in range(max(i * SIDE - 1, 0), min((i + 1) * SIDE + 1, wide)):
                    least, most = min(least, matte[y, x]), max(most, matte[y, x])
            out[j, i] = CLEAR if most < 0.5 else (SOLID if least >= 0.5 else MIXED)
    return out


@njit(cache=True, error_model="numpy")
def matte_value(matte, at, width, height, x, y):  # type: ignore[no-untyped-def]
    """Bilinear matte at a picture pixel; the border value continues outwards by half a pixel."""
    u = min(max(x - 0.5, 0.0), width - 1.0)
    v = min(max(y - 0.5, 0.0), height - 1.0)
    i, j = int(u), int(v)
    i2, j2 = min(i + 1, int(width) - 1), min(j + 1, int(height) - 1)
    fu, fv = u - i, v - j
    w = int(width)
    top = matte[at + j * w + i] * (1 - fu) + matte[at + j * w + i2] * fu
    low = matte[at + j2 * w + i] * (1 - fu) + matte[at + j2 * w + i2] * fu
    return top * (1 - fv) + low * fv


@njit(cache=True, error_model="numpy")
def solid_plate(cast, p, u, v):  # type: ignore[no-untyped-def]
    """Whether plate p's matte, if it has one, is at least a half at a pixel (u, v) of its picture.

    ``cast``: a `Cast`, as it is or as a table.
    """
    cast = open_cast(cast)
    across = (int(cast.canvas[6 * p + 4]) + SIDE - 1) >> BLOCK_BITS
    block = cast.blocks[cast.block_at[p] + (int(v) >> BLOCK_BITS) * across + (int(u) >> BLOCK_BITS)]
    return block == SOLID or (
        block == MIXED
        and matte_value(cast.matte, cast.matte_at[p], cast.canvas[6 * p + 4], cast.canvas[6 * p + 5], u, v) >= 0.5
    )


@njit(cache=True, error_model="numpy")
def solid_at(cast, maps, grid, face, x, y):  # type: ignore[no-untyped-def]
    """Whether a cut-out face is there at a pixel of a grid: its alpha is at least a half.

    The alpha is the matte of its first throw whose canvas covers the point; a cut-out on which nothing is thrown is
    solid. ``cast``: as in `solid_plate`; ``maps``: (grids × N × 9), flat.
    """
    table, cast = cast, open_cast(cast)
    first, last = cast.pair_start[face], cast.pair_start[face + 1]
    solid = first == last
    for n in range(first, last):
        at = 9 * (grid * cast.pairs + n)
        w = linear(maps, at + 6, x, y)
        if w <= 0:
            continue
        nearness = 1.0 / w
        u, v = linear(maps, at, x, y) * nearness, linear(maps, at + 3, x, y) * nearness
        p = cast.pair_plate[n]
        if u < 0 or v < 0 or u >= cast.canvas[6 * p + 4] or v >= cast.canvas[6 * p + 5]:
            continue
        solid = solid_plate(table, p, u, v)
        break
    return solid


@njit(cache=True, error_model="numpy")
def fill(out, at, count, value):  # type: ignore[no-untyped-def]
    """Write a value to so many places from one on, and to what is left of the last block."""
    for j in range(whole_blocks(count)):
        out[np.uintp(at) + np.uintp(j)] = value


@njit(cache=True, error_model="numpy")
def find_along(line, width, height, at, nowhere, x0, count, block):  # type: ignore[no-untyped-def]
    """Write where the block is in which each of so many pixels of a row lies, from x0 on; compiles to SIMD.

    ``line``: slopes and constants in x of the three homogeneous components of the map to the picture, along the row;
    ``at``: where the picture's blocks begin; ``nowhere``: what is written for pixels off the picture.
    """
    u1, u0, v1, v0, w1, w0 = line
    across = float((int(width) + SIDE - 1) >> BLOCK_BITS)
    for j in range(whole_blocks(count)):
        x = x0 + j + 0.5
        w = w1 * x + w0
        nearness = 1.0 / w
        u, v = (u1 * x + u0) * nearness, (v1 * x + v0) * nearness
        on = (w > 0) & (u >= 0) & (v >= 0) & (u < width) & (v < height)
        place = at + np.floor(v / SIDE) * across + np.floor(u / SIDE)  # whole numbers, and faster than them
        block[np.uintp(j)] = np.int32(place if on else float(nowhere))


@njit(cache=True, error_model="numpy")
def say_along(blocks, block, x0, count, solid):  # type: ignore[no-untyped-def]
    """Write what the blocks say to those of so many pixels that are UNSAID; returns how many are MIXED."""
    mixed = 0
    for j in range(count):
        i = np.uintp(x0) + np.uintp(j)
        said = blocks[np.uintp(block[np.uintp(j)])]
        said = said if solid[i] == UNSAID else solid[i]
        solid[i] = said
        mixed += said == MIXED
    return mixed


@njit(cache=True, error_model="numpy")
def solid_plate_along(cast, p, line, x0, x1, block, solid):  # type: ignore[no-untyped-def]
    """`solid_plate` for those of a row's pixels [x0, x1) that are UNSAID and on plate p's picture.

    ``line``: as in `find_along`; ``block``: room for a row.
    """
    cast = open_cast(cast)
    width, height = cast.canvas[6 * p + 4], cast.canvas[6 * p + 5]
    find_along(line, width, height, cast.block_at[p], cast.nowhere, x0, x1 - x0, block)
    if say_along(cast.blocks, block, x0, x1 - x0, solid):
        for j in range(x1 - x0):
            i = np.uintp(x0) + np.uintp(j)
            if solid[i] == MIXED:
                u, v = line_pixel(line, x0 + j + 0.5)
                value = matte_value(cast.matte, cast.matte_at[p], width, height, u, v)
                solid[i] = np.uint8(SOLID) if value >= 0.5 else np.uint8(CLEAR)


@njit(cache=True, error_model="numpy")
def solid_along(cast, maps, grid, face, line, x0, x1, block, solid):  # type: ignore[no-untyped-def]
    """Write `solid_at`, as CLEAR or SOLID, for the pixels [x0, x1) of a row, which ``line`` leads to the grid."""
    table, cast = cast, open_cast(cast)
    first, last = cast.pair_start[face], cast.pair_start[face + 1]
    fill(solid, x0, x1 - x0, np.uint8(SOLID if first == last else UNSAID))
    u1, u0, v1, v0, w1, w0 = line
    for n in range(first, last):
        at = 9 * (grid * cast.pairs + n)
        through = (
            linear_of(maps, at, u1, v1, w1),
            linear_of(maps, at, u0, v0, w0),
            linear_of(maps, at + 3, u1, v1, w1),
            linear_of(maps, at + 3, u0, v0, w0),
            linear_of(maps, at + 6, u1, v1, w1),
            linear_of(maps, at + 6, u0, v0, w0),
        )
        solid_plate_along(table, np.int64(cast.pair_plate[n]), through, x0, x1, block, solid)
