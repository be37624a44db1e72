"""Shadows: what can stand between a plate's camera and a face.

All faces are taken apart into convex pieces, a convex face being one. For each face and plate, the pieces that can hide
anything of it at all are found once for a scene; where they fall in a view is said by `spans`.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from roofline.core.throw.raster import cross
from roofline.core.throw.scene import Scene
from roofline.core.throw.sight import NEARER

MOST = 256  # shadows on one face; where more fall, and on dense meshes, every pixel takes a look of its own
EFFORT = 30_000_000  # pairs of a face and a piece that are looked at for one plate


class Shadows(NamedTuple):
    """N pairs of a face and a plate, S shadows, E edges of them all."""

    looked: Any  # (N,) the pair is looked at pixel by pixel instead
    slot: Any  # (N,) number among the pairs that have shadows, −1 for those that have none
    slots: Any  # how many pairs have shadows
    pair: Any  # (S,)
    face: Any  # (S,) what throws it
    first_edge: Any  # (S + 1,) where the piece's edges begin
    edge: Any  # (E,) 3 t + i: the triangle's form that is not negative on the inner side


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
def _search(faces, shown, first, edge, owner, boxes, face_first, face_boxes, corners, normals, eye):  # type: ignore[no-untyped-def]
    """Which of the shown pieces may hide something of which face, (faces, shown)."""
    out = np.zeros((len(faces), len(shown)), dtype=np.bool_)
    for i in prange(len(faces)):
        f = faces[i]
        face = corners[face_first[f] : face_first[f + 1]]
        for j in range(len(shown)):
            q = shown[j]
            if (
                owner[q] != f
                and boxes[q, 0] < face_boxes[f, 2]
                and boxes[q, 2] > face_boxes[f, 0]
                and boxes[q, 1] < face_boxes[f, 3]
                and boxes[q, 3] > face_boxes[f, 1]
            ):
                edges = edge[first[q] : first[q + 1]]
                t0, t1 = edges[0] // 3, edges[-1] // 3 + 1
                out[i, j] = _can_shade(corners[t0:t1], edges - 3 * t0, face, normals[f], eye)
    return out


def shadows(
    scene: Scene, shown: list[NDArray[np.int32]], boxes: list[NDArray[np.int32]], front: NDArray[np.bool_]
) -> Shadows:
    """What can throw a shadow on which face.

    ``shown``: for each plate, the triangles that show in its raster; ``boxes``: for each plate, the triangles' pixel
    boxes there (T, 4); ``front`` (N,): the face's front is towards the plate's camera.
    """
    pairs = len(scene.pair_plate)
    first, edge, owner, piece = _pieces(scene.corners, scene.tri_face, scene.normals)
    looked = np.zeros(pairs, dtype=np.bool_)
    face_first = np.searchsorted(scene.tri_face, np.arange(len(scene.names) + 1))
    none = np.zeros(0, dtype=np.int32)
    pairs_found, pieces_found = [none], [none]
    for p in range(len(scene.plates)):
        mine = np.flatnonzero((scene.pair_plate == p) & front)
        pieces = np.unique(piece[shown[p]])
        if len(mine) * len(pieces) > EFFORT:
            looked[mine] = True
            continue
        can = _search(
            scene.pair_face[mine],
            pieces,
            first,
            edge,
            owner,
            boxes_of(boxes[p], piece, len(owner)),
            face_first,
            boxes_of(boxes[p], scene.tri_face, len(scene.names)),
            scene.corners,
            scene.normals,
            scene.standpoints[p],
        )
        looked[mine] = can.sum(1) > MOST
        which, what = np.nonzero(can & ~looked[mine, None])
        pairs_found.append(mine[which].astype(np.int32))
        pieces_found.append(pieces[what])
    pair, thrower = np.concatenate(pairs_found), np.concatenate(pieces_found)
    slot = np.full(pairs, -1, dtype=np.int32)
    shaded = np.unique(pair)
    slot[shaded] = np.arange(len(shaded))
    sides = (first[1:] - first[:-1])[thrower]
    begin = np.cumsum([0, *sides])
    edges = edge[np.repeat(first[thrower] - begin[:-1], sides) + np.arange(begin[-1])]
    return Shadows(looked, slot, len(shaded), pair, owner[thrower], begin, edges)
