"""The pictures behind plates, and the meshes behind imported pieces, from the files that a shot names."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from roofline.core.massing.kinds import Imported
from roofline.core.massing.solids import Triangles
from roofline.core.throw.throws import PlatePicture
from roofline.errors import FormatError
from roofline.formats import pictures
from roofline.formats.meshes import read as read_mesh
from roofline.model.photo import Photo
from roofline.model.plates import Plate
from roofline.model.shot import Shot

Read = Callable[[str], bytes]


def is_photo(plate: Plate, photo: Photo) -> bool:
    """Whether a plate shows its photo's own file, which the photo's lens has to be taken out of."""
    return plate.file == photo.file and photo.camera is not None


def picture_key(plate: Plate, photo: Photo) -> str:
    """Changes when a plate's pixels do."""
    lens = photo.camera.model_dump_json() if photo.camera is not None and is_photo(plate, photo) else ""
    return f"{plate.file}:{plate.matte}:{lens}"


def _fits(photo: Photo, width: int, height: int) -> None:
    if photo.camera is not None and (width, height) != (photo.camera.width, photo.camera.height):
        raise FormatError(
            f"Photo '{photo.name}' is {width} × {height} px; its camera says "
            f"{photo.camera.width} × {photo.camera.height}."
        )


def plate_pixels(shot: Shot, plate: Plate, read: Read) -> NDArray:
    """A plate's stored pixels (H, W, C), straightened when it shows its photo."""
    photo = shot.photo(plate.photo)
    pixels = pictures.read(read(plate.file), f"Plate '{plate.name}'")
    if photo.camera is None or not is_photo(plate, photo):
        return pixels
    _fits(photo, pixels.shape[1], pixels.shape[0])
    return pictures.straightened(pixels, photo.camera)


def plate_picture(shot: Shot, plate: Plate, read: Read) -> PlatePicture:
    """The pixels behind a plate. Its colour is read when it is asked for, and not kept here."""
    photo = shot.photo(plate.photo)
    key = picture_key(plate, photo)

    def colour() -> NDArray[np.float32]:
        return pictures.to_linear(plate_pixels(shot, plate, read)[..., :3])

    if plate.matte:
        matte = pictures.matte_of(read(plate.matte), f"The matte of plate '{plate.name}'")
        return PlatePicture((matte.shape[1], matte.shape[0]), matte, colour, key)
    size = pictures.opaque_size(read(plate.file))
    if size is not None:
        if is_photo(plate, photo):
            _fits(photo, *size)
        return PlatePicture(size, None, colour, key)
    pixels = plate_pixels(shot, plate, read)
    alpha: NDArray[np.float32] | None = None
    if pixels.shape[2] == 4:
        top = {np.dtype(np.uint8): 255, np.dtype(np.uint16): 65535}.get(pixels.dtype, 1)
        alpha = np.ascontiguousarray(pixels[..., 3].astype(np.float32) / np.float32(top))
    return PlatePicture((pixels.shape[1], pixels.shape[0]), alpha, colour, key)


def plate_pictures(shot: Shot, read: Read) -> dict[str, PlatePicture]:
    """Pictures of all plates whose photo has a camera."""
    ready = {p.id for p in shot.photos if p.camera is not None}
    return {p.id: plate_picture(shot, p, read) for p in shot.plates if p.photo in ready}


def mesh_files(shot: Shot, read: Read) -> dict[str, Triangles]:
    """What the files of a shot's imported pieces contain."""
    files = {s.file for s in shot.solids if isinstance(s, Imported)}
    return {f: read_mesh(read(f), f) for f in sorted(files)}
