"""What is thrown on what, for the engine: the plates' cameras, canvases and mattes, and for every face its throws in
order."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import Array, View, view_of
from roofline.core.plates.grading import graded
from roofline.core.throw.geometry import Geometry, joined
from roofline.core.throw.mattes import SIDE, SOLID, UNSAID, matte_blocks
from roofline.errors import PlateError
from roofline.model.plates import Plate, Throw
from roofline.model.shot import Shot

Picture = NDArray[np.float32]


@dataclass
class PlatePicture:
    """The pixels behind a plate: size (width, height), matte (H, W) float32 0…1 or None, and its colour on demand.

    ``colour()`` gives (H, W, 3) float32 in linear light. ``key`` changes when the pixels change. ``canvas``: where they
    lie in the photo, x0, y0, width, height, where that is not the plate's own canvas.
    """

    size: tuple[int, int]
    matte: Picture | None
    colour: Callable[[], Picture]
    key: str = ""
    canvas: tuple[float, float, float, float] | None = None

    def __post_init__(self) -> None:
        if self.matte is not None:
            self.matte = np.ascontiguousarray(self.matte, dtype=np.float32)

    @cached_property
    def blocks(self) -> NDArray[np.uint8]:
        """Blocks of the matte, see `mattes`; SOLID without one."""
        if self.matte is None:
            w, h = self.size
            return np.full((-(-h // SIDE), -(-w // SIDE)), SOLID, dtype=np.uint8)
        return matte_blocks(self.matte)


@dataclass(frozen=True)
class Throws:
    """N pairs of a face and a plate, P plates."""

    pair_start: NDArray[np.int64]  # (F + 1,)
    pair_plate: NDArray[np.int32]  # (N,)
    pair_face: NDArray[np.int32]  # (N,)
    pair_occlusion: NDArray[np.bool_]  # (N,)
    plates: list[str]  # ids
    views: list[View]  # of each plate's photo
    pictures: list[PlatePicture]
    matte: NDArray[np.float32]  # the mattes, see `side_by_side`
    matte_at: NDArray[np.int64]  # (P,) offset, −1 for none
    blocks: NDArray[np.uint8]  # all plates' blocks, one after another, and one that is UNSAID
    block_at: NDArray[np.int64]  # (P,)
    canvas: Array  # (P, 6): x0, y0, width, height in photo pixels; picture width, height
    without: list[set[int]]  # by plate: the solids that do not hide anything from it, by number

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


def side_by_side(arrays: Sequence[NDArray | None], step: int) -> tuple[NDArray, NDArray[np.int64]]:
    """Arrays of one kind as one, without a copy: the one that lies lowest in memory, and each one's place beyond it.

    Places count ``step`` bytes; −1 for None. Compiled loops do not look at an array's length, so that they reach all
    of them from the lowest one. Whoever holds the result has to hold the arrays as well.
    """
    there = [a for a in arrays if a is not None]
    if not there:
        return np.zeros(0), np.full(len(arrays), -1, dtype=np.int64)
    lowest = min(there, key=lambda a: a.ctypes.data)
    base = lowest.ctypes.data
    if any((a.ctypes.data - base) % step or not a.flags.c_contiguous for a in there):
        raise ValueError("arrays side by side must be contiguous, and whole steps apart")
    return lowest, np.array([-1 if a is None else (a.ctypes.data - base) // step for a in arrays], dtype=np.int64)


def camera_views(shot: Shot) -> dict[str, View]:
    """The pinhole view of every surveyed photo, by id."""
    return {p.id: view_of(p.camera) for p in shot.photos if p.camera is not None}


def thrown(shot: Shot) -> dict[tuple[str, str], Plate]:
    """The plates whose photo has a camera, by id and look (see `Throw.look`), each look once; those that are thrown
    nowhere too."""
    ready = {p.id for p in shot.photos if p.camera is not None}
    looks: dict[str, list[str]] = {}
    for t in shot.throws:
        looks.setdefault(t.plate, []).append(t.look)
    plates = [p for p in shot.plates if p.photo in ready]
    return {(p.id, look): p for p in plates for look in looks.get(p.id, [""])}


def looked(picture: PlatePicture, throw: Throw) -> PlatePicture:
    """A plate's picture as a throw shows it: graded in linear light, its matte by the throw's opacity."""
    if not throw.look:
        return picture
    matte, opacity, (w, h) = picture.matte, np.float32(throw.opacity), picture.size
    if throw.opacity < 1:
        matte = np.full((h, w), opacity) if matte is None else matte * opacity
    grade = throw.grade
    colour = picture.colour if grade is None else lambda: graded(picture.colour(), grade)
    return PlatePicture(picture.size, matte, colour, picture.key + throw.look, picture.canvas)


def _pairs(shot: Shot, geometry: Geometry, number: dict[tuple[str, str], int]) -> tuple[Any, Any, Any]:
    """How many pairs each face has, and their plates and occlusion."""
    counts, plates, occlusion = [], [], []
    known = [t for t in shot.throws if (t.plate, t.look) in number]
    throws = [(number[t.plate, t.look], t.occlusion, set(t.targets), set(t.first_on)) for t in known]
    by_face = {n.partition("/")[0] for t in known for n in (*t.targets, *t.first_on) if "/" in n}  # with faces apart

    def pairs(*at: str) -> list[tuple[int, bool]]:
        mine = [(p, o, bool(first.intersection(at))) for p, o, targets, first in throws if targets.intersection(at)]
        return [(p, o) for p, o, _ in sorted(mine, key=lambda pair: not pair[2])]

    faces_of = np.bincount(geometry.solid, minlength=len(geometry.solid_ids))
    first = 0
    for ident, faces in zip(geometry.solid_ids, faces_of, strict=True):
        names = geometry.names[first : first + faces]
        first += faces
        if ident in by_face:
            mine = [pairs(ident, n) for n in names]
        else:
            mine = [pairs(ident)] * faces
        counts += [len(face) for face in mine]
        plates += [p for face in mine for p, _ in face]
        occlusion += [o for face in mine for _, o in face]
    return np.array(counts, np.int64), np.array(plates, np.int32), np.array(occlusion, np.bool_)


def added_pieces(shot: Shot) -> set[str]:
    """Pieces that have nothing but plates that were added: they stood before no photo's lens."""
    role = {p.id: p.role for p in shot.plates}
    by_solid: dict[str, set[str]] = {}
    for throw in shot.throws:
        for target in throw.targets:
            by_solid.setdefault(target.partition("/")[0], set()).add(role.get(throw.plate, "photo"))
    return {solid for solid, roles in by_solid.items() if roles == {"added"}}


def throws_of(
    shot: Shot,
    geometry: Geometry,
    pictures: dict[str, PlatePicture],
    looks: dict[tuple[str, str], PlatePicture] | None = None,
) -> Throws:
    """Compile what a shot throws.

    Parameters
    ----------
    shot
        Plates whose photo has no camera cannot be thrown and are left out, with their throws.
    geometry
        The shot's solids.
    pictures
        The pixels of every plate, by id.
    looks
        Those of plates as `looked`, by id and look, where they are at hand.
    """
    views, shown = camera_views(shot), thrown(shot)
    plates, canvas, mine = list(shown.values()), [], []
    of = {(t.plate, t.look): t for t in shot.throws}
    for key, p in shown.items():
        picture = pictures.get(p.id)
        if picture is None:
            raise PlateError(f"The picture of plate '{p.name}' is not there.")
        picture = looks[key] if looks and key in looks else looked(picture, of[key]) if key in of else picture
        mine.append(picture)
        canvas.append((*(picture.canvas or p.canvas), *picture.size))
        if picture.matte is not None and picture.matte.shape != (picture.size[1], picture.size[0]):
            raise PlateError(
                f"The matte of plate '{p.name}' is {picture.matte.shape[1]} × "
                f"{picture.matte.shape[0]} px, its picture {picture.size[0]} × {picture.size[1]} px."
            )
    counts, pair_plate, pair_occlusion = _pairs(shot, geometry, {key: i for i, key in enumerate(shown)})
    matte, matte_at = side_by_side([m.matte for m in mine], 4)
    blocks = [m.blocks.ravel() for m in mine]
    ids = {s: i for i, s in enumerate(geometry.solid_ids)}
    added = {ids[s] for s in added_pieces(shot) if s in ids}
    return Throws(
        pair_start=np.r_[0, np.cumsum(counts)].astype(np.int64),
        pair_plate=pair_plate,
        pair_face=np.repeat(np.arange(len(counts)), counts).astype(np.int32),
        pair_occlusion=pair_occlusion,
        plates=[p.id for p in plates],
        views=[views[p.photo] for p in plates],
        pictures=mine,
        matte=np.asarray(matte, np.float32).ravel(),
        matte_at=matte_at,
        blocks=joined([*blocks, np.full(1, UNSAID)], np.uint8),
        block_at=np.cumsum([0, *(b.size for b in blocks)], dtype=np.int64)[:-1],
        canvas=np.array(canvas, dtype=np.float64).reshape(-1, 6),
        without=[added | {ids[s] for s in p.without if s in ids} for p in plates],
    )
