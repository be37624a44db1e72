"""The Plates stage: foregrounds outlined, clean plates behind them, and what is thrown on what."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from roofline.core.massing.kinds import Flat
from roofline.core.plates import matte as mattes
from roofline.errors import NotFound, PlateError
from roofline.formats import pictures
from roofline.formats.face_pictures import spread
from roofline.formats.plates import plate_pixels
from roofline.model.photo import Photo
from roofline.model.plates import Outline, Plate, Throw, ThrowChange
from roofline.model.shot import Shot
from roofline.stages.photo import photo_of, smaller
from roofline.stages.shots import fresh_id
from roofline.store.orders import Order
from roofline.store.store import MadeFrom
from roofline.work.desk import Desk
from roofline.work.engines import digest
from roofline.work.jobs import Job, Tell

MOST_GROWN = 500  # pixels


def plate_of(shot: Shot, plate_id: str) -> Plate:
    """The plate with this id; raises NotFound."""
    try:
        return shot.plate(plate_id)
    except KeyError:
        raise NotFound(f"There is no plate '{plate_id}'.") from None


def _sized(photo: Photo) -> tuple[int, int]:
    if photo.width is None or photo.height is None:
        raise PlateError(f"The size of the photo '{photo.name}' is not known: survey it first.")
    return photo.width, photo.height


def outline(desk: Desk, shot_id: str, photo_id: str, drawn: Outline, name: str | None, plate_id: str | None) -> str:
    """Make a foreground plate from an outline, or give one that is there a new outline. Returns its id."""
    shot = desk.store.load(shot_id)
    if plate_id is not None:
        old = plate_of(shot, plate_id)
        if old.role != "foreground":
            raise PlateError("Only a foreground plate has an outline.")
        photo_id = old.photo
    photo = photo_of(shot, photo_id)
    x0, y0, w, h = mattes.box_of(drawn, *_sized(photo), 2 * drawn.feather_px + 4)
    matte = mattes.draw(drawn, (x0, y0, w, h))
    crop = desk.engines.straight(shot, photo)[y0 : y0 + h, x0 : x0 + w]
    file = desk.store.blobs.keep(*pictures.store_form(np.ascontiguousarray(crop)))
    matte_file = desk.store.blobs.keep(pictures.png((matte * 65535 + 0.5).astype(np.uint16)), ".png")
    update: dict[str, Any] = {"file": file, "matte": matte_file, "canvas": (x0, y0, w, h), "outline": drawn}
    made = plate_id or ""

    def alter(shot: Shot) -> Shot:
        nonlocal made
        if plate_id is not None:
            plate_of(shot, plate_id)
            named = update | ({"name": name} if name else {})
            shot.plates = [p.model_copy(update=named) if p.id == plate_id else p for p in shot.plates]
            return shot
        title = name or f"Foreground {1 + sum(p.role == 'foreground' for p in shot.plates)}"
        made = fresh_id(title, [p.id for p in shot.plates])
        shot.plates.append(Plate(id=made, name=title, photo=photo_id, role="foreground", **update))
        shot.throws.insert(0, Throw(plate=made, targets=[]))
        return shot

    desk.store.change(shot_id, "Outline a plate", alter)
    return made


def rename(desk: Desk, shot_id: str, plate_id: str, name: str) -> None:
    def alter(shot: Shot) -> Shot:
        plate_of(shot, plate_id).name = name
        return shot

    desk.store.change(shot_id, "Rename a plate", alter)


def remove(desk: Desk, shot_id: str, plate_id: str) -> None:
    """Remove a plate, its clean plate and their throws."""

    def alter(shot: Shot) -> Shot:
        plate = plate_of(shot, plate_id)
        if plate.role == "photo" and sum(p.photo == plate.photo and p.role == "photo" for p in shot.plates) == 1:
            raise PlateError("The photo itself stays a plate; remove the photo to be rid of it.")
        gone = {plate_id} | {p.id for p in shot.plates if p.clean_of == plate_id}
        # a shot is checked at every step: what names the plates goes first
        shot.throws = [t for t in shot.throws if t.plate not in gone]
        shot.plates = [p for p in shot.plates if p.id not in gone]
        return shot

    desk.store.change(shot_id, "Remove a plate", alter)


def set_throws(desk: Desk, shot_id: str, throws: list[Throw], revision: int | None) -> None:
    """Set what is thrown on what, in order. ``revision``: of the shot that the list was made from, see `MadeFrom`."""

    made_from = None if revision is None else MadeFrom("throw", revision, "the throws")
    desk.store.change(shot_id, "Change the throws", lambda shot: _thrown(shot, throws), made_from)


def _thrown(shot: Shot, throws: list[Throw]) -> Shot:
    """The shot with these throws; clean plates see through what their foregrounds are thrown on."""
    shot.throws = throws
    for plate in shot.plates:
        if plate.clean_of:
            plate.without = [t for throw in throws if throw.plate == plate.clean_of for t in throw.targets]
    return shot


def change_throw(desk: Desk, shot_id: str, plate_id: str, what: ThrowChange) -> None:
    """Change one plate's throw: what it reaches, whether it looks, and its place in the order."""

    def alter(shot: Shot) -> Shot:
        at = next((i for i, t in enumerate(shot.throws) if t.plate == plate_id), None)
        if at is None:
            raise NotFound(f"The plate '{plate_id}' has no throw any more.")
        solids = {s.id for s in shot.solids}
        old = shot.throws[at]
        targets = [t for t in old.targets if t not in what.drop]
        targets += [t for t in dict.fromkeys(what.add) if t not in targets and t.partition("/")[0] in solids]
        occlusion = old.occlusion if what.occlusion is None else what.occlusion
        throws = list(shot.throws)
        throws[at] = old.model_copy(update={"targets": targets, "occlusion": occlusion})
        if what.place is not None:
            throws.insert(min(what.place, len(throws) - 1), throws.pop(at))
        return _thrown(shot, throws)

    desk.store.change(shot_id, "Change the throws", alter)


# ---------------------------------------------------------------- clean plates


def order_clean(desk: Desk, shot_id: str, plate_id: str, grow_px: float) -> Job:
    """Order the clean plate behind a foreground plate."""
    return desk.order(shot_id, "clean", "Clean plate", plate=plate_id, grow_px=grow_px)


def clean(desk: Desk, order: Order, tell: Tell) -> dict[str, Any]:
    """Make the clean plate behind a foreground plate, or make it again; throws it before the photo."""
    plate_id, grow_px = order.body["plate"], order.body["grow_px"]
    shot = desk.store.load(order.shot)
    plate = plate_of(shot, plate_id)
    if plate.role != "foreground" or plate.matte is None or plate.outline is None:
        raise PlateError("A clean plate is made behind a foreground plate: outline one first.")
    if not 0 <= grow_px <= MOST_GROWN:
        raise PlateError(f"The matte is grown by 0 to {MOST_GROWN} px.")
    photo = photo_of(shot, plate.photo)
    tell(0.05, "reading the photo")
    # the fill looks around the hole: take the surroundings in
    reach = 2 * plate.outline.feather_px + grow_px + 24
    x0, y0, w, h = mattes.box_of(plate.outline, *_sized(photo), reach)
    crop = desk.engines.straight(shot, photo)[y0 : y0 + h, x0 : x0 + w]
    hole = mattes.grown(mattes.draw(plate.outline, (x0, y0, w, h)), grow_px)
    tell(0.3, "filling what stood in front")
    painted = mattes.filled(crop, hole)
    tell(0.9, "keeping the plate")
    update: dict[str, Any] = {
        "file": desk.store.blobs.keep(*pictures.store_form(painted)),
        "matte": desk.store.blobs.keep(pictures.png((hole * 255).astype(np.uint8)), ".png"),
        "canvas": (x0, y0, w, h),
        "grow_px": grow_px,
    }
    made = _keep_clean(desk, order.shot, plate_id, update)
    desk.changed(order.shot)
    return {"plate": made, "filled_px": int(hole.sum())}


def _keep_clean(desk: Desk, shot_id: str, plate_id: str, update: dict[str, Any]) -> str:
    made = ""

    def alter(shot: Shot) -> Shot:
        nonlocal made
        front = plate_of(shot, plate_id)
        flats = [t for throw in shot.throws if throw.plate == plate_id for t in throw.targets]
        given = update | {"without": flats}
        old = next((p for p in shot.plates if p.clean_of == plate_id), None)
        if old is not None:
            made = old.id
            shot.plates = [p.model_copy(update=given) if p.id == old.id else p for p in shot.plates]
            return shot
        title = f"Clean behind {front.name}"
        made = fresh_id(title, [p.id for p in shot.plates])
        shot.plates.append(Plate(id=made, name=title, photo=front.photo, role="clean", clean_of=plate_id, **given))
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


# ---------------------------------------------------------------- looked at


def texture(desk: Desk, shot_id: str, plate_id: str, width: int) -> tuple[bytes, str]:
    """A plate for the browser's 3D view: (bytes, MIME type), with its matte as alpha; at most `width` wide."""
    shot = desk.store.load(shot_id)
    plate = plate_of(shot, plate_id)
    photo = shot.photo(plate.photo)
    bent = photo.camera is not None and plate.file == photo.file and any(photo.camera.distortion)
    lens = photo.camera if bent else None

    def make() -> bytes:
        eight = smaller(pictures.eight_bit(plate_pixels(shot, plate, desk.store.blobs.read)), width)
        if not clear:
            return pictures.jpeg(np.ascontiguousarray(eight[..., :3]), 95)
        alpha = eight[..., 3] if eight.shape[2] == 4 else np.full(eight.shape[:2], 255, np.uint8)
        if plate.matte is not None:
            alpha = (alpha.astype(np.uint16) * _alpha(desk, plate, eight) // 255).astype(np.uint8)
        colour = spread(eight[..., :3], alpha > 0)  # what is smoothed on the way must not find black beside it
        return pictures.png(np.dstack([colour, alpha]))

    clear = plate.matte is not None or _own_alpha(desk, shot, plate)
    name = digest("texture", plate.file, plate.matte, width, lens and lens.model_dump(mode="json"))
    data = desk.proxies.get(name + (".png" if clear else ".jpg"), make)
    return data, "image/png" if clear else "image/jpeg"


def _own_alpha(desk: Desk, shot: Shot, plate: Plate) -> bool:
    """Whether a plate's file has an alpha of its own; looked for once."""

    def look() -> bool:
        data = desk.store.blobs.read(plate.file)
        if pictures.opaque_size(data):
            return False
        pixels = plate_pixels(shot, plate, desk.store.blobs.read)
        return pixels.shape[2] == 4 and bool((pixels[..., 3] < pixels[..., 3].max()).any())

    return bool(desk.kept.get("own-alpha", plate.file, look))


def _alpha(desk: Desk, plate: Plate, eight: NDArray[np.uint8]) -> NDArray[np.uint8]:
    assert plate.matte is not None
    soft = pictures.matte_of(desk.store.blobs.read(plate.matte), plate.name)
    small = cv2.resize(soft, (eight.shape[1], eight.shape[0]), interpolation=cv2.INTER_AREA)
    return np.asarray(small * 255 + 0.5).astype(np.uint8)


def telling(shot: Shot) -> tuple[str, str | None]:
    """The stage's figure, and what is wrong."""
    n = len(shot.plates)
    loose = [p.name for p in shot.plates if not any(t.plate == p.id and t.targets for t in shot.throws)]
    if all(isinstance(s, Flat) for s in shot.solids):  # layers: what they make together is there to look at
        loose = []
    return (
        f"{n} plate{'s' if n != 1 else ''} · {sum(bool(t.targets) for t in shot.throws)} thrown",
        f"{loose[0]} is thrown on nothing" if loose and shot.solids else None,
    )
