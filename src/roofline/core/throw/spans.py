"""Where shadows fall in a view: exactly, as spans of its rows.

What a convex piece hides of a face from a plate's camera is bounded by straight lines: the piece's own edges and the
line where its plane meets the face's. On the face's plane, and so in any view of it, each of them is a linear form of
the pixel. A view turns them into slopes, and every row takes its spans from there.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numba import njit, prange

from roofline.core.throw.cells import CUT
from roofline.core.throw.raster import bound, cross, edge_of, solid_at
from roofline.core.throw.sight import NEARER, cell_at, hidden, line_pixel

LIT, SHADED, CUT_AWAY, TAKEN = range(4)  # how a plate's light falls on a pixel, and whether one before it has it


class Spans(NamedTuple):
    """The shadows in one view."""

    looked: Any  # (N,)
    slot: Any  # (N,)
    slots: Any
    pair: Any  # (S,)
    face: Any  # (S,)
    rows: Any  # (S × 2) rows from, to (exclusive) on which it may fall
    first: Any  # (S + 1,) where its rows' spans begin
    low: Any  # (…,) on each of its rows, the least x …
    high: Any  # (…,) … and the most of the pixels that it covers
    canvas: Any  # (N × 4 × 4) four edges around what a pair's canvas covers, see `edge_of`


@njit(cache=True, error_model="numpy", inline="always")
def _seen_through(forms, at, m, out):  # type: ignore[no-untyped-def]
    """Three linear forms of a plate's raster that stand at a place, as forms (3, 3) of the view from where m leads there."""
    for i in range(3):
        for j in range(3):
            out[i, j] = forms[at] * m[0, j] + forms[at + 1] * m[1, j] + forms[at + 2] * m[2, j]
        at += 3


@njit(cache=True, error_model="numpy", inline="always")
def _corners(forms, out):  # type: ignore[no-untyped-def]
    """Homogeneous corners (3, 3) of the triangle on which no form is negative; False when it is seen edge on."""
    for i in range(3):
        cross(forms[(i + 1) % 3], forms[(i + 2) % 3], out[i])
    sign = np.sign(forms[0, 0] * out[0, 0] + forms[0, 1] * out[0, 1] + forms[0, 2] * out[0, 2])
    for i in range(3):
        for j in range(3):
            out[i, j] *= sign
    return sign != 0


@njit(cache=True, error_model="numpy", inline="always")
def _canvas_edges(edges, at, maps, n, w, h):  # type: ignore[no-untyped-def]
    """The four edges within which pair n's map leads to its picture, w by h.

    What lies between two opposite ones is in front of the plate's camera: with u ≥ 0 and w z − u ≥ 0, z is not negative.
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


@njit(cache=True, parallel=True, error_model="numpy")
def _edges(s, k, visible, width, height):  # type: ignore[no-untyped-def]
    """Edges (… × 4) of the shadows, one more for each than the piece has, their rows, and the canvases' edges.

    The one more is the line where the piece's plane meets the face's. ``visible`` (F, 4): pixel boxes of the faces.
    """
    count, pairs, chunks = len(s.pair), len(s.slot), 8
    rows, edges = np.zeros(2 * count, dtype=np.int32), np.empty(4 * (len(s.edge) + count))
    canvas = np.empty(16 * pairs)
    for chunk in prange(chunks):
        m, forms, corners, box = np.empty((3, 3)), np.empty((3, 3)), np.empty((3, 3)), np.empty(4, dtype=np.int32)
        for n in range(pairs * chunk // chunks, pairs * (chunk + 1) // chunks):
            p = k.pair_plate[n]
            _canvas_edges(canvas, 4 * n, k.maps, n, k.canvas[p, 4], k.canvas[p, 5])
        for i in range(count * chunk // chunks, count * (chunk + 1) // chunks):
            n = s.pair[i]
            p, f = k.pair_plate[n], k.pair_face[n]
            if k.boxes[n, 0] > width or k.boxes[n, 1] > height or k.boxes[n, 2] < 0 or k.boxes[n, 3] < 0:
                continue
            for j in range(3):
                m[0, j] = k.maps[9 * n + j] * k.scale[p, 0]
                m[1, j] = k.maps[9 * n + 3 + j] * k.scale[p, 1]
                m[2, j] = k.maps[9 * n + 6 + j]
            top, end, last = height, 0, -1
            for e in range(s.first_edge[i], s.first_edge[i + 1]):
                t, side = s.edge[e] // 3, s.edge[e] % 3
                if t != last:
                    last = t
                    _seen_through(k.plate_forms, 9 * (p * k.tri_face.size + t), m, forms)
                    if _corners(forms, corners):
                        bound(corners, width, height, box)
                        top, end = min(top, box[1]), max(end, box[3])
                edge_of(edges, e + i, forms[side, 0], forms[side, 1], forms[side, 2])
            top, end = max(top, visible[f, 1]), min(end, visible[f, 3])
            rows[2 * i], rows[2 * i + 1] = top, max(top, end)
            for j in range(3):  # nearer than the face: the sum of a triangle's forms is one over its depth
                corners[0, j] = forms[0, j] + forms[1, j] + forms[2, j]
                for r in range(3):
                    corners[0, j] -= (1 + NEARER) * k.pair_depth[3 * n + r] * m[r, j]
            edge_of(edges, s.first_edge[i + 1] + i, corners[0, 0], corners[0, 1], corners[0, 2])
    return edges, rows, canvas


@njit(cache=True, error_model="numpy")
def _narrow(slope, base, other_slope, other_base, top, low, high):  # type: ignore[no-untyped-def]
    """Cut spans, one a row from the top on, to what lies between two lines; compiles to SIMD."""
    for j in range(len(low)):
        y = top + j + 0.5
        low[j] = max(low[j], slope * y + base)
        high[j] = min(high[j], other_slope * y + other_base)


@njit(cache=True, parallel=True, error_model="numpy")
def spans(s, k, visible, width, height):  # type: ignore[no-untyped-def]
    """`Spans` of the shadows s in a view of the given size, whose cast is k.

    ``visible`` (F, 4): pixel boxes of the faces.
    """
    edges, rows, canvas = _edges(s, k, visible, width, height)
    count, chunks = len(s.pair), 8
    first = np.zeros(count + 1, dtype=np.int64)
    for i in range(count):
        first[i + 1] = first[i] + rows[2 * i + 1] - rows[2 * i]
    low, high = np.empty(first[count]), np.empty(first[count])
    for chunk in prange(chunks):
        for i in range(count * chunk // chunks, count * (chunk + 1) // chunks):
            a, b = low[first[i] : first[i + 1]], high[first[i] : first[i + 1]]
            a[:], b[:] = 0.0, width - 1.0
            for e in range(4 * (s.first_edge[i] + i), 4 * (s.first_edge[i + 1] + i + 1), 4):
                _narrow(edges[e], edges[e + 1], edges[e + 2], edges[e + 3], rows[2 * i], a, b)
    return Spans(s.looked, s.slot, s.slots, s.pair, s.face, rows, first, low, high, canvas)


@njit(cache=True, error_model="numpy")
def fallen(s, height, first_row, step):  # type: ignore[no-untyped-def]
    """The shadows on every so many-th row of a view from the first on, as chains.

    For each slot and row the newest link (or −1); and the links (… × 4): first pixel, end, piece's face, link before.
    """
    rows = (height - first_row + step - 1) // step
    most = 0
    for i in range(len(s.pair)):
        most += (s.rows[2 * i + 1] - s.rows[2 * i] + step - 1) // step
    newest, links = np.full(s.slots * rows, -1, dtype=np.int32), np.empty(4 * most, dtype=np.int32)
    used = 0
    for i in range(len(s.pair)):
        top = s.rows[2 * i]
        for row in range(top + (first_row - top) % step, s.rows[2 * i + 1], step):
            at = s.first[i] + row - top
            lo, hi = np.ceil(s.low[at]), np.floor(s.high[at])
            if lo <= hi:
                at = s.slot[s.pair[i]] * rows + row // step
                links[used], links[used + 1], links[used + 2], links[used + 3] = lo, hi + 1, s.face[i], newest[at]
                newest[at] = used
                used += 4
    return newest, links


@njit(cache=True, error_model="numpy", inline="always")
def falling(s, chains, n, x0, x1):  # type: ignore[no-untyped-def]
    """Newest link of pair n that reaches the pixels [x0, x1) of a row, −1 when none does.

    ``chains``: from `fallen`, with the number of its rows and the row's own.
    """
    newest, links, rows, at = chains
    link = newest[s.slot[n] * rows + at] if s.slot[n] >= 0 else -1
    while link >= 0 and (links[link] >= x1 or links[link + 1] <= x0):
        link = links[link + 3]
    return link


@njit(cache=True, error_model="numpy", inline="always")
def darken(k, s, chains, link, n, face, line, x0, x1, light):  # type: ignore[no-untyped-def]
    """Make SHADED what is LIT of a row's pixels [x0, x1), which show a face, where pair n's plate does not see it.

    ``link``: the newest that may reach them; ``line``: the pair's map to the plate's raster along the row.
    """
    p, links = k.pair_plate[n], chains[1]
    if s.looked[n]:
        for i in range(x0, x1):
            if light[i] == LIT:
                x, y = line_pixel(line, i + 0.5)
                if hidden(k, p, n, face, x, y):
                    light[i] = SHADED
    while link >= 0:
        lo, hi, other = max(x0, links[link]), min(x1, links[link + 1]), links[link + 2]
        link = links[link + 3]
        if not k.cutout[other]:
            for i in range(lo, hi):
                light[i] = max(light[i], np.uint8(SHADED))
            continue
        for i in range(lo, hi):
            if light[i] == LIT:
                x, y = line_pixel(line, i + 0.5)
                shown = cell_at(k, p, x, y)
                if shown == other or (
                    shown <= CUT
                    and solid_at(
                        other, x, y, p, k.pair_start, k.pair_plate, k.plate_maps, k.canvas, k.matte, k.matte_at
                    )
                ):
                    light[i] = SHADED
