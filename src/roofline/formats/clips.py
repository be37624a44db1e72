"""Videos in, by PyAV: what they have, and any one of their pictures."""

from __future__ import annotations

import io
import threading
from bisect import bisect_right
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any

import av
import numpy as np
from av.video.reformatter import ColorRange, Colorspace
from numpy.typing import NDArray

from roofline.errors import FormatError
from roofline.formats.decoded import guard

WITH_ALPHA = {"rgba", "bgra", "argb", "abgr", "ya8", "gbrap", "rgba64le", "rgba64be", "pal8"}
UNSAID = 2  # ITU-T H.273
HIGH = 720  # rows from which a video that does not say its colours is taken to be BT.709, as is the custom


@contextmanager
def _told(name: str) -> Iterator[None]:
    """What a video's reader raises, in a sentence."""
    try:
        yield
    except (av.FFmpegError, ValueError, IndexError) as error:
        raise FormatError(f"{name} is no video that can be read: {error}.") from None


@dataclass
class Clip:
    """A video's pictures by number, from 0.

    Pictures that follow each other are decoded in a row; any other one begins at the key picture before it.
    """

    data: bytes
    name: str
    times: NDArray[np.float64]  # (N,) seconds after the first
    stamps: list[int]  # (N,) in the stream's own unit, rising
    size: tuple[int, int]
    alpha: bool
    rate: float  # pictures a second, on the average
    steady: bool  # whether they come at that rate, but for rounded times
    unit: float = 1e-6  # seconds, that times are whole numbers of: some files round them to a thousandth
    _lock: Any = field(default_factory=threading.Lock, repr=False)
    _going: Any = field(default=None, repr=False)  # the number that comes next, and the frames from there on

    def __len__(self) -> int:
        return len(self.stamps)

    def at(self, seconds: float, rate: float | None = None) -> int:
        """The number of the picture that stands at a time, which may lie before the first or after the last.

        ``rate``: pictures a second, in the place of the file's own times.
        """
        if rate is not None or self.steady:
            return int(np.floor(seconds * (rate or self.rate) + 1e-6))
        whole = float(self.times[-1]) + 1 / self.rate
        rounds, rest = divmod(seconds + min(self.unit, 0.1 / self.rate) + 1e-6, whole)
        return int(rounds) * len(self) + bisect_right(self.times, rest) - 1

    def picture(self, number: int) -> NDArray[np.uint8]:
        """Stored pixels (H, W, 3 or 4) of a picture: display values. Raises FormatError where it cannot be decoded."""
        with self._lock, _told(self.name):
            if self._going is None or self._going[0] != number:
                self._going = number, self._from(number)
            for frame in self._going[1]:
                if frame.pts == self.stamps[number]:
                    self._going = number + 1, self._going[1]
                    return _pixels(frame, self.alpha)
            self._going = None
        raise FormatError(f"Picture {number + 1} of {self.name} cannot be decoded; the file is damaged.")

    def _from(self, number: int) -> Iterator[Any]:
        """Frames from the key picture before a number on; the file is closed with the iterator."""
        with av.open(io.BytesIO(self.data), "r") as file:
            stream = file.streams.video[0]
            stream.thread_type = "AUTO"
            if number:
                file.seek(self.stamps[number], stream=stream)
            yield from file.decode(stream)


def _pixels(frame: Any, alpha: bool) -> NDArray[np.uint8]:
    """A decoded frame's display values, the way up that its file says."""
    form, space = "rgba" if alpha else "rgb24", int(frame.colorspace)
    if not frame.format.is_rgb:
        if space == UNSAID:
            space = int(Colorspace.ITU709 if frame.height >= HIGH else Colorspace.ITU601)
        full = frame.color_range == ColorRange.JPEG or frame.format.name.startswith("yuvj")
        ranges = {"src_color_range": ColorRange.JPEG if full else ColorRange.MPEG, "dst_color_range": ColorRange.JPEG}
        frame = frame.reformat(format=form, src_colorspace=space, **ranges)
    pixels = frame.to_ndarray(format=form)
    turns = round((getattr(frame, "rotation", 0) or 0) / 90) % 4
    return np.ascontiguousarray(np.rot90(pixels, turns))


def _rate(times: NDArray[np.float64], said: float, unit: float) -> tuple[bool, float]:
    """Whether pictures come at the rate that their file says, to its unit of time; and their rate."""
    if np.abs(times - np.arange(len(times)) / said).max() <= unit:
        return True, said
    return False, (len(times) - 1) / float(times[-1]) if times[-1] > 0 else said


def clip_of(data: bytes, name: str) -> Clip:
    """A video, opened: its first picture is decoded, its times are read. Raises FormatError."""
    with _told(name), av.open(io.BytesIO(data), "r") as file:
        if not file.streams.video:
            raise FormatError(f"{name} is a video without pictures.")
        stream = file.streams.video[0]
        guard(stream.codec_context.width, stream.codec_context.height, 1, name)
        found = {p.pts if p.pts is not None else p.dts for p in file.demux(stream) if p.size}
        stamps = sorted(s for s in found if s is not None)
        unit, rate = stream.time_base or Fraction(1, 1000), stream.average_rate
    if not stamps:
        raise FormatError(f"{name} is a video without pictures.")
    times = np.array([float((s - stamps[0]) * unit) for s in stamps])
    steady, mean = _rate(times, float(rate or 25), float(unit))
    clip = Clip(data, name, times, stamps, (1, 1), False, mean, steady, float(unit))
    with _told(name):
        first = next(clip._from(0), None)
    if first is None:
        raise FormatError(f"{name} is a video without pictures.")
    clip.alpha = first.format.name in WITH_ALPHA or first.format.name.startswith("yuva")
    pixels = _pixels(first, clip.alpha)
    clip.size = pixels.shape[1], pixels.shape[0]
    return clip
