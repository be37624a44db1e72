"""The filter of delivered pictures: a windowed sinc over a delivered pixel's footprint in the plate.

A footprint is the ellipse of the Jacobian (Heckbert 1989), never smaller than a texel. The kernel is Lanczos's, of
reach three (Duchon 1979), laid on the level of the pyramid that is just finer than needed: with a level that is not
much finer, what the level's own filter took away would be missed. What its negative lobes add beyond what lies around
is held in, so that no edge rings.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from roofline.core.throw.pictures import BLOCK
from roofline.core.throw.texels import (
    add,
    least,
    load,
    load_one,
    load_weights,
    most,
    ramp,
    same,
    store,
    store_all,
    swapped,
    total_of,
)

REACH = 3.0  # delivered pixels
FINE = 3.0  # texels that a footprint is wide, at most, before a coarser level is taken
LONGEST = 16.0  # a footprint's length over its width: a thinner one is widened
HELD, HOLD = np.float32(0.035), 1.5  # a result passes the values within so many pixels by this share of their range
ROOM = 320  # texels that a row of the widest footprint covers
SPACE = 2 * ROOM  # a row's weights, and a column's


# a polynomial in x² of it, divided by 1 − (x / REACH)², which is 1.1e-4 from it at most (fitted by Chebyshev's)
TERMS = (0.99989820, -1.71473540, 0.92620320, -0.24624385, 0.03819937, -3.6261773e-3, 1.9825361e-4, -4.7984409e-6)


def kernel(x: np.ndarray) -> np.ndarray:
    """Weights at distances in delivered pixels."""
    return np.where(np.abs(x) < REACH, np.sinc(x) * np.sinc(x / REACH), 0.0)


@njit(cache=True, error_model="numpy", inline="always")
def weights_of(x):  # type: ignore[no-untyped-def]
    """`kernel` at eight distances, by its polynomial."""
    z = add(same(0.0), x, x)
    a, b, c, d, e, f, g, h = TERMS
    out = add(same(e), z, add(same(f), z, add(same(g), z, same(h))))
    out = add(same(a), z, add(same(b), z, add(same(c), z, add(same(d), z, out))))
    return add(same(0.0), most(add(same(1.0), -1 / (REACH * REACH), z), same(0.0)), out)


@njit(cache=True, error_model="numpy")
def footprint(a, b, c, d, top):  # type: ignore[no-untyped-def]
    """Level of the pyramid, at most ``top``, and the footprint of the Jacobian [[a, b], [c, d]] in its texels.

    The footprint is an upper triangle [[p, q], [0, s]], of which the ellipse is the image of a circle: a row of texels
    at e = dy / s is centred on q e and p wide.
    """
    xx, xy, yy = a * a + b * b, a * c + b * d, c * c + d * d
    mean, half = 0.5 * (xx + yy), 0.5 * (xx - yy)
    gap = math.sqrt(half * half + xy * xy)
    major, minor = max(mean + gap, 1.0), mean - gap
    minor = max(minor, 1.0, major / (LONGEST * LONGEST))
    level = 0
    while minor >= FINE * FINE and level < top:
        minor, major, level = 0.25 * minor, 0.25 * major, level + 1
    long, wide = 0.5 * (major - minor), 0.5 * (major + minor)
    if gap > 1e-12 * mean:
        half, xy = half * (long / gap), xy * (long / gap)
    else:
        half, xy = 0.0, 0.0
    s = math.sqrt(wide - half)
    return level, math.sqrt(major * minor) / s, xy / s, s


@njit(cache=True, error_model="numpy")
def weigh(x, p, each, weights, at):  # type: ignore[no-untyped-def]
    """Write the weights of texels around x from a place on; returns the first texel, their number, and their sum.

    ``each``: 1 / p. By eights: what lies beyond the kernel's reach weighs nothing.
    """
    i0 = math.ceil(x - REACH * p)
    count = min(math.floor(x + REACH * p) + 1 - i0, ROOM)
    start, total = (i0 - x) * each, same(0.0)
    for block in range(0, count, 8):
        found = weights_of(ramp(start + block * each, each))
        store_all(weights, at + block, found)
        total = add(total, 1.0, found)
    return i0, count, total_of(total)


@njit(cache=True, error_model="numpy", inline="always")
def row_sum(texels, row, i0, count, last, room):  # type: ignore[no-untyped-def]
    """A row's weighted sum, in two parts. ``row``: the row's first texel; ``last``: its last column."""
    out = same(0.0)
    if i0 >= 0 and i0 + count - 1 <= last:
        at, k = np.uintp(4 * (row + i0)), 0
        while k < count - 1:
            out = add(out, load_weights(room, k), load(texels, at + np.uintp(4 * k)))
            k += 2
        if k < count:
            out = add(out, 0.5 * room[np.uintp(k)], load_one(texels, at + np.uintp(4 * k)))
    else:
        for k in range(count):
            out = add(out, 0.5 * room[np.uintp(k)], load_one(texels, 4 * (row + min(max(i0 + k, 0), last))))
    return out


@njit(cache=True, error_model="numpy", inline="always")
def span_row(texels, row, begin, end, last, low, high):  # type: ignore[no-untyped-def]
    """The ranges low and high, widened to the values of a row's columns begin … end."""
    k, stop = max(begin, 0), min(end, last)
    while k < stop:
        pair = load(texels, 4 * (row + k))
        low, high = least(pair, low), most(pair, high)
        k += 2
    if k == stop:
        pair = load_one(texels, 4 * (row + k))
        low, high = least(pair, low), most(pair, high)
    return low, high


@njit(cache=True, error_model="numpy")
def gather(tex, level, x, y, p, q, s, room, out):  # type: ignore[no-untyped-def]
    """Write the filtered value at a level's texel (x, y), under the footprint [[p, q], [0, s]], to out (4,).

    The border continues outwards. ``room``: (SPACE,) float32 to work in.
    """
    last, bottom = tex.level_size[2 * level] - 1, tex.level_size[2 * level + 1] - 1
    texels, at = tex.texels, tex.level_at[level]
    low, high, result = same(np.inf), same(-np.inf), same(0.0)
    each, slant, total, slope = 1.0 / p, abs(q) > 0.01 * p, np.float32(0), q / s
    i0, count, along = weigh(x, p, each, room, 0)
    j0, rows, _ = weigh(y, s, 1.0 / s, room, ROOM)
    begin, end = math.ceil(x - HOLD * p), math.floor(x + HOLD * p)
    first, stop = math.ceil(y - HOLD * s), math.floor(y + HOLD * s)
    for j in range(j0, j0 + rows):
        if slant:
            middle = x + slope * (j - y)
            i0, count, along = weigh(middle, p, each, room, 0)
            begin, end = math.ceil(middle - HOLD * p), math.floor(middle + HOLD * p)
        row, across = at + min(max(j, 0), bottom) * (last + 1), room[np.uintp(ROOM + j - j0)]
        result = add(result, across, row_sum(texels, row, i0, count, last, room))
        total += across * along
        if first <= j <= stop:
            low, high = span_row(texels, row, begin, end, last, low, high)
    # beyond the border's half pixel nothing may lie around: then the sum stands
    result, low, high = add(result, 1.0, swapped(result)), least(low, swapped(low)), most(high, swapped(high))
    value, over = add(same(0.0), np.float32(1) / total, result), add(high, -1.0, low)
    value = most(least(value, add(high, HELD, over)), add(low, -HELD, over))
    store(out, 0, most(value, same(0.0)))
    out[3] = min(out[3], np.float32(1))


@njit(cache=True, error_model="numpy")
def empty(tex, plate, u, v, a, b, c, d):  # type: ignore[no-untyped-def]
    """Whether all is transparent that lies under the footprint of a picture pixel (u, v)."""
    at, base = tex.filled_at[plate], tex.first[plate]
    if at < 0:
        return False
    width, height = tex.level_size[2 * base], tex.level_size[2 * base + 1]
    wide, tall = 3 * (1 + abs(a) + abs(b)), 3 * (1 + abs(c) + abs(d))
    i0, i1 = max(int(u - wide), 0) // BLOCK, min(int(u + wide), width - 1) // BLOCK
    j0, j1 = max(int(v - tall), 0) // BLOCK, min(int(v + tall), height - 1) // BLOCK
    if (i1 - i0) * (j1 - j0) > 16:  # to look at them takes longer than to filter
        return False
    for j in range(j0, j1 + 1):
        for i in range(i0, i1 + 1):
            if tex.filled[at + j * ((width + BLOCK - 1) // BLOCK) + i]:
                return False
    return True


@njit(cache=True, error_model="numpy")
def sample(tex, plate, u, v, a, b, c, d, room, out):  # type: ignore[no-untyped-def]
    """Write the plate's filtered colour at picture pixel (u, v) with Jacobian [[a, b], [c, d]] to out (4,)."""
    base = tex.first[plate]
    level, p, q, s = footprint(a, b, c, d, tex.first[plate + 1] - base - 1)
    shrink = 1.0 / (1 << level)
    gather(tex, base + level, u * shrink - 0.5, v * shrink - 0.5, p, q, s, room, out)
