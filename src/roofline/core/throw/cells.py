"""What a plate's camera sees, in cells: one face, or a short list where it takes a look.

The plate's raster is made once and read into a grid. A cell that shows one face (or none) says so; any other holds
the list of the pieces that show in it and one pixel around it.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

CELL_BITS = 3  # cells are 8 × 8 raster pixels
CELL = 1 << CELL_BITS
MIXED = -2  # a cell's value: a face, −1 (none), or MIXED − offset of a list


@dataclass
class Cells:
    """A grid of cells, and the lists of the mixed ones: a count, then that many triangles, and so on."""

    grid: NDArray[np.int32]
    lists: NDArray[np.int32]


@njit(cache=True, error_model="numpy")
def _gather(nearest, j, i, found):  # type: ignore[no-untyped-def]
    """Distinct pieces of a cell and the pixels around it, into found; their number, and whether a hole shows."""
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


@njit(cache=True, nogil=True, error_model="numpy")
def _classify(nearest, piece_face):  # type: ignore[no-untyped-def]
    """Values of the cells, MIXED without their offsets, and the lengths of their lists."""
    height, width = nearest.shape
    down, across = (height + CELL - 1) // CELL, (width + CELL - 1) // CELL
    value = np.empty((down, across), dtype=np.int32)
    length = np.zeros((down, across), dtype=np.int32)
    for j in range(down):
        found = np.empty((CELL + 2) ** 2, dtype=np.int32)
        for i in range(across):
            count, hole = _gather(nearest, j, i, found)
            shown = -1 if count == 0 else piece_face[found[0]]
            one = not (hole and count > 0)
            for n in range(1, count):
                one = one and piece_face[found[n]] == shown
            if one:
                value[j, i] = shown
            else:
                value[j, i] = MIXED
                length[j, i] = count + 1
    return value, length


@njit(cache=True, nogil=True, error_model="numpy")
def _list(nearest, value, ends, lists):  # type: ignore[no-untyped-def]
    for j in range(value.shape[0]):
        found = np.empty((CELL + 2) ** 2, dtype=np.int32)
        for i in range(value.shape[1]):
            if value[j, i] == MIXED:
                count, _ = _gather(nearest, j, i, found)
                at = ends[j, i] - count - 1
                value[j, i] = MIXED - at
                lists[at] = count
                for n in range(count):
                    lists[at + 1 + n] = found[n]


def cells(nearest: NDArray[np.int32], piece_face: NDArray[np.int32]) -> Cells:
    """Cells of a plate. ``nearest``: (H, W), the nearest piece at every raster pixel; ``piece_face``: (Q,)."""
    value, length = _classify(nearest, piece_face)
    ends = np.cumsum(length).reshape(length.shape)
    lists = np.zeros(int(length.sum()), dtype=np.int32)
    _list(nearest, value, ends, lists)
    return Cells(value, lists)
