"""Layers put in again from a newer file, and the set put out as layers; against the files' own pixels."""

from __future__ import annotations

import io
import zipfile

import numpy as np
import pytest
from PIL import Image

from roofline.errors import FormatError
from roofline.formats.layers import Layer, Layered, flattened, read_layered
from roofline.formats.ora import open_raster
from roofline.work.again import as_layers, put_again, stretched
from roofline.work.begin import How, InMemory, begin
from roofline.work.engines import Engines
from roofline.work.kept import Kept

W, H = 320, 200


def blob(seed: int, x: int, y: int, w: int, h: int, deep: bool = False) -> Layer:
    """A soft-edged patch of noise at a place."""
    rng = np.random.default_rng(seed)
    kind, top = (np.uint16, 65535) if deep else (np.uint8, 255)
    pixels = rng.integers(0, top, (h, w, 4)).astype(kind)
    yy, xx = np.mgrid[:h, :w]
    away = np.hypot((xx - w / 2) / (w / 2), (yy - h / 2) / (h / 2))
    pixels[..., 3] = np.clip((1 - away) * 3, 0, 1) * top
    return Layer(f"blob {seed}", pixels, x, y)


def picture() -> Layered:
    layers = [blob(1, 20, 90, 80, 90), blob(2, 140, 60, 120, 100), blob(3, 0, 0, W, 150)]
    layers[1].group = "Middle"
    layers[0].visible = False
    return Layered(W, H, layers)


def begun(made: Layered):
    place = InMemory()
    out = begin([("Valley.ora", open_raster(made))], How(size=(160, 90), frames=4), place=place)
    return out.shot, place.files


def engines(files) -> Engines:
    return Engines(files.__getitem__, Kept())


def composite(layers: list[Layer]) -> np.ndarray:
    """Layers over one another by Pillow, RGBA 8 bit."""
    whole = Image.new("RGBA", (W, H))
    for layer in reversed([x for x in layers if x.visible]):
        sheet = Image.new("RGBA", (W, H))
        sheet.paste(Image.fromarray(layer.pixels), (layer.x, layer.y))
        whole = Image.alpha_composite(whole, sheet)
    return np.asarray(whole).astype(float)


def test_what_is_written_is_read_again_bit_for_bit():
    made = picture()
    made.layers.append(blob(4, -5, 30, 40, 40, deep=True))
    data = open_raster(made)
    again = read_layered(data, "x.ora")
    assert (again.width, again.height) == (W, H)
    for a, b in zip(made.layers, again.layers, strict=True):
        assert (a.name, a.x, a.y, a.group, a.visible, a.opacity) == (b.name, b.x, b.y, b.group, b.visible, b.opacity)
        assert a.pixels.dtype == b.pixels.dtype and (a.pixels == b.pixels).all()
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        first = archive.infolist()[0]
        assert first.filename == "mimetype" and first.compress_type == zipfile.ZIP_STORED
        assert max(Image.open(io.BytesIO(archive.read("Thumbnails/thumbnail.png"))).size) <= 256


def test_a_merged_picture_is_what_the_layers_make():
    made = picture()
    with zipfile.ZipFile(io.BytesIO(open_raster(made))) as archive:
        merged = np.asarray(Image.open(io.BytesIO(archive.read("mergedimage.png")))).astype(float)
    truth = composite(made.layers)
    assert np.abs(merged * merged[..., 3:] / 255 - truth * truth[..., 3:] / 255).max() < 2.5


def test_the_set_goes_out_as_the_layers_it_was_made_of():
    made = picture()
    shot, files = begun(made)
    out = as_layers(shot, engines(files))
    assert [layer.name for layer in out.layers] == [layer.name for layer in made.layers]
    assert [layer.visible for layer in out.layers] == [False, True, True]
    assert [layer.group for layer in out.layers] == [None, "Middle", None]
    for a, b in zip(made.layers, out.layers, strict=True):
        # the same pixels at the same places of the picture
        alpha = np.zeros((H, W, 4), np.uint8)
        for layer, into in ((a, alpha), (b, sheet := np.zeros((H, W, 4), np.uint8))):
            h, w = layer.pixels.shape[:2]
            into[layer.y : layer.y + h, layer.x : layer.x + w] = layer.pixels
        seen = alpha[..., 3] > 0
        assert (alpha[..., 3] == sheet[..., 3]).all() and (alpha[seen] == sheet[seen]).all()


def test_a_newer_file_changes_pictures_and_leaves_what_was_done():
    made = picture()
    shot, files = begun(made)
    ids = {s.name: s.id for s in shot.solids}
    pushed = next(s for s in shot.solids if s.name == "blob 2")
    shot.solids[shot.solids.index(pushed)] = moved = pushed.model_copy(
        update={"foot": (pushed.foot[0], 0.0, pushed.foot[2] - 3.0), "name": "blob 2"}
    )
    newer = picture()
    newer.layers[1] = blob(2, 150, 70, 60, 50)  # smaller, elsewhere
    newer.layers[1].pixels[..., :3] = 255 - newer.layers[1].pixels[..., :3]
    newer.layers.insert(2, blob(9, 30, 20, 60, 60))
    del newer.layers[0]

    after, notes = put_again(shot.model_copy(deep=True), [("Valley.ora", open_raster(newer))], InMemory(files))
    flat = next(s for s in after.solids if s.id == ids["blob 2"])
    assert flat.foot == moved.foot  # where it was pushed to
    said = " ".join(notes)
    assert "“blob 9” is new" in said and "Not in the file any more, and left as they are: blob 1." in said
    # seen from home it is the newer file's picture, pixel for pixel
    out = {layer.name: layer for layer in as_layers(after, engines(files)).layers}
    layer, want = out["blob 2"], newer.layers[0]
    dx, dy = want.x - layer.x, want.y - layer.y
    h, w = want.pixels.shape[:2]
    part = layer.pixels[max(dy, 0) : dy + h, max(dx, 0) : dx + w]
    cut = want.pixels[max(-dy, 0) :, max(-dx, 0) :][: part.shape[0], : part.shape[1]]
    assert (part[cut[..., 3] > 0] == cut[cut[..., 3] > 0]).all()
    # its flat holds the new canvas and no more: the corners lie where the canvas has them, seen from home
    from roofline.core.camera import view_of
    from roofline.core.massing.solids import faces_of

    corners = view_of(after.photos[0].camera).project(faces_of(flat).vertices)
    plate = next(p for p in after.plates if p.name == "blob 2")
    scale = (np.ptp(corners[:, 0]), np.ptp(corners[:, 1]))
    before = view_of(shot.photos[0].camera).project(faces_of(moved).vertices)
    old = next(p for p in shot.plates if p.name == "blob 2")
    assert np.allclose(np.array(scale) / plate.canvas[2:], np.ptp(before, axis=0) / old.canvas[2:], rtol=1e-6)
    # the new one stands between its neighbours
    order = [layer.name for layer in as_layers(after, engines(files)).layers]
    assert order.index("blob 2") < order.index("blob 9") < order.index("blob 3")


def test_a_file_of_other_layers_is_refused_and_a_canvas_of_another_size_is_said():
    shot, files = begun(picture())
    other = Layered(W, H, [blob(77, 10, 10, 50, 50)])
    with pytest.raises(FormatError, match="None of the file's layers"):
        put_again(shot, [("Other.ora", open_raster(other))], InMemory())
    wide = picture()
    wide.width += 40
    _, notes = put_again(shot, [("Wide.ora", open_raster(wide))], InMemory(files))
    assert any("360 × 200 px now and was 320 × 200" in n for n in notes)


def test_layers_of_one_name_are_told_apart_by_their_order():
    made = picture()
    made.layers[1].name = made.layers[0].name = "twin"
    made.layers[0].visible = True
    shot, files = begun(made)
    ids = [p.id for p in shot.plates if p.name == "twin"]
    made.layers[1].pixels[..., :3] = 7
    after, _ = put_again(shot, [("x.ora", open_raster(made))], InMemory(files))
    shown = [np.asarray(Image.open(io.BytesIO(files[after.plate(i).file]))) for i in ids]
    assert (shown[1][shown[1][..., 3] > 0][:, :3] == 7).all() and not (shown[0][..., :3] == 7).all()


def test_extents_follow_the_canvas():
    assert stretched((-1.0, 1.0, 0.0, 2.0), (10, 10, 100, 100), (10, 10, 100, 100)) == (-1.0, 1.0, 0.0, 2.0)
    left, right, bottom, top = stretched((-1.0, 1.0, 0.0, 2.0), (10, 10, 100, 100), (60, 35, 50, 50))
    assert (left, right, bottom, top) == pytest.approx((0.0, 1.0, 0.5, 1.5))


def test_the_flattened_picture_follows_when_the_size_has_stayed():
    shot, files = begun(picture())
    newer = picture()
    newer.layers[2].pixels[..., :3] //= 2

    after, _ = put_again(shot, [("Valley.ora", open_raster(newer))], InMemory(files))
    shown = np.asarray(Image.open(io.BytesIO(files[after.photos[0].file])))
    assert (shown == flattened(newer)[..., : shown.shape[2]]).all()
