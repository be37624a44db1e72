"""A set as it is seen at a moment: where its pieces lie, how deep they are, and where every throw leads.

A piece that has moved, seen by a view, is the piece at rest seen by that view moved back: eye and rotation are given
for each solid, and everything on the plates' side stays at rest.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numba import njit, prange

from roofline.core.camera import Array
from roofline.core.moment import Moment
from roofline.core.throw.geometry import Geometry
from roofline.core.throw.pieces import bound, edge_of
from roofline.core.throw.throws import Throws

NEAR = 1e-4  # metres; a piece wholly nearer is left out
EDGE_ON = 1e-12  # metres from its plane to the eye at which a face is not seen
BEFORE = 1e-5  # part of the depth by which what is drawn before a level lies before it: more than tells two faces apart
CHUNKS = 8


class Projection(NamedTuple):
    """F faces, Q pieces with V corners, N pairs of a face and a plate."""

    depths: Any  # (F × 3) linear form of the pixel: one over the depth of a face's plane
    edges: Any  # (V × 3) the linear forms that are ≥ 0 within a piece, one for each corner and the next
    lines: Any  # (V × 4) the same as lines on which a row's pixels end, see `edge_of`
    piece_boxes: Any  # (Q × 4) pixels x0, y0, x1, y1 (exclusive) within which a piece lies; empty when unseen
    maps: Any  # (N × 9) homographies from the view's pixels to the plate's picture pixels; 0 for faces out of view
    boxes: Any  # (N × 4) where in the view the plate's canvas can lie: x0, y0, x1, y1; 0 for faces out of view


@njit(cache=True, error_model="numpy")
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


@njit(cache=True, error_model="numpy")
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


@njit(cache=True, error_model="numpy")
def _canvas_box(maps, at, w, h, inverse, box):  # type: ignore[no-untyped-def]
    """Box of the view in which a picture of w by h pixels can lie, to which the map at a place leads; all over if
    need be.

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


class Seeing(NamedTuple):
    """How each of S solids is seen from where it stands at rest."""

    eyes: Any  # (S, 3)
    ahead: Any  # (S, 3, 3) from directions in its world to pixels …
    back: Any  # (S, 3, 3) … and back
    scale: Any  # (S,) true metres along one of its own


def seeing(geometry: Geometry, moment: Moment) -> Seeing:
    """Eye and directions of a moment's view, for each solid; only once where no piece has moved."""
    view = moment.view
    position = np.asarray(view.position, dtype=np.float64)
    count = len(geometry.solid_ids) if moment.poses else 1  # all alike: one will do
    eyes, scale = np.empty((count, 3)), np.ones(count)
    ahead, back = np.empty((count, 3, 3)), np.empty((count, 3, 3))
    eyes[:], ahead[:], back[:] = position, view.matrix @ view.rotation, view.rotation.T @ view.inverse
    for number, ident in enumerate(geometry.solid_ids if moment.poses else ()):
        pose = moment.poses.get(ident)
        if pose is not None:
            eyes[number], scale[number] = pose.eye(position), pose.scale
            ahead[number] = ahead[number] @ pose.rotation
            back[number] = pose.rotation.T @ back[number]
    return Seeing(eyes, ahead, back, scale)


@njit(cache=True, error_model="numpy")
def _project_faces(  # type: ignore[no-untyped-def]
    begin, end, seen, pieces, normals, offsets, solid, pairs, plates, out, width, height
):
    """Faces [begin, end) of `project`, written to ``out``: the six arrays of a `Projection`, with boxes as rows."""
    pair_start, pair_plate = pairs
    fronts, standpoints, canvas = plates
    depths, edges, lines, piece_boxes, maps, boxes = out
    corners, room, shift = np.empty((pieces.sides, 3)), np.empty((3, 3)), np.empty(3)
    for f in range(begin, end):
        s = solid[f] if len(seen.scale) > 1 else 0
        eye, ahead, back = seen.eyes[s], seen.ahead[s], seen.back[s]
        given = offsets[f] - normals[f, 0] * eye[0] - normals[f, 1] * eye[1] - normals[f, 2] * eye[2]
        gap = given if abs(given) > EDGE_ON else EDGE_ON
        for j in range(3):
            along = normals[f, 0] * back[0, j] + normals[f, 1] * back[1, j] + normals[f, 2] * back[2, j]
            depths[3 * f + j] = along / (gap * seen.scale[s])
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
            _homography(fronts[p], shift, normals[f], given, back, room, maps, 9 * n)
            _canvas_box(maps, 9 * n, canvas[p, 4], canvas[p, 5], room, boxes[n])


@njit(cache=True, error_model="numpy", parallel=True)
def _project(seen, pieces, normals, offsets, solid, pairs, plates, width, height):  # type: ignore[no-untyped-def]
    faces, count, pair_count = len(offsets), len(pieces.face), len(pairs[1])
    depths, maps, boxes = np.empty(3 * faces), np.zeros(9 * pair_count), np.zeros((pair_count, 4))
    edges, lines = np.zeros(3 * len(pieces.corners)), np.empty(4 * len(pieces.corners))
    piece_boxes = np.zeros((count, 4), dtype=np.int32)
    out = depths, edges, lines, piece_boxes, maps, boxes
    for chunk in prange(CHUNKS):
        i = np.int64(chunk)  # the loop's own number is of another kind inside, and would compile the faces' loop twice
        begin, end = faces * i // CHUNKS, faces * (i + 1) // CHUNKS
        _project_faces(begin, end, seen, pieces, normals, offsets, solid, pairs, plates, out, width, height)
    return depths, edges, lines, piece_boxes.ravel(), maps, boxes.ravel()


def project(geometry: Geometry, throws: Throws, moment: Moment) -> Projection:
    """A set as it is seen at a moment."""
    g, t = geometry, throws
    seen, pairs, plates = seeing(g, moment), (t.pair_start, t.pair_plate), (t.fronts, t.standpoints, t.canvas)
    size = moment.view.width, moment.view.height
    found = Projection(*_project(seen, g.pieces, g.normals, g.offsets, g.solid, pairs, plates, *size))
    _pass_levels(g, moment, found.depths.reshape(-1, 3))
    return found


def _pass_levels(geometry: Geometry, moment: Moment, depths: Array) -> None:
    """Faces that are drawn before a level lie a hair before it, as long as the eye is above; ``depths`` (F, 3)."""
    view = moment.view
    up = (view.rotation.T @ view.inverse)[1]
    for face in np.flatnonzero(np.isfinite(geometry.passes)):
        gap = geometry.passes[face] - float(view.position[1])
        if gap < -NEAR:
            depths[face] = (1 + BEFORE) * up / gap
