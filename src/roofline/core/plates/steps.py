"""The steps of a plate: what each makes of what the one before it has left."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from roofline.core.light import even, stored, to_display
from roofline.core.plates import matte as mattes
from roofline.core.plates.coverage import coverage, curve
from roofline.core.plates.exemplar import textured
from roofline.core.plates.filling import FILLERS, filled, from_photo
from roofline.core.plates.grading import graded
from roofline.core.plates.takes import from_take
from roofline.core.plates.taking import painted, painted_by, take
from roofline.core.plates.worked import Canvas, Matte, Worked, World, resampled
from roofline.errors import PlateError
from roofline.model import steps as m

MAKES = (m.OutlineStep, m.ColourStep, m.BrushStep, m.DepthStep, m.SilhouetteStep, m.PlateStep)
RAN = 0.6  # share of a picture that a pick of one colour is not likely to be meant to take


def emptied(worked: Worked) -> Worked:
    """With a matte that is zero everywhere."""
    return replace(worked, matte=np.zeros(worked.pixels.shape[:2], np.float32))


def begins_empty(steps: Sequence[Any]) -> bool:
    """Whether the matte begins empty, because the first step that makes one adds; else it is the source's own."""
    first = next((s for s in steps if isinstance(s, MAKES) and not s.off), None)
    return first is not None and first.mode == "add"


def looks_at_set(step: Any) -> bool:
    """Whether a step's result hangs on the set or on other photos."""
    if isinstance(step, (m.SilhouetteStep, m.DepthStep)) or getattr(step, "on", None) or getattr(step, "photo", None):
        return True
    return looks_in_front(step) or any(looks_at_set(s) for s in getattr(step, "where", None) or ())


def looks_in_front(step: Any) -> bool:
    """Whether a step asks what stands in front of surfaces: cut-outs and their mattes count then."""
    where = getattr(step, "where", None)
    return isinstance(where, m.InFrontOf) or (isinstance(step, m.FillStep) and step.on is not None)


def noted(worked: Worked, steps: Sequence[Any], photo: tuple[int, int]) -> Worked:
    """What a plate's matte has to tell once it is done; ``photo``: width and height of its photo. A canvas that ends
    within the photo, or beyond it, cuts nothing off that the photo has."""
    last = next((s.id for s in reversed(steps) if s.do in m.MATTES), None)
    if last is None or worked.matte is None:
        return worked
    if worked.matte.max() < 0.004:
        return worked.noted(last, "The matte is empty: nothing of the plate is left to be thrown.")
    if worked.matte.min() > 0.996:
        return worked.noted(last, "The matte covers everything: it takes nothing away.")
    rim = (worked.matte[:, 0], worked.matte[0], worked.matte[:, -1], worked.matte[-1])
    c = worked.canvas
    on_border = np.abs([c.x0, c.y0, c.x0 + c.width - photo[0], c.y0 + c.height - photo[1]]) < 1 / c.mean_scale
    if any(ends and float(r.max()) > 0.5 for r, ends in zip(rim, on_border, strict=True)):
        return worked.noted(last, "The matte ends on the photo's border: what stands there is cut off.")
    return worked


def step_done(worked: Worked, step: Any, world: World) -> Worked:
    """One step done."""
    if isinstance(step, MAKES):
        return _made(worked, step, world)
    try:
        return _DO[step.do](worked, step, world)
    except PlateError as error:
        raise PlateError(f"{_title(step)}: {error}") from None


def _title(step: Any) -> str:
    return step.name or f"The step '{step.do}'"


def matte_of_steps(worked: Worked, steps: Sequence[Any], world: World) -> Matte:
    """A matte of its own from matte steps, as a fill's or a grade's `where` has it: it begins empty, or full."""
    on = [s for s in steps if not s.off]
    start = 1.0 if on and getattr(on[0], "mode", "add") != "add" else 0.0
    own = replace(worked, matte=np.full(worked.pixels.shape[:2], start, np.float32))
    for step in on:
        own = step_done(own, step, world)
    return own.full_matte


# ---------------------------------------------------------------- steps that make a matte


def _made(worked: Worked, step: Any, world: World) -> Worked:
    new = _new_matte(worked, step, world)
    out = replace(worked, matte=mattes.combined(worked.full_matte, new, step.mode))
    if isinstance(step, m.ColourStep) and (share := float(new.mean())) > RAN:
        return out.noted(step.id, f"The pick took {100 * share:.0f} % of the picture: lower its tolerance.")
    return out


def _new_matte(worked: Worked, step: Any, world: World) -> Matte:
    canvas = worked.canvas
    if isinstance(step, m.OutlineStep):
        loops = [curve(canvas.place(loop.points), loop.smooth) for loop in step.loops]
        return mattes.feathered(coverage(loops, *canvas.size), step.feather_px * canvas.mean_scale)
    if isinstance(step, m.ColourStep):
        at = canvas.place(step.at)
        w, h = canvas.size
        inside = (at[:, 0] >= 0) & (at[:, 1] >= 0) & (at[:, 0] < w) & (at[:, 1] < h)
        if not inside.any():
            raise PlateError(f"{_title(step)}: no pick lies in the plate.")
        return mattes.picked(worked.linear, at[inside], step.tolerance, step.joined)
    if isinstance(step, m.BrushStep):
        return painted_by(step.strokes, canvas)
    if isinstance(step, m.SilhouetteStep):
        return world.silhouette(step.targets, canvas)
    if isinstance(step, m.DepthStep):
        return mattes.within(_depths(step, worked, world), step.near_m, step.far_m, step.soft_m)
    return _of_plate(step.plate, canvas, world)


def _of_plate(plate: str, canvas: Canvas, world: World) -> Matte:
    other = world.plate(plate)
    return np.clip(resampled(other.full_matte, other.canvas, canvas), 0, 1).astype(np.float32)


def _depths(step: m.DepthStep, worked: Worked, world: World) -> NDArray[np.float32]:
    if step.picture is None:
        return world.depth(worked.canvas)
    grey = world.depth_picture(step.picture.file, worked.canvas)
    near, far = step.picture.near_m, step.picture.far_m
    if step.picture.nearer == "bright":
        grey = 1 - grey
    return np.asarray(near + grey * (far - near), dtype=np.float32)


# ---------------------------------------------------------------- steps that change one


def _grow(worked: Worked, step: m.GrowStep, world: World) -> Worked:
    return replace(worked, matte=mattes.grown(worked.full_matte, step.px * worked.canvas.mean_scale))


def _feather(worked: Worked, step: m.FeatherStep, world: World) -> Worked:
    return replace(worked, matte=mattes.feathered(worked.full_matte, step.px * worked.canvas.mean_scale))


def _hair(worked: Worked, step: m.HairStep, world: World) -> Worked:
    shown, before = np.clip(even(worked.pixels), 0, 1), worked.full_matte
    matte = mattes.haired(shown, before, step.band_px * worked.canvas.mean_scale)
    if matte is before:  # it may follow from what has changed elsewhere, or from a coarse grid: that closes no shot
        return worked.noted(step.id, "There is no border to look for hair along: the matte is empty or everything.")
    return replace(worked, matte=matte)


def _fringe(worked: Worked, step: m.FringeStep, world: World) -> Worked:
    if worked.matte is None:
        return worked.noted(step.id, "There is no matte whose border it could clean.")
    own, changed = mattes.defringed(worked.linear, worked.matte, step.band_px * worked.canvas.mean_scale)
    as_stored = own if worked.pixels.dtype == np.float32 else stored(to_display(own), worked.pixels)
    return replace(worked, pixels=np.where(changed[..., None], as_stored, worked.pixels))


# ---------------------------------------------------------------- steps that change the picture


def _where(worked: Worked, step: m.FillStep, world: World) -> Matte:
    if isinstance(step.where, m.InFrontOf):
        found = world.in_front(step.where.in_front_of, worked.canvas)
    else:
        found = matte_of_steps(worked, step.where, world)
    by_px = step.grow_px * worked.canvas.mean_scale
    if by_px:  # everything that the matte touches at all, and so far around it
        found = mattes.grown((found > 0.004).astype(np.float32), by_px)
    for plate in step.where.but if isinstance(step.where, m.InFrontOf) else ():
        but = _of_plate(plate, worked.canvas, world)
        found = np.minimum(found, 1 - (mattes.grown(but, by_px) if by_px else but))
    return found


def _fill(worked: Worked, step: m.FillStep, world: World) -> Worked:
    where = _where(worked, step, world)
    if not (where > 0.004).any():  # what stood there may have been moved away: that closes no shot
        return worked.noted(step.id, "There is nothing to fill: nothing is marked, or nothing stands there.")
    if step.how == "photo":
        if step.photo is None:
            raise PlateError("say which photo it is to be taken from.")
        take = from_take if world.of_one_camera(step.photo) else from_photo
        out, share = take(worked, where, lambda canvas: world.photo(str(step.photo), canvas, True))
        if share < 0.98:
            return out.noted(step.id, f"The other photo bears {100 * share:.0f} % of it; the rest is texture.")
        return out
    face = world.face(step.on, worked.canvas) if step.on is not None else None
    behind = step.where.in_front_of if isinstance(step.where, m.InFrontOf) else None
    allowed = None
    if step.on or behind:  # a surface is filled from itself, where nothing stands before it
        own = [step.on] if step.on else behind or []
        allowed = world.silhouette(own, worked.canvas) > 0.999
        allowed &= world.in_front(own, worked.canvas) < 0.004
    make = FILLERS[step.how]
    turn = step.how == "along" and face is None
    return filled(worked, where, lambda p, h, may: make(p, h, may, step.seed), face, allowed, turn)


def _extend(worked: Worked, step: m.ExtendStep, world: World) -> Worked:
    kx, ky = worked.canvas.scale
    left, right = round(step.left * kx), round(step.right * kx)
    top, bottom = round(step.top * ky), round(step.bottom * ky)
    canvas = worked.canvas.grown(left, top, right, bottom)
    if canvas.size[0] * canvas.size[1] > 400_000_000:
        raise PlateError("the plate would have more than 400 million pixels.")
    pixels = cv2.copyMakeBorder(worked.pixels, top, bottom, left, right, cv2.BORDER_REPLICATE)
    matte = worked.matte
    if matte is not None:
        matte = np.asarray(cv2.copyMakeBorder(matte, top, bottom, left, right, cv2.BORDER_REPLICATE), np.float32)
    hole = np.ones(pixels.shape[:2], bool)
    h, w = worked.pixels.shape[:2]
    hole[top : top + h, left : left + w] = False
    picture = even(pixels)
    if step.how == "texture":
        new = textured(picture, hole, ~hole, 0)
    else:
        new = FILLERS["smooth"](picture, hole, ~hole, 0) if hole.any() else picture
    return Worked(canvas, np.where(hole[..., None], stored(new, pixels), pixels), matte, worked.notes)


def _painted(worked: Worked, step: m.PaintedStep, world: World) -> Worked:
    picture, alpha = world.picture(step.file)
    face = world.face(step.on, worked.canvas) if step.on else None
    if face is not None and step.area is not None:
        face = replace(face, low=np.array(step.area[:2]), high=np.array(step.area[2:]))
    return painted(worked, picture, alpha, face)


def _grade(worked: Worked, step: m.GradeStep, world: World) -> Worked:
    linear = worked.linear
    out = graded(linear, step)
    if step.where is not None:
        share = matte_of_steps(worked, step.where, world)[..., None]
        out = linear + share * (out - linear)
    return replace(worked, pixels=out.astype(np.float32))


_DO: dict[str, Callable[[Worked, Any, World], Worked]] = {
    "grow": _grow,
    "feather": _feather,
    "hair": _hair,
    "fringe": _fringe,
    "fill": _fill,
    "clone": take,
    "heal": take,
    "extend": _extend,
    "painted": _painted,
    "grade": _grade,
}
