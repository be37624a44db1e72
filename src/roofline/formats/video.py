"""Video out, by PyAV: every file says its primaries, transfer, matrix and range."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path
from typing import Any, NamedTuple

import av
import numpy as np
from numpy.typing import NDArray

from roofline.formats.pictures import to_display


class Coding(NamedTuple):
    """How a video is written: its file's suffix, encoder, pixels, and the encoder's own options."""

    suffix: str
    codec: str
    pixels: str
    options: dict[str, str]


# the same frames give the same bytes, whoever encodes them: x264's macroblock tree does not, with small pictures at
# least, nor does SVT-AV1 on several processors
CODINGS = {
    "mp4": Coding("mp4", "libx264", "yuv420p", {"crf": "16", "preset": "medium", "x264-params": "mbtree=0"}),
    "webm": Coding(
        "webm", "libvpx-vp9", "yuv420p", {"crf": "22", "b": "0", "deadline": "good", "cpu-used": "5", "row-mt": "1"}
    ),
    "av1": Coding("mp4", "libsvtav1", "yuv420p10le", {"crf": "22", "preset": "8", "svtav1-params": "lp=1"}),
    "ffv1": Coding("mkv", "ffv1", "bgr0", {"level": "3", "slicecrc": "1"}),
}
BT709, SRGB_CURVE, LIMITED, FULL, RGB = 1, 13, 1, 2, 0  # ITU-T H.273: primaries and matrix, transfer, range


def rate_of(fps: float) -> Fraction:
    """Frames a second as broadcast means them: 23.976 and 29.97 are 24000/1001 and 30000/1001."""
    for whole in (24, 30, 48, 60, 120):
        if abs(fps - whole * 1000 / 1001) < 0.005:
            return Fraction(whole * 1000, 1001)
    return Fraction(fps).limit_denominator(1001)


def even_size(form: str, width: int, height: int) -> tuple[int, int]:
    """The size that a video of a size will have: where colour is halved, its last row or column is repeated."""
    halved = CODINGS[form].pixels.startswith("yuv420")
    return (width + width % 2, height + height % 2) if halved else (width, height)


class VideoFile:
    """Writes frames of premultiplied linear RGBA over black, as display values with sRGB's curve."""

    def __init__(self, path: Path, form: str, width: int, height: int, fps: float):
        self.coding = CODINGS[form]
        options = {"fflags": "bitexact"}  # without a name by chance and the hour of writing
        if self.coding.suffix == "mp4":
            options["movflags"] = "+faststart"
        self.container = av.open(str(path), "w", format=None, options=options)
        stream: Any = self.container.add_stream(self.coding.codec, rate=rate_of(fps), options=self.coding.options)
        self.stream = stream
        self.stream.width, self.stream.height = even_size(form, width, height)
        self.stream.pix_fmt = self.coding.pixels
        context = self.stream.codec_context
        coloured = self.coding.pixels.startswith("yuv")
        context.color_primaries, context.color_trc = BT709, SRGB_CURVE
        context.color_range = LIMITED if coloured else FULL
        context.colorspace = BT709 if coloured else RGB

    def add(self, linear: NDArray[np.float32]) -> None:
        rgb = (to_display(linear[..., :3]) * 255 + 0.5).astype(np.uint8)
        rgb = np.pad(
            rgb, ((0, self.stream.height - rgb.shape[0]), (0, self.stream.width - rgb.shape[1]), (0, 0)), "edge"
        )
        frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(rgb), format="rgb24")
        if self.coding.pixels.startswith("yuv"):
            frame = frame.reformat(format=self.coding.pixels, dst_colorspace="ITU709")
        else:
            frame = frame.reformat(format=self.coding.pixels)
        frame.color_primaries, frame.color_trc = BT709, SRGB_CURVE
        for packet in self.stream.encode(frame):
            self.container.mux(packet)

    def close(self) -> None:
        for packet in self.stream.encode():
            self.container.mux(packet)
        self.container.close()
