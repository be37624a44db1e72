"""What a move shows that no verdict says, against closed forms and plain projection."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation
from tests.conftest import key_of, looking, photographed

from roofline.core.camera import View, view_of
from roofline.core.massing.kinds import Flat, Ground, Wall
from roofline.core.moment import Moment, Pose
from roofline.core.move.along import along, room_beyond
from roofline.core.move.borders import crossings
from roofline.core.move.path import moments
from roofline.core.move.rest import rest_of, standing
from roofline.core.throw.engine import engine_of
from roofline.core.throw.throws import PlatePicture
from roofline.model.massing import Motion, MotionKey
from roofline.model.move import Move
from roofline.model.plates import Throw
from roofline.model.steps import FringeStep

W, H, FOCAL = 960, 540, 900.0


def shot_of(solids, views: list[View], throws, frames=(1, 11), wide=(1600, 1200)):
    """A set photographed by a wider camera at the first view's place, and a move through views."""
    first = views[0]
    camera = looking(wide[0], wide[1], FOCAL, 0, 0, first.position)
    shot, pictures = photographed(camera, solids, throws)
    keys = [key_of(v, f) for v, f in zip(views, frames, strict=True)]
    delivery = shot.delivery.model_copy(update={"width": W, "height": H, "frames": frames[-1], "fps": 10.0})
    return shot.model_copy(update={"move": Move(keys=keys), "delivery": delivery}), pictures


def at(x, y, z, pan=0.0):
    return looking(W, H, FOCAL, pan, 0, (x, y, z))


def seen(shot, pictures):
    return along(shot, engine_of(shot, pictures), moments(shot))


def wall(z: float, ident="wall", half=60.0):
    return Wall(id=ident, name=ident, a=(-half, z), b=(half, z), base=-half, height=2 * half)


def ahead(views):
    """Which way along Return the views look."""
    return float(np.sign(views[0].rotation[2][2]))


def test_a_slide_runs_as_fast_as_similar_triangles_say():
    views = [at(0, 1.5, 0), at(1, 1.5, 0)]
    side = ahead(views)
    near, far = wall(side * 6, "near"), wall(side * 30, "far")
    near = near.model_copy(update={"a": (-60.0, side * 6), "b": (0.4, side * 6)})
    shot, pictures = shot_of([near, far], views, [Throw(plate="plate", targets=["near", "far"])])
    got = seen(shot, pictures)
    middle = next(f for f in got.frames if f.frame == 6)
    path = moments(shot)
    step = path[6].view.position - path[5].view.position
    assert middle.speed_m_s == pytest.approx(np.linalg.norm(step) * 10)
    focal = path[5].view.focal * path[5].view.unit
    assert middle.near_px == pytest.approx(focal * abs(step[0]) / 6, rel=1e-3)
    assert middle.far_px == pytest.approx(focal * abs(step[0]) / 30, rel=1e-3)
    assert got.rushed_px == pytest.approx(W / 30)


def test_the_room_beyond_the_frame_is_what_the_photo_has_left():
    views = [at(0, 1.5, 0), at(2, 1.5, 0)]
    side = ahead(views)
    shot, pictures = shot_of([wall(side * 10)], views, [Throw(plate="plate", targets=["wall"])])
    got = seen(shot, pictures)
    for f in (1, 4, 8, 11):
        frame = next(x for x in got.frames if x.frame == f)
        view = moments(shot)[f - 1].view
        photo = view_of(shot.photos[0].camera)
        corners = photo.position + 10 * photo.rays([[0.0, 0.0], [1600.0, 1200.0]])
        (left, top), (right, bottom) = view.project(corners)
        wanted = {"left_px": -left, "right_px": right - W, "top_px": -top, "bottom_px": bottom - H}
        for name, value in wanted.items():
            told = getattr(frame, name)
            room = got.room_px[0 if name in ("left_px", "right_px") else 1]
            if value > room:
                assert told is None, (f, name)
            else:
                assert told == pytest.approx(value, abs=2 * W / 192), (f, name)


@given(st.integers(0, 5), st.integers(0, 5), st.integers(0, 5), st.integers(0, 5))
@settings(max_examples=40, deadline=None)
def test_room_is_counted_from_every_side(left, right, top, bottom):
    """A picture that ends so many pixels beyond (or, taken off three, within) the frame's sides."""
    gap = np.ones((30, 40), bool)
    gap[10 - top : 20 + bottom, 10 - left : 30 + right] = False
    assert room_beyond(gap, 10, 10) == [left, right, top, bottom]
    within = np.zeros((30, 40), bool)
    within[:, : 10 + left] = True
    assert room_beyond(within, 10, 10)[:2] == [-left if left else 0, None]
    speck = np.zeros((30, 40), bool)
    speck[15, 4] = True
    assert room_beyond(speck, 10, 10) == [None] * 4


def test_stray_is_what_a_point_before_the_wall_slips():
    views = [at(0, 1.5, 0), at(1.5, 1.5, 0)]
    side = ahead(views)
    shot, pictures = shot_of([wall(side * 8)], views, [Throw(plate="plate", targets=["wall"])])
    got = seen(shot, pictures).strays[0]
    eye, view = views[0].position, moments(shot)[got.frame - 1].view
    # the wall's point at the place that was told, and 10 cm before it
    point = view.position + 8 * view.rays([[got.at[0] / view.unit, got.at[1] / view.unit]])[0]
    before = point - [0, 0, side * 0.1]
    shown = eye + (before - eye) * (8 / (8 - 0.1))
    slip = np.linalg.norm(view.project(before) - view.project(shown)) * view.unit
    assert got.slip_px == pytest.approx(slip, rel=0.01) and got.frame == 11 and got.slip_px > 1
    thin = point - [0, 0, side * got.relief_m]
    shown = eye + (thin - eye) * (8 / (8 - got.relief_m))
    assert np.linalg.norm(view.project(thin) - view.project(shown)) * view.unit == pytest.approx(1, rel=0.01)


def cut_out(soft: float):
    """A flat with a round matte before a wall; the border is `soft` photo pixels wide."""
    views = [at(0, 1.5, 0), at(1.0, 1.5, 0)]
    side = ahead(views)
    flat = Flat(id="flat", name="flat", foot=(0.0, -5.0, side * 5), heading_deg=0.0, extent=(-6, 6, 0, 12))
    shot, pictures = shot_of([flat, wall(side * 20)], views, [Throw(plate="plate", targets=["wall"])])
    y, x = np.mgrid[:1200, :1600] + 0.5
    matte = np.clip(0.5 + (150 - np.hypot(x - 800, y - 600)) / soft, 0, 1).astype(np.float32)
    piece = shot.plates[0].model_copy(update={"id": "round", "name": "Round"})
    throws = [Throw(plate="round", targets=["flat"]), *shot.throws]
    shot = shot.model_copy(update={"plates": [*shot.plates, piece], "throws": throws})
    whole = next(iter(pictures.values()))
    return shot, {**pictures, "round": PlatePicture(whole.size, matte, whole.colour)}, side


def test_a_cut_outs_border_slips_as_far_as_what_was_behind_it():
    shot, pictures, _ = cut_out(6.0)
    got = seen(shot, pictures)
    assert [e.plate for e in got.edges] == ["round"]
    edge, view = got.edges[0], moments(shot)[10].view
    scale = view.focal * view.unit / FOCAL  # delivered pixels per photo pixel
    # both planes face the lens: what was behind slips by f · t · (1/5 − 1/20), whatever the place
    wanted = view.focal * view.unit * 1.0 * (1 / 5 - 1 / 20)
    assert edge.frame == 11 and edge.slip_px == pytest.approx(wanted, rel=0.01)
    assert edge.feather_px == pytest.approx(6.0 * scale, rel=0.15)
    assert 0 < edge.frames < 11  # at home and just after it, nothing is seen
    fringe = {True: [FringeStep(id="f", off=True)], False: [FringeStep(id="f")]}
    for off, steps in fringe.items():
        plates = [p.model_copy(update={"steps": steps}) if p.id == "round" else p for p in shot.plates]
        assert bool(seen(shot.model_copy(update={"plates": plates}), pictures).edges) == off
    soft, pictures, _ = cut_out(400.0)
    assert seen(soft, pictures).edges == []  # softer than it slips


def test_a_border_is_found_where_the_matte_is_half():
    y, x = np.mgrid[:80, :120] + 0.5
    matte = np.clip(0.5 + (30 - np.hypot(x - 60, y - 40)) / 8, 0, 1).astype(np.float32)
    at_, step = crossings(matte)
    assert np.abs(np.hypot(*(at_ - [60, 40]).T) - 30).max() < 1.5
    assert np.linalg.norm(step, axis=1) == pytest.approx(np.full(len(step), 8), rel=0.1)
    outwards = ((at_ - [60, 40]) * step).sum(1)
    assert (outwards > 0).all()
    assert len(crossings(np.ones((20, 20), np.float32))[0]) == 0


def test_still_empty_and_open_sets_have_nothing_to_say():
    views = [at(0, 1.5, 0), at(0, 1.5, 0)]
    ground = Ground(id="ground", name="g", level=0)
    shot, pictures = shot_of([ground], views, [Throw(plate="plate", targets=["ground"])])
    got = seen(shot, pictures)
    assert all(f.speed_m_s == 0 and f.near_px == pytest.approx(0, abs=1e-6) for f in got.frames)
    assert all(s.slip_px == pytest.approx(0, abs=1e-6) and s.relief_m is None for s in got.strays)
    assert all(f.top_px is not None and f.top_px < 0 for f in got.frames)  # no sky: the frame's upper side is bare
    nothing = shot.model_copy(update={"solids": [], "throws": []})
    got = seen(nothing, pictures)
    assert all(f.near_px is None for f in got.frames) and not got.strays and not got.edges


@given(st.integers(0, 10_000))
@settings(max_examples=30, deadline=None)
def test_what_a_moved_piece_shows_lies_on_it_at_rest_and_goes_back_to_its_pixel(seed):
    rng = np.random.default_rng(seed)
    views = [at(0, 1.5, 0), at(0, 1.5, 0)]
    shot, pictures = shot_of([wall(ahead(views) * 12)], views, [Throw(plate="plate", targets=["wall"])])
    geometry, view = engine_of(shot, pictures).geometry, moments(shot)[0].view
    turn = Rotation.from_rotvec(rng.uniform(-0.4, 0.4, 3)).as_matrix()
    pose = Pose.about(rng.uniform(-2, 2, 3), turn, rng.uniform(-2, 2, 3), float(rng.uniform(0.5, 2)))
    moment = Moment(1, view, {"wall": pose})
    pixels, faces = rng.uniform((0, 0), (W, H), (20, 2)), np.zeros(20, np.int32)
    point, depth = rest_of(geometry, moment, pixels, faces)
    assert np.abs(point @ geometry.normals[0] - geometry.offsets[0]).max() < 1e-9
    stands = standing(geometry, moment, point, faces)
    assert stands == pytest.approx(np.array([pose.shift + pose.scale * pose.rotation @ p for p in point]))
    assert view.project(stands) == pytest.approx(pixels, abs=1e-6)
    assert (stands - view.position) @ view.rotation[2] == pytest.approx(depth)


def test_a_cut_out_that_fills_the_frame_hides_a_cut():
    """A flat 12 m wide passes from 12 m on the left to 12 m on the right before the lens, 2 m off."""
    shot, pictures, side = cut_out(6.0)
    flat = shot.solids[0].model_copy(
        update={
            "foot": (0.0, -5.0, side * 2),
            "motion": Motion(keys=[MotionKey(frame=1, offset=(-12, 0, 0)), MotionKey(frame=11, offset=(12, 0, 0))]),
        }
    )
    still_lens = shot.move.model_copy(
        update={"keys": [k.model_copy(update={"position": (0.0, 1.5, 0.0)}) for k in shot.move.keys]}
    )
    shot = shot.model_copy(update={"solids": [flat, shot.solids[1]], "move": still_lens})
    whole = pictures["round"]
    matte = np.ones_like(whole.matte)
    got = seen(shot, {**pictures, "round": PlatePicture(whole.size, matte, whole.colour)})
    reach = [abs(m.poses["flat"].shift[0]) + W / 2 / FOCAL * 2 for m in moments(shot)]  # of the frame's far side
    sees = 1600 / 2 / FOCAL * 2  # the photo's half width, on the flat at rest
    assert [f.frame for f in got.frames if f.hidden_by == "flat"] == [
        m.frame for m, r in zip(moments(shot), reach, strict=True) if r <= min(6.0, sees)
    ]
    assert any(f.hidden_by for f in got.frames) and not got.frames[0].hidden_by
