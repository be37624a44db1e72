"""Paths, home, bringing back."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.conftest import key_of, looking, photographed

from roofline.core.camera import from_pan_tilt_roll, matrix_to_quaternion, pan_tilt_roll, quaternion_to_matrix
from roofline.core.massing.kinds import Backdrop, Block, Ground
from roofline.core.move.bring_back import bring_back, shrunk
from roofline.core.move.findings import findings
from roofline.core.move.path import Path, home_key, lens_centre, moments, view_of_key
from roofline.core.throw.check import check
from roofline.core.throw.engine import engine_of
from roofline.errors import MoveError
from roofline.model.handoff import Delivery, Framing
from roofline.model.move import Key, Limits, Move
from roofline.model.plates import Throw

HOME = looking(640, 420, 560, 10, -3, (0, 1.7, 0))
SETTING = [
    Ground(id="ground", name="Ground", size=(300, 300)),
    Backdrop(id="sky", name="Sky", viewer=(0, 0, 0), heading_deg=10, distance=60, width=500, base=-5, height=150),
]
angle = st.floats(-3, 3)


@given(angle, st.floats(-1.4, 1.4), angle)
@settings(max_examples=100, deadline=None)
def test_pan_tilt_roll_and_quaternions_go_there_and_back(pan, tilt, roll):
    r = from_pan_tilt_roll(pan, tilt, roll)
    assert np.allclose(r @ r.T, np.eye(3), atol=1e-12) and np.linalg.det(r) > 0
    assert np.allclose(from_pan_tilt_roll(*pan_tilt_roll(r)), r, atol=1e-9)
    assert np.allclose(quaternion_to_matrix(matrix_to_quaternion(r)), r, atol=1e-9)


def keys(*spots) -> list[Key]:
    return [
        Key(
            frame=f, position=p, rotation=tuple(matrix_to_quaternion(from_pan_tilt_roll(*np.radians(a)).T)), focal_px=fl
        )
        for f, p, a, fl in spots
    ]


def test_the_path_meets_its_keys_rests_at_its_ends_and_stands_still_outside():
    path = Path(
        keys((10, (0, 1, 0), (0, 0, 0), 500), (40, (2, 1, -3), (30, 5, 0), 600), (90, (3, 2, -9), (-20, 0, 4), 900)),
        1000,
    )
    for frame, position, focal in ((10, (0, 1, 0), 500), (40, (2, 1, -3), 600), (90, (3, 2, -9), 900)):
        got = path.at(frame)
        assert np.allclose(got[0], position) and got[2] == pytest.approx(focal)
    e = 1e-3
    for frame in (10 + e, 90 - e):
        assert np.linalg.norm(path.at(frame + e / 2)[0] - path.at(frame - e / 2)[0]) / e < 1e-3
    middle = (path.at(40 + e)[0] - path.at(40 - e)[0]) / (2 * e)
    assert np.allclose((path.at(40 + e)[0] - path.at(40)[0]) / e, middle, atol=1e-3)  # no kink
    assert np.linalg.norm(middle) > 0.02
    assert np.allclose(path.at(0)[0], (0, 1, 0)) and np.allclose(path.at(500)[0], (3, 2, -9))


@pytest.mark.slow
@given(st.lists(st.tuples(angle, st.floats(-1, 1), angle), min_size=2, max_size=5))
@settings(max_examples=60, deadline=None)
def test_rotation_is_smooth_and_takes_no_detour(turns):
    path = Path(keys(*[(1 + 20 * i, (0, 0, 0), tuple(np.degrees(t)), 500) for i, t in enumerate(turns)]), 1000)
    frames = np.arange(1, 20 * (len(turns) - 1) + 1.01, 0.25)
    m = [path.at(f)[1] for f in frames]
    steps = [
        np.degrees(np.arccos(np.clip((np.trace(a.T @ b) - 1) / 2, -1, 1))) for a, b in zip(m[:-1], m[1:], strict=True)
    ]
    assert max(steps) < 12  # at most 180° in 20 frames, eased: a flip would jump far more
    if len(turns) == 2:
        whole = np.degrees(np.arccos(np.clip((np.trace(m[0].T @ m[-1]) - 1) / 2, -1, 1)))
        assert sum(steps) == pytest.approx(whole, abs=1e-2 + 1e-4 * whole)


def test_two_keys_ease_as_smoothstep():
    path = Path(keys((1, (0, 0, 0), (0, 0, 0), 500), (101, (10, 0, 0), (60, 0, 0), 500)), 1000)
    assert path.at(26)[0][0] == pytest.approx(10 * (3 * 0.25**2 - 2 * 0.25**3))
    assert np.degrees(pan_tilt_roll(path.at(26)[1].T)[0]) == pytest.approx(60 * (3 * 0.25**2 - 2 * 0.25**3))


def test_home_lays_the_frame_over_the_photo_as_planned():
    shot, _ = photographed(
        HOME, SETTING, [], delivery=Delivery(width=300, height=200, framing=Framing(scale=1.4, centre=(350, 190)))
    )
    view = view_of_key(shot, home_key(shot, 1))
    point = HOME.position + HOME.rays(np.array([400.0, 250.0])) * 7
    assert np.allclose(view.project(point), ((400 - 350) / 1.4 + 150, (250 - 190) / 1.4 + 100))
    assert lens_centre(shot) == pytest.approx(((320 - 350) / 1.4 + 150, (210 - 190) / 1.4 + 100))


def moving(by, frames=24, **more):
    delivery = Delivery(width=480, height=270, frames=frames, framing=Framing(scale=1.0, centre=(320, 210)))
    shot, pictures = photographed(
        HOME, SETTING, [Throw(plate="plate", targets=["ground", "sky"])], delivery=delivery, **more
    )
    home = home_key(shot, 1)
    away = home.model_copy(update={"frame": frames, "home": False, "position": tuple(np.array(home.position) + by)})
    shot.move = Move(keys=[home, away])
    return shot, engine_of(shot, pictures)


def test_bring_back_finds_the_largest_part_that_holds():
    shot, engine = moving((4.0, 0, 1.0))
    assert not check(engine, moments(shot), shot.limits).holds
    found = bring_back(shot, engine)
    assert 0.01 < found.fraction < 0.99

    def at(fraction):
        tried = shot.model_copy(update={"move": Move(keys=shrunk(shot.move.keys, home_key(shot, 1), fraction))})
        return check(engine, moments(tried), shot.limits).holds

    assert at(found.fraction)
    assert not at(found.fraction + 0.002)
    assert found.keys[0].home and found.keys[0].position == shot.move.keys[0].position


def test_what_is_brought_back_holds_at_the_delivered_size():
    """A thin post leaves a gap beside it that is lost between the pixels of a small frame."""
    post = Block(id="post", name="Post", corner=(0.4, 0, -6.0), size=(0.06, 2.6, 0.06))
    shot, pictures = photographed(
        HOME,
        [*SETTING, post],
        [Throw(plate="plate", targets=["ground", "sky", "post"])],
        delivery=Delivery(width=960, height=540, frames=12, framing=Framing(scale=0.5, centre=(320, 210))),
        limits=Limits(gap_percent=0.01, magnification=4.0, stretch=4.0),
    )
    home = home_key(shot, 1)
    away = home.model_copy(
        update={"frame": 12, "home": False, "position": tuple(np.array(home.position) + (0.1, 0, 0))}
    )
    shot.move = Move(keys=[home, away])
    engine = engine_of(shot, pictures)

    def holds(keys, width):
        tried = shot.model_copy(update={"move": Move(keys=keys)})
        return check(engine, moments(tried, width=width), shot.limits).holds

    found = bring_back(shot, engine)
    assert 0 < found.fraction < 0.99 and holds(found.keys, 960)
    beyond = shrunk(shot.move.keys, home, found.fraction + 0.003)
    assert not holds(beyond, 960) and holds(beyond, 60)


def test_a_move_that_holds_stays_as_it_is():
    shot, engine = moving((0.05, 0, 0))
    found = bring_back(shot, engine)
    assert found.fraction == 1.0 and found.keys == shot.move.keys


def test_nothing_to_bring_back_when_home_itself_fails():
    shot, engine = moving((1, 0, 0), limits=Limits(magnification=0.5))
    with pytest.raises(MoveError, match="even at home"):
        bring_back(shot, engine)


def test_frames_outside_of_the_shot_are_refused():
    shot, _ = moving((1, 0, 0))
    with pytest.raises(MoveError, match="frames 1 to 24"):
        moments(shot, 3, 30)


def test_findings_name_place_number_and_remedy():
    shot, engine = moving((4.0, 0, 1.0))
    report = check(engine, moments(shot, width=240), shot.limits)
    said = findings(shot, report)
    failing = sum(not f.holds for f in report.frames)
    assert said[0].text.startswith(f"{failing} of 24 frames do not hold") and said[0].action == "bring_back"
    assert any("Ground" in f.text or "Sky" in f.text for f in said)
    fine = check(engine, moments(shot, 1, 1, 240), shot.limits)
    assert findings(shot, fine)[0].text.startswith("All 1 frames hold")


def test_frames_count_from_one_unless_a_key_stands_on_zero():
    shot, _ = photographed(HOME, SETTING, [], delivery=Delivery(frames=24), move=Move(keys=[key_of(HOME, 0)]))
    assert shot.frame_range == (0, 23)
    assert shot.model_copy(update={"move": Move(keys=[key_of(HOME, 5)])}).frame_range == (1, 24)
