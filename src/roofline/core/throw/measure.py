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
def jacobian(cast, n, u, v, nearness):  # type: ignore[no-untyped-def]
    """∂(u, v)/∂(x, y) of pair n's map at a pixel whose image is (u, v), with homogeneous third component 1 /
    nearness."""
    at = 9 * n
    return (
        (cast.maps[at] - u * cast.maps[at + 6]) * nearness,
        (cast.maps[at + 1] - u * cast.maps[at + 7]) * nearness,
        (cast.maps[at + 3] - v * cast.maps[at + 6]) * nearness,
        (cast.maps[at + 4] - v * cast.maps[at + 7]) * nearness,
    )


@njit(cache=True, error_model="numpy")
def reach(cast, n, x, y):  # type: ignore[no-untyped-def]
    """How pair n fares at a view's pixel: status, picture x, picture y, one over the homogeneous third component."""
    table, cast, at = cast, open_cast(cast), 4 * n
    if x < cast.boxes[at] or y < cast.boxes[at + 1] or x > cast.boxes[at + 2] or y > cast.boxes[at + 3]:
        return OUTSIDE, 0.0, 0.0, 0.0
    w = linear(cast.maps, 9 * n + 6, x, y)
    if w <= 0:
        return OUTSIDE, 0.0, 0.0, 0.0
    p = cast.pair_plate[n]
    nearness = 1.0 / w
    u, v = linear(cast.maps, 9 * n, x, y) * nearness, linear(cast.maps, 9 * n + 3, x, y) * nearness
    if u < 0 or v < 0 or u >= cast.canvas[6 * p + 4] or v >= cast.canvas[6 * p + 5]:
        return OUTSIDE, u, v, nearness
    if not solid_plate(table, p, u, v):
        return MATTE, u, v, nearness
    if not cast.pair_front[n]:
        return BACK, u, v, nearness
    if hidden(table, np.int64(p), n, np.int64(cast.pair_face[n]), u * cast.scale[2 * p], v * cast.scale[2 * p + 1]):
        return HIDDEN, u, v, nearness
    return REACHED, u, v, nearness


@njit(cache=True, error_model="numpy")
def reach_at(cast, n, x, y):  # type: ignore[no-untyped-def]
    """`reach`, for one who has no table."""
    table = np.empty(len(cast), np.int64)
    write_table(lent(cast), table)
    found = reach(lent(table), n, x, y)
    return found[0] + 0 * len(table), found[1], found[2], found[3]  # a table is let go of after its last mention


@njit(cache=True, error_model="numpy", inline="always")
def row_line(cast, n, y):  # type: ignore[no-untyped-def]
    """Pair n's map along a row: slopes and constants in x of its three homogeneous components."""
    at = 9 * n
    u1, v1, w1 = cast.maps[at], cast.maps[at + 3], cast.maps[at + 6]
    u0 = cast.maps[at + 1] * y + cast.maps[at + 2]
    v0 = cast.maps[at + 4] * y + cast.maps[at + 5]
    w0 = cast.maps[at + 7] * y + cast.maps[at + 8]
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
def cut_away(cast, p, line, x0, x1, band, light):  # type: ignore[no-untyped-def]
    """Write CUT_AWAY to the pixels [x0, x1) of a row, which ``line`` leads to plate p's picture, where its matte is
    not solid."""
    fill(band.solid, x0, x1 - x0, np.uint8(UNSAID))
    solid_plate_along(cast, p, line, x0, x1, band.block, band.solid)
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
def land(cast, spans, face, row, x0, x1, at, out, band, falls):  # type: ignore[no-untyped-def]
    """Write the first pair in reach (−1 for none) and BARE, SPILLED or SOUND for a row's pixels that show one face.

    ``at``: where x0 stands in ``out``. Returns the pair when it is the same for all of them, or MANY.
    """
    table, spans_table, cast, spans, out = cast, spans, open_cast(cast), open_spans(spans), open_out(out)
    pair, verdict, light, y = out.pair, out.verdict, falls.light, row + 0.5
    left, fresh, whole = x1 - x0, True, -1
    for n in range(cast.pair_start[face], cast.pair_start[face + 1]):
        strict, front = cast.pair_occlusion[n] != 0, cast.pair_front[n] != 0
        if left == 0:
            break
        if (strict and not front) or y < cast.boxes[4 * n + 1] - 1 or y > cast.boxes[4 * n + 3] + 1:
            continue
        p = cast.pair_plate[n]
        start, stop = between(spans.canvas, 4 * n, 4 * n + 4, y, x0, x1)
        if start >= stop:
            continue
        fallen = falling(spans_table, n, row, start, stop, falls)
        plain = front and fallen == 0 and cast.matte_at[p] < 0 and not spans.looked[n]
        if fresh and plain and stop - start == left:  # as most are: a whole run, and nothing in its way
            fill(pair, at, left, np.int32(n))
            fill(verdict, at, left, np.uint8(SOUND))
            fresh, whole = False, n
            break
        if fresh:
            fill(pair, at, left, np.int32(-1))
            fill(verdict, at, left, np.uint8(BARE))
            fresh, whole = False, MANY
        first, line = at + start - x0, row_line(cast, n, y)
        start_light(light, start, stop - start, LIT if front else SHADED, pair, first)
        if front:
            darken(table, spans_table, falls, fallen, n, face, line, start, stop, band)
        if cast.matte_at[p] >= 0:
            cut_away(table, p, line, start, stop, band, light)
        left -= settle(pair, verdict, first, stop - start, n, LIT if strict else SHADED, light, start)
    if fresh:
        fill(pair, at, left, np.int32(-1))
        fill(verdict, at, left, np.uint8(BARE))
    return whole


@njit(cache=True, error_model="numpy", inline="always")
def row_forms(cast, n, y):  # type: ignore[no-untyped-def]
    """w² J of pair n along a row: the first column's constants, the second's linear forms, and w's form.

    With w the homogeneous third component, the first column of w² J does not change along a row and the second is
    linear, so that the singular values follow with one division at each pixel.
    """
    u1, u0, v1, v0, w1, w0 = row_line(cast, n, y)
    uy, vy, wy = cast.maps[9 * n + 1], cast.maps[9 * n + 4], cast.maps[9 * n + 7]
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
def measure_rows(cast, spans, width, r0, r1, out, band, falls):  # type: ignore[no-untyped-def]
    """Rows [r0, r1) of `measure`, in runs of pixels that show one face, and these in runs that show one plate.

    From left to right: what is written beyond a run's end, to fill a block, is written over by the next.
    """
    tables, cast, out = (cast, spans, out), open_cast(cast), open_out(out)
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
                    limits, forms = (cast.limits[2 * f], cast.limits[2 * f + 1]), row_forms(cast, n, y)
                    grade(at, last, count, forms, cast.unit, limits, out.stretch, out.magnification, out.verdict)
                else:
                    fill(out.stretch, at, count, np.float32(0))
                    fill(out.magnification, at, count, np.float32(0))
                last += count


open_out = reader_of(Out, face="i4", pair="i4", verdict="u1", stretch="f4", magnification="f4")


@njit(cache=True, error_model="numpy")
def measure_share(cast_table, spans_table, out_table, share, width, height):  # type: ignore[no-untyped-def]
    """One share of the bands of `measure`; the first three are tables."""
    cast, spans, out, bands = lent(cast_table), lent(spans_table), lent(out_table), bands_of(height)
    label, face = open_cast(cast_table).piece_face, open_out(out_table).face
    band, falls = band_for(height // bands + 1, width), falls_for(width)
    for turn in range(bands * share // SHARES, bands * (share + 1) // SHARES):
        r0, r1 = band_rows(turn, bands, height)
        rasterise_band(cast, label, width, r0, r1, face, r0 * (width + SIMD), band)
        measure_rows(cast, spans, width, r0, r1, out, band, falls)


@njit(cache=True, error_model="numpy", parallel=True)
def _measure_everywhere(cast_table, spans_table, out_table, width, height):  # type: ignore[no-untyped-def]
    for share in prange(SHARES):
        measure_share(cast_table, spans_table, out_table, np.int64(share), width, height)


@njit(cache=True, error_model="numpy")
def measure(cast, shadows, width, height):  # type: ignore[no-untyped-def]
    """Face and pair (H, W) int32, verdict (H, W) uint8, stretch and magnification (H, W) float32 of a view.

    ``cast``: the view's. The results are views: between their rows there is room for a block. Spans and measures
    are taken in one call: to hand over all the arrays once more costs as much as measuring a thousand pixels.
    """
    found = spans(shadows, cast, width, height)
    room = height * (width + SIMD)
    out = Out(
        np.empty(room, dtype=np.int32),
        np.empty(room, dtype=np.int32),
        np.empty(room, dtype=np.uint8),
        np.empty(room, dtype=np.float32),
        np.empty(room, dtype=np.float32),
    )
    cast_table, spans_table, out_table = (
        np.empty(len(cast), np.int64),
        np.empty(len(found), np.int64),
        np.empty(len(out), np.int64),
    )
    write_table(lent(cast), cast_table)
    write_table(lent(found), spans_table)
    write_table(lent(out), out_table)
    _measure_everywhere(cast_table, spans_table, out_table, width, height)
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
