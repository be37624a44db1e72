"""The rasteriser: which piece is nearest at every pixel centre, without clipping.

A row's pixels within a piece lie between its edges' crossings of that row.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from roofline.core.throw.cast import open_cast
from roofline.core.throw.lent import lent, write_table
from roofline.core.throw.mattes import SIMD, SOLID, solid_along, whole_blocks
from roofline.core.throw.pieces import between
from roofline.core.throw.threads import ALONE, side_by_side


@njit(cache=True, error_model="numpy")
def lay(shown, first, depth, at, count, x, slope, base, label):  # type: ignore[no-untyped-def]
    """Write a label to so many pixels from a place on where it is nearest, the first at x; compiles to SIMD.

    ``first``: the place in ``shown`` of what stands at 0 in ``depth``. Whole blocks are read and written, so that no
    pixel is left over to be done by itself.
    """
    for j in range(whole_blocks(count)):
        i = np.uintp(at) + np.uintp(j)
        near = slope * (x + j) + base
        old = depth[i]
        closer = (near > old) & (j < count)
        depth[i] = near if closer else old
        k = np.uintp(first) + i
        shown[k] = label if closer else shown[k]


SHARES = 16  # among which the bands of a view are dealt out


@njit(cache=True, error_model="numpy")
def lay_solid(shown, first, depth, at, count, lo, slope, base, label, solid):  # type: ignore[no-untyped-def]
    """As `lay`, from pixel lo of a row on, where a cut-out is SOLID."""
    for j in range(whole_blocks(count)):
        i = np.uintp(at) + np.uintp(j)
        near = slope * (lo + j + 0.5) + base
        old = depth[i]
        closer = (near > old) & (j < count) & (solid[np.uintp(lo) + np.uintp(j)] == SOLID)
        depth[i] = near if closer else old
        k = np.uintp(first) + i
        shown[k] = label if closer else shown[k]


class Band(NamedTuple):
    """What is needed of a band of rows while it is drawn, with room for a block beyond each row."""

    depth: Any  # (rows × stride) one over the depth
    block: Any  # (stride,) where a matte's blocks are …
    solid: Any  # (stride,) … and what they say


@njit(cache=True, error_model="numpy", inline="always")
def band_for(rows, width):  # type: ignore[no-untyped-def]
    """Room for a band of so many rows."""
    stride = width + SIMD
    return Band(
        np.empty(rows * stride),
        np.empty(stride, dtype=np.int32),
        np.empty(stride, dtype=np.uint8),
    )


@njit(cache=True, error_model="numpy")
def rasterise_band(cast, label, width, r0, r1, shown, first, band):  # type: ignore[no-untyped-def]
    """Rows [r0, r1) of `rasterise`, to a flat array from place `first` on."""
    table, cast, band = cast, open_cast(cast), lent(band)
    depth, stride = band.depth, width + SIMD
    for i in range((r1 - r0) * stride):
        shown[np.uintp(first) + np.uintp(i)] = -1
    for i in range((r1 - r0) * stride):
        depth[i] = 0.0
    for q in range(cast.pieces):
        box = np.uintp(4 * q)
        y0, y1 = max(cast.piece_boxes[box + 1], r0), min(cast.piece_boxes[box + 3], r1)
        x0, x1 = cast.piece_boxes[box], cast.piece_boxes[box + 2]
        if label[q] < 0 or y0 >= y1 or x0 >= x1:
            continue
        face = np.int64(cast.piece_face[q])
        slope, rise, rest = cast.depths[3 * face], cast.depths[3 * face + 1], cast.depths[3 * face + 2]
        for row in range(y0, y1):
            y = row + 0.5
            lo, hi = between(cast.lines, cast.first[q], cast.first[q + 1], y, x0, x1)
            if lo >= hi:
                continue
            base = rise * y + rest
            at = (row - r0) * stride + lo
            if not cast.cutout[face]:
                lay(shown, first, depth, at, hi - lo, lo + 0.5, slope, base, label[q])
                continue
            solid_along(
                table, cast.maps, np.int64(0), face, (1.0, 0.0, 0.0, y, 0.0, 1.0), lo, hi, band.block, band.solid
            )
            lay_solid(shown, first, depth, at, hi - lo, lo, slope, base, label[q], band.solid)


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


@njit(cache=True, nogil=True, error_model="numpy")
def rasterise_shares(cast, label, begin, end, nearest):  # type: ignore[no-untyped-def]
    """Shares [begin, end) of the bands of `rasterise`."""
    height, width = nearest.shape
    label, bands, room = lent(label), bands_of(height), np.empty(len(cast), np.int64)
    write_table(lent(cast), room)
    table = lent(room)
    rows, stride = height // bands + 1, width + SIMD
    drawn, band = np.empty(rows * stride, dtype=np.int32), band_for(rows, width)
    shown = lent(drawn)
    for turn in range(bands * begin // SHARES, bands * end // SHARES):
        r0, r1 = band_rows(turn, bands, height)
        rasterise_band(table, label, width, r0, r1, shown, np.int64(0), band)
        for row in range(r0, r1):
            at = (row - r0) * stride
            nearest[row] = drawn[at : at + width]
    return len(room)  # a table is let go of after its last mention


def rasterise(cast: Any, label: NDArray[np.int32], width: int, height: int) -> NDArray[np.int32]:
    """Label (H, W) int32 of the nearest piece, −1 where there is none, at every pixel centre.

    ``cast``: the view's; ``label`` (Q,): what is said of each piece, −1 for those that are left out. Cut-outs
    count where their alpha is at least a half.
    """
    nearest = np.empty((height, width), dtype=np.int32)
    side_by_side(lambda begin, end: rasterise_shares(cast, label, begin, end, nearest), SHARES, width * height > ALONE)
    return nearest


@njit(cache=True, error_model="numpy")
def which(nearest: NDArray[np.int32], count: int) -> NDArray[np.int32]:
    """The labels below a count that show anywhere in a raster (H, W)."""
    shows = np.zeros(count, dtype=np.bool_)
    for t in nearest.flat:
        if t >= 0:
            shows[t] = True
    return np.flatnonzero(shows).astype(np.int32)
