"""Drawings and videos where a picture is wanted: what is drawn, at what size, and what is refused."""

from __future__ import annotations

import io

import av
import numpy as np
import pytest
from PIL import Image

from roofline.errors import FormatError
from roofline.formats.pictures import png
from roofline.formats.stills import DRAWN, as_stills, still

DISC = (
    '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 40 20">{}<circle cx="10" cy="10" r="8" fill="#c03040"/></svg>'
)


def opened(data: bytes) -> np.ndarray:
    return np.asarray(Image.open(io.BytesIO(data)))


def film(*frames: np.ndarray) -> bytes:
    held = io.BytesIO()
    with av.open(held, "w", format="mp4") as video:
        stream = video.add_stream("libx264", rate=24)
        stream.width, stream.height, stream.pix_fmt = frames[0].shape[1], frames[0].shape[0], "yuv444p"
        stream.options = {"crf": "1"}
        for frame in frames:
            video.mux(stream.encode(av.VideoFrame.from_ndarray(frame, format="rgb24")))
        video.mux(stream.encode(None))
    return held.getvalue()


@pytest.mark.slow
def test_a_drawing_is_drawn_sharp_with_its_alpha():
    name, data, said = still("Disc.svg", DISC.format("").encode())
    pixels = opened(data)
    assert (name, said) == ("Disc.png", None)
    assert pixels.shape == (DRAWN // 2, DRAWN, 4)
    # the share that the disc covers, and its colour
    assert (pixels[..., 3] / 255).mean() == pytest.approx(np.pi * 64 / 800, rel=1e-3)
    assert tuple(pixels[DRAWN // 4, DRAWN // 4]) == (0xC0, 0x30, 0x40, 255)


def test_drawings_take_the_size_of_pictures_beside_them():
    files = [("a.svg", DISC.format("").encode()), ("b.png", png(np.zeros((100, 300, 4), np.uint8)))]
    made, said = as_stills(files)
    assert opened(made[0][1]).shape == (150, 300, 4) and made[1] == files[1] and not said


@pytest.mark.slow
def test_a_drawing_reads_nothing_beside_itself(tmp_path):
    (tmp_path / "secret.png").write_bytes(png(np.full((20, 40, 3), 255, np.uint8)))
    inside = f'<image href="{tmp_path}/secret.png" width="40" height="20"/>'
    _, data, _ = still("x.svg", DISC.format(inside).encode())
    assert opened(data)[10, 2000, 3] == 0


@pytest.mark.parametrize(
    "data",
    [b"<svg", b"<svg xmlns='http://www.w3.org/2000/svg'><g>", b"\xff\xfe<svg", b"<!DOCTYPE x [<!ENTITY a 'b'>]><svg/>"],
)
def test_broken_drawings_are_refused_in_words(data):
    with pytest.raises(FormatError, match=r"broken\.svg"):
        still("broken.svg", data)


def test_a_video_gives_its_first_frame():
    rng = np.random.default_rng(0)
    first = np.repeat(np.repeat(rng.integers(30, 220, (6, 8, 3)), 16, 0), 16, 1).astype(np.uint8)
    name, data, said = still("Rain.mp4", film(first, 255 - first))
    assert name == "Rain.png" and "first frame" in said
    assert np.abs(opened(data).astype(int) - first).mean() < 3


def test_videos_without_pictures_are_refused():
    held = io.BytesIO()
    with av.open(held, "w", format="mp4") as video:
        stream = video.add_stream("aac", rate=48000)
        sound = av.AudioFrame.from_ndarray(np.zeros((1, 2048), np.float32), format="fltp", layout="mono")
        sound.sample_rate = 48000
        video.mux(stream.encode(sound))
        video.mux(stream.encode(None))
    with pytest.raises(FormatError, match="without pictures"):
        still("Sound.mp4", held.getvalue())
    with pytest.raises(FormatError, match="no video"):
        still("Cut.mp4", film(np.zeros((32, 32, 3), np.uint8))[:200])
