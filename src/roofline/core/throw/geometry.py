"""The set's geometry for the engine: planes, triangles and convex pieces. It knows no plate and no limit."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import Array
from roofline.core.massing.planes import plane_of, triangles_of
from roofline.core.massing.solids import Faces
from roofline.core.throw.pieces import Pieces, pieces_of


@dataclass(frozen=True)
class Part:
    """One solid, compiled: F faces, T triangles (their faces counted from its own first)."""

    corners: Array  # (T, 3, 3) world
    tri_face: NDArray[np.int64]  # (T,)
    normals: Array  # (F, 3)
    offsets: Array  # (F,)
    names: list[str]
    cutout: bool
    passes: Array  # (F,) rise of the level that a face is drawn before, where it lies below it; else NaN


@dataclass(frozen=True)
class Geometry:
    """All solids, compiled. F faces, T triangles."""

    corners: Array  # (T, 3, 3) world
    tri_face: NDArray[np.int32]  # (T,)
    normals: Array  # (F, 3)
    offsets: Array  # (F,)
    cutout: NDArray[np.bool_]  # (F,)
    solid: NDArray[np.int32]  # (F,) index into solid_ids
    names: list[str]  # F names `solid/face`
    solid_ids: list[str]
    pieces: Pieces
    passes: Array  # (F,) as of a `Part`


def _passes(faces: Faces, names: list[str]) -> Array:
    return np.array([faces.passes.get(n, np.nan) for n in names], dtype=np.float64)


def part_of(faces: Faces) -> Part:
    """Compile a solid's faces; those without an area are left out."""
    if faces.loops and all(len(loop) == 3 for loop in faces.loops):  # a mesh: all at once
        p = faces.vertices[np.array(faces.loops)]
        n = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
        size = np.linalg.norm(n, axis=1)
        keep = size > 1e-14
        n = n[keep] / size[keep, None]
        offsets = np.einsum("ij,ij->i", n, p[keep].mean(1))
        names = [name for name, k in zip(faces.names, keep, strict=True) if k]
        return Part(p[keep], np.arange(int(keep.sum())), n, offsets, names, faces.cutout, _passes(faces, names))
    corners, tri_face, normals, offs, names = [], [], [], [], []
    for name, loop in zip(faces.names, faces.loops, strict=True):
        points = faces.vertices[loop]
        normal, d = plane_of(points)
        if not np.any(normal):
            continue
        triangles = points[triangles_of(points)]
        corners.append(triangles)
        tri_face.append(np.full(len(triangles), len(names)))
        names.append(name)
        normals.append(normal)
        offs.append(d)
    return Part(
        joined(corners, np.float64).reshape(-1, 3, 3),
        joined(tri_face, np.int64),
        np.array(normals, dtype=np.float64).reshape(-1, 3),
        np.array(offs, dtype=np.float64),
        names,
        faces.cutout,
        _passes(faces, names),
    )


def joined(parts: Sequence[Any], kind: Any) -> Any:
    """Arrays one after another, as a kind of number; none at all give an empty one."""
    return np.concatenate(parts).astype(kind) if len(parts) else np.zeros(0, dtype=kind)


def geometry_of(parts: Sequence[tuple[str, Part]]) -> Geometry:
    """Solids, by id, as one set."""
    counts = np.array([len(p.names) for _, p in parts], dtype=np.int64)
    first = np.r_[0, np.cumsum(counts)]
    names = [f"{ident}/{n}" for ident, p in parts for n in p.names]
    corners = joined([p.corners for _, p in parts], np.float64).reshape(-1, 3, 3)
    tri_face = joined([p.tri_face + f for (_, p), f in zip(parts, first, strict=False)], np.int32)
    normals = joined([p.normals for _, p in parts], np.float64).reshape(-1, 3)
    return Geometry(
        corners=corners,
        tri_face=tri_face,
        normals=normals,
        offsets=joined([p.offsets for _, p in parts], np.float64),
        cutout=joined([np.full(len(p.names), p.cutout) for _, p in parts], np.bool_),
        solid=np.repeat(np.arange(len(parts)), counts).astype(np.int32),
        names=names,
        solid_ids=[ident for ident, _ in parts],
        pieces=pieces_of(corners, tri_face, normals),
        passes=joined([p.passes for _, p in parts], np.float64),
    )
