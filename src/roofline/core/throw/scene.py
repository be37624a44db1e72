"""A shot compiled for the engine: triangles, planes, and for every face its throws in order."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import Array, View, view_of
from roofline.core.massing.planes import plane_of, triangles_of
from roofline.core.massing.solids import NO_MESHES, Faces, Meshes, faces_of
from roofline.core.throw.mattes import joined_mattes
from roofline.errors import PlateError
from roofline.shot import Plate, Shot

Picture = NDArray[np.float32]


@dataclass
class PlatePicture:
    """The pixels behind a plate: size (width, height), matte (H, W) float32 0…1 or None, and its colour on demand.

    ``colour()`` gives (H, W, 3) float32 in linear light. ``key`` changes when the pixels change.
    """

    size: tuple[int, int]
    matte: Picture | None
    colour: Callable[[], Picture]
    key: str = ""


@dataclass
class Scene:
    """Arrays of a compiled shot. F faces, T triangles, N pairs of a face and a plate, P plates."""

    corners: Array  # (T, 3, 3) world
    tri_face: NDArray[np.int32]  # (T,)
    normals: Array  # (F, 3)
    offsets: Array  # (F,)
    cutout: NDArray[np.bool_]  # (F,)
    solid: NDArray[np.int32]  # (F,) index into solid_ids
    limits: Array  # (F, 2) stretch, magnification
    pair_start: NDArray[np.int32]  # (F + 1,)
    pair_plate: NDArray[np.int32]  # (N,)
    pair_face: NDArray[np.int32]  # (N,)
    pair_occlusion: NDArray[np.bool_]  # (N,)
    names: list[str]  # F names `solid/face`
    solid_ids: list[str]
    plates: list[Plate]
    views: list[View]  # of each plate's photo
    pictures: list[PlatePicture]
    matte: NDArray[np.float32]  # all mattes, one after another
    matte_at: NDArray[np.int64]  # (P,) offset, −1 for none
    blocks: NDArray[np.uint8]  # see `mattes`
    block_at: NDArray[np.int64]  # (P,)
    canvas: Array  # (P, 6): x0, y0, width, height in photo pixels; picture width, height
    without: list[set[int]] = field(default_factory=list)

    @cached_property
    def standpoints(self) -> Array:
        """Where each plate's photo was taken from, (P, 3)."""
        return np.array([v.position for v in self.views], dtype=np.float64).reshape(-1, 3)

    @cached_property
    def fronts(self) -> Array:
        """From a direction in the world to a plate's picture pixel, (P, 3, 3)."""
        out = np.empty((len(self.plates), 3, 3))
        for p, view in enumerate(self.views):
            x0, y0, w, h, pw, ph = self.canvas[p]
            to_picture = np.array([[pw / w, 0, -x0 * pw / w], [0, ph / h, -y0 * ph / h], [0, 0, 1.0]])
            out[p] = to_picture @ view.matrix @ view.rotation
        return out


def camera_views(shot: Shot) -> dict[str, View]:
    """The pinhole view of every surveyed photo, by id."""
    return {p.id: view_of(p.camera) for p in shot.photos if p.camera is not None}


@dataclass
class _Part:
    """A solid's share of the scene: F faces, T triangles (with faces counted from its own first), N pairs."""

    corners: Array
    tri_face: NDArray[np.int64]
    normals: Array
    offsets: Array
    names: list[str]
    cutout: bool
    limits: Array
    pair_counts: NDArray[np.int64]
    pair_plate: NDArray[np.int64]
    pair_occlusion: NDArray[np.bool_]


def _part(shot: Shot, faces: Faces, ident: str, number: dict[str, int]) -> _Part:
    corners, tri_face, normals, offsets, names = _planes(faces)
    names = [f"{ident}/{n}" for n in names]
    throws = [(number[t.plate], t.occlusion, set(t.targets)) for t in shot.throws if t.plate in number]
    whole = [(p, o) for p, o, targets in throws if ident in targets]
    single = any(t.startswith(ident + "/") for _, _, targets in throws for t in targets)
    if single:
        mine = [[(p, o) for p, o, targets in throws if ident in targets or n in targets] for n in names]
        flat = [x for face in mine for x in face]
        pair_counts = np.array([len(face) for face in mine], dtype=np.int64)
    else:
        flat = whole * len(names)
        pair_counts = np.full(len(names), len(whole), dtype=np.int64)
    own = shot.limits.surfaces
    limits = np.full((len(names), 2), (shot.limits.stretch, shot.limits.magnification), dtype=np.float64)
    for f, name in enumerate(names) if own else ():
        if (limit := own.get(name) or own.get(ident)) is not None:
            limits[f] = limit.stretch or shot.limits.stretch, limit.magnification or shot.limits.magnification
    return _Part(
        corners,
        tri_face,
        normals,
        offsets,
        names,
        faces.cutout,
        limits,
        pair_counts,
        np.array([p for p, _ in flat], dtype=np.int64),
        np.array([o for _, o in flat], dtype=np.bool_),
    )


def _planes(faces: Faces) -> tuple[Array, NDArray[np.int64], Array, Array, list[str]]:
    """Triangles (T, 3, 3), each one's face, normals (F, 3), offsets (F,) and names; faces without an area are left out."""
    if faces.loops and all(len(loop) == 3 for loop in faces.loops):  # a mesh: all at once
        p = faces.vertices[np.array(faces.loops)]
        n = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
        size = np.linalg.norm(n, axis=1)
        keep = size > 1e-14
        n = n[keep] / size[keep, None]
        offsets = np.einsum("ij,ij->i", n, p[keep].mean(1))
        names = [name for name, k in zip(faces.names, keep, strict=True) if k]
        return p[keep], np.arange(int(keep.sum())), n, offsets, names
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
    if not names:
        return np.zeros((0, 3, 3)), np.zeros(0, np.int64), np.zeros((0, 3)), np.zeros(0), []
    return np.concatenate(corners), np.concatenate(tri_face), np.array(normals), np.array(offs), names


def _joined(parts: list[Any], kind: Any) -> Any:
    return np.concatenate(parts).astype(kind) if parts else np.zeros(0, dtype=kind)


def compile_scene(shot: Shot, pictures: dict[str, PlatePicture], meshes: Meshes = NO_MESHES) -> Scene:
    """Compile a shot.

    Parameters
    ----------
    shot
        Plates whose photo has no camera cannot be thrown and are left out, with their throws.
    pictures
        The pixels of every plate, by id.
    meshes
        What the files of imported pieces contain, by file.
    """
    views = camera_views(shot)
    plates = [p for p in shot.plates if p.photo in views]
    number = {p.id: i for i, p in enumerate(plates)}
    for p in plates:
        if p.id not in pictures:
            raise PlateError(f"The picture of plate '{p.name}' is not there.")
    parts: list[_Part] = []
    for solid in shot.solids:
        parts.append(_part(shot, faces_of(solid, meshes), solid.id, number))
    counts = np.array([len(p.names) for p in parts], dtype=np.int64)
    first = np.r_[0, np.cumsum(counts)]
    pairs = np.concatenate([p.pair_counts for p in parts]) if parts else np.zeros(0, np.int64)
    names = [n for p in parts for n in p.names]
    canvas = []
    for p in plates:
        picture = pictures[p.id]
        canvas.append((*p.canvas, *picture.size))
        if picture.matte is not None and picture.matte.shape != (picture.size[1], picture.size[0]):
            raise PlateError(
                f"The matte of plate '{p.name}' is {picture.matte.shape[1]} × "
                f"{picture.matte.shape[0]} px, its picture {picture.size[0]} × {picture.size[1]} px."
            )
    solid_ids = [s.id for s in shot.solids]
    return Scene(
        corners=_joined([p.corners for p in parts], np.float64).reshape(-1, 3, 3),
        tri_face=_joined([p.tri_face + f for p, f in zip(parts, first, strict=False)], np.int32),
        normals=_joined([p.normals for p in parts], np.float64).reshape(-1, 3),
        offsets=_joined([p.offsets for p in parts], np.float64),
        cutout=_joined([np.full(len(p.names), p.cutout) for p in parts], np.bool_),
        solid=np.repeat(np.arange(len(parts)), counts).astype(np.int32),
        limits=_joined([p.limits for p in parts], np.float64).reshape(-1, 2),
        pair_start=np.r_[0, np.cumsum(pairs)].astype(np.int32),
        pair_plate=_joined([p.pair_plate for p in parts], np.int32),
        pair_face=np.repeat(np.arange(len(names)), pairs).astype(np.int32),
        pair_occlusion=_joined([p.pair_occlusion for p in parts], np.bool_),
        names=names,
        solid_ids=solid_ids,
        plates=plates,
        views=[views[p.photo] for p in plates],
        pictures=[pictures[p.id] for p in plates],
        **joined_mattes([(pictures[p.id].size, pictures[p.id].matte) for p in plates]),
        canvas=np.array(canvas, dtype=np.float64).reshape(-1, 6),
        without=[{solid_ids.index(s) for s in p.without if s in solid_ids} for p in plates],
    )
