"""Every kind of piece, for any measures: closed where it is a solid, wound outwards, planar, without slivers."""

from __future__ import annotations

from collections import Counter
from itertools import combinations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from roofline.core.massing.kinds import Backdrop, Block, Column, Gable, Ground, Panel, Room, Slab, Steps, Wall
from roofline.core.massing.planes import plane_of, triangles_of
from roofline.core.massing.solids import faces_of
from roofline.model.massing import Cut

metres = st.floats(0.3, 12.0)
place = st.tuples(st.floats(-30, 30), st.floats(-2, 5), st.floats(-40, 5))
size = st.tuples(metres, metres, metres)
turn = st.floats(-180, 180)


@st.composite
def cut_for(draw, extent, beyond=0.0):
    """A cut within (or, with ``beyond``, partly outside of) a box, not thinner than a hand."""
    low, high = [], []
    for s in extent:
        a = draw(st.floats(-beyond, 0.8 * s))
        low.append(a)
        high.append(draw(st.floats(a + 0.1, s + beyond + 0.1)))
    return Cut(name=draw(st.sampled_from(["Door", "Bay", "Loggia"])), low=tuple(low), high=tuple(high))


@st.composite
def block_with_cuts(draw):
    extent = draw(size)
    cuts = [draw(cut_for(extent)) for _ in range(draw(st.integers(0, 3)))]
    return Block(id="s", name="S", corner=draw(place), size=extent, turn_deg=draw(turn), cuts=cuts)


@st.composite
def slab(draw):
    """A star about its middle: never crossing itself, convex or not, either way round."""
    count = draw(st.integers(3, 9))
    radii = [draw(st.floats(1.0, 6.0)) for _ in range(count)]
    angles = np.arange(count) * 2 * np.pi / count
    points = [(float(r * np.cos(a)), float(r * np.sin(a)) - 9) for r, a in zip(radii, angles, strict=True)]
    if draw(st.booleans()):
        points.reverse()
    return Slab(id="s", name="S", outline=points, level=draw(st.floats(-1, 4)), thickness=draw(metres))


solids = st.one_of(
    block_with_cuts(),
    slab(),
    st.builds(
        Gable,
        id=st.just("s"),
        name=st.just("S"),
        corner=place,
        size=size,
        ridge=st.sampled_from(["run", "return"]),
        turn_deg=turn,
        overhang=st.sampled_from([0.0, 0.3, 0.8]),
        hip=st.sampled_from([0.0, 0.4, 50.0]),
    ),
    st.builds(
        Steps, id=st.just("s"), name=st.just("S"), corner=place, size=size, count=st.integers(1, 12), turn_deg=turn
    ),
    st.builds(
        Column,
        id=st.just("s"),
        name=st.just("S"),
        foot=place,
        radius_foot=metres,
        radius_top=metres,
        height=metres,
        sides=st.integers(3, 40),
    ),
)


def volume(faces) -> float:
    total = 0.0
    for loop in faces.loops:
        p = faces.vertices[loop]
        p = p - faces.vertices.mean(0)
        total += sum(float(np.linalg.det(p[t])) / 6 for t in triangles_of(p))
    return total


def area_of(p: np.ndarray) -> float:
    return float(np.linalg.norm(np.cross(p, np.roll(p, -1, axis=0)).sum(0)) / 2)


def check_faces(faces, thinnest: float = 1e-6) -> None:
    """Planar, named once, triangles that make up each face and are no slivers."""
    assert len(set(faces.names)) == len(faces.names) == len(faces.loops)
    assert np.isfinite(faces.vertices).all()
    for loop in faces.loops:
        p = faces.vertices[loop]
        n, d = plane_of(p)
        assert np.linalg.norm(n) == pytest.approx(1)
        assert np.abs(p @ n - d).max() < 1e-9 * (1 + np.abs(p).max())
        triangles = triangles_of(p - p.mean(0))
        sizes = [area_of(p[t]) for t in triangles]
        assert sum(sizes) == pytest.approx(area_of(p), rel=1e-9)
        for t, a in zip(triangles, sizes, strict=True):
            q = p[t]
            longest = max(np.linalg.norm(q - np.roll(q, 1, axis=0), axis=1))
            assert 2 * a / longest > thinnest  # its least height, in metres


def check_closed(faces) -> None:
    """Every side of a face is met by one that runs the other way."""
    sides = Counter((a, b) for loop in faces.loops for a, b in zip(loop, [*loop[1:], loop[0]], strict=True))
    assert all(sides[(b, a)] == n for (a, b), n in sides.items())


def test_a_corner_that_all_but_lies_on_a_diagonal_leaves_no_sliver():
    """Of the many ways to divide a face the first that comes may be one with a triangle of nearly no height."""
    door = Cut(name="Door", low=(0.10000011920928963, 0.0, 0.0), high=(0.5, 1.0, 0.1))
    check_faces(faces_of(Block(id="s", name="S", corner=(0, 0, 0), size=(1, 1, 1), cuts=[door])), thinnest=1e-3)


def test_a_wall_that_no_picture_shows_is_none():
    """What two cuts leave beside a block's side, a hundredth of a millimetre wide, had been a sliver of a wall."""
    deep, high = (0.5, 0.5, 0.109375), (0.25, 0.5, 0.25)
    cuts = [Cut(name="Door", low=(1e-5, 0, 0), high=deep), Cut(name="Door", low=(1e-5, 0, 0.125), high=high)]
    faces = faces_of(Block(id="s", name="S", corner=(0, 0, 0), size=(0.5, 0.5, 0.5), cuts=cuts))
    check_faces(faces, thinnest=1e-3)
    assert volume(faces) == pytest.approx(0.5**3 - 0.5 * 0.5 * 0.109375 - 0.25 * 0.5 * 0.125, rel=1e-9)


@pytest.mark.slow
@given(solids)
@settings(max_examples=250, deadline=None)
def test_solids_are_closed_wound_outwards_and_without_slivers(solid):
    faces = faces_of(solid)
    # a drawn outline may itself be as thin as it likes
    check_faces(faces, thinnest=0.0 if isinstance(solid, Slab) else 1e-6)
    check_closed(faces)
    left = volume(faces)
    if not (isinstance(solid, Block) and solid.cuts):
        assert left > 0
    else:
        assert left > -1e-9


@pytest.mark.slow
@given(block_with_cuts())
@settings(max_examples=120, deadline=None)
def test_cuts_take_out_exactly_what_they_overlap(block):
    """The volume left, against inclusion and exclusion of the cuts' own volumes."""

    def common(cuts) -> float:
        low = np.max([np.clip(c.low, 0, block.size) for c in cuts], axis=0)
        high = np.min([np.clip(c.high, 0, block.size) for c in cuts], axis=0)
        return float(np.prod(np.maximum(high - low, 0)))

    out = sum(
        (-1) ** (k + 1) * sum(common(c) for c in combinations(block.cuts, k)) for k in range(1, len(block.cuts) + 1)
    )
    assert volume(faces_of(block)) == pytest.approx(np.prod(block.size) - out, rel=1e-9, abs=5e-3)


def test_a_recess_names_its_own_faces_and_keeps_the_others():
    block = Block(
        id="s",
        name="S",
        corner=(0, 0, -4),
        size=(6, 3, 4),
        cuts=[Cut(name="Door", low=(2, 0.5, 3.7), high=(3, 2.5, 4.0))],
    )
    faces = faces_of(block)
    named = {n: faces.vertices[loop] for n, loop in zip(faces.names, faces.loops, strict=True)}
    assert set(named) == {
        *("front", "right", "back", "left", "top", "base"),
        *("Door-left", "Door-right", "Door-sill", "Door-head", "Door-back"),
    }
    assert area_of(named["front"]) == pytest.approx(6 * 3 - 1 * 2)
    assert np.allclose(named["Door-back"][:, 2], -0.3)
    normals = {n: plane_of(p)[0] for n, p in named.items()}
    assert np.allclose(normals["Door-back"], [0, 0, 1]) and np.allclose(normals["Door-left"], [1, 0, 0])
    assert np.allclose(normals["Door-sill"], [0, 1, 0]) and np.allclose(normals["Door-head"], [0, -1, 0])


def test_a_terrace_takes_from_the_top_and_the_front_and_a_way_through_from_both_ends():
    terrace = Block(
        id="s", name="S", corner=(0, 0, 0), size=(4, 3, 2), cuts=[Cut(name="T", low=(1, 2, 1), high=(4, 3, 2))]
    )
    faces = faces_of(terrace)
    areas = {n: area_of(faces.vertices[loop]) for n, loop in zip(faces.names, faces.loops, strict=True)}
    assert areas["front"] == pytest.approx(12 - 3) and areas["top"] == pytest.approx(8 - 3)
    assert areas["right"] == pytest.approx(6 - 1) and areas["T-sill"] == pytest.approx(3)
    through = terrace.model_copy(update={"cuts": [Cut(name="P", low=(1, 0, 0), high=(2, 2, 2))]})
    assert {n for n in faces_of(through).names if n.startswith("P")} == {"P-left", "P-right", "P-head"}


def test_a_wall_with_openings_keeps_its_area_less_theirs():
    wall = Wall(
        id="w",
        name="W",
        a=(0, 0),
        b=(8, -6),
        height=3,
        base=0.4,
        cuts=[
            Cut(name="Window", low=(1, 1, 0), high=(2, 2, 0)),
            Cut(name="Gate", low=(5, 0, 0), high=(7, 2.4, 0)),
        ],
    )
    faces = faces_of(wall)
    check_faces(faces)
    assert sum(area_of(faces.vertices[loop]) for loop in faces.loops) == pytest.approx(30 - 1 - 2 * 2.4)
    assert plane_of(faces.vertices[faces.loops[0]])[0] == pytest.approx([0.6, 0, 0.8])
    split = wall.model_copy(update={"cuts": [Cut(name="Gap", low=(4, -1, 0), high=(5, 9, 0))]})
    assert faces_of(split).names == ["front", "front2"]


@pytest.mark.slow
@given(place, size, turn)
@settings(max_examples=60, deadline=None)
def test_a_room_looks_inwards_and_a_bay_is_built_on(corner, extent, turned):
    shut = Room(id="r", name="R", corner=corner, size=extent, turn_deg=turned, open=[])
    check_closed(faces_of(shut))
    assert volume(faces_of(shut)) == pytest.approx(-np.prod(extent), rel=1e-9)
    w, h, d = extent
    bay = Cut(name="Bay", low=(0.2 * w, 0.3 * h, -0.5), high=(0.6 * w, 0.8 * h, 0.0))
    with_bay = shut.model_copy(update={"cuts": [bay]})
    check_faces(faces_of(with_bay))
    check_closed(faces_of(with_bay))
    assert volume(faces_of(with_bay)) == pytest.approx(-np.prod(extent) - 0.4 * w * 0.5 * h * 0.5, rel=1e-9)
    assert len(faces_of(shut.model_copy(update={"open": ["front"]})).loops) == 5
    assert d > 0


@given(
    st.lists(st.tuples(st.floats(0.1, 3.0), st.floats(-1.0, 1.0)), min_size=1, max_size=8),
    st.sampled_from(["run", "return"]),
)
@settings(max_examples=60, deadline=None)
def test_a_grounds_profile_is_seen_from_above(parts, along):
    """Slopes look up; its extent in plan is the profile's, whatever the heights."""
    points, at = [(0.0, 0.0)], (0.0, 0.0)
    for forward, up in parts:
        at = (at[0] + forward, at[1] + up)
        points.append(at)
    faces = faces_of(Ground(id="g", name="G", size=(7, 9), profile=points, along=along))
    check_faces(faces)
    plan = 0.0
    for loop in faces.loops:
        n, _ = plane_of(faces.vertices[loop])
        assert n[1] > 0
        plan += area_of(faces.vertices[loop] * [1, 0, 1])
    assert plan == pytest.approx(at[0] * (7 if along == "return" else 9))


def test_a_stepped_ground_has_upright_risers():
    ground = Ground(id="g", name="G", size=(10, 10), profile=[(-5, 0), (0, 0), (0, 0.9), (5, 0.9)], along="run")
    normals = [plane_of(faces_of(ground).vertices[loop])[0] for loop in faces_of(ground).loops]
    assert np.allclose(normals, [[0, 1, 0], [-1, 0, 0], [0, 1, 0]])


@pytest.mark.slow
@given(st.floats(10, 200), turn, st.floats(20, 360), st.floats(5, 90))
@settings(max_examples=40, deadline=None)
def test_a_dome_is_planar_faced_and_looks_at_its_viewer(distance, heading, arc, dome):
    solid = Backdrop(
        id="b",
        name="B",
        viewer=(3, 1.7, -2),
        heading_deg=heading,
        distance=distance,
        width=1,
        base=-1,
        height=1,
        arc_deg=arc,
        dome_deg=dome,
    )
    faces = faces_of(solid)
    check_faces(faces)
    for loop in faces.loops:
        n, d = plane_of(faces.vertices[loop])
        assert n @ np.array([3, -1, -2]) > d
    assert np.allclose(np.linalg.norm(faces.vertices - [3, -1, -2], axis=1), distance)


@pytest.mark.parametrize(
    ("make", "says"),
    [
        (lambda: Panel(id="p", name="P", points=[(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0.2)]), "one plane"),
        (lambda: Panel(id="p", name="P", points=[(0, 0, 0), (1, 0, 0), (2, 0, 0)]), "enclose"),
        (lambda: Slab(id="p", name="P", outline=[(0, 0), (1, 1), (2, 2)], level=0, thickness=1), "enclose"),
        (lambda: Cut(name="C", low=(0, 0, 0), high=(0, 1, 1)), "width and a height"),
        (lambda: Ground(id="g", name="G", profile=[(0, 0)]), "two points"),
        (lambda: Ground(id="g", name="G", profile=[(0, 0), (2, 0), (1, 0)]), "one way"),
    ],
)
def test_pieces_that_cannot_be_are_refused(make, says):
    with pytest.raises(ValidationError, match=says):
        make()
