"""Frames and videos say what they are, and are the same channels and sizes from first to last."""

from __future__ import annotations

import io
import json
from fractions import Fraction

import av
import numpy as np
import OpenEXR
import pytest
import tifffile
from PIL import Image, ImageCms

from roofline.core.move.path import moment_at, shot_path
from roofline.demo.shot import FOLDER
from roofline.errors import FormatError
from roofline.formats.frames import save_frame
from roofline.formats.package import open_package
from roofline.formats.pictures import to_display
from roofline.formats.reading import decode, examine, read
from roofline.formats.video import VideoFile, even_size, rate_of
from roofline.model.shot import Shot
from roofline.work.render import Snapshot


def frame(size=(36, 64), clear: float = 0.0) -> np.ndarray:
    """Premultiplied linear light, of which a part may be clear."""
    h, w = size
    light = np.random.default_rng(2).random((h, w, 4)).astype(np.float32)
    light[..., 3] = 1
    light[: int(clear * h)] = 0
    return light


@pytest.mark.parametrize("form", ["png", "png16", "tiff", "exr"])
def test_a_frame_has_alpha_whether_all_of_it_is_covered_or_not(tmp_path, form):
    for name, clear in (("whole", 0.0), ("half", 0.5)):
        save_frame(tmp_path / name, frame(clear=clear), form)
        save_frame(tmp_path / f"{name}-over-black", frame(clear=clear), form, alpha=False)
    if form == "exr":
        names = [set(OpenEXR.File(str(tmp_path / n)).channels()) for n in ("whole", "half", "whole-over-black")]
        assert names == [{"RGBA"}, {"RGBA"}, {"RGB"}]
        return
    opened = tifffile.imread if form == "tiff" else lambda p: read(p.read_bytes())
    assert [opened(tmp_path / n).shape[2] for n in ("whole", "half")] == [4, 4]
    assert [opened(tmp_path / f"{n}-over-black").shape[2] for n in ("whole", "half")] == [3, 3]
    assert not opened(tmp_path / "half-over-black")[:18].any()


@pytest.mark.parametrize(("form", "top"), [("png", 255), ("png16", 65535), ("tiff", 65535)])
def test_display_values_are_rounded_to_the_depth_that_the_form_has(tmp_path, form, top):
    light = frame()
    save_frame(tmp_path / "a", light, form)
    got = read((tmp_path / "a").read_bytes())
    assert got.dtype == (np.uint8 if top == 255 else np.uint16)
    assert np.abs(got[..., :3] - to_display(light[..., :3]) * top).max() <= 0.51


def test_a_png_and_a_tiff_say_that_they_are_srgb(tmp_path):
    save_frame(tmp_path / "a.png", frame(), "png")
    with Image.open(tmp_path / "a.png") as image:
        assert image.info["srgb"] == 0 and image.info["gamma"] == pytest.approx(0.45455)
        assert image.info["chromaticity"][2:4] == pytest.approx((0.64, 0.33))
    save_frame(tmp_path / "a.tif", frame(), "tiff")
    save_frame(tmp_path / "b.tif", frame(), "tiff")
    assert (tmp_path / "a.tif").read_bytes() == (tmp_path / "b.tif").read_bytes()
    with tifffile.TiffFile(tmp_path / "a.tif") as file:
        profile = file.pages[0].tags.valueof(34675)
    assert "sRGB" in ImageCms.getProfileDescription(ImageCms.ImageCmsProfile(io.BytesIO(profile)))
    for name in ("a.png", "a.tif"):  # and are read as what they were written as
        assert examine((tmp_path / name).read_bytes(), name).facts.colour is None


def test_an_exr_says_its_primaries_and_may_carry_depth(tmp_path):
    depth = np.full((36, 64), np.inf, np.float32)
    depth[10:, 5:] = 12.3456789
    save_frame(tmp_path / "a.exr", frame(), "exr", depth=depth)
    file = OpenEXR.File(str(tmp_path / "a.exr"), separate_channels=True)
    assert np.allclose(file.header()["chromaticities"], (0.64, 0.33, 0.3, 0.6, 0.15, 0.06, 0.3127, 0.329))
    assert (file.channels()["Z"].pixels == depth).all() and file.channels()["Z"].pixels.dtype == np.float32
    assert file.channels()["R"].pixels.dtype == np.float16
    for form, bend in (("png", False), ("exr", True)):
        with pytest.raises(FormatError, match="Depth"):
            Snapshot(Shot(name="a"), lambda name: b"", form, bend, depth=True)


def test_an_exr_tells_pieces_apart_as_the_probe_does(tmp_path):
    package = open_package(FOLDER)
    shot, read = package.shot, package.read
    moment = moment_at(shot, shot_path(shot), 1).resized(240, 136)
    snapshot = Snapshot(shot, read, "exr", pieces=True)
    save_frame(tmp_path / "a.exr", snapshot.picture(moment), "exr", pieces=snapshot.numbered(moment))
    picture, telling = OpenEXR.File(str(tmp_path / "a.exr"), separate_channels=True).parts
    assert picture.channels["R"].pixels.shape == (136, 240)
    numbers, names = telling.channels["piece"].pixels, json.loads(telling.header["pieces"])
    assert numbers.dtype == np.uint32 and set(names) == {str(n + 1) for n in range(len(shot.solids))}
    called = {s.id: s.name for s in shot.solids}
    engine = snapshot.engines.engine(shot)
    for x, y in np.random.default_rng(3).integers((0, 0), (240, 136), (60, 2)):
        seen = engine.probe(moment, (x + 0.5, y + 0.5)).surface
        assert names.get(str(numbers[y, x])) == (called[seen.split("/")[0]] if seen else None)
    assert len(np.unique(numbers)) > 4
    assert decode((tmp_path / "a.exr").read_bytes()).pixels.shape[:2] == (136, 240)  # and is read as a picture again
    with pytest.raises(FormatError, match="told apart"):
        Snapshot(shot, read, "png", pieces=True)


def filmed(path, form: str, size=(36, 64), fps=23.976, count=6):
    video = VideoFile(path, form, size[1], size[0], fps)
    for number in range(count):
        video.add(np.roll(frame(size), 3 * number, axis=1))
    video.close()
    return av.open(str(path))


@pytest.mark.parametrize(
    ("form", "codec", "space"), [("mp4", "h264", 1), ("webm", "vp9", 1), ("av1", "av1", 1), ("ffv1", "ffv1", 0)]
)
def test_a_video_says_its_colour_and_its_rate_exactly(tmp_path, form, codec, space):
    with filmed(tmp_path / f"a.{ {'webm': 'webm', 'ffv1': 'mkv'}.get(form, 'mp4') }", form) as container:
        stream = container.streams.video[0]
        context = stream.codec_context
        frames = list(container.decode(stream))
        assert codec in (context.name, context.codec.canonical_name)
        assert len(frames) == 6 and stream.average_rate == Fraction(24000, 1001)
        assert (context.color_primaries, context.color_trc, context.colorspace) == (1, 13, space)
        if form != "ffv1":
            assert context.color_range == 1
        else:  # without loss
            wanted = (to_display(np.roll(frame(), 15, axis=1)[..., :3]) * 255 + 0.5).astype(np.uint8)
            assert (frames[5].to_ndarray(format="rgb24") == wanted).all()


def test_an_mp4_begins_with_its_index(tmp_path):
    filmed(tmp_path / "a.mp4", "mp4").close()
    data = (tmp_path / "a.mp4").read_bytes()
    assert data.index(b"moov") < data.index(b"mdat")


def test_odd_sizes_become_even_where_colour_is_halved(tmp_path):
    assert even_size("mp4", 65, 37) == (66, 38) and even_size("ffv1", 65, 37) == (65, 37)
    with filmed(tmp_path / "a.mp4", "mp4", (37, 65)) as container:
        picture = next(container.decode(video=0)).to_ndarray(format="rgb24")
    assert picture.shape == (38, 66, 3)
    assert np.abs(picture[:, 65].astype(int) - picture[:, 64]).mean() < 12  # the last column, repeated


@pytest.mark.parametrize(
    ("fps", "rate"),
    [
        (23.976, (24000, 1001)),
        (29.97, (30000, 1001)),
        (59.94, (60000, 1001)),
        (24, (24, 1)),
        (25, (25, 1)),
        (12.5, (25, 2)),
    ],
)
def test_rates_are_those_of_broadcast(fps, rate):
    assert rate_of(fps) == Fraction(*rate)
