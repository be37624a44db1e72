"""Ways out: each, taken, makes the move hold, or says that it cannot; bring back against brute force."""

from __future__ import annotations

import json

import numpy as np
import pytest
from click.testing import CliRunner
from tests.conftest import camera_of, key_of, looking

from roofline.cli import main
from roofline.core.massing.kinds import Backdrop, Ground
from roofline.core.move.bring_back import shrunk
from roofline.core.move.path import Path as CameraPath
from roofline.core.move.path import home_key, moment_at, moments, resolved_keys
from roofline.core.throw.check import check, check_frame
from roofline.errors import MoveError
from roofline.formats.package import write_package
from roofline.formats.pictures import png
from roofline.model.handoff import Delivery
from roofline.model.move import Limits, Move
from roofline.model.photo import Photo
from roofline.model.plates import Plate, Throw
from roofline.model.shot import Shot
from roofline.work.engines import Engines
from roofline.work.kept import Kept
from roofline.work.ways import KINDS, ways_out

TAKEN = looking(480, 320, 420.0, 0.0, 0.0, (0.0, 1.7, 10.0))
FILES = {"photo.png": png(np.random.default_rng(5).integers(60, 200, (320, 480, 3), dtype=np.uint8))}


def made(to: tuple[float, float, float], size: float = 60.0, height: float = 14.0, **limits) -> Shot:
    """Ground and a backdrop 8 m behind; a move of 8 frames from home to a place."""
    shot = Shot(
        name="Made",
        photos=[Photo(id="photo", name="Photo", file="photo.png", width=480, height=320, camera=camera_of(TAKEN))],
        plates=[Plate(id="photo", name="Photo", photo="photo", file="photo.png", canvas=(0, 0, 480, 320))],
        solids=[
            Ground(id="ground", name="Ground", centre=(0, 0), size=(size, size)),
            Backdrop(
                id="back",
                name="Back",
                viewer=TAKEN.position,
                heading_deg=0,
                distance=18,
                width=size,
                base=-1,
                height=height,
            ),
        ],
        throws=[Throw(plate="photo", targets=["ground", "back"])],
        delivery=Delivery(width=320, height=180, frames=8),
        limits=Limits(**limits),
    )
    home = home_key(shot, 1)
    far = looking(320, 180, home.focal_px, 0.0, 0.0, to)
    shot.move = Move(keys=[home, key_of(far, 8)])
    return shot


SCENES = {
    "to the side": made((2.5, 1.7, 10.0)),
    "far to the side": made((6.0, 1.7, 9.0), stretch=3),
    "in": made((0.0, 1.7, 5.0)),
    "up": made((0.0, 4.5, 10.0)),
    "back": made((0.0, 1.7, 13.0)),
    "past the set": made((5.0, 1.7, 10.0), size=26.0, height=10.0),
}


@pytest.mark.slow
@pytest.mark.parametrize("name", SCENES)
def test_each_way_taken_makes_the_move_hold_or_says_that_it_cannot(name):
    shot, engines = SCENES[name], Engines(FILES.__getitem__, Kept())
    found = ways_out(engines, shot)
    assert found.fraction < 1 and [w.kind for w in found.ways] == list(KINDS)
    assert found.limited_by is not None and 1 <= found.limited_by["frame"] <= 8
    for way in found.ways:
        assert way.holds or way.why
        if way.shot is None:
            assert not way.holds
            continue
        again = Shot.model_validate(way.shot.model_dump())  # as it would be kept
        report = check(engines.engine(again), moments(again), again.limits)
        assert report.holds == way.holds, (way.kind, way.cost)
    assert any(w.holds for w in found.ways)


@pytest.mark.slow
def test_the_part_is_as_large_as_brute_force_finds():
    shot, engines = SCENES["in"], Engines(FILES.__getitem__, Kept())
    engine, keys = engines.engine(shot), resolved_keys(shot)
    home, largest = home_key(shot, 1), 0.0
    for fraction in np.linspace(0, 1, 201):
        path = CameraPath(shrunk(keys, home, fraction), shot.home_px)
        if not all(check_frame(engine, moment_at(shot, path, f), shot.limits).holds for f in range(1, 9)):
            break
        largest = fraction
    assert ways_out(engines, shot).fraction >= largest - 0.005


def test_the_cost_is_what_has_changed():
    shot, engines = SCENES["to the side"], Engines(FILES.__getitem__, Kept())
    ways = {w.kind: w for w in ways_out(engines, shot).ways}
    if ways["lens"].holds:
        longer = ways["lens"].shot.move.keys[-1].zoom / shot.move.keys[-1].zoom
        assert ways["lens"].cost["focal_percent"] == pytest.approx(100 * (longer - 1))
    if ways["path"].holds:
        by = np.array(ways["path"].shot.move.keys[-1].position) - shot.move.keys[-1].position
        assert ways["path"].cost["offset"] == pytest.approx(by.tolist(), abs=1e-9)
    assert ways["limit"].shot.limits.surfaces.keys() == ways["limit"].cost["surfaces"].keys()
    assert ways["paint"].cost["pixels"] >= 0


def test_limits_are_not_raised_beyond_what_can_be_looked_at():
    near = made((0.0, 1.7, 2.0))  # a hand's breadth from the wall: enlarged many times
    ways = {w.kind: w for w in ways_out(Engines(FILES.__getitem__, Kept()), near).ways}
    limit = ways["limit"]
    assert not limit.holds and limit.shot is None and limit.why.startswith("It does not help: ")
    assert "enlarged" in limit.why and limit.why.endswith("limit 3.")


def test_the_command_line_writes_a_package_of_each_way_that_holds(tmp_path):
    write_package(SCENES["in"], FILES.__getitem__, tmp_path / "shot")
    out = ["--out", str(tmp_path / "ways"), "--json"]
    done = CliRunner().invoke(main, ["bring-back", str(tmp_path / "shot"), *out])
    said = json.loads(done.stdout)
    assert done.exit_code == 1 and 0 <= said["fraction"] < 1 and said["limited_by"]["verdict"]
    for way in said["ways"]:
        assert (way["package"] is not None) == way["holds"]
        if way["package"]:
            checked = CliRunner().invoke(main, ["check", str(tmp_path / "ways" / way["package"]), "--json"])
            assert checked.exit_code == 0, way["kind"]


def test_a_move_that_holds_needs_no_way_and_none_is_none():
    shot, engines = made((0.02, 1.7, 10.0), gap_percent=5), Engines(FILES.__getitem__, Kept())
    found = ways_out(engines, shot)
    assert found.fraction == 1 and not found.ways and found.limited_by is None
    with pytest.raises(MoveError, match="no move yet"):
        ways_out(engines, shot.model_copy(update={"move": Move(keys=[])}))
