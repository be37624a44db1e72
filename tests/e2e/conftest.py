"""A copy of the demo shot; a photo of its place, surveyed, for pieces to be drawn through."""

from __future__ import annotations

import io
import json
import zipfile
from pathlib import Path

import numpy as np
import pytest
from tests.conftest import apart, houses, key_of, looking
from tests.e2e.building import (
    HOME,
    T,
    new_shot,
    surveyed,
)

from roofline.demo.shot import FOLDER
from roofline.formats.pictures import png


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


def a_halt(page, address, joined: bool = True) -> str:
    """A copy of the demo shot, so that the others stay as they are, or of it with its second photo apart; its id."""
    files = {f.relative_to(FOLDER).as_posix(): f.read_bytes() for f in files_of(FOLDER)}
    if not joined:
        files["shot.json"] = json.dumps(apart(json.loads(files["shot.json"]))).encode()
    return brought(page, address, files)


def a_toy(page, address) -> str:
    """A small shot with a ground, a block, three plates and three keys: quick to open, to check and to draw; its id."""
    keys = [key_of(looking(160, 100, 130, 20, -5, (f / 24, 1.7, -f / 24)), f) for f in (1, 12, 24)]
    shot, pictures = houses(24, keys)
    more = [shot.plates[0].model_copy(update={"id": f"plate-{n}", "name": f"Spare {n}"}) for n in (2, 3)]
    shot = shot.model_copy(update={"name": "Toy", "plates": [*shot.plates, *more]})
    picture = png((pictures["plate"].colour() * 255).astype(np.uint8))
    return brought(page, address, {"shot.json": shot.model_dump_json(exclude_none=True).encode(), "photo.png": picture})


def files_of(folder: Path) -> list[Path]:
    return sorted(f for f in folder.rglob("*") if f.is_file())


def brought(page, address, files: dict[str, bytes]) -> str:
    """Bring a package of files; the id of its shot."""
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as pack:
        for name, data in files.items():
            pack.writestr(name, data)
    got = page.request.post(
        f"{address}/api/packages",
        multipart={"file": {"name": "shot.zip", "mimeType": "application/zip", "buffer": buffer.getvalue()}},
    )
    assert got.ok, got.text()
    return got.json()["id"]


@pytest.fixture
def halt_apart(page, running):
    """A copy of the demo shot whose second photo is not surveyed yet, its Survey open."""
    shot = a_halt(page, running[0], joined=False)
    page.goto(f"/shot/{shot}/survey")
    page.wait_for_selector("[data-camera]")
    return shot


@pytest.fixture
def halt(page, running):
    """A copy of the demo shot, its Survey open."""
    shot = a_halt(page, running[0])
    page.goto(f"/shot/{shot}/survey")
    page.wait_for_selector("[data-camera]")
    return shot
