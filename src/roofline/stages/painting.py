"""What has to be painted for a move, and from where its frames would hold."""

from __future__ import annotations

import io
import tempfile
import zipfile
from pathlib import Path
from typing import Any

import numpy as np

from roofline.core.move.paint_list import Region, paint_list
from roofline.core.move.path import moments
from roofline.core.move.standing import cells, several, standing
from roofline.core.move.standing import upright as stands
from roofline.errors import Conflict, MoveError, NotFound
from roofline.formats import masks
from roofline.model.base import Model, Vec4
from roofline.model.shot import Shot
from roofline.stages import move
from roofline.store.orders import Order
from roofline.work.asked import asked, painted
from roofline.work.desk import Desk
from roofline.work.jobs import Job, Tell

WIDTH = 480  # pixels across the frames that are looked at
MOST_CELLS = 20_000


class RoomState(Model):
    """Margins over an area, row by row: `across` cells along Run, `along` along Return; upright: along the heading, and
    along rise from the lowest. ``open``: cells, by their place, that lie too close to a limit to be told."""

    frame: int
    height_m: float
    area: Vec4
    step: float
    across: int
    along: int
    margin: list[float]
    open: list[int]


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


def room(
    desk: Desk,
    shot: Shot,
    frame: int,
    area: Vec4,
    step: float,
    height: float | None,
    width: int,
    whole: bool,
    upright: bool = False,
) -> RoomState:
    """From where a frame would hold, over an area x0, z0, x1, z1; ``height``: the frame's own if None.

    ``whole``: from where all directions of the move would hold, each at its own height unless one is given.
    ``upright``: the area stands along the frame's heading (`core.move.standing.upright`), its second figures heights.
    """
    xs, zs = cells(area, step) if step > 0 else (np.zeros(0), np.zeros(0))
    if not 0 < len(xs) * len(zs) <= MOST_CELLS:
        raise MoveError(f"Standing room is looked for at 1 to {MOST_CELLS} places, not {len(xs) * len(zs)}.")
    seen = move.moment(shot, frame)
    up = float(seen.view.position[1]) if height is None else height
    grid = stands(seen.view, xs, zs) if upright else np.stack(np.meshgrid(xs, zs), axis=-1).reshape(-1, 2)
    looks = several(moments(shot)) if whole else [seen]
    found = standing(desk.engine(shot), looks, shot.limits, grid, height if whole else up, width)
    return RoomState(
        frame=frame,
        height_m=up,
        area=area,
        step=step,
        across=len(xs),
        along=len(zs),
        margin=[round(float(m), 4) for m in found.margin],
        open=np.flatnonzero(found.open).tolist(),
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


def fill(desk: Desk, shot_id: str, numbers: list[int] | None) -> list[str]:
    """Make the plates that regions ask for, all where none are named, as one step: their photo, filled there, thrown
    last on the surface. Returns their ids; what no photo can give is left on the list."""
    shot = desk.store.load(shot_id)
    wanted = [region(desk, shot, n) for n in numbers] if numbers is not None else _regions(desk, shot) or []
    if not any(asked(shot, r) for r in wanted):
        raise Conflict(
            "There is nothing that a photo could be filled for: no photo faces those surfaces, or they are single "
            "pixels. Save a face squared up, paint it, and bring it back; or raise the limit of gaps."
        )
    made: list[str] = []

    def alter(now: Shot) -> Shot:
        before = {p.id for p in now.plates}
        after = painted(now, wanted)
        made[:] = [p.id for p in after.plates if p.id not in before]
        return after

    desk.store.change(shot_id, "Fill what the move shows bare", alter)
    return list(made)
