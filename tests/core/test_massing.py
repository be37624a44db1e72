"""Solids, constructions through the photo, depth moves."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.conftest import looking

from roofline.core.massing import arrange, pull
from roofline.core.massing.kinds import Backdrop, Block, Column, Flat, Gable, Ground, Mesh, Wall
from roofline.core.massing.planes import plane_of, triangles_of
from roofline.core.massing.solids import faces_of
from roofline.errors import MassingError
from roofline.model.massing import MeshFace

VIEW = looking(3000, 2000, 2400, 25, -3, (-2.0, 1.7, 9.0), 0.4)
SOLIDS = [
    Ground(id="s", name="S", height=0.2),
    Block(id="s", name="S", corner=(1, 0, -3), size=(2, 3, 1.5), turn_deg=20),
    Gable(id="s", name="S", corner=(0, 3, -4), size=(4, 1.5, 3)),
    Gable(id="s", name="S", corner=(0, 3, -4), size=(4, 1.5, 3), ridge="return"),
    Column(id="s", name="S", foot=(1, 0, -5), radius_foot=1, radius_top=0.5, height=4, sides=12),
    Wall(id="s", name="S", a=(0, -2), b=(3, -4), height=2),
    Flat(id="s", name="S", foot=(0, 0, -1), heading_deg=25, extent=(-1, 1, -0.1, 2)),
    Backdrop(
        id="s", name="S", viewer=(0, 0, 0), heading_deg=20, distance=60, width=100, base=-1, height=40, arc_deg=60
    ),
    Mesh(
        id="s",
        name="S",
        vertices=[(0, 0, -3), (2, 0, -3), (2, 2, -3), (1, 1, -3), (0, 2, -3)],
        faces=[MeshFace(name="f", loop=[0, 1, 2, 3, 4])],
    ),
]


def volume(solid) -> float:
    """Signed volume of a closed solid; positive only if every loop is counter-clockwise from outside."""
    f = faces_of(solid)
    total = 0.0
    for loop in f.loops:
        p = f.vertices[loop]
        for t in triangles_of(p):
            total += np.linalg.det(p[t]) / 6
    return total


@pytest.mark.parametrize(
    ("solid", "expected"),
    [
        (SOLIDS[1], 2 * 3 * 1.5),
        (SOLIDS[2], 4 * 1.5 * 3 / 2),
        (SOLIDS[3], 4 * 1.5 * 3 / 2),
        (SOLIDS[4], 4 / 3 * (1 + 0.5 + 0.25) * 12 / 2 * np.sin(2 * np.pi / 12)),
    ],
)
def test_closed_solids_have_their_volume_and_face_outwards(solid, expected):
    assert volume(solid) == pytest.approx(expected, rel=1e-9)


@pytest.mark.parametrize("solid", SOLIDS, ids=lambda s: s.kind)
def test_all_faces_are_planar(solid):
    f = faces_of(solid)
    assert len(set(f.names)) == len(f.names) == len(f.loops)
    for loop in f.loops:
        p = f.vertices[loop]
        n, d = plane_of(p)
        assert np.abs(p @ n - d).max() < 1e-9


def test_a_concave_face_is_cut_into_its_own_area():
    p = faces_of(SOLIDS[-1]).vertices
    area = sum(np.linalg.norm(np.cross(p[b] - p[a], p[c] - p[a])) / 2 for a, b, c in triangles_of(p))
    assert area == pytest.approx(3.0)


@given(st.sampled_from(SOLIDS), st.floats(0.2, 5.0))
@settings(max_examples=80, deadline=None)
def test_a_depth_move_keeps_the_picture(solid, factor):
    """To 0.01 px from home, for every kind of solid."""
    before = VIEW.project(faces_of(solid).vertices)
    moved = arrange.pushed(solid, VIEW.position, factor)
    after = VIEW.project(faces_of(moved).vertices)
    assert np.nanmax(np.abs(before - after)) < 0.01 if not np.isnan(before).all() else True
    there = np.linalg.norm(faces_of(moved).vertices - VIEW.position, axis=1)
    assert np.allclose(there, factor * np.linalg.norm(faces_of(solid).vertices - VIEW.position, axis=1))


def test_a_block_drawn_through_the_photo_lands_on_its_corners():
    true = Block(id="b", name="B", corner=(1.0, 0, -6.0), size=(3.0, 2.4, 2.0))
    v = faces_of(true).vertices
    near, far, top = VIEW.project(v[[4, 1, 2]])
    got = Block.through(VIEW, "b", "B", tuple(near), tuple(far), tuple(top))
    assert np.allclose(faces_of(got).vertices, v, atol=1e-9)


def test_a_wall_faces_the_camera_whichever_way_it_is_drawn():
    a, b, top = VIEW.project(np.array([(0.0, 0, -4), (3.0, 0, -5), (3.0, 2.2, -5)]))
    one = Wall.through(VIEW, "w", "W", tuple(a), tuple(b), tuple(top))
    top_other = VIEW.project(np.array([0.0, 2.2, -4]))
    two = Wall.through(VIEW, "w", "W", tuple(b), tuple(a), tuple(top_other))
    for w in (one, two):
        f = faces_of(w)
        n, d = plane_of(f.vertices)
        assert n @ VIEW.position > d
        assert w.height == pytest.approx(2.2)
        assert {tuple(np.round(w.a, 6)), tuple(np.round(w.b, 6))} == {(0.0, -4.0), (3.0, -5.0)}


def test_a_flat_covers_its_plates_canvas_exactly():
    canvas = (1400.0, 700.0, 500.0, 620.0)
    foot = VIEW.project(np.array([0.5, 0, 3.0]))
    flat = Flat.through(VIEW, "f", "F", tuple(foot), canvas)
    p = VIEW.project(faces_of(flat).vertices)
    assert p[:, 0].min() <= 1400.01 and p[:, 0].max() >= 1899.99
    assert p[:, 1].min() <= 700.01 and p[:, 1].max() >= 1319.99
    assert np.allclose(flat.foot, (0.5, 0, 3.0), atol=1e-9)


def test_a_backdrop_covers_the_photo_and_a_margin():
    b = Backdrop.through(VIEW, "b", "B", 80.0, 0.3)
    p = VIEW.project(faces_of(b).vertices)
    assert p[:, 0].min() < -0.25 * 3000 and p[:, 0].max() > 1.25 * 3000 and p[:, 1].min() < -0.25 * 2000


@pytest.mark.parametrize("solid", [s for s in SOLIDS if s.kind not in ("backdrop",)], ids=lambda s: s.kind)
@pytest.mark.parametrize("axis", ["run", "rise", "return"])
def test_a_pulled_corner_follows_the_pointer(solid, axis):
    """The corner comes to lie on the pixel pulled to; nothing else changes where it need not."""
    f = faces_of(solid)
    away = np.linalg.norm(f.vertices - VIEW.position, axis=1)
    corner = int(np.argmin(np.where(np.isnan(VIEW.project(f.vertices)[:, 0]), np.inf, away)))
    start = f.vertices[corner]
    direction = {"run": np.array([1.0, 0, 0]), "rise": np.array([0, 1.0, 0]), "return": np.array([0, 0, 1.0])}[axis]
    turn = np.radians(getattr(solid, "turn_deg", 0.0))
    if axis != "rise":
        c, s = np.cos(turn), np.sin(turn)
        direction = np.array([[c, 0, s], [0, 1, 0], [-s, 0, c]]) @ direction
    if solid.kind == "flat" and axis != "rise":
        a = np.radians(solid.heading_deg)
        direction = np.array([np.cos(a), 0, np.sin(a)])
    wanted = VIEW.project(start + 0.2 * direction)
    got = pull.pulled(solid, VIEW, corner, axis, tuple(wanted))
    if solid.kind in ("block", "wall", "flat", "mesh", "ground") or (solid.kind == "gable" and axis != "rise"):
        spots = VIEW.project(faces_of(got).vertices)
        assert np.nanmin(np.linalg.norm(spots - wanted, axis=1)) < 0.01
    assert got != solid


def test_what_cannot_be_built_is_said():
    sky = (1500.0, 100.0)
    with pytest.raises(MassingError, match="above the horizon"):
        Block.through(VIEW, "b", "B", sky, (1500, 1700), None)
    spot = (1500.0, 1600.0)
    with pytest.raises(MassingError, match="width and a depth"):
        Block.through(VIEW, "b", "B", spot, spot, None)
    with pytest.raises(MassingError, match="length"):
        Wall.through(VIEW, "w", "W", spot, spot, None)
    with pytest.raises(MassingError, match="Pull the height up"):
        Wall.through(VIEW, "w", "W", spot, (1900, 1600), (1900, 1900))
    with pytest.raises(MassingError, match="some metres away"):
        Backdrop.through(VIEW, "b", "B", -4)
    with pytest.raises(MassingError, match="not there any more"):
        pull.pulled(SOLIDS[1], VIEW, 99, "run", spot)
