"""Looking at the set: how much of a photo it covers, how deep it is, and how much of the frame it fills."""

from __future__ import annotations

import threading
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from roofline.core.massing.kinds import Flat, Imported
from roofline.core.moment import still
from roofline.core.move.path import moment_at, shot_path
from roofline.errors import MassingError, RoofLineError
from roofline.model.move import Move
from roofline.model.shot import Shot
from roofline.stages.massing.drawing import place
from roofline.stages.massing.pieces import solid_of
from roofline.stages.photo import surveyed
from roofline.work.desk import Desk
from roofline.work.engines import digest

HATCH = 9  # pixels between the lines over what lands on nothing
REST_SECONDS = 0.25  # that a shot has to rest before what takes a moment is worked out
ORDER_WIDTH = 480  # pixels of the photo that are looked at to tell what hides what
COVER_WIDTH = 160  # pixels of the frame that the rail's figure is counted on


def depth(desk: Desk, shot: Shot, photo_id: str | None, width: int | None) -> tuple[NDArray[np.float32], str]:
    """Depth (H, W) in metres as a photo's camera sees the pieces, infinite where there are none; and the photo's id."""
    photo, view = surveyed(shot, photo_id)
    if width is not None and width < view.width:
        view = view.across(width)
    return desk.engine(shot).depth(still(view)), photo.id


def cover(desk: Desk, shot: Shot, photo_id: str | None, width: int) -> NDArray[np.uint8]:
    """Where a photo lands on no surface: ink with white hatching, (H, W, 4), clear elsewhere."""
    found, _ = depth(desk, shot, photo_id, width)
    bare = ~np.isfinite(found)
    y, x = np.indices(bare.shape)
    line = (x + y) % HATCH < 2
    out = np.zeros((*bare.shape, 4), dtype=np.uint8)
    out[bare] = (34, 48, 58, 235)
    out[bare & line] = (255, 255, 255, 235)
    return out


def shaded(desk: Desk, shot: Shot, photo_id: str | None, width: int, near: float, far: float) -> NDArray[np.uint8]:
    """Depth as brightness, (H, W, 4): light at `near`, dark at `far` (metres, in steps of inverse depth)."""
    if not 0 < near < far:
        raise MassingError("Depth is shown from a nearer to a farther distance, both above zero.")
    found, _ = depth(desk, shot, photo_id, width)
    there = np.isfinite(found)
    light = np.zeros(found.shape)
    light[there] = np.clip((1 / found[there] - 1 / far) / (1 / near - 1 / far), 0, 1)
    grey = np.rint(20 + 225 * light).astype(np.uint8)
    return np.dstack([grey, grey, grey, np.where(there, 255, 0).astype(np.uint8)])


def depth_at(desk: Desk, shot: Shot, photo_id: str | None, x: float, y: float) -> tuple[float, float, str] | None:
    """Depth and distance in metres at a pixel of the straightened photo, and the face there; None where nothing is."""
    _, view = surveyed(shot, photo_id)
    hits = place(desk, shot).hits(view.position, view.rays(np.array([x, y])))
    if not hits:
        return None
    away = hits[0].world - view.position
    return float(view.rotation[2] @ away), float(np.linalg.norm(away)), f"{hits[0].solid}/{hits[0].face}"


def order(desk: Desk, shot: Shot, solid_id: str) -> tuple[dict[str, float], dict[str, float]]:
    """What hides a flat and which flats it hides, as the home photo's camera sees the pieces: ids and percent."""
    flat = solid_of(shot, solid_id)
    if not isinstance(flat, Flat) or not flat.in_set:
        return {}, {}
    _, view = surveyed(shot)
    by, hides = desk.engine(shot).order(still(view.across(min(ORDER_WIDTH, view.width))), solid_id)
    return {k: 100 * v for k, v in by.items()}, {k: 100 * v for k, v in hides.items()}


def triangles(desk: Desk, shot: Shot, solid_id: str) -> bytes:
    """Triangles of a brought-in piece before it is placed: nine 32-bit floats each."""
    solid = solid_of(shot, solid_id)
    if not isinstance(solid, Imported):
        raise MassingError(f"{solid.name} was not brought in from a file.")
    mesh = desk.engines.meshes(shot)[solid.file]
    return mesh.vertices[mesh.indices].astype("<f4").tobytes()


# ---------------------------------------------------------------- the rail

Late = Callable[[tuple[str, str | None]], None]


def telling(desk: Desk, shot_id: str, shot: Shot, late: Late) -> tuple[str, str | None]:
    """The stage's figure, and what is wrong. What takes a moment comes later: by ``late``, which is given both anew."""
    n = len(shot.solids)
    figure = f"{n} solid{'s' if n != 1 else ''}"
    if not n:
        return figure, None
    home = shot.model_copy(update={"move": Move()})
    try:
        moment = moment_at(home, shot_path(home), home.frame_range[0], min(COVER_WIDTH, shot.delivery.width))
    except RoofLineError:
        return figure, None  # no home yet: there is nothing to fill
    key = digest(desk.engines.geometry_key(shot), _mattes(shot), moment.view.width, repr(moment.view))
    known = desk.kept.peek("cover", key)
    if known is not None:
        return _covered(figure, known)

    def work() -> None:
        if not desk.quiet(f"cover:{shot_id}", REST_SECONDS):
            return  # the shot has been changed again: what is asked for by then will tell
        try:
            late(_covered(figure, desk.kept.get("cover", key, lambda: desk.engine(shot).covered(moment))))
        except RoofLineError:
            return  # a plate's file is missing, say: the figure is left out

    threading.Thread(target=work, daemon=True, name="cover").start()
    return figure, None


def _mattes(shot: Shot) -> list[object]:
    """What shapes cut-outs besides their faces: the throws, and their plates' mattes."""
    return [
        [[t.plate, *t.targets] for t in shot.throws],
        [[p.id, p.matte, p.canvas, p.photo, [s.model_dump(mode="json") for s in p.steps]] for p in shot.plates],
        [p.camera.model_dump(mode="json") if p.camera else None for p in shot.photos],
    ]


def _covered(figure: str, share: float) -> tuple[str, str | None]:
    percent = 100.0 * share
    shown = "100" if percent == 100 else f"{min(percent, 99.9):.1f}"
    return f"{figure} · {shown} % of frame", None if percent > 99.9 else "gaps at home"
