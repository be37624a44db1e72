"""Layered pictures: OpenRaster, TIFF with several pages, and several pictures at once."""

from __future__ import annotations

import io
import zipfile
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import PurePath
from typing import Any
from xml.etree import ElementTree

import numpy as np
import tifffile
from numpy.typing import NDArray

from roofline.core.boxes import Box, box_of
from roofline.core.light import top_of
from roofline.errors import FormatError
from roofline.formats import pictures

MOST = 200  # layers
LARGEST = 16_384  # pixels of a side
UNPACKED = 4 << 30  # bytes
LEAST = 4  # pixels of a side
STRIP = 64  # rows that are laid over one another at a time


@dataclass
class Layer:
    """One layer of a picture: pixels (H, W, 4), uint8 or uint16, straight alpha, at its place on the canvas."""

    name: str
    pixels: NDArray
    x: int = 0
    y: int = 0
    group: str | None = None
    visible: bool = True
    opacity: float = 1.0


@dataclass
class Layered:
    """A picture's layers, first the nearest, on a canvas of width × height pixels; what is odd of it, in sentences."""

    width: int
    height: int
    layers: list[Layer]
    notes: list[str] = field(default_factory=list)


def _with_alpha(pixels: NDArray) -> NDArray:
    if pixels.dtype == np.float32:
        eight = pictures.to_display(pixels[..., :3])
        alpha = np.clip(pixels[..., 3:], 0, 1) if pixels.shape[2] == 4 else np.ones_like(eight[..., :1])
        return (np.concatenate([eight, alpha], axis=2) * 65535 + 0.5).astype(np.uint16)
    if pixels.shape[2] == 4:
        return pixels
    return np.concatenate([pixels, np.full_like(pixels[..., :1], top_of(pixels))], axis=2)


def is_layered(data: bytes, name: str) -> bool:
    """Whether a file holds layers: an OpenRaster archive, or a TIFF with several pages of one picture."""
    if data[:2] == b"PK":
        return b"image/openraster" in data[:128] or PurePath(name).suffix.lower() == ".ora"
    if data[:4] in (b"II*\0", b"MM\0*"):
        try:
            with tifffile.TiffFile(io.BytesIO(data)) as file:
                return sum(1 for p in file.pages if not getattr(p, "is_reduced", False)) > 1
        except (tifffile.TiffFileError, ValueError, IndexError):
            return False
    return False


def read_layered(data: bytes, name: str) -> Layered:
    """The layers of one file; raises FormatError."""
    return _open_raster(data, name) if data[:2] == b"PK" else _tiff(data, name)


def _open_raster(data: bytes, name: str) -> Layered:
    """OpenRaster 0.0.5 (freedesktop.org): a ZIP with stack.xml and a PNG for every layer."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            if sum(i.file_size for i in archive.infolist()) > UNPACKED:
                raise FormatError(f"{name} unpacks to more than {UNPACKED >> 30} GB.")
            text = archive.read("stack.xml")
            if b"<!DOCTYPE" in text or b"<!ENTITY" in text:
                raise FormatError(f"{name}: its list of layers declares entities; it is not read.")
            root = ElementTree.fromstring(text)
            width, height = int(root.get("w", "0")), int(root.get("h", "0"))
            if not (LEAST <= width <= LARGEST and LEAST <= height <= LARGEST):
                raise FormatError(f"{name}: its canvas is {width} × {height} px, which cannot be used.")
            out = Layered(width, height, [])
            stack = root.find("stack")
            if stack is not None:
                _stack(archive, stack, name, out, None, (0, 0), True, 1.0)
            return out
    except KeyError as error:
        raise FormatError(f"{name} names the file {error}, which is not in it.") from None
    except (zipfile.BadZipFile, ElementTree.ParseError, ValueError, EOFError, OSError) as error:
        raise FormatError(f"{name} is damaged and cannot be read as layers: {error}.") from None


def _stack(
    archive: zipfile.ZipFile,
    stack: Any,
    name: str,
    out: Layered,
    group: str | None,
    offset: tuple[int, int],
    visible: bool,
    opacity: float,
) -> None:
    for node in stack:
        x, y = offset[0] + int(float(node.get("x", "0"))), offset[1] + int(float(node.get("y", "0")))
        shown = visible and node.get("visibility", "visible") != "hidden"
        solid = opacity * min(max(float(node.get("opacity", "1")), 0.0), 1.0)
        title = (node.get("name") or "").strip()[:100]
        if node.tag == "stack":
            _stack(archive, node, name, out, title or group or "Group", (x, y), shown, solid)
        elif node.tag == "layer":
            if len(out.layers) >= MOST:
                raise FormatError(f"{name} has more than {MOST} layers: merge some of them first.")
            source = node.get("src") or ""
            pixels = pictures.read(archive.read(source), source)
            if (mode := node.get("composite-op", "svg:src-over")) != "svg:src-over":
                how = mode.removeprefix("svg:")
                out.notes.append(f"“{title}” is blended by {how} in the file; here it covers.")
            label = title or f"Layer {len(out.layers) + 1}"
            out.layers.append(Layer(label, _with_alpha(pixels), x, y, group, shown, solid))


def _tiff(data: bytes, name: str) -> Layered:
    """The pages of a TIFF, the first the nearest, placed by their positions."""
    out = Layered(0, 0, [])
    try:
        with tifffile.TiffFile(io.BytesIO(data)) as file:
            pages: list[Any] = [p for p in file.pages if not getattr(p, "is_reduced", False)]
            if len(pages) > MOST:
                raise FormatError(f"{name} has {len(pages)} pages; up to {MOST} can be used.")
            for number, page in enumerate(pages, 1):
                pixels = pictures.read(data, name, page.index)
                x, y = (_in_pixels(page, tag) for tag in ("XPosition", "YPosition"))
                title = str(page.tags.valueof("PageName", default="")).strip()[:100] or f"Layer {number}"
                out.layers.append(Layer(title, _with_alpha(pixels), x, y))
    except (tifffile.TiffFileError, ValueError, IndexError, KeyError, OSError) as error:
        raise FormatError(f"{name} is damaged and cannot be read as layers: {error}.") from None
    out.width = max(layer.x + layer.pixels.shape[1] for layer in out.layers)
    out.height = max(layer.y + layer.pixels.shape[0] for layer in out.layers)
    return out


def _in_pixels(page: Any, tag: str) -> int:
    """A page's position, given in units of its resolution, as pixels."""
    if tag not in page.tags:
        return 0
    value, over = page.tags[tag].value
    resolution = page.tags["XResolution" if tag[0] == "X" else "YResolution"].value
    return round(value / max(over, 1) * resolution[0] / max(resolution[1], 1))


def layers_of(files: list[tuple[str, bytes]]) -> Layered:
    """The layers of one layered file, or of several pictures, first the nearest.

    Raises FormatError for what is no picture, is too small, or has nothing in it.
    """
    if len(files) == 1 and is_layered(files[0][1], files[0][0]):
        out = read_layered(files[0][1], files[0][0])
    else:
        if len(files) > MOST:
            raise FormatError(f"{len(files)} pictures were given; up to {MOST} can be used.")
        with ThreadPoolExecutor(2) as pool:  # decoders work beside one another
            read = list(pool.map(lambda f: _with_alpha(pictures.read(f[1], f[0])), files))
        layers = [Layer(_stem(n, i), pixels) for i, ((n, _), pixels) in enumerate(zip(files, read, strict=True), 1)]
        sizes = [layer.pixels.shape[:2] for layer in layers]
        tall, wide = max(s[0] for s in sizes), max(s[1] for s in sizes)
        out = Layered(wide, tall, layers)
        odd = [layer.name for layer, size in zip(layers, sizes, strict=True) if size != (tall, wide)]
        if odd:
            out.notes.append(
                f"{len(odd)} of {len(layers)} pictures are smaller than {wide} × {tall} px and lie at the upper left: "
                + ", ".join(odd[:4])
                + "."
            )
    return _examined(out)


def _stem(name: str, number: int) -> str:
    return PurePath(name).stem[:100] or f"Layer {number}"


def _examined(out: Layered) -> Layered:
    """What is odd of the layers, said; what cannot be used, refused."""
    if out.width < LEAST or out.height < LEAST:
        raise FormatError(f"The picture is {out.width} × {out.height} px: too small to be of use.")
    kept = [layer for layer in out.layers if layer.pixels[..., 3].any()]
    empty = [layer.name for layer in out.layers if not layer.pixels[..., 3].any()]
    if not kept:
        raise FormatError("Every layer is empty: there is nothing to see in them.")
    if empty:
        out.notes.append(f"{', '.join(empty[:4])} {'is' if len(empty) == 1 else 'are'} empty and left out.")
    seen = [layer for layer in kept if layer.visible and layer.opacity == 1]
    for layer in seen[: -1 if seen and seen[-1] is kept[-1] else None]:
        solid = np.iinfo(layer.pixels.dtype).max
        whole = layer.pixels.shape[:2] == (out.height, out.width) and (layer.pixels[..., 3] == solid).all()
        if whole and layer is not kept[-1]:
            out.notes.append(f"“{layer.name}” has no alpha and hides all that is behind it.")
    out.layers = kept
    return out


def flattened(picture: Layered) -> NDArray:
    """All visible layers over one another, (H, W, 4), straight alpha, in display values as painters see them."""
    deep = any(layer.pixels.dtype == np.uint16 for layer in picture.layers)
    out = np.empty((picture.height, picture.width, 4), dtype=np.uint16 if deep else np.uint8)
    boxes = [(x, shown_box(x, picture)) for x in reversed(picture.layers) if x.visible]

    def strip(top: int) -> None:
        _laid_over(out[top : top + STRIP], top, boxes)

    with ThreadPoolExecutor(2) as pool:
        list(pool.map(strip, range(0, picture.height, STRIP)))
    return out


def _laid_over(out: NDArray, top: int, boxes: list[tuple[Layer, tuple[int, int, int, int]]]) -> None:
    """Rows of the flattened picture from ``top`` on, into ``out``: few enough to stay in the processor's cache."""
    sum_of = np.zeros(out.shape, dtype=np.float32)
    for layer, (x0, low, x1, high) in boxes:
        y0, y1 = max(low, top), min(high, top + len(out))
        if x1 <= x0 or y1 <= y0:
            continue
        part = layer.pixels[y0 - layer.y : y1 - layer.y, x0 - layer.x : x1 - layer.x].astype(np.float32)
        part *= 1 / np.iinfo(layer.pixels.dtype).max
        part[..., 3] *= layer.opacity
        alpha = part[..., 3:].copy()
        part[..., :3] *= alpha
        under = sum_of[y0 - top : y1 - top, x0:x1]
        under *= 1 - alpha
        under += part
    sum_of[..., :3] /= np.maximum(sum_of[..., 3:], 1e-6)
    np.clip(sum_of, 0, 1, out=sum_of)
    sum_of *= np.iinfo(out.dtype).max
    out[...] = sum_of + 0.5


def shown_box(layer: Layer, picture: Layered, border: int = 0) -> tuple[int, int, int, int]:
    """The part of the canvas x0, y0, x1, y1 on which a layer has anything, and so many pixels of it beyond that."""
    a, (x0, y0, x1, y1) = inside(layer, picture), filled_box(layer)
    low = max(a[0], layer.x + x0 - border), max(a[1], layer.y + y0 - border)
    return *low, min(a[2], layer.x + x1 + border), min(a[3], layer.y + y1 + border)


def inside(layer: Layer, picture: Layered) -> tuple[int, int, int, int]:
    """The part of the canvas x0, y0, x1, y1 that a layer lies on."""
    tall, wide = layer.pixels.shape[:2]
    return max(layer.x, 0), max(layer.y, 0), min(layer.x + wide, picture.width), min(layer.y + tall, picture.height)


def filled_box(layer: Layer) -> Box:
    """The part x0, y0, x1, y1 of a layer's own pixels that has anything."""
    return box_of(layer.pixels[..., 3] > 0)
