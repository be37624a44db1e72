"""Shadows: where on a face others stand before it as a plate's camera sees it, exactly, as spans of a view's rows.

What a convex piece hides of a face from the plate's camera is bounded by straight lines: the piece's own edges and the
line where its plane meets the face's. On the face's plane, and so in any view of it, each of them is a linear form of
the pixel. Which pieces can hide anything of a face at all is found once for a scene; a view turns their edges into
slopes, and every row of it takes the spans from there.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from roofline.core.throw.cells import CUT
from roofline.core.throw.lent import lent
from roofline.core.throw.raster import bound, cross, edge_of, solid_at
from roofline.core.throw.scene import Scene
from roofline.core.throw.sight import NEARER, cell_at, hidden, line_pixel

MOST = 256  # shadows on one face; where more fall, and on dense meshes, every pixel takes a look of its own
EFFORT = 30_000_000  # pairs of a face and a piece that are looked at for one plate
SIDES = 64  # a face of more triangles is taken triangle by triangle
LIT, SHADED, CUT_AWAY, TAKEN = range(4)  # how a plate's light falls on a pixel, and whether one before it has it


class Shadows(NamedTuple):
    """N pairs of a face and a plate, S shadows, E edges of them all."""

    looked: Any  # (N,) the pair is looked at pixel by pixel instead
    slot: Any  # (N,) number among the pairs that have shadows, −1 for those that have none
    slots: Any  # how many pairs have shadows
    pair: Any  # (S,)
    face: Any  # (S,) what throws it
    first_edge: Any  # (S + 1,) where the piece's edges begin
    edge: Any  # (E,) 3 t + i: the triangle's form that is not negative on the inner side


class Spans(NamedTuple):
    """The shadows in one view."""

    looked: Any  # (N,)
    slot: Any  # (N,)
    slots: Any
    pair: Any  # (S,)
    face: Any  # (S,)
    rows: Any  # (S × 2) rows from, to (exclusive) on which it may fall
    first: Any  # (S + 1,) where its rows' spans begin
    low: Any  # (…,) on each of its rows, the least x …
    high: Any  # (…,) … and the most of the pixels that it covers
    canvas: Any  # (N × 5 × 4) five edges around what a pair's canvas covers, see `edge_of`


@njit(cache=True, error_model="numpy", inline="always")
def lend_spans(s):  # type: ignore[no-untyped-def]
    """The spans with their arrays lent."""
    return Spans(
        lent(s.looked),
        lent(s.slot),
        s.slots,
        lent(s.pair),
        lent(s.face),
        lent(s.rows),
        lent(s.first),
        lent(s.low),
        lent(s.high),
        lent(s.canvas),
    )


@njit(cache=True, error_model="numpy", inline="always")
def _turn(normal, a, b, c):  # type: ignore[no-untyped-def]
    """Whether the way a, b, c turns to the left as seen against a normal; all (3,)."""
    turn = 0.0
    for i in range(3):
        j, k = (i + 1) % 3, (i + 2) % 3
        turn += normal[i] * ((b[j] - a[j]) * (c[k] - b[k]) - (b[k] - a[k]) * (c[j] - b[j]))
    return turn > 0


@njit(cache=True, error_model="numpy")
def _pieces(corners, tri_face, normals):  # type: ignore[no-untyped-def]
    """Convex pieces of all faces: where their edges begin (Q + 1,), the edges, the faces (Q,); each triangle's piece.

    A face's triangles stand together. One whose triangles are a fan without a hollow is one piece; of any other, each
    triangle is one. Edge 3 t + i is the one of triangle t that its corner i does not touch.
    """
    count = len(tri_face)
    first, edge = np.zeros(count + 1, dtype=np.int64), np.empty(3 * count, dtype=np.int64)
    owner, piece = np.empty(count, dtype=np.int32), np.empty(count, dtype=np.int32)
    pieces, edges, end = 0, 0, 0
    while end < count:
        start = end
        face = tri_face[start]
        end += 1
        fan = True
        while end < count and tri_face[end] == face:
            for i in range(3):
                fan &= corners[end, 0, i] == corners[start, 0, i] and corners[end, 1, i] == corners[end - 1, 2, i]
            fan &= _turn(normals[face], corners[end - 1, 1], corners[end, 1], corners[end, 2])
            end += 1
        fan &= _turn(normals[face], corners[end - 1, 2], corners[start, 0], corners[start, 1])
        for t in range(start, end):
            for i in range(3):
                if not fan or i == 0 or (i == 2 and t == start) or (i == 1 and t == end - 1):
                    edge[edges] = 3 * t + i
                    edges += 1
            piece[t] = pieces
            if not fan or t == end - 1:
                owner[pieces] = face
                pieces += 1
                first[pieces] = edges
    return first[: pieces + 1], edge[:edges], owner[:pieces], piece


@njit(cache=True, error_model="numpy")
def boxes_of(boxes, group, count):  # type: ignore[no-untyped-def]
    """Boxes (count, 4) around those of each group's triangles."""
    out = np.empty((count, 4), dtype=np.int32)
    out[:, :2], out[:, 2:] = 2**31 - 1, -1
    for t in range(len(group)):
        if boxes[t, 0] < boxes[t, 2] and boxes[t, 1] < boxes[t, 3]:
            g = group[t]
            out[g, 0], out[g, 1] = min(out[g, 0], boxes[t, 0]), min(out[g, 1], boxes[t, 1])
            out[g, 2], out[g, 3] = max(out[g, 2], boxes[t, 2]), max(out[g, 3], boxes[t, 3])
    return out


@njit(cache=True, error_model="numpy", inline="always")
def _most(corners, normal, origin):  # type: ignore[no-untyped-def]
    """How far triangles (K, 3, 3) reach along a normal from an origin."""
    most = -np.inf
    for t in range(len(corners)):
        for i in range(3):
            c = corners[t, i]
            along = normal[0] * (c[0] - origin[0]) + normal[1] * (c[1] - origin[1]) + normal[2] * (c[2] - origin[2])
            most = max(most, along)
    return most


@njit(cache=True, error_model="numpy")
def _can_shade(piece, edges, face, normal, eye):  # type: ignore[no-untyped-def]
    """Whether a piece can hide anything of a face from an eye before it: no plane of the shadow leaves the face outside.

    ``piece``, ``face``: triangles (K, 3, 3); ``edges``: 3 t + i, counted in the piece; ``normal``: the face's.
    """
    gap = _most(face[:1], -normal, eye)
    if gap <= 0 or _most(piece, normal, eye) <= -gap * (1 - 0.5 * NEARER):
        return False
    plane, between = np.empty(3), np.empty((2, 3))
    a, b = piece[0, 1] - piece[0, 0], piece[0, 2] - piece[0, 0]
    cross(a, b, plane)
    plane *= np.sign(np.dot(plane, piece[0, 0] - eye))
    result = _most(face, plane, piece[0, 0]) > 0
    for e in edges:
        t, i = e // 3, e % 3
        between[0], between[1] = piece[t, (i + 1) % 3] - eye, piece[t, (i + 2) % 3] - eye
        cross(between[0], between[1], plane)
        plane *= np.sign(np.dot(plane, piece[t, i] - eye))
        result = result and _most(face, plane, eye) > 0
    return result


@njit(cache=True, parallel=True, error_model="numpy")
def _search(faces, shown, first, edge, owner, boxes, face_first, face_boxes, corners, normals, eye, at, out):  # type: ignore[no-untyped-def]
    """Number of shown pieces that may hide something of each face; those themselves into out, once `at` is given."""
    counts = np.zeros(len(faces), dtype=np.int64)
    for i in prange(len(faces)):
        f = faces[i]
        face = corners[face_first[f] : face_first[f + 1]]
        found = 0
        for q in shown:
            if (
                owner[q] == f
                or boxes[q, 0] >= face_boxes[f, 2]
                or boxes[q, 2] <= face_boxes[f, 0]
                or boxes[q, 1] >= face_boxes[f, 3]
                or boxes[q, 3] <= face_boxes[f, 1]
            ):
                continue
            edges = edge[first[q] : first[q + 1]]
            t0, t1 = edges[0] // 3, edges[-1] // 3 + 1
            if _can_shade(corners[t0:t1], edges - 3 * t0, face, normals[f], eye):
                if len(at) > 0:
                    out[at[i] + found] = q
                found += 1
        counts[i] = found
    return counts


def shadows(
    scene: Scene, shown: list[NDArray[np.int32]], boxes: list[NDArray[np.int32]], front: NDArray[np.bool_]
) -> Shadows:
    """What can throw a shadow on which face.

    ``shown``: for each plate, the triangles that show in its raster; ``boxes``: for each plate, the triangles' pixel
    boxes there (T, 4); ``front`` (N,): the face's front is towards the plate's camera.
    """
    pairs = len(scene.pair_plate)
    first, edge, owner, piece = _pieces(scene.corners, scene.tri_face, scene.normals)
    looked, counts = np.zeros(pairs, dtype=np.bool_), np.zeros(pairs, dtype=np.int64)
    found = []
    face_first = np.searchsorted(scene.tri_face, np.arange(len(scene.names) + 1))
    for p in range(len(scene.plates)):
        mine = np.flatnonzero((scene.pair_plate == p) & front)
        pieces = np.unique(piece[shown[p]])
        if len(mine) * len(pieces) > EFFORT:
            looked[mine] = True
            continue
        given = (
            pieces, first, edge, owner,
            boxes_of(boxes[p], piece, len(owner)), face_first, boxes_of(boxes[p], scene.tri_face, len(scene.names)),
            scene.corners, scene.normals, scene.standpoints[p],
        )  # fmt: skip
        faces = scene.pair_face[mine]
        counts[mine] = _search(faces, *given, np.zeros(0, dtype=np.int64), np.zeros(0, dtype=np.int32))
        looked[mine] = counts[mine] > MOST
        mine = mine[(counts[mine] > 0) & ~looked[mine]]
        at = np.cumsum([0, *counts[mine]])
        out = np.empty(at[-1], dtype=np.int32)
        _search(scene.pair_face[mine], *given, at, out)
        found.append((np.repeat(mine, counts[mine]), out))
    pair = np.concatenate([n for n, _ in found]) if found else np.zeros(0, dtype=np.int64)
    which = np.concatenate([q for _, q in found]) if found else np.zeros(0, dtype=np.int32)
    slot = np.full(pairs, -1, dtype=np.int32)
    shaded = np.unique(pair)
    slot[shaded] = np.arange(len(shaded))
    sides = (first[1:] - first[:-1])[which]
    begin = np.cumsum([0, *sides])
    edges = edge[np.repeat(first[which] - begin[:-1], sides) + np.arange(begin[-1])]
    return Shadows(looked, slot, len(shaded), pair.astype(np.int32), owner[which], begin, edges)


@njit(cache=True, error_model="numpy", inline="always")
def _seen_through(forms, at, m, out):  # type: ignore[no-untyped-def]
    """Three linear forms of a plate's raster that stand at a place, as forms (3, 3) of the view from where m leads there."""
    for i in range(3):
        for j in range(3):
            out[i, j] = forms[at] * m[0, j] + forms[at + 1] * m[1, j] + forms[at + 2] * m[2, j]
        at += 3


@njit(cache=True, error_model="numpy", inline="always")
def _corners(forms, out):  # type: ignore[no-untyped-def]
    """Homogeneous corners (3, 3) of the triangle on which no form is negative; False when it is seen edge on."""
    for i in range(3):
        cross(forms[(i + 1) % 3], forms[(i + 2) % 3], out[i])
    sign = np.sign(forms[0, 0] * out[0, 0] + forms[0, 1] * out[0, 1] + forms[0, 2] * out[0, 2])
    for i in range(3):
        for j in range(3):
            out[i, j] *= sign
    return sign != 0


@njit(cache=True, error_model="numpy", inline="always")
def _canvas_edges(edges, at, maps, n, w, h):  # type: ignore[no-untyped-def]
    """The five edges within which pair n's map leads to its picture, w by h, and in front of the plate's camera."""
    f = 9 * n
    for i, size in ((0, w), (3, h)):
        edge_of(edges, at, maps[f + i], maps[f + i + 1], maps[f + i + 2])
        edge_of(
            edges,
            at + 1,
            size * maps[f + 6] - maps[f + i],
            size * maps[f + 7] - maps[f + i + 1],
            size * maps[f + 8] - maps[f + i + 2],
        )
        at += 2
    edge_of(edges, at, maps[f + 6], maps[f + 7], maps[f + 8])


@njit(cache=True, parallel=True, error_model="numpy")
def _edges(s, k, visible, width, height):  # type: ignore[no-untyped-def]
    """Edges (… × 4) of the shadows, one more for each than the piece has, their rows, and the canvases' edges.

    The one more is the line where the piece's plane meets the face's. ``visible`` (F, 4): pixel boxes of the faces.
    """
    count, pairs, chunks = len(s.pair), len(s.slot), 8
    rows, edges = np.zeros(2 * count, dtype=np.int32), np.empty(4 * (len(s.edge) + count))
    canvas = np.empty(20 * pairs)
    for chunk in prange(chunks):
        m, forms, corners, box = np.empty((3, 3)), np.empty((3, 3)), np.empty((3, 3)), np.empty(4, dtype=np.int32)
        for n in range(pairs * chunk // chunks, pairs * (chunk + 1) // chunks):
            p = k.pair_plate[n]
            _canvas_edges(canvas, 5 * n, k.maps, n, k.canvas[p, 4], k.canvas[p, 5])
        for i in range(count * chunk // chunks, count * (chunk + 1) // chunks):
            n = s.pair[i]
            p, f = k.pair_plate[n], k.pair_face[n]
            if k.boxes[n, 0] > width or k.boxes[n, 1] > height or k.boxes[n, 2] < 0 or k.boxes[n, 3] < 0:
                continue
            for j in range(3):
                m[0, j] = k.maps[9 * n + j] * k.scale[p, 0]
                m[1, j] = k.maps[9 * n + 3 + j] * k.scale[p, 1]
                m[2, j] = k.maps[9 * n + 6 + j]
            top, end, last = height, 0, -1
            for e in range(s.first_edge[i], s.first_edge[i + 1]):
                t, side = s.edge[e] // 3, s.edge[e] % 3
                if t != last:
                    last = t
                    _seen_through(k.plate_forms, 9 * (p * k.tri_face.size + t), m, forms)
                    if _corners(forms, corners):
                        bound(corners, width, height, box)
                        top, end = min(top, box[1]), max(end, box[3])
                edge_of(edges, e + i, forms[side, 0], forms[side, 1], forms[side, 2])
            top, end = max(top, visible[f, 1]), min(end, visible[f, 3])
            rows[2 * i], rows[2 * i + 1] = top, max(top, end)
            for j in range(3):  # nearer than the face: the sum of a triangle's forms is one over its depth
                corners[0, j] = forms[0, j] + forms[1, j] + forms[2, j]
                for r in range(3):
                    corners[0, j] -= (1 + NEARER) * k.pair_depth[3 * n + r] * m[r, j]
            edge_of(edges, s.first_edge[i + 1] + i, corners[0, 0], corners[0, 1], corners[0, 2])
    return edges, rows, canvas


@njit(cache=True, error_model="numpy")
def _narrow(slope, base, other_slope, other_base, top, low, high):  # type: ignore[no-untyped-def]
    """Cut spans, one a row from the top on, to what lies between two lines; compiles to SIMD."""
    for j in range(len(low)):
        y = top + j + 0.5
        low[j] = max(low[j], slope * y + base)
        high[j] = min(high[j], other_slope * y + other_base)


@njit(cache=True, parallel=True, error_model="numpy")
def spans(s, k, visible, width, height):  # type: ignore[no-untyped-def]
    """`Spans` of the shadows s in a view of the given size, whose cast is k.

    ``visible`` (F, 4): pixel boxes of the faces.
    """
    edges, rows, canvas = _edges(s, k, visible, width, height)
    count, chunks = len(s.pair), 8
    first = np.zeros(count + 1, dtype=np.int64)
    for i in range(count):
        first[i + 1] = first[i] + rows[2 * i + 1] - rows[2 * i]
    low, high = np.empty(first[count]), np.empty(first[count])
    for chunk in prange(chunks):
        for i in range(count * chunk // chunks, count * (chunk + 1) // chunks):
            a, b = low[first[i] : first[i + 1]], high[first[i] : first[i + 1]]
            a[:], b[:] = 0.0, width - 1.0
            for e in range(4 * (s.first_edge[i] + i), 4 * (s.first_edge[i + 1] + i + 1), 4):
                _narrow(edges[e], edges[e + 1], edges[e + 2], edges[e + 3], rows[2 * i], a, b)
    return Spans(s.looked, s.slot, s.slots, s.pair, s.face, rows, first, low, high, canvas)


@njit(cache=True, error_model="numpy")
def fallen(s, height, first_row, step):  # type: ignore[no-untyped-def]
    """The shadows on every so many-th row of a view from the first on, as chains.

    For each slot and row the newest link (or −1); and the links (… × 4): first pixel, end, piece's face, link before.
    """
    rows = (height - first_row + step - 1) // step
    most = 0
    for i in range(len(s.pair)):
        most += (s.rows[2 * i + 1] - s.rows[2 * i] + step - 1) // step
    newest, links = np.full(s.slots * rows, -1, dtype=np.int32), np.empty(4 * most, dtype=np.int32)
    used = 0
    for i in range(len(s.pair)):
        top = s.rows[2 * i]
        for row in range(top + (first_row - top) % step, s.rows[2 * i + 1], step):
            at = s.first[i] + row - top
            lo, hi = np.ceil(s.low[at]), np.floor(s.high[at])
            if lo <= hi:
                at = s.slot[s.pair[i]] * rows + row // step
                links[used], links[used + 1], links[used + 2], links[used + 3] = lo, hi + 1, s.face[i], newest[at]
                newest[at] = used
                used += 4
    return newest, links


@njit(cache=True, error_model="numpy", inline="always")
def darken(k, s, chains, n, face, line, row, x0, x1, light):  # type: ignore[no-untyped-def]
    """Make SHADED what is LIT of the pixels [x0, x1) of a row, which show a face, where pair n's plate does not see it.

    ``chains``: from `fallen`, with the number of its rows and the row's own; ``line``: the pair's map to the plate's
    raster along the row.
    """
    p = k.pair_plate[n]
    if s.looked[n]:
        for i in range(x0, x1):
            if light[i] == LIT:
                x, y = line_pixel(line, i + 0.5)
                if hidden(k, p, n, face, x, y):
                    light[i] = SHADED
    newest, links, rows, at = chains
    link = newest[s.slot[n] * rows + at] if s.slot[n] >= 0 else -1
    while link >= 0:
        lo, hi, other = max(x0, links[link]), min(x1, links[link + 1]), links[link + 2]
        link = links[link + 3]
        if not k.cutout[other]:
            for i in range(lo, hi):
                light[i] = max(light[i], np.uint8(SHADED))
            continue
        for i in range(lo, hi):
            if light[i] == LIT:
                x, y = line_pixel(line, i + 0.5)
                shown = cell_at(k, p, x, y)
                if shown == other or (
                    shown <= CUT
                    and solid_at(
                        other, x, y, p, k.pair_start, k.pair_plate, k.plate_maps, k.canvas, k.matte, k.matte_at
                    )
                ):
                    light[i] = SHADED
