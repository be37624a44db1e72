"""Solids → planar faces. Every solid of a shot becomes vertices and named, counter-clockwise loops."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import Array
from roofline.core.massing.cuts import cells_of, faces_of_cells
from roofline.model.massing import (
    AnySolid,
    Backdrop,
    Block,
    Column,
    Flat,
    Gable,
    Ground,
    Imported,
    Mesh,
    Panel,
    Room,
    Slab,
    Steps,
    Wall,
)


@dataclass(frozen=True)
class Triangles:
    """What a file that was brought in contains: vertices (V, 3) in metres, indices (T, 3)."""

    vertices: Array
    indices: NDArray[np.int64]


Meshes = Mapping[str, Triangles]


@dataclass(frozen=True)
class Faces:
    """Vertices (V, 3) in metres and named loops, counter-clockwise seen from the face's front."""

    vertices: Array
    names: list[str]
    loops: list[list[int]]
    cutout: bool = False


def turned(points: Array, corner: tuple[float, float, float], turn_deg: float) -> Array:
    """Local points (…, 3) turned about the rise through the origin and set at `corner`."""
    c, s = np.cos(np.radians(turn_deg)), np.sin(np.radians(turn_deg))
    r = np.array([[c, 0, s], [0, 1, 0], [-s, 0, c]])
    return points @ r.T + np.array(corner)


def heading(heading_deg: float) -> tuple[Array, Array]:
    """Unit level vectors of a heading: where it points (0° along −return, turning to the right), and its right."""
    a = np.radians(heading_deg)
    return np.array([np.sin(a), 0.0, -np.cos(a)]), np.array([np.cos(a), 0.0, np.sin(a)])


def _ground(s: Ground) -> Faces:
    (x, z), (w, d) = s.centre, s.size
    if not s.profile:
        v = [
            [x - w / 2, s.height, z + d / 2],
            [x + w / 2, s.height, z + d / 2],
            [x + w / 2, s.height, z - d / 2],
            [x - w / 2, s.height, z - d / 2],
        ]
        return Faces(np.array(v), ["top"], [[0, 1, 2, 3]])
    along = [p[0] for p in s.profile]
    up = [s.height + p[1] for p in s.profile]
    if s.along == "run":
        rows = [[[x + a, y, z + d / 2], [x + a, y, z - d / 2]] for a, y in zip(along, up, strict=True)]
    else:
        rows = [[[x - w / 2, y, z + a], [x + w / 2, y, z + a]] for a, y in zip(along, up, strict=True)]
    n = len(rows)
    loops = [[2 * i, 2 * i + 2, 2 * i + 3, 2 * i + 1] for i in range(n - 1)]
    return Faces(np.array(rows, float).reshape(-1, 3), [f"strip{i + 1}" for i in range(n - 1)], loops)


BOX_NAMES = ["front", "right", "back", "left", "top", "base"]
BOX_LOOPS = [[4, 5, 6, 7], [5, 1, 2, 6], [1, 0, 3, 2], [0, 4, 7, 3], [7, 6, 2, 3], [0, 1, 5, 4]]


def _box(size: tuple[float, float, float]) -> Array:
    w, h, d = size
    return np.array([[0, 0, 0], [w, 0, 0], [w, h, 0], [0, h, 0], [0, 0, d], [w, 0, d], [w, h, d], [0, h, d]], float)


def _block(s: Block) -> Faces:
    if not s.cuts:
        return Faces(turned(_box(s.size), s.corner, s.turn_deg), list(BOX_NAMES), [list(loop) for loop in BOX_LOOPS])
    v, names, loops = faces_of_cells(cells_of(np.array(s.size), s.cuts), s.cuts)
    return Faces(turned(v, s.corner, s.turn_deg), names, loops)


def _room(s: Room) -> Faces:
    if s.cuts:
        v, names, loops = faces_of_cells(cells_of(np.array(s.size), s.cuts, added=True), s.cuts, inward=True)
    else:
        v, names, loops = _box(s.size), list(BOX_NAMES), [loop[::-1] for loop in BOX_LOOPS]
    kept = [(n, loop) for n, loop in zip(names, loops, strict=True) if n not in s.open]
    return Faces(turned(v, s.corner, s.turn_deg), [n for n, _ in kept], [loop for _, loop in kept])


def _steps(s: Steps) -> Faces:
    w, h, d = s.size
    n = s.count
    profile = [(0.0, 0.0), (d, 0.0)]  # return, rise; the front is at d
    for i in range(n):
        profile += [(d - i * d / n, (i + 1) * h / n), (d - (i + 1) * d / n, (i + 1) * h / n)]
    m = len(profile)
    v = np.array([[x, y, z] for x in (0.0, w) for z, y in profile])
    names, loops = ["base"], [[0, m, m + 1, 1]]
    for i in range(1, m - 1):
        names.append(f"riser{(i + 1) // 2}" if i % 2 else f"tread{i // 2}")
        loops.append([i, m + i, m + i + 1, i + 1])
    names += ["back", "left", "right"]
    loops += [[m - 1, 2 * m - 1, m, 0], list(range(m)), [m + i for i in range(m)][::-1]]
    return Faces(turned(v, s.corner, s.turn_deg), names, loops)


def _slab(s: Slab) -> Faces:
    outline = list(s.outline)
    area = sum(a[0] * b[1] - b[0] * a[1] for a, b in zip(outline, [*outline[1:], outline[0]], strict=True))
    if area > 0:  # run × return points down: counter-clockwise from above runs the other way in (run, return)
        outline.reverse()
    n = len(outline)
    v = [[x, s.level - s.thickness, z] for x, z in outline] + [[x, s.level, z] for x, z in outline]
    loops = [[i, (i + 1) % n, n + (i + 1) % n, n + i] for i in range(n)]
    loops += [[n + i for i in range(n)], list(range(n))[::-1]]
    return Faces(np.array(v), [f"side{i + 1}" for i in range(n)] + ["top", "base"], loops)


def _gable(s: Gable) -> Faces:
    """A ridge along run; one along return is the same, turned by a quarter."""
    w, h, d = s.size
    if s.ridge == "return":
        lengthways = _ridged(d, h, w, s.overhang, s.hip)
        v = np.stack([lengthways[0][:, 2], lengthways[0][:, 1], lengthways[0][:, 0]], axis=1)
        other = {"front": "right", "back": "left", "left": "back", "right": "front", "base": "base"}
        names, loops = [other[n] for n in lengthways[1]], [loop[::-1] for loop in lengthways[2]]
    else:
        v, names, loops = _ridged(w, h, d, s.overhang, s.hip)
    return Faces(turned(v, s.corner, s.turn_deg), names, loops)


def _ridged(w: float, h: float, d: float, overhang: float, hip: float) -> tuple[Array, list[str], list[list[int]]]:
    """A roof with its ridge along x over the rectangle w × d; slopes are carried on beyond it by the overhang."""
    hip = min(hip, w / 2)
    drop = overhang * h / (d / 2)
    # hipped ends reach the same eaves' level, upright ones stand out as far as the slopes
    end = overhang * hip / (d / 2) if hip > 0 else overhang
    x0, x1, z0, z1 = -end, w + end, -overhang, d + overhang
    foot = [[x0, -drop, z0], [x1, -drop, z0], [x1, -drop, z1], [x0, -drop, z1]]
    left, right = (hip, w - hip) if hip > 0 else (x0, x1)
    base = [0, 1, 2, 3]
    if right - left < 1e-9:
        v = np.array([*foot, [w / 2, h, d / 2]], float)
        return v, ["front", "back", "left", "right", "base"], [[3, 2, 4], [1, 0, 4], [0, 3, 4], [2, 1, 4], base]
    v = np.array([*foot, [left, h, d / 2], [right, h, d / 2]], float)
    return v, ["front", "back", "left", "right", "base"], [[3, 2, 5, 4], [1, 0, 4, 5], [0, 3, 4], [2, 1, 5], base]


def _column(s: Column) -> Faces:
    n = s.sides
    a = np.arange(n) * 2 * np.pi / n + np.radians(s.turn_deg)
    ring = np.stack([np.sin(a), np.zeros(n), np.cos(a)], axis=1)
    low, high = ring * s.radius_foot, ring * s.radius_top + np.array([0, s.height, 0])
    loops = [[i, (i + 1) % n, n + (i + 1) % n, n + i] for i in range(n)]
    loops += [[n + i for i in range(n)], list(range(n))[::-1]]
    return Faces(
        np.concatenate([low, high]) + np.array(s.foot), [f"side{i + 1}" for i in range(n)] + ["top", "base"], loops
    )


def _wall(s: Wall) -> Faces:
    (ax, az), (bx, bz) = s.a, s.b
    if not s.cuts:
        v = [[ax, s.base, az], [bx, s.base, bz], [bx, s.base + s.height, bz], [ax, s.base + s.height, az]]
        return Faces(np.array(v), ["front"], [[0, 1, 2, 3]])
    # as a block of one layer, of which only the front is kept
    length = float(np.hypot(bx - ax, bz - az))
    layer = [c.model_copy(update={"low": (*c.low[:2], 0.0), "high": (*c.high[:2], 1.0)}) for c in s.cuts]
    flat, names, loops = faces_of_cells(cells_of(np.array([length, s.height, 1.0]), layer), layer)
    front = [loop for n, loop in zip(names, loops, strict=True) if n.startswith("front")]
    used = sorted({i for loop in front for i in loop})
    place = {old: new for new, old in enumerate(used)}
    along = np.array([bx - ax, 0.0, bz - az]) / length
    world = np.array([ax, s.base, az]) + flat[used, :1] * along + flat[used, 1:2] * [0, 1.0, 0]
    loops = [[place[i] for i in loop] for loop in front]
    return Faces(world, ["front" if i == 0 else f"front{i + 1}" for i in range(len(loops))], loops)


def _flat(s: Flat) -> Faces:
    _, right = heading(s.heading_deg)
    left, rt, bottom, top = s.extent
    up = np.array([0, 1.0, 0])
    v = [right * x + up * y for x, y in ((left, bottom), (rt, bottom), (rt, top), (left, top))]
    return Faces(np.array(v) + np.array(s.foot), ["front"], [[0, 1, 2, 3]], cutout=True)


def _dome(s: Backdrop, ahead: Array, right: Array) -> Faces:
    """A part of a sphere about the viewer's foot, seen from inside: rings at every ten degrees or so of elevation."""
    rings = max(1, int(np.ceil(s.dome_deg / 10)))
    arc = s.arc_deg if s.arc_deg > 0 else 180.0
    n = max(3, int(np.ceil(arc / 10)) + 1)
    centre = np.array([s.viewer[0], s.base, s.viewer[2]])
    turns = np.radians(np.linspace(-arc / 2, arc / 2, n))
    tilts = np.radians(np.linspace(0, s.dome_deg, rings + 1))
    closed = s.dome_deg >= 90 - 1e-9
    v = [
        centre + s.distance * (np.cos(e) * (np.cos(a) * ahead + np.sin(a) * right) + np.sin(e) * np.array([0, 1.0, 0]))
        for e in (tilts[:-1] if closed else tilts)
        for a in turns
    ]
    names, loops = [], []
    for r in range(rings):
        for i in range(n - 1):
            low = [r * n + i, r * n + i + 1]
            top = [len(v)] if closed and r == rings - 1 else [(r + 1) * n + i + 1, (r + 1) * n + i]
            names.append(f"panel{i + 1}" if r == 0 else f"ring{r + 1}-{i + 1}")
            loops.append([*low, *top])
    if closed:
        v.append(centre + np.array([0, s.distance, 0]))
    return Faces(np.array(v), names, loops)


def _backdrop(s: Backdrop) -> Faces:
    ahead, right = heading(s.heading_deg)
    viewer = np.array(s.viewer)
    up = np.array([0, 1.0, 0])
    if s.dome_deg > 0:
        return _dome(s, ahead, right)
    base = np.array([viewer[0], s.base, viewer[2]])
    if s.arc_deg <= 0:
        middle = base + ahead * s.distance
        feet = [middle - right * s.width / 2, middle + right * s.width / 2]
    else:
        n = max(2, int(np.ceil(s.arc_deg / 6)) + 1)
        angles = np.radians(np.linspace(-s.arc_deg / 2, s.arc_deg / 2, n))
        feet = [base + s.distance * (np.cos(a) * ahead + np.sin(a) * right) for a in angles]
    v = np.array(feet + [f + up * s.height for f in feet])
    m = len(feet)
    loops = [[i, i + 1, m + i + 1, m + i] for i in range(m - 1)]
    return Faces(v, ["front"] if m == 2 else [f"panel{i + 1}" for i in range(m - 1)], loops)


def _imported(s: Imported, mesh: Triangles | None) -> Faces:
    if mesh is None:
        low, high = np.array(s.low), np.array(s.high)
        v = low + _box(tuple(np.maximum(high - low, 1e-6).tolist()))
        names, loops = list(BOX_NAMES), [list(loop) for loop in BOX_LOOPS]
    else:
        v, loops = mesh.vertices, mesh.indices.tolist()
        names = [f"f{i + 1}" for i in range(len(loops))]
    return Faces(turned(s.scale * v, s.position, s.turn_deg), names, loops)


NO_MESHES: Meshes = {}


def faces_of(solid: AnySolid, meshes: Meshes = NO_MESHES) -> Faces:
    """Faces of a solid in world metres; `meshes` holds what the files of imported ones contain, by file.

    An imported one whose file is not at hand is the box that it fills.
    """
    match solid:
        case Ground():
            return _ground(solid)
        case Block():
            return _block(solid)
        case Gable():
            return _gable(solid)
        case Column():
            return _column(solid)
        case Wall():
            return _wall(solid)
        case Slab():
            return _slab(solid)
        case Room():
            return _room(solid)
        case Steps():
            return _steps(solid)
        case Panel():
            return Faces(np.array(solid.points, dtype=np.float64), ["front"], [list(range(len(solid.points)))])
        case Imported():
            return _imported(solid, meshes.get(solid.file))
        case Flat():
            return _flat(solid)
        case Backdrop():
            return _backdrop(solid)
        case Mesh():
            return Faces(
                np.array(solid.vertices, dtype=np.float64),
                [f.name for f in solid.faces],
                [list(f.loop) for f in solid.faces],
                solid.cutout,
            )
