"""Cutting surfaces into triangles fine enough that plain texture coordinates keep the picture in place."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit

from roofline.core.camera import Array
from roofline.core.moment import still
from roofline.core.throw.engine import Engine
from roofline.core.throw.lent import lent, write_table
from roofline.core.throw.measure import REACHED, reach
from roofline.core.throw.sight import raster_view

MAX_SPLITS = 13


@dataclass
class Patch:
    """Triangles of one solid that carry one plate (None: nothing thrown): corners (T, 3, 3), uv (T, 3, 2).

    ``stray``: by how many plate pixels its picture lies off its place at most.
    """

    solid: str
    plate: str | None
    corners: Array
    uv: Array
    stray: float = 0.0


@njit(cache=True, error_model="numpy")
def _statuses(k, plate, pixels, faces):  # type: ignore[no-untyped-def]
    """First pair (or −1) of a plate in reach for each raster pixel of that plate (homogeneous, (K, 3))."""
    room = np.empty(len(k), np.int64)
    write_table(lent(k), room)
    table, out = lent(room), np.full(pixels.shape[0], -1, dtype=np.int32)
    for i in range(pixels.shape[0]):
        if pixels[i, 2] <= 1e-9:
            continue
        for n in range(k.pair_start[faces[i]], k.pair_start[faces[i] + 1]):
            if k.pair_plate[n] == plate and out[i] < 0:
                status, _, _, _ = reach(table, n, pixels[i, 0] / pixels[i, 2], pixels[i, 1] / pixels[i, 2])
                if status == REACHED or not k.pair_occlusion[n]:
                    out[i] = n
    return out[: len(out) + 0 * len(room)]  # a table is let go of after its last mention


def first_reach(engine: Engine, points: Array, faces: np.ndarray) -> np.ndarray:
    """Pair in reach of each world point (K, 3) on its face, by the order of throws; −1 for none."""
    best = np.full(len(points), -1, dtype=np.int64)
    for p in range(len(engine.throws.plates)):
        view = raster_view(engine.throws, p)
        found = _statuses(engine.cast(still(view)), p, view.homogeneous(points), faces.astype(np.int32))
        better = (found >= 0) & ((best < 0) | (found < best))
        best[better] = found[better]
    return best


def split(corners: Array, faces: np.ndarray, engine: Engine, pixels: float) -> tuple[Array, np.ndarray, Array]:
    """Halve the longest edges until linear interpolation strays less than `pixels` from every plate's projection.

    Returns triangles (T, 3, 3), their faces (T,), and by how many plate pixels each strays (T,): more than asked for
    where they could not be cut finely enough.
    """
    s, g = engine.throws, engine.geometry
    done: list[tuple[Array, np.ndarray, Array]] = []
    for _ in range(2 * MAX_SPLITS):
        middle = 0.5 * (corners + np.roll(corners, -1, axis=1))
        stray = np.zeros(len(corners))
        for p, view in enumerate(s.views):
            mine = np.zeros(len(g.names), dtype=bool)
            mine[s.pair_face[s.pair_plate == p]] = True
            h, hm = view.homogeneous(corners), view.homogeneous(middle)
            ahead = (h[..., 2] > 0.05).all(1) & mine[faces]
            across = mine[faces] & ~ahead & (h[..., 2] > 0.05).any(1)
            with np.errstate(all="ignore"):
                uv, uvm = h[..., :2] / h[..., 2:], hm[..., :2] / hm[..., 2:]
                off = np.linalg.norm(uvm - 0.5 * (uv + np.roll(uv, -1, axis=1)), axis=-1).max(1)
                size = np.array([view.width, view.height])
                seen = ((uv.max(1) > -0.2 * size) & (uv.min(1) < 1.2 * size)).all(1)
            stray = np.maximum(stray, np.where(ahead & seen, np.nan_to_num(off), 0))
            stray = np.where(across, 1e9, stray)
        cut = stray > pixels
        done.append((corners[~cut], faces[~cut], stray[~cut]))
        if not cut.any():
            break
        c, f, left = corners[cut], faces[cut], np.tile(stray[cut], 2)
        length = np.linalg.norm(np.roll(c, -1, axis=1) - c, axis=-1)
        k = length.argmax(1)
        rows = np.arange(len(c))
        a, b, d = c[rows, k], c[rows, (k + 1) % 3], c[rows, (k + 2) % 3]
        m = 0.5 * (a + b)
        corners = np.concatenate([np.stack([a, m, d], 1), np.stack([m, b, d], 1)])
        faces = np.concatenate([f, f])
    else:
        done.append((corners, faces, left))
    c, f, left = (np.concatenate(part) for part in zip(*done, strict=True))
    return c, f, left


def unwrap(engine: Engine, pixels: float = 0.5) -> list[Patch]:
    """Patches of the whole scene. ``uv`` runs 0…1 over the plate's picture, from its top left corner."""
    s, g = engine.throws, engine.geometry
    corners, faces, stray = split(g.corners.copy(), g.tri_face.astype(np.int64), engine, pixels)
    pair = first_reach(engine, corners.mean(1), faces)
    out = []
    plate = np.where(pair >= 0, s.pair_plate[pair] if len(s.pair_plate) else -1, -1)
    for solid in range(len(g.solid_ids)):
        for p in range(-1, len(s.plates)):
            mine = (g.solid[faces] == solid) & (plate == p)
            if not mine.any():
                continue
            if p < 0:
                out.append(Patch(g.solid_ids[solid], None, corners[mine], np.zeros((int(mine.sum()), 3, 2))))
                continue
            x0, y0, w, h = s.canvas[p, :4]
            seen = s.views[p].homogeneous(corners[mine])
            uv = (seen[..., :2] / np.maximum(seen[..., 2:], 1e-6) - [x0, y0]) / [w, h]
            out.append(Patch(g.solid_ids[solid], s.plates[p], corners[mine], uv, float(stray[mine].max())))
    return out
