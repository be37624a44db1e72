"""Pictures as arrays and as stored files: straightened, in eight bit. Reading them: `reading`; frames out: `frames`.

Stored pictures keep their depth (8, 16 bit or float).
"""

from __future__ import annotations

import io

import cv2
import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image

from roofline.core.camera import bend_pixels
from roofline.core.light import fraction
from roofline.errors import FormatError
from roofline.formats.colour import to_display as to_display
from roofline.formats.colour import to_linear as to_linear
from roofline.formats.png import quick_png
from roofline.formats.reading import SUFFIX as SUFFIX
from roofline.formats.reading import Facts
from roofline.formats.reading import as_it_is as as_it_is
from roofline.formats.reading import examine as examine
from roofline.formats.reading import opaque_size as opaque_size
from roofline.formats.reading import read as read
from roofline.model.survey import Camera


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
    shown = to_display(pixels)
    if pixels.ndim == 3 and pixels.shape[2] == 4:
        shown[..., 3] = np.clip(pixels[..., 3], 0, 1)
    return (shown * 255 + 0.5).astype(np.uint8)


def png(pixels: NDArray, level: int = 3) -> bytes:
    """PNG bytes of uint8 or uint16 pixels (H, W), (H, W, 3) or (H, W, 4); ``level``: above 3, small and slow."""
    if level <= 3:
        return quick_png(pixels)
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


def to_keep(data: bytes, name: str) -> tuple[bytes, str, Facts]:
    """A picture's bytes and suffix as they are kept, and what it is: those that others who read our packages may not
    know, or that lie on their side, are stored anew. Raises FormatError."""
    facts = examine(data, name)
    if facts.turned or facts.format in ("WEBP", "AVIF"):
        return *store_form(read(data, name)), facts
    return data, SUFFIX[facts.format], facts


def matte_of(data: bytes, name: str) -> NDArray[np.float32]:
    """A matte file as (H, W) float32 0…1: the alpha channel when it has one, else its first channel."""
    pixels = read(data, name)
    channel = pixels[..., 3] if pixels.shape[2] == 4 else pixels[..., 0]
    return np.ascontiguousarray(np.clip(fraction(channel), 0, 1))
