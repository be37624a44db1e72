"""The pictures behind plates, and the meshes behind imported pieces, from the files that a shot names."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from roofline.core.light import fraction
from roofline.core.plates.tones import toned
from roofline.core.plates.worked import Canvas, Worked, resampled
from roofline.core.throw.throws import PlatePicture
from roofline.errors import FormatError
from roofline.formats import pictures
from roofline.formats.clips import Clip
from roofline.model.photo import Photo
from roofline.model.plates import CLEAR, Plate
from roofline.model.shot import Shot

Read = Callable[[str], bytes]


@dataclass(frozen=True)
class Files:
    """What a shot's files hold: their bytes, and videos opened, by name."""

    read: Read
    clip: Callable[[str], Clip]


def is_photo(plate: Plate, photo: Photo) -> bool:
    """Whether a plate shows its photo's own file, which the photo's lens has to be taken out of."""
    return plate.file == photo.file and photo.camera is not None


def picture_key(plate: Plate, photo: Photo) -> str:
    """Changes when a plate's source does."""
    lens = photo.camera.model_dump_json() if photo.camera is not None and is_photo(plate, photo) else ""
    tone = "" if plate.tone is None else plate.tone.model_dump_json()
    part = "" if whole_photo(plate, photo) else str(plate.canvas)
    return f"{plate.file}:{plate.matte}:{lens}{tone}{part}{'' if plate.still is None else f'@{plate.still}'}"


def whole_photo(plate: Plate, photo: Photo) -> bool:
    """Whether a plate's source lies on its canvas as it is; of the photo's own file, a part may be taken."""
    if plate.file != photo.file or photo.width is None:
        return plate.tone is None
    return plate.canvas == (0, 0, photo.width, photo.height)


def _fits(photo: Photo, width: int, height: int) -> None:
    if photo.camera is not None and (width, height) != (photo.camera.width, photo.camera.height):
        raise FormatError(
            f"Photo '{photo.name}' is {width} × {height} px; its camera says "
            f"{photo.camera.width} × {photo.camera.height}."
        )


def plate_pixels(shot: Shot, plate: Plate, files: Files) -> NDArray:
    """A plate's stored pixels (H, W, C), straightened when it shows its photo; see `source_of` for parts and tones.

    Of a video it is the picture that the plate stands at, the first one where that is left open.
    """
    photo = shot.photo(plate.photo)
    assert plate.file is not None
    if plate.video is not None:
        clip = files.clip(plate.file)
        if plate.still == CLEAR:
            return np.zeros((clip.size[1], clip.size[0], 4), np.uint8)
        return clip.picture(plate.still or 0)
    pixels = pictures.read(files.read(plate.file), f"Plate '{plate.name}'")
    if photo.camera is None or not is_photo(plate, photo):
        return pixels
    _fits(photo, pixels.shape[1], pixels.shape[0])
    return pictures.straightened(pixels, photo.camera)


def _alpha_of(pixels: NDArray) -> NDArray[np.float32] | None:
    if pixels.shape[2] != 4:
        return None
    return np.ascontiguousarray(fraction(pixels[..., 3]))


def picture_and_alpha(data: bytes, name: str) -> tuple[NDArray, NDArray[np.float32] | None]:
    """A picture's stored pixels (H, W, 3), and its alpha where it has one."""
    pixels = pictures.read(data, name)
    return np.ascontiguousarray(pixels[..., :3]), _alpha_of(pixels)


def _tone_size(plate: Plate) -> tuple[int, int]:
    """Pixels of a tone: those of its canvas, up to 4096 a side; it is smooth."""
    k = min(1.0, 4096 / max(plate.canvas[2:]))
    return max(1, round(plate.canvas[2] * k)), max(1, round(plate.canvas[3] * k))


def source_of(shot: Shot, plate: Plate, files: Files) -> Worked:
    """A plate's untouched source on its canvas.

    Of the photo's own file the canvas is a part, or reaches beyond: there its border goes on, and the matte is clear.
    """
    photo = shot.photo(plate.photo)
    if plate.tone is not None:
        size = _tone_size(plate)
        return Worked(Canvas(*plate.canvas, size), toned(plate.tone, *size), None)
    pixels = plate_pixels(shot, plate, files)
    alpha = _alpha_of(pixels)
    colour = np.ascontiguousarray(pixels[..., :3])
    h, w = colour.shape[:2]
    if plate.matte:
        beside = pictures.matte_of(files.read(plate.matte), f"The matte of plate '{plate.name}'")
        if beside.shape != (h, w):
            raise FormatError(f"The matte of plate '{plate.name}' is not as large as its picture.")
        alpha = beside if alpha is None else alpha * beside
    if whole_photo(plate, photo):
        return Worked(Canvas(*plate.canvas, (w, h)), colour, alpha)
    whole = Canvas(0, 0, w, h, (w, h))
    x0, y0 = np.floor(plate.canvas[:2])
    x1, y1 = np.ceil([plate.canvas[0] + plate.canvas[2], plate.canvas[1] + plate.canvas[3]])
    canvas = Canvas(x0, y0, x1 - x0, y1 - y0, (int(x1 - x0), int(y1 - y0)))
    if x0 >= 0 and y0 >= 0 and x1 <= w and y1 <= h:
        ys, xs = slice(int(y0), int(y1)), slice(int(x0), int(x1))
        return Worked(canvas, np.ascontiguousarray(colour[ys, xs]), None if alpha is None else alpha[ys, xs].copy())
    inside = resampled(np.ones((h, w), np.float32) if alpha is None else alpha, whole, canvas)
    rows = np.clip(np.arange(int(y0), int(y1)), 0, h - 1)
    columns = np.clip(np.arange(int(x0), int(x1)), 0, w - 1)
    return Worked(canvas, np.ascontiguousarray(colour[rows][:, columns]), inside)


def _opaque_size(plate: Plate, files: Files) -> tuple[int, int] | None:
    """Width and height of what has no alpha; None of what has, or may have."""
    assert plate.file is not None
    if plate.video is None:
        return pictures.opaque_size(files.read(plate.file))
    clip = files.clip(plate.file)
    return None if clip.alpha or plate.still == CLEAR else clip.size


def plate_picture(shot: Shot, plate: Plate, files: Files, alpha: NDArray | None = None) -> PlatePicture:
    """The pixels behind a plate without steps. Its colour is read when it is asked for, and not kept here.

    ``alpha``: its stored alpha (H, W), where that is at hand and need not be read.
    """
    photo = shot.photo(plate.photo)
    key = picture_key(plate, photo)
    if not whole_photo(plate, photo):
        return picture_of(source_of(shot, plate, files), key)

    def colour() -> NDArray[np.float32]:
        return pictures.to_linear(plate_pixels(shot, plate, files)[..., :3])

    if alpha is not None:
        return PlatePicture((alpha.shape[1], alpha.shape[0]), fraction(alpha), colour, key)
    assert plate.file is not None
    if plate.matte:
        matte = pictures.matte_of(files.read(plate.matte), f"The matte of plate '{plate.name}'")
        return PlatePicture((matte.shape[1], matte.shape[0]), matte, colour, key)
    size = _opaque_size(plate, files)
    if size is not None:
        if is_photo(plate, photo):
            _fits(photo, *size)
        return PlatePicture(size, None, colour, key)
    pixels = plate_pixels(shot, plate, files)
    return PlatePicture((pixels.shape[1], pixels.shape[0]), _alpha_of(pixels), colour, key)


def picture_of(worked: Worked, key: str) -> PlatePicture:
    """The pixels of a plate that has been worked out."""
    c = worked.canvas
    return PlatePicture(c.size, worked.matte, lambda: worked.linear, key, (c.x0, c.y0, c.width, c.height))
