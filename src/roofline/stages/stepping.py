"""Steps of plates: put in, changed, moved, switched off, taken out, drawn; and plates as they are looked at."""

from __future__ import annotations

import contextlib
import hashlib
from collections.abc import Callable
from functools import partial
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from roofline.core.light import to_display
from roofline.core.plates.steps import noted
from roofline.errors import NotFound, PlateError
from roofline.formats import pictures
from roofline.formats.face_pictures import spread
from roofline.formats.plates import plate_pixels, whole_photo
from roofline.formats.textures import texture_of, texture_width
from roofline.model.base import Model, Vec2, Vec4
from roofline.model.parts import Parts, with_parts
from roofline.model.plates import Plate, Throw
from roofline.model.shot import Shot
from roofline.model.steps import BrushStep, OutlineStep, Step, Stroke, Tone
from roofline.stages.photo import photo_of
from roofline.stages.plates import box_of, fit, plate_of, sized
from roofline.stages.shots import fresh_id
from roofline.work.desk import Desk
from roofline.work.plates import ShotWorld, whole_canvas

Shown = Literal["plate", "matte"]


class NewPlate(Model):
    """A plate of a photo, or of a tone, with its first steps."""

    photo: str
    name: str | None = None
    steps: list[Step] = []
    tone: Tone | None = None


def make(desk: Desk, shot_id: str, new: NewPlate) -> str:
    """Make a plate over the whole photo; returns its id. It is thrown on nothing yet."""
    made = ""

    def alter(shot: Shot) -> Shot:
        nonlocal made
        photo = next((p for p in shot.photos if p.id == new.photo), None)
        if photo is None:
            raise NotFound(f"There is no photo '{new.photo}'.")
        count = 1 + sum(p.role == "foreground" for p in shot.plates)
        title = new.name or (f"Tone {len(shot.plates)}" if new.tone else f"Foreground {count}")
        made = fresh_id(title, [p.id for p in shot.plates])
        source: dict[str, Any] = {"tone": new.tone} if new.tone else {"file": photo.file}
        canvas = (0, 0, *sized(photo))
        source["role"] = "added" if new.tone else "foreground"
        shot.plates.append(Plate(id=made, name=title, photo=photo.id, canvas=canvas, steps=new.steps, **source))
        _thrown_first(shot, made)
        return shot

    desk.store.change(shot_id, "Make a plate", alter)
    return made


def _thrown_first(shot: Shot, ident: str) -> None:
    shot.throws.insert(0, Throw(plate=ident, targets=[]))


def step_of(plate: Plate, step_id: str) -> Any:
    """The step with this id; raises NotFound."""
    for step in plate.steps:
        if step.id == step_id:
            return step
    raise NotFound(f"The plate '{plate.name}' has no such step any more.")


def changed(desk: Desk, shot_id: str, plate_id: str, label: str, alter: Callable[[Shot, Plate], None]) -> None:
    """Change one plate of a shot, as an undoable step."""

    def change(shot: Shot) -> Shot:
        plate = plate_of(shot, plate_id)
        alter(shot, plate)
        return shot

    desk.store.change(shot_id, label, change)


def add(desk: Desk, shot_id: str, plate_id: str, step: Step, place: int | None) -> None:
    """Put a step in, at a place in the order or last."""

    def alter(shot: Shot, plate: Plate) -> None:
        steps = list(plate.steps)
        taken = {s.id for s in steps}
        new = step.model_copy(
            update={"id": step.id if step.id and step.id not in taken else fresh_id("s", list(taken))}
        )
        steps.insert(len(steps) if place is None else min(place, len(steps)), new)
        plate.steps = steps
        _hold(shot, plate, new)

    changed(desk, shot_id, plate_id, "Add a step", alter)


def set_parts(desk: Desk, shot_id: str, plate_id: str, step_id: str, parts: Parts) -> None:
    """Set some of a step's fields; see `with_parts`."""

    def alter(shot: Shot, plate: Plate) -> None:
        new = with_parts(step_of(plate, step_id), parts)
        plate.steps = [new if s.id == step_id else s for s in plate.steps]
        _hold(shot, plate, new)

    changed(desk, shot_id, plate_id, "Change a step", alter)


def _hold(shot: Shot, plate: Plate, step: Any) -> None:
    """The canvas of a plate that is cut close about an outline grows with an outline or strokes beyond it."""
    if isinstance(step, OutlineStep):
        points, margin = [p for loop in step.loops for p in loop.points], 2 * step.feather_px + 4
    elif getattr(step, "strokes", None) and not getattr(step, "on", None):
        points = [p for s in step.strokes for p in s.points]
        margin = max(s.radius_px or 0 for s in step.strokes) + 4
    else:
        return
    w, h = sized(shot.photo(plate.photo))
    if plate.canvas != (0, 0, w, h):
        with contextlib.suppress(PlateError):  # nothing of it lies in the photo
            fit(shot, plate, box_of(points, w, h, margin))


def switch(desk: Desk, shot_id: str, plate_id: str, step_id: str, off: bool | None, place: int | None) -> None:
    """Switch a step off or on, or move it in the order."""

    def alter(shot: Shot, plate: Plate) -> None:
        step = step_of(plate, step_id)
        if off is not None:
            step.off = off
        if place is not None:
            steps = [s for s in plate.steps if s.id != step_id]
            steps.insert(min(max(place, 0), len(steps)), step)
            plate.steps = steps

    changed(desk, shot_id, plate_id, "Move a step" if place is not None else "Switch a step", alter)


def remove(desk: Desk, shot_id: str, plate_id: str, step_id: str) -> None:
    def alter(shot: Shot, plate: Plate) -> None:
        step_of(plate, step_id)
        plate.steps = [s for s in plate.steps if s.id != step_id]

    changed(desk, shot_id, plate_id, "Remove a step", alter)


def _redrawn(step: Any, alter: Callable[[list[Stroke]], list[Stroke]]) -> Any:
    """The step with other strokes: its own, or those that say where it is; raises PlateError where there are none."""
    if hasattr(step, "strokes"):
        return step.model_copy(update={"strokes": alter(step.strokes)})
    where = step.where if isinstance(getattr(step, "where", None), list) else []
    for n, inner in enumerate(where):
        if isinstance(inner, BrushStep):
            return step.model_copy(update={"where": [*where[:n], _redrawn(inner, alter), *where[n + 1 :]]})
    raise PlateError("That step is not drawn with a brush.")


def stroke(desk: Desk, shot_id: str, plate_id: str, step_id: str, drawn: Stroke) -> None:
    """Add a stroke to a step that is drawn with them, or whose where is."""

    def more(strokes: list[Stroke]) -> list[Stroke]:
        taken = {s.id for s in strokes}
        ident = drawn.id if drawn.id and drawn.id not in taken else fresh_id("k", list(taken))
        return [*strokes, drawn.model_copy(update={"id": ident})]

    def alter(shot: Shot, plate: Plate) -> None:
        new = _redrawn(step_of(plate, step_id), more)
        plate.steps = [new if s.id == step_id else s for s in plate.steps]
        _hold(shot, plate, new)

    changed(desk, shot_id, plate_id, "Draw a stroke", alter)


def unstroke(desk: Desk, shot_id: str, plate_id: str, step_id: str, stroke_id: str) -> None:
    """Take one stroke away, whichever it is."""

    def fewer(strokes: list[Stroke]) -> list[Stroke]:
        left = [s for s in strokes if s.id != stroke_id]
        if len(left) == len(strokes):
            raise NotFound("That stroke is not there any more.")
        return left

    def alter(shot: Shot, plate: Plate) -> None:
        new = _redrawn(step_of(plate, step_id), fewer)
        plate.steps = [new if s.id == step_id else s for s in plate.steps]

    changed(desk, shot_id, plate_id, "Remove a stroke", alter)


# ---------------------------------------------------------------- looked at


class Looked(Model):
    """What there is to say of a plate that has been worked out."""

    canvas: Vec4
    covered_percent: float | None  # None: nothing makes a matte
    notes: list[tuple[str, str]]  # step, sentence


class OnFace(Model):
    """A place on a face: metres along it, level, and up."""

    at: Vec2


def on_face(desk: Desk, shot_id: str, plate_id: str, face: str, x: float, y: float) -> OnFace:
    """Where a pixel of a photo lies on a face; raises PlateError above its horizon."""
    shot = desk.store.load(shot_id)
    plate = plate_of(shot, plate_id)
    whole = whole_canvas(plate.canvas, 4000)
    found = ShotWorld(desk.engines, shot, plate, None).face(face, whole).metres(whole.place([(x, y)]))[0]
    if not np.isfinite(found).all():
        raise PlateError("The face is not seen at that place.")
    return OnFace(at=(float(found[0]), float(found[1])))


def _until(plate: Plate, step_id: str | None) -> Plate:
    """The plate as it is after one of its steps."""
    if step_id is None:
        return plate
    at = [s.id for s in plate.steps].index(step_of(plate, step_id).id)
    return plate.model_copy(update={"steps": plate.steps[: at + 1]})


def told(desk: Desk, shot_id: str, plate_id: str, width: int) -> Looked:
    """What a plate's steps have to say, worked out at a width."""
    shot = desk.store.load(shot_id)
    plate = plate_of(shot, plate_id)
    photo = shot.photo(plate.photo)
    on = [s for s in plate.steps if not s.off]
    worked = noted(desk.engines.worked(shot, plate, width), on, (photo.width or 0, photo.height or 0))
    c = worked.canvas
    percent = None if worked.matte is None else 100 * float(worked.matte.mean())
    return Looked(
        canvas=(c.x0, c.y0, c.width, c.height), covered_percent=percent, notes=[(a, b) for a, b in worked.notes]
    )


def look(
    desk: Desk,
    shot_id: str,
    plate_id: str,
    width: int,
    shown: Shown,
    until: str | None,
    steps: list[Step] | None = None,
) -> tuple[bytes, Vec4]:
    """A plate on its whole canvas, PNG, at most so many pixels a side: with its matte as alpha, or the matte alone.

    ``until``: as it is after that step; ``steps``: as it would be with other ones (a hand is trying them).
    """
    shot = desk.store.load(shot_id)
    plate = plate_of(shot, plate_id)
    if steps is not None:
        plate = Plate.model_validate(plate.model_dump() | {"steps": [s.model_dump() for s in steps]})
        shot = shot.model_copy(update={"plates": [plate if p.id == plate_id else p for p in shot.plates]})
    plate = _until(plate, until)
    worked = desk.engines.worked(shot, plate, width)
    c = worked.canvas
    if shown == "matte":
        data = pictures.png((worked.full_matte * 255 + 0.5).astype(np.uint8), 1)
    else:
        data = pictures.png(_display(worked.pixels, worked.matte), 1)
    return data, (c.x0, c.y0, c.width, c.height)


def _display(pixels: NDArray, matte: NDArray[np.float32] | None) -> NDArray[np.uint8]:
    eight = pictures.eight_bit(pixels)
    if matte is None:
        return eight
    alpha = (matte * 255 + 0.5).astype(np.uint8)
    return np.dstack([spread(eight, alpha > 0), alpha])


def texture(desk: Desk, shot_id: str, plate_id: str, width: int, frame: int | None = None) -> tuple[bytes, str, Vec4]:
    """A plate for the browser's 3D view, as its throw shows it: (bytes, MIME type, canvas), its matte as alpha.

    ``frame``: of a video, the picture that stands there; else its first.
    """
    shot = desk.engines.standing(desk.store.load(shot_id), np.nan if frame is None else frame)
    plate = plate_of(shot, plate_id)
    picture = desk.engines.picture(shot, plate)
    throw = next((t for t in shot.throws if t.plate == plate_id), None)
    if throw is not None:
        picture = desk.engines.looked(shot, plate, picture, throw)
    clear = picture.matte is not None and bool(picture.matte.min() < 1)
    width = min(width, texture_width(len(shot.plates)))
    plain = not plate.steps and not (throw and throw.look) and whole_photo(plate, photo_of(shot, plate.photo))

    def made() -> bytes:
        if plain and plate.file is not None:  # as stored: quick, since while a video runs every moment counts
            shown = pictures.eight_bit(plate_pixels(shot, plate, desk.engines.files))[..., :3]
        else:
            shown = np.asarray(to_display(picture.colour()) * 255 + 0.5, dtype=np.uint8)
        matte = picture.matte if clear else None
        return texture_of(shown, None if matte is None else (matte * 255 + 0.5).astype(np.uint8), width)

    data = desk.proxies.get(texture_name(desk, shot, plate, width, clear), made)
    return data, "image/png" if clear else "image/jpeg", picture.canvas or plate.canvas


def texture_name(desk: Desk, shot: Shot, plate: Plate, width: int, clear: bool) -> str:
    """The file that a plate's texture is kept as."""
    return f"{digest_of(desk, shot, plate)}-{width}" + (".png" if clear else ".jpg")


def keep_textures(desk: Desk, shot: Shot, made: dict[str, bytes]) -> None:
    """Keep textures, PNG with alpha or JPEG, that were made while the plates' pixels were at hand."""
    width = texture_width(len(shot.plates))
    for plate, data in made.items():
        name = texture_name(desk, shot, shot.plate(plate), width, data.startswith(b"\x89PNG"))
        desk.proxies.get(name, partial(bytes, data))


def digest_of(desk: Desk, shot: Shot, plate: Plate) -> str:
    """Changes when a plate looks otherwise where it is thrown."""
    throw = next((t for t in shot.throws if t.plate == plate.id), None)
    text = desk.engines.picture_key(shot, plate) + (throw.look if throw is not None else "")
    if throw is not None and throw.seam is not None:
        text += desk.engines.seam_key(shot, plate, throw)
    if plate.video is not None and plate.still is None:
        text += plate.video.model_dump_json()
    return hashlib.sha256(text.encode()).hexdigest()[:16]
