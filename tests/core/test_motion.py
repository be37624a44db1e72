"""Pieces that move: where they are, that their picture goes with them, what they uncover."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError
from scipy.spatial.transform import Rotation
from tests.conftest import key_of, looking, photographed

from roofline.core.massing.kinds import Block, Flat, Mesh, Panel
from roofline.core.massing.solids import faces_of
from roofline.core.moment import Pose
from roofline.core.move.motion import keyed
from roofline.core.move.path import moment_at, shot_path
from roofline.core.throw.engine import engine_of
from roofline.model.handoff import Delivery
from roofline.model.massing import Motion, MotionKey
from roofline.model.move import Carrier, Move
from roofline.model.plates import Throw
from roofline.model.shot import GroupMotion

TAKEN = looking(320, 200, 260.0, 0.0, 0.0, (0.0, 1.7, 6.0))
WALL = Panel(id="wall", name="Wall", points=[(-9, -3, -3), (9, -3, -3), (9, 7, -3), (-9, 7, -3)])


def block(**motion) -> Block:
    given = {"motion": Motion.model_validate(motion)} if motion else {}
    return Block(id="b", name="Block", corner=(-0.5, 0.4, 0.5), size=(1.0, 1.2, 0.8), **given)


def shot_with(piece, **more):
    throws = [Throw(plate="plate", targets=["b", "wall"])]
    shot, pictures = photographed(TAKEN, [piece, WALL], throws, delivery=Delivery(width=320, height=200, frames=48))
    keys = [key_of(TAKEN, 1), key_of(looking(320, 200, 260.0, 6.0, 0.0, (0.8, 1.8, 5.0)), 48)]
    return shot.model_copy(update={"move": Move(keys=keys, **more)}), pictures


def at(shot, frame: float):
    return moment_at(shot, shot_path(shot), frame)


def moved(piece, pose: Pose) -> Mesh:
    """The same piece built where a pose takes it."""
    faces = faces_of(piece)
    v = pose.shift + pose.scale * faces.vertices @ pose.rotation.T
    named = [{"name": n, "loop": loop} for n, loop in zip(faces.names, faces.loops, strict=True)]
    return Mesh.model_validate({"id": "b", "name": "Moved", "vertices": v.tolist(), "faces": named})


TURN = tuple(Rotation.from_euler("yx", [40, 8], degrees=True).as_quat(scalar_first=True))
KEYS = [{"frame": 5}, {"frame": 40, "offset": (0.9, 0.3, -0.6), "rotation": TURN, "scale": 1.3}]


@pytest.mark.parametrize("frame", [5, 17, 40])
def test_a_moved_piece_is_where_it_would_be_if_it_were_built_there(frame):
    shot, pictures = shot_with(block(keys=KEYS))
    engine, moment = engine_of(shot, pictures), at(shot, frame)
    there, same = shot_with(moved(block(), moment.poses["b"]))
    other = engine_of(there, same)
    assert np.allclose(engine.depth(moment), other.depth(at(there, frame)), rtol=1e-5)
    assert (engine.nearest(moment) == other.nearest(at(there, frame))).mean() > 0.999


def test_its_picture_goes_with_it_and_what_it_uncovers_is_bare():
    shot, pictures = shot_with(block(keys=[{"frame": 1}, {"frame": 48, "offset": (1.6, 0, 0)}]))
    engine, moment = engine_of(shot, pictures), at(shot, 48)
    got, pose = engine.measure(moment), moment.poses["b"]
    front = engine.geometry.names.index("b/front")
    y, x = np.nonzero(np.asarray(got.face) == front)
    pick = np.linspace(0, len(y) - 1, 12).astype(int)
    for row, col in zip(y[pick], x[pick], strict=True):
        story = engine.probe(moment, (col + 0.5, row + 0.5))
        rest = pose.rotation.T @ (np.array(story.world) - pose.shift) / pose.scale
        if abs(rest[2] - 1.3) > 1e-3:  # `world` is told as at rest where a piece has moved
            rest = np.array(story.world)
        assert np.allclose(TAKEN.project(rest[None])[0], story.plate_pixel, atol=1e-3)
    still = engine.measure(moment_at(shot_with(block())[0], shot_path(shot), 48))
    wall = engine.geometry.names.index("wall/front")
    bare = (np.asarray(got.verdict) == 4) & (np.asarray(got.face) == wall)
    covered = np.asarray(still.face) == engine.geometry.names.index("b/front")
    assert bare[covered].mean() > 0.3  # behind where it stood nothing was ever seen


@given(st.floats(5, 40))
@settings(max_examples=30, deadline=None)
def test_keys_are_met_and_never_overshot(frame):
    motion = Motion.model_validate({"keys": KEYS})
    offset, turn, scale = keyed(motion, frame)
    assert -1e-9 <= offset[0] <= 0.9 + 1e-9 and 1 - 1e-9 <= scale <= 1.3 + 1e-9
    assert turn.magnitude() <= Rotation.from_quat(TURN, scalar_first=True).magnitude() + 1e-9
    for key in motion.keys:
        offset, turn, scale = keyed(motion, key.frame)
        assert np.allclose(offset, key.offset) and scale == pytest.approx(key.scale)


def test_drift_is_metres_a_second_and_a_group_moves_its_pieces_together():
    shot, _ = shot_with(block(drift=(0.5, 0, 0)))
    pose = at(shot, 1 + 24).poses["b"]
    assert np.allclose(pose.shift, [0.5, 0, 0]) and np.allclose(pose.rotation, np.eye(3))
    grouped = block(keys=[{"frame": 1, "offset": (1.0, 0, 0)}]).model_copy(update={"group": "Pair"})
    wall = WALL.model_copy(update={"group": "Pair"})
    shot, _ = shot_with(grouped)
    quarter = tuple(Rotation.from_euler("y", 90, degrees=True).as_quat(scalar_first=True))
    motion = Motion.model_validate({"keys": [{"frame": 1, "rotation": quarter}], "pivot": (0, 0, 0)})
    shot = shot.model_copy(update={"solids": [grouped, wall], "groups": [GroupMotion(name="Pair", motion=motion)]})
    poses, turn = at(shot, 1).poses, Rotation.from_quat(quarter, scalar_first=True).as_matrix()
    assert np.allclose(poses["wall"].rotation, turn)
    x = np.array([0.2, 0.5, 0.9])
    assert np.allclose(poses["b"].shift + poses["b"].rotation @ x, turn @ (x + [1.0, 0, 0]))


@pytest.mark.parametrize("how", ["rise", "full"])
def test_a_piece_that_faces_the_lens_keeps_its_side_to_it(how):
    shot, _ = shot_with(block(faces_lens=how))
    first, last = at(shot, 1), at(shot, 48)
    assert np.allclose(first.poses["b"].rotation, np.eye(3), atol=1e-12)
    pivot, pose = np.array([0.0, 0.4, 0.9]), last.poses["b"]
    before, now = first.view.position - pivot, pose.rotation.T @ (last.view.position - pivot)
    if how == "rise":
        before, now = before[[0, 2]], now[[0, 2]]
    assert np.allclose(before / np.linalg.norm(before), now / np.linalg.norm(now), atol=1e-9)


def test_a_piece_rides_on_the_carrier():
    keys = {"keys": [{"frame": 1, "position": (0, 0, 0)}, {"frame": 48, "position": (0, 0, -2)}]}
    shot, _ = shot_with(block(rides=True), carrier=Carrier.model_validate(keys))
    assert np.allclose(at(shot, 48).poses["b"].shift, [0, 0, -2]) and np.allclose(at(shot, 1).poses["b"].shift, 0)


def test_what_cannot_be_shown_is_refused():
    fading = {"keys": [{"frame": 1, "opacity": 0.5}]}
    with pytest.raises(ValidationError, match="only flats can fade"):
        Block.model_validate({**block().model_dump(), "motion": fading})
    with pytest.raises(ValidationError, match="one of them"):
        MotionKey(frame=1, ease="rest", speed=0.1)
    with pytest.raises(ValidationError, match="same frame"):
        Motion.model_validate({"keys": [{"frame": 1}, {"frame": 1}]})
    assert Motion().still and not Motion(drift=(0, 0, 0.1)).still


def travelled_by(keys, frames=np.arange(1, 41)) -> np.ndarray:
    """Offsets along run at frames, and how fast they change there, by finite differences."""
    motion = Motion.model_validate({"keys": keys})
    h = 1e-4
    x = np.array([keyed(motion, f)[0][0] for f in frames])
    v = np.array([(keyed(motion, f + h)[0][0] - keyed(motion, f - h)[0][0]) / (2 * h) for f in frames])
    return np.stack([x, v])


def test_a_key_is_passed_at_rest_through_or_at_a_speed():
    keys = [{"frame": 1, "offset": (0, 0, 0)}, {"frame": 21, "offset": (2, 0, 0)}, {"frame": 40, "offset": (3, 0, 0)}]

    def middle(**how):
        x, v = travelled_by([keys[0], keys[1] | how, keys[2]])
        assert x[20] == pytest.approx(2) and x[0] == 0 and x[-1] == pytest.approx(3)
        return v[20]

    assert middle(ease="rest") == pytest.approx(0, abs=1e-6)
    assert middle(speed=0.25) == pytest.approx(0.25, abs=1e-5)
    assert middle(ease="pass") == pytest.approx((19 * 2 / 20 + 20 * 1 / 19) / 39, abs=1e-5)
    assert 0 < middle() <= 3 / 19 + 1e-9
    ends = [keys[0] | {"ease": "rest"}, keys[1], keys[2] | {"speed": 0.3}]
    _, leaving = travelled_by(ends, np.array([1.001, 39.999]))
    assert leaving[0] == pytest.approx(0, abs=2e-3) and leaving[1] == pytest.approx(0.3, abs=2e-3)


def test_a_turn_comes_to_rest_as_well():
    def quarter(**how):
        half = np.radians(45)
        turn = {"frame": 41, "rotation": (np.cos(half), 0, np.sin(half), 0)}
        motion = Motion.model_validate({"keys": [{"frame": 1}, turn | how, turn | {"frame": 60}]})
        return [np.degrees(keyed(motion, f)[1].magnitude()) for f in (1, 21, 40, 41, 50)]

    even, rested = quarter(), quarter(ease="rest")
    assert even == pytest.approx([0, 45, 87.75, 90, 90]) and rested[-2:] == pytest.approx([90, 90])
    assert 90 - rested[2] < 0.3 * (90 - even[2])


def test_a_group_fades_by_its_flats_and_the_rest_stays_whole():
    flat = Flat(id="f", name="Flat", foot=(0, 0, -5), heading_deg=0, extent=(-1, 1, 0, 2), group="all")
    fading = {"keys": [{"frame": 1}, {"frame": 48, "opacity": 0.2}]}
    shot, _ = shot_with(block())
    shot.solids = [s.model_copy(update={"group": "all"}) for s in shot.solids if s.id == "b"] + [flat]
    shot.groups = [GroupMotion.model_validate({"name": "all", "motion": fading})]
    poses = at(shot, 48).poses
    assert poses["f"].opacity == pytest.approx(0.2) and poses["b"].opacity == 1.0
    faded = flat.model_copy(update={"motion": Motion.model_validate({"keys": [{"frame": 1, "opacity": 0.5}]})})
    shot.solids = [shot.solids[0], faded]
    assert at(shot, 48).poses["f"].opacity == pytest.approx(0.1)  # one through the other
