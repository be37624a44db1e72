"""What a plate's camera sees, in cells: one face, or a short list where it takes a look.

The plate's raster is made once and read into a grid. A cell that shows one face (or none) and whose matte is clear all
over says so; any other holds the list of the triangles that show in it and one pixel around it.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

CELL_BITS = 3  # cells are 8 × 8 raster pixels
CELL = 1 << CELL_BITS
CUT, MIXED = -2, -3  # a cell's value: a face, −1 (none), CUT (matte below a half all over), or MIXED − offset of a list


@dataclass
class Cells:
    """A grid of cells, and the lists of the mixed ones: a count, then that many triangles, and so on."""

    grid: NDArray[np.int32]
    lists: NDArray[np.int32]


@njit(cache=True, error_model="numpy")
def _gather(nearest, j, i, found):  # type: ignore[no-untyped-def]
    """Distinct triangles of a cell and the pixels around it, into found; their number, and whether a hole shows."""
    height, width = nearest.shape
    count, hole, last = 0, False, np.int32(-1)
    for row in range(max(j * CELL - 1, 0), min(j * CELL + CELL + 1, height)):
        for col in range(max(i * CELL - 1, 0), min(i * CELL + CELL + 1, width)):
            t = nearest[row, col]
            if t < 0:
                hole = True
            elif t != last:
                known = False
                for n in range(count):
                    known = known or found[n] == t
                if not known:
                    found[count] = t
                    count += 1
                last = t
    return count, hole


@njit(cache=True, error_model="numpy")
def _matte_range(matte, j, i, scale):  # type: ignore[no-untyped-def]
    """Least and most of every picture pixel that a bilinear look-up from inside a cell may touch."""
    tall, wide = matte.shape
    least, most = np.float32(2), np.float32(-1)
    x0, x1 = int(i * CELL / scale[0] - 1.0), int((i + 1) * CELL / scale[0] + 1.0)
    y0, y1 = int(j * CELL / scale[1] - 1.0), int((j + 1) * CELL / scale[1] + 1.0)
    for y in range(min(max(y0, 0), tall - 1), min(max(y1, 0), tall - 1) + 1):
        for x in range(min(max(x0, 0), wide - 1), min(max(x1, 0), wide - 1) + 1):
            least, most = min(least, matte[y, x]), max(most, matte[y, x])
    return least, most


@njit(cache=True, parallel=True, error_model="numpy")
def _classify(nearest, tri_face, matte, scale):  # type: ignore[no-untyped-def]
    """Values of the cells, MIXED without their offsets, and the lengths of their lists."""
    height, width = nearest.shape
    down, across = (height + CELL - 1) // CELL, (width + CELL - 1) // CELL
    value = np.empty((down, across), dtype=np.int32)
    length = np.zeros((down, across), dtype=np.int32)
    for j in prange(down):
        found = np.empty((CELL + 2) ** 2, dtype=np.int32)
        for i in range(across):
            count, hole = _gather(nearest, j, i, found)
            shown = -1 if count == 0 else tri_face[found[0]]
            one = not (hole and count > 0)
            for n in range(1, count):
                one = one and tri_face[found[n]] == shown
            least, most = np.float32(1), np.float32(1)
            if matte.size > 0:
                least, most = _matte_range(matte, j, i, scale)
            if most < 0.5:
                value[j, i] = CUT
            elif one and least >= 0.5:
                value[j, i] = shown
            else:
                value[j, i] = MIXED
                length[j, i] = count + 1
    return value, length


@njit(cache=True, parallel=True, error_model="numpy")
def _list(nearest, value, ends, lists):  # type: ignore[no-untyped-def]
    for j in prange(value.shape[0]):
        found = np.empty((CELL + 2) ** 2, dtype=np.int32)
        for i in range(value.shape[1]):
            if value[j, i] == MIXED:
                count, _ = _gather(nearest, j, i, found)
                at = ends[j, i] - count - 1
                value[j, i] = MIXED - at
                lists[at] = count
                for n in range(count):
                    lists[at + 1 + n] = found[n]


def cells(
    nearest: NDArray[np.int32],
    tri_face: NDArray[np.int32],
    matte: NDArray[np.float32] | None,
    scale: NDArray[np.float64],
) -> Cells:
    """Cells of a plate.

    ``nearest``: (H, W), the nearest triangle at every raster pixel; ``matte``: (h, w) or None; ``scale``: raster
    pixels per picture pixel, across and down.
    """
    opaque = np.zeros((0, 0), dtype=np.float32)
    value, length = _classify(nearest, tri_face, opaque if matte is None else matte, scale)
    ends = np.cumsum(length).reshape(length.shape)
    lists = np.zeros(int(length.sum()), dtype=np.int32)
    _list(nearest, value, ends, lists)
    return Cells(value, lists)
