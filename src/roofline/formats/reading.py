"""Picture files in: JPEG, PNG, TIFF, OpenEXR, WebP, AVIF, always judged by content, never by name.

What is read is upright, its alpha straight, its colour sRGB's primaries: `roofline.formats.colour`. The size of a
picture is known, and refused where it is too large, before any of its pixels are decoded.
"""

from __future__ import annotations

import io
import struct
import warnings
from dataclasses import dataclass, field

import cv2
import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image, UnidentifiedImageError

from roofline.errors import FormatError
from roofline.formats import colour, exr, tiff
from roofline.formats.decoded import Decoded, guard, straight
from roofline.model.photo import PhotoFacts

Image.MAX_IMAGE_PIXELS = None  # `guard` says the same in our own words
SUFFIX = {"JPEG": ".jpg", "PNG": ".png", "TIFF": ".tif", "EXR": ".exr", "WEBP": ".webp", "AVIF": ".avif"}
ORIENTATION = 0x0112


@dataclass
class Facts:
    """What a picture file is: format, upright size, whether it stands turned, and what it says of itself."""

    format: str
    width: int
    height: int
    turned: bool
    facts: PhotoFacts = field(default_factory=PhotoFacts)


def kind_of(head: bytes) -> str | None:
    """Format by the first bytes of a file."""
    if head[:3] == b"\xff\xd8\xff":
        return "JPEG"
    if head[:8] == b"\x89PNG\r\n\x1a\n":
        return "PNG"
    if head[:4] in (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+"):
        return "TIFF"
    if head[:4] == b"\x76\x2f\x31\x01":
        return "EXR"
    if head[:4] == b"RIFF" and head[8:12] == b"WEBP":
        return "WEBP"
    if head[4:12] in (b"ftypavif", b"ftypavis"):
        return "AVIF"
    return None


def refusal(data: bytes, name: str) -> str:
    """What is said of a file that is no picture; ``data``: its first 16 bytes."""
    if data[4:8] == b"ftyp" and data[8:12] in (b"heic", b"heix", b"hevc", b"mif1", b"msf1"):
        return f"{name} is an HEIC picture, which is not read here: save it as JPEG, PNG or TIFF and bring that."
    return f"{name} is not a picture: bring a JPEG, PNG, TIFF, OpenEXR, WebP or AVIF file."


def _number(value: object) -> float | None:
    try:
        v = float(value)  # type: ignore[arg-type]
    except (TypeError, ValueError, ZeroDivisionError):
        return None
    return v if 0 < v < 1e5 else None


def _exif(image: Image.Image) -> PhotoFacts:
    exif = image.getexif()
    ifd = exif.get_ifd(0x8769)
    model = exif.get(0x0110)
    taken = str(model).strip("\0 ")[:80] if model else None
    return PhotoFacts(focal_mm=_number(ifd.get(0x920A)), focal_35mm=_number(ifd.get(0xA405)), taken_with=taken or None)


def _png_bits(data: bytes) -> int:
    return data[24] if data[:8] == b"\x89PNG\r\n\x1a\n" and len(data) > 24 else 8


def _deep_png(data: bytes, name: str) -> NDArray:
    decoded = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    if decoded is None:
        raise FormatError(f"{name} is damaged or cut short.")
    return decoded if decoded.ndim == 2 else decoded[..., [2, 1, 0, 3][: decoded.shape[2]]]


def _conversion(image: Image.Image, mode: str, deep: bool, notes: list[str]) -> colour.Conversion | None:
    profile = image.info.get("icc_profile")
    if profile:
        return colour.asked_for(profile, mode, deep, notes)
    if image.format == "PNG" and "srgb" not in image.info:
        return colour.of_gamma(image.info.get("gamma"), image.info.get("chromaticity"))
    return None


def _plain(data: bytes, name: str) -> Decoded:
    """JPEG, PNG, WebP and AVIF."""
    notes: list[str] = []
    with Image.open(io.BytesIO(data)) as image:
        deep = image.format == "PNG" and _png_bits(data) == 16
        guard(*image.size, 4 * (6 if deep else 1), name)
        pages = getattr(image, "n_frames", 1)
        if pages > 1 and image.format != "JPEG":
            notes.append(f"It is an animation of {pages} pictures; the first is read.")
        image.load()
        facts, turn = _exif(image), image.getexif().get(ORIENTATION, 1)
        alpha = image.mode in ("RGBA", "LA", "PA", "La", "RGBa") or "transparency" in image.info
        if deep:
            pixels = _deep_png(data, name)
            mode = "L" if pixels.ndim == 2 else "RGB"
        else:
            mode = image.mode if image.mode in ("L", "CMYK", "LAB") and not alpha else "RGB"
            pixels = np.asarray(image if image.mode == mode else image.convert("RGBA" if alpha else mode))
        conversion = _conversion(image, mode, deep, notes)
        if mode == "CMYK" and conversion is None:
            pixels = np.asarray(image.convert("RGB"))
    facts = facts.model_copy(update={"bits": 16 if deep else 8})
    return Decoded(tiff.upright(pixels, turn), facts, notes, conversion, turned=turn not in (0, 1))


def decode(data: bytes, name: str = "The picture", page: int = 0) -> Decoded:
    """A picture with all that was found in its file; ``page``: of a TIFF. Raises FormatError with what was found and
    what is wanted."""
    kind = kind_of(data[:16])
    if kind is None:
        raise FormatError(refusal(data[:16], name))
    if kind == "PNG" and data[12:16] == b"IHDR" and len(data) >= 24:
        width, height = struct.unpack(">II", data[16:24])
        guard(width, height, 4, name)
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", UserWarning)  # of EXIF that is damaged: the picture is not
            if kind == "TIFF":
                got = tiff.decode(data, name, page)
            else:
                got = (exr.decode if kind == "EXR" else _plain)(data, name)
    except FormatError:
        raise
    except (
        OSError,
        ValueError,
        SyntaxError,
        KeyError,
        IndexError,
        TypeError,
        RuntimeError,
        MemoryError,
        struct.error,
        UnidentifiedImageError,
        tifffile.TiffFileError,
        cv2.error,
    ):
        raise FormatError(
            f"{name} is damaged or cut short: it begins like a {kind} file, but cannot be read to its end."
        ) from None
    return _ours(got, name)


def _ours(got: Decoded, name: str) -> Decoded:
    """Pixels as all else wants them: three or four channels, sRGB's primaries, numbers that are numbers."""
    pixels = got.pixels
    if got.conversion is not None:
        colours = got.conversion.turn(pixels)
        if got.alpha and pixels.ndim == 3:
            alpha = pixels[..., -1:]
            if colours.dtype != alpha.dtype:
                alpha = alpha.astype(np.float32) / np.float32(np.iinfo(alpha.dtype).max)
            colours = np.concatenate([colours, alpha], axis=-1)
        pixels = colours
    if pixels.ndim == 2:
        pixels = np.repeat(pixels[..., None], 3, axis=2)
    elif pixels.shape[2] == 1:
        pixels = np.repeat(pixels, 3, axis=2)
    elif pixels.shape[2] == 2:  # grey with alpha
        pixels = pixels[..., [0, 0, 0, 1]]
    if pixels.shape[2] not in (3, 4):
        raise FormatError(f"{name} has {pixels.shape[-1]} channels; grey, RGB and RGBA can be read.")
    if pixels.dtype in (np.float64, np.float16):
        pixels = pixels.astype(np.float32)
    if pixels.dtype not in (np.uint8, np.uint16, np.float32):
        raise FormatError(f"{name} holds {pixels.dtype} values; 8 and 16 bit and float can be read.")
    if pixels.dtype == np.float32:
        pixels = _finite(pixels, got.notes)
    if got.premultiplied and pixels.shape[2] == 4:
        pixels = straight(pixels)
    got.pixels = np.ascontiguousarray(pixels)
    return got


def _finite(pixels: NDArray[np.float32], notes: list[str]) -> NDArray[np.float32]:
    odd = ~np.isfinite(pixels)
    count = int(odd.any(axis=-1).sum())
    if not count:
        return pixels
    top = float(np.max(pixels, where=~odd, initial=0.0))
    are = "s are" if count > 1 else " is"
    notes.append(f"{count} pixel{are} no number: infinite ones are as bright as the brightest, others black.")
    return np.nan_to_num(pixels, nan=0.0, posinf=top, neginf=0.0)


def read(data: bytes, name: str = "The picture", page: int = 0) -> NDArray:
    """Pixels (H, W, 3) or, with straight alpha, (H, W, 4), upright; uint8 and uint16 display values or float32 linear,
    with sRGB's primaries. Raises FormatError."""
    return decode(data, name, page).pixels


def examine(data: bytes, name: str) -> Facts:
    """Read a picture's facts and make sure that all of it can be read. Raises FormatError."""
    got = decode(data, name)
    kind = kind_of(data[:16])
    assert kind is not None
    says = got.conversion.says + ", converted" if got.conversion else None
    facts = got.facts.model_copy(update={"colour": says, "notes": got.notes})
    return Facts(kind, got.pixels.shape[1], got.pixels.shape[0], got.turned, facts)


def opaque_size(data: bytes) -> tuple[int, int] | None:
    """Upright width and height of a JPEG or PNG that has no alpha, from its head alone; None of any other picture."""
    if kind_of(data[:16]) not in ("JPEG", "PNG"):
        return None
    with Image.open(io.BytesIO(data)) as image:
        if image.mode not in ("L", "RGB", "CMYK", "YCbCr", "I;16") or "transparency" in image.info:
            return None
        turned = image.getexif().get(ORIENTATION, 1) in (5, 6, 7, 8)
        return (image.height, image.width) if turned else (image.width, image.height)


def as_it_is(data: bytes) -> bool:
    """Whether other programs see a JPEG or PNG as we do without knowing of turns, profiles and gamma."""
    if kind_of(data[:16]) not in ("JPEG", "PNG"):
        return False
    with Image.open(io.BytesIO(data)) as image:
        plain = image.mode in ("L", "RGB", "RGBA", "P") and image.getexif().get(ORIENTATION, 1) in (0, 1)
        return plain and _conversion(image, "RGB", False, []) is None
