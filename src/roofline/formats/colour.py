"""What the numbers of a picture mean: colour profiles, primaries and gamma, brought to sRGB's primaries.

Eight-bit pictures become sRGB (IEC 61966-2-1) by LittleCMS, relative to white. Deeper ones become linear light in
float32 by their profile's own matrix and curves (ICC.1:2022, 8.3 and F.3), so that colours outside of sRGB are kept, as
values below 0 or above 1.
"""

from __future__ import annotations

import io
import struct
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageCms

from roofline.core.light import D65, SRGB_TO_XYZ
from roofline.core.light import to_display as to_display
from roofline.core.light import to_linear as to_linear

#: D50 → D65 by Bradford (ICC.1:2022, annex E)
BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])
D50 = np.array([0.9642, 1.0, 0.8249])
SRGB_XY = (0.3127, 0.329, 0.64, 0.33, 0.3, 0.6, 0.15, 0.06)
ROWS = 4_000_000  # pixels converted at once
SAME = 2  # of 255: a profile that changes less than this is sRGB


@dataclass
class Conversion:
    """How stored values become ours. ``turn``: (H, W, C) as stored → (H, W, 3) uint8 display or float32 linear."""

    says: str
    turn: Callable[[NDArray], NDArray]


def adapted(white: NDArray, to: NDArray = D65) -> NDArray[np.float64]:
    """(3, 3) from XYZ as seen under one white to XYZ under another (Bradford)."""
    scale = np.diag((BRADFORD @ to) / (BRADFORD @ white))
    return np.linalg.inv(BRADFORD) @ scale @ BRADFORD


def xyz_of(chromaticities: tuple[float, ...]) -> NDArray[np.float64]:
    """(3, 3) RGB → XYZ for white, red, green and blue given as x, y each (SMPTE RP 177)."""
    wx, wy, *rest = chromaticities
    corners = np.array([[x / y, 1.0, (1 - x - y) / y] for x, y in zip(rest[::2], rest[1::2], strict=True)]).T
    white = np.array([wx / wy, 1.0, (1 - wx - wy) / wy])
    return corners * np.linalg.solve(corners, white)


def to_srgb_primaries(chromaticities: tuple[float, ...]) -> NDArray[np.float64] | None:
    """(3, 3) linear RGB of other primaries → of sRGB; None when they are sRGB's."""
    if np.allclose(chromaticities, SRGB_XY, atol=2e-3):
        return None
    m = xyz_of(chromaticities)
    return np.linalg.inv(SRGB_TO_XYZ) @ adapted(m.sum(axis=1)) @ m


def by_matrix(matrix: NDArray | None, decode: Callable[[NDArray], NDArray]) -> Callable[[NDArray], NDArray]:
    """Stored values through curves and a matrix: to display values in 8 bit, where that is what they had."""

    def band(pixels: NDArray) -> NDArray:
        linear = decode(pixels[..., :3])
        if matrix is not None:
            linear = linear @ matrix.T.astype(np.float32)
        return to_display(linear) * 255 + 0.5 if pixels.dtype == np.uint8 else linear

    return lambda pixels: _by_bands(pixels, np.uint8 if pixels.dtype == np.uint8 else np.float32, band)


def _by_bands(pixels: NDArray, kind: type, turn: Callable[[NDArray], NDArray]) -> NDArray:
    """A picture turned a band of rows at a time, so that little is held besides it."""
    out: NDArray = np.empty(pixels.shape[:2] + (3,), kind)
    step = max(1, ROWS // max(1, pixels.shape[1]))
    for y in range(0, len(pixels), step):
        out[y : y + step] = turn(pixels[y : y + step])
    return out


def of_gamma(gamma: float | None, chromaticities: tuple[float, ...] | None) -> Conversion | None:
    """A PNG's gAMA and cHRM (W3C PNG 11.3.2); None where they say sRGB."""
    matrix = to_srgb_primaries(chromaticities) if chromaticities else None
    plain = gamma is None or abs(gamma - 1 / 2.2) < 0.01
    if matrix is None and plain:
        return None

    def decode(pixels: NDArray) -> NDArray[np.float32]:
        if plain:
            return to_linear(pixels)
        top = np.iinfo(pixels.dtype).max
        table = (np.arange(top + 1) / top) ** (1 / float(gamma or 1))
        return table.astype(np.float32)[pixels]

    what = [] if plain else [f"gamma {gamma:.3f}"]
    return Conversion(
        " and ".join([*what, *(["primaries of its own"] if matrix is not None else [])]), by_matrix(matrix, decode)
    )


def _tags(profile: bytes) -> dict[bytes, bytes]:
    count = struct.unpack_from(">I", profile, 128)[0]
    if count > 200:
        raise ValueError("too many tags")
    tags = {}
    for i in range(count):
        name, offset, size = struct.unpack_from(">4sII", profile, 132 + 12 * i)
        tags[name] = profile[offset : offset + size]
    return tags


def _curve(tag: bytes) -> Callable[[NDArray], NDArray]:
    """A tone curve of a profile (ICC.1:2022, 10.6 and 10.18): 0…1 → linear 0…1."""
    if tag[:4] == b"curv":
        count = struct.unpack_from(">I", tag, 8)[0]
        values = np.frombuffer(tag, ">u2", count, 12)
        if count == 0:
            return lambda v: v
        if count == 1:
            exponent = values[0] / 256
            return lambda v: np.sign(v) * np.abs(v) ** exponent
        return lambda v: np.interp(v, np.linspace(0, 1, count), values / 65535)
    if tag[:4] != b"para":
        raise ValueError("no tone curve")
    kind = struct.unpack_from(">H", tag, 8)[0]
    g, a, b, c, d, e, f = ([x / 65536 for x in struct.unpack_from(f">{[1, 3, 4, 5, 7][kind]}i", tag, 12)] + [0.0] * 6)[
        :7
    ]
    if kind == 0:
        return lambda v: np.sign(v) * np.abs(v) ** g
    if kind < 3:  # no straight part: constant, and 0 below where the power begins
        return lambda v: np.where(v >= -b / a, np.maximum(a * v + b, 0) ** g, 0) + (c if kind == 2 else 0)
    return lambda v: np.where(v >= d, np.maximum(a * v + b, 0) ** g + e, c * v + f)


def _deep(profile: bytes) -> Callable[[NDArray], NDArray] | None:
    """For 16-bit and float pictures: by the profile's matrix and curves; None when it has none."""
    tags = _tags(profile)
    try:
        columns = [np.array(struct.unpack_from(">3i", tags[c], 8)) / 65536 for c in (b"rXYZ", b"gXYZ", b"bXYZ")]
        curves = [_curve(tags[c]) for c in (b"rTRC", b"gTRC", b"bTRC")]
    except (KeyError, ValueError, IndexError, struct.error):
        return None
    matrix = np.linalg.inv(SRGB_TO_XYZ) @ adapted(D50) @ np.array(columns).T

    def decode(pixels: NDArray) -> NDArray[np.float32]:
        if pixels.dtype == np.float32:
            return np.stack([curve(pixels[..., i]) for i, curve in enumerate(curves)], axis=-1).astype(np.float32)
        v = np.arange(65536) / 65535
        tables = [np.asarray(curve(v), np.float32) for curve in curves]
        return np.stack([table[pixels[..., i]] for i, table in enumerate(tables)], axis=-1)

    return by_matrix(matrix, decode)


def of_profile(profile: bytes, mode: str, deep: bool) -> Conversion | None:
    """What an embedded ICC profile asks for. ``mode``: as Pillow's, of 8-bit values (L, RGB, CMYK, LAB); ``deep``:
    whether the values are 16 bit or float. None when it is sRGB. Raises ValueError for one that cannot be used."""
    try:
        source = ImageCms.ImageCmsProfile(io.BytesIO(profile))
        name = (ImageCms.getProfileDescription(source) or "").strip()[:80] or "a profile of its own"
        transform = ImageCms.buildTransform(
            source, ImageCms.createProfile("sRGB"), mode, "RGB", ImageCms.Intent.RELATIVE_COLORIMETRIC
        )
    except (ImageCms.PyCMSError, OSError, TypeError) as error:
        raise ValueError("a damaged colour profile") from error

    def band(pixels: NDArray) -> NDArray[np.uint8]:
        scale = {np.dtype(np.uint8): 1.0, np.dtype(np.uint16): 1 / 257}.get(pixels.dtype, 255.0)
        shallow = pixels if scale == 1 else np.clip(pixels * scale + 0.5, 0, 255).astype(np.uint8)
        image = Image.frombytes(mode, (pixels.shape[1], pixels.shape[0]), np.ascontiguousarray(shallow).tobytes())
        turned = ImageCms.applyTransform(image, transform)
        assert turned is not None
        return np.asarray(turned)

    def eight(pixels: NDArray) -> NDArray[np.uint8]:
        return _by_bands(pixels, np.uint8, band)

    if mode == "RGB":
        steps = np.arange(0, 256, 51, dtype=np.uint8)
        patches = np.stack(np.meshgrid(steps, steps, steps), axis=-1).reshape(1, -1, 3)
        if np.abs(eight(patches).astype(int) - patches).max() <= SAME:
            return None
    if not deep:
        return Conversion(name, eight)
    exact = _deep(profile) if mode == "RGB" else None
    return Conversion(name, exact) if exact else Conversion(f"{name}, in 8 bit", eight)


def asked_for(profile: bytes, mode: str, deep: bool, notes: list[str]) -> Conversion | None:
    """As `of_profile`; one that cannot be used is left aside, and that is noted."""
    try:
        return of_profile(profile, mode, deep)
    except ValueError as error:
        notes.append(f"It carries {error}, which is left aside.")
        return None


def from_lab(lab: NDArray[np.float32]) -> NDArray[np.float32]:
    """CIE L*a*b* for D50 (H, W, 3) → linear light with sRGB's primaries (CIE 15:2004)."""
    fy = (lab[..., 0] + 16) / 116
    f = np.stack([fy + lab[..., 1] / 500, fy, fy - lab[..., 2] / 200], axis=-1)
    xyz = np.where(f > 6 / 29, f**3, 3 * (6 / 29) ** 2 * (f - 4 / 29)) * D50
    return (xyz @ (np.linalg.inv(SRGB_TO_XYZ) @ adapted(D50)).T).astype(np.float32)
