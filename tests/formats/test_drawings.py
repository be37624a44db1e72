"""Drawings that are meant to do harm: drawn as they should be, or refused in a sentence, and the program lives."""

from __future__ import annotations

import base64
import io

import numpy as np
import pytest
from PIL import Image

from roofline.errors import FormatError
from roofline.formats import drawings
from roofline.formats.drawings import drawn
from roofline.formats.pictures import png

XMLNS = 'xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink"'


def svg(head: str, inside: str = "") -> bytes:
    return f"<svg {XMLNS} {head}>{inside}</svg>".encode()


def opened(data: bytes) -> np.ndarray:
    return np.asarray(Image.open(io.BytesIO(data)))


def embedded(data: bytes, kind: str = "image/png") -> str:
    return f"data:{kind};base64,{base64.b64encode(data).decode()}"


WHITE = png(np.full((20, 40, 3), 255, np.uint8))
BOX = 'viewBox="0 0 40 20"'


def test_groups_within_groups_are_refused():
    deep = svg(BOX, "<g>" * 20_000 + "</g>" * 20_000)
    with pytest.raises(FormatError, match=r"deep.svg was not read: it nests more than 256 elements"):
        drawn("deep.svg", deep, 200)
    assert drawn("flat.svg", svg(BOX, "<g>" * 200 + "</g>" * 200), 200)


def test_many_elements_are_refused(monkeypatch):
    monkeypatch.setattr(drawings, "MOST", 1000)
    with pytest.raises(FormatError, match="more than 1,000 elements"):
        drawn("many.svg", svg(BOX, "<g/>" * 1000), 200)


@pytest.mark.parametrize(
    ("head", "shape"),
    [
        ('width="20000" height="10000"', (100, 200)),
        ('width="20000mm" height="40000mm"', (200, 100)),
        ('width="1e5" height="1e5"', (200, 200)),
        ('width="50%" viewBox="0 0 40 20"', (100, 200)),
        ('width="100%" height="100%" viewBox="-10,-10,20,40"', (200, 100)),
        ('width="2in" height="96px"', (100, 200)),
        ("", (200, 200)),
    ],
)
def test_the_size_is_the_heads_and_huge_ones_are_drawn_at_what_is_asked(head, shape):
    got = opened(drawn("a.svg", svg(head, '<rect width="9" height="9"/>'), 200)).shape[:2]
    assert max(got) == 200 and np.abs(np.subtract(got, shape)).max() <= 1  # begun pixels count


@pytest.mark.parametrize("head", ['width="1" height="1000"', 'viewBox="0 0 100000 1"'])
def test_threads_are_refused(head):
    with pytest.raises(FormatError, match="times as long as wide"):
        drawn("thread.svg", svg(head), 200)


@pytest.mark.parametrize(
    "form",
    [
        "<image {} href='{}' />",
        '<image {} xlink:href="{}" />',
        "<image {}\nhref = \n'{}'/>",
        '<image {} href="file://{}"/>',
        '<image {} href=" {}"/>',
        "<image {} HREF='{}' />",
    ],
)
def test_nothing_beside_the_file_is_read(tmp_path, form):
    (tmp_path / "it's.png").write_bytes(WHITE)
    (tmp_path / "plain.png").write_bytes(WHITE)
    for name in ("plain.png", "it&apos;s.png"):
        inside = form.format('width="40" height="20"', tmp_path / name)
        assert opened(drawn("x.svg", svg(BOX, inside), 200))[..., 3].max() == 0


def test_a_picture_that_is_written_in_it_is_drawn_and_a_drawing_in_it_is_not():
    image = '<image width="40" height="20" href="{}"/>'
    assert opened(drawn("x.svg", svg(BOX, image.format(embedded(WHITE))), 200))[..., 3].min() == 255
    inner = embedded(svg(BOX, '<rect width="40" height="20"/>'), "image/svg+xml")
    assert opened(drawn("x.svg", svg(BOX, image.format(inner)), 200))[..., 3].max() == 0


def test_copies_of_copies_are_refused():
    """Two to the thirtieth rectangles in a kilobyte."""
    layers = "".join(f'<g id="a{n}"><use href="#a{n - 1}"/><use href="#a{n - 1}"/></g>' for n in range(1, 31))
    with pytest.raises(FormatError, match=r"copies\.svg"):
        drawn("copies.svg", svg(BOX, f'<rect id="a0" width="1" height="1"/>{layers}'), 200)


def test_what_takes_too_long_ends_with_a_sentence(monkeypatch):
    monkeypatch.setattr(drawings, "PATIENCE", 0.01)
    with pytest.raises(FormatError, match=r"slow\.svg takes more than 0.01 s to draw. Save it as a picture"):
        drawn("slow.svg", svg(BOX), 200)


def test_what_takes_too_much_memory_ends_with_a_sentence():
    with pytest.raises(FormatError, match=r"large\.svg"):
        drawn("large.svg", svg(BOX), 60_000)


def test_text_styles_and_gradients_come_through_as_they_were():
    """What is read and written anew draws as what it was."""
    inside = (
        "<style>.a &gt; rect { fill: url(#g); } /* <b> & */</style>".replace("<b> & ", "")
        + '<defs><linearGradient id="g"><stop stop-color="#f00"/><stop offset="1" stop-color="#00f"/></linearGradient>'
        + '</defs><g class="a"><rect width="40" height="20"/></g>'
    )
    pixels = opened(drawn("x.svg", svg(BOX, inside), 200))
    assert tuple(pixels[50, 2, :3]) > (245, 0, 0) and tuple(pixels[50, 197, :3])[2] > 245


@pytest.mark.parametrize("data", [b"<html/>", b"", b"\0\0", b"<svg xmlns='x'", b"<!DOCTYPE s [<!ENTITY a 'b'>]><svg/>"])
def test_what_is_no_drawing_is_said(data):
    with pytest.raises(FormatError, match=r"odd\.svg (is|was)"):
        drawn("odd.svg", data, 200)
