"""A scene as a view sees it: where its pieces lie, how deep they are, and where every throw leads."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numba import njit, prange

from roofline.core.camera import View
from roofline.core.throw.pieces import Pieces, bound, edge_of
from roofline.core.throw.scene import Scene

NEAR = 1e-4  # metres; a piece wholly nearer is left out
EDGE_ON = 1e-12  # metres from its plane to the eye at which a face is not seen
CHUNKS = 8


class Projection(NamedTuple):
    """F faces, Q pieces with V corners, N pairs of a face and a plate."""

    depths: Any  # (F × 3) linear form of the pixel: one over the depth of a face's plane
    edges: Any  # (V × 3) the linear forms that are ≥ 0 within a piece, one for each corner and the next
    lines: Any  # (V × 4) the same as lines on which a row's pixels end, see `edge_of`
    piece_boxes: Any  # (Q × 4) pixels x0, y0, x1, y1 (exclusive) within which a piece lies; empty when unseen
    maps: Any  # (N × 9) homographies from the view's pixels to the plate's picture pixels; 0 for faces out of view
    boxes: Any  # (N × 4) where in the view the plate's canvas can lie: x0, y0, x1, y1; 0 for faces out of view


@njit(cache=True, error_model="numpy", inline="always")
def _outline(corners, count, towards, edges, lines, first, box, width, height):  # type: ignore[no-untyped-def]
    """Edges, their lines and box of a piece with so many homogeneous corners; ``first``: number of its first edge.

    ``towards``: its normal is not to the eye.

    Method: Olano and Greer, "Triangle scan conversion using 2D homogeneous coordinates", 1997, for any convex piece.
    """
    nearest = -np.inf
    for i in range(count):
        nearest = max(nearest, corners[i, 2])
    if nearest > NEAR:
        for i in range(count):
            j = i + 1 if i + 1 < count else 0
            a, b = (i, j) if towards else (j, i)
            x = corners[a, 1] * corners[b, 2] - corners[a, 2] * corners[b, 1]
            y = corners[a, 2] * corners[b, 0] - corners[a, 0] * corners[b, 2]
            one = corners[a, 0] * corners[b, 1] - corners[a, 1] * corners[b, 0]
            at = 3 * (first + i)
            edges[at], edges[at + 1], edges[at + 2] = x, y, one
            edge_of(lines, first + i, x, y, one)
        bound(corners, 0, count, width, height, box)


@njit(cache=True, error_model="numpy", inline="always")
def _homography(front, shift, normal, gap, back, through, out, at):  # type: ignore[no-untyped-def]
    """Homography from a view's pixels to a plate's picture pixels through a face's plane, to a place in out.

    Signed so that the third component is positive where the point is in front of the plate's camera, provided that
    it is in front of the view. Hartley and Zisserman, Multiple View Geometry, 2nd ed., sec. 13.1, with both cameras
    general. ``front``: from directions to picture pixels; ``shift``: from the plate's camera to the view's; ``gap``:
    from the view to the plane; ``back``: from the view's pixels to directions; ``through`` (3, 3): room.
    """
    # of a size that does not depend on the scene's: neither its squares nor those of its derivatives overflow
    scale = np.sign(gap) / (abs(gap) + abs(shift[0]) + abs(shift[1]) + abs(shift[2]) + 1e-300)
    for j in range(3):
        along = normal[0] * back[0, j] + normal[1] * back[1, j] + normal[2] * back[2, j]
        for i in range(3):
            through[i, j] = scale * (shift[i] * along + gap * back[i, j])
    for i in range(3):
        for j in range(3):
            out[at + 3 * i + j] = (
                front[i, 0] * through[0, j] + front[i, 1] * through[1, j] + front[i, 2] * through[2, j]
            )


@njit(cache=True, error_model="numpy", inline="always")
def _canvas_box(maps, at, w, h, inverse, box):  # type: ignore[no-untyped-def]
    """Box of the view in which a picture of w by h pixels can lie, to which the map at a place leads; all over if need be.

    The picture is brought into the view by the inverse map; where a corner comes from behind, the box is everything.
    """
    for i in range(3):  # the adjugate: the inverse up to scale, also where it is nearly singular
        a, b = at + 3 * ((i + 1) % 3), at + 3 * ((i + 2) % 3)
        for j in range(3):
            k, n = (j + 1) % 3, (j + 2) % 3
            inverse[j, i] = maps[a + k] * maps[b + n] - maps[a + n] * maps[b + k]
    sign = np.sign(maps[at] * inverse[0, 0] + maps[at + 1] * inverse[1, 0] + maps[at + 2] * inverse[2, 0])
    x0, y0, x1, y1 = np.inf, np.inf, -np.inf, -np.inf
    ahead = sign != 0
    for c in range(4):
        u, v = (w if c == 1 or c == 2 else 0.0), (h if c >= 2 else 0.0)
        p = sign * (inverse[0, 0] * u + inverse[0, 1] * v + inverse[0, 2])
        q = sign * (inverse[1, 0] * u + inverse[1, 1] * v + inverse[1, 2])
        r = sign * (inverse[2, 0] * u + inverse[2, 1] * v + inverse[2, 2])
        if r <= 1e-12 * (abs(p) + abs(q) + abs(r)):
            ahead = False
            break
        x0, y0, x1, y1 = min(x0, p / r), min(y0, q / r), max(x1, p / r), max(y1, q / r)
    box[0], box[1] = (x0 - 1e-6, y0 - 1e-6) if ahead else (-np.inf, -np.inf)
    box[2], box[3] = (x1 + 1e-6, y1 + 1e-6) if ahead else (np.inf, np.inf)


@njit(cache=True, error_model="numpy", parallel=True)
def _project(  # type: ignore[no-untyped-def]
    pieces,
    normals,
    offsets,
    pair_start,
    pair_plate,
    fronts,
    standpoints,
    canvas,
    eye,
    rotation,
    focal,
    cx,
    cy,
    width,
    height,
):
    faces, count, pairs = len(offsets), len(pieces.face), len(pair_plate)
    depths, maps, boxes = np.empty(3 * faces), np.zeros(9 * pairs), np.zeros((pairs, 4))
    edges, lines = np.zeros(3 * len(pieces.corners)), np.empty(4 * len(pieces.corners))
    piece_boxes = np.zeros((count, 4), dtype=np.int32)
    ahead, back = np.empty((3, 3)), np.empty((3, 3))  # from directions in the world to pixels, and back
    for j in range(3):
        ahead[0, j] = focal * rotation[0, j] + cx * rotation[2, j]
        ahead[1, j] = focal * rotation[1, j] + cy * rotation[2, j]
        ahead[2, j] = rotation[2, j]
        back[j, 0], back[j, 1] = rotation[0, j] / focal, rotation[1, j] / focal
        back[j, 2] = rotation[2, j] - back[j, 0] * cx - back[j, 1] * cy
    gaps = offsets.copy()
    for f in range(faces):
        for i in range(3):
            gaps[f] -= normals[f, i] * eye[i]
    for chunk in prange(CHUNKS):
        corners, room, shift = np.empty((pieces.sides, 3)), np.empty((3, 3)), np.empty(3)
        for f in range(faces * chunk // CHUNKS, faces * (chunk + 1) // CHUNKS):
            gap = gaps[f] if abs(gaps[f]) > EDGE_ON else EDGE_ON
            for j in range(3):
                along = normals[f, 0] * back[0, j] + normals[f, 1] * back[1, j] + normals[f, 2] * back[2, j]
                depths[3 * f + j] = along / gap
            shows = False
            for q in range(pieces.start[f], pieces.start[f + 1]):
                first, sides, box = pieces.first[q], pieces.first[q + 1] - pieces.first[q], piece_boxes[q]
                for i in range(sides):
                    for j in range(3):
                        corners[i, j] = 0.0
                        for axis in range(3):
                            corners[i, j] += ahead[j, axis] * (pieces.corners[first + i, axis] - eye[axis])
                if abs(gap) > EDGE_ON:
                    _outline(corners, sides, gap > 0, edges, lines, first, box, width, height)
                shows |= box[0] < box[2] and box[1] < box[3]
            if not shows:
                continue
            for n in range(pair_start[f], pair_start[f + 1]):
                p = pair_plate[n]
                for i in range(3):
                    shift[i] = eye[i] - standpoints[p, i]
                _homography(fronts[p], shift, normals[f], gaps[f], back, room, maps, 9 * n)
                _canvas_box(maps, 9 * n, canvas[p, 4], canvas[p, 5], room, boxes[n])
    return depths, edges, lines, piece_boxes.ravel(), maps, boxes.ravel()


def project(scene: Scene, pieces: Pieces, view: View) -> Projection:
    """A scene, taken apart into pieces, as a view sees it."""
    s = scene
    return Projection(
        *_project(
            pieces,
            s.normals,
            s.offsets,
            s.pair_start,
            s.pair_plate,
            s.fronts,
            s.standpoints,
            s.canvas,
            np.asarray(view.position, dtype=np.float64),
            np.ascontiguousarray(view.rotation, dtype=np.float64),
            float(view.focal),
            float(view.centre[0]),
            float(view.centre[1]),
            view.width,
            view.height,
        )
    )
