"""Shadows: what can stand between a plate's camera and a face.

All faces are taken apart into convex pieces, a convex face being one. For each face and plate, the pieces that can hide
anything of it at all are found once for a set; where they fall in a view is said by `spans`.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from roofline.core.throw.geometry import Geometry
from roofline.core.throw.hidden import NEARER
from roofline.core.throw.pieces import boxes_of, cross
from roofline.core.throw.throws import Throws

MOST = 256  # shadows on one face; where more fall, and on dense meshes, every pixel takes a look of its own
EFFORT = 30_000_000  # pairs of a face and a piece that are looked at for one plate


class Shadows(NamedTuple):
    """N pairs of a face and a plate, S shadows."""

    looked: Any  # (N,) 0 or 1: the pair is looked at pixel by pixel instead
    first: Any  # (N + 1,) where a pair's shadows begin
    pair: Any  # (S,)
    piece: Any  # (S,) what throws it
    face: Any  # (S,) the piece's face
    begin: Any  # (S + 1,) where a shadow's edges begin: those of its piece and one more
    count: Any  # S
    most: Any  # edges of a shadow


@njit(cache=True, error_model="numpy")
def _most(corners, first, last, normal, sign, origin):  # type: ignore[no-untyped-def]
    """How far corners [first, last) reach along a normal, or against it (sign −1), from an origin."""
    most = -np.inf
    for i in range(first, last):
        along = 0.0
        for j in range(3):
            along += sign * normal[j] * (corners[i, j] - origin[j])
        most = max(most, along)
    return most


@njit(cache=True, error_model="numpy")
def _can_shade(corners, piece, piece_normal, face, normal, eye, plane, room):  # type: ignore[no-untyped-def]
    """Whether a piece can hide anything of a face from an eye before it: no plane of the shadow leaves the face
    outside.

    ``piece``, ``face``: ranges of the corners; ``plane`` (3,), ``room`` (2, 3): room.
    """
    (a, b), (f, g) = piece, face
    gap = _most(corners, f, f + 1, normal, -1.0, eye)
    if gap <= 0 or _most(corners, a, b, normal, 1.0, eye) <= -gap * (1 - 0.5 * NEARER):
        return False
    away = _most(corners, a, a + 1, piece_normal, 1.0, eye)
    result = _most(corners, f, g, piece_normal, np.sign(away), corners[a]) > 0
    for i in range(a, b):
        j = i + 1 if i + 1 < b else a
        for axis in range(3):
            room[0, axis], room[1, axis] = corners[i, axis] - eye[axis], corners[j, axis] - eye[axis]
        cross(room[0], room[1], plane)
        inside = 1.0 if _most(corners, a, b, plane, -1.0, eye) <= _most(corners, a, b, plane, 1.0, eye) else -1.0
        result = result and _most(corners, f, g, plane, inside, eye) > 0
    return result


@njit(cache=True, nogil=True, error_model="numpy")
def _search(faces, shown, pieces, boxes, face_boxes, normals, eye):  # type: ignore[no-untyped-def]
    """Which of the shown pieces may hide something of which face, (faces, shown).

    ``boxes``, ``face_boxes``: of the pieces and the faces.
    """
    out, plane, room = np.zeros((len(faces), len(shown)), dtype=np.bool_), np.empty(3), np.empty((2, 3))
    for i in range(len(faces)):
        f = faces[i]
        if pieces.start[f] == pieces.start[f + 1]:
            continue
        face = pieces.first[pieces.start[f]], pieces.first[pieces.start[f + 1]]
        for j in range(len(shown)):
            q = shown[j]
            if (
                pieces.face[q] != f
                and boxes[4 * q] < face_boxes[f, 2]
                and boxes[4 * q + 2] > face_boxes[f, 0]
                and boxes[4 * q + 1] < face_boxes[f, 3]
                and boxes[4 * q + 3] > face_boxes[f, 1]
            ):
                piece, normal = (pieces.first[q], pieces.first[q + 1]), normals[pieces.face[q]]
                out[i, j] = _can_shade(pieces.corners, piece, normal, face, normals[f], eye, plane, room)
    return out


def shadows(
    geometry: Geometry,
    throws: Throws,
    shown: list[NDArray[np.int32]],
    boxes: list[NDArray[np.int32]],
    front: NDArray[np.bool_],
) -> Shadows:
    """What can throw a shadow on which face.

    ``shown``: for each plate, the pieces that show in its raster; ``boxes``: for each plate, the pieces' pixel boxes
    there (Q × 4); ``front`` (N,): the face's front is towards the plate's camera.
    """
    pieces, pairs, faces = geometry.pieces, len(throws.pair_plate), len(geometry.names)
    looked = np.zeros(pairs, dtype=np.bool_)
    none, passing = np.zeros(0, dtype=np.int32), np.isfinite(geometry.passes)
    pairs_found, pieces_found = [none], [none]
    for p in range(len(throws.plates)):
        mine = np.flatnonzero((throws.pair_plate == p) & front)
        if len(mine) * len(shown[p]) > EFFORT:
            looked[mine] = True
            continue
        can = _search(
            throws.pair_face[mine],
            shown[p],
            pieces,
            boxes[p],
            boxes_of(boxes[p], pieces.face, len(pieces.face), faces),
            geometry.normals,
            throws.standpoints[p],
        )
        if passing.any():  # such a piece is not where its corners are: what it may hide is found where it is seen
            can |= passing[pieces.face[shown[p]]] | passing[throws.pair_face[mine], None]
            can &= pieces.face[shown[p]] != throws.pair_face[mine, None]
        looked[mine] = can.sum(1) > MOST
        which, what = np.nonzero(can & ~looked[mine, None])
        pairs_found.append(mine[which].astype(np.int32))
        pieces_found.append(shown[p][what])
    pair, piece = np.concatenate(pairs_found), np.concatenate(pieces_found)
    order = np.argsort(pair, kind="stable")
    pair, piece = pair[order], piece[order]
    first = np.searchsorted(pair, np.arange(pairs + 1))
    edges = np.diff(pieces.first)[piece] + 1
    begin = np.r_[0, np.cumsum(edges)]
    most = int(edges.max(initial=0))
    return Shadows(looked.view(np.uint8), first, pair, piece, pieces.face[piece], begin, len(pair), most)
