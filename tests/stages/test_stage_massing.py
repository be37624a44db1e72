"""The Massing stage on a desk, without a browser: pieces drawn, arranged, copied, locked, brought in."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from tests.conftest import looking
from tests.stages.conftest import png

from roofline.core.massing.kinds import Block, Ground, Wall
from roofline.core.massing.solids import faces_of
from roofline.errors import MassingError, NotFound
from roofline.model.handoff import Delivery
from roofline.model.massing import Motion
from roofline.model.photo import Photo
from roofline.model.plates import Plate, Throw
from roofline.model.shot import Shot
from roofline.model.survey import Camera, SecondRun, SurveyResult, SurveySigma
from roofline.stages import moving
from roofline.stages.massing import arranging as a
from roofline.stages.massing import bringing, drawing, pieces
from roofline.stages.massing import looking as looks

VIEW = looking(480, 320, 420, 18, -7, (0, 1.7, 0))


def camera() -> Camera:
    return Camera(
        width=480,
        height=320,
        focal_px=420,
        principal_point=(240, 160),
        distortion=(0, 0, 0, 0, 0),
        rotation=VIEW.rotation.tolist(),
        position=VIEW.position.tolist(),
    )


@pytest.fixture
def yard(desk):
    """A surveyed photo of a yard with a ground, a house and a wall, all thrown upon."""
    file = desk.store.blobs.keep(png(480, 320), ".png")
    shot = Shot(
        name="Yard",
        delivery=Delivery(width=240, height=160, frames=4),
        photos=[Photo(id="photo", name="Photo", file=file, width=480, height=320, camera=camera())],
        plates=[Plate(id="plate", name="Photo", photo="photo", file=file, canvas=(0, 0, 480, 320))],
        solids=[
            Ground(id="ground", name="Ground", size=(80, 80)),
            Block(id="house", name="House", corner=(1, 0, -14), size=(4, 3, 3)),
            Wall(id="wall", name="Wall", a=(-4, -9), b=(-1, -9), height=2),
        ],
        throws=[Throw(plate="plate", targets=["ground", "house", "wall/front"])],
    )
    return desk.store.create(shot)


def solids(desk, shot) -> dict:
    return {s.id: s for s in desk.store.load(shot).solids}


def corners(desk, shot, ident) -> np.ndarray:
    return np.asarray(faces_of(solids(desk, shot)[ident]).vertices, float)


def pixels(desk, shot, ident) -> np.ndarray:
    return VIEW.project(corners(desk, shot, ident))


def seen(point) -> tuple[float, float]:
    x, y = VIEW.project(np.array(point, float))
    return float(x), float(y)


# ---------------------------------------------------------------- drawn


def drawn(desk, shot, **gesture) -> list:
    return drawing.construct(desk, desk.store.load(shot), drawing.Gesture(photo="photo", **gesture))


def test_a_block_drawn_through_the_photo_has_the_size_that_was_seen(desk, yard):
    made = drawn(desk, yard, kind="block", points=[seen((-3, 0, -12)), seen((-1, 0, -14))], top=seen((-1, 2.5, -14)))
    v = np.asarray(faces_of(made[0]).vertices)
    assert v.min(0) == pytest.approx((-3, 0, -14), abs=1e-6)
    assert v.max(0) == pytest.approx((-1, 2.5, -12), abs=1e-6)


def test_what_is_drawn_beyond_the_horizon_or_of_nothing_is_refused_in_words(desk, yard):
    with pytest.raises(MassingError):
        drawn(desk, yard, kind="block", points=[(10.0, 5.0), (60.0, 8.0)], top=(60.0, 2.0))
    with pytest.raises(MassingError, match="3 points on the ground, not 2"):
        drawn(desk, yard, kind="slab", points=[seen((0, 0, -9)), seen((1, 0, -9))])
    with pytest.raises(NotFound):
        drawing.construct(desk, desk.store.load(yard), drawing.Gesture(kind="block", photo="nobody"))


def test_a_wall_on_its_foot_and_a_touch_that_finds_a_corner(desk, yard):
    wall = drawn(desk, yard, kind="wall", points=[seen((0, 0, -8)), seen((3, 0, -8))], top=seen((3, 2.2, -8)))[0]
    assert wall.a == pytest.approx((0, -8), abs=1e-6) and wall.height == pytest.approx(2.2, abs=1e-6)
    x, y = seen((1, 0, -11))  # a foot corner of the house
    got = drawing.touch(desk, desk.store.load(yard), "photo", (x + 3, y - 2), "foot", 8.0)
    assert got.pixel == pytest.approx((x, y), abs=1e-6)
    far = drawing.touch(desk, desk.store.load(yard), "photo", (x + 3, y - 2), "foot", 0.0)
    assert far.pixel == pytest.approx((x + 3, y - 2), abs=1e-6)


# ---------------------------------------------------------------- arranged


@settings(max_examples=15, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(by=st.tuples(*[st.floats(-20, 20)] * 3), turn=st.floats(-180, 180))
def test_pieces_are_moved_by_metres_and_turned_about_their_middle(desk, yard, by, turn):
    before, revision = {i: corners(desk, yard, i) for i in ("house", "wall")}, desk.store.revision(yard)
    middle = np.mean([(v.min(0) + v.max(0)) / 2 for v in before.values()], axis=0)
    a.arranged(desk, yard, a.Move3(ids=["house", "wall"], by=by, turn_deg=turn))
    c, s = np.cos(np.radians(turn)), np.sin(np.radians(turn))
    against_the_clock = np.array([[c, 0, s], [0, 1, 0], [-s, 0, c]])  # seen from above, Run to the right
    for ident, was in before.items():
        wanted = (was - middle) @ against_the_clock.T + middle + by
        assert np.allclose(corners(desk, yard, ident), wanted, atol=1e-6)
    if desk.store.revision(yard) > revision:
        desk.store.undo(yard)
    assert np.allclose(corners(desk, yard, "house"), before["house"])


@settings(max_examples=12, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(factor=st.floats(0.2, 5))
def test_pushed_in_depth_the_picture_stays(desk, yard, factor):
    before, away = pixels(desk, yard, "house"), np.linalg.norm(corners(desk, yard, "house") - VIEW.position, axis=1)
    revision = desk.store.revision(yard)
    a.arranged(desk, yard, a.Push(ids=["house"], factor=factor))
    assert np.allclose(pixels(desk, yard, "house"), before, atol=1e-6)
    now = np.linalg.norm(corners(desk, yard, "house") - VIEW.position, axis=1)
    assert np.allclose(now, factor * away, rtol=1e-9)
    if desk.store.revision(yard) > revision:
        desk.store.undo(yard)


def test_what_keeps_its_true_size_is_pushed_without_growing(desk, yard):
    a.arranged(desk, yard, a.Mark(ids=["house"], true_size=True))
    size = np.ptp(corners(desk, yard, "house"), axis=0)
    a.arranged(desk, yard, a.Push(ids=["house"], factor=1.7))
    assert np.allclose(np.ptp(corners(desk, yard, "house"), axis=0), size)


def test_stood_on_a_level_the_picture_stays(desk, yard):
    before = pixels(desk, yard, "house")
    a.arranged(desk, yard, a.Stand(ids=["house"], level=0.5))
    assert corners(desk, yard, "house")[:, 1].min() == pytest.approx(0.5)
    assert np.allclose(pixels(desk, yard, "house"), before, atol=1e-6)


def test_copies_stand_a_step_further_each_and_are_thrown_upon_alike(desk, yard):
    made = a.arranged(desk, yard, a.Repeat(ids=["house", "wall"], step=(6, 0, -1), times=3))
    assert len(made) == 6 and len(set(made)) == 6
    first = corners(desk, yard, "house")
    houses = [i for i in made if solids(desk, yard)[i].kind == "block"]
    for n, ident in enumerate(houses, 1):
        assert np.allclose(corners(desk, yard, ident), first + n * np.array((6, 0, -1)))
    targets = desk.store.load(yard).throws[0].targets
    assert all(i in targets for i in houses)
    assert [t for t in targets if t.endswith("/front")] == [
        "wall/front",
        *(f"{i}/front" for i in made if i not in houses),
    ]
    assert len({s.name for s in solids(desk, yard).values()}) == len(solids(desk, yard))


@pytest.mark.parametrize(("axis", "k"), [("run", 0), ("return", 2)])
def test_mirrored_twice_is_as_before(desk, yard, axis, k):
    before = corners(desk, yard, "house")
    a.arranged(desk, yard, a.Mirror(ids=["house"], axis=axis, at=2.5))
    now = corners(desk, yard, "house")
    assert now[:, k].min() == pytest.approx(5 - before[:, k].max())
    a.arranged(desk, yard, a.Mirror(ids=["house"], axis=axis, at=2.5))
    back = corners(desk, yard, "house")
    assert np.allclose(np.sort(back, axis=0), np.sort(before, axis=0))
    made = a.arranged(desk, yard, a.Mirror(ids=["house"], axis=axis, keep=True))
    assert len(made) == 1 and "house" in solids(desk, yard)


def test_a_face_is_brought_into_the_plane_of_another(desk, yard):
    a.arranged(desk, yard, a.Align(face="wall/front", to="house/front"))
    normal, offset = pieces.face_plane(desk, desk.store.load(yard), "house/front")
    assert np.allclose(corners(desk, yard, "wall") @ normal, offset, atol=1e-9) or np.allclose(
        corners(desk, yard, "wall") @ normal, -offset, atol=1e-9
    )
    with pytest.raises(MassingError, match="no face 'nowhere'"):
        a.arranged(desk, yard, a.Align(face="wall/nowhere", to="house/front"))


def test_a_locked_piece_stays_until_it_is_unlocked(desk, yard):
    a.arranged(desk, yard, a.Mark(ids=["house"], locked=True))
    before = desk.store.load(yard)
    for body in (
        a.Move3(ids=["wall", "house"], by=(1, 0, 0)),
        a.Push(ids=["house"], factor=2),
        a.Mirror(ids=["house"], axis="run"),
        a.Stand(ids=["house"], level=1),
    ):
        with pytest.raises(MassingError, match="locked"):
            a.arranged(desk, yard, body)
        assert desk.store.load(yard) == before  # of several pieces, none has moved
    a.arranged(desk, yard, a.Mark(ids=["house"], locked=False))
    a.arranged(desk, yard, a.Move3(ids=["house"], by=(1, 0, 0)))
    assert corners(desk, yard, "house")[:, 0].min() == pytest.approx(2)


def test_a_group_that_is_renamed_goes_on_moving(desk, yard):
    motion = Motion(drift=(0.1, 0, 0))
    a.arranged(desk, yard, a.Mark(ids=["house", "wall"], group="Front"))
    moving.set_group_motion(desk, yard, "Front", motion)
    a.arranged(desk, yard, a.Mark(ids=["wall"], group="Wall"))  # one leaves: the group is there, and moves
    assert [(g.name, g.motion) for g in desk.store.load(yard).groups] == [("Front", motion)]
    a.arranged(desk, yard, a.Mark(ids=["house"], group="Façade"))
    assert [(g.name, g.motion) for g in desk.store.load(yard).groups] == [("Façade", motion)]
    desk.store.undo(yard)
    assert [g.name for g in desk.store.load(yard).groups] == ["Front"]
    moving.set_group_motion(desk, yard, "Wall", Motion(drift=(0, 0.2, 0)))
    a.arranged(desk, yard, a.Mark(ids=["house"], group="Wall"))  # it joins one that moves by itself
    assert [(g.name, g.motion.drift) for g in desk.store.load(yard).groups] == [("Wall", (0, 0.2, 0))]
    a.arranged(desk, yard, a.Mark(ids=["house", "wall"], group=""))
    assert desk.store.load(yard).groups == []


def test_names_of_groups_and_tags_are_given_to_all_and_taken_again(desk, yard):
    a.arranged(desk, yard, a.Mark(ids=["house", "wall"], group="Front", tags=["brick", "old"], hidden=True))
    for ident in ("house", "wall"):
        piece = solids(desk, yard)[ident]
        assert (piece.group, piece.tags, piece.hidden) == ("Front", ["brick", "old"], True)
    a.arranged(desk, yard, a.Mark(ids=["wall"], group=""))
    assert solids(desk, yard)["wall"].group is None and solids(desk, yard)["house"].group == "Front"
    with pytest.raises(NotFound):
        a.arranged(desk, yard, a.Mark(ids=["nobody"], hidden=True))


def test_removed_pieces_are_named_by_nothing_and_come_back_whole(desk, yard):
    before = desk.store.load(yard)
    a.arranged(desk, yard, a.Remove(ids=["house", "wall"]))
    after = desk.store.load(yard)
    assert [s.id for s in after.solids] == ["ground"] and after.throws[0].targets == ["ground"]
    with pytest.raises(NotFound):
        a.arranged(desk, yard, a.Remove(ids=["ground", "house"]))
    assert [s.id for s in desk.store.load(yard).solids] == ["ground"]
    desk.store.undo(yard)
    assert desk.store.load(yard) == before


def test_a_new_order_leaves_behind_what_it_does_not_name(desk, yard):
    a.arranged(desk, yard, a.Order(ids=["wall", "ground"]))
    assert [s.id for s in desk.store.load(yard).solids] == ["wall", "ground", "house"]


# ---------------------------------------------------------------- brought in, looked at


def test_a_mesh_that_is_brought_keeps_its_size_and_is_thrown_upon(desk, yard):
    box = trimesh.creation.box((2.0, 1.0, 0.5))
    ident = bringing.bring(desk, yard, box.export(file_type="obj").encode(), "crate.obj")
    shot = desk.store.load(yard)
    piece = next(s for s in shot.solids if s.id == ident)
    v = faces_of(piece, desk.engines.meshes(shot)).vertices
    assert np.allclose(np.sort(np.ptp(v, axis=0)), (0.5, 1, 2), atol=1e-5)
    assert ident in shot.throws[0].targets
    with pytest.raises(Exception, match="mesh|OBJ|glTF"):
        bringing.bring(desk, yard, b"no mesh at all", "x.obj")


def test_the_stage_tells_how_many_pieces_there_are_and_what_of_the_frame_they_cover(desk, yard):
    told = []
    figure, _ = looks.telling(desk, yard, desk.store.load(yard), told.append)
    assert figure.startswith("3 solids")


@pytest.mark.parametrize(("off_deg", "reach", "laid"), [(1.5, 10, True), (1.5, 0, False), (25, 10, False)])
def test_a_wall_drawn_nearly_along_the_second_run_is_laid_along_it(desk, yard, off_deg, reach, laid):
    """A façade at an odd angle: within reach its wall takes the angle that the survey has, else it stays as drawn."""
    angle = np.radians(34.0)

    def odd(shot: Shot) -> Shot:
        result = SurveyResult(
            camera=camera(),
            sigma=SurveySigma(focal_px=1, rotation_deg=0.1),
            rms_px=0.3,
            edges=[],
            vanishing_points={},
            horizon=(0, 1, -160),
            second_run=SecondRun(angle_deg=34.0, sigma_deg=0.2),
        )
        return shot.model_copy(update={"photos": [shot.photos[0].model_copy(update={"result": result})]})

    drawn_at = angle + np.radians(off_deg)
    foot_a = np.array([-1.0, 0.0, -7.0])
    foot_b = foot_a + 3 * np.array([np.cos(drawn_at), 0, -np.sin(drawn_at)])
    points = [seen(foot_a), seen(foot_b)]
    gesture = drawing.Gesture(kind="wall", photo="photo", points=points, height=2.0, reach=reach)
    (wall,) = drawing.construct(desk, odd(desk.store.load(yard)), gesture)
    run, back = np.subtract(wall.b, wall.a)
    got = np.degrees(np.arctan2(-back, run)) % 180
    assert got == pytest.approx(34.0 if laid else 34.0 + off_deg, abs=1e-6 if laid else 0.05)
    assert wall.length == pytest.approx(3, rel=0.02)
