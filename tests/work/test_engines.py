"""What is compiled anew by which change: only what it has changed."""

from __future__ import annotations

import numpy as np
import pytest

from roofline.core.move.path import moment_at, moments, shot_path
from roofline.core.throw.engine import limits_of
from roofline.core.throw.pictures import pyramid_of
from roofline.demo.shot import FOLDER
from roofline.formats.package import open_package
from roofline.model.move import Limits
from roofline.model.shot import Shot
from roofline.work import engines as of_engines
from roofline.work.engines import Engines
from roofline.work.kept import Kept
from roofline.work.render import Snapshot


@pytest.fixture(scope="module")
def package():
    return open_package(FOLDER)


@pytest.fixture(scope="module")
def used(package):
    """Engines that have been used for everything once."""
    engines = Engines(package.read, Kept())
    use(engines, package.shot)
    return engines


@pytest.fixture
def desk(used, package):
    """Engines that have been used for everything once, and the shot. Each test makes a change of its own."""
    used.kept.made.clear()
    return used, package.shot


def use(engines: Engines, shot: Shot) -> np.ndarray:
    engine = engines.engine(shot)
    moment = moments(shot, 60, 60, 64)[0]
    engine.picture(moment)
    return engine.measure(moment, limits_of(engine.geometry, shot.limits)).verdict


def changed(shot: Shot, **lists) -> Shot:
    return shot.model_copy(update=lists)


def test_names_keys_limits_and_delivery_compile_nothing(desk):
    engines, shot = desk
    key = shot.move.keys[0].model_copy(update={"focal_px": 2000.0})
    for other in (
        changed(shot, name="Other"),
        changed(shot, plates=[p.model_copy(update={"name": p.name + " x"}) for p in shot.plates]),
        changed(shot, solids=[s.model_copy(update={"name": "x", "locked": True, "tags": ["t"]}) for s in shot.solids]),
        changed(shot, limits=Limits(stretch=1.2)),
        changed(shot, move=shot.move.model_copy(update={"keys": [key, *shot.move.keys[1:]]})),
        changed(shot, delivery=shot.delivery.model_copy(update={"fps": 25.0})),
    ):
        use(engines, other)
    assert dict(engines.kept.made) == {}


def test_limits_count_all_the_same(desk):
    engines, shot = desk
    strict = use(engines, changed(shot, limits=Limits(stretch=1.0001, magnification=0.4)))
    assert (strict != use(engines, shot)).mean() > 0.1


def test_a_moved_piece_compiles_itself_and_the_sight_of_it(desk):
    engines, shot = desk
    solids = [s.moved([0.1, 0, 0]) if s.id == "hut" else s for s in shot.solids]
    use(engines, changed(shot, solids=solids))
    assert dict(engines.kept.made) == {"part": 1, "geometry": 1, "sight": 1}


def test_other_throws_look_anew_and_a_new_matte_is_one_picture(desk):
    engines, shot = desk
    use(engines, changed(shot, throws=shot.throws[::-1]))
    assert dict(engines.kept.made) == {"sight": 1}
    engines.kept.made.clear()
    other = next(p for p in shot.plates if p.matte)
    plates = [p.model_copy(update={"matte": None}) if p.id == other.id else p for p in shot.plates]
    use(engines, changed(shot, plates=plates))
    assert dict(engines.kept.made) == {"picture": 1, "pyramid": 1, "sight": 1}


def test_pyramids_are_held_once_whoever_draws(desk):
    engines, shot = desk
    one, other = engines.engine(shot).textures, engines.engine(changed(shot, name="x")).textures
    assert all(a is b for a, b in zip(one.pyramids, other.pyramids, strict=True))
    base = one.textures.texels
    for p, pyramid in enumerate(one.pyramids):  # read through the one array, every pyramid is where it is said to be
        level = one.textures.first[p]
        address = base.ctypes.data + 16 * int(one.textures.level_at[level])
        assert address == pyramid.texels.ctypes.data


@pytest.mark.slow
def test_a_picture_is_made_under_any_ceiling(package):
    """Nothing is let go of under the hands of who uses it, be the ceiling lower than one plate."""
    small = Engines(package.read, Kept(1000))
    moment = moments(package.shot, 60, 60, 96)[0]
    got = small.engine(package.shot).picture(moment)
    large = Engines(package.read, Kept()).engine(package.shot).picture(moment)
    assert np.array_equal(got, large) and small.kept.held <= 1000
    assert small.kept.drawn <= 1500


@pytest.mark.slow
def test_textures_that_are_not_kept_are_made_once_a_delivery(package, monkeypatch):
    """They may be more than what is kept warm: a frame after the first makes none, nor does who looks meanwhile."""
    made = []
    monkeypatch.setattr(of_engines, "pyramid_of", lambda *of: made.append(1) or pyramid_of(*of))
    small = Engines(package.read, Kept(1000))
    snapshot = Snapshot(package.shot, package.read, engines=small)
    path = shot_path(package.shot)
    for frame in (1, 60, 120):
        snapshot.picture(moment_at(package.shot, path, frame).resized(96, 54))
    small.engine(package.shot).picture(moment_at(package.shot, path, 60).resized(96, 54))
    assert len(made) == len(snapshot.engine.textures.pyramids) > 3


def test_what_is_covered_needs_no_sight(package):
    engines = Engines(package.read, Kept())
    share = engines.engine(package.shot).covered(moments(package.shot, 60, 60, 160)[0])
    assert share == pytest.approx(1.0, abs=1e-3)
    assert "sight" not in engines.kept.made and "pyramid" not in engines.kept.made
