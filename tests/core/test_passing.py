"""Keys that say how they are passed: by a drawn velocity, or at a speed along the path's own way."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from roofline.core.move.bring_back import shrunk
from roofline.core.move.path import Path
from roofline.model.move import Key


def key(frame, position, **more):
    return Key(frame=frame, position=position, rotation=(1, 0, 0, 0), focal_px=1000, **more)


SPOTS = [(1, (0.0, 1.6, 0.0)), (41, (2.0, 1.7, -1.0)), (101, (3.0, 1.6, -5.0))]
FLOATS = st.floats(-0.5, 0.5)


def path(*more) -> Path:
    return Path([key(f, p, **m) for (f, p), m in zip(SPOTS, more, strict=True)], 1000)


def slope(of: Path, frame: float, side: int) -> np.ndarray:
    """The derivative on one side of a frame, by differences of third order, which a cubic has exactly."""
    h = 0.01 * side
    a, b, c, d = (of.at(frame + k * h)[0] for k in range(4))
    return (-11 * a + 18 * b - 9 * c + 2 * d) / (6 * h)


@given(first=st.tuples(FLOATS, FLOATS, FLOATS), inner=st.tuples(FLOATS, FLOATS, FLOATS))
def test_a_drawn_velocity_is_that_of_the_path(first, inner):
    drawn = path({"velocity": first}, {"velocity": inner}, {})
    np.testing.assert_allclose(slope(drawn, 1, 1), first, atol=1e-9)
    for side in (-1, 1):  # smooth there
        np.testing.assert_allclose(slope(drawn, 41, side), inner, atol=1e-9)
    np.testing.assert_allclose(slope(drawn, 101, -1), 0, atol=1e-9)  # the last one rests as ever
    for frame, spot in SPOTS:
        np.testing.assert_allclose(drawn.at(frame)[0], spot, atol=1e-12)


@given(speed=st.floats(1e-3, 1.0))
def test_a_speed_goes_the_paths_own_way(speed):
    plain, set_ = path({}, {}, {}), path({}, {"speed": speed}, {})
    way = slope(plain, 41, 1)
    got = slope(set_, 41, 1)
    assert np.linalg.norm(got) == pytest.approx(speed, rel=1e-6)
    np.testing.assert_allclose(got / speed, way / np.linalg.norm(way), atol=1e-6)


def test_at_an_end_a_speed_goes_towards_the_next_key():
    running = path({"speed": 0.05}, {}, {"speed": 0.08})
    way = np.subtract(SPOTS[1][1], SPOTS[0][1])
    np.testing.assert_allclose(slope(running, 1, 1), 0.05 * way / np.linalg.norm(way), atol=1e-9)
    back = np.subtract(SPOTS[2][1], SPOTS[1][1])
    np.testing.assert_allclose(slope(running, 101, -1), 0.08 * back / np.linalg.norm(back), atol=1e-9)
    np.testing.assert_allclose(running.at(130)[0], SPOTS[2][1])  # and stands beyond it


def test_it_says_nothing_of_other_spans_and_values():
    keys = [key(f, p) for f, p in [*SPOTS, (161, (4.0, 1.6, -9.0))]]
    drawn = [*keys[:1], keys[1].model_copy(update={"velocity": (0.3, 0.1, 0.2)}), *keys[2:]]
    one, other = Path(keys, 1000), Path(drawn, 1000)
    for frame in (101, 120, 161):
        np.testing.assert_allclose(one.at(frame)[0], other.at(frame)[0], atol=1e-12)
    assert not np.allclose(one.at(70)[0], other.at(70)[0])
    np.testing.assert_array_equal(one.at(70)[1], other.at(70)[1])


def test_keys_that_stand_in_one_spot_have_no_way_to_go():
    still = Path([key(1, (0, 1, 0), speed=0.1), key(50, (0, 1, 0))], 1000)
    np.testing.assert_allclose(still.at(20)[0], (0, 1, 0))


def test_brought_back_it_is_as_much_slower():
    keys = [key(1, (0, 1.6, 0)), key(41, (2, 1.6, 0), velocity=(0.1, 0, 0.2)), key(101, (3, 1.6, -5), speed=0.04)]
    half = shrunk(keys, keys[0], 0.5)
    np.testing.assert_allclose(half[1].velocity, (0.05, 0, 0.1))
    assert half[2].speed == pytest.approx(0.02)
    whole, small = Path(keys, 1000), Path(half, 1000)
    for frame in np.linspace(1, 101, 31):
        np.testing.assert_allclose(small.at(frame)[0], (whole.at(frame)[0] + keys[0].position) / 2, atol=1e-12)
    assert shrunk(keys, keys[0], 0.0)[2].speed is None


@pytest.mark.parametrize(
    "more",
    [
        {"velocity": (0, 0, 1), "speed": 1.0},
        {"ease": "rest", "speed": 1.0},
        {"free": ["position"], "velocity": (0, 0, 1)},
    ],
)
def test_what_contradicts_itself_is_refused(more):
    with pytest.raises(ValueError, match="a key"):
        key(1, (0, 0, 0), **more)
