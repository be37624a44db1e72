"""Boxes cut out of a block, holes in a wall, bays of a room: faces of what is left, closed and without slivers.

All cuts lie along the piece's own axes, so the piece is a grid of cells that are full or empty; faces are where the two
meet. Everything is decided on whole numbers, and nothing can be left open by rounding.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from shapely import Polygon, box, unary_union
from shapely.geometry import LineString
from shapely.geometry.base import BaseGeometry

from roofline.core.camera import Array
from roofline.model.massing import Cut

LEAST = 1e-4  # of the largest measure: lines nearer to one another are one, at any scale: no picture tells them apart
SIDES = {(0, -1): "left", (0, 1): "right", (1, -1): "base", (1, 1): "top", (2, -1): "back", (2, 1): "front"}
# what the faces of a cut are called, by the direction they look in: into the opening
CUT_SIDES = {(0, 1): "left", (0, -1): "right", (1, 1): "sill", (1, -1): "head", (2, 1): "back", (2, -1): "front"}


@dataclass
class Cells:
    """A box and cuts on a grid: lines along every axis, which cells are full, and whose cut empties (or fills) them."""

    lines: list[Array]  # three, ascending
    full: NDArray[np.bool_]  # (X, Y, Z)
    whose: NDArray[np.int64]  # (X, Y, Z), −1: none


def cells_of(size: Array, cuts: list[Cut], added: bool = False) -> Cells:
    """Cells of a box from the origin to `size`; cuts are taken out of it, or added to it."""
    lows, highs = np.array([c.low for c in cuts]), np.array([c.high for c in cuts])
    if not added:
        lows, highs = np.clip(lows, 0, size), np.clip(highs, 0, size)
    lines = []
    for axis in range(3):
        marks = (
            np.concatenate([[0.0, size[axis]], lows[:, axis], highs[:, axis]]) if cuts else np.array([0, size[axis]])
        )
        marks = np.sort(marks)
        keep = np.r_[True, np.diff(marks) > LEAST * size.max()]
        lines.append(marks[keep])
    middles = [0.5 * (line[1:] + line[:-1]) for line in lines]
    grid = np.stack(np.meshgrid(*middles, indexing="ij"), axis=-1)
    full = np.all((grid > 0) & (grid < size), axis=-1)
    whose = np.full(full.shape, -1, dtype=np.int64)
    for n, (low, high) in enumerate(zip(lows, highs, strict=True)):
        inside = np.all((grid > low) & (grid < high), axis=-1)
        changed = inside & (~full if added else full)
        whose[changed] = n
        full[changed] = added
    return Cells(lines, full, whose)


def pinched(cells: Cells | None) -> str | None:
    """What is amiss where what is full meets itself in no more than an edge: its border is no surface of a body."""
    if cells is None:
        return None
    padded = np.pad(cells.full, 1)
    for axis in range(3):
        full = np.moveaxis(padded, axis, 0)
        a, b, c, d = full[:, :-1, :-1], full[:, 1:, 1:], full[:, :-1, 1:], full[:, 1:, :-1]
        if ((a & b & ~c & ~d) | (c & d & ~a & ~b)).any():
            return "has openings that meet in an edge only: let them overlap, or leave some of the piece between them."
    return None


def faces_of_cells(cells: Cells, cuts: list[Cut], inward: bool = False) -> tuple[Array, list[str], list[list[int]]]:
    """Vertices (V, 3), names and loops of the border of the full cells, counter-clockwise from outside (or inside)."""
    groups: dict[tuple[str, int, int, int], list[BaseGeometry]] = {}
    padded = np.pad(cells.full, 1)
    for axis in range(3):
        before, after = (np.take(padded, range(a, padded.shape[axis] - 1 + a), axis) for a in (0, 1))
        for sign, where in ((1, before & ~after), (-1, after & ~before)):
            for at in np.argwhere(where):
                cell = at - 1  # the full or empty cell before the plane, in unpadded numbers
                plane = int(at[axis])
                owner = _owner(cells, cell, axis, sign, inward)
                if owner >= 0:
                    looks = CUT_SIDES[(axis, -sign if inward else sign)]
                    name = f"{cuts[owner].name}-{looks}"
                else:
                    name = SIDES[(axis, sign)]
                u, v = (int(cell[k]) for k in range(3) if k != axis)
                groups.setdefault((name, axis, plane, sign), []).append(box(u, v, u + 1, v + 1))
    pieces: list[tuple[str, int, int, int, Polygon]] = []
    for (name, axis, plane, sign), squares in groups.items():
        joined = unary_union(squares)
        for part in getattr(joined, "geoms", [joined]):
            pieces.append((name, axis, plane, sign, part))
    return _stitched(cells, pieces, inward)


def _owner(cells: Cells, cell: NDArray[np.int64], axis: int, sign: int, inward: bool) -> int:
    """The cut that a face belongs to: the one that emptied (or, inward, filled) the cell beside it."""
    other = cell.copy()
    other[axis] += 1  # the plane lies after `cell`
    # of a solid the empty cell tells, of a room the full one
    beside = (cell if sign > 0 else other) if inward else (other if sign > 0 else cell)
    if np.any(beside < 0) or np.any(beside >= cells.whose.shape):
        return -1
    return int(cells.whose[tuple(beside)])


def _stitched(
    cells: Cells, pieces: list[tuple[str, int, int, int, Polygon]], inward: bool
) -> tuple[Array, list[str], list[list[int]]]:
    """Polygons in cell numbers as loops over shared vertices; where one's corner lies on another's side, it gets one
    too."""
    rings: list[list[list[tuple[int, int, int]]]] = []
    corners: set[tuple[int, int, int]] = set()
    for _, axis, plane, _, part in pieces:
        mine = []
        for ring in (part.exterior, *part.interiors):
            flat = _corners([(round(x), round(y)) for x, y in ring.coords[:-1]])
            mine.append([_lifted(p, axis, plane) for p in flat])
            corners.update(mine[-1])
        rings.append(mine)
    index = {p: n for n, p in enumerate(sorted(corners))}
    vertices = np.array([[cells.lines[k][p[k]] for k in range(3)] for p in index], dtype=np.float64).reshape(-1, 3)
    names: list[str] = []
    loops: list[list[int]] = []
    used: dict[str, int] = {}
    for (name, axis, plane, sign, _), mine in zip(pieces, rings, strict=True):
        whole = [_with_corners(ring, corners) for ring in mine]
        keyed = _keyhole([[tuple(p[k] for k in range(3) if k != axis) for p in ring] for ring in whole])
        loop = [index[_lifted(p, axis, plane)] for p in keyed]
        # in the plane (u, v) of the two other axes, counter-clockwise looks along +axis for run and rise-less pairs
        turns = _signed_area(keyed) > 0
        towards = turns if axis != 1 else not turns
        if towards != ((sign > 0) != inward):
            loop.reverse()
        used[name] = used.get(name, 0) + 1
        names.append(name if used[name] == 1 else f"{name}{used[name]}")
        loops.append(loop)
    return vertices, names, loops


def _lifted(p: tuple[int, ...], axis: int, plane: int) -> tuple[int, int, int]:
    out = list(p)
    out.insert(axis, plane)
    return out[0], out[1], out[2]


def _signed_area(p: list[tuple[int, ...]]) -> float:
    following = [*p[1:], p[0]]
    return 0.5 * sum(a[0] * b[1] - b[0] * a[1] for a, b in zip(p, following, strict=True))


def _corners(p: list[tuple[int, int]]) -> list[tuple[int, int]]:
    """A ring without the points at which it goes straight on."""
    n = len(p)
    return [
        p[i]
        for i in range(n)
        if (p[i][0] - p[i - 1][0]) * (p[(i + 1) % n][1] - p[i][1])
        != (p[i][1] - p[i - 1][1]) * (p[(i + 1) % n][0] - p[i][0])
    ]


def _with_corners(ring: list[tuple[int, int, int]], corners: set[tuple[int, int, int]]) -> list[tuple[int, int, int]]:
    out: list[tuple[int, int, int]] = []
    for a, b in zip(ring, [*ring[1:], ring[0]], strict=True):
        out.append(a)
        axis = next(k for k in range(3) if a[k] != b[k])
        step = 1 if b[axis] > a[axis] else -1
        for at in range(a[axis] + step, b[axis], step):
            between = (*a[:axis], at, *a[axis + 1 :])
            if between in corners:
                out.append((between[0], between[1], between[2]))
    return out


def _keyhole(rings: list[list[tuple[int, ...]]]) -> list[tuple[int, ...]]:
    """One loop of an outline and its holes, which are joined to it by a way there and back (to be triangulated as
    one)."""
    outer, holes = rings[0], [_turned(r, rings[0]) for r in rings[1:]]
    region = Polygon(outer, rings[1:])
    while holes:
        best: tuple[float, int, int, int] | None = None
        for h, hole in enumerate(holes):
            for i, a in enumerate(outer):
                for j, b in enumerate(hole):
                    far = float((a[0] - b[0]) ** 2 + (a[1] - b[1]) ** 2)
                    if (best is None or far < best[0]) and region.covers(LineString([a, b])):
                        best = (far, h, i, j)
        assert best is not None, "a hole always sees its outline or another hole"
        _, h, i, j = best
        hole = holes.pop(h)
        outer = [*outer[: i + 1], *hole[j:], *hole[: j + 1], *outer[i:]]
    return outer


def _turned(ring: list[tuple[int, ...]], outer: list[tuple[int, ...]]) -> list[tuple[int, ...]]:
    """A hole, running the other way round than its outline."""
    return ring[::-1] if (_signed_area(ring) > 0) == (_signed_area(outer) > 0) else ring
