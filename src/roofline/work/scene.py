"""Gathering what a scene file holds: the surfaces cut up, their textures, the camera at every frame."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from roofline.core.handoff.unwrap import unwrap
from roofline.core.moment import Moment
from roofline.core.throw.engine import Engine
from roofline.formats import pictures
from roofline.formats.plates import is_photo, plate_pixels
from roofline.formats.scenes import SceneOut, Texture
from roofline.model.plates import Plate
from roofline.model.shot import Shot


def texture_of(shot: Shot, plate: Plate, read: Callable[[str], bytes]) -> Texture:
    """A plate as a texture file: its own JPEG or PNG where possible, otherwise 8-bit PNG, with its matte as alpha."""
    photo = shot.photo(plate.photo)
    data = read(plate.file)
    bent = is_photo(plate, photo) and photo.camera is not None and any(photo.camera.distortion)
    if plate.matte is None and not bent and pictures.as_it_is(data) and pictures.opaque_size(data):
        return Texture(data, ".jpg" if data[:2] == b"\xff\xd8" else ".png", False)
    eight = pictures.eight_bit(plate_pixels(shot, plate, read))
    if plate.matte is None:
        return Texture(pictures.png(eight), ".png", eight.shape[2] == 4)
    eight = eight[..., :3]
    matte = pictures.matte_of(read(plate.matte), plate.name)
    return Texture(pictures.png(np.dstack([eight, (matte * 255 + 0.5).astype(np.uint8)])), ".png", True)


def gather(shot: Shot, engine: Engine, frames: list[Moment], read: Callable[[str], bytes]) -> SceneOut:
    """All that a scene file of a shot holds."""
    patches = unwrap(engine)
    used = {p.plate for p in patches}
    return SceneOut(shot, patches, {p.id: texture_of(shot, p, read) for p in shot.plates if p.id in used}, frames)
