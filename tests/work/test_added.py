"""What was never before a photo's lens hides nothing from it; and the demo's moving shot, which has much of that."""

from __future__ import annotations

import numpy as np
import pytest
from tests.conftest import camera_of, looking

from roofline.core.massing.kinds import Panel
from roofline.core.moment import still
from roofline.core.move.along import along
from roofline.core.move.path import moments
from roofline.core.throw.check import check
from roofline.demo.moving import LAST, moving
from roofline.demo.shot import FOLDER
from roofline.formats.package import open_package
from roofline.formats.pictures import png
from roofline.model.photo import Photo
from roofline.model.plates import Plate, Throw
from roofline.model.shot import Shot
from roofline.model.steps import Tone
from roofline.work.engines import Engines
from roofline.work.kept import Kept

W, H = 160, 120
VIEW = looking(W, H, 130.0, 0.0, 0.0, (0.0, 1.5, 8.0))
WALL = Panel(id="wall", name="Wall", points=[(-8, -4, 0), (8, -4, 0), (8, 7, 0), (-8, 7, 0)])
VEIL = Panel(id="veil", name="Veil", points=[(-1, 0.5, 4), (1, 0.5, 4), (1, 2.5, 4), (-1, 2.5, 4)])


def shot_of(role: str, extra: list[Throw]) -> tuple[Shot, Engines]:
    photo = Photo(id="p", name="p", file="p.png", width=W, height=H, camera=camera_of(VIEW))
    tone = Tone.model_validate({"from": (0.5, 0.5, 0.5), "to": (0.5, 0.5, 0.5)})
    plates = [
        Plate(id="p", name="p", photo="p", file="p.png", canvas=(0, 0, W, H)),
        Plate(id="t", name="t", photo="p", tone=tone, canvas=(0, 0, W, H), role=role),
    ]
    throws = [Throw(plate="t", targets=["veil"]), Throw(plate="p", targets=["wall"]), *extra]
    shot = Shot(name="Veil", photos=[photo], solids=[WALL, VEIL], plates=plates, throws=throws)
    return shot, Engines({"p.png": png(np.full((H, W, 3), 90, np.uint8))}.__getitem__, Kept())


@pytest.mark.parametrize(
    ("role", "extra", "hides"),
    [
        ("added", [], False),
        ("foreground", [], True),
        ("added", [Throw(plate="p", targets=["veil"])], True),  # the photo shows it too: it was there
    ],
)
def test_what_was_added_hides_nothing_from_the_photo(role, extra, hides):
    """From aside one looks past the veil at the wall that lay behind it in the photo."""
    shot, engines = shot_of(role, extra)
    aside = looking(W, H, 130.0, -20.0, 0.0, (3.4, 1.5, 7.4))
    got = engines.engine(shot).measure(still(aside))
    names = engines.engine(shot).geometry.names
    wall = np.isin(got.face, [f for f, n in enumerate(names) if n.startswith("wall/")])
    x, y = aside.project([(0.0, 1.5, 0.0)])[0]
    behind = got.verdict[int(y), int(x)]
    assert wall[int(y), int(x)]
    assert (behind == 4) == hides  # bare, where it was hidden


@pytest.fixture(scope="module")
def demo_moves():
    package = open_package(FOLDER)
    shot = Shot.model_validate(moving(package.shot).model_dump())  # all that a shot has to be
    return shot, Engines(package.read, Kept()).engine(shot)


@pytest.mark.slow
def test_the_demos_moving_shot_holds_in_the_middle_and_ends_behind_a_post(demo_moves):
    shot, engine = demo_moves
    frames = moments(shot, width=160)
    report = check(engine, frames, shot.limits)
    holds = {f.frame: f.holds for f in report.frames}
    assert all(holds[f] for f in range(45, 75)) and not holds[1] and not any(holds[f] for f in range(95, 112))
    told = along(shot, engine, frames)
    covered = [f.frame for f in told.frames if f.hidden_by == "post-close-by-flat"]
    assert covered and covered == list(range(covered[0], LAST + 1)) and 108 < covered[0] < 119
    trolley, post = (next(s for s in shot.solids if s.id == i) for i in ("trolley-flat", "post-close-by-flat"))
    assert trolley.motion.keys and post.motion.keys and shot.move.sway is not None
    seen = {n.partition("/")[0] for n in engine.geometry.names} - {"trolley-and-lamp-flat"}
    assert {"cloud-bank-flat", "smoke-flat", "trolley-flat", "lamp-flat"} <= seen
