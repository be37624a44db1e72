"""Pictures of every sort are read as they are meant: profiles, ways of storing, layers, windows, damage."""

from __future__ import annotations

import io
import struct
import zlib

import numpy as np
import OpenEXR
import pytest
import tifffile
from PIL import Image, ImageCms

from roofline.errors import FormatError
from roofline.formats import colour, reading
from roofline.formats.pictures import png, store_form

#: Display P3's linear light to sRGB's, as published in CSS Color 4
P3_TO_SRGB = np.array([[1.2249401, -0.2249404, 0.0], [-0.0420569, 1.0420571, 0.0], [-0.0196376, -0.0786361, 1.0982735]])
P3_XY = (0.3127, 0.329, 0.68, 0.32, 0.265, 0.69, 0.15, 0.06)


def profile(xy=P3_XY, curve: bytes | None = None, name: str = "Wide, by hand") -> bytes:
    """An ICC profile of version 2 with a matrix and one curve, written by the letter of the standard."""
    columns = (colour.adapted(colour.D65, colour.D50) @ colour.xyz_of(xy)).T

    def xyz(v) -> bytes:
        return b"XYZ \0\0\0\0" + struct.pack(">3i", *[round(c * 65536) for c in v])

    srgb = np.linspace(0, 1, 1024)
    table = np.where(srgb <= 0.04045, srgb / 12.92, ((srgb + 0.055) / 1.055) ** 2.4)
    trc = curve or b"curv\0\0\0\0" + struct.pack(">I", 1024) + (table * 65535 + 0.5).astype(">u2").tobytes()
    text = name.encode()
    tags = {
        b"desc": b"desc\0\0\0\0" + struct.pack(">I", len(text) + 1) + text + b"\0" + bytes(78),
        b"wtpt": xyz(colour.D50),
        b"rXYZ": xyz(columns[0]),
        b"gXYZ": xyz(columns[1]),
        b"bXYZ": xyz(columns[2]),
        **dict.fromkeys((b"rTRC", b"gTRC", b"bTRC"), trc),
    }
    return wrapped(tags, b"RGB ")


def wrapped(tags: dict[bytes, bytes], space: bytes) -> bytes:
    """The tags of a profile for a space of colours, with head and directory."""
    body, table_bytes, at = b"", struct.pack(">I", len(tags)), 132 + 12 * len(tags)
    for tag, data in tags.items():
        table_bytes += struct.pack(">4sII", tag, at + len(body), len(data))
        body += data + bytes(-len(data) % 4)
    head = struct.pack(">I4sI4s4s4s", at + len(body), b"\0\0\0\0", 0x02400000, b"mntr", space, b"XYZ ")
    head += bytes(12) + b"acsp" + bytes(28) + struct.pack(">3i", *[round(c * 65536) for c in colour.D50])
    return head.ljust(128, b"\0") + table_bytes + body


def saved(image: Image.Image, form: str, **options) -> bytes:
    out = io.BytesIO()
    image.save(out, form, **options)
    return out.getvalue()


def patches(top: int = 255) -> np.ndarray:
    steps = np.linspace(0, top, 6).round().astype(np.uint8 if top == 255 else np.uint16)
    return np.stack(np.meshgrid(steps, steps, steps), axis=-1).reshape(12, 18, 3)


def linear_of(pixels: np.ndarray) -> np.ndarray:
    v = pixels / np.iinfo(pixels.dtype).max
    return np.where(v <= 0.04045, v / 12.92, ((v + 0.055) / 1.055) ** 2.4)


@pytest.mark.parametrize("form", ["PNG", "TIFF", "WEBP"])
def test_a_wide_picture_of_8_bit_becomes_srgb(form):
    data = saved(
        Image.fromarray(patches()), form, icc_profile=profile(), **({"lossless": True} if form == "WEBP" else {})
    )
    facts = reading.examine(data, "a")
    assert facts.facts.colour == "Wide, by hand, converted"
    got = reading.read(data)
    wanted = colour.to_display(linear_of(patches()) @ P3_TO_SRGB.T) * 255
    assert got.dtype == np.uint8 and np.abs(got - wanted).max() <= 1.6


@pytest.mark.parametrize("form", ["png", "tiff"])
def test_a_wide_picture_of_16_bit_keeps_what_lies_outside(form):
    stored = patches(65535)
    out = io.BytesIO()
    if form == "tiff":
        tifffile.imwrite(out, stored, photometric="rgb", iccprofile=profile())
        data = out.getvalue()
    else:
        plain = png(stored)
        packed = b"x\0\0" + zlib.compress(profile())
        chunk = struct.pack(">I", len(packed)) + b"iCCP" + packed + struct.pack(">I", zlib.crc32(b"iCCP" + packed))
        data = plain[:33] + chunk + plain[33:]
    got = reading.read(data)
    wanted = linear_of(stored) @ P3_TO_SRGB.T
    assert got.dtype == np.float32 and np.abs(got - wanted).max() < 2e-3
    assert got.min() < -0.1 and got.max() > 1.05


@pytest.mark.parametrize(
    "curve",
    [
        b"curv\0\0\0\0" + struct.pack(">IH", 1, round(2.2 * 256)),
        b"para\0\0\0\0" + struct.pack(">HHi", 0, 0, round(2.2 * 65536)),
        b"para\0\0\0\0"
        + struct.pack(">HH5i", 3, 0, *[round(v * 65536) for v in (2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045)]),
        b"curv\0\0\0\0" + struct.pack(">I", 0),
    ],
)
def test_our_reading_of_a_profile_is_that_of_littlecms(curve):
    """Inside of sRGB both ways must agree: the library in 8 bit, ours in 16."""
    small = (patches().astype(int) // 4 + 90).astype(np.uint8)
    icc = profile(colour.SRGB_XY[:2] + (0.62, 0.34, 0.31, 0.58, 0.16, 0.08), curve)
    eight = reading.read(saved(Image.fromarray(small), "PNG", icc_profile=icc))
    out = io.BytesIO()
    tifffile.imwrite(out, small.astype(np.uint16) * 257, photometric="rgb", iccprofile=icc)
    deep = colour.to_display(reading.read(out.getvalue())) * 255
    assert np.abs(deep - eight).max() < 2.5


def test_an_srgb_profile_changes_nothing_and_a_damaged_one_is_left_aside():
    srgb = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    data = saved(Image.fromarray(patches()), "PNG", icc_profile=srgb)
    assert (reading.read(data) == patches()).all() and reading.examine(data, "a").facts.colour is None
    data = saved(Image.fromarray(patches()), "PNG", icc_profile=b"no profile at all" * 20)
    assert (reading.read(data) == patches()).all()
    assert "left aside" in reading.examine(data, "a").facts.notes[0]


def test_a_deep_grey_picture_of_which_the_library_alone_knows_is_rounded_and_held_to_its_range():
    text = b"Grey by hand"
    tags = {
        b"desc": b"desc\0\0\0\0" + struct.pack(">I", len(text) + 1) + text + b"\0" + bytes(78),
        b"wtpt": b"XYZ \0\0\0\0" + struct.pack(">3i", *[round(c * 65536) for c in colour.D50]),
        b"kTRC": b"curv\0\0\0\0" + struct.pack(">I", 0),
    }
    grey = wrapped(tags, b"GRAY")
    conversion = colour.of_profile(grey, "L", deep=True)
    assert conversion is not None and conversion.says == "Grey by hand, in 8 bit"
    values = np.array([[0.0, 0.25, 1.0, 2.0, -1.0]], np.float32)
    got = conversion.turn(values)[..., 0]
    assert got[0, 2] == got[0, 3] == 255 and got[0, 0] == got[0, 4] == 0
    assert abs(int(got[0, 1]) - 137) <= 1  # a quarter of the light, as sRGB writes it
    deep = conversion.turn((values[:, :3] * 65535).astype(np.uint16))[..., 0]
    assert np.abs(deep.astype(int) - got[:, :3]).max() <= 1


def with_chunks(data: bytes, *chunks: tuple[bytes, bytes]) -> bytes:
    made = b"".join(struct.pack(">I", len(b)) + n + b + struct.pack(">I", zlib.crc32(n + b)) for n, b in chunks)
    return data[:33] + made + data[33:]


def test_gamma_and_primaries_of_a_png_are_honoured():
    plain = png(patches())
    linear = with_chunks(plain, (b"gAMA", struct.pack(">I", 100_000)))
    wanted = colour.to_display(patches() / 255.0) * 255
    assert np.abs(reading.read(linear) - wanted).max() <= 1
    assert reading.examine(linear, "a").facts.colour == "gamma 1.000, converted"
    wide = with_chunks(plain, (b"cHRM", struct.pack(">8I", *[round(v * 100_000) for v in P3_XY])))
    wanted = colour.to_display(linear_of(patches()) @ P3_TO_SRGB.T) * 255
    assert np.abs(reading.read(wide) - wanted).max() <= 1.6
    usual = with_chunks(plain, (b"gAMA", struct.pack(">I", 45_455)))
    assert (reading.read(usual) == patches()).all()


def test_a_deep_png_that_stands_turned_is_put_upright():
    ramp = np.arange(6 * 9 * 3, dtype=np.uint16).reshape(6, 9, 3) * 300
    exif = Image.Exif()
    exif[0x0112] = 6
    data = with_chunks(png(ramp), (b"eXIf", exif.tobytes().removeprefix(b"Exif\0\0")))
    assert (reading.read(data) == np.rot90(ramp, -1)).all()
    assert reading.examine(data, "a").turned


def tiff(pixels, **how) -> bytes:
    out = io.BytesIO()
    tifffile.imwrite(out, pixels, **how)
    return out.getvalue()


def test_every_way_that_tiff_stores_a_picture():
    grey = np.arange(200, dtype=np.uint8).reshape(10, 20)
    assert (reading.read(tiff(grey, photometric="miniswhite"))[..., 1] == 255 - grey).all()
    rgb = np.random.default_rng(5).integers(0, 256, (10, 20, 3), dtype=np.uint8)
    assert (reading.read(tiff(np.moveaxis(rgb, 2, 0), photometric="rgb", planarconfig="separate")) == rgb).all()
    table = np.random.default_rng(6).integers(0, 256, (3, 256), dtype=np.uint16) * 257
    palette = reading.read(tiff(grey, photometric="palette", colormap=table))
    assert (palette == (table[:, grey] // 257).transpose(1, 2, 0)).all()
    inks = np.zeros((2, 3, 4), np.uint8)
    inks[0, 0], inks[1, 2], inks[0, 1] = (255, 0, 0, 0), (0, 0, 0, 255), (0, 128, 0, 0)
    got = reading.read(tiff(inks, photometric="separated"))
    assert got[0, 0].tolist() == [0, 255, 255] and got[1, 2].tolist() == [0, 0, 0] and abs(int(got[0, 1, 1]) - 127) < 2
    light = np.random.default_rng(7).random((5, 6, 3)).astype(np.float32) * 4
    stored, suffix = store_form(light)  # what we write we read
    assert suffix == ".tif" and (reading.read(stored) == light).all()
    assert reading.examine(stored, "a").facts.bits == 32
    assert (reading.read(tiff(light.astype(np.float64), photometric="rgb")) == light).all()
    two = reading.examine(tiff(np.stack([rgb, rgb]), photometric="rgb"), "a")
    assert two.facts.notes == ["It has 2 pages; the first is read."]
    with pytest.raises(FormatError, match="values"):
        reading.read(tiff(rgb.astype(np.uint32), photometric="rgb"))


def test_lab_is_read_as_colour():
    """sRGB's red, green and white in L*a*b* for D50, as colour books give them."""
    lab = [(54.29, 80.81, 69.89), (87.82, -79.29, 80.99), (100, 0, 0)]
    eight = np.array([[(round(a * 2.55), round(b) % 256, round(c) % 256) for a, b, c in lab]], np.uint8)
    deep = np.array(
        [[(round(a * 655.35), round(b * 256) % 65536, round(c * 256) % 65536) for a, b, c in lab]], np.uint16
    )
    wanted = np.array([[(255, 0, 0), (0, 255, 0), (255, 255, 255)]])
    assert (
        np.abs(reading.read(tiff(eight, photometric="cielab")).astype(int) - wanted).max() <= 12
    )  # what rounding does
    assert np.abs(colour.to_display(reading.read(tiff(deep, photometric="cielab"))) * 255 - wanted).max() <= 1.5


@pytest.mark.parametrize("kind", [np.uint8, np.uint16, np.float32])
def test_premultiplied_alpha_is_taken_apart(kind):
    top = 1.0 if kind == np.float32 else float(np.iinfo(kind).max)
    plain = np.random.default_rng(8).random((12, 10, 3))
    alpha = np.linspace(0.2, 1, 120).reshape(12, 10, 1)
    whole = np.concatenate([plain * alpha, alpha], axis=-1) * top
    stored = whole.astype(kind) if kind == np.float32 else (whole + 0.5).astype(kind)
    got = reading.read(tiff(stored, photometric="rgb", extrasamples=["assocalpha"])) / top
    assert np.abs(got[..., :3] - plain).max() < (4 / 255 if kind == np.uint8 else 1e-4)
    left = reading.read(tiff(stored, photometric="rgb", extrasamples=["unassalpha"]))
    assert (left == stored).all()


def exr(channels: dict, **header) -> bytes:
    parts = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage, **header}
    out = io.BytesIO()
    OpenEXR.File(parts, channels).write(out)
    return out.getvalue()


LIGHT = np.random.default_rng(9).random((8, 11, 3)).astype(np.float32) * 3


def test_the_layer_with_the_colour_is_found():
    data = exr({"depth.Z": LIGHT[..., 0].copy(), "ambient.RGB": LIGHT / 2, "beauty.RGB": LIGHT})
    assert (reading.read(data) == LIGHT).all()
    said = reading.examine(data, "a").facts.notes[0]
    assert "“beauty” is read" in said and "ambient" in said
    only = exr({"Y": LIGHT[..., 1].copy()})
    assert (reading.read(only) == LIGHT[..., [1, 1, 1]]).all()
    assert "luminance" in reading.examine(only, "a").facts.notes[0]
    with pytest.raises(FormatError, match="its channels are Z"):
        reading.read(exr({"Z": LIGHT[..., 0].copy()}))
    head = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    parts = [
        OpenEXR.Part({**head, "name": "mask"}, {"A": LIGHT[..., 0].copy()}),
        OpenEXR.Part({**head, "name": "picture"}, {"RGB": LIGHT}),
    ]
    out = io.BytesIO()
    OpenEXR.File(parts).write(out)
    assert (reading.read(out.getvalue()) == LIGHT).all()


def window(x0, y0, x1, y1):
    return (np.array([x0, y0], np.int32), np.array([x1, y1], np.int32))


def test_windows_of_an_exr_are_honoured():
    part = exr({"RGB": LIGHT}, dataWindow=window(2, 1, 12, 8), displayWindow=window(0, 0, 19, 9))
    got = reading.read(part)
    assert got.shape == (10, 20, 4)
    assert (got[1:9, 2:13, :3] == LIGHT).all() and (got[1:9, 2:13, 3] == 1).all()
    assert got[..., 3].sum() == 88
    assert "44 % of the picture" in reading.examine(part, "a").facts.notes[0]
    over = exr({"RGB": LIGHT}, dataWindow=window(-3, -2, 7, 5), displayWindow=window(0, 0, 4, 3))
    assert (reading.read(over) == LIGHT[2:6, 3:8]).all()


def test_primaries_of_an_exr_and_pixels_that_are_no_numbers():
    wide = exr({"RGB": LIGHT}, chromaticities=(*P3_XY[2:], *P3_XY[:2]))
    assert np.abs(reading.read(wide) - LIGHT @ P3_TO_SRGB.T).max() < 2e-3
    bad = LIGHT.copy()
    bad[2, 3, 0], bad[4, 4, 1], bad[5, 1, 2] = np.nan, np.inf, -np.inf
    data = exr({"RGB": bad})
    got = reading.read(data)
    assert np.isfinite(got).all() and got[2, 3, 0] == 0 and got[4, 4, 1] == pytest.approx(LIGHT.max(), rel=0.2)
    assert reading.examine(data, "a").facts.notes[0].startswith("3 pixels are no number")


def test_premultiplied_colour_of_an_exr_is_taken_apart():
    alpha = np.linspace(0.1, 1, 88, dtype=np.float32).reshape(8, 11, 1)
    got = reading.read(exr({"RGBA": np.concatenate([LIGHT * alpha, alpha], axis=-1)}))
    assert np.allclose(got[..., :3], LIGHT, rtol=1e-5) and np.allclose(got[..., 3:], alpha)


def test_sizes_are_refused_before_anything_is_decoded():
    small = exr({"RGB": LIGHT})
    at = small.index(b"dataWindow\0box2i\0") + len(b"dataWindow\0box2i\0") + 4
    huge = small[:at] + struct.pack("<4i", 0, 0, 17_999, 17_999) + small[at + 16 :]
    with pytest.raises(FormatError, match="18000 × 18000"):
        reading.read(huge, "a.exr")
    wide = png(np.zeros((1, 1), np.uint8))
    with pytest.raises(FormatError, match="megapixels"):
        reading.read(wide[:16] + struct.pack(">II", 90_000, 90_000) + wide[24:])
    out = io.BytesIO(tiff(LIGHT.astype(np.float64), photometric="rgb", rowsperstrip=1000))
    with tifffile.TiffFile(out, mode="r+b") as file:
        for tag in ("ImageWidth", "ImageLength"):
            file.pages[0].tags[tag].overwrite(17_000)
    with pytest.raises(FormatError, match="GB in memory"):
        reading.read(out.getvalue())


def test_webp_and_avif_are_read_and_heic_is_refused_with_advice():
    image = Image.fromarray(
        np.repeat(np.arange(0, 256, 4, dtype=np.uint8)[None, :, None], 40, axis=0).repeat(3, axis=2)
    )
    for form in ("WEBP", "AVIF"):
        data = saved(image, form, quality=95)
        assert reading.kind_of(data[:16]) == form
        assert np.abs(reading.read(data).astype(int) - np.asarray(image)).mean() < 4
    with pytest.raises(FormatError, match="HEIC.*save it as JPEG"):
        reading.read(b"\0\0\0\x18ftypheic\0\0\0\0mif1heic" + bytes(60), "a.heic")
    moving = saved(image, "WEBP", save_all=True, append_images=[image.rotate(90).resize(image.size)])
    assert "animation of 2" in reading.examine(moving, "a").facts.notes[0]


def test_a_jpeg_whose_data_end_early_is_refused_wherever_it_is_cut():
    noise = Image.fromarray(np.random.default_rng(1).integers(0, 256, (120, 160, 3), dtype=np.uint8))
    data = saved(noise, "JPEG", quality=90)
    for share in (0.1, 0.3, 0.6, 0.9, 0.99):
        with pytest.raises(FormatError, match="cut short"):
            reading.read(data[: int(share * len(data))], "a.jpg")
    progressive = saved(noise, "JPEG", quality=90, progressive=True)
    with pytest.raises(FormatError, match="cut short"):
        reading.read(progressive[: len(progressive) * 2 // 3], "a.jpg")
