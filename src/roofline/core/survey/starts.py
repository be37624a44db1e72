"""Closed-form starts: robust vanishing points, then rotations for a row of focal lengths."""

from __future__ import annotations

import numpy as np

from roofline.core.camera import Array

PAIRS = 1500
Lines = tuple[Array, Array, Array]  # of edges: middle (E, 2), unit direction (E, 2), length (E,), in pixels
COLUMNS = {0: 0, 1: 2, 2: 1}  # family → world axis


def upright(rotation: Array) -> Array:
    """Of the four rotations with the same vanishing points, the one with rise up and run to the right."""
    r = rotation.copy()
    if r[1, 1] > 0:
        r[:, 1] *= -1
        r[:, 2] *= -1
    if r[0, 0] < 0:
        r[:, 0] *= -1
        r[:, 2] *= -1
    return r


def axis_rotation(known: dict[int, Array]) -> Array:
    """The proper rotation (world → camera) nearest to two or three axes' camera directions known up to sign.

    Of those with the same vanishing points, the one with rise up and run to the right.
    """
    run, back, rise = known.get(0), known.get(1), known.get(2)
    if rise is not None:
        rise = rise if rise[1] <= 0 else -rise
    if run is not None:
        run = run if run[0] >= 0 else -run
    if rise is None:
        assert run is not None and back is not None
        back = back if np.cross(back, run)[1] <= 0 else -back
        rise = np.cross(back, run)
    elif run is None:
        assert back is not None
        back = back if np.cross(rise, back)[0] >= 0 else -back
        run = np.cross(rise, back)
    elif back is None:
        back = np.cross(run, rise)
    else:
        back = back if np.cross(run, rise) @ back >= 0 else -back
    u, _, vt = np.linalg.svd(np.stack([run, rise, back], axis=1))
    return u @ np.diag([1, 1, np.linalg.det(u @ vt)]) @ vt  # type: ignore[no-any-return]


def single_family_rotation(family: int, direction: Array) -> Array:
    """A level rotation that has one family's camera direction; what is left free is set as plainly as can be."""
    d = direction / np.linalg.norm(direction)
    if family == 2:
        rise = d if d[1] <= 0 else -d
        side = np.array([1.0, 0, 0]) - rise[0] * rise
        run = side / np.linalg.norm(side)
    elif family == 0:
        run = d if d[0] >= 0 else -d
        up = np.array([0, -1.0, 0]) + run[1] * run
        rise = up / np.linalg.norm(up)
    else:
        back = d
        up = np.array([0, -1.0, 0]) + back[1] * back
        rise = up / np.linalg.norm(up)
        run = np.cross(rise, back)
        if run[0] < 0:
            run = -run
    return np.stack([run, rise, np.cross(run, rise)], axis=1)


def miss(vanishing: Array, middle: Array, direction: Array, length: Array) -> Array:
    """How far the ends of edges (E) are from lines through their middles and vanishing points (V, 3), (V, E) pixels."""
    to = vanishing[:, None, :2] - middle[None] * vanishing[:, None, 2:]
    size = np.maximum(np.linalg.norm(to, axis=2), 1e-300)
    cross = to[..., 0] * direction[None, :, 1] - to[..., 1] * direction[None, :, 0]
    return np.abs(cross) / size * length[None] / 2  # type: ignore[no-any-return]


def aslant(vanishing: Array, lines: Array) -> Array:
    """Sines (V, N) of the angles at which segments (N, 2, 2) run past vanishing points (V, 3)."""
    span = lines[:, 1] - lines[:, 0]
    length = np.linalg.norm(span, axis=1)
    return miss(vanishing, lines.mean(1), span / length[:, None], length) / (length / 2)


def trusted(families: Array, fitted: Lines, sigma: float) -> Array:
    """Weights (E,) by which edges agree with the best vanishing point of their family that two of them can give.

    Every pair (a seeded choice of them, when there are many) proposes its crossing; the one that most edges run
    towards wins, by the logarithmic cost.
    """
    middle, direction, length = fitted
    lines = np.cross(np.c_[middle, np.ones(len(middle))], np.c_[direction, np.zeros(len(middle))])
    weight = np.ones(len(families))
    for family in range(3):
        mine = np.flatnonzero(families == family)
        if len(mine) < 3:
            continue
        i, j = np.triu_indices(len(mine), 1)
        if len(i) > PAIRS:
            pick = np.random.default_rng(1).choice(len(i), PAIRS, replace=False)
            i, j = i[pick], j[pick]
        crossing = np.cross(lines[mine[i]], lines[mine[j]])
        off = miss(crossing, middle[mine], direction[mine], length[mine])
        best = off[int(np.argmin(np.log1p((off / sigma) ** 2).sum(1)))]
        scale = max(sigma, 1.4826 * float(np.median(best)))
        weight[mine] = 1 / (1 + (best / (2.5 * scale)) ** 2)
    return weight


def directions(families: Array, fitted: Lines, weight: Array, focal: float, centre: Array) -> dict[int, Array]:
    """Camera direction of each family for an assumed focal length: the weighted null vector of its line normals."""
    middle, direction, length = fitted
    x = (middle - centre) / focal
    lines = np.cross(np.c_[x, np.ones(len(x))], np.c_[direction, np.zeros(len(x))])
    lines *= (weight * length / np.linalg.norm(lines, axis=1))[:, None]
    out: dict[int, Array] = {}
    for family in range(3):
        mine = lines[families == family]
        if len(mine) >= 2:
            out[family] = np.linalg.svd(mine)[2][2]
    return out


def one_point(fitted: Lines, sigma: float) -> bool:
    """Whether all edges run through one point, so that they cannot be of two directions."""
    middle, direction, length = fitted
    lines = np.cross(np.c_[middle, np.ones(len(middle))], np.c_[direction, np.zeros(len(middle))])
    scaled = lines * [1, 1, 1 / max(float(np.abs(middle).max()), 1.0)]
    v = np.linalg.svd(scaled)[2][2] * [1, 1, 1 / max(float(np.abs(middle).max()), 1.0)]
    return bool(np.all(miss(v[None], middle, direction, length)[0] < 2 * sigma))
