"""Picture files: depth kept, orientation honoured, damage told."""

from __future__ import annotations

import io
import struct
import zlib

import numpy as np
import pytest
import tifffile
from PIL import Image

from roofline.errors import FormatError
from roofline.formats import pictures as p
from roofline.formats.frames import save_frame
from roofline.model.survey import Camera


def jpeg(size=(60, 40), exif=None) -> bytes:
    out = io.BytesIO()
    image = Image.new("RGB", size, (200, 30, 30))
    image.paste((10, 200, 10), (0, 0, 10, 10))
    image.save(out, "JPEG", quality=95, subsampling=0, **({"exif": exif} if exif else {}))
    return out.getvalue()


def test_exif_orientation_and_focal_length_are_read():
    exif = Image.Exif()
    exif[0x0112] = 6
    exif[0x0110] = "Box camera"
    exif.get_ifd(0x8769)[0x920A] = 24.5
    exif.get_ifd(0x8769)[0xA405] = 37
    data = jpeg(exif=exif)
    facts = p.examine(data, "a.jpg")
    assert (facts.width, facts.height, facts.turned) == (40, 60, True)
    assert (facts.facts.focal_mm, facts.facts.focal_35mm, facts.facts.taken_with) == (24.5, 37, "Box camera")
    pixels = p.read(data)
    assert pixels.shape == (60, 40, 3)
    assert pixels[4, 35, 1] > 150 and pixels[4, 4, 0] > 150  # the green corner is at the top right now


def test_sixteen_bits_stay_sixteen_bits():
    ramp = np.arange(48 * 64 * 3, dtype=np.uint16).reshape(48, 64, 3) * 7
    assert (p.read(p.png(ramp)) == ramp).all()
    out = io.BytesIO()
    tifffile.imwrite(out, ramp, photometric="rgb", compression="zlib")
    assert (p.read(out.getvalue()) == ramp).all()
    assert p.examine(out.getvalue(), "a.tif").facts.bits == 16
    data, suffix = p.store_form(ramp)
    assert suffix == ".png" and (p.read(data) == ramp).all()


def test_float_pictures_are_linear_already(tmp_path):
    linear = np.random.default_rng(1).random((20, 30, 4)).astype(np.float32) * 3
    linear[..., 3] = 1
    save_frame(tmp_path / "a.exr", linear, "exr")
    data = (tmp_path / "a.exr").read_bytes()
    assert np.allclose(p.to_linear(p.read(data)), linear[..., :3], rtol=2e-3)
    assert p.examine(data, "a.exr").format == "EXR"


@pytest.mark.parametrize(("form", "bits"), [("png", 8), ("tiff", 16)])
def test_frames_carry_straight_alpha_and_display_values(tmp_path, form, bits):
    linear = np.zeros((4, 4, 4), np.float32)
    linear[:2] = [0.25 * 0.5, 0, 0, 0.5]
    save_frame(tmp_path / "a", linear, form)
    got = p.read((tmp_path / "a").read_bytes())
    top = 2**bits - 1
    assert got[0, 0, 3] == pytest.approx(top / 2, abs=1)
    assert got[0, 0, 0] == pytest.approx(top * (1.055 * 0.25 ** (1 / 2.4) - 0.055), abs=1)
    assert (got[3] == 0).all()


def test_display_and_linear_are_inverse():
    every = np.arange(256, dtype=np.uint8).reshape(1, 256, 1)
    assert (np.round(p.to_display(p.to_linear(every)) * 255).astype(int) == every).all()


def test_straightening_brings_a_bent_picture_back():
    """A picture of straight stripes, bent analytically, becomes straight stripes again."""
    camera = Camera(
        width=300,
        height=200,
        focal_px=260,
        principal_point=(150, 100),
        distortion=(-0.12, 0.02, 0, 0, 0),
        rotation=((1, 0, 0), (0, 1, 0), (0, 0, 1)),
    )
    from roofline.core.camera import straighten_pixels

    def stripes(pixels):
        return 0.5 + 0.4 * np.sin(pixels[..., 0] / 9)

    grid = np.stack(np.meshgrid(np.arange(300) + 0.5, np.arange(200) + 0.5), axis=-1)
    bent = np.repeat(stripes(straighten_pixels(grid, camera))[..., None], 3, 2).astype(np.float32)
    got = p.straightened(bent, camera)[..., 0]
    inside = (slice(25, -25), slice(30, -30))
    assert np.abs(got - stripes(grid))[inside].max() < 0.01


def huge_png() -> bytes:
    header = struct.pack(">IIBBBBB", 40_000, 40_000, 8, 2, 0, 0, 0)
    body = b"IHDR" + header
    return b"\x89PNG\r\n\x1a\n" + struct.pack(">I", 13) + body + struct.pack(">I", zlib.crc32(body))


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"just some words, no picture", "not a picture"),
        (jpeg((400, 300))[:2000], "damaged or cut short"),
        (huge_png(), "40000 × 40000"),
        (b"\x89PNG\r\n\x1a\n garbage", "damaged or cut short"),
        (b"\x76\x2f\x31\x01 garbage", "damaged or cut short"),
        (b"II*\0 garbage", "damaged or cut short"),
        (b"", "not a picture"),
    ],
)
def test_bad_files_are_refused_in_a_sentence(data, says):
    with pytest.raises(FormatError, match=says) as caught:
        p.examine(data, "holiday.jpg")
    assert "holiday.jpg" in str(caught.value)


def test_alpha_of_a_matte_file():
    grey = np.full((5, 6), 128, np.uint8)
    assert p.matte_of(p.png(grey), "m") == pytest.approx(128 / 255)
    rgba = np.zeros((5, 6, 4), np.uint8)
    rgba[..., 3] = 64
    assert p.matte_of(p.png(rgba), "m") == pytest.approx(64 / 255)
