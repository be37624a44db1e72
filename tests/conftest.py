"""Shared by all tests: synthetic cameras, pictures and packages; one server and one browser a run."""

from __future__ import annotations

import json
import sys
import time
from pathlib import Path

import numpy as np
import pytest
from hypothesis import settings
from PIL import Image
from playwright.sync_api import expect

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from roofline.core.camera import View, from_pan_tilt_roll, matrix_to_quaternion, view_of  # noqa: E402
from roofline.core.massing.kinds import Block, Ground  # noqa: E402
from roofline.core.survey.assumed import solve_assuming  # noqa: E402
from roofline.core.survey.linked import survey_input  # noqa: E402
from roofline.core.throw.throws import PlatePicture  # noqa: E402
from roofline.demo.shot import FOLDER  # noqa: E402
from roofline.formats.package import open_package  # noqa: E402
from roofline.model.handoff import Delivery  # noqa: E402
from roofline.model.move import Key, Move  # noqa: E402
from roofline.model.photo import Photo  # noqa: E402
from roofline.model.plates import Plate, Throw  # noqa: E402
from roofline.model.shot import Shot  # noqa: E402
from roofline.model.survey import Camera  # noqa: E402
from roofline.work.engines import Engines  # noqa: E402
from roofline.work.kept import Kept  # noqa: E402


def camera_of(view: View) -> Camera:
    return Camera(
        width=view.width,
        height=view.height,
        focal_px=view.focal,
        principal_point=view.centre,
        rotation=tuple(map(tuple, view.rotation.tolist())),
        position=tuple(view.position.tolist()),
    )


def key_of(view: View, frame: int) -> Key:
    return Key(
        frame=frame,
        position=tuple(view.position.tolist()),
        rotation=tuple(matrix_to_quaternion(view.rotation.T).tolist()),
        focal_px=view.focal,
    )


def looking(width: int, height: int, focal: float, pan: float, tilt: float, position, roll: float = 0.0) -> View:
    """A view with its angles in degrees."""
    return View(
        width,
        height,
        focal,
        (width / 2, height / 2),
        from_pan_tilt_roll(*np.radians([pan, tilt, roll])),
        np.array(position, dtype=float),
    )


def loop_around(rng: np.random.Generator, count: int, convex: bool) -> np.ndarray | None:
    """A loop (count, 2) around the origin, on a circle if convex; None where its corners would be too uneven to
    test."""
    angle = np.sort(rng.uniform(0, 2 * np.pi, count))
    if np.diff(np.r_[angle, angle[0] + 2 * np.pi]).max() > 3 or np.diff(angle).min() < 0.02:
        return None
    radius = np.ones(count) if convex else rng.uniform(0.3, 1.0, count)
    return np.stack([radius * np.cos(angle), radius * np.sin(angle)], 1)


def photographed(view: View, solids, throws, seed: int = 0, **more) -> tuple[Shot, dict[str, PlatePicture]]:
    """A shot whose one plate is a picture of smooth noise taken by `view`."""
    rng = np.random.default_rng(seed)
    small = rng.random((12, 16, 3)).astype(np.float32)
    picture = (
        np.asarray(
            [
                Image.fromarray(small[..., c]).resize((view.width, view.height), Image.Resampling.BICUBIC)
                for c in range(3)
            ],
            dtype=np.float32,
        )
        .transpose(1, 2, 0)
        .clip(0, 1)
        .copy()
    )
    shot = Shot(
        name="test",
        photos=[Photo(id="photo", name="photo", file="photo.png", camera=camera_of(view))],
        plates=[
            Plate(id="plate", name="plate", photo="photo", file="photo.png", canvas=(0, 0, view.width, view.height))
        ],
        solids=solids,
        throws=throws,
        **more,
    )
    return shot, {"plate": PlatePicture((view.width, view.height), None, lambda: picture)}


def houses(frames: int, keys: list[Key], **more) -> tuple[Shot, dict[str, PlatePicture]]:
    """A small shot: a ground and a house, photographed, thrown upon, and a move."""
    return photographed(
        looking(320, 200, 260, 20, -5, (0, 1.7, 0)),
        [
            Ground(id="ground", name="Ground", size=(60, 60)),
            Block(id="house", name="House", corner=(1, 0, -12), size=(4, 3, 3)),
        ],
        [Throw(plate="plate", targets=["ground", "house"])],
        delivery=Delivery(width=160, height=100, frames=frames, fps=24),
        move=Move(keys=keys),
        **more,
    )


def write_folder(folder: Path, document: dict, size: tuple[int, int] = (64, 48)) -> Path:
    """A package folder with plain grey pictures for every file named."""
    folder.mkdir(parents=True, exist_ok=True)
    (folder / "shot.json").write_text(json.dumps(document))
    names = {p["file"] for p in document.get("photos", [])} | {p["file"] for p in document.get("plates", [])}
    for name in names:
        if ".." not in name and not name.startswith("/"):
            Image.new("RGB", size, (120, 120, 120)).save(folder / name)
    return folder


def apart(document: dict) -> dict:
    """The demo shot's document with its second photo as it was brought: not surveyed, not joined, not matched.

    What is built is drawn through the first photo alone, at the levels that were measured; joined, it stands where both
    photos see it.
    """
    from tools.varrow import truth
    from tools.varrow.build_shot import solids

    first, second = document["photos"]
    survey = {"edges": [], "focal_px": second["survey"]["focal_px"]}
    bare = {k: v for k, v in second.items() if k not in ("result", "camera", "assumed")} | {"survey": survey}
    result = solve_assuming(survey_input(photo := Photo.model_validate(first), photo.survey))
    camera = result.camera.model_dump(mode="json")
    alone = first | {"camera": camera, "result": result.model_dump(mode="json"), "assumed": result.assumed}
    drawn = {s.id: s for s in solids(view_of(result.camera), truth.first_view(), lambda spot: spot[1])}
    built = [drawn[s["id"]].model_dump(mode="json") if s["id"] in drawn else s for s in document["solids"]]
    plain = {"grade": None, "seam": None}
    throws = [t | plain if t["plate"] == second["id"] else t for t in document["throws"]]
    return document | {"photos": [alone, bare], "ties": [], "throws": throws, "solids": built}


@pytest.fixture(scope="session")
def demo():
    """The demo shot and its engine."""
    package = open_package(FOLDER)
    return package.shot, Engines(package.read, Kept()).engine(package.shot)


@pytest.fixture(scope="session")
def running(tmp_path_factory):
    """(address, data folder) of a server with the demo shot."""
    from tools.browser import server

    data = tmp_path_factory.mktemp("data")
    with server(data) as address:
        yield address, data


@pytest.fixture(scope="session")
def chromium():
    from tools.browser import browser

    with browser() as one:
        yield one


settings.register_profile("roofline", deadline=None)  # how long a case takes is the bench's to say
settings.load_profile("roofline")
expect.set_options(timeout=40_000)  # a busy machine may stand still for a while


@pytest.fixture
def page(chromium, running):
    """A fresh page; requests that leave this machine and errors in the console fail the test."""
    address, _ = running
    context = chromium.new_context(viewport={"width": 1280, "height": 800}, base_url=address, accept_downloads=True)
    one = context.new_page()
    one.set_default_timeout(60_000)
    strays, errors = [], []
    one.on("request", lambda r: strays.append(r.url) if not r.url.startswith((address, "data:", "blob:")) else None)
    one.on("pageerror", lambda e: errors.append(str(e)))
    # what fails while the page is drawn is only told in the console
    one.on(
        "console",
        lambda m: errors.append(m.text) if m.type == "error" and "Failed to load resource" not in m.text else None,
    )
    # told when a test fails: what was refused, what was slow, what was never answered
    asked = {}
    one.on("request", lambda r: asked.update({r: time.monotonic()}))
    one.on("response", lambda r: print(r.status, r.request.method, r.url) if r.status >= 400 else None)

    def ended(request):
        took = time.monotonic() - asked.pop(request, time.monotonic())
        if request.failure or took > 1.5:
            print(request.failure or f"{took:.1f} s", request.method, request.url)

    one.on("requestfinished", ended)
    one.on("requestfailed", ended)
    yield one
    for request, since in asked.items():
        print(f"unanswered for {time.monotonic() - since:.1f} s", request.method, request.url)
    context.close()
    assert not strays, strays
    assert not errors, errors
