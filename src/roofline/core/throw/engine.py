"""The engine: one compiled scene, asked for measures, single pixels or pictures from any view."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import Array, View
from roofline.core.throw import measure as m
from roofline.core.throw.cells import Cells, cells
from roofline.core.throw.memory import keep_freed_memory
from roofline.core.throw.raster import rasterise, setup, which
from roofline.core.throw.sample import Textures, pack, paint, pyramid
from roofline.core.throw.scene import Scene, canvas_boxes, homographies, inverse_depths
from roofline.core.throw.shadows import boxes_of, shadows
from roofline.core.throw.spans import spans
from roofline.shot import VERDICTS, ProbeReport, Rejected

keep_freed_memory()
RASTER_PIXELS = 12_000_000  # a plate's visibility raster is made no finer than this
REASONS: tuple[Any, ...] = ("outside", "matte", "hidden", "back")


@dataclass
class Measures:
    """Measures of a view, all (H, W). Verdicts index `roofline.shot.VERDICTS`; pair and triangle −1 where none."""

    verdict: NDArray[np.uint8]
    triangle: NDArray[np.int32]
    pair: NDArray[np.int32]
    stretch: NDArray[np.float32]
    magnification: NDArray[np.float32]


def _starts(parts: Sequence[NDArray]) -> NDArray[np.int64]:
    """Where each part begins once they stand one after another."""
    return np.cumsum([0, *(part.size for part in parts)], dtype=np.int64)[:-1]


class Engine:
    """Measures and pictures of one scene. The plates' visibility is worked out once, when the engine is made."""

    def __init__(self, scene: Scene, pyramids: dict[str, list[NDArray[np.float32]]] | None = None):
        self.scene = scene
        self._pyramids = pyramids if pyramids is not None else {}
        self.fixed = self._plates()

    def _forms(self, view: View) -> tuple[Array, NDArray[np.int32]]:
        return setup(view.homogeneous(self.scene.corners), view.width, view.height)

    def _raster(
        self, view: View, forms: Array, boxes: NDArray[np.int32], maps: Array, use: NDArray[np.bool_]
    ) -> NDArray[np.int32]:
        s = self.scene
        return rasterise(
            forms,
            boxes,
            use,
            s.tri_face,
            s.cutout,
            s.pair_start,
            s.pair_plate,
            maps.ravel(),
            s.canvas,
            s.matte,
            s.matte_at,
            view.width,
            view.height,
        )

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
        s = self.scene
        count, faces, pairs, plates = len(s.tri_face), len(s.names), len(s.pair_plate), len(s.plates)
        forms = np.zeros((plates, count, 3, 3))
        depths = np.zeros((plates, faces, 3))
        maps = np.zeros((plates, pairs, 3, 3))
        seen: list[Cells] = []
        shown, boxes = [], []
        size, scale = [], []
        for p in range(plates):
            shifted = self.raster_view(p)
            forms[p], box = self._forms(shifted)
            boxes.append(box)
            depths[p] = inverse_depths(s, shifted) if faces else 0
            maps[p] = homographies(s, shifted)
            use = np.array([s.solid[f] not in s.without[p] for f in s.tri_face], dtype=np.bool_)
            size.append((shifted.width, shifted.height))
            scale.append(self._raster_scale(p) * s.canvas[p, 2:4] / s.canvas[p, 4:6])
            nearest = self._raster(shifted, forms[p], box, maps[p], use)
            shown.append(which(nearest, count))
            seen.append(cells(nearest, s.tri_face, s.pictures[p].matte, scale[-1]))
        grids = [c.grid for c in seen]
        front = np.array(
            [
                s.normals[f] @ s.views[p].position > s.offsets[f] + 1e-9
                for f, p in zip(s.pair_face, s.pair_plate, strict=True)
            ],
            dtype=np.bool_,
        )
        self.shadows = shadows(s, shown, boxes, front)
        return {
            "pair_front": front,
            "pair_depth": depths[s.pair_plate, s.pair_face].ravel(),
            "cells": np.concatenate([g.ravel() for g in grids]) if grids else np.zeros(1, dtype=np.int32),
            "cell_start": _starts(grids),
            "cell_width": np.array([g.shape[1] for g in grids], dtype=np.int64),
            "lists": np.concatenate([c.lists for c in seen]) if seen else np.zeros(1, dtype=np.int32),
            "list_at": _starts([c.lists for c in seen]),
            "raster_size": np.array(size, dtype=np.int64).reshape(-1, 2),
            "scale": np.array(scale, dtype=np.float64).reshape(-1, 2),
            "plate_forms": forms.ravel(),
            "plate_depths": depths.ravel(),
            "plate_maps": maps.ravel(),
        }

    def cast(self, view: View) -> m.Cast:
        """The arrays of a view for the compiled loops."""
        s = self.scene
        maps = homographies(s, view)
        return m.Cast(
            maps=maps.ravel(),
            boxes=canvas_boxes(s, maps),
            unit=float(view.unit),
            pair_start=s.pair_start,
            pair_plate=s.pair_plate,
            pair_face=s.pair_face,
            pair_occlusion=s.pair_occlusion,
            limits=s.limits,
            tri_face=s.tri_face,
            cutout=s.cutout,
            canvas=s.canvas,
            matte=s.matte,
            matte_at=s.matte_at,
            **self.fixed,
        )

    def measure(self, view: View) -> Measures:
        """Verdict, surface, plate, stretch and magnification at every pixel centre of a view."""
        k = self.cast(view)
        forms, boxes = self._forms(view)
        nearest = self._raster(view, forms, boxes, k.maps, np.ones(len(boxes), dtype=np.bool_))
        visible = boxes_of(boxes, self.scene.tri_face, len(self.scene.names))
        s = spans(self.shadows, k, visible, view.width, view.height)
        verdict, pair, stretch, magnification = m.measure(nearest, k, s)
        return Measures(verdict, nearest, pair, stretch, magnification)

    def depth(self, view: View) -> NDArray[np.float32]:
        """Depth (H, W) in metres of the nearest surface at every pixel centre; infinite where there is none."""
        k = self.cast(view)
        forms, boxes = self._forms(view)
        nearest = self._raster(view, forms, boxes, k.maps, np.ones(len(boxes), dtype=np.bool_))
        out = np.full(nearest.shape, np.inf, dtype=np.float32)
        if not len(self.scene.tri_face):
            return out
        y, x = np.nonzero(nearest >= 0)
        form = inverse_depths(self.scene, view)[self.scene.tri_face[nearest[y, x]]]
        inverse = form[:, 0] * (x + 0.5) + form[:, 1] * (y + 0.5) + form[:, 2]
        out[y, x] = 1 / np.maximum(inverse, 1e-12)
        return out

    def probe(self, view: View, pixel: tuple[float, float]) -> ProbeReport:
        """The whole story of a continuous pixel of a view."""
        s = self.scene
        x, y = pixel
        one = View(1, 1, view.focal, (view.centre[0] - x + 0.5, view.centre[1] - y + 0.5), view.rotation, view.position)
        seen = self.measure(one)
        t, n = int(seen.triangle[0, 0]), int(seen.pair[0, 0])
        if t < 0:
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
        face = int(s.tri_face[t])
        depth = 1.0 / float(inverse_depths(s, view)[face] @ [x, y, 1.0])
        world = view.position + view.rays(np.array([x, y])) * depth
        k = self.cast(one)
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
        s = self.scene
        k = self.cast(view)
        fine = view.resized(view.width * 2, view.height * 2)
        cut = s.cutout[s.tri_face] if len(s.tri_face) else np.zeros(0, dtype=np.bool_)
        nearest = self._raster(fine, *self._forms(fine), k.maps, ~cut)
        forms, boxes = self._forms(view)
        return paint(nearest, inverse_depths(s, view), forms, boxes, np.flatnonzero(cut), k, self.textures)
