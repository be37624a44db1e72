"""Keys that hold some of the camera only, and focus."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation
from tests.conftest import key_of, looking

from roofline.core.move.focus import focus_at, pixel_mm, sharpness
from roofline.core.move.path import Path
from roofline.model.move import Key, Move
from roofline.model.shot import Shot

FREE = st.lists(st.lists(st.sampled_from(["position", "rotation", "focal_px"]), unique=True), min_size=4, max_size=4)


def keys_of(free=((), (), (), ())) -> list[Key]:
    views = [
        looking(960, 540, f, pan, 3 * pan / 10, (x, 1.5, -x / 2))
        for f, pan, x in ((900, 0, 0), (1000, 10, 1), (1400, -20, 4), (800, 5, 5))
    ]
    keys = [key_of(v, f) for v, f in zip(views, (1, 10, 40, 60), strict=True)]
    return [k.model_copy(update={"free": list(x)}) for k, x in zip(keys, free, strict=True)]


@given(FREE)
@settings(max_examples=40, deadline=None)
def test_each_value_is_that_of_a_path_through_the_keys_that_hold_it(free):
    keys = keys_of(free)
    path = Path(keys, 1000)

    def alone(value: str) -> Path:
        held = [k for k in keys if value not in k.free] or keys[:1]
        return Path([k.model_copy(update={"free": []}) for k in held], 1000)

    for frame in (1, 7.5, 10, 33, 40, 59, 60, 70):
        position, rotation, focal = path.at(frame)
        assert position == pytest.approx(alone("position").at(frame)[0], abs=1e-12)
        assert rotation == pytest.approx(alone("rotation").at(frame)[1], abs=1e-12)
        assert focal == pytest.approx(alone("focal_px").at(frame)[2])


def test_a_key_that_holds_the_focal_length_alone_leaves_the_way_as_it_was():
    keys = keys_of()
    without = Path([keys[0], keys[1], keys[3]], 1000)
    keys[2].free = ["position", "rotation"]
    path = Path(keys, 1000)
    for frame in range(1, 61):
        assert path.at(frame)[0] == pytest.approx(without.at(frame)[0], abs=1e-12)
        assert path.at(frame)[1] == pytest.approx(without.at(frame)[1], abs=1e-12)
    assert path.at(40)[2] == pytest.approx(1400) and without.at(40)[2] != pytest.approx(1400, abs=50)


def test_turns_through_two_keys_are_the_shortest_way():
    keys = keys_of(((), ("rotation",), ("rotation",), ()))
    first, last = (Rotation.from_quat(keys[i].rotation, scalar_first=True) for i in (0, 3))
    half = Rotation.from_matrix(Path(keys, 1000).at(30.5)[1])
    whole = (first.inv() * last).magnitude()
    assert (first.inv() * half).magnitude() == pytest.approx(whole / 2) == (half.inv() * last).magnitude()


@given(st.floats(0.3, 200), st.floats(0.7, 32), st.floats(8, 300), st.floats(0.002, 0.05))
@settings(max_examples=80, deadline=None)
def test_what_is_called_sharp_blurs_to_a_pixel(focus, stop, focal_mm, circle):
    """Against the thin lens itself: where an image lies behind the lens, and how wide its cone is on the film."""
    focus = max(focus, focal_mm * 2e-3)

    def blur(depth: float) -> float:
        film = 1 / (1 / focal_mm - 1 / (1000 * focus))
        image = 1 / (1 / focal_mm - (0 if np.isinf(depth) else 1 / (1000 * depth)))
        return focal_mm / stop * abs(image - film) / image

    near, far = sharpness(focus, stop, focal_mm, circle)
    assert 0 < near <= focus <= far
    assert blur(near) == pytest.approx(circle, rel=1e-6) or near <= focal_mm / 1000
    assert blur(far) <= circle * (1 + 1e-6)
    assert np.isinf(far) or blur(far) == pytest.approx(circle, rel=1e-4)


def shot_with(focus: dict[int, tuple[float | None, float | None]]) -> Shot:
    keys = keys_of()
    for i, (distance, stop) in focus.items():
        keys[i] = keys[i].model_copy(update={"focus_m": distance, "f_stop": stop})
    return Shot(name="a", move=Move(keys=keys))


def test_focus_goes_from_key_to_key_without_overshoot_and_stays_beyond_them():
    shot = shot_with({0: (2.0, None), 2: (20.0, 2.8), 3: (20.0, None)})
    path = Path(shot.move.keys, shot.home_px)
    told = [focus_at(shot, path, f, 900) for f in range(1, 80)]
    distances = [f.focus_m for f in told]
    assert distances[0] == pytest.approx(2) and distances[39] == pytest.approx(20) == pytest.approx(distances[-1])
    assert all(b >= a - 1e-9 for a, b in zip(distances, distances[1:], strict=False))
    assert {f.f_stop for f in told} == {2.8}
    pitch = pixel_mm(shot)
    assert pitch == pytest.approx(36 / 1920)
    assert told[39].sharp_from_m == pytest.approx(sharpness(20, 2.8, 900 * pitch, pitch)[0])
    assert focus_at(shot_with({}), path, 5, 900) is None
    alone = focus_at(shot_with({1: (3.0, None)}), path, 50, 900)
    assert alone is not None and alone.focus_m == 3 and alone.sharp_from_m is None


def test_the_pace_of_the_move_is_the_focus_too():
    shot = shot_with({0: (2.0, None), 3: (20.0, None)})
    path = Path(shot.move.keys, shot.home_px)
    straight = focus_at(shot, path, 30.5, 900).focus_m
    shot.move = shot.move.model_copy(update={"speed": [(1, 0), (11, 0.5), (60, 1)]})
    assert focus_at(shot, path, 11, 900).focus_m == pytest.approx(straight)
