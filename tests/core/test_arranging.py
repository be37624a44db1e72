"""Pieces moved, turned, pushed in depth, aligned, dragged by corners and faces; what lies under the pointer."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from tests.core.test_building import HOME, homes, nearest
from tests.core.test_pieces import check_faces, solids

from roofline.core.massing import arrange, pull
from roofline.core.massing.kinds import Block, Column, Flat, Gable, Ground, Panel, Room, Slab, Steps, Wall
from roofline.core.massing.planes import plane_of
from roofline.core.massing.solids import faces_of, turned
from roofline.core.massing.touch import Place
from roofline.errors import MassingError
from roofline.model.massing import Cut

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


@pytest.mark.slow
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


@pytest.mark.slow
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
