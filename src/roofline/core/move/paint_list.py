"""The paint list: what a move shows and no plate covers, mapped to where it is best painted, and nothing else."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from roofline.core.boxes import NOWHERE, box_of, parts
from roofline.core.camera import Array, View
from roofline.core.moment import Moment
from roofline.core.throw.engine import Engine, limits_of
from roofline.core.throw.squared import Plane
from roofline.core.throw.throws import camera_views
from roofline.model.base import VERDICTS
from roofline.model.move import Limits
from roofline.model.shot import Shot

BARE = VERDICTS.index("bare")
LARGEST = 12_000  # pixels of a side of a mask, and of a squared-up one
TALL = 400_000_000  # pixels of a mask
SQUARED = 200.0  # pixels a metre of a squared-up mask, at most


@dataclass
class Region:
    """Part of a surface that has to be painted.

    ``mask`` (H, W): in photo pixels of the plate's photo from ``canvas`` on, x0, y0, width, height; squared up on the
    face, in metres from its lower left, where ``plate`` is None. ``pixels_per_metre``: delivered ones, at most.
    """

    surface: str
    plate: str | None
    mask: NDArray[np.bool_]
    canvas: tuple[float, float, float, float]
    frames: tuple[int, int]
    largest_percent: float
    pixels_per_metre: float

    @property
    def pixels(self) -> int:
        return int(self.mask.sum())


def _through(view: View, normal: Array, offset: float) -> Array:
    """From a photo's pixels to world points on a plane, homogeneous: (4, 3)."""
    rays = view.rotation.T @ np.linalg.inv(view.matrix)
    c = view.position
    top = (np.outer(c, normal) + (offset - normal @ c) * np.eye(3)) @ rays
    return np.vstack([top, normal @ rays])


def _flat(plane: Plane, step: float, low: Array) -> Array:
    """From a squared-up grid's pixels to world points, homogeneous: (4, 3)."""
    at = plane.origin + plane.along * low[0] + plane.up * low[1]
    return np.vstack([np.column_stack([plane.along * step, plane.up * step, at]), [0, 0, 1.0]])


def _seen(to_world: Array, view: View) -> Array:
    """From a grid's pixels to a view's, homogeneous (3, 3); the third is the depth, times the grid's own weight."""
    return np.asarray(view.matrix @ view.rotation @ (to_world[:3] - np.outer(view.position, to_world[3])))


class _Grids:
    """Where each face is painted: in a plate that is thrown on it, in a photo that faces it, or squared up."""

    def __init__(self, shot: Shot, engine: Engine):
        self.shot, self.engine, self.views = shot, engine, camera_views(shot)
        self.of: dict[int, tuple[str | None, Array]] = {}

    def __call__(self, face: int) -> tuple[str | None, Array]:
        if face not in self.of:
            self.of[face] = self._find(face)
        return self.of[face]

    def _find(self, face: int) -> tuple[str | None, Array]:
        g = self.engine.geometry
        normal, offset, name = g.normals[face], float(g.offsets[face]), g.names[face]
        corners = g.corners[g.tri_face == face].reshape(-1, 3)
        thrown = [t.plate for t in self.shot.throws if {name, name.partition("/")[0]} & set(t.targets)]
        photos = [p.id for p in self.shot.plates if p.role == "photo" and p.id not in thrown]
        for ident in [*thrown, *photos]:
            plate = self.shot.plate(ident)
            view = self.views.get(plate.photo)
            if view is None or normal @ view.position - offset <= 1e-6:
                continue
            if ((corners - view.position) @ view.rotation[2] > 0).any():
                return ident, _through(view, normal, offset)
        plane = Plane.of(normal, normal * offset)
        low = plane.flat(corners).min(0)
        span = float(np.ptp(plane.flat(corners), axis=0).max())
        return None, _flat(plane, max(1 / SQUARED, span / LARGEST), low)


def paint_list(
    shot: Shot,
    engine: Engine,
    moments: Sequence[Moment],
    limits: Limits,
    verdict: int = BARE,
    told: Callable[[float], None] | None = None,
) -> list[Region]:
    """Regions of surfaces that frames show with a verdict, by default bare; largest first.

    A pixel of a region is seen so in at least one of the frames, at its nearest pixel there. ``moments``: of the
    frames, on the grid on which they are judged.
    """
    faces, grids = limits_of(engine.geometry, limits), _Grids(shot, engine)
    found: dict[int, _Found] = {}
    for done, moment in enumerate(moments, 1):
        got = engine.measure(moment, faces)
        bare = np.asarray(got.verdict) == verdict
        for face in np.unique(np.asarray(got.face)[bare]):
            at = bare & (np.asarray(got.face) == face)
            if int(face) not in found:
                found[int(face)] = _Found(*grids(int(face)))
            found[int(face)].add(at, moment, shot.delivery.width)
        if told:
            told(done / len(moments))
    regions = [f.region(engine.geometry.names[face]) for face, f in found.items()]
    return sorted((r for r in regions if r is not None), key=lambda r: -r.pixels)


class _Found:
    """What has been found of one face, on its grid."""

    def __init__(self, plate: str | None, to_world: Array):
        self.plate, self.to_world = plate, to_world
        self.mask = np.zeros((0, 0), dtype=bool)
        self.low = np.zeros(2, dtype=int)
        self.frames: list[int] = []
        self.largest = self.density = 0.0

    def add(self, at: NDArray[np.bool_], moment: Moment, delivered: int) -> None:
        """Add what a frame shows (H, W); ``delivered``: pixels that the frame is wide in the end."""
        to_view = _seen(self.to_world, moment.view)
        y, x = np.nonzero(at)
        corners = np.concatenate([np.column_stack([x + dx, y + dy]) for dx in (0, 1) for dy in (0, 1)])
        back = np.column_stack([corners, np.ones(len(corners))]) @ np.linalg.inv(to_view).T
        ahead = np.abs(back[:, 2]) > 1e-12
        spots = back[ahead, :2] / back[ahead, 2:]
        if not len(spots):
            return
        low = np.floor(np.clip(spots.min(0), -LARGEST, 2 * LARGEST)).astype(int)
        high = np.ceil(np.clip(spots.max(0), -LARGEST, 2 * LARGEST)).astype(int)
        if (high <= low).any() or float(np.prod((high - low).astype(float))) > TALL:
            return
        self._hold(low, high)
        self._mark(at, to_view, low, high)
        self.frames.append(int(moment.frame))
        self.largest = max(self.largest, 100.0 * at.sum() / at.size)
        self.density = max(self.density, self._sharpness(at, moment, to_view) * delivered / at.shape[1])

    def _hold(self, low: Array, high: Array) -> None:
        """Make the mask reach over a box."""
        h, w = self.mask.shape
        if not self.mask.size:
            self.low, self.mask = low.copy(), np.zeros((high[1] - low[1], high[0] - low[0]), dtype=bool)
            return
        new_low, new_high = np.minimum(self.low, low), np.maximum(self.low + [w, h], high)
        if (new_low == self.low).all() and (new_high == self.low + [w, h]).all():
            return
        mask = np.zeros((new_high[1] - new_low[1], new_high[0] - new_low[0]), dtype=bool)
        ox, oy = self.low - new_low
        mask[oy : oy + h, ox : ox + w] = self.mask
        self.low, self.mask = new_low, mask

    def _mark(self, at: NDArray[np.bool_], to_view: Array, low: Array, high: Array) -> None:
        """Mark the grid's pixels in a box whose middle a frame shows."""
        height, width = at.shape
        xs = np.arange(low[0], high[0]) + 0.5
        for top in range(int(low[1]), int(high[1]), 512):
            ys = np.arange(top, min(top + 512, int(high[1]))) + 0.5
            gx, gy = np.meshgrid(xs, ys)
            px = to_view[0, 0] * gx + to_view[0, 1] * gy + to_view[0, 2]
            py = to_view[1, 0] * gx + to_view[1, 1] * gy + to_view[1, 2]
            pz = to_view[2, 0] * gx + to_view[2, 1] * gy + to_view[2, 2]
            with np.errstate(all="ignore"):
                u, v = np.floor(px / pz), np.floor(py / pz)
            weight = self.to_world[3, 0] * gx + self.to_world[3, 1] * gy + self.to_world[3, 2]
            inside = (u >= 0) & (v >= 0) & (u < width) & (v < height) & (pz * np.sign(weight) > 0)
            hit = np.zeros(inside.shape, dtype=bool)
            hit[inside] = at[v[inside].astype(int), u[inside].astype(int)]
            row, col = top - self.low[1], low[0] - self.low[0]
            self.mask[row : row + len(ys), col : col + len(xs)] |= hit

    def _sharpness(self, at: NDArray[np.bool_], moment: Moment, to_view: Array) -> float:
        """Pixels a metre where it is seen nearest, on the grid that it was judged on."""
        y, x = np.nonzero(at)
        pick = np.linspace(0, len(y) - 1, min(len(y), 50)).astype(int)
        back = np.column_stack([x[pick] + 0.5, y[pick] + 0.5, np.ones(len(pick))]) @ np.linalg.inv(to_view).T
        world = back @ self.to_world.T
        points = world[:, :3] / world[:, 3:]
        depth = (points - moment.view.position) @ moment.view.rotation[2]
        depth = depth[depth > 1e-6]
        return float(moment.view.focal / depth.min()) if len(depth) else 0.0

    def region(self, surface: str) -> Region | None:
        box = box_of(self.mask)
        if box == NOWHERE:
            return None
        part = self.mask[parts(box)]
        x0, y0 = self.low + box[:2]
        if self.plate is None:
            part = part[::-1]  # squared up, rows run downwards as in any picture
        canvas = (float(x0), float(y0), float(part.shape[1]), float(part.shape[0]))
        frames = (min(self.frames), max(self.frames))
        return Region(surface, self.plate, part.copy(), canvas, frames, self.largest, self.density)
