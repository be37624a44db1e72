"""Video out, by PyAV."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

from roofline.formats.pictures import to_display

# the same frames give the same bytes, whoever encodes them: x264's macroblock tree does not, with small pictures at
# least
CODECS = {
    "mp4": ("libx264", {"crf": "16", "preset": "medium", "x264-params": "mbtree=0"}),
    "webm": ("libvpx-vp9", {"crf": "22", "b": "0", "deadline": "good", "cpu-used": "5", "row-mt": "1"}),
}


class VideoFile:
    """Writes frames of premultiplied linear RGBA over black.

    Sizes are made even by repeating the last row or column.
    """

    def __init__(self, path: Path, form: str, width: int, height: int, fps: float):
        codec, options = CODECS[form]
        # without a name by chance and the hour of writing: the same frames give the same bytes
        self.container = av.open(str(path), "w", options={"fflags": "bitexact"})
        stream: Any = self.container.add_stream(codec, rate=Fraction(fps).limit_denominator(1001), options=options)
        self.stream = stream
        self.stream.width, self.stream.height = width + width % 2, height + height % 2
        self.stream.pix_fmt = "yuv420p"
        self.stream.codec_context.color_range = 1
        self.stream.codec_context.colorspace = 1

    def add(self, linear: NDArray[np.float32]) -> None:
        rgb = (to_display(linear[..., :3]) * 255 + 0.5).astype(np.uint8)
        rgb = np.pad(
            rgb, ((0, self.stream.height - rgb.shape[0]), (0, self.stream.width - rgb.shape[1]), (0, 0)), "edge"
        )
        frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(rgb), format="rgb24")
        frame = frame.reformat(format="yuv420p", dst_colorspace="ITU709")
        for packet in self.stream.encode(frame):
            self.container.mux(packet)

    def close(self) -> None:
        for packet in self.stream.encode():
            self.container.mux(packet)
        self.container.close()
