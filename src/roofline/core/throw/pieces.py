"""Faces as convex pieces.

A face whose triangles are a fan without a hollow is one piece; of any other, each triangle is one. In a view, a convex
piece is where the linear forms of its edges are all ≥ 0.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

SLACK = 1e-7  # pixels by which spans grow, so that no pixel falls between two pieces of one face


class Pieces(NamedTuple):
    """Q convex pieces with V corners altogether; a face's pieces stand together."""

    corners: Any  # (V, 3) world; a piece's turn to the left as seen against its face's normal
    first: Any  # (Q + 1,) where a piece's corners begin
    face: Any  # (Q,)
    start: Any  # (F + 1,) where a face's pieces begin
    sides: Any  # the most that a piece has


@njit(cache=True, error_model="numpy", inline="always")
def cross(a, b, out):  # type: ignore[no-untyped-def]
    """Cross product into out (3,)."""
    out[0] = a[1] * b[2] - a[2] * b[1]
    out[1] = a[2] * b[0] - a[0] * b[2]
    out[2] = a[0] * b[1] - a[1] * b[0]


@njit(cache=True, error_model="numpy")
def _turn(normal, a, b, c):  # type: ignore[no-untyped-def]
    """Whether the way a, b, c turns to the left as seen against a normal; all (3,)."""
    turn = 0.0
    for i in range(3):
        j, k = (i + 1) % 3, (i + 2) % 3
        turn += normal[i] * ((b[j] - a[j]) * (c[k] - b[k]) - (b[k] - a[k]) * (c[j] - b[j]))
    return turn > 0


@njit(cache=True, error_model="numpy")
def _taken_apart(triangles, tri_face, normals):  # type: ignore[no-untyped-def]
    """Corners, first corners and faces of the pieces of triangles (T, 3, 3), a face's triangles standing together."""
    count = len(tri_face)
    corners = np.empty((3 * count, 3))
    first, faces = np.zeros(count + 1, dtype=np.int64), np.empty(count, dtype=np.int32)
    pieces, used, end = 0, 0, 0
    while end < count:
        start = end
        face = tri_face[start]
        normal = normals[face]
        end += 1
        fan = True
        while end < count and tri_face[end] == face:
            for i in range(3):
                fan &= triangles[end, 0, i] == triangles[start, 0, i]
                fan &= triangles[end, 1, i] == triangles[end - 1, 2, i]
            fan &= _turn(normal, triangles[end - 1, 1], triangles[end, 1], triangles[end, 2])
            end += 1
        fan &= _turn(normal, triangles[end - 1, 2], triangles[start, 0], triangles[start, 1])
        for t in range(start, end):
            a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
            if fan and t > start:
                corners[used] = c
                used += 1
            elif fan or _turn(normal, a, b, c):  # a triangle without an area covers nothing
                corners[used], corners[used + 1], corners[used + 2] = a, b, c
                used += 3
            else:
                continue
            if not fan or t == end - 1:
                faces[pieces] = face
                pieces += 1
                first[pieces] = used
    return corners[:used].copy(), first[: pieces + 1].copy(), faces[:pieces].copy()


def pieces_of(triangles: NDArray[np.float64], tri_face: NDArray[np.int32], normals: NDArray[np.float64]) -> Pieces:
    """Faces with normals (F, 3), given as triangles (T, 3, 3) of faces (T,), taken apart into convex pieces."""
    corners, first, face = _taken_apart(triangles, tri_face, normals)
    start = np.searchsorted(face, np.arange(len(normals) + 1))
    return Pieces(corners, first, face, start, int(np.diff(first).max(initial=0)))


@njit(cache=True, error_model="numpy")
def bound(corners, first, last, width, height, box):  # type: ignore[no-untyped-def]
    """Pixel box x0, y0, x1, y1 (exclusive) of the convex piece with homogeneous corners [first, last), cut to a size.

    Only what has a positive third component counts: an edge that passes through zero goes to infinity, and takes the
    box along.
    """
    x0, y0, x1, y1 = np.inf, np.inf, -np.inf, -np.inf
    behind = False
    for i in range(first, last):
        w = corners[i, 2]
        if w > 0:
            x, y = corners[i, 0] / w, corners[i, 1] / w
            x0, y0, x1, y1 = min(x0, x), min(y0, y), max(x1, x), max(y1, y)
        else:
            behind = True
    if x0 <= x1 and behind:
        for i in range(first, last):
            j = i + 1 if i + 1 < last else first
            w, v = corners[i, 2], corners[j, 2]
            if (w > 0) != (v > 0):
                part = w / (w - v)
                x = corners[i, 0] + part * (corners[j, 0] - corners[i, 0])
                y = corners[i, 1] + part * (corners[j, 1] - corners[i, 1])
                x0, x1 = (-np.inf if x <= 0 else x0), (np.inf if x >= 0 else x1)
                y0, y1 = (-np.inf if y <= 0 else y0), (np.inf if y >= 0 else y1)
    box[0], box[1] = max(0.0, min(width, np.floor(x0 - 1))), max(0.0, min(height, np.floor(y0 - 1)))
    box[2], box[3] = max(0.0, min(width, np.ceil(x1 + 1))), max(0.0, min(height, np.ceil(y1 + 1)))


@njit(cache=True, error_model="numpy")
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
        at = 4 * i
        lo = max(lo, edges[np.uintp(at)] * y + edges[np.uintp(at + 1)])
        hi = min(hi, edges[np.uintp(at + 2)] * y + edges[np.uintp(at + 3)])
    return int(min(np.ceil(lo), x1)), int(max(np.floor(hi), x0 - 1)) + 1


@njit(cache=True, error_model="numpy")
def boxes_of(boxes, group, members, count):  # type: ignore[no-untyped-def]
    """Boxes (count, 4) around those (K × 4) of each group's K members (K,); those that are empty count for nothing."""
    out = np.empty((count, 4), dtype=np.int32)
    out[:, :2], out[:, 2:] = 2**31 - 1, -1
    for t in range(members):
        x0, y0, x1, y1 = boxes[4 * t], boxes[4 * t + 1], boxes[4 * t + 2], boxes[4 * t + 3]
        if x0 < x1 and y0 < y1:
            g = group[t]
            out[g, 0], out[g, 1] = min(out[g, 0], x0), min(out[g, 1], y0)
            out[g, 2], out[g, 3] = max(out[g, 2], x1), max(out[g, 3], y1)
    return out
