"""OpenEXR in: the layer that holds the colour, luminance, chromaticities, and data that fill only a part."""

from __future__ import annotations

import io
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
import OpenEXR
from numpy.typing import NDArray

from roofline.errors import FormatError
from roofline.formats.colour import Conversion, by_matrix, to_srgb_primaries
from roofline.formats.decoded import Decoded, guard
from roofline.model.photo import PhotoFacts

#: names of layers that hold the picture itself, best first; "" is the layer without a name
WANTED = ["", "rgba", "rgb", "beauty", "color", "colour", "combined", "main", "default"]
WEIGHTS = np.array([0.2126, 0.7152, 0.0722])  # of luminance, for Rec. 709's primaries


@dataclass
class Layer:
    """A group of channels of one part: their names in the file by what they are."""

    part: int
    name: str
    channels: dict[str, str]

    @property
    def kind(self) -> str | None:
        """What a picture can be made of: its colours, its luminance, or nothing."""
        if all(c in self.channels for c in "RGB"):
            return "colour"
        return "luminance" if "Y" in self.channels else None


def _layers(parts: list[Any]) -> list[Layer]:
    layers = []
    for number, part in enumerate(parts):
        groups: dict[str, dict[str, str]] = {}
        for channel in part.header["channels"]:
            layer, _, what = channel.name.rpartition(".")
            groups.setdefault(layer, {})[what.upper()] = channel.name
        for layer, channels in groups.items():
            called = layer.removesuffix(".RGBA").removesuffix(".RGB")  # as the library writes whole pictures
            name = ".".join(n for n in (part.header.get("name", "") if len(parts) > 1 else "", called) if n)
            layers.append(Layer(number, name, channels))
    return layers


def _best(layers: list[Layer], name: str) -> Layer:
    able = [x for x in layers if x.kind]
    if not able:
        found = ", ".join(sorted({c for x in layers for c in x.channels.values()})[:8])
        raise FormatError(f"{name} has no colour and no luminance: its channels are {found}.")

    def rank(layer: Layer) -> tuple[bool, int]:
        last = layer.name.lower().rpartition(".")[2]
        return layer.kind != "colour", WANTED.index(last) if last in WANTED else len(WANTED)

    return min(able, key=rank)


def _box(window: Any) -> tuple[int, int, int, int]:
    (x0, y0), (x1, y1) = window
    return int(x0), int(y0), int(x1) + 1, int(y1) + 1


def _picture(part: Any, layer: Layer) -> NDArray[np.float32]:
    """(H, W, 3 or 4) of the data window."""

    def plane(what: str) -> NDArray[np.float32]:
        return np.asarray(part.channels[layer.channels[what]].pixels, dtype=np.float32)

    if layer.kind == "colour":
        planes = [plane(c) for c in "RGB"]
    else:
        y = plane("Y")
        planes = [y, y, y]
        if "RY" in layer.channels and "BY" in layer.channels:
            size = (y.shape[1], y.shape[0])
            red, blue = (cv2.resize(plane(c), size, interpolation=cv2.INTER_LINEAR) for c in ("RY", "BY"))
            r, b = (red + 1) * y, (blue + 1) * y
            planes = [r, (y - WEIGHTS[0] * r - WEIGHTS[2] * b) / WEIGHTS[1], b]
    if "A" in layer.channels:
        planes.append(plane("A"))
    return np.stack(planes, axis=-1)


def _placed(pixels: NDArray[np.float32], data: Any, display: Any, notes: list[str]) -> NDArray[np.float32]:
    """The data in the window that is to be seen: what lies outside is cut, what is missing is clear."""
    x0, y0, x1, y1 = _box(data)
    u0, v0, u1, v1 = _box(display)
    if (x0, y0, x1, y1) == (u0, v0, u1, v1):
        return pixels
    if pixels.shape[2] == 3:
        pixels = np.concatenate([pixels, np.ones_like(pixels[..., :1])], axis=-1)
    out = np.zeros((v1 - v0, u1 - u0, 4), np.float32)
    left, top, right, bottom = max(x0, u0), max(y0, v0), min(x1, u1), min(y1, v1)
    covered = 0.0
    if left < right and top < bottom:
        out[top - v0 : bottom - v0, left - u0 : right - u0] = pixels[top - y0 : bottom - y0, left - x0 : right - x0]
        covered = (right - left) * (bottom - top) / ((u1 - u0) * (v1 - v0))
    if covered < 1:
        notes.append(f"Its data cover {100 * covered:.0f} % of the picture; the rest is clear.")
        return out
    return out if (out[..., 3] != 1).any() else out[..., :3]


def _size(window: Any) -> tuple[int, int]:
    x0, y0, x1, y1 = _box(window)
    return x1 - x0, y1 - y0


def _file(data: bytes, name: str, header_only: bool) -> Any:
    try:
        return OpenEXR.File(io.BytesIO(data), separate_channels=True, header_only=header_only)
    except Exception:  # the binding raises bare exceptions for damaged files
        raise FormatError(f"{name} is damaged or cut short: it begins like an EXR file.") from None


def decode(data: bytes, name: str) -> Decoded:
    """The layer of an EXR file that holds its picture, in linear light."""
    head = _file(data, name, header_only=True)
    for part in head.parts:
        guard(*_size(part.header["dataWindow"]), 4 * max(1, len(part.header["channels"])), name)
    layers = _layers(head.parts)
    layer = _best(layers, name)
    guard(*_size(head.parts[layer.part].header["displayWindow"]), 16, name)
    part = _file(data, name, header_only=False).parts[layer.part]
    header = part.header
    notes: list[str] = []
    others = [x.name or "without a name" for x in layers if x.kind and x is not layer]
    if others:
        shown = layer.name or "without a name"
        notes.append(f"Of {len(others) + 1} layers “{shown}” is read; others: {', '.join(others[:6])}.")
    if layer.kind == "luminance" and "RY" not in layer.channels:
        notes.append("It holds luminance only.")
    pixels = _placed(_picture(part, layer), header["dataWindow"], header["displayWindow"], notes)
    given = header.get("chromaticities")
    conversion = None
    if given is not None:
        flat = [float(v) for v in np.asarray(given).ravel()]
        matrix = to_srgb_primaries((*flat[6:8], *flat[:6]))
        if matrix is not None:
            conversion = Conversion("primaries of its own", by_matrix(matrix, lambda v: v))
    clear = pixels.shape[2] == 4 and bool((pixels[..., 3] < 1).any())
    if pixels.shape[2] == 4 and not clear:
        pixels = pixels[..., :3]
    return Decoded(pixels, PhotoFacts(bits=32), notes, conversion, premultiplied=clear)
