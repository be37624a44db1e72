"""Speed curves, carriers, aims and sways."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError
from scipy.spatial.transform import Rotation
from tests.conftest import key_of, looking, photographed

from roofline.core.camera import key_rotation
from roofline.core.massing.kinds import Block
from roofline.core.move.path import moment_at, shot_path, with_ends
from roofline.core.move.travel import Place, aimed_at, own_frame, own_place, pace_through, paced, sway_at, travelled
from roofline.errors import MoveError
from roofline.model.handoff import Delivery
from roofline.model.move import Aim, Carrier, CarrierKey, Key, Move, Sway

TAKEN = looking(400, 225, 300.0, 0.0, 0.0, (0.0, 1.7, 6.0))
VIEWS = [
    looking(400, 225, 300.0, 0.0, 0.0, (0.0, 1.7, 6.0)),
    looking(400, 225, 320.0, 14.0, -3.0, (2.0, 2.2, 4.0)),
    looking(400, 225, 420.0, -8.0, 5.0, (-1.0, 1.2, 2.5)),
]
FRAMES = (1, 40, 96)


def shot_with(fps: float = 24.0, frames: int = 96, **travel):
    blocks = [Block(id="b", name="Block", corner=(-0.5, 0.0, -3.0), size=(1.0, 2.0, 1.0))]
    shot, _ = photographed(TAKEN, blocks, [], delivery=Delivery(width=400, height=225, fps=fps, frames=frames))
    keys = [key_of(v, f) for v, f in zip(VIEWS, FRAMES, strict=True)]
    return shot.model_copy(update={"move": Move(keys=keys, **travel)})


def place(shot, frame: float):
    return moment_at(shot, shot_path(shot), frame).view


HANDLE = st.tuples(st.floats(1, 96), st.floats(0, 1))
HANDLES = st.lists(HANDLE, min_size=2, max_size=8, unique_by=lambda h: round(h[0]))


@pytest.mark.slow
@given(HANDLES)
@settings(max_examples=80, deadline=None)
def test_a_speed_curve_never_goes_back_and_stays_on_the_path(handles):
    frames, progress = sorted(h[0] for h in handles), sorted(h[1] for h in handles)
    curve = [(f, p) for f, p in zip(frames, progress, strict=True)]
    if min(np.diff(frames)) < 0.5:
        return
    shot, plain = shot_with(speed=curve), shot_with()
    path = shot_path(shot)
    at = [paced(curve, path, f) for f in np.linspace(1, 96, 191)]
    assert (np.diff(at) >= -1e-9).all() and min(at) >= 1 - 1e-9 and max(at) <= 96 + 1e-9
    for f, t in list(zip(np.linspace(1, 96, 191), at, strict=True))[::17]:
        assert np.abs(place(shot, f).position - place(plain, t).position).max() < 1e-9
        assert np.abs(place(shot, f).rotation - place(plain, t).rotation).max() < 1e-9


def test_even_handles_change_nothing_and_steep_ones_are_passed_quickly():
    plain, even = shot_with(), shot_with(speed=[(1, 0), (96, 1)])
    for f in (1, 20, 61.5, 96):
        assert np.allclose(place(plain, f).position, place(even, f).position, atol=1e-9)
    slow = shot_with(speed=[(1, 0), (40, 0.45), (56, 0.55), (96, 1)])
    paces = [
        paced(slow.move.speed, shot_path(slow), f + 1) - paced(slow.move.speed, shot_path(slow), f)
        for f in (20, 48, 75)
    ]
    assert paces[1] < paces[0] and paces[1] < paces[2]


@pytest.mark.parametrize("wrong", [[(1, 0), (1, 1)], [(1, 0.5), (9, 0.4)], [(1, -0.1), (9, 1)], [(1, 0), (9, 1.2)]])
def test_curves_that_go_back_are_refused(wrong):
    with pytest.raises(ValidationError, match="speed curve"):
        Move(speed=wrong)


@pytest.mark.parametrize("aim", [Aim(at=(0.3, 1.1, -2.0)), Aim(solid="b")])
def test_the_aimed_point_keeps_its_place_in_the_frame(aim):
    shot = shot_with(aim=aim)
    point = aimed_at(shot)
    wanted = place(shot, 1).project(point[None])[0]
    for f in np.linspace(1, 96, 25):
        assert np.hypot(*(place(shot, f).project(point[None])[0] - wanted)) < 0.01
        assert np.allclose(place(shot, f).position, place(shot_with(), f).position)


def test_an_aim_by_a_share_lies_between():
    point = np.array([0.3, 1.1, -2.0])
    off = []
    for share in (0.0, 0.5, 1.0):
        shot = shot_with(aim=Aim(at=tuple(point)), aim_share=share)
        turn = Rotation.from_matrix(place(shot_with(), 70).rotation @ place(shot, 70).rotation.T)
        off.append(turn.magnitude())
    assert off[0] < 1e-9 and off[1] == pytest.approx(off[2] / 2, rel=1e-6) and off[2] > 0.01
    with pytest.raises(MoveError, match="not there any more"):
        place(shot_with(aim=Aim(solid="gone")), 5)
    with pytest.raises(ValidationError, match="one of them"):
        Aim(at=(0, 0, 0), solid="b")


SWAY = Sway(frequency_hz=0.8, position_m=(0.02, 0.01, 0.03), rotation_deg=(0.4, 0.3, 0.2), seed=3)


def test_a_sway_is_within_its_band_and_reaches_what_is_said():
    seconds = np.arange(0, 400, 1 / 50)
    value = np.array([sway_at(SWAY, t) for t in seconds])
    power = np.abs(np.fft.rfft(value * np.hanning(len(value))[:, None], axis=0)) ** 2
    hz = np.fft.rfftfreq(len(value), 1 / 50)
    inside = (hz >= 0.4 * 0.98) & (hz <= 1.2 * 1.02)
    assert (power[inside].sum(0) / power.sum(0) > 0.99).all()
    said = np.array([*SWAY.position_m, *SWAY.rotation_deg])
    assert (np.mean(np.abs(value) <= said, axis=0) > 0.9).all() and np.allclose(2 * value.std(0), said, rtol=0.12)
    assert (np.array([sway_at(SWAY, t) for t in seconds[:50]]) == value[:50]).all()
    other = SWAY.model_copy(update={"seed": 4})
    assert np.abs(sway_at(other, 3.0) - sway_at(SWAY, 3.0)).max() > 1e-3


def test_a_sway_is_the_same_at_other_frame_rates_and_fades():
    slow, fast = shot_with(24, 96, sway=SWAY), shot_with(60, 240, sway=SWAY)
    still = [shot_with(24, 96), shot_with(60, 240)]
    for seconds in (0.5, 1.0, 2.25):
        moved = []
        for shot, at_rest in zip((slow, fast), still, strict=True):
            f = 1 + seconds * shot.delivery.fps
            moved.append(place(shot, f).position - place(at_rest, f).position)
        assert np.allclose(moved[0], moved[1], atol=1e-9) and np.abs(moved[0]).max() > 1e-4
    faded = shot_with(sway=SWAY.model_copy(update={"fade_frames": 12}))
    for f in (1, 96):
        assert np.allclose(place(faded, f).position, place(still[0], f).position, atol=1e-12)
        assert np.allclose(place(faded, f).rotation, place(still[0], f).rotation, atol=1e-12)


def test_a_carrier_takes_the_camera_along_and_turns_it():
    quarter = Rotation.from_euler("y", 90, degrees=True).as_quat(scalar_first=True)
    keys = [{"frame": 1, "position": (5, 0, 0)}, {"frame": 96, "position": (5, 1, 0), "rotation": tuple(quarter)}]
    carried, plain = shot_with(carrier=Carrier.model_validate({"keys": keys})), shot_with()
    assert np.allclose(place(carried, 1).position, place(plain, 1).position + [5, 0, 0])
    turn = Rotation.from_quat(quarter, scalar_first=True).as_matrix()
    assert np.allclose(place(carried, 96).position, [5, 1, 0] + turn @ place(plain, 96).position)
    assert np.allclose(place(carried, 96).rotation.T, turn @ place(plain, 96).rotation.T)


# ---------------------------------------------------------------- keys set to what is seen

RIDE = Carrier(
    keys=[
        CarrierKey(frame=1, position=(0, 0, 0)),
        CarrierKey(frame=96, position=(2, 0.5, -1), rotation=(0.9659258, 0, 0.2588190, 0)),
    ]
)
SWAYING = Sway(frequency_hz=1.1, position_m=(0.2, 0.1, 0.1), rotation_deg=(2, 1, 1), seed=3, fade_frames=0)
LAID = {
    "carrier": {"carrier": RIDE},
    "sway": {"sway": SWAYING},
    "aim": {"aim": Aim(solid="b"), "aim_share": 0.6},
    "all": {"carrier": RIDE, "sway": SWAYING, "aim": Aim(solid="b"), "aim_share": 0.4},
}


def with_key(shot, frame: int, own: Place):
    w, x, y, z = (float(v) for v in Rotation.from_matrix(own.rotation).as_quat(scalar_first=True))
    old = shot.move.keys[0]
    new = old.model_copy(
        update={
            "id": "",
            "frame": frame,
            "position": tuple(map(float, own.position)),
            "rotation": (w, x, y, z),
            "focal_px": own.focal,
        }
    )
    keys = [*(k for k in shot.move.keys if k.frame != frame), new]
    return shot.model_copy(update={"move": shot.move.model_copy(update={"keys": Move(keys=keys).keys})})


@pytest.mark.parametrize("laid", LAID)
@pytest.mark.parametrize("frame", [20, 40, 96])
def test_a_key_set_to_what_is_seen_is_seen_there(laid, frame):
    shot = shot_with(**LAID[laid])
    path = shot_path(shot)
    now = travelled(shot, path, frame)
    turn = Rotation.from_rotvec([0.01, -0.03, 0.02]).as_matrix()
    wanted = Place(now.position + [0.3, -0.1, 0.2], turn @ now.rotation, now.focal * 1.1)
    after = with_key(shot, frame, own_place(shot, path, frame, wanted))
    got = travelled(after, shot_path(after), frame)
    assert np.allclose(got.position, wanted.position, atol=1e-9)
    assert np.allclose(got.rotation, wanted.rotation, atol=1e-7)
    assert got.focal == pytest.approx(wanted.focal)


def test_what_is_as_it_was_leaves_the_keys_as_they_are():
    """Also where an aim hides which way the keys look: moved aside, a key goes on looking its own way."""
    shot = shot_with(aim=Aim(solid="b"), sway=SWAYING)
    path = shot_path(shot)
    now = travelled(shot, path, 40)
    own = own_place(shot, path, 40, Place(now.position + [0.5, 0, 0], now.rotation, now.focal))
    assert np.array_equal(own.rotation, path.at(40)[1])
    still = own_place(shot, path, 40, now)
    assert np.array_equal(still.position, path.at(40)[0]) and np.array_equal(still.rotation, path.at(40)[1])


def test_what_cannot_be_seen_is_refused():
    shot = shot_with(aim=Aim(solid="b"))
    now = travelled(shot, shot_path(shot), 40)
    aside = Place(now.position, Rotation.from_rotvec([0, 0.1, 0]).as_matrix() @ now.rotation, now.focal)
    with pytest.raises(MoveError, match="lower the share"):
        own_place(shot, shot_path(shot), 40, aside)


@settings(max_examples=60, deadline=None)
@given(HANDLES, st.integers(1, 96), st.floats(-2, 2), st.booleans())
def test_under_a_pace_a_key_is_seen_on_the_frame_where_it_was_set(handles, frame, aside, swayed):
    """Whatever the curve: the camera stands there exactly, the curve never goes back, and no other key has moved."""
    handles = sorted(handles)
    frames = np.maximum.accumulate([round(f) for f, _ in handles])
    curve = list(zip(map(float, frames), sorted(p for _, p in handles), strict=True))
    shot = shot_with(speed=curve, **({"sway": SWAYING} if swayed else {}))
    path, now = shot_path(shot), travelled(shot, shot_path(shot), frame)
    seen = Place(now.position + [aside, 0.3, 0.1], now.rotation, now.focal)
    own = own_frame(shot, path, frame)
    stands = own_place(shot, path, frame, seen)
    key = Key(frame=own, position=stands.position, rotation=key_rotation(stands.rotation), focal_px=stands.focal)
    keys = [*(k for k in shot.move.keys if k.frame != own), key]
    speed = pace_through(curve, path, frame, own)
    after = shot.model_copy(update={"move": Move(keys=keys, speed=speed, sway=shot.move.sway)})
    there = travelled(after, shot_path(after), frame)
    assert np.allclose(there.position, seen.position, atol=1e-9) and there.focal == pytest.approx(seen.focal)
    assert np.allclose(there.rotation, seen.rotation, atol=1e-9)
    progress = [paced(speed, path, f) for f in np.linspace(1, 96, 191)]
    assert (np.diff(progress) >= -1e-9).all()
    assert own in FRAMES or abs(own - paced(curve, path, frame)) <= 0.5


def test_a_pace_that_holds_goes_on_holding_when_a_key_is_set_in_it():
    curve = [(1.0, 0.0), (30.0, 0.405), (60.0, 0.405), (96.0, 1.0)]
    shot = shot_with(speed=curve)
    path = shot_path(shot)
    own = own_frame(shot, path, 44)
    speed = pace_through(curve, path, 44, own)
    assert own == round(1 + 0.405 * 95)
    assert [paced(speed, path, f) for f in (30, 37.5, 44, 60)] == pytest.approx([own] * 4)


def test_a_key_near_by_is_taken_in_place_of_a_new_one():
    shot = shot_with(speed=[(1, 0), (96, 1)])
    path = shot_path(shot)
    for key in shot.move.keys:
        assert own_frame(shot, path, key.frame) == key.frame
    fast = shot_with(speed=[(1, 0), (40, 0.0), (50, 1.0), (96, 1)])
    inner = FRAMES[1]
    shown = min(range(40, 51), key=lambda f: abs(paced(fast.move.speed, path, f) - inner))
    assert own_frame(fast, path, shown) == inner  # no matter that a frame goes over ten of the keys' own


def steps(shot) -> np.ndarray:
    """Metres from each frame to the next."""
    path = shot_path(shot)
    return np.linalg.norm(np.diff([moment_at(shot, path, f).view.position for f in range(1, 97)], axis=0), axis=1)


def test_a_move_starts_and_ends_in_motion_where_it_is_told_to():
    pace = [(1, 0.0), (30, 0.42), (66, 0.58), (96, 1.0)]
    still = shot_with(speed=pace)
    moving = shot_with(speed=pace)
    moving.move.keys = with_ends(moving.move.keys, True)
    rests, goes = steps(still), steps(moving)
    assert max(rests[0], rests[-1]) < 0.15 * rests.max()  # the keys' own rest lies under the pace
    assert min(goes[0], goes[-1]) > 1.5 * goes[35:60].max()  # quick at the very ends, slow in the middle
    even = shot_with()
    even.move.keys = with_ends(even.move.keys, True)
    first = np.linalg.norm(np.subtract(even.move.keys[1].position, even.move.keys[0].position)) / (40 - 1)
    assert even.move.keys[0].speed == pytest.approx(first)
    assert [k.speed for k in with_ends(even.move.keys, False)] == [None] * 3
    for frame, key in zip(FRAMES, even.move.keys, strict=True):  # keys stay where they are
        assert np.allclose(place(even, frame).position, key.position)


def test_what_a_key_says_of_its_own_passing_stays_in_motion():
    keys = shot_with().move.keys
    keys[0] = keys[0].model_copy(update={"velocity": (0.1, 0.0, 0.0)})
    keys[2] = keys[2].model_copy(update={"free": ["position"]})
    got = with_ends(keys, True)
    assert got[0].velocity == (0.1, 0.0, 0.0) and got[0].speed is None
    assert got[1].speed and got[2].speed is None  # the last that holds a place
