"""Pictures: sampling plates with a proper footprint and laying the surfaces over one another.

Plates are float32 RGBA in linear light, premultiplied, with a mip pyramid. A delivered pixel's footprint in the
plate is the ellipse of its Jacobian: several trilinear samples along the longer axis (Heckbert 1989; the usual
approximation by probes along the axis), bicubic where the plate is enlarged.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from roofline.core.throw.cast import open_cast
from roofline.core.throw.hidden import hidden
from roofline.core.throw.lent import lent, write_table
from roofline.core.throw.mattes import linear
from roofline.core.throw.measure import BACK, HIDDEN, MATTE, OUTSIDE, REACHED, jacobian, reach
from roofline.core.throw.threads import ALONE, side_by_side

MAX_PROBES = 16
STRIPES = 16


@njit(cache=True, error_model="numpy", inline="always")
def clear(out):  # type: ignore[no-untyped-def]
    """Write zeros to out (4,)."""
    for i in range(4):
        out[i] = 0.0


@njit(cache=True, error_model="numpy")
def bilinear(tex, level, x, y, weight, out):  # type: ignore[no-untyped-def]
    """Add weight times the bilinear sample of a level at its pixel (x, y) to out (4,)."""
    w, h = tex.level_size[2 * level], tex.level_size[2 * level + 1]
    u = min(max(x - 0.5, 0.0), w - 1.0)
    v = min(max(y - 0.5, 0.0), h - 1.0)
    i, j = int(u), int(v)
    i2, j2 = min(i + 1, w - 1), min(j + 1, h - 1)
    fu, fv = np.float32(u - i), np.float32(v - j)
    at = tex.level_at[level]
    one = np.float32(1)
    wt = np.float32(weight)
    a, b = wt * (one - fu) * (one - fv), wt * fu * (one - fv)
    c, d = wt * (one - fu) * fv, wt * fu * fv
    p, q, r, s = at + j * w + i, at + j * w + i2, at + j2 * w + i, at + j2 * w + i2
    for n in range(4):
        out[n] += (
            a * tex.texels[4 * p + n]
            + b * tex.texels[4 * q + n]
            + c * tex.texels[4 * r + n]
            + d * tex.texels[4 * s + n]
        )


@njit(cache=True, error_model="numpy", inline="always")
def cubic_weights(f):  # type: ignore[no-untyped-def]
    """Catmull–Rom weights of four neighbours at a fraction 0…1, float32."""
    half, one = np.float32(0.5), np.float32(1)
    three, four, five = np.float32(3), np.float32(4), np.float32(5)
    return (
        half * f * (f * (one + one - f) - one),
        half * (f * f * (three * f - five) + one + one),
        half * f * (f * (four - three * f) + one),
        half * f * f * (f - one),
    )


@njit(cache=True, error_model="numpy")
def bicubic(tex, level, x, y, out):  # type: ignore[no-untyped-def]
    """Add the bicubic sample to out (4,); kept from undershooting below zero."""
    w, h = tex.level_size[2 * level], tex.level_size[2 * level + 1]
    u, v = x - 0.5, y - 0.5
    i, j = int(np.floor(u)), int(np.floor(v))
    x0, x1, x2, x3 = cubic_weights(np.float32(u - i))
    wy = cubic_weights(np.float32(v - j))
    at = tex.level_at[level]
    c0, c1 = min(max(i - 1, 0), w - 1), min(max(i, 0), w - 1)
    c2, c3 = min(max(i + 1, 0), w - 1), min(max(i + 2, 0), w - 1)
    r = g = b = a = np.float32(0)
    for dj in range(4):
        row = at + min(max(j + dj - 1, 0), h - 1) * w
        p, q, s, t, k = row + c0, row + c1, row + c2, row + c3, wy[dj]
        texels = tex.texels
        r += k * (x0 * texels[4 * p + 0] + x1 * texels[4 * q + 0] + x2 * texels[4 * s + 0] + x3 * texels[4 * t + 0])
        g += k * (x0 * texels[4 * p + 1] + x1 * texels[4 * q + 1] + x2 * texels[4 * s + 1] + x3 * texels[4 * t + 1])
        b += k * (x0 * texels[4 * p + 2] + x1 * texels[4 * q + 2] + x2 * texels[4 * s + 2] + x3 * texels[4 * t + 2])
        a += k * (x0 * texels[4 * p + 3] + x1 * texels[4 * q + 3] + x2 * texels[4 * s + 3] + x3 * texels[4 * t + 3])
    out[0] += max(r, np.float32(0))
    out[1] += max(g, np.float32(0))
    out[2] += max(b, np.float32(0))
    out[3] += max(a, np.float32(0))


@njit(cache=True, error_model="numpy")
def sample(tex, plate, u, v, a, b, c, d, out):  # type: ignore[no-untyped-def]
    """Write the plate's filtered colour at picture pixel (u, v) with Jacobian [[a, b], [c, d]] to out (4,)."""
    clear(out)
    xx, xy, yy = a * a + b * b, a * c + b * d, c * c + d * d
    mean, gap = 0.5 * (xx + yy), np.sqrt(0.25 * (xx - yy) ** 2 + xy * xy)
    major, minor = np.sqrt(mean + gap), np.sqrt(max(mean - gap, 0.0))
    base = tex.first[plate]
    if major <= 1.0 + 1e-9:
        bicubic(tex, base, u, v, out)
        return
    probes = int(min(np.ceil(major / max(minor, 1.0) - 1e-6), MAX_PROBES))
    # each probe is as wide as the footprint's shorter axis: narrower ones would miss what lies between their rows
    lod = max(np.log2(max(minor, major / probes)), 0.0)
    top = tex.first[plate + 1] - base - 1
    low = min(int(lod), top)
    high = min(low + 1, top)
    blend = min(lod - low, 1.0)
    # the longer axis: the eigenvector of J Jᵀ, from whichever of its rows is the larger
    half = 0.5 * (xx - yy)
    ex, ey = (gap + half, xy) if half >= 0 else (xy, gap - half)
    norm = np.sqrt(ex * ex + ey * ey)
    if norm > 0:
        ex, ey = ex / norm, ey / norm
    full_w, full_h = tex.level_size[2 * base], tex.level_size[2 * base + 1]
    for i in range(probes):
        t = ((i + 0.5) / probes - 0.5) * major
        x, y = u + ex * t, v + ey * t
        for level, share in ((low, 1.0 - blend), (high, blend)):
            if share > 0:
                n = base + level
                bilinear(
                    tex,
                    n,
                    x * tex.level_size[2 * n] / full_w,
                    y * tex.level_size[2 * n + 1] / full_h,
                    share / probes,
                    out,
                )


@njit(cache=True, error_model="numpy")
def unseen(cast, n, face, u, v):  # type: ignore[no-untyped-def]
    """Whether pair n's plate cannot see its face at picture pixel (u, v)."""
    table, cast = cast, open_cast(cast)
    p = np.int64(cast.pair_plate[n])
    return not cast.pair_front[n] or hidden(table, p, n, face, u * cast.scale[2 * p], v * cast.scale[2 * p + 1])


@njit(cache=True, error_model="numpy")
def shade(cast, tex, face, x, y, out, one):  # type: ignore[no-untyped-def]
    """Colour of an opaque face at a view's pixel, premultiplied; transparent where it is bare.

    Throws in reach lie over one another in order, by their mattes; what they leave uncovered is filled up in
    proportion, so that a feathered border of the last plate does not let the paper through.
    """
    table, cast = cast, open_cast(cast)
    clear(out)
    for n in range(cast.pair_start[face], cast.pair_start[face + 1]):
        status, u, v, nearness = reach(table, n, x, y)
        if status == OUTSIDE:
            continue
        if status == MATTE and cast.pair_occlusion[n] and unseen(table, n, face, u, v):
            continue
        if (status == HIDDEN or status == BACK) and cast.pair_occlusion[n]:
            continue
        a, b, c, d = jacobian(cast, n, u, v, nearness)
        sample(tex, cast.pair_plate[n], u, v, a, b, c, d, one)
        rest = np.float32(1) - out[3]
        for i in range(4):
            out[i] += rest * one[i]
        if out[3] > 0.999:
            break
    if out[3] < 0.5:
        clear(out)
    else:
        for i in range(3):
            out[i] /= out[3]
        out[3] = 1.0


@njit(cache=True, error_model="numpy")
def inside(cast, q, x, y):  # type: ignore[no-untyped-def]
    """Inverse depth of piece q at a pixel, or 0 outside of it."""
    cast = open_cast(cast)
    result = linear(cast.depths, 3 * cast.piece_face[q], x, y)
    for e in range(cast.first[q], cast.first[q + 1]):
        if linear(cast.edges, 3 * e, x, y) < 0:
            result = 0.0
    return result


@njit(cache=True, error_model="numpy")
def cut_colour(cast, tex, face, x, y, out):  # type: ignore[no-untyped-def]
    """Colour and alpha of a cut-out at a pixel: its first throw whose canvas covers the point and that sees it."""
    table, cast = cast, open_cast(cast)
    clear(out)
    for n in range(cast.pair_start[face], cast.pair_start[face + 1]):
        status, u, v, nearness = reach(table, n, x, y)
        if status == OUTSIDE:
            continue
        if status == REACHED or status == MATTE or not cast.pair_occlusion[n]:
            a, b, c, d = jacobian(cast, n, u, v, nearness)
            sample(tex, cast.pair_plate[n], u, v, a, b, c, d, out)
        break


@njit(cache=True, error_model="numpy")
def paint_rows(nearest2, cut, cast, tex, first_row, acc, one, out):  # type: ignore[no-untyped-def]
    """Every sixteenth row of `paint`."""
    table, cast = cast, open_cast(cast)
    height, width = out.shape[:2]
    sub = np.zeros(4, dtype=np.int64)
    hits = np.zeros(cut.size, dtype=np.int64)  # all of them may lie over one pixel
    near = np.zeros(cut.size)
    for row in range(first_row, height, STRIPES):
        for col in range(width):
            for quarter in range(4):
                sub[quarter] = nearest2[2 * row + quarter // 2, 2 * col + quarter % 2]
            x, y = col + 0.5, row + 0.5
            whole = sub[0] == sub[1] and sub[0] == sub[2] and sub[0] == sub[3]
            parts = 1 if whole else 4
            for quarter in range(parts):
                if sub[quarter] >= 0:
                    dx = 0.0 if whole else -0.25 + 0.5 * (quarter % 2)
                    dy = 0.0 if whole else -0.25 + 0.5 * (quarter // 2)
                    shade(table, tex, sub[quarter], x + dx, y + dy, acc, one)
                    for i in range(4):
                        out[row, col, i] += acc[i] / np.float32(parts)
            count = 0
            for c in range(cut.shape[0]):
                q = cut[c]
                if col < cast.piece_boxes[4 * q] or col >= cast.piece_boxes[4 * q + 2]:
                    continue
                if row < cast.piece_boxes[4 * q + 1] or row >= cast.piece_boxes[4 * q + 3]:
                    continue
                inv = inside(table, q, x, y)
                face = cast.piece_face[q]
                if inv <= 0 or (count > 0 and cast.piece_face[hits[count - 1]] == face):
                    continue
                at = count
                while at > 0 and near[at - 1] > inv:
                    hits[at], near[at] = hits[at - 1], near[at - 1]
                    at -= 1
                hits[at], near[at] = q, inv
                count += 1
            for c in range(count):
                face = cast.piece_face[hits[c]]
                seen = 0.0
                for quarter in range(4):
                    other = sub[quarter]
                    if other < 0:
                        seen += 0.25
                    else:
                        sx, sy = x - 0.25 + 0.5 * (quarter % 2), y - 0.25 + 0.5 * (quarter // 2)
                        if near[c] > linear(cast.depths, 3 * other, sx, sy):
                            seen += 0.25
                if seen > 0:
                    cut_colour(table, tex, face, x, y, acc)
                    rest = 1 - acc[3] * np.float32(seen)
                    for i in range(4):
                        out[row, col, i] = acc[i] * np.float32(seen) + rest * out[row, col, i]


@njit(cache=True, nogil=True, error_model="numpy")
def paint_stripes(nearest2, cut, cast, tex, begin, end, out):  # type: ignore[no-untyped-def]
    """Stripes [begin, end) of `paint`: each is every sixteenth row."""
    acc, one = np.zeros(4, dtype=np.float32), np.zeros(4, dtype=np.float32)
    room = np.empty(len(cast), np.int64)
    write_table(lent(cast), room)
    table, tex, nearest2, out = lent(room), lent(tex), lent(nearest2), lent(out)
    for stripe in range(begin, end):
        paint_rows(nearest2, cut, table, tex, stripe, lent(acc), lent(one), out)
    return len(room) + len(acc) + len(one)  # what is lent is let go of after its last mention


def paint(nearest2: NDArray[np.int32], cut: NDArray[np.int64], cast: Any, tex: Any) -> NDArray[np.float32]:
    """Picture (H, W, 4) float32, premultiplied linear, of a view.

    ``nearest2`` (2H, 2W): nearest opaque face on a grid twice as fine; ``cut``: pieces of cut-outs, laid over back to
    front; ``cast``: the view's cast.
    """
    out = np.zeros((nearest2.shape[0] // 2, nearest2.shape[1] // 2, 4), dtype=np.float32)
    shared = out.shape[0] * out.shape[1] > ALONE // 4
    side_by_side(lambda begin, end: paint_stripes(nearest2, cut, cast, tex, begin, end, out), STRIPES, shared)
    return out
