"""Frames out: PNG, TIFF and OpenEXR that say what their numbers mean, the same channels in each of a sequence."""

from __future__ import annotations

import json
import struct
import zlib
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np
import OpenEXR
import tifffile
from numpy.typing import NDArray
from PIL import ImageCms

from roofline.formats.colour import SRGB_XY, to_display
from roofline.formats.pictures import png

#: how frames are written, and the suffix of their files
FORMS = {"png": "png", "png16": "png", "tiff": "tif", "exr": "exr"}
PIECES = "pieces"  # the part of an exr that tells pieces apart, and its attribute that names them
NOWHERE = np.float32(np.inf)


@dataclass(frozen=True)
class Pieces:
    """Which piece is seen at each pixel's centre: (H, W) uint32, 0 where there is none, n for ``names[n − 1]``.

    In an exr it is the channel ``piece`` (UINT) of the part ``pieces``; the attribute ``pieces`` of that part is JSON,
    names by number.
    """

    numbers: NDArray[np.uint32]
    names: list[str]


def _chunk(name: bytes, body: bytes) -> bytes:
    return struct.pack(">I", len(body)) + name + body + struct.pack(">I", zlib.crc32(name + body))


#: sRGB, and for readers that do not know the word, its gamma and primaries (W3C PNG 11.3.2.5)
PNG_SAYS = (
    _chunk(b"sRGB", b"\0")
    + _chunk(b"gAMA", struct.pack(">I", 45_455))
    + _chunk(b"cHRM", struct.pack(">8I", *[round(v * 100_000) for v in SRGB_XY]))
)
HEAD = 33  # bytes of a PNG's signature and IHDR


@lru_cache(maxsize=1)
def srgb_profile() -> bytes:
    """An ICC profile of sRGB, the same bytes at any hour: the library writes down when it was made."""
    made = bytearray(ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes())
    made[24:36] = struct.pack(">6H", 2026, 1, 1, 0, 0, 0)
    made[84:100] = bytes(16)
    return bytes(made)


def straight_display(linear: NDArray[np.float32], alpha: bool) -> NDArray[np.float32]:
    """Premultiplied linear RGBA → display values 0…1, with straight alpha, or over black without it."""
    if not alpha:
        return to_display(linear[..., :3])
    cover = linear[..., 3:]
    colour = to_display(linear[..., :3] / np.maximum(cover, 1e-6))
    return np.concatenate([colour, np.clip(cover, 0, 1)], axis=-1)


def save_frame(
    path: Path,
    linear: NDArray[np.float32],
    form: str,
    alpha: bool = True,
    depth: NDArray[np.float32] | None = None,
    pieces: Pieces | None = None,
) -> None:
    """Write a premultiplied linear RGBA picture (H, W, 4) as png (8 bit), png16, tiff (16 bit) or exr (half float).

    png and tiff hold display values and straight alpha; exr holds linear, premultiplied values as is customary there.
    ``alpha``: whether there is an alpha channel, in every frame alike; without it, the picture lies over black.
    ``depth``: (H, W) metres, infinite where nothing is: the channel Z of an exr, 32 bit.
    ``pieces``: which piece is seen at each pixel's centre: a further part of an exr, see `Pieces`.
    """
    if form == "exr":
        _exr(path, linear, alpha, depth, pieces)
        return
    values = straight_display(linear, alpha)
    if form == "tiff":
        tifffile.imwrite(
            path,
            (values * 65535 + 0.5).astype(np.uint16),
            photometric="rgb",
            compression="zlib",
            extrasamples=["unassalpha"] if alpha else None,
            iccprofile=srgb_profile(),
        )
        return
    top, kind = (65535, np.uint16) if form == "png16" else (255, np.uint8)
    data = png((values * top + 0.5).astype(kind))
    path.write_bytes(data[:HEAD] + PNG_SAYS + data[HEAD:])


def _exr(
    path: Path,
    linear: NDArray[np.float32],
    alpha: bool,
    depth: NDArray[np.float32] | None,
    pieces: Pieces | None,
) -> None:
    wx, wy, *corners = SRGB_XY
    header = {
        "compression": OpenEXR.ZIP_COMPRESSION,
        "type": OpenEXR.scanlineimage,
        "chromaticities": (*corners, wx, wy),
    }
    whole = np.ascontiguousarray(linear[..., : 4 if alpha else 3].astype(np.float16))
    channels = {"RGBA" if alpha else "RGB": whole}
    if depth is not None:
        channels["Z"] = np.ascontiguousarray(depth, dtype=np.float32)
    if pieces is None:
        OpenEXR.File(header, channels).write(str(path))
        return
    names = {str(n): name for n, name in enumerate(pieces.names, 1)}
    telling = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage, PIECES: json.dumps(names)}
    numbers = {"piece": np.ascontiguousarray(pieces.numbers, dtype=np.uint32)}
    parts = [OpenEXR.Part(header, channels, "picture"), OpenEXR.Part(telling, numbers, PIECES)]
    OpenEXR.File(parts).write(str(path))
