"""Constructions through the photo, snapping, dragging and setting pieces elsewhere: from any home camera."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from tests.conftest import looking
from tests.core.test_pieces import check_closed, check_faces, solids

from roofline.core.massing import arrange, construct, pull
from roofline.core.massing.kinds import Backdrop, Block, Column, Flat, Gable, Ground, Panel, Room, Slab, Steps, Wall
from roofline.core.massing.planes import plane_of
from roofline.core.massing.solids import faces_of, turned
from roofline.core.massing.touch import Place
from roofline.errors import MassingError
from roofline.model.massing import KINDS, Cut

HOME = looking(3000, 2000, 2400, 25, -3, (-2.0, 1.7, 9.0), 0.4)


@st.composite
def homes(draw):
    """A camera some metres up that looks ahead, a little up or steeply down, rolled or not; wide or long."""
    return looking(
        3000,
        2000,
        draw(st.floats(1200, 9000)),
        draw(st.floats(-180, 180)),
        draw(st.floats(-35, 4)),
        (draw(st.floats(-20, 20)), draw(st.floats(0.8, 12)), draw(st.floats(-20, 20))),
        draw(st.floats(-4, 4)),
    )


pixel = st.tuples(st.floats(50, 2950), st.floats(50, 1950))


def on_ground(view, p, level=0.0):
    """The place of a pixel on a level, when it is below the horizon and not absurdly far away."""
    ray = view.rays(np.array(p))
    drop = (level - view.position[1]) / ray[1] if ray[1] < -1e-3 else -1.0
    assume(0 < drop < 400)
    return view.position + ray * drop


def nearest(view, vertices, p) -> float:
    """Pixels between a click and the corner that is seen nearest to it."""
    return float(np.nanmin(np.linalg.norm(view.project(vertices) - np.array(p), axis=1)))


def over(view, base, metres):
    """The pixel of a point so many metres over another."""
    p = view.project(base + np.array([0, metres, 0.0]))
    assume(not np.isnan(p).any())
    return float(p[0]), float(p[1])


@given(homes(), pixel, pixel, st.floats(0.3, 6), st.sampled_from(["block", "wall", "steps"]), st.floats(-0.5, 0.7))
@settings(max_examples=200, deadline=None)
def test_what_stands_on_two_feet_is_seen_where_it_was_clicked(view, a, b, height, kind, level):
    p, q = on_ground(view, a, level), on_ground(view, b, level)
    assume(abs(p[0] - q[0]) > 0.1 and abs(p[2] - q[2]) > 0.1)
    top = over(view, q, height)
    made = KINDS[kind].through(view, "s", "S", a, b, top, level=level)
    faces = faces_of(made)
    check_faces(faces)
    for click in (a, b) if kind == "steps" else (a, b, top):  # steps may be pulled up at their low end
        assert nearest(view, faces.vertices, click) < 0.01
    assert np.ptp(faces.vertices[:, 1]) == pytest.approx(height, rel=1e-6)
    if kind == "wall":
        n, d = plane_of(faces.vertices)
        assert n @ view.position > d
    else:
        check_closed(faces)


@given(homes(), st.lists(pixel, min_size=3, max_size=7), st.floats(0.05, 2))
@settings(max_examples=120, deadline=None)
def test_a_slabs_corners_are_its_clicks(view, clicks, thick):
    spots = np.array([on_ground(view, c) for c in clicks])
    area = np.linalg.norm(np.cross(spots, np.roll(spots, -1, axis=0)).sum(0)) / 2
    assume(area > 0.05)
    top = over(view, spots[-1], thick)
    made = Slab.through(view, "s", "S", clicks, top)
    for click in [*clicks, top]:
        assert nearest(view, faces_of(made).vertices, click) < 0.01
    assert made.thickness == pytest.approx(thick, rel=1e-6)


@given(homes(), st.floats(0.2, 4), st.floats(0.5, 8), st.floats(6, 40), st.floats(-15, 15))
@settings(max_examples=120, deadline=None)
def test_a_column_is_seen_between_the_borders_of_its_foot(view, radius, height, far, aside):
    """Clicked where the true foot's circle is seen widest; comes out as the true one."""
    assume(far > 2 * radius + 2)
    ahead = view.rotation[2] * [1, 0, 1]
    ahead /= np.linalg.norm(ahead)
    right = np.array([-ahead[2], 0, ahead[0]])
    a = np.radians(aside)
    foot = view.position * [1, 0, 1] + far * (np.cos(a) * ahead + np.sin(a) * right)
    half = np.arcsin(radius / far)
    clicks = []
    for sign in (-1, 1):
        d = (foot - view.position * [1, 0, 1]) / far
        c, s = np.cos(sign * half), np.sin(sign * half)
        touch = view.position * [1, 0, 1] + far * np.cos(half) * np.array([c * d[0] - s * d[2], 0, s * d[0] + c * d[2]])
        p = view.project(touch)
        assume(not np.isnan(p).any() and (np.abs(p) < 1e5).all())
        clicks.append((float(p[0]), float(p[1])))
    made = Column.through(view, "c", "C", clicks[0], clicks[1], over(view, foot, height))
    assert np.allclose(made.foot, foot, atol=1e-6 * far)
    assert made.radius_foot == pytest.approx(radius, rel=1e-6)
    assert made.height == pytest.approx(height, rel=1e-6)


@given(homes(), pixel, pixel, st.floats(-89, 89))
@settings(max_examples=100, deadline=None)
def test_a_roof_stands_on_its_block_and_its_ridge_where_it_was_pulled(view, a, b, turn):
    p, q = on_ground(view, a), on_ground(view, b)
    assume(abs(p[0] - q[0]) > 0.3 and abs(p[2] - q[2]) > 0.3)
    block = Block.through(view, "s", "S", a, b, over(view, q, 3.0))
    block = arrange.turned_about(block, p, turn)
    wanted = Gable.through(view, "r", "R", block, None)
    v = faces_of(wanted).vertices
    eaves = faces_of(block).vertices
    top = eaves[np.isclose(eaves[:, 1], eaves[:, 1].max())]
    assert all(np.min(np.linalg.norm(v - t, axis=1)) < 1e-9 for t in top)
    ridge = v[v[:, 1] > v[:, 1].max() - 1e-9]
    pixels = view.project(ridge)
    assume(not np.isnan(pixels).any())
    # of the ridge's two ends, the one that is pulled is the one nearer aside
    at = pixels[0] - [0.0, 0.0]
    bases = view.project(ridge - [0, wanted.size[1], 0])
    assume(abs(bases[0, 0] - at[0]) < abs(bases[1, 0] - at[0]))
    again = Gable.through(view, "r", "R", block, (float(at[0]), float(at[1])))
    assert np.allclose(again.size, wanted.size, rtol=1e-6)
    check_closed(faces_of(again))


def test_a_panel_lies_on_its_plane_and_faces_the_camera():
    plane = (np.array([0.0, 0.6, 0.8]), 1.0)
    clicks = [(1200.0, 900.0), (1900.0, 950.0), (1700.0, 1300.0), (1300.0, 1250.0)]
    made = Panel.through(HOME, "p", "P", clicks, plane)
    v = np.array(made.points)
    assert np.abs(v @ plane[0] - 1.0).max() < 1e-9
    assert plane_of(v)[0] @ (HOME.position - v[0]) > 0
    for click in clicks:
        assert nearest(HOME, v, click) < 0.01
    with pytest.raises(MassingError, match="three corners"):
        Panel.through(HOME, "p", "P", clicks[:2], plane)
    with pytest.raises(MassingError, match="does not lie"):
        Panel.through(HOME, "p", "P", clicks, (np.array([0, 0, 1.0]), 50.0))


def test_a_room_by_its_far_wall():
    view = looking(3000, 2000, 1500, 4, -2, (2.2, 1.5, -0.6))
    true = Room(id="r", name="R", corner=(0, 0, -7), size=(5.2, 2.8, 6.9), open=["front"])
    v = faces_of(true).vertices
    low, high = (tuple(view.project(np.array(p)).tolist()) for p in ((0.0, 0, -7), (5.2, 2.8, -7)))
    made = Room.through(view, "r", "R", low, high)
    assert np.allclose(made.corner, true.corner) and np.allclose(made.size, true.size)
    assert len(faces_of(made).loops) == 5
    assert np.allclose(faces_of(made).vertices, v)
    other_way = [tuple(view.project(np.array(p)).tolist()) for p in ((5.2, 0, -7), (0.0, 2.8, -7))]
    again = Room.through(view, "r", "R", *other_way)
    assert np.allclose(again.corner, made.corner) and np.allclose(again.size, made.size)
    with pytest.raises(MassingError, match="upper one opposite"):
        Room.through(view, "r", "R", low, (low[0] + 300, low[1]))


def test_a_folded_picture_meets_where_it_was_clicked():
    distance, level = construct.fold(HOME, (1500.0, 1100.0))
    screen = Backdrop.through(HOME, "b", "B", distance)
    f = faces_of(screen)
    n, d = plane_of(f.vertices[f.loops[0]])
    spot = HOME.position + HOME.rays(np.array([1500.0, 1100.0])) * (
        (level - HOME.position[1]) / HOME.rays(np.array([1500.0, 1100.0]))[1]
    )
    assert abs(n @ spot - d) < 1e-9


@pytest.mark.parametrize("face", ["front", "left"])
def test_an_opening_is_cut_where_it_was_drawn(face):
    block = Block(id="b", name="House", corner=(0, 0, -4), size=(6, 3, 4), turn_deg=12)
    f = faces_of(block)
    loop = f.vertices[f.loops[f.names.index(face)]]
    view = HOME if face == "front" else looking(3000, 2000, 2000, 70, 0, (-8, 1.6, 1.0))
    origin, along, up = loop[0], loop[1] - loop[0], loop[3] - loop[0]
    spots = [origin + 0.3 * along + 0.2 * up, origin + 0.5 * along + 0.8 * up]
    a, b = (tuple(view.project(p).tolist()) for p in spots)
    made = construct.recess(view, block, face, a, b, 0.4, "Door")
    corners = faces_of(made).vertices
    for p in spots:
        assert np.min(np.linalg.norm(corners - p, axis=1)) < 1e-6
        inner = p - 0.4 * plane_of(loop)[0]
        assert np.min(np.linalg.norm(corners - inner, axis=1)) < 1e-6
    check_closed(faces_of(made))
    twice = construct.recess(view, made, face, a, b, 0.2, "Door")
    assert [c.name for c in twice.cuts] == ["Door", "Door 2"]


def test_openings_in_walls_and_bays_of_rooms():
    wall = Wall(id="w", name="W", a=(-3, -2), b=(4, -4), height=3)
    f = faces_of(wall).vertices
    spot = [f[0] + 0.4 * (f[1] - f[0]) + [0, y, 0] for y in (0.0, 2.1)]
    spot[1] = spot[1] + 0.1 * (f[1] - f[0])
    a, b = (tuple(HOME.project(p).tolist()) for p in spot)
    made = construct.recess(HOME, wall, "front", a, b, 0.0, "Gate")
    assert np.min(np.linalg.norm(faces_of(made).vertices - spot[1], axis=1)) < 1e-6
    room = Room(id="r", name="R", corner=(-4, 0, -8), size=(8, 3, 20))
    a, b = (tuple(HOME.project(np.array(p)).tolist()) for p in ((-1.0, 1, -8), (2.0, 2, -8)))
    bay = construct.recess(HOME, room, "back", a, b, 0.5, "Bay")
    back = faces_of(bay)
    assert back.vertices[back.loops[back.names.index("Bay-back")]][:, 2] == pytest.approx(-8.5)
    with pytest.raises(MassingError, match="depth"):
        construct.recess(HOME, room, "back", a, b, 0.0, "Bay")


# ---------------------------------------------------------------- setting elsewhere

every = st.one_of(
    solids,
    st.just(Ground(id="s", name="S", profile=[(-4, 0), (0, 0.5), (0, 1)], size=(5, 9))),
    st.just(
        Wall(id="s", name="S", a=(0, -2), b=(3, -4), height=2, cuts=[Cut(name="C", low=(1, 0.5, 0), high=(2, 1.5, 0))])
    ),
    st.just(Flat(id="s", name="S", foot=(0, 0, -1), heading_deg=25, extent=(-1, 2, -0.1, 2))),
    st.just(Room(id="s", name="S", corner=(-3, 0, -8), size=(5, 3, 6), turn_deg=20, open=["left"])),
    st.just(Panel(id="s", name="S", points=[(0, 0, -3), (2, 0, -3), (1, 2, -4)])),
)


@given(every, st.floats(0.1, 50), homes())
@settings(max_examples=250, deadline=None)
def test_a_depth_move_keeps_the_picture_from_a_tenth_to_fifty_times(solid, factor, view):
    before = view.project(faces_of(solid).vertices)
    after = view.project(faces_of(arrange.pushed(solid, view.position, factor)).vertices)
    seen = ~np.isnan(before[:, 0]) & (np.abs(before) < 1e5).all(1)
    assert np.abs(after[seen] - before[seen]).max(initial=0) < 0.01


def same_place(a, b) -> bool:
    """Whether two lists of corners are the same places, in any order."""
    away = np.linalg.norm(a[:, None] - b[None], axis=-1)
    return len(a) == len(b) and bool((away.min(1) < 3e-5).all() and (away.min(0) < 3e-5).all())


@given(every, st.floats(-170, 170), st.tuples(st.floats(-9, 9), st.floats(-3, 3), st.floats(-9, 9)))
@settings(max_examples=150, deadline=None)
def test_moving_turning_and_mirroring_do_that_to_every_corner(solid, turn, shift):
    v = faces_of(solid).vertices
    assume(len(v))  # cuts may leave nothing
    there = faces_of(arrange.moved(solid, np.array(shift)))
    assert np.allclose(there.vertices, v + np.array(shift), atol=1e-9)
    if not isinstance(solid, Ground):
        pivot = np.array([1.0, 0, -2])
        wanted = turned(v - pivot, tuple(pivot), turn)
        assert np.allclose(faces_of(arrange.turned_about(solid, pivot, turn)).vertices, wanted, atol=1e-7)
    for axis, k in (("run", 0), ("return", 2)):
        other = faces_of(arrange.mirrored(solid, axis, 1.5))
        wanted = v.copy()
        wanted[:, k] = 3.0 - wanted[:, k]
        assert same_place(other.vertices, wanted)
        normals = sorted(tuple(np.round(plane_of(other.vertices[loop])[0], 5) + 0.0) for loop in other.loops)
        flipped = []
        for loop in faces_of(solid).loops:
            n = plane_of(v[loop])[0].copy()
            n[k] *= -1
            # a sheet keeps the side it is seen from; so does everything: its front is mirrored with it
            flipped.append(tuple(np.round(n, 5) + 0.0))
        assert normals == sorted(flipped)


def test_a_ground_is_not_turned_and_says_so():
    with pytest.raises(MassingError, match="not turned"):
        arrange.turned_about(Ground(id="g", name="Yard"), np.zeros(3), 10)


@given(every, st.floats(-3, 0.4))
@settings(max_examples=80, deadline=None)
def test_set_on_a_level_it_stands_there_and_looks_the_same(solid, level):
    low = faces_of(solid).vertices[:, 1].min()
    assume(low < 1.4)
    made = arrange.stood(solid, level, HOME.position)
    assert faces_of(made).vertices[:, 1].min() == pytest.approx(level, abs=1e-6)
    before, after = (HOME.project(faces_of(s).vertices) for s in (solid, made))
    seen = ~np.isnan(before[:, 0]) & (np.abs(before) < 1e5).all(1)
    assert np.abs(after[seen] - before[seen]).max(initial=0) < 0.01
    true = arrange.stood(solid.model_copy(update={"true_size": True}), level, HOME.position)
    assert np.allclose(faces_of(true).vertices - faces_of(solid).vertices, [0, level - low, 0], atol=1e-9)


def test_a_true_size_is_carried_along_the_ground_instead():
    block = Block(id="b", name="B", corner=(0, 0, -4), size=(2, 1, 1), true_size=True)
    made = arrange.pushed(block, HOME.position, 2.0)
    assert made.size == block.size and made.corner[1] == 0
    near, far = (arrange.middle_of(s) - HOME.position for s in (block, made))
    assert np.allclose(far[[0, 2]], 2 * near[[0, 2]])


@given(st.floats(-180, 180), st.floats(-180, 180))
@settings(max_examples=60, deadline=None)
def test_a_face_is_aligned_with_another(turn, other):
    block = Block(id="b", name="B", corner=(1, 0, -3), size=(2, 3, 1.5), turn_deg=turn)
    wall = faces_of(Block(id="w", name="W", corner=(-6, 0, -9), size=(5, 4, 2), turn_deg=other))
    plane = plane_of(wall.vertices[wall.loops[wall.names.index("front")]])
    made = arrange.aligned(block, "front", plane)
    f = faces_of(made)
    p = f.vertices[f.loops[f.names.index("front")]]
    assert np.abs(p @ plane[0] - plane[1]).max() < 1e-9
    assert made.size == block.size
    top = arrange.aligned(block, "top", (np.array([0, 1.0, 0]), 5.0))
    assert top.corner == pytest.approx((1, 2, -3))
    with pytest.raises(MassingError, match="lean differently"):
        arrange.aligned(block, "top", plane)


# ---------------------------------------------------------------- dragging


@given(solids, st.data())
@settings(max_examples=200, deadline=None)
def test_a_dragged_corner_goes_as_far_as_the_hand(solid, data):
    """Some corner comes to lie where the dragged one was taken to, along its own axis; faces stay as they must be."""
    v = faces_of(solid).vertices
    corner = data.draw(st.integers(0, len(v) - 1))
    axis = data.draw(st.sampled_from(["run", "rise", "return"]))
    by = data.draw(st.floats(-0.05, 0.05))
    if isinstance(solid, Column | Gable):  # tapered, hipped: a corner moves with all of its ring
        return
    if isinstance(solid, Block) and len(solid.cuts) > 1:  # where cuts meet, a corner may be of both
        return
    made = pull.pulled_by(solid, corner, axis, by)
    wanted = v[corner] + by * pull.axis_of(solid, axis)
    after = faces_of(made).vertices
    check_faces(faces_of(made), thinnest=0.0)
    if isinstance(solid, Steps):
        return
    assert np.min(np.linalg.norm(after - wanted, axis=1)) < 1e-6


@pytest.mark.parametrize("gap", [0.0, 4e-5, -4e-5])
def test_an_opening_s_corner_is_dragged_where_the_opening_ends_by_a_hair_at_the_wall(gap):
    """Lines that near are drawn as one; the corner at which they meet belongs to the opening all the same."""
    door = Cut(name="Door", low=(0.2, 0, gap), high=(0.5, 1, 1))
    block = Block(id="b", name="B", corner=(0, 0, 0), size=(1, 1, 5), cuts=[door])
    v = faces_of(block).vertices
    corner = int(np.argmin(np.linalg.norm(v - (0.5, 0, 0), axis=1)))
    made = pull.pulled_by(block, corner, "run", 0.03125)
    assert made.cuts[0].high == pytest.approx((0.53125, 1, 1), abs=1e-12)
    assert made.cuts[0].low == door.low and made.size == block.size


@pytest.mark.parametrize("kind", ["block", "room", "slab", "column", "wall", "ground"])
@pytest.mark.parametrize("by", [0.4, -0.2])
def test_a_dragged_face_moves_along_its_normal_and_the_others_stay(kind, by):
    solid = {
        "block": Block(id="s", name="S", corner=(1, 0, -3), size=(2, 3, 1.5), turn_deg=20),
        "room": Room(id="s", name="S", corner=(-3, 0, -8), size=(5, 3, 6), turn_deg=10),
        "slab": Slab(id="s", name="S", outline=[(0, 0), (3, 0), (4, -3), (0, -2)], level=1.0, thickness=0.5),
        "column": Column(id="s", name="S", foot=(1, 0, -5), radius_foot=1, radius_top=1, height=4, sides=12),
        "wall": Wall(id="s", name="S", a=(0, -2), b=(3, -4), height=2),
        "ground": Ground(id="s", name="S", size=(20, 20)),
    }[kind]
    before = faces_of(solid)
    planes = [plane_of(before.vertices[loop]) for loop in before.loops]
    for name, (normal, offset) in zip(before.names, planes, strict=True):
        if kind == "column" and name == "base":
            continue
        after = faces_of(pull.shoved_by(solid, name, by))
        moved = dict(zip(after.names, [plane_of(after.vertices[loop]) for loop in after.loops], strict=True))
        n, d = moved[name]
        assert np.allclose(n, normal, atol=1e-9)
        grown = by * (np.cos(np.pi / 12) if kind == "column" and name.startswith("side") else 1.0)
        assert d == pytest.approx(offset + grown, abs=1e-9)
        if kind in ("block", "room"):
            others = [k for k in moved if k != name]
            assert all(np.isclose(moved[k][1], planes[before.names.index(k)][1]) for k in others)


def test_a_face_follows_the_pointer():
    block = Block(id="s", name="S", corner=(-1, 0, -3), size=(3, 2, 1.5))
    f = faces_of(block)
    spot = f.vertices[f.loops[f.names.index("front")]].mean(0)
    start, end = (tuple(HOME.project(spot + [0, 0, k]).tolist()) for k in (0.0, 0.7))
    made = pull.shoved(block, HOME, "front", start, end)
    assert made.size == pytest.approx((3, 2, 2.2)) and made.corner == block.corner


def test_a_cuts_corner_and_side_are_dragged_without_the_block():
    block = Block(
        id="b", name="B", corner=(0, 0, -4), size=(6, 3, 4), cuts=[Cut(name="Door", low=(2, 0, 3.7), high=(3, 2, 4))]
    )
    v = faces_of(block).vertices
    corner = int(np.argmin(np.linalg.norm(v - [3, 2, 0], axis=1)))
    made = pull.pulled_by(block, corner, "run", 0.5)
    assert made.size == block.size and made.cuts[0].high == (3.5, 2, 4)
    deeper = pull.shoved_by(block, "Door-back", -0.2)
    assert deeper.cuts[0].low == pytest.approx((2, 0, 3.5))
    wider = pull.pulled_by(block, int(np.argmin(np.linalg.norm(v, axis=1))), "run", -1.0)
    assert wider.size[0] == 7 and wider.cuts[0].low[0] == 3  # the door stays where it is in the place


# ---------------------------------------------------------------- under the pointer

PLACE = Place(
    [
        Ground(id="g", name="Yard"),
        Block(id="h", name="House", corner=(0, 0, -6), size=(6, 3, 4)),
        Slab(id="p", name="Stage", outline=[(-4, -1), (-1, -1), (-1, 1), (-4, 1)], level=0.8, thickness=0.8),
    ]
)


def test_a_foot_lands_on_what_can_be_stood_on():
    on = tuple(HOME.project(np.array([-2.5, 0.8, 0.0])).tolist())
    touch = PLACE.touch(HOME, on)
    assert touch.surface == "p/top" and np.allclose(touch.world, [-2.5, 0.8, 0.0])
    wall = tuple(HOME.project(np.array([3.0, 1.0, -2.0])).tolist())
    assert PLACE.touch(HOME, wall, "face").surface == "h/front"
    assert PLACE.touch(HOME, wall).surface == "ground"  # a wall cannot be stood on
    sky = PLACE.touch(HOME, (1500.0, 20.0))
    assert sky.world is None


@given(st.floats(-8, 8), st.floats(-8, 8))
@settings(max_examples=60, deadline=None)
def test_near_a_corner_the_corner_is_meant(dx, dy):
    at = HOME.project(np.array([6.0, 0, -2.0]))
    touch = PLACE.touch(HOME, (float(at[0] + dx), float(at[1] + dy)), reach=12)
    assert touch.to == "corner of House" and np.allclose(touch.world, [6, 0, -2])
    assert np.allclose(touch.pixel, at)
    loose = PLACE.touch(HOME, (float(at[0] + dx), float(at[1] + dy)), reach=0)
    assert loose.to is None and loose.pixel == (float(at[0] + dx), float(at[1] + dy))


def test_along_an_edge_heights_and_traced_edges():
    world = np.array([2.2, 0.0, -2.0])
    at = HOME.project(world) + [0, 5]
    touch = PLACE.touch(HOME, tuple(at.tolist()), reach=10)
    assert touch.to == "edge of House" and abs(touch.world[2] + 2) < 1e-9 and abs(touch.world[1]) < 1e-9
    assert nearest(HOME, touch.world[None], touch.pixel) < 1e-6
    base = np.array([-2.0, 0, 0.0])
    wanted = HOME.project(base + [0, 3.0, 0])
    height = PLACE.touch(HOME, tuple((wanted + [40, 4]).tolist()), "height", base=base, reach=10)
    assert height.to == "height of House" and np.allclose(height.world, base + [0, 3.0, 0])
    assert PLACE.touch(HOME, tuple((wanted + [40, 30]).tolist()), "height", base=base, reach=10).to is None
    lines = [
        (np.array([500.0, 1500.0]), np.array([900.0, 1500.0])),
        (np.array([700.0, 1300.0]), np.array([700.0, 1600.0])),
    ]
    crossing = PLACE.touch(HOME, (703.0, 1496.0), reach=8, lines=lines)
    assert crossing.pixel == pytest.approx((700, 1500)) and "cross" in crossing.to
    single = PLACE.touch(HOME, (600.0, 1503.0), reach=8, lines=lines)
    assert single.pixel == pytest.approx((600, 1500)) and single.to == "traced edge"
    level = PLACE.touch(HOME, tuple(HOME.project(np.array([6.0, 3, -2])).tolist()), level=0.0, reach=8)
    assert level.to is None  # a corner up there is not on the ground
