"""A step done again on a plate that has changed in one place: that place is worked out anew, the rest is as it was."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import zip_longest
from typing import Any

import numpy as np

from roofline.core.boxes import NOWHERE, Box, area, box_of, joined, parts, wider
from roofline.core.camera import Array
from roofline.core.plates.coverage import curve
from roofline.core.plates.matte import AROUND, FEATHER, TILE
from roofline.core.plates.steps import step_done
from roofline.core.plates.worked import Canvas, Worked, World
from roofline.model import steps as m

MOST = 0.5  # of the canvas: what is worked out of more is worked out as a whole
LANES = 32  # pixels: a multiple of how many a processor takes at once
BLUR = 4.0  # sigmas that a blur reaches


@dataclass(frozen=True)
class Done:
    """A step as it was done before: on what, and what it made of that."""

    step: Any
    before: Worked
    after: Worked


def step_again(worked: Worked, step: Any, was: Done, world: World) -> Worked | None:
    """A step on a plate, worked out where it can differ from what it made before; None where that is not known, or is
    most of the plate: it has to be done as a whole then.

    The same as `step_done` gives, to a millionth of a matte.
    """
    own = _own(step, was.step, worked.canvas)
    given = _differs(was.before, worked)
    if own is None or given is None or was.after.notes != was.before.notes:
        return None
    box = joined(own, given)
    if box == NOWHERE:
        return replace(was.after, notes=worked.notes)
    changes, around = _reach(step, box, worked.canvas)
    looks_at = _in_step(around, worked.canvas)
    if area(looks_at) > MOST * worked.canvas.size[0] * worked.canvas.size[1]:
        return None
    ys, xs = parts(looks_at)
    matte = worked.full_matte[ys, xs]
    if isinstance(step, m.GrowStep) and not ((matte >= 0.5).any() and (was.before.full_matte >= 0.5).any()):
        return None  # where there is nothing to grow a matte stays as it is, and that is seen of the whole
    part = Worked(worked.canvas.part(xs, ys), np.ascontiguousarray(worked.pixels[ys, xs]), np.ascontiguousarray(matte))
    done = step_done(part, step, world)
    if done.notes:
        return None
    inner = parts((changes[0] - xs.start, changes[1] - ys.start, changes[2] - xs.start, changes[3] - ys.start))
    at = parts(changes)
    if isinstance(step, m.GradeStep):
        pixels = was.after.pixels.copy()
        pixels[at] = done.pixels[inner]
        return replace(worked, pixels=pixels)
    whole = was.after.full_matte.copy()
    whole[at] = done.full_matte[inner]
    return replace(worked, matte=whole)


def _own(step: Any, was: Any, canvas: Canvas) -> Box | None:
    """Where a step itself says something else than before; None where it is not of a kind that is done in part."""
    if type(step) is not type(was):
        return None
    if isinstance(step, m.OutlineStep):
        same = (step.mode, step.feather_px) == (was.mode, was.feather_px)
        return _redrawn(was.loops, step.loops, canvas) if same else None
    if isinstance(step, m.BrushStep):
        return _brushed(was.strokes, step.strokes, canvas) if step.mode == was.mode else None
    local = isinstance(step, (m.GrowStep, m.FeatherStep, m.HairStep)) or (
        isinstance(step, m.GradeStep) and step.where is None
    )
    same = step.model_copy(update={"name": None}) == was.model_copy(update={"name": None})
    return NOWHERE if local and same else None


def _redrawn(was: Sequence[m.Loop], now: Sequence[m.Loop], canvas: Canvas) -> Box:
    """Between which pixels lines have moved."""
    box = NOWHERE
    for a, b in zip_longest(was, now):
        if a == b:
            continue
        old, new = (np.zeros((0, 2)) if x is None else curve(canvas.place(x.points), x.smooth) for x in (a, b))
        box = joined(box, _around(np.concatenate(_parts_that_differ(old, new)), 1, canvas))
    return box


def _parts_that_differ(old: Array, new: Array) -> tuple[Array, Array]:
    """Of two closed lines (N, 2) and (M, 2) the parts that they do not share, with the shared point at either end."""
    n = min(len(old), len(new))
    head = _alike(old[:n], new[:n])
    tail = _alike(old[::-1][: n - head], new[::-1][: n - head])
    if not head and not tail:
        return old, new
    part, other = (x.take(range(head - 1, len(x) - tail + 1), axis=0, mode="wrap") for x in (old, new))
    return part, other


def _alike(a: Array, b: Array) -> int:
    """How many points two lines share from their start."""
    other = np.flatnonzero((a != b).any(axis=1))
    return int(other[0]) if len(other) else len(a)


def _brushed(was: Sequence[m.Stroke], now: Sequence[m.Stroke], canvas: Canvas) -> Box:
    """Where strokes lie that there are only before, or only now."""
    box = NOWHERE
    for one, other in ((was, now), (now, was)):
        there = {s.model_dump_json() for s in other}
        for stroke in one:
            if stroke.model_dump_json() not in there:
                room = (stroke.radius_px or 1) * canvas.mean_scale + 2
                box = joined(box, _around(canvas.place(stroke.points), room, canvas))
    return box


def _differs(was: Worked, now: Worked) -> Box | None:
    """Where two states of a plate differ; None where that cannot be said."""
    if was.canvas != now.canvas or was.pixels.dtype != now.pixels.dtype:
        return None
    box = NOWHERE if was.pixels is now.pixels else box_of((was.pixels != now.pixels).any(axis=-1))
    if was.matte is now.matte:
        return box
    return joined(box, box_of(was.full_matte != now.full_matte))


def _reach(step: Any, box: Box, canvas: Canvas) -> tuple[Box, Box]:
    """Where a step's result changes when what is within a box does, and all that it looks at for that."""
    k = canvas.mean_scale
    if isinstance(step, m.HairStep):  # by tiles of a fixed grid; each looks around itself, and is blended with the next
        x0, y0, x1, y1 = wider(box, step.band_px * k / 2 + 2 + AROUND, canvas.size)
        tiles = TILE * (x0 // TILE), TILE * (y0 // TILE), TILE * -(-x1 // TILE), TILE * -(-y1 // TILE)
        return wider(tiles, AROUND, canvas.size), wider(tiles, 2 * TILE, canvas.size)
    pixels = 0.0
    if isinstance(step, m.GrowStep):
        pixels = abs(step.px) * k + 2
    elif isinstance(step, (m.FeatherStep, m.OutlineStep)):
        width = step.px if isinstance(step, m.FeatherStep) else step.feather_px
        pixels = BLUR * width * k / FEATHER + 2
    return wider(box, pixels, canvas.size), wider(box, 2 * pixels, canvas.size)


def _in_step(box: Box, canvas: Canvas) -> Box:
    """A box whose columns are taken together as those of the whole are, so that sums are rounded alike."""
    return LANES * (box[0] // LANES), box[1], min(canvas.size[0], LANES * -(-box[2] // LANES)), box[3]


def _around(points: Array, pixels: float, canvas: Canvas) -> Box:
    """The pixels of the grid about points (N, 2)."""
    if not len(points):
        return NOWHERE
    size = canvas.size
    low = np.clip(np.floor(points.min(0) - pixels), 0, size).astype(int)
    high = np.clip(np.ceil(points.max(0) + pixels), 0, size).astype(int)
    box = int(low[0]), int(low[1]), int(high[0]), int(high[1])
    return box if area(box) else NOWHERE
