"""Picture files in and out: JPEG, PNG, TIFF, OpenEXR, always judged by content, never by name.

Stored pictures keep their depth (8, 16 bit or float). `read` gives them as delivered, upright.
"""

from __future__ import annotations

import io
import struct
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image, ImageOps, UnidentifiedImageError

from roofline.core.camera import bend_pixels
from roofline.errors import FormatError
from roofline.model.photo import PhotoFacts
from roofline.model.survey import Camera

MAX_PIXELS = 300_000_000
Image.MAX_IMAGE_PIXELS = None  # `_guard` says the same in our own words
SUFFIX = {"JPEG": ".jpg", "PNG": ".png", "TIFF": ".tif", "EXR": ".exr"}


@dataclass
class Facts:
    """What a picture file is: format, upright size, whether it stands turned, and what EXIF says."""

    format: str
    width: int
    height: int
    turned: bool
    facts: PhotoFacts


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
    return None


def _guard(width: int, height: int, name: str) -> None:
    if width < 1 or height < 1:
        raise FormatError(f"{name} has no pixels.")
    if width * height > MAX_PIXELS:
        raise FormatError(
            f"{name} is {width} × {height} pixels; up to {MAX_PIXELS // 1_000_000} megapixels can be worked on."
        )


def _exif(image: Image.Image) -> tuple[PhotoFacts, bool]:
    def number(value: object) -> float | None:
        try:
            v = float(value)  # type: ignore[arg-type]
        except (TypeError, ValueError, ZeroDivisionError):
            return None
        return v if 0 < v < 1e5 else None

    exif = image.getexif()
    ifd = exif.get_ifd(0x8769)
    model = exif.get(0x0110)
    taken = str(model).strip("\0 ")[:80] if model else None
    facts = PhotoFacts(focal_mm=number(ifd.get(0x920A)), focal_35mm=number(ifd.get(0xA405)), taken_with=taken or None)
    return facts, exif.get(0x0112, 1) not in (0, 1)


def examine(data: bytes, name: str) -> Facts:
    """Read a picture's facts and make sure that all of it can be read.

    Raises FormatError with what was found and what is wanted.
    """
    kind = kind_of(data[:16])
    if kind is None:
        raise FormatError(f"{name} is not a picture: bring a JPEG, PNG, TIFF or OpenEXR file.")
    if kind == "PNG" and data[12:16] == b"IHDR" and len(data) >= 24:
        width, height = struct.unpack(">II", data[16:24])
        _guard(width, height, name)
    try:
        if kind == "EXR":
            picture = _read_exr(data, name)
            return Facts(kind, picture.shape[1], picture.shape[0], False, PhotoFacts(bits=32))
        if kind == "TIFF":
            with tifffile.TiffFile(io.BytesIO(data)) as tiff:
                page: Any = tiff.pages[0]
                _guard(page.imagewidth, page.imagelength, name)
                bits = int(page.bitspersample)
            with Image.open(io.BytesIO(data)) as image:
                facts, turned = _exif(image)
        else:
            with Image.open(io.BytesIO(data)) as image:
                _guard(*image.size, name)
                facts, turned = _exif(image)
                bits = 16 if image.mode.startswith("I;16") or _png_bits(data) == 16 else 8
        pixels = read(data, name)
    except (
        OSError,
        ValueError,
        SyntaxError,
        KeyError,
        IndexError,
        struct.error,
        UnidentifiedImageError,
        Image.DecompressionBombError,
        tifffile.TiffFileError,
        cv2.error,
    ) as error:
        if isinstance(error, FormatError):
            raise
        raise FormatError(
            f"{name} is damaged or cut short: it begins like a {kind} file, but cannot be read to its end."
        ) from None
    return Facts(kind, pixels.shape[1], pixels.shape[0], turned, facts.model_copy(update={"bits": bits}))


def _png_bits(data: bytes) -> int:
    return data[24] if data[:8] == b"\x89PNG\r\n\x1a\n" and len(data) > 24 else 8


def _read_exr(data: bytes, name: str) -> NDArray:
    import tempfile

    import OpenEXR

    with tempfile.NamedTemporaryFile(suffix=".exr") as file:
        file.write(data)
        file.flush()
        try:
            channels = OpenEXR.File(file.name).channels()
        except Exception:  # the binding raises bare exceptions for damaged files
            raise FormatError(f"{name} is damaged or cut short: it begins like an EXR file.") from None
        for key in ("RGB", "RGBA"):
            if key in channels:
                return np.asarray(channels[key].pixels[..., :3], dtype=np.float32)
        try:
            return np.stack([np.asarray(channels[c].pixels, dtype=np.float32) for c in "RGB"], axis=-1)
        except KeyError:
            raise FormatError(f"{name} has no red, green and blue channels.") from None


def read(data: bytes, name: str = "The picture") -> NDArray:
    """Pixels (H, W, 3) or, with alpha, (H, W, 4), upright; uint8, uint16 or float32 (linear) as delivered."""
    kind = kind_of(data[:16])
    if kind == "EXR":
        return _read_exr(data, name)
    if kind == "TIFF":
        pixels = tifffile.imread(io.BytesIO(data), key=0)
        if pixels.ndim == 3 and pixels.shape[0] in (3, 4) and pixels.shape[2] not in (3, 4):
            pixels = np.moveaxis(pixels, 0, 2)
        with Image.open(io.BytesIO(data)) as image:
            turn = image.getexif().get(0x0112, 1)
        pixels = _turned(pixels, turn)
    elif kind == "PNG" and _png_bits(data) == 16:
        decoded = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
        if decoded is None:
            raise FormatError(f"{name} is damaged or cut short.")
        pixels = decoded if decoded.ndim == 2 else decoded[..., [2, 1, 0, 3][: decoded.shape[2]]]
    else:
        with Image.open(io.BytesIO(data)) as image:
            _guard(*image.size, name)
            image.load()
            upright = ImageOps.exif_transpose(image)
            if upright.mode in ("RGBA", "LA", "PA") or "transparency" in upright.info:
                pixels = np.asarray(upright.convert("RGBA"))
            else:
                pixels = np.asarray(upright.convert("RGB"))
    if pixels.ndim == 2:
        pixels = np.repeat(pixels[..., None], 3, axis=2)
    if pixels.ndim != 3 or pixels.shape[2] not in (3, 4):
        raise FormatError(f"{name} has {pixels.shape[-1]} channels; grey, RGB and RGBA can be read.")
    if pixels.dtype == np.float64 or pixels.dtype == np.float16:
        pixels = pixels.astype(np.float32)
    if pixels.dtype not in (np.uint8, np.uint16, np.float32):
        raise FormatError(f"{name} holds {pixels.dtype} values; 8 and 16 bit and float can be read.")
    return np.ascontiguousarray(pixels)


def opaque_size(data: bytes) -> tuple[int, int] | None:
    """Upright width and height of a JPEG or PNG that has no alpha, from its head alone; None of any other picture."""
    if kind_of(data[:16]) not in ("JPEG", "PNG"):
        return None
    with Image.open(io.BytesIO(data)) as image:
        if image.mode not in ("L", "RGB", "CMYK", "YCbCr", "I;16") or "transparency" in image.info:
            return None
        turned = image.getexif().get(0x0112, 1) in (5, 6, 7, 8)
        return (image.height, image.width) if turned else (image.width, image.height)


def _turned(pixels: NDArray, orientation: int) -> NDArray:
    turns = {
        2: lambda p: p[:, ::-1],
        3: lambda p: p[::-1, ::-1],
        4: lambda p: p[::-1],
        5: lambda p: p.swapaxes(0, 1),
        6: lambda p: np.rot90(p, -1),
        7: lambda p: p[::-1, ::-1].swapaxes(0, 1),
        8: lambda p: np.rot90(p),
    }
    return turns[orientation](pixels) if orientation in turns else pixels


def to_linear(pixels: NDArray) -> NDArray[np.float32]:
    """Stored values → linear light float32 (H, W, C) (IEC 61966-2-1); float pictures are linear already."""
    if pixels.dtype == np.float32:
        return pixels
    top = 255 if pixels.dtype == np.uint8 else 65535
    v = np.arange(top + 1) / top
    table = np.where(v <= 0.04045, v / 12.92, ((v + 0.055) / 1.055) ** 2.4).astype(np.float32)
    return table[pixels]


def to_display(linear: NDArray) -> NDArray[np.float32]:
    """Linear light → display values 0…1 float32 (IEC 61966-2-1)."""
    v = np.clip(linear, 0, 1)
    return np.where(v <= 0.0031308, 12.92 * v, 1.055 * np.power(np.maximum(v, 1e-9), 1 / 2.4) - 0.055).astype(
        np.float32
    )


def straightened(pixels: NDArray, camera: Camera) -> NDArray:
    """The picture with its lens taken out, on the same pixel grid (Lanczos)."""
    if not any(camera.distortion):
        return pixels
    h, w = pixels.shape[:2]
    out = np.empty_like(pixels)
    band = max(1, 4_000_000 // w)
    xs = np.arange(w) + 0.5
    for y0 in range(0, h, band):
        y1 = min(h, y0 + band)
        grid = np.stack(np.meshgrid(xs, np.arange(y0, y1) + 0.5), axis=-1)
        source = (bend_pixels(grid, camera) - 0.5).astype(np.float32)
        out[y0:y1] = cv2.remap(
            pixels, source[..., 0], source[..., 1], cv2.INTER_LANCZOS4, borderMode=cv2.BORDER_REPLICATE
        )
    return out


def eight_bit(pixels: NDArray) -> NDArray[np.uint8]:
    """Any stored picture as 8-bit display values, for proxies and previews only."""
    if pixels.dtype == np.uint8:
        return pixels
    if pixels.dtype == np.uint16:
        return (pixels / 257 + 0.5).astype(np.uint8)
    return (to_display(pixels) * 255 + 0.5).astype(np.uint8)


def png(pixels: NDArray, level: int = 3) -> bytes:
    """PNG bytes of uint8 or uint16 pixels (H, W), (H, W, 3) or (H, W, 4)."""
    bgr = pixels if pixels.ndim == 2 else pixels[..., [2, 1, 0, 3][: pixels.shape[2]]]
    ok, data = cv2.imencode(".png", np.ascontiguousarray(bgr), [cv2.IMWRITE_PNG_COMPRESSION, level])
    if not ok:
        raise FormatError("The picture could not be written as PNG.")
    return bytes(data)


def jpeg(pixels: NDArray[np.uint8], quality: int = 92) -> bytes:
    """JPEG bytes of uint8 (H, W, 3), without chroma subsampling."""
    buffer = io.BytesIO()
    Image.fromarray(pixels).save(buffer, "JPEG", quality=quality, subsampling=0)
    return buffer.getvalue()


def store_form(pixels: NDArray) -> tuple[bytes, str]:
    """Lossless bytes and suffix for pixels of any depth: PNG for integers, TIFF for float."""
    if pixels.dtype == np.float32:
        buffer = io.BytesIO()
        tifffile.imwrite(buffer, pixels, photometric="rgb", compression="zlib")
        return buffer.getvalue(), ".tif"
    return png(pixels), ".png"


def matte_of(data: bytes, name: str) -> NDArray[np.float32]:
    """A matte file as (H, W) float32 0…1: the alpha channel when it has one, else its first channel."""
    pixels = read(data, name)
    channel = pixels[..., 3] if pixels.shape[2] == 4 else pixels[..., 0]
    if channel.dtype == np.float32:
        return np.ascontiguousarray(np.clip(channel, 0, 1))
    top = 255 if channel.dtype == np.uint8 else 65535
    return np.ascontiguousarray(channel.astype(np.float32) / top)


def save_frame(path: Path, linear: NDArray[np.float32], form: str) -> None:
    """Write a premultiplied linear RGBA picture as png (8 bit), tiff (16 bit) or exr (float, premultiplied).

    png and tiff hold display values and straight alpha; exr holds linear values as is customary there.
    """
    if form == "exr":
        import OpenEXR

        header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
        OpenEXR.File(header, {"RGBA": np.ascontiguousarray(linear.astype(np.float16))}).write(str(path))
        return
    alpha = linear[..., 3:]
    colour = to_display(linear[..., :3] / np.maximum(alpha, 1e-6))
    rgba = np.concatenate([colour, np.clip(alpha, 0, 1)], axis=-1)
    solid = bool(alpha.min() > 0.999)
    if form == "tiff":
        data = (rgba * 65535 + 0.5).astype(np.uint16)
        tifffile.imwrite(
            path,
            data[..., :3] if solid else data,
            photometric="rgb",
            compression="zlib",
            extrasamples=None if solid else [2],
        )
        return
    eight = (rgba * 255 + 0.5).astype(np.uint8)
    path.write_bytes(png(eight[..., :3] if solid else eight))
