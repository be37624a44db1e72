"""What has to be painted for a move, and from where its frames would hold."""

from __future__ import annotations

import io
import tempfile
import zipfile
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from roofline.core.move.paint_list import Region, paint_list
from roofline.core.move.path import moments
from roofline.core.move.standing import cells, standing
from roofline.errors import Conflict, MoveError, NotFound
from roofline.formats import masks
from roofline.model.base import Model, Vec2, Vec4
from roofline.model.plates import Plate, Throw
from roofline.model.shot import Shot
from roofline.model.steps import FillStep, GrowStep, Loop, OutlineStep
from roofline.stages import move
from roofline.stages.shots import fresh_id
from roofline.store.orders import Order
from roofline.work.desk import Desk
from roofline.work.jobs import Job, Tell

WIDTH = 480  # pixels across the frames that are looked at
MOST_CELLS = 20_000
FINE = 0.35  # pixels by which a mask's outline may be straightened
LEAST = 3  # pixels: a smaller speck has no outline of its own


class RoomState(Model):
    """Margins over an area in plan, row by row: `across` cells along Run, `along` along Return."""

    frame: int
    height_m: float
    area: Vec4
    step: float
    across: int
    along: int
    margin: list[float]


class Entry(Model):
    """A region that has to be painted."""

    number: int
    surface: str
    plate: str | None
    canvas: Vec4
    pixels: int
    frames: tuple[int, int]
    largest_percent: float
    pixels_per_metre: float


class PaintList(Model):
    """The regions of the move as it stands; null when they have not been looked for."""

    regions: list[Entry] | None


def room(desk: Desk, shot: Shot, frame: int, area: Vec4, step: float, height: float | None, width: int) -> RoomState:
    """From where a frame would hold, over an area x0, z0, x1, z1; ``height``: the frame's own if None."""
    xs, zs = cells(area, step) if step > 0 else (np.zeros(0), np.zeros(0))
    if not 0 < len(xs) * len(zs) <= MOST_CELLS:
        raise MoveError(f"Standing room is looked for at 1 to {MOST_CELLS} places, not {len(xs) * len(zs)}.")
    seen = move.moment(shot, frame, width)
    up = float(seen.view.position[1]) if height is None else height
    grid = np.stack(np.meshgrid(xs, zs), axis=-1).reshape(-1, 2)
    found = standing(desk.engine(shot), [seen], shot.limits, grid, up)
    return RoomState(
        frame=frame,
        height_m=up,
        area=area,
        step=step,
        across=len(xs),
        along=len(zs),
        margin=[round(float(m), 4) for m in found.margin],
    )


# ---------------------------------------------------------------- the paint list


def order(desk: Desk, shot_id: str) -> Job:
    """Order the list of what has to be painted."""
    return desk.order(shot_id, "paint_list", "Paint list")


def run(desk: Desk, order: Order, tell: Tell) -> dict[str, Any]:
    """Look at every frame; the list is kept and found by `listed`."""
    shot = desk.store.load(order.shot)
    frames = moments(shot, width=min(WIDTH, shot.delivery.width))
    engine = desk.engine(shot)

    def told(done: float) -> None:
        tell(done, f"frame {round(done * len(frames))} of {len(frames)}")

    found = paint_list(shot, engine, frames, shot.limits, told=told)
    desk.kept.put("paint", move.report_key(desk, shot), found)
    return {"regions": len(found), "pixels": sum(r.pixels for r in found)}


def _regions(desk: Desk, shot: Shot) -> list[Region] | None:
    found: list[Region] | None = desk.kept.peek("paint", move.report_key(desk, shot))
    return found


def listed(desk: Desk, shot: Shot) -> PaintList:
    """The list of this very move, if it has been made."""
    found = _regions(desk, shot)
    if found is None:
        return PaintList(regions=None)
    keys = ("surface", "plate", "canvas", "pixels", "frames", "largest_percent", "pixels_per_metre")
    return PaintList(
        regions=[
            Entry(number=n, **{k: v for k, v in masks.told(r, "").items() if k in keys}) for n, r in enumerate(found)
        ]
    )


def region(desk: Desk, shot: Shot, number: int) -> Region:
    """One of the list; raises NotFound."""
    found = _regions(desk, shot) or []
    if not 0 <= number < len(found):
        raise NotFound("The paint list has been made for another move: make it again.")
    return found[number]


def packed(desk: Desk, shot: Shot) -> bytes:
    """All masks and the table, a ZIP."""
    found = _regions(desk, shot)
    if found is None:
        raise NotFound("The paint list has been made for another move: make it again.")
    out = io.BytesIO()
    with tempfile.TemporaryDirectory() as folder, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as pack:
        masks.write_regions(found, Path(folder) / "list")
        for file in sorted((Path(folder) / "list").iterdir()):
            pack.write(file, file.name)
    return out.getvalue()


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


def fill(desk: Desk, shot_id: str, numbers: list[int] | None) -> list[str]:
    """Make the plates that regions ask for, all where none are named, as one step: their photo, filled there, thrown
    last on the surface. Returns their ids; what no photo can give is left on the list."""
    shot = desk.store.load(shot_id)
    wanted = [region(desk, shot, n) for n in numbers] if numbers is not None else _regions(desk, shot) or []
    plates = [p for p in (_asked(shot, r) for r in wanted) if p is not None]
    if not plates:
        raise Conflict(
            "There is nothing that a photo could be filled for: no photo faces those surfaces, or they are single "
            "pixels. Save a face squared up, paint it, and bring it back; or raise the limit of gaps."
        )
    made: list[str] = []

    def alter(now: Shot) -> Shot:
        made.clear()
        for plate, face in plates:
            ident = fresh_id(plate.name, [p.id for p in now.plates])
            now.plates.append(plate.model_copy(update={"id": ident}))
            now.throws.append(Throw(plate=ident, targets=[face]))
            made.append(ident)
        return now

    desk.store.change(shot_id, "Fill what the move shows bare", alter)
    return list(made)


def _asked(shot: Shot, wanted: Region) -> tuple[Plate, str] | None:
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
