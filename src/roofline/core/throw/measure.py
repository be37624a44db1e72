"""Exact measures per pixel: which surface, which plate, stretch, magnification, verdict."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numba import njit, prange

from roofline.core.throw.raster import BLOCK, MIXED, cutout_alpha, matte_value

SOUND, SOFT, SMEARED, SPILLED, BARE, VOID = range(6)
OUTSIDE, MATTE, HIDDEN, BACK, REACHED = range(5)
STRIPES = 16
NEARER = 1e-6  # an occluder counts when it is nearer by this part of the depth


class Cast(NamedTuple):
    """Everything a pixel's story needs, for one view. T triangles, F faces, N pairs, P plates."""

    maps: Any  # (N, 3, 3) view pixel → picture pixel
    boxes: Any  # (N, 4) where in the view the plate's canvas can lie: x0, y0, x1, y1
    unit: Any  # delivered pixels along one pixel of the view
    pair_start: Any  # (F + 1,)
    pair_plate: Any  # (N,)
    pair_face: Any  # (N,)
    pair_front: Any  # (N,) the face's front is towards the plate's camera
    pair_occlusion: Any  # (N,)
    pair_depth: Any  # (N, 3) linear form: inverse depth of the face in the plate's raster
    limits: Any  # (F, 2)
    tri_face: Any  # (T,)
    cutout: Any  # (F,)
    canvas: Any  # (P, 6)
    matte: Any
    matte_at: Any  # (P,)
    codes: Any  # the plates' rasters, one after another (see mark_borders)
    code_at: Any  # (P,)
    code_size: Any  # (P, 2) width, height
    blocks: Any  # summaries of the codes (see summarise), one after another
    block_at: Any  # (P,)
    block_size: Any  # (P,) blocks in a row
    scale: Any  # (P, 2) raster pixels per picture pixel
    plate_forms: Any  # (P, T, 3, 3)
    plate_depths: Any  # (P, F, 3)
    plate_maps: Any  # (P, N, 3, 3) raster pixel → picture pixel


@njit(cache=True, error_model="numpy", inline="always")
def singular_values(a, b, c, d):  # type: ignore[no-untyped-def]
    """Singular values of [[a, b], [c, d]], larger first (closed form, stable for nearly equal values)."""
    e, f = (a + d) * 0.5, (a - d) * 0.5
    g, h = (c + b) * 0.5, (c - b) * 0.5
    q, r = np.sqrt(e * e + h * h), np.sqrt(f * f + g * g)
    return q + r, abs(q - r)


@njit(cache=True, error_model="numpy", inline="always")
def jacobian(maps, n, u, v, k):  # type: ignore[no-untyped-def]
    """∂(u, v)/∂(x, y) of homography n at a pixel whose image is (u, v) with homogeneous third component 1 / k."""
    # no sub-arrays in the loops: each would count a reference, and the threads would wait for one another
    return (
        (maps[n, 0, 0] - u * maps[n, 2, 0]) * k,
        (maps[n, 0, 1] - u * maps[n, 2, 1]) * k,
        (maps[n, 1, 0] - v * maps[n, 2, 0]) * k,
        (maps[n, 1, 1] - v * maps[n, 2, 1]) * k,
    )


@njit(cache=True, error_model="numpy")
def hidden_at_border(k, p, face, x, y, limit, i, j):  # type: ignore[no-untyped-def]
    """Exact test against the triangles that stand in the 3 × 3 raster pixels around (i, j)."""
    width, height = k.code_size[p, 0], k.code_size[p, 1]
    count = k.tri_face.shape[0]
    for jj in range(max(j - 1, 0), min(j + 2, height)):
        for ii in range(max(i - 1, 0), min(i + 2, width)):
            c = k.codes[k.code_at[p] + jj * width + ii]
            t = c if c >= 0 else -c - 2
            if c == -1 or t >= count:
                continue
            other = k.tri_face[t]
            if other == face:
                continue
            m = k.plate_forms[p, t]
            b0 = m[0, 0] * x + m[0, 1] * y + m[0, 2]
            b1 = m[1, 0] * x + m[1, 1] * y + m[1, 2]
            b2 = m[2, 0] * x + m[2, 1] * y + m[2, 2]
            if b0 < 0 or b1 < 0 or b2 < 0 or b0 + b1 + b2 <= limit:
                continue
            if (
                k.cutout[other]
                and cutout_alpha(
                    other, x, y, k.pair_start, k.pair_plate, k.plate_maps[p], k.canvas, k.matte, k.matte_at
                )
                < 0.5
            ):
                continue
            return True
    return False


@njit(cache=True, error_model="numpy", inline="always")
def hidden(k, n, u, v):  # type: ignore[no-untyped-def]
    """Whether another face stands between the plate's camera and pair n's point at picture pixel (u, v).

    The plate's own raster decides at once where its surroundings show one face; near borders the triangles that
    stand there are tested exactly.
    """
    p, face = k.pair_plate[n], k.pair_face[n]
    x, y = u * k.scale[p, 0], v * k.scale[p, 1]
    i = min(max(int(x), 0), k.code_size[p, 0] - 1)
    j = min(max(int(y), 0), k.code_size[p, 1] - 1)
    code = k.blocks[k.block_at[p] + (j // BLOCK) * k.block_size[p] + i // BLOCK]
    if code == MIXED:
        code = k.codes[k.code_at[p] + j * k.code_size[p, 0] + i]
    result = False
    if code != -1 and not (code >= 0 and k.tri_face[code] == face):
        limit = (k.pair_depth[n, 0] * x + k.pair_depth[n, 1] * y + k.pair_depth[n, 2]) * (1 + NEARER)
        if code >= 0:
            o = k.tri_face[code]
            near = k.plate_depths[p, o, 0] * x + k.plate_depths[p, o, 1] * y + k.plate_depths[p, o, 2]
            result = near > limit
        else:
            result = hidden_at_border(k, p, face, x, y, limit, i, j)
    return result


@njit(cache=True, error_model="numpy", inline="always")
def reach(k, n, x, y):  # type: ignore[no-untyped-def]
    """How pair n fares at a view's pixel: status, picture x, picture y, one over the homogeneous third component."""
    if x < k.boxes[n, 0] or y < k.boxes[n, 1] or x > k.boxes[n, 2] or y > k.boxes[n, 3]:
        return OUTSIDE, 0.0, 0.0, 0.0
    w = k.maps[n, 2, 0] * x + k.maps[n, 2, 1] * y + k.maps[n, 2, 2]
    if w <= 0:
        return OUTSIDE, 0.0, 0.0, 0.0
    p = k.pair_plate[n]
    nearness = 1.0 / w
    u = (k.maps[n, 0, 0] * x + k.maps[n, 0, 1] * y + k.maps[n, 0, 2]) * nearness
    v = (k.maps[n, 1, 0] * x + k.maps[n, 1, 1] * y + k.maps[n, 1, 2]) * nearness
    if u < 0 or v < 0 or u >= k.canvas[p, 4] or v >= k.canvas[p, 5]:
        return OUTSIDE, u, v, nearness
    if k.matte_at[p] >= 0 and matte_value(k.matte, k.matte_at[p], k.canvas[p, 4], k.canvas[p, 5], u, v) < 0.5:
        return MATTE, u, v, nearness
    if not k.pair_front[n]:
        return BACK, u, v, nearness
    if hidden(k, n, u, v):
        return HIDDEN, u, v, nearness
    return REACHED, u, v, nearness


@njit(cache=True, error_model="numpy", inline="always")
def judge(k, face, x, y):  # type: ignore[no-untyped-def]
    """Verdict, pair (−1 for none), stretch, magnification and picture pixel at a pixel that shows a face."""
    for n in range(k.pair_start[face], k.pair_start[face + 1]):
        status, u, v, nearness = reach(k, n, x, y)
        unseen = status == HIDDEN or status == BACK
        if status == REACHED or (unseen and not k.pair_occlusion[n]):
            a, b, c, d = jacobian(k.maps, n, u, v, nearness)
            s1, s2 = singular_values(a, b, c, d)
            inverse = 1.0 / max(s2, 1e-12)
            stretch, magnification = s1 * inverse, k.unit * inverse
            verdict = SOUND
            if unseen:
                verdict = SPILLED
            elif stretch > k.limits[face, 0]:
                verdict = SMEARED
            elif magnification > k.limits[face, 1]:
                verdict = SOFT
            return verdict, n, stretch, magnification, u, v
    return BARE, -1, 0.0, 0.0, 0.0, 0.0


@njit(cache=True, error_model="numpy", parallel=True)
def measure(nearest, k):  # type: ignore[no-untyped-def]
    """Verdict (H, W) uint8, pair (H, W) int32, stretch and magnification (H, W) float32 of a rasterised view."""
    height, width = nearest.shape
    verdict = np.empty((height, width), dtype=np.uint8)
    pair = np.empty((height, width), dtype=np.int32)
    stretch = np.empty((height, width), dtype=np.float32)
    magnification = np.empty((height, width), dtype=np.float32)
    # rows far apart go to one thread, so that sky and ground are shared out evenly
    stripes = (height + STRIPES - 1) // STRIPES
    for i in prange(stripes * STRIPES):
        row = (i % STRIPES) * stripes + i // STRIPES
        if row >= height:
            continue
        for col in range(width):
            t = nearest[row, col]
            worst, n, s, m = VOID, -1, 0.0, 0.0
            if t >= 0:
                worst, n, s, m, _, _ = judge(k, k.tri_face[t], col + 0.5, row + 0.5)
            verdict[row, col] = worst
            pair[row, col] = n
            stretch[row, col] = s
            magnification[row, col] = m
    return verdict, pair, stretch, magnification


@njit(cache=True, error_model="numpy")
def tally(nearest, verdict, pair, tri_face, pair_plate, faces, plates):  # type: ignore[no-untyped-def]
    """Pixels by face, plate (last: none) and verdict, (F, P + 1, 6); void pixels are not in it."""
    out = np.zeros((faces, plates + 1, 6), dtype=np.int64)
    for row in range(nearest.shape[0]):
        for col in range(nearest.shape[1]):
            t = nearest[row, col]
            if t >= 0:
                n = pair[row, col]
                out[tri_face[t], pair_plate[n] if n >= 0 else plates, verdict[row, col]] += 1
    return out
