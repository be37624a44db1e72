"""Exact measures per pixel: which surface, which plate, stretch, magnification, verdict."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numba import njit, prange

from roofline.core.throw.lent import lent
from roofline.core.throw.mattes import (
    SIMD,
    SOLID,
    UNSAID,
    linear,
    solid_plate,
    solid_plate_along,
    start_along,
    whole_blocks,
)
from roofline.core.throw.pieces import between
from roofline.core.throw.raster import SHARES, band_for, band_rows, bands_of, rasterise_band
from roofline.core.throw.sight import hidden
from roofline.core.throw.spans import CUT_AWAY, LIT, SHADED, TAKEN, darken, first_falling

SOUND, SOFT, SMEARED, SPILLED, BARE, VOID = range(6)
OUTSIDE, MATTE, HIDDEN, BACK, REACHED = range(5)
MANY = -2  # more than one pair, maybe


class Cast(NamedTuple):
    """Everything a pixel's story needs, for one view. Q pieces with V corners, F faces, N pairs, P plates.

    What the inner loops read at every step is flat: its places are then known without multiplying by shapes.
    """

    depths: Any  # these six: see `Projection`
    edges: Any
    lines: Any
    piece_boxes: Any
    maps: Any
    boxes: Any
    unit: Any  # delivered pixels along one pixel of the view
    pair_start: Any  # (F + 1,)
    pair_plate: Any  # (N,)
    pair_face: Any  # (N,)
    pair_front: Any  # (N,) the face's front is towards the plate's camera
    pair_occlusion: Any  # (N,)
    pair_depth: Any  # (N × 3) linear form: inverse depth of the face in the plate's raster
    limits: Any  # (F, 2)
    first: Any  # (Q + 1,) see `Pieces`
    piece_face: Any  # (Q,)
    cutout: Any  # (F,)
    canvas: Any  # (P, 6)
    matte: Any
    matte_at: Any  # (P,)
    blocks: Any  # see `mattes`
    block_at: Any  # (P,)
    cells: Any  # what the plates see (see cells.py), one plate's grid after another's
    cell_start: Any  # (P,)
    cell_width: Any  # (P,) cells in a row
    lists: Any  # pieces that show in mixed cells
    list_at: Any  # (P,)
    raster_size: Any  # (P, 2) width, height
    scale: Any  # (P, 2) raster pixels per picture pixel
    plate_edges: Any  # (P × V × 3) the edges in the plates' rasters
    plate_depths: Any  # (P × F × 3)
    plate_maps: Any  # (P × N × 9) raster pixel → picture pixel


@njit(cache=True, error_model="numpy", inline="always")
def jacobian(k, n, u, v, nearness):  # type: ignore[no-untyped-def]
    """∂(u, v)/∂(x, y) of pair n's map at a pixel whose image is (u, v), with homogeneous third component 1 / nearness."""
    at = 9 * n
    return (
        (k.maps[at] - u * k.maps[at + 6]) * nearness,
        (k.maps[at + 1] - u * k.maps[at + 7]) * nearness,
        (k.maps[at + 3] - v * k.maps[at + 6]) * nearness,
        (k.maps[at + 4] - v * k.maps[at + 7]) * nearness,
    )


@njit(cache=True, error_model="numpy", inline="always")
def reach(k, n, x, y):  # type: ignore[no-untyped-def]
    """How pair n fares at a view's pixel: status, picture x, picture y, one over the homogeneous third component."""
    at = 4 * n
    if x < k.boxes[at] or y < k.boxes[at + 1] or x > k.boxes[at + 2] or y > k.boxes[at + 3]:
        return OUTSIDE, 0.0, 0.0, 0.0
    w = linear(k.maps, 9 * n + 6, x, y)
    if w <= 0:
        return OUTSIDE, 0.0, 0.0, 0.0
    p = k.pair_plate[n]
    nearness = 1.0 / w
    u, v = linear(k.maps, 9 * n, x, y) * nearness, linear(k.maps, 9 * n + 3, x, y) * nearness
    if u < 0 or v < 0 or u >= k.canvas[p, 4] or v >= k.canvas[p, 5]:
        return OUTSIDE, u, v, nearness
    if not solid_plate(k, p, u, v):
        return MATTE, u, v, nearness
    if not k.pair_front[n]:
        return BACK, u, v, nearness
    if hidden(k, p, n, k.pair_face[n], u * k.scale[p, 0], v * k.scale[p, 1]):
        return HIDDEN, u, v, nearness
    return REACHED, u, v, nearness


@njit(cache=True, error_model="numpy", inline="always")
def row_line(k, n, y):  # type: ignore[no-untyped-def]
    """Pair n's map along a row: slopes and constants in x of its three homogeneous components."""
    at = 9 * n
    u1, v1, w1 = k.maps[at], k.maps[at + 3], k.maps[at + 6]
    u0 = k.maps[at + 1] * y + k.maps[at + 2]
    v0 = k.maps[at + 4] * y + k.maps[at + 5]
    w0 = k.maps[at + 7] * y + k.maps[at + 8]
    return u1, u0, v1, v0, w1, w0


@njit(cache=True, error_model="numpy")
def settle(pair, verdict, x0, x1, n, most, light):  # type: ignore[no-untyped-def]
    """Give a row's pixels that are no darker than `most` to pair n; their number. Compiles to SIMD."""
    taken = 0
    for j in range(x1 - x0):
        i = np.uintp(j) + np.uintp(x0)
        take = light[i] <= most
        said = np.uint8(SOUND) if light[i] == LIT else np.uint8(SPILLED)
        pair[i] = n if take else pair[i]
        verdict[i] = said if take else verdict[i]
        taken += take
    return taken


@njit(cache=True, error_model="numpy", inline="always")
def cut_away(k, p, line, x0, x1, block, solid, light):  # type: ignore[no-untyped-def]
    """Write CUT_AWAY to the pixels [x0, x1) of a row, which ``line`` leads to plate p's picture, where its matte is not solid."""
    start_along(solid, x0, x1, UNSAID)
    solid_plate_along(k, p, line, x0, x1, block, solid)
    for j in range(x1 - x0):
        i = np.uintp(x0) + np.uintp(j)
        light[i] = max(light[i], np.uint8(LIT if solid[i] == SOLID else CUT_AWAY))


@njit(cache=True, error_model="numpy")
def fill(row, x0, count, value):  # type: ignore[no-untyped-def]
    """Write a value to so many of a row's pixels from x0 on, and to what is left of the last block.

    Rows are gone through from left to right, so that what comes after a run is written over by the next.
    """
    for j in range(whole_blocks(count)):
        row[np.uintp(x0) + np.uintp(j)] = value


@njit(cache=True, error_model="numpy", inline="always")
def land(k, s, face, at, x0, x1, row):  # type: ignore[no-untyped-def]
    """Write the first pair in reach (−1 for none) and BARE, SPILLED or SOUND to row at's pixels that show one face.

    Returns the pair when it is the same for all of them, or MANY.
    """
    pair, verdict, light, y = row.pair, row.said, row.light, at + 0.5
    left, fresh, whole = x1 - x0, True, -1
    for n in range(k.pair_start[face], k.pair_start[face + 1]):
        strict, front = k.pair_occlusion[n], k.pair_front[n]
        if left == 0:
            break
        if (strict and not front) or y < k.boxes[4 * n + 1] - 1 or y > k.boxes[4 * n + 3] + 1:
            continue
        p = k.pair_plate[n]
        start, stop = between(s.canvas, 4 * n, 4 * n + 4, y, x0, x1)
        if start >= stop:
            continue
        shadow = first_falling(s, n, at, start, stop)
        plain = front and shadow == s.first[n + 1] and k.matte_at[p] < 0 and not s.looked[n]
        if fresh and plain and stop - start == left:  # as most are: a whole run, and nothing in its way
            fill(pair, x0, left, n)
            fill(verdict, x0, left, SOUND)
            fresh, whole = False, n
            break
        if fresh:
            fill(pair, x0, left, -1)
            fill(verdict, x0, left, BARE)
            fresh, whole = False, MANY
        u1, u0, v1, v0, w1, w0 = row_line(k, n, y)
        falls = LIT if front else SHADED
        for j in range(stop - start):
            i = np.uintp(start) + np.uintp(j)
            light[i] = TAKEN if pair[i] >= 0 else falls
        if front:
            sx, sy = k.scale[p, 0], k.scale[p, 1]
            line = (u1 * sx, u0 * sx, v1 * sy, v0 * sy, w1, w0)
            darken(k, s, shadow, n, face, at, line, start, stop, row.block, row.solid, light)
        if k.matte_at[p] >= 0:
            cut_away(k, p, (u1, u0, v1, v0, w1, w0), start, stop, row.block, row.solid, light)
        left -= settle(pair, verdict, start, stop, n, LIT if strict else SHADED, light)
    if fresh:
        fill(pair, x0, left, -1)
        fill(verdict, x0, left, BARE)
    return whole


@njit(cache=True, error_model="numpy", inline="always")
def row_forms(k, n, y):  # type: ignore[no-untyped-def]
    """w² J of pair n along a row: the first column's constants, the second's linear forms, and w's form.

    With w the homogeneous third component, the first column of w² J does not change along a row and the second is
    linear, so that the singular values follow with one division at each pixel.
    """
    u1, u0, v1, v0, w1, w0 = row_line(k, n, y)
    uy, vy, wy = k.maps[9 * n + 1], k.maps[9 * n + 4], k.maps[9 * n + 7]
    first = (u1 * w0 - u0 * w1, v1 * w0 - v0 * w1)
    second = (uy * w1 - u1 * wy, uy * w0 - u0 * wy, vy * w1 - v1 * wy, vy * w0 - v0 * wy)
    return first, second, (w1, w0)


@njit(cache=True, error_model="numpy")
def grade(x0, x1, forms, unit, limits, stretch, magnification, strain):  # type: ignore[no-untyped-def]
    """Stretch and magnification of a row's pixels that show one pair, and SOUND, SOFT or SMEARED; compiles to SIMD.

    A function of its own, with few arguments: within the long loop the compiler gives SIMD up. Whole blocks are
    written, as in `fill`.
    """
    (a, c), (b1, b0, d1, d0), (w1, w0) = forms
    most_stretch, most_magnification = np.float32(limits[0]), np.float32(limits[1])
    half, least = np.float32(0.5), np.float32(1e-30)
    for j in range(whole_blocks(x1 - x0)):
        i = np.uintp(j) + np.uintp(x0)
        x = x0 + j + 0.5
        b, d, w = b1 * x + b0, d1 * x + d0, w1 * x + w0
        # what is left from here on loses no digits: single precision, as the results
        plus, minus = np.float32((a + d) ** 2 + (b - c) ** 2), np.float32((a - d) ** 2 + (b + c) ** 2)
        s1 = half * (np.sqrt(plus) + np.sqrt(minus))
        ratio = s1 / max(np.float32(abs(a * d - b * c)), least)
        s, m = s1 * ratio, np.float32(unit * w * w) * ratio
        stretch[i] = s
        magnification[i] = m
        strain[i] = SMEARED if s > most_stretch else (SOFT if m > most_magnification else SOUND)


class Row(NamedTuple):
    """A row's measures in the making, with room for a block beyond its end."""

    pair: Any
    said: Any  # BARE, SPILLED, SOUND or VOID
    strain: Any  # SOUND, SOFT or SMEARED
    stretch: Any
    magnification: Any
    light: Any  # how the light of the plate in question falls
    block: Any  # these two: see `Band`
    solid: Any


@njit(cache=True, error_model="numpy")
def measure_rows(k, s, shown, r0, r1, row, face, verdict, pair, stretch, magnification):  # type: ignore[no-untyped-def]
    """Rows [r0, r1) of `measure`, in runs of pixels that show one face, and these in runs that show one plate."""
    k, s, shown, face, verdict = lent(k), lent(s), lent(shown), lent(face), lent(verdict)
    pair, stretch, magnification, row = lent(pair), lent(stretch), lent(magnification), lent(row)
    width = face.shape[1]
    for at in range(r1 - r0):
        line, y, end = at * (width + SIMD), r0 + at + 0.5, 0
        while end < width:
            start = end
            f = shown[line + start]
            while end < width and shown[np.uintp(line + end)] == f:
                end += 1
            whole = -1
            if f >= 0:
                whole = land(k, s, f, r0 + at, start, end, row)
            else:
                fill(row.pair, start, end - start, -1)
                fill(row.said, start, end - start, VOID)
            last = start
            while last < end:
                begin, n = last, whole
                if whole == MANY:
                    n = row.pair[last]
                    while last < end and row.pair[np.uintp(last)] == n:
                        last += 1
                else:
                    last = end
                if n >= 0:
                    limits = (k.limits[f, 0], k.limits[f, 1])
                    grade(begin, last, row_forms(k, n, y), k.unit, limits, row.stretch, row.magnification, row.strain)
                else:
                    fill(row.stretch, begin, last - begin, 0.0)
                    fill(row.magnification, begin, last - begin, 0.0)
                    fill(row.strain, begin, last - begin, SOUND)
        for i in range(width):
            face[r0 + at, i] = shown[line + i]
            pair[r0 + at, i] = row.pair[i]
            stretch[r0 + at, i] = row.stretch[i]
            magnification[r0 + at, i] = row.magnification[i]
            verdict[r0 + at, i] = max(row.said[i], row.strain[i])


@njit(cache=True, error_model="numpy")
def measure_share(k, s, share, bands, face, verdict, pair, stretch, magnification):  # type: ignore[no-untyped-def]
    """One share of the bands of `measure`."""
    height, width = face.shape
    band = band_for(height // bands + 1, width)
    room = width + SIMD
    row = Row(
        np.empty(room, dtype=np.int32),
        np.empty(room, dtype=np.uint8),
        np.empty(room, dtype=np.uint8),
        np.empty(room, dtype=np.float32),
        np.empty(room, dtype=np.float32),
        np.empty(room, dtype=np.uint8),
        band.block,
        band.solid,
    )
    for turn in range(bands * share // SHARES, bands * (share + 1) // SHARES):
        r0, r1 = band_rows(turn, bands, height)
        rasterise_band(k, k.piece_face, width, r0, r1, band)
        measure_rows(k, s, band.shown, r0, r1, row, face, verdict, pair, stretch, magnification)


@njit(cache=True, error_model="numpy", parallel=True)
def measure(k, s, width, height):  # type: ignore[no-untyped-def]
    """Face and pair (H, W) int32, verdict (H, W) uint8, stretch and magnification (H, W) float32 of a view.

    ``k``: the view's cast; ``s``: the spans of the shadows in it.
    """
    face, pair = np.empty((height, width), dtype=np.int32), np.empty((height, width), dtype=np.int32)
    verdict = np.empty((height, width), dtype=np.uint8)
    stretch = np.empty((height, width), dtype=np.float32)
    magnification = np.empty((height, width), dtype=np.float32)
    bands = bands_of(height)
    for share in prange(SHARES):
        measure_share(k, s, share, bands, face, verdict, pair, stretch, magnification)
    return face, pair, verdict, stretch, magnification


@njit(cache=True, error_model="numpy")
def tally(face, verdict, pair, pair_plate, faces, plates):  # type: ignore[no-untyped-def]
    """Pixels by face, plate (last: none) and verdict, (F, P + 1, 6); void pixels are not in it."""
    out = np.zeros((faces, plates + 1, 6), dtype=np.int64)
    for row in range(face.shape[0]):
        for col in range(face.shape[1]):
            f = face[row, col]
            if f >= 0:
                n = pair[row, col]
                out[f, pair_plate[n] if n >= 0 else plates, verdict[row, col]] += 1
    return out
