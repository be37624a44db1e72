"""Layered pictures: OpenRaster, TIFF pages, several files; what is odd is said, what cannot be is refused."""

from __future__ import annotations

import io
import zipfile

import numpy as np
import pytest
import tifffile
from PIL import Image

from roofline.errors import FormatError
from roofline.formats.layers import flattened, is_layered, layers_of
from roofline.formats.pictures import png

W, H = 120, 80


def blob(x: int, y: int, size: int, colour, top: int = 255, kind=np.uint8) -> np.ndarray:
    out = np.zeros((H, W, 4), kind)
    out[y : y + size, x : x + size] = (*colour, top)
    return out


def ora(layers: str, pictures: dict[str, np.ndarray], size=(W, H)) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        archive.writestr("mimetype", "image/openraster")
        archive.writestr("stack.xml", f'<image w="{size[0]}" h="{size[1]}"><stack>{layers}</stack></image>')
        for name, pixels in pictures.items():
            archive.writestr(name, png(pixels))
    return buffer.getvalue()


TREE, ROCK = blob(0, 0, 20, (20, 200, 40))[:20, :20], blob(40, 30, 30, (90, 90, 90))
SKY = np.full((H, W, 4), (120, 160, 220, 255), np.uint8)
STACK = """
<layer name="Tree" src="data/a.png" x="70" y="10" opacity="0.5"/>
<stack name="Rocks" x="2" y="3"><layer name="Rock" src="data/b.png"/>
<layer name="Sketch" src="data/b.png" visibility="hidden"/></stack>
<layer name="Sky" src="data/c.png" composite-op="svg:multiply"/>"""


def test_open_raster_keeps_names_order_groups_offsets_opacity_and_what_is_hidden():
    data = ora(STACK, {"data/a.png": TREE, "data/b.png": ROCK, "data/c.png": SKY})
    assert is_layered(data, "set.ora")
    got = layers_of([("set.ora", data)])
    assert (got.width, got.height) == (W, H)
    assert [(x.name, x.x, x.y, x.group, x.visible, x.opacity) for x in got.layers] == [
        ("Tree", 70, 10, None, True, 0.5),
        ("Rock", 2, 3, "Rocks", True, 1.0),
        ("Sketch", 2, 3, "Rocks", False, 1.0),
        ("Sky", 0, 0, None, True, 1.0),
    ]
    assert any("multiply" in n for n in got.notes)
    flat = flattened(got)
    want = Image.fromarray(SKY)
    want.alpha_composite(Image.fromarray(ROCK), (2, 3))
    faint = TREE.copy()
    faint[..., 3] = 128
    want.alpha_composite(Image.fromarray(faint), (70, 10))
    assert np.abs(flat.astype(int) - np.asarray(want).astype(int)).max() <= 2


def test_tiff_pages_are_layers_with_their_names_and_places():
    buffer = io.BytesIO()
    with tifffile.TiffWriter(buffer) as file:
        for name, small, x, y in (("Near", TREE, 30, 12), ("Far", SKY, 0, 0)):
            pixels = small.astype(np.uint16) * 257
            tags = [(285, "s", 0, name, True), (286, "2I", 1, (x, 1), True), (287, "2I", 1, (y, 1), True)]
            file.write(pixels, photometric="rgb", extrasamples=["unassalpha"], resolution=(1, 1), extratags=tags)
    got = layers_of([("set.tif", buffer.getvalue())])
    assert [(x.name, x.x, x.y) for x in got.layers] == [("Near", 30, 12), ("Far", 0, 0)]
    assert got.layers[0].pixels.dtype == np.uint16 and (got.width, got.height) == (W, H)


def test_tiff_pages_are_read_as_any_tiff_is():
    """Premultiplied and white-is-zero pages, which a reader of their own would take for what they are not."""
    buffer, half = io.BytesIO(), TREE.copy()
    half[..., :3], half[..., 3] = half[..., :3] // 2, 128
    with tifffile.TiffWriter(buffer) as file:
        file.write(half, photometric="rgb", extrasamples=["assocalpha"])
        file.write(np.full((H, W), 30, np.uint8), photometric="miniswhite")
    tree, paper = layers_of([("set.tif", buffer.getvalue())]).layers
    assert np.abs(tree.pixels[5, 5].astype(int) - [20, 200, 40, 128]).max() <= 2
    assert (paper.pixels[..., :3] == 225).all() and (paper.pixels[..., 3] == 255).all()


def test_several_pictures_are_layers_and_what_is_odd_is_said():
    files = [
        ("tree.png", png(TREE)),
        ("wall.png", png(SKY[..., :3])),
        ("nothing.png", png(np.zeros((H, W, 4), np.uint8))),
        ("sky.png", png(SKY)),
    ]
    got = layers_of(files)
    assert [x.name for x in got.layers] == ["tree", "wall", "sky"]
    said = " ".join(got.notes)
    assert "smaller than 120 × 80" in said and "tree" in said
    assert "“wall” has no alpha and hides all that is behind it" in said
    assert "nothing is empty and left out" in said


@pytest.mark.parametrize(
    ("files", "words"),
    [
        ([("a.ora", ora(STACK, {"data/a.png": TREE})[:-40])], "damaged"),
        ([("a.ora", ora(STACK, {"data/a.png": TREE}))], "which is not in it"),
        ([("a.ora", ora('<layer name="x" src="a.png"/>' * 400, {"a.png": TREE}))], "more than 200 layers"),
        ([("a.ora", ora("", {}, (0, 5)))], "cannot be used"),
        ([("a.png", png(TREE[:2, :2])), ("b.png", png(TREE[:2, :2]))], "too small"),
        ([("a.png", png(TREE * 0)), ("b.png", png(TREE * 0))], "Every layer is empty"),
        ([(f"{i}.png", png(TREE)) for i in range(201)], "up to 200"),
        ([("a.png", png(TREE)), ("b.gif", b"GIF89a" + bytes(40))], "b.gif"),
    ],
)
def test_what_cannot_be_used_is_refused_in_words(files, words):
    with pytest.raises(FormatError, match=words):
        layers_of(files)
