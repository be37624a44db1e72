"""Whether a plate's camera sees a point of a face: for one raster pixel, and for a straight run of them at once."""

from __future__ import annotations

from numba import njit

from roofline.core.throw.cells import CELL_BITS, CUT, LEVELS, MIXED
from roofline.core.throw.raster import linear, solid_at

NEARER = 1e-6  # an occluder counts when it is nearer by this part of the depth
SEEN, UNSEEN = 0, 1  # beside CUT and MIXED


@njit(cache=True, error_model="numpy", inline="always")
def plane_nearer(k, p, other, n, x, y):  # type: ignore[no-untyped-def]
    """Whether the plane of face `other` is nearer to plate p's camera than pair n's, at a raster pixel."""
    near = linear(k.plate_depths, 3 * (p * k.cutout.size + other), x, y)
    return near > linear(k.pair_depth, 3 * n, x, y) * (1 + NEARER)


@njit(cache=True, error_model="numpy", inline="always")
def hidden(k, p, n, face, x, y):  # type: ignore[no-untyped-def]
    """Whether another face stands between plate p's camera and pair n's point at raster pixel (x, y).

    A cell that shows one face decides at once; in any other the triangles that show there are tested exactly.
    """
    i = min(max(int(x), 0), k.raster_size[p, 0] - 1) >> CELL_BITS
    j = min(max(int(y), 0), k.raster_size[p, 1] - 1) >> CELL_BITS
    shown = k.cells[k.cell_at[p, 0] + j * k.cell_width[p, 0] + i]
    result = False
    if shown >= 0:
        result = shown != face and plane_nearer(k, p, shown, n, x, y)
    elif shown <= MIXED:
        at = k.list_at[p] + MIXED - shown
        limit = linear(k.pair_depth, 3 * n, x, y) * (1 + NEARER)
        for entry in range(at + 1, at + 1 + k.lists[at]):
            t = k.lists[entry]
            other = k.tri_face[t]
            if other == face:
                continue
            form = 9 * (p * k.tri_face.size + t)
            b0 = linear(k.plate_forms, form, x, y)
            b1 = linear(k.plate_forms, form + 3, x, y)
            b2 = linear(k.plate_forms, form + 6, x, y)
            if b0 < 0 or b1 < 0 or b2 < 0 or b0 + b1 + b2 <= limit:
                continue
            if not k.cutout[other] or solid_at(
                other, x, y, p, k.pair_start, k.pair_plate, k.plate_maps, k.canvas, k.matte, k.matte_at
            ):
                result = True
                break
    return result


@njit(cache=True, error_model="numpy", inline="always")
def along_run(k, p, n, face, x0, y0, x1, y1):  # type: ignore[no-untyped-def]
    """How plate p sees pair n on a whole straight run of raster pixels: SEEN, UNSEEN, CUT, or MIXED when it differs.

    The run lies in the box of its ends, and the box in at most 2 × 2 cells of a fitting size. Where another face
    stands there, both planes' inverse depths are linear along the run, so that the ends decide.
    """
    right, low = k.raster_size[p, 0] - 1, k.raster_size[p, 1] - 1
    i0, i1 = min(max(int(min(x0, x1)), 0), right), min(max(int(max(x0, x1)), 0), right)
    j0, j1 = min(max(int(min(y0, y1)), 0), low), min(max(int(max(y0, y1)), 0), low)
    extent, level = max(i1 - i0, j1 - j0) >> CELL_BITS, 0
    while extent > 0:
        extent >>= 1
        level += 1
    result = MIXED
    if level < LEVELS:
        at, across, bits = k.cell_at[p, level], k.cell_width[p, level], CELL_BITS + level
        i0, i1, j0, j1 = i0 >> bits, i1 >> bits, at + (j0 >> bits) * across, at + (j1 >> bits) * across
        shown = k.cells[j0 + i0]
        if shown == k.cells[j0 + i1] and shown == k.cells[j1 + i0] and shown == k.cells[j1 + i1]:
            if shown == face or shown == -1:
                result = SEEN
            elif shown == CUT:
                result = CUT
            elif shown >= 0:
                first = plane_nearer(k, p, shown, n, x0, y0)
                if first == plane_nearer(k, p, shown, n, x1, y1):
                    result = UNSEEN if first else SEEN
    return result
