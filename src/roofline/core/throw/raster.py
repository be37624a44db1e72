"""The rasteriser: which piece is nearest at every pixel centre, without clipping.

A row's pixels within a piece lie between its edges' crossings of that row.
"""

from __future__ import annotations

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from roofline.core.throw.lent import lent
from roofline.core.throw.mattes import SIMD, SOLID, solid_along, whole_blocks

SLACK = 1e-7  # pixels by which spans grow, so that no pixel falls between two pieces of one face


@njit(cache=True, error_model="numpy", inline="always")
def edge_of(edges, i, a, b, c):  # type: ignore[no-untyped-def]
    """Write where the form a x + b y + c is not negative: on row y, x lies between two lines slope · y + base."""
    if abs(a) <= 1e-12 * abs(b):  # a row as a whole, or nothing of it
        a = max(1e-12 * abs(b), 1e-300)
    slope, base = -b / a, -c / a - 0.5
    above = a > 0
    edges[4 * i], edges[4 * i + 1] = (slope, base - SLACK) if above else (0.0, -np.inf)
    edges[4 * i + 2], edges[4 * i + 3] = (0.0, np.inf) if above else (slope, base + SLACK)


@njit(cache=True, error_model="numpy", inline="always")
def between(edges, first, last, y, x0, x1):  # type: ignore[no-untyped-def]
    """Pixels [lo, hi) of [x0, x1) on row y that lie on the inner side of all edges of a range."""
    lo, hi = float(x0), float(x1 - 1)
    for i in range(first, last):
        lo = max(lo, edges[4 * i] * y + edges[4 * i + 1])
        hi = min(hi, edges[4 * i + 2] * y + edges[4 * i + 3])
    return int(min(np.ceil(lo), x1)), int(max(np.floor(hi), x0 - 1)) + 1


@njit(cache=True, error_model="numpy")
def lay(shown, depth, at, count, x, slope, base, label):  # type: ignore[no-untyped-def]
    """Write a label to so many pixels from a place on where it is nearest, the first at x; compiles to SIMD.

    Whole blocks are read and written, so that no pixel is left over to be done by itself.
    """
    for j in range(whole_blocks(count)):
        i = np.uintp(at) + np.uintp(j)
        near = slope * (x + j) + base
        old = depth[i]
        closer = (near > old) & (j < count)
        depth[i] = near if closer else old
        shown[i] = label if closer else shown[i]


@njit(cache=True, error_model="numpy")
def rasterise_rows(k, label, width, r0, r1, edges, block, solid, shown, depth):  # type: ignore[no-untyped-def]
    """Write `rasterise_band`'s rows to what is shown.

    ``edges``: room for those of a piece; ``block``, ``solid``: for a row of a cut-out; ``depth``: for one over it.
    """
    k, label, shown, depth = lent(k), lent(label), lent(shown), lent(depth)
    edges, block, solid = lent(edges), lent(block), lent(solid)
    stride = width + SIMD
    for q in range(label.size):
        y0, y1 = max(k.piece_boxes[q, 1], r0), min(k.piece_boxes[q, 3], r1)
        x0, x1 = k.piece_boxes[q, 0], k.piece_boxes[q, 2]
        if label[q] < 0 or y0 >= y1 or x0 >= x1:
            continue
        face, first, sides = k.piece_face[q], k.first[q], k.first[q + 1] - k.first[q]
        slope, rise, rest = k.depths[3 * face], k.depths[3 * face + 1], k.depths[3 * face + 2]
        for i in range(sides):
            at = 3 * (first + i)
            edge_of(edges, i, k.edges[at], k.edges[at + 1], k.edges[at + 2])
        for row in range(y0, y1):
            y = row + 0.5
            lo, hi = between(edges, 0, sides, y, x0, x1)
            if lo >= hi:
                continue
            base = rise * y + rest
            at = (row - r0) * stride + lo
            if not k.cutout[face]:
                lay(shown, depth, at, hi - lo, lo + 0.5, slope, base, label[q])
                continue
            solid_along(k, k.maps, 0, face, (1.0, 0.0, 0.0, y, 0.0, 1.0), lo, hi, block, solid)
            for j in range(hi - lo):
                near = slope * (lo + j + 0.5) + base
                if solid[lo + j] == SOLID and near > depth[at + j]:
                    depth[at + j] = near
                    shown[at + j] = label[q]


@njit(cache=True, error_model="numpy")
def rasterise_band(k, label, width, r0, r1):  # type: ignore[no-untyped-def]
    """Rows [r0, r1) of `rasterise`, one after another, each with a block more at its end."""
    room = (r1 - r0) * (width + SIMD)
    shown, depth = np.full(room, -1, dtype=np.int32), np.zeros(room)
    block, solid = np.empty(width + SIMD, dtype=np.int32), np.empty(width + SIMD, dtype=np.uint8)
    rasterise_rows(k, label, width, r0, r1, np.empty(4 * k.sides), block, solid, shown, depth)
    return shown


@njit(cache=True, error_model="numpy", inline="always")
def bands_of(height):  # type: ignore[no-untyped-def]
    """Into how many bands of rows a view is cut: low enough that one stays in the cache; an odd number."""
    return max(min(height, 31), height // 24) | 1


@njit(cache=True, error_model="numpy", inline="always")
def band_rows(turn, bands, height):  # type: ignore[no-untyped-def]
    """First row and end of the band whose turn it is; turns that follow one another are spread over the whole view.

    A thread takes one range of turns: so all of them get their share of sky and of ground.
    """
    band = 8 * turn % bands
    return height * band // bands, height * (band + 1) // bands


@njit(cache=True, error_model="numpy", parallel=True)
def rasterise(k, label, width, height):  # type: ignore[no-untyped-def]
    """Label (H, W) int32 of the nearest piece, −1 where there is none, at every pixel centre.

    ``k``: the view's `Cast`; ``label`` (Q,): what is said of each piece, −1 for those that are left out. Cut-outs count
    where their alpha is at least a half.
    """
    nearest = np.empty((height, width), dtype=np.int32)
    bands = bands_of(height)
    for turn in prange(bands):
        r0, r1 = band_rows(turn, bands, height)
        shown = rasterise_band(k, label, width, r0, r1)
        for row in range(r0, r1):
            at = (row - r0) * (width + SIMD)
            nearest[row] = shown[at : at + width]
    return nearest


@njit(cache=True, error_model="numpy")
def which(nearest: NDArray[np.int32], count: int) -> NDArray[np.int32]:
    """The labels below a count that show anywhere in a raster (H, W)."""
    shows = np.zeros(count, dtype=np.bool_)
    for t in nearest.flat:
        if t >= 0:
            shows[t] = True
    return np.flatnonzero(shows).astype(np.int32)
