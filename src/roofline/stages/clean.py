"""Clean plates: what stands in front taken out, behind one foreground or from every surface at once."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from roofline.core.boxes import box_of, parts, wider
from roofline.core.massing.kinds import Backdrop, Flat, Ground
from roofline.core.plates.matte import grown
from roofline.core.plates.worked import Canvas, Matte, resampled
from roofline.errors import PlateError
from roofline.model.base import Vec4, give_ids
from roofline.model.plates import Plate, Throw
from roofline.model.shot import Shot
from roofline.model.steps import FillStep, GrowStep, How, InFrontOf, PlateStep, SilhouetteStep
from roofline.stages.photo import photo_of
from roofline.stages.plates import plate_of, sized
from roofline.stages.shots import fresh_id
from roofline.store.orders import Order
from roofline.work.desk import Desk
from roofline.work.jobs import Job, Tell
from roofline.work.plates import ShotWorld, same_camera, whole_canvas

MOST_GROWN = 500  # pixels
SEEN_PX, MOST_FACES = 20, 12  # of a small picture of the foreground; how many surfaces behind it have their own fill
LEAST = 2e-5  # share of the photo that stands before a surface, for a clean plate to be worth having
ROUND = 12  # faces: a piece of more is cleaned as a whole
BESIDE = 60  # pixels of a small picture of a surface, clear of what stands before it, that it can be filled from


def order_clean(
    desk: Desk, shot_id: str, plate_id: str, grow_px: float, how: How = "texture", take: str | None = None
) -> Job:
    """Order the clean plate behind a foreground plate.

    ``take``: a photo of the same camera, taken without what stands there; behind cut-outs it is what is seen.
    """
    if take is not None:
        shot = desk.store.load(shot_id)
        _check_take(shot, plate_of(shot, plate_id).photo, take)
    return desk.order(shot_id, "clean", "Clean plate", plate=plate_id, grow_px=grow_px, how=how, take=take)


def _check_take(shot: Shot, photo_id: str, take: str) -> None:
    if not same_camera(shot, photo_id, take):
        raise PlateError(
            f"'{photo_of(shot, take).name}' is not of the same camera as '{photo_of(shot, photo_id).name}': say under "
            "Survey that nothing moved between the two, or fill from it by a step of its own."
        )


def clean(desk: Desk, order: Order, tell: Tell) -> dict[str, Any]:
    """Make the clean plate behind a foreground plate, or make it again.

    It is the photo with what the foreground's matte covers filled, and follows the foreground from then on. Its matte
    is the foreground's own: what the fill was grown by is what it is filled from, and covers no good photo.
    """
    plate_id, grow_px = order.body["plate"], order.body["grow_px"]
    shot = desk.store.load(order.shot)
    plate = plate_of(shot, plate_id)
    if plate.role != "foreground":
        raise PlateError("A clean plate is made behind a foreground plate: outline one first.")
    if not 0 <= grow_px <= MOST_GROWN:
        raise PlateError(f"The matte is grown by 0 to {MOST_GROWN} px.")
    photo = photo_of(shot, plate.photo)
    tell(0.05, "reading the photo")
    fills = _fills(desk, shot, plate, _Filling(grow_px, order.body.get("how", "texture"), order.body.get("take")))
    steps = [*fills, PlateStep(plate=plate_id)]
    give_ids(steps, "s")
    given: dict[str, Any] = {"file": photo.file, "matte": None, "steps": steps}
    given["canvas"] = _around(shot, plate, grow_px)
    tell(0.2, "filling what stood in front")
    trial = Plate(id="(clean)", name="Clean", photo=photo.id, role="clean", **given)
    worked = desk.engines.worked(shot.model_copy(update={"plates": [*shot.plates, trial]}), trial)
    tell(0.9, "keeping the plate")
    made = _keep_clean(desk, order.shot, plate_id, given)
    desk.changed(order.shot)
    return {"plate": made, "filled_px": int((worked.full_matte > 0.5).sum())}


@dataclass(frozen=True)
class _Filling:
    """How clean plates are filled: by how much grown, with what, and behind cut-outs from another take if there is
    one."""

    grow_px: float
    how: How
    take: str | None


def _fills(desk: Desk, shot: Shot, front: Plate, filling: _Filling) -> list[FillStep]:
    """Fills of what a foreground covers: of each surface behind it from that surface, and of the rest from around."""
    if filling.take is not None:
        return [_behind(front.id, [], filling, None)]
    grow_px, how = filling.grow_px, filling.how
    rest = FillStep(where=[PlateStep(plate=front.id)], grow_px=grow_px, how=how)
    photo = shot.photo(front.photo)
    if photo.camera is None or photo.camera.position is None or how == "smooth":
        return [rest]
    small = whole_canvas(_around(shot, front, grow_px), 500)
    world = ShotWorld(desk.engines, shot, front, 400)
    own = world.plate(front.id)
    covered = grown(np.clip(resampled(own.full_matte, own.canvas, small), 0, 1), (grow_px + 4) * small.mean_scale)
    found = []
    names = desk.engines.geometry(shot).names if len(shot.solids) > 1 else []
    for solid in (s for s in shot.set_pieces if not isinstance(s, Flat)):
        for surface in _surfaces(solid.id, names):
            shape = world.silhouette([surface], small)
            share = float((shape * covered).sum())
            if share > SEEN_PX and _can_be_taken_from((shape > 0.99) & (covered < 0.01), small):
                found.append((share, surface))
    surfaces = [surface for _, surface in sorted(found, reverse=True)[:MOST_FACES]]
    return [rest, *(_behind(front.id, [s], filling, s if "/" in s else None) for s in surfaces)]


def _surfaces(solid_id: str, names: list[str]) -> list[str]:
    """The faces of a piece that are filled each by itself; a round piece, of many faces, is filled as a whole."""
    faces = [n for n in names if n.partition("/")[0] == solid_id]
    return faces if len(faces) <= ROUND else [solid_id]


def _can_be_taken_from(seen: NDArray[np.bool_], small: Canvas) -> bool:
    """Whether enough whole patches of a texture are seen; a patch is as large on the photo, however coarse this is."""
    side = max(5, 2 * int(4 * small.mean_scale) + 1)
    return int(cv2.erode(seen.astype(np.uint8), np.ones((side, side), np.uint8)).sum()) > 4 * SEEN_PX


def _behind(front: str, targets: list[str], filling: _Filling, on: str | None) -> FillStep:
    """The fill of what a foreground covers of some surfaces; of all that it covers, where another take shows it."""
    grow_px = filling.grow_px
    if filling.take is not None:
        return FillStep(where=[PlateStep(plate=front)], grow_px=grow_px, how="photo", photo=filling.take)
    where: list[Any] = [PlateStep(plate=front), GrowStep(px=grow_px), SilhouetteStep(targets=targets, mode="keep")]
    return FillStep(where=where, how=filling.how, on=on)


def _around(shot: Shot, plate: Plate, grow_px: float) -> Vec4:
    """The canvas of what a plate covers and of so much around it as a fill looks at."""
    w, h = sized(shot.photo(plate.photo))
    x0, y0, pw, ph = plate.canvas
    margin = grow_px + max(64, 0.4 * max(pw, ph))
    left, top = max(0.0, np.floor(x0 - margin)), max(0.0, np.floor(y0 - margin))
    right, bottom = min(float(w), np.ceil(x0 + pw + margin)), min(float(h), np.ceil(y0 + ph + margin))
    return float(left), float(top), float(right - left), float(bottom - top)


def _keep_clean(desk: Desk, shot_id: str, plate_id: str, given: dict[str, Any]) -> str:
    made = ""

    def alter(shot: Shot) -> Shot:
        nonlocal made
        front = plate_of(shot, plate_id)
        flats = [t for throw in shot.throws if throw.plate == plate_id for t in throw.targets]
        update = given | {"without": flats}
        old = next((p for p in shot.plates if p.clean_of == plate_id), None)
        if old is not None:
            made = old.id
            shot.plates = [p.model_copy(update=update) if p.id == old.id else p for p in shot.plates]
            return shot
        title = f"Clean behind {front.name}"
        made = fresh_id(title, [p.id for p in shot.plates])
        shot.plates.append(Plate(id=made, name=title, photo=front.photo, role="clean", clean_of=plate_id, **update))
        at = _before_photo(shot, front.photo)
        targets = list(shot.throws[at].targets) if at < len(shot.throws) else []
        shot.throws.insert(at, Throw(plate=made, targets=[t for t in targets if t not in flats]))
        return shot

    desk.store.change(shot_id, "Make a clean plate", alter)
    return made


def _before_photo(shot: Shot, photo_id: str) -> int:
    """The place in the order of throws before the photo's own."""
    for i, throw in enumerate(shot.throws):
        plate = plate_of(shot, throw.plate)
        if plate.role == "photo" and plate.photo == photo_id:
            return i
    return len(shot.throws)


# ---------------------------------------------------------------- for every surface


def order_all(desk: Desk, shot_id: str, photo_id: str, grow_px: float, how: How, take: str | None = None) -> Job:
    """Order a clean plate of every surface of a photo that something stands before; ``take``: see `order_clean`."""
    if take is not None:
        _check_take(desk.store.load(shot_id), photo_id, take)
    title = "Clean plates for all"
    return desk.order(shot_id, "clean_all", title, photo=photo_id, grow_px=grow_px, how=how, take=take)


def clean_all(desk: Desk, order: Order, tell: Tell) -> dict[str, Any]:
    """For every surface of a photo that something stands before: a plate of it alone, thrown on it before the photo.

    It covers what stands there, and no more: where the photo shows the surface itself, no fill is as true. It is filled
    from the surface itself, squared up; of a piece of many faces, as round ones are, all of it on the picture. Those of
    before are made anew.
    """
    shot = desk.store.load(order.shot)
    photo = photo_of(shot, order.body["photo"])
    if photo.camera is None or photo.camera.position is None:
        raise PlateError(f"The photo '{photo.name}' has no camera with a scale yet: survey it first.")
    filling = _Filling(order.body["grow_px"], order.body["how"], order.body.get("take"))
    made: list[tuple[str, str, Plate]] = []
    names = desk.engines.geometry(shot).names
    solids = [s for s in shot.set_pieces if not isinstance(s, Flat)]
    for i, solid in enumerate(solids):
        tell(0.9 * i / len(solids), f"looking behind {i + 1} of {len(solids)}: {solid.name}")
        for surface in _surfaces(solid.id, names):
            plate = _of_surface(desk, shot, photo.id, surface, solid.name, filling)
            if plate is not None:
                made.append((solid.id, surface, plate))
    if not made:
        raise PlateError("Nothing stands before anything in this photo: there is no clean plate to make.")
    kept = _keep_all(desk, order.shot, photo.id, made)
    desk.changed(order.shot)
    return {"plates": kept}


def _of_surface(desk: Desk, shot: Shot, photo_id: str, face: str, name: str, filling: _Filling) -> Plate | None:
    """The clean plate of a face, or of a whole piece; None where nothing stands before it, or where too little of it is
    seen to fill from."""
    photo, grow_px, how = shot.photo(photo_id), filling.grow_px, filling.how
    w, h = sized(photo)
    trial = Plate(id="trial", name="Trial", photo=photo_id, file=photo.file, canvas=(0, 0, w, h))
    small = whole_canvas(trial.canvas, 800)
    world = ShotWorld(desk.engines, shot, trial, 800)
    before = world.in_front([face], small)
    seen = world.silhouette([face], small)
    k = w / small.size[0]
    beside = (seen > 0.99) & (grown(before, grow_px / k + 1) < 0.01)
    if float(before.mean()) < LEAST or int(beside.sum()) < BESIDE:
        return None
    left, top, right, bottom = box_of(before + seen)
    x0, y0 = max(0.0, np.floor(left * k - 2)), max(0.0, np.floor(top * k - 2))
    x1, y1 = min(float(w), np.ceil(right * k + 2)), min(float(h), np.ceil(bottom * k + 2))
    on = face if "/" in face else None
    # what is cut out of the photo leaves a small hole, of which more is known than of all that lies behind solids:
    # it is filled first, from what is seen about it and not from what is filled there
    fronts = [p for p in shot.plates if p.role == "foreground" and p.photo == photo_id and p.file == photo.file]
    bears = [p.id for p in fronts if _bears(world, p.id, seen, None if filling.take else beside, small)]
    cut = [_behind(front, [face], filling, on) for front in bears]
    fill = FillStep(where=InFrontOf(in_front_of=[face], but=bears), grow_px=grow_px, how=how, on=on)
    title = f"Clean {name}, {face.partition('/')[2]}".removesuffix(", ")[:120]
    others = [s.id for s in shot.solids if s.id != face.partition("/")[0]]
    source: dict[str, Any] = {"file": photo.file, "canvas": (float(x0), float(y0), float(x1 - x0), float(y1 - y0))}
    ident = fresh_id(title, [p.id for p in shot.plates])
    return Plate(
        id=ident,
        name=title,
        photo=photo_id,
        role="clean",
        without=others,
        steps=[*cut, fill, *_taken_out(shot, photo_id, face)],
        **source,
    )


def _taken_out(shot: Shot, photo_id: str, face: str) -> list[Any]:
    """Matte steps for what stands before a surface, exactly: cut-outs by their mattes, other pieces by their shapes.

    What a fill is grown by is in the picture, and in none of it: it would cover good photo.
    """
    own = face.partition("/")[0]
    fronts = [p.id for p in shot.plates if p.role == "foreground" and p.photo == photo_id]
    pieces = [s.id for s in shot.set_pieces if s.id != own and not isinstance(s, (Flat, Ground, Backdrop))]
    steps: list[Any] = [PlateStep(plate=front) for front in fronts]
    if pieces:
        steps.append(SilhouetteStep(targets=pieces))
    return [*steps, SilhouetteStep(targets=[face], mode="keep")]


def _bears(world: ShotWorld, front: str, seen: Matte, beside: NDArray[np.bool_] | None, small: Canvas) -> bool:
    """Whether a foreground covers some of a surface, and enough of that is seen about it (where, or None: another take
    shows it) to fill it from."""
    own = world.plate(front)
    covered = seen * np.clip(resampled(own.full_matte, own.canvas, small), 0, 1)
    if covered.sum() < SEEN_PX:
        return False
    if beside is None:
        return True
    box = box_of(covered)
    room = max(8, int(0.2 * (max(box[2] - box[0], box[3] - box[1]) - 1)))
    return _can_be_taken_from(beside[parts(wider(box, room, small.size))], small)


def _is_of(plate: Plate, photo_id: str, face: str) -> bool:
    """Whether a plate is the clean plate of a face that was made before."""
    if plate.photo != photo_id or plate.role != "clean":
        return False
    wheres = [s.where for s in plate.steps if isinstance(s, FillStep)]
    return any(isinstance(w, InFrontOf) and w.in_front_of == [face] for w in wheres)


def _keep_all(desk: Desk, shot_id: str, photo_id: str, made: list[tuple[str, str, Plate]]) -> list[str]:
    kept: list[str] = []

    def alter(shot: Shot) -> Shot:
        kept.clear()
        there = {s.id for s in shot.solids}
        for solid, face, plate in made:
            if solid not in there:
                continue
            old = next((p for p in shot.plates if _is_of(p, photo_id, face)), None)
            if old is not None:
                renewed = plate.model_copy(update={"id": old.id, "name": old.name})
                shot.plates = [renewed if p.id == old.id else p for p in shot.plates]
                kept.append(old.id)
                continue
            ident = fresh_id(plate.name, [p.id for p in shot.plates])
            shot.plates.append(plate.model_copy(update={"id": ident}))
            at = _before_photo(shot, photo_id)
            shot.throws.insert(at, Throw(plate=ident, targets=[face]))
            kept.append(ident)
        return shot

    desk.store.change(shot_id, "Clean plates for all", alter)
    return list(kept)
