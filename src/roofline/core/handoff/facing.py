"""How finely each face has to carry its picture: tiles, each at the density that the move needs of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import mapbox_earcut
import numpy as np
import shapely
from numpy.typing import NDArray

from roofline.core.camera import Array
from roofline.core.moment import Moment, spread
from roofline.core.throw.engine import Engine
from roofline.core.throw.squared import Grid, Plane

SPARE = 1.12  # texels along a delivered pixel: what one bilinear look-up shows best
LOOKS, ACROSS = 16, 320  # frames that are looked at, and pixels across each
LEAST, MOST, UNSEEN = 4, 4096, 48  # texels of a side; the longer side of a face that no frame shows
WHOLE = 512 * 512  # texels: a smaller tile is not divided
EACH = 100_000  # texels that a tile costs beside its own: one is divided when its parts cost less
DEEPEST = 24
BUDGET = 150e6  # texels of a whole set


@dataclass
class Need:
    """Where a face is seen, metres on its plane (2, N), and delivered pixels a metre along and up there (2, N)."""

    at: Array
    density: Array


@dataclass
class Tile:
    """A part of a face that carries one picture."""

    face: int
    plane: Plane
    grid: Grid  # one texel wider than the part on every side
    corners: Array  # (V, 2) metres on the plane
    triangles: NDArray[np.int64]  # (T, 3)


def planes_of(engine: Engine) -> list[Plane]:
    """The plane of every face, from the middle of its corners."""
    g = engine.geometry
    total, count = np.zeros((len(g.names), 3)), np.zeros(len(g.names))
    np.add.at(total, g.tri_face, g.corners.mean(1))
    np.add.at(count, g.tri_face, 1.0)
    middle = total / np.maximum(count, 1)[:, None]
    return [Plane.of(n, m - n * (n @ m - d)) for n, m, d in zip(g.normals, middle, g.offsets, strict=True)]


def _looks(engine: Engine, moments: Sequence[Moment]) -> list[tuple[Moment, NDArray[np.int32]]]:
    """Some of the moments, coarse, and the nearest face (H, W) in each, cut-outs and what is behind them both."""
    out = []
    for coarse in (moments[i].across(ACROSS) for i in spread(moments, LOOKS)):
        out += [(coarse, engine.nearest(coarse)), (coarse, engine.nearest(coarse, behind=True))]
    return out


def needs_of(engine: Engine, planes: Sequence[Plane], moments: Sequence[Moment]) -> list[Need | None]:
    """What each face needs, from where the frames show it; None for those that none shows."""
    g = engine.geometry
    found: list[list[tuple[Array, Array]]] = [[] for _ in g.names]
    for moment, nearest in _looks(engine, moments):
        order = np.argsort(nearest, axis=None, kind="stable")
        faces = nearest.ravel()[order]
        ends = np.flatnonzero(np.r_[True, faces[1:] != faces[:-1], True])
        for begin, end in zip(ends, ends[1:], strict=False):
            face = int(faces[begin])
            if face < 0:
                continue
            y, x = np.divmod(order[begin:end], nearest.shape[1])
            view = moment.view_of(g.solid_ids[g.solid[face]])
            ray = view.rays(np.stack([x + 0.5, y + 0.5], axis=-1))
            slope = ray @ g.normals[face]
            depth = (g.offsets[face] - g.normals[face] @ view.position) / np.where(slope == 0, 1e-12, slope)
            spot, plane = view.position + ray * depth[:, None], planes[face]
            axes = view.rotation @ np.stack([plane.along, plane.up], axis=1)
            seen = (spot - view.position) @ view.rotation.T
            # the image of a metre along an axis: f / z · (axis − its depth's share of the direction)
            moved = axes[None, :2] - seen[:, :2, None] / seen[:, 2:, None] * axes[None, 2:]
            density = np.linalg.norm(moved, axis=1) * (view.focal * view.unit / seen[:, 2])[:, None]
            found[face].append((plane.flat(spot).T, density.T))
    return [Need(*(np.concatenate(part, axis=1) for part in zip(*f, strict=True))) if f else None for f in found]


def _size(need: Need | None, low: Array, high: Array) -> tuple[float, float]:
    """Texels that a rectangle needs along and up."""
    extent = high - low
    if need is None:
        side = UNSEEN / max(float(extent.max()), 1e-9)
        return float(extent[0] * side), float(extent[1] * side)
    wanted = extent * SPARE * need.density.max(1)
    return float(wanted[0]), float(wanted[1])


def _within(need: Need | None, low: Array, high: Array) -> Need | None:
    """What is needed in a rectangle, and a little around it: between two looks the frame has gone on."""
    if need is None:
        return None
    room = 0.1 * (high - low)
    (x, y), (x0, y0), (x1, y1) = need.at, low - room, high + room
    inside = (x >= x0) & (x <= x1) & (y >= y0) & (y <= y1)
    return Need(need.at[:, inside], need.density[:, inside]) if inside.any() else None


def _divide(need: Need | None, low: Array, high: Array, depth: int = 0) -> list[tuple[Array, Array, Need | None]]:
    """Rectangles with what they need: halved along the side with more texels, where that is cheaper or must be."""
    across, up = _size(need, low, high)
    whole = [(low, high, need)]
    if depth >= DEEPEST or (across * up <= WHOLE and max(across, up) <= MOST):
        return whole
    axis = 0 if across >= up else 1
    middle = 0.5 * (low[axis] + high[axis])
    first, second = high.copy(), low.copy()
    first[axis] = second[axis] = middle
    parts = []
    for a, b in ((low, first), (second, high)):
        parts += _divide(_within(need, a, b), a, b, depth + 1)
    cost = sum(EACH + a * b for a, b in (_size(n, lo, hi) for lo, hi, n in parts))
    return parts if max(across, up) > MOST or cost < EACH + across * up else whole


def _polygons(shape: shapely.Geometry) -> list[shapely.Polygon]:
    """The polygons of a shape that have an area, outer rings to the left."""
    parts = shapely.get_parts(shape)
    return [shapely.orient_polygons(p) for p in parts if p.geom_type == "Polygon" and p.area > 1e-10]


def _rings(polygon: shapely.Polygon) -> list[Array]:
    """The corners (V, 2) of a polygon's rings, the outer one first."""
    return [np.asarray(ring.coords)[:-1] for ring in (polygon.exterior, *polygon.interiors)]


def _with_neighbours(ring: Array, points: Array) -> Array:
    """A ring with those of some points that lie on its sides added, so that no gap opens between tiles."""
    made: list[Array] = []
    for a, b in zip(ring, np.roll(ring, -1, axis=0), strict=True):
        way = b - a
        length = max(float(np.hypot(*way)), 1e-9)
        along = (points - a) @ way / length
        off = np.abs((points - a) @ [-way[1], way[0]]) / length
        on = (off < 1e-6) & (along > 1e-6) & (along < length - 1e-6)
        made += [a, *points[on][np.argsort(along[on])]]
    return np.array(made)


def _tile(face: int, plane: Plane, rings: list[Array], need: Need | None, scale: float) -> Tile:
    """A tile of rings of corners, the outer one first."""
    low, high = rings[0].min(0), rings[0].max(0)
    inner = np.clip(np.ceil(np.array(_size(need, low, high)) * scale), LEAST, MOST).astype(int)
    room = (high - low) / inner
    grid = Grid(low - room, high + room, (int(inner[0]) + 2, int(inner[1]) + 2))
    corners = np.concatenate(rings)
    ends = np.cumsum([len(r) for r in rings]).astype(np.uint32)
    triangles = mapbox_earcut.triangulate_float64(corners, ends).reshape(-1, 3).astype(np.int64)
    a, b, c = (corners[triangles[:, i]] for i in range(3))
    turned = np.cross(b - a, c - a) < 0
    triangles[turned] = triangles[turned][:, ::-1]
    return Tile(face, plane, grid, corners, triangles)


def _cut(face: int, plane: Plane, triangles: Array, need: Need | None, scale: float) -> list[Tile]:
    """The tiles of a face of triangles (T, 3, 2)."""
    low, high = triangles.min((0, 1)), triangles.max((0, 1))
    whole = shapely.union_all(shapely.polygons(triangles), grid_size=1e-7) if len(triangles) > 1 else None
    whole = shapely.polygons(triangles[0]) if whole is None else whole.simplify(1e-6)
    parts: list[tuple[list[Array], Need | None]] = []
    rectangles = _divide(_within(need, low, high), low, high)
    for a, b, own in rectangles:
        shape = whole if len(rectangles) == 1 else shapely.intersection(whole, shapely.box(*a, *b))
        parts += [(_rings(p), own) for p in _polygons(shape)]
    if len(parts) > 1:
        points = np.unique(np.round(np.concatenate([r for rings, _ in parts for r in rings]), 7), axis=0)
        parts = [([_with_neighbours(r, points) for r in rings], own) for rings, own in parts]
    return [_tile(face, plane, rings, own, scale) for rings, own in parts]


def tiles_of(engine: Engine, moments: Sequence[Moment]) -> list[Tile]:
    """Every face in one part, or in several where it is large, each with the texels that the moments need."""
    g, planes = engine.geometry, planes_of(engine)
    needs = needs_of(engine, planes, moments)
    order = np.argsort(g.tri_face, kind="stable")
    ends = np.searchsorted(g.tri_face[order], np.arange(len(g.names) + 1))
    flat = [planes[f].flat(g.corners[order[ends[f] : ends[f + 1]]]) for f in range(len(g.names))]

    def all_tiles(scale: float) -> list[Tile]:
        return [t for f, p in enumerate(planes) if len(flat[f]) for t in _cut(f, p, flat[f], needs[f], scale)]

    made = all_tiles(1.0)
    texels = sum(t.grid.size[0] * t.grid.size[1] for t in made)
    return made if texels <= BUDGET else all_tiles(float(np.sqrt(BUDGET / texels)))
