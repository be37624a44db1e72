"""The rasteriser: triangles in homogeneous pixels into face and inverse depth, without clipping.

Method: Olano and Greer, "Triangle scan conversion using 2D homogeneous coordinates", 1997. For a triangle whose
corners project to (x w, y w, w), the inverse of that matrix gives three linear forms of the pixel; a pixel is
inside and in front exactly where all three are ≥ 0, and their sum is one over the depth.
"""

from __future__ import annotations

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from roofline.core.camera import Array
from roofline.core.throw.lent import lent

SLACK = 1e-7  # pixels by which spans grow, so that no pixel falls between two triangles of one face
NEAR = 1e-4  # metres; a triangle wholly nearer is left out


@njit(cache=True, error_model="numpy", inline="always")
def cross(a, b, out):  # type: ignore[no-untyped-def]
    """Cross product into out (3,)."""
    out[0] = a[1] * b[2] - a[2] * b[1]
    out[1] = a[2] * b[0] - a[0] * b[2]
    out[2] = a[0] * b[1] - a[1] * b[0]


@njit(cache=True, error_model="numpy", inline="always")
def bound(corners, width, height, box):  # type: ignore[no-untyped-def]
    """Pixel box x0, y0, x1, y1 (exclusive) of a triangle with homogeneous corners (3, 3), cut to a width and height.

    Only what has a positive third component counts: an edge that passes through zero goes to infinity, and takes the
    box along.
    """
    x0, y0, x1, y1 = np.inf, np.inf, -np.inf, -np.inf
    for i in range(3):
        p = corners[i]
        if p[2] > 0:
            x, y = p[0] / p[2], p[1] / p[2]
            x0, y0, x1, y1 = min(x0, x), min(y0, y), max(x1, x), max(y1, y)
    if x0 <= x1 and min(corners[0, 2], corners[1, 2], corners[2, 2]) <= 0:
        for i in range(3):
            p, q = corners[i], corners[(i + 1) % 3]
            if (p[2] > 0) != (q[2] > 0):
                part = p[2] / (p[2] - q[2])
                x, y = p[0] + part * (q[0] - p[0]), p[1] + part * (q[1] - p[1])
                x0, x1 = (-np.inf if x <= 0 else x0), (np.inf if x >= 0 else x1)
                y0, y1 = (-np.inf if y <= 0 else y0), (np.inf if y >= 0 else y1)
    box[0], box[1] = max(0.0, min(width, np.floor(x0 - 1))), max(0.0, min(height, np.floor(y0 - 1)))
    box[2], box[3] = max(0.0, min(width, np.ceil(x1 + 1))), max(0.0, min(height, np.ceil(y1 + 1)))


@njit(cache=True, error_model="numpy", parallel=True)
def setup(corners: Array, width: int, height: int) -> tuple[Array, NDArray[np.int32]]:
    """Linear forms (T, 3, 3) and pixel boxes (T, 4: x0, y0, x1, y1, exclusive; empty when unseen).

    ``corners``: (T, 3, 3) homogeneous pixels, one corner a row, third component the depth in metres.
    """
    count = corners.shape[0]
    forms = np.zeros((count, 3, 3))
    boxes = np.zeros((count, 4), dtype=np.int32)
    for t in prange(count):
        a, b, c = corners[t, 0], corners[t, 1], corners[t, 2]
        if a[2] <= NEAR and b[2] <= NEAR and c[2] <= NEAR:
            continue
        cross(b, c, forms[t, 0])
        cross(c, a, forms[t, 1])
        cross(a, b, forms[t, 2])
        det = a[0] * forms[t, 0, 0] + a[1] * forms[t, 0, 1] + a[2] * forms[t, 0, 2]
        size = np.sqrt((a[0] ** 2 + a[1] ** 2 + a[2] ** 2) * (b[0] ** 2 + b[1] ** 2 + b[2] ** 2))
        size *= np.sqrt(c[0] ** 2 + c[1] ** 2 + c[2] ** 2)
        if abs(det) <= 1e-14 * size:
            continue
        for i in range(3):
            for j in range(3):
                forms[t, i, j] /= det
        bound(corners[t], width, height, boxes[t])
    return forms, boxes


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


@njit(cache=True, error_model="numpy", inline="always")
def linear(flat, at, x, y):  # type: ignore[no-untyped-def]
    """The linear form whose three coefficients stand at a place of a flat array, at (x, y)."""
    return flat[at] * x + flat[at + 1] * y + flat[at + 2]


@njit(cache=True, error_model="numpy")
def lay(nearest, depth, row, at, lo, hi, slope, base, t):  # type: ignore[no-untyped-def]
    """Write triangle t where it is nearest, on pixels [lo, hi) of a row; compiles to SIMD."""
    for j in range(hi - lo):
        col = np.uintp(j) + np.uintp(lo)
        near = slope * (lo + j + 0.5) + base
        old = depth[at, col]
        closer = near > old
        depth[at, col] = near if closer else old
        nearest[row, col] = t if closer else nearest[row, col]


@njit(cache=True, error_model="numpy", inline="always")
def matte_value(matte, at, width, height, x, y):  # type: ignore[no-untyped-def]
    """Bilinear matte at a picture pixel; the border value continues outwards by half a pixel."""
    u = min(max(x - 0.5, 0.0), width - 1.0)
    v = min(max(y - 0.5, 0.0), height - 1.0)
    i, j = int(u), int(v)
    i2, j2 = min(i + 1, int(width) - 1), min(j + 1, int(height) - 1)
    fu, fv = u - i, v - j
    w = int(width)
    top = matte[at + j * w + i] * (1 - fu) + matte[at + j * w + i2] * fu
    low = matte[at + j2 * w + i] * (1 - fu) + matte[at + j2 * w + i2] * fu
    return top * (1 - fv) + low * fv


@njit(cache=True, error_model="numpy", inline="always")
def solid_at(face, x, y, grid, pair_start, pair_plate, maps, canvas, matte, matte_at):  # type: ignore[no-untyped-def]
    """Whether a cut-out face is there at a pixel of a grid: its alpha is at least a half.

    The alpha is the matte of its first throw whose canvas covers the point; a cut-out on which nothing is thrown is
    solid. ``maps``: (grids × N × 9), flat.
    """
    first, last = pair_start[face], pair_start[face + 1]
    solid = first == last
    for n in range(first, last):
        at = 9 * (grid * pair_plate.size + n)
        w = linear(maps, at + 6, x, y)
        if w <= 0:
            continue
        u, v = linear(maps, at, x, y) / w, linear(maps, at + 3, x, y) / w
        p = pair_plate[n]
        if u < 0 or v < 0 or u >= canvas[p, 4] or v >= canvas[p, 5]:
            continue
        solid = matte_at[p] < 0 or matte_value(matte, matte_at[p], canvas[p, 4], canvas[p, 5], u, v) >= 0.5
        break
    return solid


@njit(cache=True, error_model="numpy")
def rasterise_band(  # type: ignore[no-untyped-def]
    forms, boxes, use, tri_face, cutout, pair_start, pair_plate, maps, canvas, matte, matte_at, nearest, r0, r1
):
    """Rows [r0, r1) of `rasterise`."""
    forms, boxes, tri_face, cutout, nearest = lent(forms), lent(boxes), lent(tri_face), lent(cutout), lent(nearest)
    pair_start, pair_plate, maps = lent(pair_start), lent(pair_plate), lent(maps)
    canvas, matte, matte_at = lent(canvas), lent(matte), lent(matte_at)
    depth, edges = np.zeros((r1 - r0, nearest.shape[1])), np.empty(12)
    nearest[r0:r1] = -1
    for t in range(forms.shape[0]):
        y0, y1 = max(boxes[t, 1], r0), min(boxes[t, 3], r1)
        if not use[t] or y0 >= y1 or boxes[t, 0] >= boxes[t, 2]:
            continue
        slope = forms[t, 0, 0] + forms[t, 1, 0] + forms[t, 2, 0]
        rise = forms[t, 0, 1] + forms[t, 1, 1] + forms[t, 2, 1]
        rest = forms[t, 0, 2] + forms[t, 1, 2] + forms[t, 2, 2]
        face = tri_face[t]
        for i in range(3):
            edge_of(edges, i, forms[t, i, 0], forms[t, i, 1], forms[t, i, 2])
        for row in range(y0, y1):
            y = row + 0.5
            lo, hi = between(edges, 0, 3, y, boxes[t, 0], boxes[t, 2])
            if lo >= hi:
                continue
            base = rise * y + rest
            at = row - r0
            if not cutout[face]:
                lay(nearest, depth, row, at, lo, hi, slope, base, t)
                continue
            for col in range(lo, hi):
                x = col + 0.5
                near = slope * x + base
                if near > depth[at, col] and solid_at(
                    face, x, y, 0, pair_start, pair_plate, maps, canvas, matte, matte_at
                ):
                    depth[at, col] = near
                    nearest[row, col] = t


@njit(cache=True, error_model="numpy", parallel=True)
def rasterise(  # type: ignore[no-untyped-def]
    forms,
    boxes,
    use,
    tri_face,
    cutout,
    pair_start,
    pair_plate,
    maps,
    canvas,  # type: ignore[no-untyped-def]
    matte,
    matte_at,
    width,
    height,
):
    """Nearest triangle (H, W) int32, −1 where there is none, at every pixel centre.

    ``use`` (T,) says which triangles take part; cut-outs count where their alpha is at least a half.
    """
    nearest = np.empty((height, width), dtype=np.int32)
    # bands low enough that their depths stay in the cache, and enough of them to share out
    bands = max(min(height, 32), height // 24)
    for band in prange(bands):
        r0, r1 = height * band // bands, height * (band + 1) // bands
        rasterise_band(
            forms, boxes, use, tri_face, cutout, pair_start, pair_plate, maps, canvas, matte, matte_at, nearest, r0, r1
        )
    return nearest


@njit(cache=True, error_model="numpy")
def which(nearest: NDArray[np.int32], count: int) -> NDArray[np.int32]:
    """The triangles of so many that show anywhere in a raster (H, W)."""
    shows = np.zeros(count, dtype=np.bool_)
    for t in nearest.flat:
        if t >= 0:
            shows[t] = True
    return np.flatnonzero(shows).astype(np.int32)
