"""The Photo stage: photos brought, looked at and removed, and what is to be delivered."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import View, view_of
from roofline.core.moment import still
from roofline.core.move.frame import resized
from roofline.core.move.length import lasting
from roofline.core.move.path import framing, home_photo
from roofline.core.survey import linked
from roofline.errors import MassingError, NotFound, RoofLineError
from roofline.formats import pictures
from roofline.model.handoff import Delivery, DeliveryChange
from roofline.model.photo import FilmBack, Photo
from roofline.model.shot import Shot
from roofline.model.survey import Camera
from roofline.store.store import MadeFrom
from roofline.work.begin import add_photo, taken_in
from roofline.work.desk import Desk
from roofline.work.engines import digest


def photo_of(shot: Shot, photo_id: str) -> Photo:
    """The photo with this id; raises NotFound."""
    try:
        return shot.photo(photo_id)
    except KeyError:
        raise NotFound(f"There is no photo '{photo_id}'.") from None


def surveyed(shot: Shot, photo_id: str | None = None) -> tuple[Photo, View]:
    """A photo with camera and scale, and its view; home's by default. Raises MassingError where it has none."""
    photo = photo_of(shot, photo_id) if photo_id else home_photo(shot)
    if photo.camera is None:
        raise MassingError(f"The photo '{photo.name}' is not surveyed yet: trace edges first.")
    if photo.camera.position is None:
        raise MassingError("The survey has no scale yet: set a tape or the camera's height first.")
    return photo, view_of(photo.camera)


def bring(desk: Desk, shot_id: str, filename: str, data: bytes) -> str:
    """Examine and store a photo, and make it a plate. Returns its id; raises FormatError and changes nothing."""
    photo, made = taken_in(data, filename, desk.store.blobs.keep), ""

    def alter(shot: Shot) -> Shot:
        nonlocal made
        made = add_photo(shot, photo)
        return shot

    desk.store.change(shot_id, f"Bring the photo {photo.name}", alter)
    return made


def remove(desk: Desk, shot_id: str, photo_id: str) -> None:
    """Remove a photo with its plates, their throws and its views of shared points; photos that hung on it are solved
    anew."""

    def alter(shot: Shot) -> Shot:
        photo_of(shot, photo_id)
        was_home, was_px = shot.home_photo is not None, shot.home_px
        others = {p.id for p in linked.linked(shot, photo_id)} - {photo_id}
        gone = {p.id for p in shot.plates if p.photo == photo_id}
        shot.throws = [t for t in shot.throws if t.plate not in gone]
        shot.plates = [p for p in shot.plates if p.id not in gone]
        for photo in shot.photos:
            if photo.standpoint == photo_id:
                linked.let_go(photo)
                photo.standpoint = None
        shot.photos = [p for p in shot.photos if p.id != photo_id]
        linked.keep_lenses(shot, was_home, was_px)
        seen = [t.model_copy(update={"seen": {p: at for p, at in t.seen.items() if p != photo_id}}) for t in shot.ties]
        shot.ties = [t for t in seen if t.seen]
        linked.solve_again(shot, others)
        if not any(p.camera for p in shot.photos):
            shot.delivery.framing = None
        return shot

    desk.store.change(shot_id, "Remove a photo", alter)


def set_delivery(desk: Desk, shot_id: str, delivery: Delivery, revision: int | None = None) -> None:
    """State what is delivered; ``revision``: of the shot that this was made from."""
    made_from = MadeFrom(None, revision)
    stated = {"delivery": delivery}
    desk.store.change(shot_id, "Change what is delivered", lambda s: s.model_copy(update=stated), made_from)


def changed_delivery(shot: Shot, change: DeliveryChange) -> Shot:
    """The shot with some of what is delivered stated anew: another size is the same frame; see `resized`, `lasting`."""
    given = change.given()
    width, height = given.pop("width", None), given.pop("height", None)
    frames, beyond = given.pop("frames", None), given.pop("beyond", None)
    if width is not None or height is not None:
        d = shot.delivery
        shot = shot.model_copy(update={"delivery": resized(shot, width or d.width, height or d.height)})
    stays = {n: v for n, v in given.items() if v is not None or n in ("framing", "first_frame")}
    shot = shot.model_copy(update={"delivery": shot.delivery.model_copy(update=stays)})
    return shot if frames is None else lasting(shot, frames, beyond)


def change_delivery(desk: Desk, shot_id: str, change: DeliveryChange) -> None:
    """State what is given of what is delivered."""

    def alter(shot: Shot) -> Shot:
        return changed_delivery(shot, change)

    desk.store.change(shot_id, "Change what is delivered", alter)


def set_film_back(desk: Desk, shot_id: str, photo_id: str, back: FilmBack | None) -> None:
    """Say how large the film back was that took a photo, width and height in millimetres; None: not known."""

    def alter(shot: Shot) -> Shot:
        photo_of(shot, photo_id).film_back_mm = back
        return shot

    desk.store.change(shot_id, "State the film back", alter)


def proxy(desk: Desk, shot_id: str, photo_id: str, width: int, straight: bool) -> bytes:
    """The photo as an 8-bit JPEG at most `width` pixels wide, straightened on demand; kept on disk."""
    shot = desk.store.load(shot_id)
    photo = photo_of(shot, photo_id)
    bent = photo.camera is not None and any(photo.camera.distortion)
    lens = photo.camera if straight and bent else None

    def make() -> bytes:
        pixels = pictures.read(desk.store.blobs.read(photo.file))[..., :3]
        if lens is not None:
            pixels = pictures.straightened(pixels, lens)
        return pictures.jpeg(smaller(pictures.eight_bit(pixels), width), 90)

    return desk.proxies.get(digest(photo.file, width, lens and lens.model_dump(mode="json")) + ".jpg", make)


def smaller(pixels: NDArray[np.uint8], width: int) -> Any:
    """A picture at most so many pixels wide."""
    h, w = pixels.shape[:2]
    if w <= width:
        return np.ascontiguousarray(pixels)
    return cv2.resize(pixels, (width, max(1, round(h * width / w))), interpolation=cv2.INTER_AREA)


def telling(shot: Shot) -> tuple[str, str | None]:
    """The stage's figure, and what is wrong."""
    if not shot.photos:
        return "no photo yet", None
    first = shot.photos[0]
    try:
        scale = framing(shot).scale
    except RoofLineError:
        scale = min((first.width or 1) / shot.delivery.width, (first.height or 1) / shot.delivery.height)
        if shot.delivery.framing is not None:
            scale = shot.delivery.framing.scale
    problem = "the photo is enlarged" if scale < 0.999 else None
    return f"{first.width} × {first.height} px · {scale:.2f} : 1", problem


def seen_from(desk: Desk, shot: Shot, camera: Camera, width: int) -> NDArray[np.float32]:
    """Picture (H, W, 4), premultiplied linear light, of a shot's set at rest as a photo's camera sees it, so wide."""
    view = view_of(camera)
    small = view.across(width)
    return desk.engine(shot).picture(still(small))
