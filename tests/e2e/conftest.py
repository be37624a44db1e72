"""A copy of the demo shot; a photo of its place, surveyed, for pieces to be drawn through."""

from __future__ import annotations

import io
import zipfile

import pytest
from tests.e2e.building import (
    HOME,
    T,
    new_shot,
    surveyed,
)

from roofline.demo.shot import FOLDER


@pytest.fixture
def yard(page, running):
    address, _ = running
    h, hut = T.HOUSE, T.HUT
    lines = [
        ("run", (-9.5, 0.86, 0.0), (9.0, 0.86, 0.0)),
        ("run", (-8.0, 0.0, 3.0), (4.5, 0.0, 3.0)),
        ("run", (h["lo"][0], h["hi"][1], h["hi"][2]), h["hi"]),
        ("return", (h["lo"][0], 4.74, -2.7), (h["lo"][0], 4.74, -7.4)),
        ("return", (10.4, 0.86, -3.0), (10.4, 0.86, -6.1)),
        ("return", (-9.5, 0.0, 9.0), (-9.5, 0.0, -3.0)),
        ("rise", (h["lo"][0], 0.86, -2.7), (h["lo"][0], 4.74, -2.7)),
        ("rise", (hut["hi"][0], 0.86, -3.0), (hut["hi"][0], 3.72, -3.0)),
        ("rise", (-9.3, 0, -9.0), (-9.3, 7, -9.0)),
    ]
    photo = (FOLDER / "photos" / "platform-side.jpg").read_bytes()
    lx, _, lz = T.LAMP["foot"]
    tape = ((lx, 0.0, lz), (lx, T.LAMP["height"], lz))
    shot, ident = new_shot(page, address, photo, "platform-side.jpg", surveyed(HOME, lines, tape))
    return shot, ident


def a_halt(page, address) -> str:
    """A copy of the demo shot, so that the others stay as they are; its id."""
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as pack:
        for file in sorted(FOLDER.rglob("*")):
            if file.is_file():
                pack.write(file, file.relative_to(FOLDER).as_posix())
    got = page.request.post(
        f"{address}/api/packages",
        multipart={"file": {"name": "halt.zip", "mimeType": "application/zip", "buffer": buffer.getvalue()}},
    )
    assert got.ok, got.text()
    return got.json()["id"]


@pytest.fixture
def halt(page, running):
    """A copy of the demo shot, its Survey open."""
    shot = a_halt(page, running[0])
    page.goto(f"/shot/{shot}/survey")
    page.wait_for_selector("[data-camera]")
    return shot
