"""Constructions through the photo, snapping, dragging and setting pieces elsewhere: from any home camera."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from tests.conftest import looking
from tests.core.test_pieces import check_closed, check_faces

from roofline.core.massing import arrange, construct
from roofline.core.massing.kinds import Backdrop, Block, Column, Gable, Panel, Room, Slab, Wall
from roofline.core.massing.planes import plane_of
from roofline.core.massing.solids import faces_of
from roofline.errors import MassingError
from roofline.model.massing import KINDS

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


@pytest.mark.slow
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


@pytest.mark.slow
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
