"""Exact measures per pixel: which surface, which plate, stretch, magnification, verdict."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numba import njit, prange

from roofline.core.throw.cells import CUT, MIXED
from roofline.core.throw.lent import lent
from roofline.core.throw.raster import between, linear, matte_value
from roofline.core.throw.sight import cell_at, hidden, line_pixel
from roofline.core.throw.spans import CUT_AWAY, LIT, SHADED, TAKEN, darken, fallen, falling

SOUND, SOFT, SMEARED, SPILLED, BARE, VOID = range(6)
OUTSIDE, MATTE, HIDDEN, BACK, REACHED = range(5)
STRIPES = 16


class Cast(NamedTuple):
    """Everything a pixel's story needs, for one view. T triangles, F faces, N pairs, P plates.

    What the inner loops read at every step is flat: its places are then known without multiplying by shapes.
    """

    maps: Any  # (N × 9) view pixel → picture pixel
    boxes: Any  # (N, 4) where in the view the plate's canvas can lie: x0, y0, x1, y1
    unit: Any  # delivered pixels along one pixel of the view
    pair_start: Any  # (F + 1,)
    pair_plate: Any  # (N,)
    pair_face: Any  # (N,)
    pair_front: Any  # (N,) the face's front is towards the plate's camera
    pair_occlusion: Any  # (N,)
    pair_depth: Any  # (N × 3) linear form: inverse depth of the face in the plate's raster
    limits: Any  # (F, 2)
    tri_face: Any  # (T,)
    cutout: Any  # (F,)
    canvas: Any  # (P, 6)
    matte: Any
    matte_at: Any  # (P,)
    cells: Any  # what the plates see (see cells.py), one plate's grid after another's
    cell_start: Any  # (P,)
    cell_width: Any  # (P,) cells in a row
    lists: Any  # triangles that show in mixed cells
    list_at: Any  # (P,)
    raster_size: Any  # (P, 2) width, height
    scale: Any  # (P, 2) raster pixels per picture pixel
    plate_forms: Any  # (P × T × 9)
    plate_depths: Any  # (P × F × 3)
    plate_maps: Any  # (P × N × 9) raster pixel → picture pixel


@njit(cache=True, error_model="numpy", inline="always")
def singular_values(a, b, c, d):  # type: ignore[no-untyped-def]
    """Singular values of [[a, b], [c, d]], larger first (closed form, stable for nearly equal values)."""
    e, f = (a + d) * 0.5, (a - d) * 0.5
    g, h = (c + b) * 0.5, (c - b) * 0.5
    q, r = np.sqrt(e * e + h * h), np.sqrt(f * f + g * g)
    return q + r, abs(q - r)


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
    if x < k.boxes[n, 0] or y < k.boxes[n, 1] or x > k.boxes[n, 2] or y > k.boxes[n, 3]:
        return OUTSIDE, 0.0, 0.0, 0.0
    w = linear(k.maps, 9 * n + 6, x, y)
    if w <= 0:
        return OUTSIDE, 0.0, 0.0, 0.0
    p = k.pair_plate[n]
    nearness = 1.0 / w
    u, v = linear(k.maps, 9 * n, x, y) * nearness, linear(k.maps, 9 * n + 3, x, y) * nearness
    if u < 0 or v < 0 or u >= k.canvas[p, 4] or v >= k.canvas[p, 5]:
        return OUTSIDE, u, v, nearness
    if k.matte_at[p] >= 0 and matte_value(k.matte, k.matte_at[p], k.canvas[p, 4], k.canvas[p, 5], u, v) < 0.5:
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
def settle(pair, verdict, row, x0, x1, n, most, light):  # type: ignore[no-untyped-def]
    """Give a row's pixels that are no darker than `most` to pair n; their number. Compiles to SIMD."""
    taken = 0
    for j in range(x1 - x0):
        i = np.uintp(j) + np.uintp(x0)
        take = light[i] <= most
        said = np.uint8(SOUND) if light[i] == LIT else np.uint8(SPILLED)
        pair[row, i] = n if take else pair[row, i]
        verdict[row, i] = said if take else verdict[row, i]
        taken += take
    return taken


@njit(cache=True, error_model="numpy", inline="always")
def cut_away(k, p, line, x0, x1, light):  # type: ignore[no-untyped-def]
    """Write CUT_AWAY to the pixels [x0, x1) of a row at which a plate's matte is below a half."""
    sx, sy, width, height = k.scale[p, 0], k.scale[p, 1], k.canvas[p, 4], k.canvas[p, 5]
    for i in range(x0, x1):
        if light[i] >= CUT_AWAY:
            continue
        x, y = line_pixel(line, i + 0.5)
        shown = cell_at(k, p, x, y)
        if shown == CUT or (
            shown <= MIXED and matte_value(k.matte, k.matte_at[p], width, height, x / sx, y / sy) < 0.5
        ):
            light[i] = CUT_AWAY


@njit(cache=True, error_model="numpy")
def fill(pair, verdict, row, x0, x1, n, said):  # type: ignore[no-untyped-def]
    """Give all of a row's pixels [x0, x1) to pair n with one verdict; compiles to SIMD."""
    for i in range(x0, x1):
        pair[row, i] = n
    for i in range(x0, x1):
        verdict[row, i] = said


@njit(cache=True, error_model="numpy", inline="always")
def land(k, s, chains, face, row, x0, x1, pair, verdict, light):  # type: ignore[no-untyped-def]
    """Write the first pair in reach (−1 for none) and BARE, SPILLED or SOUND to a row's pixels that show one face."""
    left, fresh = x1 - x0, True
    for n in range(k.pair_start[face], k.pair_start[face + 1]):
        strict, front = k.pair_occlusion[n], k.pair_front[n]
        if left == 0:
            break
        if (strict and not front) or row < k.boxes[n, 1] - 1 or row > k.boxes[n, 3]:
            continue
        p = k.pair_plate[n]
        start, stop = between(s.canvas, 4 * n, 4 * n + 4, row + 0.5, x0, x1)
        if start >= stop:
            continue
        link = falling(s, chains, n, start, stop)
        plain = front and link < 0 and k.matte_at[p] < 0 and not s.looked[n]
        if fresh and plain and stop - start == left:  # as most are: a whole run, and nothing in its way
            fill(pair, verdict, row, x0, x1, n, SOUND)
            left, fresh = 0, False
            break
        if fresh:
            fill(pair, verdict, row, x0, x1, -1, BARE)
            fresh = False
        u1, u0, v1, v0, w1, w0 = row_line(k, n, row + 0.5)
        sx, sy = k.scale[p, 0], k.scale[p, 1]
        line = (u1 * sx, u0 * sx, v1 * sy, v0 * sy, w1, w0)
        for i in range(start, stop):
            light[i] = TAKEN if pair[row, i] >= 0 else (LIT if front else SHADED)
        if front:
            darken(k, s, chains, link, n, face, line, start, stop, light)
        if k.matte_at[p] >= 0:
            cut_away(k, p, line, start, stop, light)
        left -= settle(pair, verdict, row, start, stop, n, LIT if strict else SHADED, light)
    if fresh:
        fill(pair, verdict, row, x0, x1, -1, BARE)


@njit(cache=True, error_model="numpy", inline="always")
def row_forms(k, n, y):  # type: ignore[no-untyped-def]
    """w² J of pair n along a row: the first column's constants, the second's linear forms, and w's form.

    With w the homogeneous third component, the first column of w² J does not change along a row and the second is
    linear, so that the singular values follow without dividing at each pixel.
    """
    u1, u0, v1, v0, w1, w0 = row_line(k, n, y)
    uy, vy, wy = k.maps[9 * n + 1], k.maps[9 * n + 4], k.maps[9 * n + 7]
    first = (u1 * w0 - u0 * w1, v1 * w0 - v0 * w1)
    second = (uy * w1 - u1 * wy, uy * w0 - u0 * wy, vy * w1 - v1 * wy, vy * w0 - v0 * wy)
    return first, second, (w1, w0)


@njit(cache=True, error_model="numpy")
def grade(row, x0, x1, forms, unit, limits, verdict, stretch, magnification):  # type: ignore[no-untyped-def]
    """Stretch and magnification of a row's pixels that show one pair, and the verdicts that follow; compiles to SIMD.

    A function of its own, with few arguments: within the long loop the compiler gives SIMD up.
    """
    (a, c), (b1, b0, d1, d0), (w1, w0) = forms
    most_stretch, most_magnification = limits
    for j in range(x1 - x0):
        i = np.uintp(j) + np.uintp(x0)
        x = x0 + j + 0.5
        b, d, w = b1 * x + b0, d1 * x + d0, w1 * x + w0
        s1, _ = singular_values(a, b, c, d)
        ratio = s1 / max(abs(a * d - b * c), 1e-30)
        s, m = s1 * ratio, unit * w * w * ratio
        stretch[row, i] = s
        magnification[row, i] = m
        limited = SMEARED if s > most_stretch else (SOFT if m > most_magnification else SOUND)
        verdict[row, i] = max(verdict[row, i], np.uint8(limited))


@njit(cache=True, error_model="numpy")
def measure_rows(nearest, k, s, first_row, light, verdict, pair, stretch, magnification):  # type: ignore[no-untyped-def]
    """Every sixteenth row, in runs of pixels that show one face, and these in runs that show one plate."""
    k, s, light = lent(k), lent(s), lent(light)
    nearest, verdict, pair = lent(nearest), lent(verdict), lent(pair)
    stretch, magnification = lent(stretch), lent(magnification)
    height, width = nearest.shape
    newest, links = fallen(s, height, first_row, STRIPES)
    rows = (height - first_row + STRIPES - 1) // STRIPES
    for row in range(first_row, height, STRIPES):
        end = 0
        while end < width:
            start = end
            t = nearest[row, start]
            face = k.tri_face[t] if t >= 0 else -1
            while end < width and (k.tri_face[nearest[row, end]] if nearest[row, end] >= 0 else -1) == face:
                end += 1
            if face >= 0:
                land(k, s, (newest, links, rows, row // STRIPES), face, row, start, end, pair, verdict, light)
            else:
                fill(pair, verdict, row, start, end, -1, VOID)
            last = start
            while last < end:
                first, n = last, pair[row, last]
                while last < end and pair[row, last] == n:
                    last += 1
                if n >= 0:
                    limits = (k.limits[face, 0], k.limits[face, 1])
                    forms = row_forms(k, n, row + 0.5)
                    grade(row, first, last, forms, k.unit, limits, verdict, stretch, magnification)
                else:
                    for col in range(first, last):
                        stretch[row, col] = 0.0
                        magnification[row, col] = 0.0


@njit(cache=True, error_model="numpy", parallel=True)
def measure(nearest, k, s):  # type: ignore[no-untyped-def]
    """Verdict (H, W) uint8, pair (H, W) int32, stretch and magnification (H, W) float32 of a rasterised view.

    ``s``: the spans of the shadows in this view.
    """
    verdict = np.empty(nearest.shape, dtype=np.uint8)
    pair = np.empty(nearest.shape, dtype=np.int32)
    stretch = np.empty(nearest.shape, dtype=np.float32)
    magnification = np.empty(nearest.shape, dtype=np.float32)
    # every stripe takes rows from top to bottom, so that sky and ground are shared out evenly
    for stripe in prange(STRIPES):
        light = np.empty(nearest.shape[1], dtype=np.uint8)
        measure_rows(nearest, k, s, stripe, light, verdict, pair, stretch, magnification)
    return verdict, pair, stretch, magnification


@njit(cache=True, error_model="numpy")
def tally(nearest, verdict, pair, tri_face, pair_plate, faces, plates):  # type: ignore[no-untyped-def]
    """Pixels by face, plate (last: none) and verdict, (F, P + 1, 6); void pixels are not in it."""
    out = np.zeros((faces, plates + 1, 6), dtype=np.int64)
    for row in range(nearest.shape[0]):
        for col in range(nearest.shape[1]):
            t = nearest[row, col]
            if t >= 0:
                n = pair[row, col]
                out[tri_face[t], pair_plate[n] if n >= 0 else plates, verdict[row, col]] += 1
    return out
