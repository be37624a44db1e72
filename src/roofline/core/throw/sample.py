"""Pictures: sampling plates with a proper footprint and laying the surfaces over one another.

Plates are float32 RGBA in linear light, premultiplied, with a pyramid; see `footprint` for how they are filtered. Where
faces meet within a pixel, each is looked up once, at the pixel's centre, and has the share that it covers: seen from
where the plate was taken, the pixel is then what the plate alone would give.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from roofline.core.throw.cast import open_cast
from roofline.core.throw.footprint import SPACE, empty, sample
from roofline.core.throw.hidden import hidden
from roofline.core.throw.lent import lent, write_table
from roofline.core.throw.mattes import linear
from roofline.core.throw.measure import BACK, HIDDEN, MATTE, OUTSIDE, REACHED, jacobian, reach
from roofline.core.throw.threads import ALONE, side_by_side

TILE = 32  # pixels: what a tile shows stays in the cache
NOTHING = np.float32(1e-6)  # of the light behind: where less comes through, that is not looked up


@njit(cache=True, error_model="numpy", inline="always")
def clear(out):  # type: ignore[no-untyped-def]
    """Write zeros to out (4,)."""
    for i in range(4):
        out[i] = 0.0


@njit(cache=True, error_model="numpy")
def unseen(cast, n, face, u, v):  # type: ignore[no-untyped-def]
    """Whether pair n's plate cannot see its face at picture pixel (u, v)."""
    table, cast = cast, open_cast(cast)
    p = np.int64(cast.pair_plate[n])
    return not cast.pair_front[n] or hidden(table, p, n, face, u * cast.scale[2 * p], v * cast.scale[2 * p + 1])


@njit(cache=True, error_model="numpy")
def shade(cast, tex, face, x, y, dx, dy, room, out, one):  # type: ignore[no-untyped-def]
    """Colour of an opaque face at a view's pixel, premultiplied; transparent where it is bare.

    Throws in reach at (x + dx, y + dy) lie over one another in order, by their mattes; what they leave uncovered is
    filled up in proportion, so that a feathered border of the last plate does not let the paper through. The plates
    are looked up at (x, y).
    """
    table, cast = cast, open_cast(cast)
    clear(out)
    for n in range(cast.pair_start[face], cast.pair_start[face + 1]):
        status, u, v, nearness = reach(table, n, x + dx, y + dy)
        if status == OUTSIDE:
            continue
        if (status == HIDDEN or status == BACK) and cast.pair_occlusion[n]:
            continue
        a, b, c, d = jacobian(cast, n, u, v, nearness)
        if status == MATTE and empty(tex, cast.pair_plate[n], u, v, a, b, c, d):
            continue
        if status == MATTE and cast.pair_occlusion[n] and unseen(table, n, face, u, v):
            continue
        sample(tex, cast.pair_plate[n], u - a * dx - b * dy, v - c * dx - d * dy, a, b, c, d, room, one)
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
def cut_colour(cast, tex, face, x, y, room, out):  # type: ignore[no-untyped-def]
    """Colour and alpha of a cut-out at a pixel: its first throw whose canvas covers the point and that sees it."""
    table, cast = cast, open_cast(cast)
    clear(out)
    for n in range(cast.pair_start[face], cast.pair_start[face + 1]):
        status, u, v, nearness = reach(table, n, x, y)
        if status == OUTSIDE:
            continue
        if status == REACHED or status == MATTE or not cast.pair_occlusion[n]:
            a, b, c, d = jacobian(cast, n, u, v, nearness)
            if status == REACHED or not empty(tex, cast.pair_plate[n], u, v, a, b, c, d):
                sample(tex, cast.pair_plate[n], u, v, a, b, c, d, room, out)
        break


@njit(cache=True, error_model="numpy", inline="always")
def covered(sub, quarter):  # type: ignore[no-untyped-def]
    """Of the face in a pixel's quarter: in how many quarters it is, and how far their middle lies from the pixel's.

    No quarters when there is none, or when an earlier quarter has it too.
    """
    parts, dx, dy = 0, 0.0, 0.0
    for other in range(4):
        if sub[other] == sub[quarter]:
            if other < quarter or sub[quarter] < 0:
                return 0, 0.0, 0.0
            parts += 1
            dx += -0.25 + 0.5 * (other % 2)
            dy += -0.25 + 0.5 * (other // 2)
    return parts, dx / parts, dy / parts


@njit(cache=True, error_model="numpy")
def cut_outs(cast, cut, col, row, hits, near):  # type: ignore[no-untyped-def]
    """Write the pieces of ``cut`` that lie over a pixel's centre to hits, the nearest first, and their inverse depths
    to near; returns how many."""
    table, cast = cast, open_cast(cast)
    count, last = 0, -1
    for c in range(cut.shape[0]):
        q = cut[c]
        if col < cast.piece_boxes[4 * q] or col >= cast.piece_boxes[4 * q + 2]:
            continue
        if row < cast.piece_boxes[4 * q + 1] or row >= cast.piece_boxes[4 * q + 3]:
            continue
        inv = inside(table, q, col + 0.5, row + 0.5)
        if inv <= 0 or cast.piece_face[q] == last:  # where two pieces of a face meet, both have the pixel
            continue
        at, last = count, cast.piece_face[q]
        while at > 0 and near[at - 1] < inv:
            hits[at], near[at] = hits[at - 1], near[at - 1]
            at -= 1
        hits[at], near[at] = q, inv
        count += 1
    return count


@njit(cache=True, error_model="numpy")
def before(cast, sub, face, x, y):  # type: ignore[no-untyped-def]
    """In which share of a pixel a cut-out's face lies before the opaque faces of the quarters."""
    cast = open_cast(cast)
    seen = 0.0
    for quarter in range(4):
        sx, sy = x - 0.25 + 0.5 * (quarter % 2), y - 0.25 + 0.5 * (quarter // 2)
        if sub[quarter] < 0 or (linear(cast.depths, 3 * face, sx, sy) > linear(cast.depths, 3 * sub[quarter], sx, sy)):
            seen += 0.25
    return seen


@njit(cache=True, error_model="numpy")
def paint_tile(nearest2, cut, opacity, cast, tex, top, left, room, acc, one, out):  # type: ignore[no-untyped-def]
    """One tile of `paint`: what lies nearest first, and what is behind only as far as that lets it through."""
    table, cast = cast, open_cast(cast)
    height, width = out.shape[:2]
    sub = np.zeros(4, dtype=np.int64)
    hits = np.zeros(cut.size, dtype=np.int64)  # all of them may lie over one pixel
    near = np.zeros(cut.size)
    for row in range(top, min(top + TILE, height)):
        for col in range(left, min(left + TILE, width)):
            for quarter in range(4):
                sub[quarter] = nearest2[2 * row + quarter // 2, 2 * col + quarter % 2]
            x, y = col + 0.5, row + 0.5
            through = np.float32(1)
            for c in range(cut_outs(table, cut, col, row, hits, near)):
                face = cast.piece_face[hits[c]]
                seen = before(table, sub, np.int64(face), x, y)
                if seen > 0:
                    cut_colour(table, tex, face, x, y, room, acc)
                    share = np.float32(seen) * opacity[face]
                    for i in range(4):
                        out[row, col, i] += through * share * acc[i]
                    through *= 1 - share * acc[3]
                    if through < NOTHING:
                        break
            if through < NOTHING:
                continue
            for quarter in range(4):
                parts, dx, dy = covered(sub, quarter)
                if parts > 0:
                    shade(table, tex, sub[quarter], x, y, dx, dy, room, acc, one)
                    for i in range(4):
                        out[row, col, i] += through * acc[i] * np.float32(0.25 * parts)


@njit(cache=True, nogil=True, error_model="numpy")
def paint_tiles(nearest2, cut, opacity, cast, tex, begin, end, out):  # type: ignore[no-untyped-def]
    """Rows of tiles [begin, end) of `paint`."""
    acc, one = np.zeros(4, dtype=np.float32), np.zeros(4, dtype=np.float32)
    words, room = np.empty(len(cast), np.int64), np.empty(SPACE, np.float32)
    write_table(lent(cast), words)
    table, tex, nearest2, out = lent(words), lent(tex), lent(nearest2), lent(out)
    for band in range(begin, end):
        for left in range(0, out.shape[1], TILE):
            paint_tile(nearest2, cut, opacity, table, tex, band * TILE, left, lent(room), lent(acc), lent(one), out)
    return len(words) + len(room) + len(acc) + len(one)  # what is lent is let go of after its last mention


def paint(
    nearest2: NDArray[np.int32], cut: NDArray[np.int64], opacity: NDArray[np.float32], cast: Any, tex: Any
) -> NDArray[np.float32]:
    """Picture (H, W, 4) float32, premultiplied linear, of a view.

    ``nearest2`` (2H, 2W): nearest opaque face on a grid twice as fine; ``cut``: pieces of cut-outs, laid over back to
    front, by the ``opacity`` of their faces (F,); ``cast``: the view's cast.
    """
    out = np.zeros((nearest2.shape[0] // 2, nearest2.shape[1] // 2, 4), dtype=np.float32)
    shared, bands = out.shape[0] * out.shape[1] > ALONE // 4, -(-out.shape[0] // TILE)
    side_by_side(lambda begin, end: paint_tiles(nearest2, cut, opacity, cast, tex, begin, end, out), bands, shared)
    return out
