"""Where shadows fall in a view: exactly, as spans of its rows.

What a convex piece hides of a face from a plate's camera is bounded by straight lines: the piece's own edges and the
line where its plane meets the face's. On the face's plane, and so in any view of it, each of them is a linear form of
the pixel. A view turns them into slopes, and every row takes its spans from there.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numba import njit, prange

from roofline.core.throw.cast import open_cast
from roofline.core.throw.hidden import NEARER, hidden
from roofline.core.throw.lent import lent, reader_of, write_table
from roofline.core.throw.mattes import SIMD, SOLID, line_pixel, solid_along, whole_blocks
from roofline.core.throw.pieces import between, bound, boxes_of, cross, edge_of
from roofline.core.throw.shadows import MOST, Shadows

CHUNKS = 8
LIT, SHADED, CUT_AWAY, TAKEN = range(4)  # how a plate's light falls on a pixel, and whether one before it has it


class Spans(NamedTuple):
    """The shadows in one view; the first four are those of `Shadows`."""

    looked: Any  # (N,)
    first: Any  # (N + 1,)
    face: Any  # (S,)
    begin: Any  # (S + 1,)
    edges: Any  # (begin[S] × 4) what encloses each, see `edge_of`
    left: Any  # (S + SIMD,) the pixels within which it lies; none when it is unseen
    top: Any  # (S + SIMD,)
    right: Any  # (S + SIMD,) exclusive
    bottom: Any  # (S + SIMD,) exclusive
    canvas: Any  # (N × 4 × 4) four edges around what a pair's canvas covers


@njit(cache=True, error_model="numpy")
def _seen_through(x, y, one, m, out, i):  # type: ignore[no-untyped-def]
    """A linear form of a plate's raster, as form i of the view from where m leads there."""
    for j in range(3):
        out[i, j] = x * m[0, j] + y * m[1, j] + one * m[2, j]


@njit(cache=True, error_model="numpy")
def _corners(forms, count, out):  # type: ignore[no-untyped-def]
    """Homogeneous corners of the convex piece within so many forms; False when it is seen edge on."""
    for i in range(count):
        cross(forms[i - 1 if i > 0 else count - 1], forms[i], out[i])
    total = 0.0
    for i in range(count):  # all of them are on the inner side of the first corner
        total += forms[i, 0] * out[0, 0] + forms[i, 1] * out[0, 1] + forms[i, 2] * out[0, 2]
    sign = np.sign(total)
    for i in range(count):
        for j in range(3):
            out[i, j] *= sign
    return sign != 0


@njit(cache=True, error_model="numpy")
def _canvas_edges(edges, at, maps, n, w, h):  # type: ignore[no-untyped-def]
    """The four edges within which pair n's map leads to its picture, w by h.

    What lies between two opposite ones is in front of the plate's camera: with u ≥ 0 and w z − u ≥ 0, z is not
    negative.
    """
    f = 9 * n
    for i, size in ((0, w), (3, h)):
        edge_of(edges, at, maps[f + i], maps[f + i + 1], maps[f + i + 2])
        edge_of(
            edges,
            at + 1,
            size * maps[f + 6] - maps[f + i],
            size * maps[f + 7] - maps[f + i + 1],
            size * maps[f + 8] - maps[f + i + 2],
        )
        at += 2


open_spans = reader_of(
    Spans,
    looked="u1",
    first="i8",
    face="i4",
    begin="i8",
    edges="f8",
    left="i4",
    top="i4",
    right="i4",
    bottom="i4",
    canvas="f8",
)
open_shadows = reader_of(
    Shadows, looked="u1", first="i8", pair="i4", piece="i4", face="i4", begin="i8", count="whole", most="whole"
)


@njit(cache=True, error_model="numpy")
def _fall(cast, shadows, i, visible, out, width, height, m, forms, corners, box):  # type: ignore[no-untyped-def]
    """Where shadow i falls in a view; ``m`` and the like: room."""
    cast, shadows, out = open_cast(cast), open_shadows(shadows), open_spans(out)
    n = shadows.pair[i]
    p, f, at = cast.pair_plate[n], cast.pair_face[n], 4 * n
    if visible[f, 0] >= visible[f, 2]:
        return
    if cast.boxes[at] > width or cast.boxes[at + 1] > height or cast.boxes[at + 2] < 0 or cast.boxes[at + 3] < 0:
        return
    for j in range(3):
        m[0, j] = cast.maps[9 * n + j] * cast.scale[2 * p]
        m[1, j] = cast.maps[9 * n + 3 + j] * cast.scale[2 * p + 1]
        m[2, j] = cast.maps[9 * n + 6 + j]
    first, sides = cast.first[shadows.piece[i]], shadows.begin[i + 1] - shadows.begin[i] - 1
    for e in range(sides):
        at = 3 * (p * cast.corners + first + e)
        _seen_through(cast.plate_edges[at], cast.plate_edges[at + 1], cast.plate_edges[at + 2], m, forms, e)
    if not _corners(forms, sides, corners):
        return
    bound(corners, 0, sides, width, height, box)
    out.left[i], out.top[i] = max(box[0], visible[f, 0]), max(box[1], visible[f, 1])
    out.right[i], out.bottom[i] = min(box[2], visible[f, 2]), min(box[3], visible[f, 3])
    at, other = 3 * n, 3 * (p * cast.faces + shadows.face[i])
    _seen_through(
        cast.plate_depths[other] - (1 + NEARER) * cast.pair_depth[at],
        cast.plate_depths[other + 1] - (1 + NEARER) * cast.pair_depth[at + 1],
        cast.plate_depths[other + 2] - (1 + NEARER) * cast.pair_depth[at + 2],
        m,
        forms,
        sides,
    )
    for e in range(sides + 1):
        edge_of(out.edges, shadows.begin[i] + e, forms[e, 0], forms[e, 1], forms[e, 2])


@njit(cache=True, error_model="numpy")
def _fall_all(cast_table, shadows_table, spans_table, visible, chunk, width, height):  # type: ignore[no-untyped-def]
    """One chunk of `spans`; the first three are tables."""
    cast, shadows, out = open_cast(cast_table), open_shadows(shadows_table), open_spans(spans_table)
    tables = lent(cast_table), lent(shadows_table), lent(spans_table)
    m, box = np.empty((3, 3)), np.empty(4, dtype=np.int32)
    forms, corners = np.empty((shadows.most, 3)), np.empty((shadows.most, 3))
    for n in range(cast.pairs * chunk // CHUNKS, cast.pairs * (chunk + 1) // CHUNKS):
        p, f = cast.pair_plate[n], cast.pair_face[n]
        if visible[f, 0] < visible[f, 2]:
            _canvas_edges(out.canvas, 4 * n, cast.maps, n, cast.canvas[6 * p + 4], cast.canvas[6 * p + 5])
    for i in range(shadows.count * chunk // CHUNKS, shadows.count * (chunk + 1) // CHUNKS):
        _fall(tables[0], tables[1], i, visible, tables[2], width, height, m, forms, corners, box)


@njit(cache=True, parallel=True, error_model="numpy")
def _fall_everywhere(cast_table, shadows_table, spans_table, visible, width, height):  # type: ignore[no-untyped-def]
    for chunk in prange(CHUNKS):
        _fall_all(cast_table, shadows_table, spans_table, visible, np.int64(chunk), width, height)


@njit(cache=True, error_model="numpy")
def spans(shadows, cast, width, height):  # type: ignore[no-untyped-def]
    """`Spans` of the shadows in a view of the given size, which has a cast."""
    visible = boxes_of(cast.piece_boxes, cast.piece_face, cast.pieces, cast.faces)
    room = shadows.count + SIMD
    out = Spans(
        shadows.looked,
        shadows.first,
        shadows.face,
        shadows.begin,
        np.empty(4 * shadows.begin[shadows.count]),
        np.zeros(room, dtype=np.int32),
        np.zeros(room, dtype=np.int32),
        np.zeros(room, dtype=np.int32),
        np.zeros(room, dtype=np.int32),
        np.empty(16 * cast.pairs),
    )
    cast_table, shadows_table, spans_table = (
        np.empty(len(cast), np.int64),
        np.empty(len(shadows), np.int64),
        np.empty(len(out), np.int64),
    )
    write_table(lent(cast), cast_table)
    write_table(lent(shadows), shadows_table)
    write_table(lent(out), spans_table)
    _fall_everywhere(cast_table, shadows_table, spans_table, visible, width, height)
    return out


class Falls(NamedTuple):
    """How one pair's light falls on a row, in the making."""

    light: Any  # (stride,) LIT, SHADED, CUT_AWAY or TAKEN
    meets: Any  # (MOST + SIMD,) which of its shadows come near a run
    shadow: Any  # (MOST,) the shadows that fall on a run …
    lo: Any  # (MOST,) … and on which of its pixels
    hi: Any  # (MOST,) exclusive


@njit(cache=True, error_model="numpy", inline="always")
def falls_for(width):  # type: ignore[no-untyped-def]
    """Room for a row of so many pixels."""
    return Falls(
        np.empty(width + SIMD, dtype=np.uint8),
        np.empty(MOST + SIMD, dtype=np.uint8),
        np.empty(MOST, dtype=np.int32),
        np.empty(MOST, dtype=np.int32),
        np.empty(MOST, dtype=np.int32),
    )


@njit(cache=True, error_model="numpy")
def meet(left, top, right, bottom, first, count, row, x0, x1, meets):  # type: ignore[no-untyped-def]
    """Write which of so many boxes from one on meet the pixels [x0, x1) of a row; compiles to SIMD."""
    for j in range(whole_blocks(count)):
        i = np.uintp(first) + np.uintp(j)
        meets[np.uintp(j)] = (top[i] <= row) & (row < bottom[i]) & (left[i] < x1) & (x0 < right[i])


@njit(cache=True, error_model="numpy", inline="always")
def falling(spans, n, row, x0, x1, falls):  # type: ignore[no-untyped-def]
    """Find those of pair n's shadows that fall on any of the pixels [x0, x1) of a row; returns how many."""
    spans = open_spans(spans)
    first, near, count = spans.first[n], np.uintp(0), np.uintp(0)
    many = spans.first[n + 1] - first
    meet(
        spans.left,
        spans.top,
        spans.right,
        spans.bottom,
        first,
        many,
        np.int32(row),
        np.int32(x0),
        np.int32(x1),
        falls.meets,
    )
    for j in range(many):  # most do not: kept or not without a branch
        falls.shadow[near] = first + j
        near += np.uintp(falls.meets[np.uintp(j)])
    for j in range(near):
        i = np.uintp(falls.shadow[j])
        lo, hi = between(spans.edges, spans.begin[i], spans.begin[i + 1], row + 0.5, x0, x1)
        falls.shadow[count], falls.lo[count], falls.hi[count] = i, lo, hi
        count += np.uintp(lo < hi)
    return count


@njit(cache=True, error_model="numpy")
def darken_row(light, x0, count):  # type: ignore[no-untyped-def]
    """Make so many of a row's pixels from x0 on no brighter than SHADED."""
    for j in range(whole_blocks(count)):
        i = np.uintp(x0) + np.uintp(j)
        light[i] = max(light[i], np.uint8(SHADED if j < count else LIT))


@njit(cache=True, error_model="numpy")
def darken_where(light, value, solid, there, x0, count):  # type: ignore[no-untyped-def]
    """Raise to a value what a row's light says of those of so many pixels, from x0 on, that are SOLID, or that are
    not."""
    for j in range(whole_blocks(count)):
        i = np.uintp(x0) + np.uintp(j)
        falls = ((solid[i] == SOLID) == (there != 0)) & (j < count)
        light[i] = max(light[i], np.uint8(value if falls else 0))


@njit(cache=True, error_model="numpy", inline="always")
def darken(cast, spans, falls, count, n, face, line, x0, x1, band):  # type: ignore[no-untyped-def]
    """Make SHADED what is LIT of the pixels [x0, x1) of a row, which show a face, where pair n's plate does not see it.

    ``falls``, ``count``: from `falling`; ``line``: the pair's map along the row.
    """
    table, cast, spans = cast, open_cast(cast), open_spans(spans)
    p, light = np.int64(cast.pair_plate[n]), falls.light
    u1, u0, v1, v0, w1, w0 = line
    sx, sy = cast.scale[2 * p], cast.scale[2 * p + 1]
    line = (u1 * sx, u0 * sx, v1 * sy, v0 * sy, w1, w0)  # to the plate's raster
    if spans.looked[n]:
        for x in range(x0, x1):
            if light[x] == LIT:
                u, v = line_pixel(line, x + 0.5)
                if hidden(table, p, n, face, u, v):
                    light[x] = SHADED
    for shadow in range(count):
        lo, hi = np.int64(falls.lo[shadow]), np.int64(falls.hi[shadow])
        other = np.int64(spans.face[falls.shadow[shadow]])
        if cast.cutout[other]:
            solid_along(table, cast.plate_maps, p, other, line, lo, hi, band.block, band.solid)
            darken_where(light, np.uint8(SHADED), band.solid, np.uint8(1), lo, hi - lo)
        else:
            darken_row(light, lo, hi - lo)
