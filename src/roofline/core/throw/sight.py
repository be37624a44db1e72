"""Sight: what each plate's camera sees of the set at rest, worked out once for a geometry and its throws."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import View
from roofline.core.moment import still
from roofline.core.throw.cast import Cast
from roofline.core.throw.cells import Cells, cells
from roofline.core.throw.geometry import Geometry
from roofline.core.throw.projection import Projection, project
from roofline.core.throw.raster import rasterise, which
from roofline.core.throw.shadows import Shadows, shadows
from roofline.core.throw.throws import Throws

RASTER_PIXELS = 12_000_000  # a plate's visibility raster is made no finer than this

NOTHING_SEEN: dict[str, NDArray] = {  # what the plates see, before that is known
    "pair_front": np.zeros(0, np.uint8),
    "pair_depth": np.zeros(0),
    "cells": np.zeros(1, np.int32),
    "cell_start": np.zeros(0, np.int64),
    "cell_width": np.zeros(0, np.int64),
    "lists": np.zeros(1, np.int32),
    "list_at": np.zeros(0, np.int64),
    "raster_size": np.zeros(0, np.int64),
    "scale": np.zeros(0),
    "plate_edges": np.zeros(1),
    "plate_depths": np.zeros(0),
    "plate_maps": np.zeros(1),
}


@dataclass(frozen=True)
class Sight:
    """What the plates see, as arrays for `Cast`, and what can shade what."""

    seen: dict[str, NDArray]
    shadows: Shadows


def resting(geometry: Geometry, throws: Throws, seen: dict[str, NDArray]) -> Cast:
    """What is the same in every view. The projection and the limits are still to come."""
    q = geometry.pieces
    return Cast(
        **dict.fromkeys(Projection._fields),
        faces=len(geometry.names),
        pieces=len(q.face),
        corners=len(q.corners),
        pairs=len(throws.pair_plate),
        nowhere=throws.blocks.size - 1,
        unit=1.0,
        limits=np.zeros(2 * len(geometry.names)),
        first=q.first,
        piece_face=q.face,
        pair_start=throws.pair_start,
        pair_plate=throws.pair_plate,
        pair_face=throws.pair_face,
        pair_occlusion=throws.pair_occlusion.view(np.uint8),
        cutout=geometry.cutout.view(np.uint8),
        canvas=throws.canvas.ravel(),
        matte=throws.matte,
        matte_at=throws.matte_at,
        blocks=throws.blocks,
        block_at=throws.block_at,
        **seen,
    )


def raster_scale(throws: Throws, plate: int) -> float:
    """Raster pixels per photo pixel of a plate."""
    w, h = throws.canvas[plate, 2:4]
    return min(1.0, float(np.sqrt(RASTER_PIXELS / (w * h))))


def raster_view(throws: Throws, plate: int) -> View:
    """The plate's camera on the grid of its visibility raster: its canvas, coarser when that is very large."""
    view, k = throws.views[plate], raster_scale(throws, plate)
    x0, y0, w, h = throws.canvas[plate, :4]
    return View(
        int(np.ceil(w * k)),
        int(np.ceil(h * k)),
        view.focal * k,
        ((view.centre[0] - x0) * k, (view.centre[1] - y0) * k),
        view.rotation,
        view.position,
    )


def _looked(geometry: Geometry, throws: Throws, rest: Cast, plate: int) -> tuple[Cast, Cells, NDArray[np.int32]]:
    """One plate's view of the set, its cells, and the pieces that show in it."""
    q, view = geometry.pieces, raster_view(throws, plate)
    cast = rest._replace(**project(geometry, throws, still(view))._asdict())
    number = np.arange(len(q.face), dtype=np.int32)
    number[np.isin(geometry.solid[q.face], list(throws.without[plate]))] = -1
    nearest = rasterise(cast, number, view.width, view.height)
    return cast, cells(nearest, q.face), which(nearest, len(q.face))


def _starts(parts: Sequence[NDArray]) -> NDArray[np.int64]:
    """Where each part begins once they stand one after another."""
    return np.cumsum([0, *(part.size for part in parts)], dtype=np.int64)[:-1]


def _joined(parts: Sequence[NDArray], kind: Any) -> NDArray:
    """Parts one after another; where there are none, a single zero, since the compiled loops want something to hold."""
    return np.concatenate(parts) if parts else np.zeros(1, dtype=kind)


def sight_of(geometry: Geometry, throws: Throws) -> Sight:
    """Look at the set through every plate's camera."""
    rest, plates = resting(geometry, throws, NOTHING_SEEN), range(len(throws.plates))
    with ThreadPoolExecutor(2) as two:  # what is drawn of a plate is let go of as soon as it has been read
        looks = list(two.map(lambda p: _looked(geometry, throws, rest, p), plates))
    drawn, seen, shown = [cast for cast, _, _ in looks], [c for _, c, _ in looks], [s for _, _, s in looks]
    grids = [c.grid for c in seen]
    depths = np.array([cast.depths for cast in drawn]).reshape(len(drawn), -1, 3)
    eyes = throws.standpoints[throws.pair_plate]
    front = np.einsum("ij,ij->i", geometry.normals[throws.pair_face], eyes) > geometry.offsets[throws.pair_face] + 1e-9
    scale = [raster_scale(throws, p) * throws.canvas[p, 2:4] / throws.canvas[p, 4:6] for p in plates]
    sizes = [(v.width, v.height) for v in (raster_view(throws, p) for p in plates)]
    return Sight(
        {
            "pair_front": front.view(np.uint8),
            "pair_depth": depths[throws.pair_plate, throws.pair_face].ravel(),
            "cells": _joined([g.ravel() for g in grids], np.int32),
            "cell_start": _starts(grids),
            "cell_width": np.array([g.shape[1] for g in grids], dtype=np.int64),
            "lists": _joined([c.lists for c in seen], np.int32),
            "list_at": _starts([c.lists for c in seen]),
            "raster_size": np.array(sizes, dtype=np.int64).ravel(),
            "scale": np.array(scale, dtype=np.float64).ravel(),
            "plate_edges": _joined([cast.edges for cast in drawn], np.float64),
            "plate_depths": depths.ravel(),
            "plate_maps": _joined([cast.maps for cast in drawn], np.float64),
        },
        shadows(geometry, throws, shown, [cast.piece_boxes for cast in drawn], front),
    )
