"""TIFF (6.0, and the supplements for alpha and Lab): every way of storing a picture that people's programs write."""

from __future__ import annotations

import io
from typing import Any

import numpy as np
import tifffile
from numpy.typing import NDArray

from roofline.errors import FormatError
from roofline.formats import colour
from roofline.formats.decoded import Decoded, guard
from roofline.model.photo import PhotoFacts

WHITE_IS_ZERO, GREY, RGB, PALETTE, INKS, YCBCR, LAB, ICC_LAB = 0, 1, 2, 3, 5, 6, 8, 9
BASE = {WHITE_IS_ZERO: 1, GREY: 1, RGB: 3, PALETTE: 1, INKS: 4, YCBCR: 3, LAB: 3, ICC_LAB: 3}


def upright(pixels: NDArray, orientation: int) -> NDArray:
    """Turned as its EXIF or TIFF orientation says (1 to 8)."""
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


def _facts(page: Any, bits: int) -> PhotoFacts:
    def number(value: Any) -> float | None:
        try:
            v = value[0] / value[1] if isinstance(value, tuple) else float(value)
        except (TypeError, ValueError, ZeroDivisionError):
            return None
        return v if 0 < v < 1e5 else None

    exif = page.tags.valueof("ExifTag", default={})
    exif = exif if isinstance(exif, dict) else {}
    taken = str(page.tags.valueof("Model", default="")).strip("\0 ")[:80]
    return PhotoFacts(
        focal_mm=number(exif.get("FocalLength")),
        focal_35mm=number(exif.get("FocalLengthIn35mmFilm")),
        taken_with=taken or None,
        bits=bits,
    )


def _values(page: Any, name: str) -> NDArray:
    """(H, W, C) in 8 or 16 bit or float, channels last, all of the range used."""
    pixels = page.asarray()
    axes = page.axes
    if "S" in axes:
        pixels = np.moveaxis(pixels, axes.index("S"), -1)
    else:
        pixels = pixels[..., None]
    if pixels.ndim != 3:
        raise FormatError(f"{name} holds a stack of pictures in depth; a single picture can be read.")
    if pixels.dtype == bool:
        return pixels.astype(np.uint8) * np.uint8(255)
    bits = int(page.bitspersample)
    if pixels.dtype.kind == "u" and bits not in (8, 16, 32, 64) and int(page.photometric) != PALETTE:
        top = 255 if bits < 8 else 65535
        return (pixels.astype(np.float64) * (top / (2**bits - 1)) + 0.5).astype(np.uint8 if bits < 8 else np.uint16)
    return pixels


def _lab(pixels: NDArray, encoded: int, name: str) -> NDArray[np.float32]:
    """L*a*b* as numbers (TIFF 6.0, section 23; ICC.1:2022, 6.3.4)."""
    if pixels.dtype == np.uint8:
        near = pixels[..., 1:3]
        offsets = near - 128.0 if encoded == ICC_LAB else near.view(np.int8) / 1.0
        return np.concatenate([pixels[..., :1] / 2.55, offsets], axis=-1).astype(np.float32)
    if pixels.dtype == np.uint16:
        lightness, near = pixels[..., :1] / (652.8 if encoded == ICC_LAB else 655.35), pixels[..., 1:3]
        offsets = near / 256 - 128.0 if encoded == ICC_LAB else near.view(np.int16) / 256.0
        return np.concatenate([lightness, offsets], axis=-1).astype(np.float32)
    raise FormatError(f"{name} holds Lab as {pixels.dtype}; 8 and 16 bit can be read.")


def _profile(page: Any, mode: str, deep: bool, notes: list[str]) -> colour.Conversion | None:
    profile = page.tags.valueof(34675)
    return colour.asked_for(bytes(profile), mode, deep, notes) if profile else None


def decode(data: bytes, name: str, number: int = 0) -> Decoded:
    """One page of a TIFF file, by its number: the first, unless another is asked for."""
    with tifffile.TiffFile(io.BytesIO(data)) as file:
        page: Any = file.pages[number]
        bits, photometric = int(page.bitspersample), int(page.photometric)
        guard(page.imagewidth, page.imagelength, page.samplesperpixel * max(1, bits // 8), name)
        if photometric not in BASE:
            raise FormatError(f"{name} stores its colour in a way ({page.photometric.name}) that is not read here.")
        notes = [f"It has {len(file.pages)} pages; the first is read."] if len(file.pages) > 1 else []
        pixels = _values(page, name)
        turn = page.tags.valueof("Orientation", default=1)
        facts = _facts(page, bits if pixels.dtype.kind == "f" else 8 * pixels.dtype.itemsize)
        base = BASE[photometric] if photometric != YCBCR else min(3, pixels.shape[2])
        extra = [int(e) for e in page.extrasamples]
        alpha = pixels[..., base : base + 1] if extra and extra[0] in (0, 1, 2) and pixels.shape[2] > base else None
        if pixels.shape[2] > base + (alpha is not None):
            notes.append(f"It has {pixels.shape[2]} channels; {base + (alpha is not None)} of them are read.")
        colours = pixels[..., :base]
        conversion = None
        if photometric == WHITE_IS_ZERO:
            colours = (1 if colours.dtype.kind == "f" else np.iinfo(colours.dtype).max) - colours
        elif photometric == PALETTE:
            table = np.asarray(page.colormap)
            colours = (table[:, colours[..., 0]] >> 8).astype(np.uint8).transpose(1, 2, 0)
        elif photometric in (LAB, ICC_LAB):
            linear = colour.from_lab(_lab(colours, photometric, name))
            colours = (colour.to_display(linear) * 255 + 0.5).astype(np.uint8) if bits == 8 else linear
            notes.append("Lab, converted.")
        elif photometric == INKS:
            conversion = _profile(page, "CMYK", colours.dtype != np.uint8, notes) or _inks()
        else:
            conversion = _profile(page, "L" if base == 1 else "RGB", colours.dtype != np.uint8, notes)
    if alpha is not None and alpha.dtype != colours.dtype:
        alpha = (
            (alpha / np.iinfo(alpha.dtype).max * 255).astype(np.uint8)
            if colours.dtype == np.uint8
            else (alpha / np.float32(np.iinfo(alpha.dtype).max)).astype(np.float32)
        )
    whole = colours if alpha is None else np.concatenate([colours, alpha], axis=-1)
    got = Decoded(upright(whole, turn), facts, notes, conversion, turned=turn not in (0, 1))
    got.inks = photometric == INKS and alpha is None
    got.premultiplied = alpha is not None and extra[0] == 1
    return got


def _inks() -> colour.Conversion:
    """Inks without a profile: each takes away its part of the paper's white."""

    def turn(pixels: NDArray) -> NDArray:
        top = np.float32(np.iinfo(pixels.dtype).max)
        rest = (1 - pixels[..., :3] / top) * (1 - pixels[..., 3:4] / top)
        return (rest * top + 0.5).astype(pixels.dtype)

    return colour.Conversion("CMYK without a profile", turn)
