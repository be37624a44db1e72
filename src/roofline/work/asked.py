"""The plates that a paint list asks for: photos, filled where a move shows a surface bare."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from roofline.core.move.paint_list import Region
from roofline.formats import masks
from roofline.model.base import Vec2, Vec4
from roofline.model.plates import Plate, Throw
from roofline.model.shot import Shot
from roofline.model.steps import FillStep, GrowStep, Loop, OutlineStep
from roofline.work.ids import fresh_id

FINE = 0.35  # pixels by which a mask's outline may be straightened
LEAST = 3  # pixels: a smaller speck has no outline of its own


def loops(mask: NDArray[np.bool_], corner: Vec2) -> list[Loop]:
    """Outlines about a mask's pixels, in photo pixels; holes among them, by the even-odd rule."""
    # each pixel as four, so that an outline runs about pixels and not through their middles
    finer = np.asarray(np.kron(np.pad(mask, 1), np.ones((2, 2))), dtype=np.uint8)
    found, _ = cv2.findContours(finer, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    out = []
    for line in found:
        simple = cv2.approxPolyDP(line, FINE * 2, True).reshape(-1, 2)
        points = (simple + 0.5) / 2 - 1 + np.array(corner)
        if len(points) >= 3 and cv2.contourArea(simple.astype(np.float32)) >= 4 * LEAST:
            out.append(Loop(points=[(float(x), float(y)) for x, y in points[:5000]]))
    return out


def asked(shot: Shot, wanted: Region) -> tuple[Plate, str] | None:
    """The plate that a region asks for, and the face that it is thrown on; None where no photo can give it."""
    lines = loops(wanted.mask, wanted.canvas[:2])
    if wanted.plate is None or not lines:
        return None
    photo = shot.photo(shot.plate(wanted.plate).photo)
    outline, grow = OutlineStep(loops=lines), GrowStep(px=masks.MARGIN_PX)
    where: list[Any] = [outline.model_copy(deep=True), grow.model_copy()]
    steps: list[Any] = [FillStep(where=where, how="texture"), outline, grow]
    own, _, part = wanted.surface.partition("/")
    name = next((s.name for s in shot.solids if s.id == own), own)
    given: dict[str, Any] = {
        "name": f"Paint {name}, {part}"[:120],
        "file": photo.file,
        "canvas": _about(wanted.canvas, photo.width or 1, photo.height or 1),
        "without": [s.id for s in shot.solids if s.id != own],
        "steps": steps,
    }
    return Plate(id="(asked)", photo=photo.id, role="clean", **given), wanted.surface


def _about(canvas: Vec4, width: int, height: int) -> Vec4:
    """A canvas and what lies around it as far as the photo goes; beyond the photo only what is asked for."""
    x0, y0, w, h = canvas
    margin, own = max(96.0, 0.5 * max(w, h)), float(masks.MARGIN_PX)
    low = np.minimum(np.maximum(np.floor([x0 - margin, y0 - margin]), 0), [x0 - own, y0 - own])
    far = np.minimum(np.ceil([x0 + w + margin, y0 + h + margin]), [width, height])
    high = np.maximum(far, [x0 + w + own, y0 + h + own])
    return float(low[0]), float(low[1]), float(high[0] - low[0]), float(high[1] - low[1])


def painted(shot: Shot, regions: list[Region]) -> Shot:
    """The shot with the plates that regions ask for, filled, and thrown last on their surfaces."""
    plates, throws = list(shot.plates), list(shot.throws)
    for plate, face in [found for r in regions if (found := asked(shot, r)) is not None]:
        ident = fresh_id(plate.name, [p.id for p in plates])
        plates.append(plate.model_copy(update={"id": ident}))
        throws.append(Throw(plate=ident, targets=[face]))
    return shot.model_copy(update={"plates": plates, "throws": throws})
