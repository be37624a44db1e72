"""Strokes that take from elsewhere: clones, which copy, and heals, which bring texture and leave the light."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from roofline.core.light import even, linear_of, stored, to_display
from roofline.core.plates.filling import Sheet
from roofline.core.plates.membrane import meeting
from roofline.core.plates.strokes import laid
from roofline.core.plates.worked import Canvas, Face, Worked, World, resampled
from roofline.errors import PlateError
from roofline.model.steps import CloneStep, HealStep, Stroke

FINEST = 4_000_000  # pixels of the grid on which a stroke on a face is drawn, at most


def painted_by(strokes: list[Stroke], canvas: Canvas) -> NDArray[np.float32]:
    """What strokes on the picture cover, (H, W)."""
    k = canvas.mean_scale
    return laid([(canvas.place(s.points), (s.radius_px or 1) * k, s.hardness) for s in strokes], *canvas.size)


def _spot(stroke: Stroke, canvas: Canvas, face: Face | None) -> tuple[tuple[slice, slice], NDArray[np.float32]]:
    """Rows and columns that a stroke reaches, and what it covers there."""
    points, (w, h) = canvas.place(stroke.points), canvas.size
    if face is None:
        reach = (stroke.radius_px or 1) * canvas.mean_scale + 2
        low, high = np.floor(points.min(0) - reach), np.ceil(points.max(0) + reach)
    else:
        flat = face.metres(points)
        if not np.isfinite(flat).all():
            raise PlateError("A stroke leaves the face that it is drawn on: keep it below the horizon of that surface.")
        reach = stroke.radius_m or 0.1
        around = [flat.min(0) - reach, flat.max(0) + reach]
        corners = face.grid(np.array([[around[i][0], around[j][1]] for i in (0, 1) for j in (0, 1)]))
        low, high = np.floor(corners.min(0) - 2), np.ceil(corners.max(0) + 2)
    xs = slice(int(np.clip(low[0], 0, w)), int(np.clip(high[0], 0, w)))
    ys = slice(int(np.clip(low[1], 0, h)), int(np.clip(high[1], 0, h)))
    if xs.stop - xs.start < 1 or ys.stop - ys.start < 1:
        return (slice(0, 0), slice(0, 0)), np.zeros((0, 0), np.float32)
    size = xs.stop - xs.start, ys.stop - ys.start
    corner = np.array([xs.start, ys.start])
    if face is None:
        radius = (stroke.radius_px or 1) * canvas.mean_scale
        return (ys, xs), laid([(points - corner, radius, stroke.hardness)], *size)
    (a, b), metres = around, stroke.radius_m or 0.1
    step = max(metres / 24, float(np.sqrt((b - a).prod() / FINEST)))
    wide, tall = (int(v) for v in np.ceil((b - a) / step) + 1)
    to_metres = np.array([[step, 0, a[0]], [0, -step, a[1] + tall * step], [0, 0, 1.0]])
    shift = np.array([[1, 0, -xs.start], [0, 1, -ys.start], [0, 0, 1.0]])
    sheet = Sheet(shift @ face.to_grid @ to_metres, (wide, tall), a, b, step)
    drawn = laid(
        [((face.metres(points) - [a[0], a[1] + tall * step]) / [step, -step], metres / step, stroke.hardness)],
        wide,
        tall,
    )
    return (ys, xs), np.clip(sheet.given(drawn, size, cv2.INTER_LINEAR, cv2.BORDER_CONSTANT), 0, 1)


def _taken(
    step: CloneStep | HealStep, source: Worked, canvas: Canvas, face: Face | None, at: tuple[slice, slice]
) -> tuple[NDArray, NDArray[np.bool_]]:
    """What lies the offset away, (h, w, 3) as stored, and whether there is anything."""
    ys, xs = at
    part = canvas.part(xs, ys)
    if face is None:
        dx, dy = step.offset
        away = Canvas(part.x0 + dx, part.y0 + dy, part.width, part.height, part.size)
        there = resampled(np.ones(source.pixels.shape[:2], np.float32), source.canvas, away) > 0.999
        return resampled(source.pixels, source.canvas, away), there
    gx, gy = np.meshgrid(np.arange(xs.start, xs.stop) + 0.5, np.arange(ys.start, ys.stop) + 0.5)
    spots = np.column_stack([gx.ravel(), gy.ravel()])
    flat = face.metres(spots) + np.asarray(step.offset_m or (0.0, 0.0))
    grid = face.grid(np.nan_to_num(flat))
    photo = grid / canvas.scale + [canvas.x0, canvas.y0]
    look = (source.canvas.place(photo) - 0.5).astype(np.float32).reshape(gx.shape + (2,))
    h, w = source.pixels.shape[:2]
    there = (look[..., 0] >= -0.5) & (look[..., 1] >= -0.5) & (look[..., 0] <= w - 0.5) & (look[..., 1] <= h - 0.5)
    there &= np.isfinite(flat).all(axis=1).reshape(gx.shape)
    x0, y0 = (max(0, int(np.floor(look[..., i][there].min())) - 4) if there.any() else 0 for i in (0, 1))
    x1, y1 = (int(np.ceil(look[..., i][there].max())) + 5 if there.any() else 1 for i in (0, 1))
    near = np.ascontiguousarray(source.pixels[y0:y1, x0:x1])  # OpenCV's maps reach 32767 pixels
    got = cv2.remap(near, look[..., 0] - x0, look[..., 1] - y0, cv2.INTER_LANCZOS4, borderMode=cv2.BORDER_REPLICATE)
    return got, there


def _source(step: CloneStep | HealStep, worked: Worked, world: World) -> Worked | None:
    """What a step takes from; None: the plate itself, as it is by then."""
    if step.plate is not None:
        return world.plate(step.plate)
    if step.photo is None:
        return None
    seen = world.photo(step.photo, worked.canvas)
    colour = seen[..., :3] / np.maximum(seen[..., 3:], 1e-6)
    if worked.pixels.dtype != np.float32:
        colour = stored(to_display(colour), worked.pixels)
    return Worked(worked.canvas, colour, seen[..., 3])


def take(worked: Worked, step: CloneStep | HealStep, world: World) -> Worked:
    """A plate with a step's strokes laid on, one after another."""
    face = world.face(step.on, worked.canvas) if step.on else None
    outside = _source(step, worked, world)
    pixels = worked.pixels.copy()
    for stroke in step.strokes:
        at, cover = _spot(stroke, worked.canvas, face)
        if not cover.size or not cover.any():
            continue
        source = outside or Worked(worked.canvas, pixels, None)
        got, there = _taken(step, source, worked.canvas, face, at)
        cover = np.where(there, cover, 0)[..., None]
        before = pixels[at]
        if got.dtype != before.dtype:
            got = stored(even(got), before)
        new, old = even(got), even(before)
        if isinstance(step, HealStep):
            new = meeting(new, old, cover[..., 0] > 0.004)
        mixed = stored((old + cover * (new - old)).astype(np.float32), before)
        whole = (cover >= 0.999) if isinstance(step, CloneStep) else np.zeros_like(cover, dtype=bool)
        pixels[at] = np.where(whole, got, np.where(cover > 0, mixed, before))
    return Worked(worked.canvas, pixels, worked.matte, worked.notes)


def painted(worked: Worked, picture: NDArray, alpha: NDArray | None, face: Face | None) -> Worked:
    """A plate with a picture laid over it: over its canvas, or over a face's bounds."""
    w, h = worked.canvas.size
    wide, tall = picture.shape[1], picture.shape[0]
    new, cover = even(picture), np.ones((tall, wide), np.float32) if alpha is None else alpha
    if face is not None:
        step = (face.high - face.low) / [wide, tall]
        to_metres = np.array([[step[0], 0, face.low[0]], [0, -step[1], face.high[1]], [0, 0, 1.0]])
        sheet = Sheet(face.to_grid @ to_metres, (wide, tall), face.low, face.high, float(step[0]))
        new = sheet.given(new, (w, h))
        cover = np.clip(sheet.given(cover, (w, h), cv2.INTER_LINEAR, cv2.BORDER_CONSTANT), 0, 1)
    elif (wide, tall) != (w, h):
        raise PlateError(
            f"The painted picture is {wide} × {tall} px, the plate {w} × {h} px: "
            "bring it back in the size that it was taken out in."
        )
    before = worked.pixels
    old = even(before)
    if picture.dtype != before.dtype and picture.dtype == np.float32:
        new = to_display(new * np.abs(new))
    elif before.dtype == np.float32 and picture.dtype != np.float32:
        new = np.sqrt(linear_of(np.maximum(new, 0)))
    share = cover[..., None]
    pixels = np.where(share > 0, stored((old + share * (new - old)).astype(np.float32), before), before)
    return Worked(worked.canvas, pixels, worked.matte, worked.notes)
