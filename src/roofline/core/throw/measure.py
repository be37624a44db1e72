"""Exact measures per pixel: which surface, which plate, stretch, magnification, verdict."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numba import njit, prange

from roofline.core.throw.cast import open_cast
from roofline.core.throw.hidden import hidden
from roofline.core.throw.lent import lent, reader_of, write_table
from roofline.core.throw.mattes import (
    SIMD,
    UNSAID,
    fill,
    linear,
    solid_plate,
    solid_plate_along,
    whole_blocks,
)
from roofline.core.throw.pieces import between
from roofline.core.throw.raster import SHARES, band_for, band_rows, bands_of, rasterise_band
from roofline.core.throw.spans import (
    CUT_AWAY,
    LIT,
    SHADED,
    TAKEN,
    darken,
    darken_where,
    falling,
    falls_for,
    open_spans,
    spans,
)

SOUND, SOFT, SMEARED, SPILLED, BARE, VOID = range(6)
OUTSIDE, MATTE, HIDDEN, BACK, REACHED = range(5)
MANY = -2  # more than one pair, maybe


@njit(cache=True, error_model="numpy", inline="always")
def jacobian(k, n, u, v, nearness):  # type: ignore[no-untyped-def]
    """∂(u, v)/∂(x, y) of pair n's map at a pixel whose image is (u, v), with homogeneous third component 1 /
    nearness."""
    at = 9 * n
    return (
        (k.maps[at] - u * k.maps[at + 6]) * nearness,
        (k.maps[at + 1] - u * k.maps[at + 7]) * nearness,
        (k.maps[at + 3] - v * k.maps[at + 6]) * nearness,
        (k.maps[at + 4] - v * k.maps[at + 7]) * nearness,
    )


@njit(cache=True, error_model="numpy")
def reach(k, n, x, y):  # type: ignore[no-untyped-def]
    """How pair n fares at a view's pixel: status, picture x, picture y, one over the homogeneous third component."""
    table, k, at = k, open_cast(k), 4 * n
    if x < k.boxes[at] or y < k.boxes[at + 1] or x > k.boxes[at + 2] or y > k.boxes[at + 3]:
        return OUTSIDE, 0.0, 0.0, 0.0
    w = linear(k.maps, 9 * n + 6, x, y)
    if w <= 0:
        return OUTSIDE, 0.0, 0.0, 0.0
    p = k.pair_plate[n]
    nearness = 1.0 / w
    u, v = linear(k.maps, 9 * n, x, y) * nearness, linear(k.maps, 9 * n + 3, x, y) * nearness
    if u < 0 or v < 0 or u >= k.canvas[6 * p + 4] or v >= k.canvas[6 * p + 5]:
        return OUTSIDE, u, v, nearness
    if not solid_plate(table, p, u, v):
        return MATTE, u, v, nearness
    if not k.pair_front[n]:
        return BACK, u, v, nearness
    if hidden(table, np.int64(p), n, np.int64(k.pair_face[n]), u * k.scale[2 * p], v * k.scale[2 * p + 1]):
        return HIDDEN, u, v, nearness
    return REACHED, u, v, nearness


@njit(cache=True, error_model="numpy")
def reach_at(k, n, x, y):  # type: ignore[no-untyped-def]
    """`reach`, for one who has no table."""
    table = np.empty(len(k), np.int64)
    write_table(lent(k), table)
    found = reach(lent(table), n, x, y)
    return found[0] + 0 * len(table), found[1], found[2], found[3]  # a table is let go of after its last mention


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
def settle(pair, verdict, at, count, n, most, light, x0):  # type: ignore[no-untyped-def]
    """Give so many pixels from a place on to pair n where the light, from x0 on, is no darker than `most`; their
    number.

    Compiles to SIMD.
    """
    taken = 0
    for j in range(whole_blocks(count)):
        i, falls = np.uintp(at) + np.uintp(j), light[np.uintp(x0) + np.uintp(j)]
        take = (falls <= most) & (j < count)
        said = np.uint8(SOUND) if falls == LIT else np.uint8(SPILLED)
        pair[i] = n if take else pair[i]
        verdict[i] = said if take else verdict[i]
        taken += take
    return taken


@njit(cache=True, error_model="numpy", inline="always")
def cut_away(k, p, line, x0, x1, band, light):  # type: ignore[no-untyped-def]
    """Write CUT_AWAY to the pixels [x0, x1) of a row, which ``line`` leads to plate p's picture, where its matte is
    not solid."""
    fill(band.solid, x0, x1 - x0, np.uint8(UNSAID))
    solid_plate_along(k, p, line, x0, x1, band.block, band.solid)
    darken_where(light, np.uint8(CUT_AWAY), band.solid, np.uint8(0), x0, x1 - x0)


@njit(cache=True, error_model="numpy")
def start_light(light, x0, count, best, pair, at):  # type: ignore[no-untyped-def]
    """Start so many of a row's light from x0 on: TAKEN where a pair has the pixel (they stand from ``at`` on), else
    the best."""
    for j in range(whole_blocks(count)):
        light[np.uintp(x0) + np.uintp(j)] = np.uint8(TAKEN if pair[np.uintp(at) + np.uintp(j)] >= 0 else best)


@njit(cache=True, error_model="numpy")
def run_end(labels, at, count):  # type: ignore[no-untyped-def]
    """How many of so many places from one on have the first one's label; what is left of the last block is read too."""
    first, done, other = labels[np.uintp(at)], 0, np.int32(0)
    while other == 0 and done < count:  # by blocks, compiles to SIMD, …
        for j in range(SIMD):
            other |= labels[np.uintp(at + done) + np.uintp(j)] ^ first
        done += SIMD
    done -= SIMD
    while done < count and labels[np.uintp(at + done)] == first:  # … and the last by pixels
        done += 1
    return done


@njit(cache=True, error_model="numpy", inline="always")
def land(k, s, face, row, x0, x1, at, out, band, falls):  # type: ignore[no-untyped-def]
    """Write the first pair in reach (−1 for none) and BARE, SPILLED or SOUND for a row's pixels that show one face.

    ``at``: where x0 stands in ``out``. Returns the pair when it is the same for all of them, or MANY.
    """
    table, spans_table, k, s, out = k, s, open_cast(k), open_spans(s), open_out(out)
    pair, verdict, light, y = out.pair, out.verdict, falls.light, row + 0.5
    left, fresh, whole = x1 - x0, True, -1
    for n in range(k.pair_start[face], k.pair_start[face + 1]):
        strict, front = k.pair_occlusion[n] != 0, k.pair_front[n] != 0
        if left == 0:
            break
        if (strict and not front) or y < k.boxes[4 * n + 1] - 1 or y > k.boxes[4 * n + 3] + 1:
            continue
        p = k.pair_plate[n]
        start, stop = between(s.canvas, 4 * n, 4 * n + 4, y, x0, x1)
        if start >= stop:
            continue
        fallen = falling(spans_table, n, row, start, stop, falls)
        plain = front and fallen == 0 and k.matte_at[p] < 0 and not s.looked[n]
        if fresh and plain and stop - start == left:  # as most are: a whole run, and nothing in its way
            fill(pair, at, left, np.int32(n))
            fill(verdict, at, left, np.uint8(SOUND))
            fresh, whole = False, n
            break
        if fresh:
            fill(pair, at, left, np.int32(-1))
            fill(verdict, at, left, np.uint8(BARE))
            fresh, whole = False, MANY
        first, line = at + start - x0, row_line(k, n, y)
        start_light(light, start, stop - start, LIT if front else SHADED, pair, first)
        if front:
            darken(table, spans_table, falls, fallen, n, face, line, start, stop, band)
        if k.matte_at[p] >= 0:
            cut_away(table, p, line, start, stop, band, light)
        left -= settle(pair, verdict, first, stop - start, n, LIT if strict else SHADED, light, start)
    if fresh:
        fill(pair, at, left, np.int32(-1))
        fill(verdict, at, left, np.uint8(BARE))
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
def grade(at, x0, count, forms, unit, limits, stretch, magnification, verdict):  # type: ignore[no-untyped-def]
    """Stretch and magnification of so many pixels of a row from x0 on, which show one pair, and SOFT or SMEARED.

    ``at``: where they stand in the flat results. A function of its own, with few arguments, compiles to SIMD: within
    the long loop the compiler gives that up. Whole blocks are written, as in `fill`, but no verdict beyond the end.
    """
    (a, c), (b1, b0, d1, d0), (w1, w0) = forms
    most_stretch, most_magnification = np.float32(limits[0]), np.float32(limits[1])
    half, least = np.float32(0.5), np.float32(1e-30)
    for j in range(whole_blocks(count)):
        i = np.uintp(j) + np.uintp(at)
        x = x0 + j + 0.5
        b, d, w = b1 * x + b0, d1 * x + d0, w1 * x + w0
        # what is left from here on loses no digits: single precision, as the results
        plus, minus = np.float32((a + d) ** 2 + (b - c) ** 2), np.float32((a - d) ** 2 + (b + c) ** 2)
        s1 = half * (np.sqrt(plus) + np.sqrt(minus))
        ratio = s1 / max(np.float32(abs(a * d - b * c)), least)
        s, m = s1 * ratio, np.float32(unit * w * w) * ratio
        stretch[i] = s
        magnification[i] = m
        strain = np.uint8(SMEARED if s > most_stretch else (SOFT if m > most_magnification else SOUND))
        verdict[i] = max(verdict[i], strain if j < count else np.uint8(SOUND))


class Out(NamedTuple):
    """Measures in the making: row after row, with room for a block beyond each. Flat, (height × (width + SIMD))."""

    face: Any
    pair: Any
    verdict: Any
    stretch: Any
    magnification: Any


@njit(cache=True, error_model="numpy")
def measure_rows(k, s, width, r0, r1, out, band, falls):  # type: ignore[no-untyped-def]
    """Rows [r0, r1) of `measure`, in runs of pixels that show one face, and these in runs that show one plate.

    From left to right: what is written beyond a run's end, to fill a block, is written over by the next.
    """
    tables, k, out = (k, s, out), open_cast(k), open_out(out)
    band, falls = lent(band), lent(falls)
    for row in range(r0, r1):
        line, y, end = row * (width + SIMD), row + 0.5, np.int64(0)
        while end < width:
            start = end
            f = out.face[line + start]
            end += run_end(out.face, line + start, width - start)
            whole = -1
            if f >= 0:
                whole = land(tables[0], tables[1], np.int64(f), row, start, end, line + start, tables[2], band, falls)
            else:
                fill(out.pair, line + start, end - start, np.int32(-1))
                fill(out.verdict, line + start, end - start, np.uint8(VOID))
            last = start
            while last < end:
                n, at, count = whole, line + last, end - last
                if whole == MANY:
                    n = out.pair[at]
                    count = run_end(out.pair, at, count)
                if n >= 0:
                    limits, forms = (k.limits[2 * f], k.limits[2 * f + 1]), row_forms(k, n, y)
                    grade(at, last, count, forms, k.unit, limits, out.stretch, out.magnification, out.verdict)
                else:
                    fill(out.stretch, at, count, np.float32(0))
                    fill(out.magnification, at, count, np.float32(0))
                last += count


open_out = reader_of(Out, face="i4", pair="i4", verdict="u1", stretch="f4", magnification="f4")


@njit(cache=True, error_model="numpy")
def measure_share(cast, found, results, share, width, height):  # type: ignore[no-untyped-def]
    """One share of the bands of `measure`; the first three are tables."""
    k, s, out, bands = lent(cast), lent(found), lent(results), bands_of(height)
    label, face = open_cast(cast).piece_face, open_out(results).face
    band, falls = band_for(height // bands + 1, width), falls_for(width)
    for turn in range(bands * share // SHARES, bands * (share + 1) // SHARES):
        r0, r1 = band_rows(turn, bands, height)
        rasterise_band(k, label, width, r0, r1, face, r0 * (width + SIMD), band)
        measure_rows(k, s, width, r0, r1, out, band, falls)


@njit(cache=True, error_model="numpy", parallel=True)
def _measure_everywhere(cast, found, results, width, height):  # type: ignore[no-untyped-def]
    for share in prange(SHARES):
        measure_share(cast, found, results, np.int64(share), width, height)


@njit(cache=True, error_model="numpy")
def measure(k, shadows, width, height):  # type: ignore[no-untyped-def]
    """Face and pair (H, W) int32, verdict (H, W) uint8, stretch and magnification (H, W) float32 of a view.

    ``k``: the view's cast. The results are views: between their rows there is room for a block. Spans and measures are
    taken in one call: to hand over all the arrays once more costs as much as measuring a thousand pixels.
    """
    found = spans(shadows, k, width, height)
    room = height * (width + SIMD)
    out = Out(
        np.empty(room, dtype=np.int32),
        np.empty(room, dtype=np.int32),
        np.empty(room, dtype=np.uint8),
        np.empty(room, dtype=np.float32),
        np.empty(room, dtype=np.float32),
    )
    cast, taken, results = np.empty(len(k), np.int64), np.empty(len(found), np.int64), np.empty(len(out), np.int64)
    write_table(lent(k), cast)
    write_table(lent(found), taken)
    write_table(lent(out), results)
    _measure_everywhere(cast, taken, results, width, height)
    # the spans are let go of after their last mention, which therefore has to stand here
    stride = width + SIMD + 0 * len(found)
    return (
        out.face.reshape((height, stride))[:, :width],
        out.pair.reshape((height, stride))[:, :width],
        out.verdict.reshape((height, stride))[:, :width],
        out.stretch.reshape((height, stride))[:, :width],
        out.magnification.reshape((height, stride))[:, :width],
    )


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
