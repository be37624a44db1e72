"""The engine: one compiled scene, asked for measures, single pixels or pictures from any view."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import View
from roofline.core.throw import measure as m
from roofline.core.throw.cells import Cells, cells
from roofline.core.throw.memory import keep_freed_memory
from roofline.core.throw.pieces import pieces_of
from roofline.core.throw.projection import Projection, project
from roofline.core.throw.raster import rasterise, which
from roofline.core.throw.sample import Textures, pack, paint, pyramid
from roofline.core.throw.scene import Scene
from roofline.core.throw.shadows import shadows
from roofline.shot import VERDICTS, ProbeReport, Rejected

keep_freed_memory()
RASTER_PIXELS = 12_000_000  # a plate's visibility raster is made no finer than this
REASONS: tuple[Any, ...] = ("outside", "matte", "hidden", "back")


NOTHING_SEEN = {  # what the plates see, before that is known
    "pair_front": np.zeros(0, np.bool_),
    "pair_depth": np.zeros(0),
    "cells": np.zeros(1, np.int32),
    "cell_start": np.zeros(0, np.int64),
    "cell_width": np.zeros(0, np.int64),
    "lists": np.zeros(1, np.int32),
    "list_at": np.zeros(0, np.int64),
    "raster_size": np.zeros((0, 2), np.int64),
    "scale": np.zeros((0, 2)),
    "plate_edges": np.zeros(1),
    "plate_depths": np.zeros(0),
    "plate_maps": np.zeros(1),
}


@dataclass
class Measures:
    """Measures of a view, all (H, W), their rows not end to end.

    Verdicts index `roofline.shot.VERDICTS`; face and pair −1 where none.
    """

    face: NDArray[np.int32]
    pair: NDArray[np.int32]
    verdict: NDArray[np.uint8]
    stretch: NDArray[np.float32]
    magnification: NDArray[np.float32]


def _starts(parts: Sequence[NDArray]) -> NDArray[np.int64]:
    """Where each part begins once they stand one after another."""
    return np.cumsum([0, *(part.size for part in parts)], dtype=np.int64)[:-1]


def _joined(parts: Sequence[NDArray], kind: Any) -> NDArray:
    """Parts one after another; where there are none, a single zero, since the compiled loops want something to hold."""
    return np.concatenate(parts) if parts else np.zeros(1, dtype=kind)


class Engine:
    """Measures and pictures of one scene. The plates' visibility is worked out once, when the engine is made."""

    def __init__(self, scene: Scene, pyramids: dict[str, list[NDArray[np.float32]]] | None = None):
        self.scene = scene
        self.pieces = pieces_of(scene)
        self._pyramids = pyramids if pyramids is not None else {}
        self._rest = self._still(NOTHING_SEEN)[len(Projection._fields) + 1 :]
        self._rest = self._still(self._plates())[len(Projection._fields) + 1 :]

    def _raster_scale(self, plate: int) -> float:
        w, h = self.scene.canvas[plate, 2:4]
        return min(1.0, float(np.sqrt(RASTER_PIXELS / (w * h))))

    def raster_view(self, plate: int) -> View:
        """The plate's camera on the grid of its visibility raster: its canvas, coarser when that is very large."""
        view, k = self.scene.views[plate], self._raster_scale(plate)
        x0, y0, w, h = self.scene.canvas[plate, :4]
        return View(
            int(np.ceil(w * k)),
            int(np.ceil(h * k)),
            view.focal * k,
            ((view.centre[0] - x0) * k, (view.centre[1] - y0) * k),
            view.rotation,
            view.position,
        )

    def _plates(self) -> dict[str, NDArray]:
        s, q = self.scene, self.pieces
        seen: list[Cells] = []
        drawn: list[m.Cast] = []
        shown, size, scale = [], [], []
        for p in range(len(s.plates)):
            shifted = self.raster_view(p)
            drawn.append(self.cast(shifted))
            number = np.arange(len(q.face), dtype=np.int32)
            number[np.isin(s.solid[q.face], list(s.without[p]))] = -1
            size.append((shifted.width, shifted.height))
            scale.append(self._raster_scale(p) * s.canvas[p, 2:4] / s.canvas[p, 4:6])
            nearest = rasterise(drawn[p], number, shifted.width, shifted.height)
            shown.append(which(nearest, len(q.face)))
            seen.append(cells(nearest, q.face))
        grids = [c.grid for c in seen]
        depths = np.array([k.depths for k in drawn]).reshape(len(drawn), -1, 3)
        front = np.array(
            [
                s.normals[f] @ s.views[p].position > s.offsets[f] + 1e-9
                for f, p in zip(s.pair_face, s.pair_plate, strict=True)
            ],
            dtype=np.bool_,
        )
        self.shadows = shadows(s, q, shown, [k.piece_boxes for k in drawn], front)
        return {
            "pair_front": front,
            "pair_depth": depths[s.pair_plate, s.pair_face].ravel(),
            "cells": _joined([g.ravel() for g in grids], np.int32),
            "cell_start": _starts(grids),
            "cell_width": np.array([g.shape[1] for g in grids], dtype=np.int64),
            "lists": _joined([c.lists for c in seen], np.int32),
            "list_at": _starts([c.lists for c in seen]),
            "raster_size": np.array(size, dtype=np.int64).reshape(-1, 2),
            "scale": np.array(scale, dtype=np.float64).reshape(-1, 2),
            "plate_edges": _joined([k.edges for k in drawn], np.float64),
            "plate_depths": depths.ravel(),
            "plate_maps": _joined([k.maps for k in drawn], np.float64),
        }

    def _still(self, seen: dict[str, NDArray]) -> m.Cast:
        """What is the same in every view: the scene, and what the plates see. The projection is still to come."""
        s, q = self.scene, self.pieces
        return m.Cast(
            **dict.fromkeys(Projection._fields),
            unit=1.0,
            first=q.first,
            piece_face=q.face,
            pair_start=s.pair_start,
            pair_plate=s.pair_plate,
            pair_face=s.pair_face,
            pair_occlusion=s.pair_occlusion,
            limits=s.limits,
            cutout=s.cutout,
            canvas=s.canvas,
            matte=s.matte,
            matte_at=s.matte_at,
            blocks=s.blocks,
            block_at=s.block_at,
            **seen,
        )

    def cast(self, view: View) -> m.Cast:
        """The arrays of a view for the compiled loops."""
        return m.Cast(*project(self.scene, self.pieces, view), float(view.unit), *self._rest)

    def measure(self, view: View) -> Measures:
        """Verdict, surface, plate, stretch and magnification at every pixel centre of a view."""
        return Measures(*m.measure(self.cast(view), self.shadows, view.width, view.height))

    def depth(self, view: View) -> NDArray[np.float32]:
        """Depth (H, W) in metres of the nearest surface at every pixel centre; infinite where there is none."""
        k = self.cast(view)
        face = rasterise(k, self.pieces.face, view.width, view.height)
        out = np.full(face.shape, np.inf, dtype=np.float32)
        y, x = np.nonzero(face >= 0)
        form = k.depths.reshape(-1, 3)[face[y, x]]
        inverse = form[:, 0] * (x + 0.5) + form[:, 1] * (y + 0.5) + form[:, 2]
        out[y, x] = 1 / np.maximum(inverse, 1e-12)
        return out

    def probe(self, view: View, pixel: tuple[float, float]) -> ProbeReport:
        """The whole story of a continuous pixel of a view."""
        s = self.scene
        x, y = pixel
        one = View(1, 1, view.focal, (view.centre[0] - x + 0.5, view.centre[1] - y + 0.5), view.rotation, view.position)
        seen = self.measure(one)
        face, n = int(seen.face[0, 0]), int(seen.pair[0, 0])
        if face < 0:
            return ProbeReport(
                surface=None,
                plate=None,
                verdict="void",
                world=None,
                depth_m=None,
                plate_pixel=None,
                stretch=None,
                magnification=None,
            )
        k = self.cast(one)
        depth = 1.0 / float(k.depths[3 * face : 3 * face + 3] @ [0.5, 0.5, 1.0])
        world = view.position + view.rays(np.array([x, y])) * depth
        rejected = []
        for i in range(s.pair_start[face], s.pair_start[face + 1]):
            if i == n:
                break
            status = m.reach(k, i, 0.5, 0.5)[0]
            rejected.append(Rejected(plate=s.plates[s.pair_plate[i]].id, reason=REASONS[status]))
        found = n >= 0
        u, v = m.reach(k, n, 0.5, 0.5)[1:3] if found else (0.0, 0.0)
        return ProbeReport(
            surface=s.names[face],
            plate=s.plates[s.pair_plate[n]].id if found else None,
            verdict=VERDICTS[seen.verdict[0, 0]],
            world=(float(world[0]), float(world[1]), float(world[2])),
            depth_m=depth,
            plate_pixel=(float(u), float(v)) if found else None,
            stretch=float(seen.stretch[0, 0]) if found else None,
            magnification=float(seen.magnification[0, 0]) if found else None,
            rejected=rejected,
        )

    @cached_property
    def textures(self) -> Textures:
        """Pyramids of all plates; made when the first picture is asked for, and shared by the pictures' keys."""
        levels = []
        for picture, plate in zip(self.scene.pictures, self.scene.plates, strict=True):
            key = picture.key or plate.id
            if key not in self._pyramids:
                self._pyramids[key] = pyramid(picture.colour(), picture.matte)
            levels.append(self._pyramids[key])
        return pack(levels)

    def picture(self, view: View) -> NDArray[np.float32]:
        """Picture (H, W, 4) of a view: linear light, premultiplied; transparent where there is nothing to show."""
        fine = view.resized(view.width * 2, view.height * 2)
        cut = self.scene.cutout[self.pieces.face]
        opaque = np.where(cut, np.int32(-1), self.pieces.face)
        nearest = rasterise(self.cast(fine), opaque, fine.width, fine.height)
        return paint(nearest, np.flatnonzero(cut), self.cast(view), self.textures)
