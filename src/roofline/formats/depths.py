"""Depth pictures out: metres in a 32-bit OpenEXR file, or spread over 16 bits of a PNG."""

from __future__ import annotations

import io
import tempfile
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image, PngImagePlugin

from roofline.errors import FormatError

FORMS = ("exr", "png")


def encode(depth: NDArray[np.float32], form: str, near: float | None = None, far: float | None = None) -> bytes:
    """A depth picture (H, W) in metres, infinite where there is nothing, as a file's bytes.

    ``exr``: one channel Z of 32-bit floats, metres, infinite where nothing is. ``png``: 16 bits, 0 at `near` and
    65534 at `far` (the nearest and farthest depths unless given), 65535 where nothing is; both are written beside it
    as text.
    """
    if form not in FORMS:
        raise FormatError(f"Depth is written as exr or png; not as '{form}'.")
    if form == "exr":
        import OpenEXR

        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "depth.exr"
            header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
            OpenEXR.File(header, {"Z": np.ascontiguousarray(depth, dtype=np.float32)}).write(str(path))
            return path.read_bytes()
    there = np.isfinite(depth)
    low = float(depth[there].min()) if near is None and there.any() else float(near or 0.0)
    high = float(depth[there].max()) if far is None and there.any() else float(far or 1.0)
    span = max(high - low, 1e-9)
    levels = np.full(depth.shape, 65535, dtype=np.uint16)
    levels[there] = np.clip(np.rint((depth[there] - low) / span * 65534), 0, 65534).astype(np.uint16)
    facts = PngImagePlugin.PngInfo()
    facts.add_text("Comment", f"depth in metres = {low:.6f} + {span:.6f} * value / 65534; 65535: nothing there")
    facts.add_text("near_m", f"{low:.6f}")
    facts.add_text("far_m", f"{high:.6f}")
    out = io.BytesIO()
    Image.fromarray(levels).save(out, "PNG", pnginfo=facts)
    return out.getvalue()
