"""Whether a plate's camera sees a point of a face."""

from __future__ import annotations

import numpy as np
from numba import njit

from roofline.core.throw.cast import open_cast
from roofline.core.throw.cells import CELL_BITS, MIXED
from roofline.core.throw.mattes import linear, solid_at

NEARER = 1e-6  # an occluder counts when it is nearer by this part of the depth


@njit(cache=True, error_model="numpy", inline="always")
def cell_at(cast, p, x, y):  # type: ignore[no-untyped-def]
    """What the cell says in which a raster pixel of plate p lies."""
    i = min(max(int(x), 0), cast.raster_size[2 * p] - 1) >> CELL_BITS
    j = min(max(int(y), 0), cast.raster_size[2 * p + 1] - 1) >> CELL_BITS
    return cast.cells[cast.cell_start[p] + j * cast.cell_width[p] + i]


@njit(cache=True, error_model="numpy", inline="always")
def plane_nearer(cast, p, other, n, x, y):  # type: ignore[no-untyped-def]
    """Whether the plane of face `other` is nearer to plate p's camera than pair n's, at a raster pixel."""
    near = linear(cast.plate_depths, 3 * (p * cast.faces + other), x, y)
    return near > linear(cast.pair_depth, 3 * n, x, y) * (1 + NEARER)


@njit(cache=True, error_model="numpy")
def hidden(cast, p, n, face, x, y):  # type: ignore[no-untyped-def]
    """Whether another face stands between plate p's camera and pair n's point at raster pixel (x, y).

    A cell that shows one face decides at once; in any other the pieces that show there are tested exactly.
    """
    table, cast = cast, open_cast(cast)
    shown = np.int64(cell_at(cast, p, x, y))
    result = False
    if shown >= 0:
        result = shown != face and plane_nearer(cast, p, shown, n, x, y)
    elif shown <= MIXED:
        at = cast.list_at[p] + MIXED - shown
        for entry in range(at + 1, at + 1 + cast.lists[at]):
            q = cast.lists[entry]
            other = np.int64(cast.piece_face[q])
            if other == face or not plane_nearer(cast, p, other, n, x, y):
                continue
            inside, corner = True, p * cast.corners
            for e in range(corner + cast.first[q], corner + cast.first[q + 1]):
                inside = inside and linear(cast.plate_edges, 3 * e, x, y) >= 0
            if inside and (not cast.cutout[other] or solid_at(table, cast.plate_maps, p, other, x, y)):
                result = True
                break
    return result
