"""Plates as files for other programs: straight alpha; PNG and TIFF 16 bit display values, OpenEXR linear."""

from __future__ import annotations

import os
from pathlib import Path

import numpy as np
import OpenEXR
import tifffile
from numpy.typing import NDArray

from roofline.core.plates.worked import Worked
from roofline.errors import FormatError
from roofline.formats.colour import to_display
from roofline.formats.pictures import png

FORMS = (".png", ".tif", ".tiff", ".exr")


def sixteen(pixels: NDArray) -> NDArray[np.uint16]:
    """Stored pixels as 16 bit display values; those of 16 bit as they are."""
    if pixels.dtype == np.uint16:
        return pixels
    if pixels.dtype == np.uint8:
        return pixels.astype(np.uint16) * 257
    return (to_display(pixels) * 65535 + 0.5).astype(np.uint16)


def _exr(path: Path, worked: Worked, matte: bool) -> None:
    """Single floats: nothing that the steps have worked out is rounded."""
    linear = worked.linear
    channels = {"Y": worked.full_matte} if matte else {c: linear[..., i] for i, c in enumerate("RGB")}
    if not matte and worked.matte is not None:
        channels["A"] = worked.matte
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    with OpenEXR.File(header, {k: np.ascontiguousarray(v) for k, v in channels.items()}) as file:
        file.write(str(path))


def write_plate(worked: Worked, out: Path, matte: bool) -> None:
    """Write a plate on its whole canvas, or its matte alone; written under a part name, so that it is whole or not
    there."""
    form = out.suffix.lower()
    if form not in FORMS:
        raise FormatError(f"Plates are written as {', '.join(FORMS)}; not as '{out.suffix or out.name}'.")
    part = out.with_name(f".{out.stem}.part{out.suffix}")
    grey = (worked.full_matte * 65535 + 0.5).astype(np.uint16)
    try:
        if form == ".exr":
            _exr(part, worked, matte)
        else:
            pixels = sixteen(worked.pixels)
            whole = grey if matte else pixels if worked.matte is None else np.dstack([pixels, grey])
            if form == ".png":
                part.write_bytes(png(whole))
            else:
                kind, clear = "minisblack" if matte else "rgb", not matte and worked.matte is not None
                more = ["unassalpha"] if clear else None
                tifffile.imwrite(part, whole, photometric=kind, compression="zlib", extrasamples=more)
        os.replace(part, out)
    except BaseException:
        part.unlink(missing_ok=True)
        raise
