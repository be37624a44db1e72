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

SLACK = 1e-7  # pixels by which spans grow, so that no pixel falls between two triangles of one face
NEAR = 1e-4  # metres; nearer parts of a triangle only bound its box


@njit(cache=True, error_model="numpy", inline="always")
def cross(a, b, out):  # type: ignore[no-untyped-def]
    """Cross product into out (3,)."""
    out[0] = a[1] * b[2] - a[2] * b[1]
    out[1] = a[2] * b[0] - a[0] * b[2]
    out[2] = a[0] * b[1] - a[1] * b[0]


@njit(cache=True, error_model="numpy")
def setup(corners: Array, width: int, height: int) -> tuple[Array, NDArray[np.int32]]:
    """Linear forms (T, 3, 3) and pixel boxes (T, 4: x0, y0, x1, y1, exclusive; empty when unseen).

    ``corners``: (T, 3, 3) homogeneous pixels, one corner a row, third component the depth in metres.
    """
    count = corners.shape[0]
    forms = np.zeros((count, 3, 3))
    boxes = np.zeros((count, 4), dtype=np.int32)
    for t in range(count):
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
        x0, y0, x1, y1 = 1e30, 1e30, -1e30, -1e30
        for i in range(3):
            p, q = corners[t, i], corners[t, (i + 1) % 3]
            for _ in range(2):
                if p[2] > NEAR:
                    x, y = p[0] / p[2], p[1] / p[2]
                    x0, y0, x1, y1 = min(x0, x), min(y0, y), max(x1, x), max(y1, y)
                    if q[2] <= NEAR:
                        k = (p[2] - NEAR) / (p[2] - q[2])
                        x = (p[0] + k * (q[0] - p[0])) / NEAR
                        y = (p[1] + k * (q[1] - p[1])) / NEAR
                        x0, y0, x1, y1 = min(x0, x), min(y0, y), max(x1, x), max(y1, y)
                p, q = q, p
        boxes[t, 0] = max(0.0, min(float(width), np.floor(x0 - 1)))
        boxes[t, 1] = max(0.0, min(float(height), np.floor(y0 - 1)))
        boxes[t, 2] = max(0.0, min(float(width), np.ceil(x1 + 1)))
        boxes[t, 3] = max(0.0, min(float(height), np.ceil(y1 + 1)))
    return forms, boxes


@njit(cache=True, error_model="numpy", inline="always")
def span(form: Array, y: float, x0: int, x1: int) -> tuple[int, int]:
    """Pixels [lo, hi) of a row whose centres lie inside a triangle."""
    lo, hi = float(x0), float(x1 - 1)
    for i in range(3):
        a = form[i, 0]
        rest = form[i, 1] * y + form[i, 2]
        if a > 0:
            lo = max(lo, np.ceil(-rest / a - 0.5 - SLACK))
        elif a < 0:
            hi = min(hi, np.floor(-rest / a - 0.5 + SLACK))
        elif rest < 0:
            return 0, 0
    if hi < lo:
        return 0, 0
    return int(lo), int(hi) + 1


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
def cutout_alpha(face, x, y, pair_start, pair_plate, maps, canvas, matte, matte_at):  # type: ignore[no-untyped-def]
    """Alpha of a cut-out face at a view's pixel: the matte of its first throw whose canvas covers the point.

    A cut-out on which nothing is thrown is solid.
    """
    first, last = pair_start[face], pair_start[face + 1]
    if first == last:
        return 1.0
    for n in range(first, last):
        w = maps[n, 2, 0] * x + maps[n, 2, 1] * y + maps[n, 2, 2]
        if w <= 0:
            continue
        u = (maps[n, 0, 0] * x + maps[n, 0, 1] * y + maps[n, 0, 2]) / w
        v = (maps[n, 1, 0] * x + maps[n, 1, 1] * y + maps[n, 1, 2]) / w
        p = pair_plate[n]
        if u < 0 or v < 0 or u >= canvas[p, 4] or v >= canvas[p, 5]:
            continue
        if matte_at[p] < 0:
            return 1.0
        return matte_value(matte, matte_at[p], canvas[p, 4], canvas[p, 5], u, v)
    return 0.0


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
    nearest = np.full((height, width), -1, dtype=np.int32)
    bands = min(height, 32)
    for band in prange(bands):
        r0, r1 = height * band // bands, height * (band + 1) // bands
        depth = np.zeros((r1 - r0, width), dtype=np.float32)
        for t in range(forms.shape[0]):
            if not use[t]:
                continue
            y0, y1 = max(boxes[t, 1], r0), min(boxes[t, 3], r1)
            if y0 >= y1 or boxes[t, 0] >= boxes[t, 2]:
                continue
            form = forms[t]
            slope = form[0, 0] + form[1, 0] + form[2, 0]
            face = tri_face[t]
            cut = cutout[face]
            for row in range(y0, y1):
                y = row + 0.5
                lo, hi = span(form, y, boxes[t, 0], boxes[t, 2])
                if lo >= hi:
                    continue
                base = (form[0, 1] + form[1, 1] + form[2, 1]) * y + form[0, 2] + form[1, 2] + form[2, 2]
                for col in range(lo, hi):
                    near = slope * (col + 0.5) + base
                    if near > depth[row - r0, col]:
                        if (
                            cut
                            and cutout_alpha(face, col + 0.5, y, pair_start, pair_plate, maps, canvas, matte, matte_at)
                            < 0.5
                        ):
                            continue
                        depth[row - r0, col] = near
                        nearest[row, col] = t
    return nearest


@njit(cache=True, error_model="numpy", parallel=True)
def mark_borders(nearest, tri_face):  # type: ignore[no-untyped-def]
    """Code (H, W) int32 for quick look-up: t where all of the 3 × 3 around shows one face, −t − 2 at borders.

    −1 stays −1 where nothing is around either; a hole next to a face is −2 − T, a border without triangle.
    """
    height, width = nearest.shape
    count = tri_face.shape[0]
    out = np.empty_like(nearest)
    for row in prange(height):
        for col in range(width):
            t = nearest[row, col]
            face = tri_face[t] if t >= 0 else -1
            same = True
            for j in range(max(row - 1, 0), min(row + 2, height)):
                for i in range(max(col - 1, 0), min(col + 2, width)):
                    o = nearest[j, i]
                    if (tri_face[o] if o >= 0 else -1) != face:
                        same = False
            if same:
                out[row, col] = t
            else:
                out[row, col] = -t - 2 if t >= 0 else -2 - count
    return out


BLOCK = 8
MIXED = -(2**31)


@njit(cache=True, parallel=True, error_model="numpy")
def summarise(codes, tri_face):  # type: ignore[no-untyped-def]
    """One code for every 8 × 8 block of `mark_borders`: a triangle of the one face it shows, −1, or MIXED.

    Small previews take large steps through a plate's raster; this keeps what they ask in the cache.
    """
    height, width = codes.shape
    out = np.empty(((height + BLOCK - 1) // BLOCK, (width + BLOCK - 1) // BLOCK), dtype=np.int32)
    for j in prange(out.shape[0]):
        for i in range(out.shape[1]):
            first = codes[j * BLOCK, i * BLOCK]
            face = tri_face[first] if first >= 0 else -1
            if first < -1:
                first = MIXED
            for row in range(j * BLOCK, min(j * BLOCK + BLOCK, height)):
                for col in range(i * BLOCK, min(i * BLOCK + BLOCK, width)):
                    c = codes[row, col]
                    if c < -1 or (tri_face[c] if c >= 0 else -1) != face:
                        first = MIXED
            out[j, i] = first
    return out
