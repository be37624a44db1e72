"""Videos read: every picture by its number, in any order, and by its time; what is no video is said."""

from __future__ import annotations

import io
from fractions import Fraction

import av
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from roofline.errors import FormatError
from roofline.formats.clips import clip_of
from roofline.model.plates import CLEAR, Video

COUNT, W, H = 20, 64, 48


def pictures(count: int = COUNT) -> list[np.ndarray]:
    """Pictures that are told apart by their colour, and halves by which way up they are."""
    out = []
    for n in range(count):
        p = np.zeros((H, W, 3), np.uint8)
        p[:] = (10 * n + 20, 128, 230 - 10 * n)
        p[: H // 2, : W // 2] //= 2
        out.append(p)
    return out


def film(codec="ffv1", form="bgr0", shape="matroska", rate=Fraction(24), frames=None, stamps=None) -> bytes:
    out = io.BytesIO()
    with av.open(out, "w", format=shape) as file:
        stream = file.add_stream(codec, rate=rate, options={"g": "6"})
        frames = frames or pictures()
        (stream.height, stream.width), stream.pix_fmt = frames[0].shape[:2], form
        if stamps:
            stream.codec_context.time_base = Fraction(1, 1000)
        for n, p in enumerate(frames):
            frame = av.VideoFrame.from_ndarray(p, format="rgba" if p.shape[2] == 4 else "rgb24").reformat(format=form)
            if stamps:
                frame.pts, frame.time_base = stamps[n], Fraction(1, 1000)
            file.mux(stream.encode(frame))
        file.mux(stream.encode())
    return out.getvalue()


@pytest.fixture(scope="module")
def lossless():
    return clip_of(film(), "film.mkv")


@pytest.mark.slow
@given(order=st.lists(st.integers(0, COUNT - 1), min_size=1, max_size=12))
def test_any_picture_in_any_order(lossless, order):
    for n in order:
        np.testing.assert_array_equal(lossless.picture(n), pictures()[n])


def test_what_a_video_has(lossless):
    assert (len(lossless), lossless.size, lossless.alpha) == (COUNT, (W, H), False)
    assert lossless.rate == pytest.approx(24, rel=2e-3)


@pytest.mark.parametrize(("codec", "form", "shape"), [("libx264", "yuv420p", "mp4"), ("libvpx-vp9", "yuv420p", "webm")])
def test_compressed_pictures_are_near_and_in_their_order(codec, form, shape):
    clip = clip_of(film(codec, form, shape), f"film.{shape}")
    assert len(clip) == COUNT
    for n in (7, 8, 3, 19, 0):
        got = np.median(clip.picture(n)[H // 2 + 6 :], axis=(0, 1))  # away from the corner's border
        assert np.abs(got - pictures()[n][-1, -1]).max() < 12, n  # next to it, one differs by 20 in two channels


def test_alpha_is_kept():
    shapes = [np.dstack([p, np.full((H, W), 12 * n, np.uint8)]) for n, p in enumerate(pictures())]
    clip = clip_of(film(form="bgra", frames=shapes), "film.mkv")
    assert clip.alpha
    np.testing.assert_array_equal(clip.picture(11), shapes[11])


def test_at_every_frame_of_its_own_rate_the_next_picture_stands(lossless):
    """Its times are whole thousandths of a second: none may be left out or shown twice for that."""
    assert [lossless.at(n / 24) for n in range(-3, 45)] == list(range(-3, 45))


def test_times_of_its_own_count():
    """Pictures that stand for different times are shown for as long, also the second time round."""
    stamps = [0, 40, 400, 440]
    clip = clip_of(film(frames=pictures(4), stamps=stamps), "film.mkv")
    assert [clip.at(t) for t in (0, 0.03, 0.05, 0.39, 0.41, 0.45)] == [0, 0, 1, 1, 2, 3]
    assert clip.at(0.2, rate=10) == 2


@given(at=st.integers(-500, 500), count=st.integers(1, 60))
def test_before_and_after(at, count):
    inside = 0 <= at < count
    assert Video(after="hold").number(at, count) == (at if inside else 0 if at < 0 else count - 1)
    assert Video(after="clear").number(at, count) == (at if inside else CLEAR)
    rounds = Video(after="loop").number(at, count)
    assert 0 <= rounds < count
    assert (rounds - at) % count == 0


def test_what_is_no_video_is_said():
    whole = film()
    with pytest.raises(FormatError, match=r"x\.mp4 is no video that can be read"):
        clip_of(b"\0\0\0\x18ftypisom" + bytes(200), "x.mp4")
    cut = clip_of(whole[: len(whole) // 2], "cut.mkv")  # what is there of it is there
    assert 0 < len(cut) < COUNT
    np.testing.assert_array_equal(cut.picture(0), pictures()[0])
    out = io.BytesIO()
    with av.open(out, "w", format="matroska") as file:
        stream = file.add_stream("pcm_s16le", rate=8000)
        frame = av.AudioFrame.from_ndarray(np.zeros((1, 800), np.int16), format="s16", layout="mono")
        frame.sample_rate = 8000
        file.mux(stream.encode(frame))
    with pytest.raises(FormatError, match="without pictures"):
        clip_of(out.getvalue(), "sound.mkv")


def test_a_picture_that_is_damaged_is_named():
    data = bytearray(film("libx264", "yuv420p", "mp4"))
    clip = clip_of(bytes(data), "film.mp4")
    clip.stamps[12] += 1  # no picture stands there
    with pytest.raises(FormatError, match=r"Picture 13 of film\.mp4 cannot be decoded"):
        clip.picture(12)
