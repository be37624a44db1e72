"""The rasteriser, projections, pieces, mattes and the cells that say what a plate sees, against looking at points
alone."""

from __future__ import annotations

import sys
from itertools import groupby
from typing import NamedTuple

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numba import njit
from numba.core.runtime import _nrt_python  # type: ignore[attr-defined]
from numba.core.runtime.nrt import rtsys
from scipy.ndimage import map_coordinates
from tests.conftest import looking, loop_around, photographed

from roofline.core.massing.kinds import Mesh
from roofline.core.moment import still
from roofline.core.throw.cells import CELL, cells
from roofline.core.throw.cells import MIXED as MIXED_CELL
from roofline.core.throw.engine import engine_of
from roofline.core.throw.lent import lent
from roofline.core.throw.mattes import (
    CLEAR,
    MIXED,
    SIDE,
    SIMD,
    SOLID,
    UNSAID,
    matte_blocks,
    solid_plate_along,
)
from roofline.core.throw.measure import run_end
from roofline.core.throw.pieces import between, edge_of
from roofline.core.throw.throws import PlatePicture, side_by_side
from roofline.model.massing import MeshFace
from roofline.model.plates import Throw

SIZE = (48, 36)
PLATE = looking(*SIZE, 40, 0, 0, (0, 1.5, 8))
world = st.tuples(st.floats(-6, 6), st.floats(-3, 5), st.floats(-14, 2))
triangles = st.lists(st.tuples(world, world, world), min_size=1, max_size=6)
views = st.builds(
    lambda f, pan, tilt, roll, at: looking(*SIZE, f, pan, tilt, at, roll),
    st.floats(20, 120),
    st.floats(-50, 50),
    st.floats(-30, 30),
    st.floats(-20, 20),
    st.tuples(st.floats(-2, 2), st.floats(0, 3), st.floats(-1, 2)),
)


def seen_by_rays(corners: np.ndarray, view) -> tuple[np.ndarray, np.ndarray]:
    """Nearest triangle at every pixel centre by Möller and Trumbore's intersection, and whether that is beyond
    doubt."""
    ys, xs = np.mgrid[0 : view.height, 0 : view.width] + 0.5
    rays = view.rays(np.stack([xs, ys], -1)).reshape(-1, 3)
    best = np.full(len(rays), np.inf)
    found = np.full(len(rays), -1)
    sure = np.ones(len(rays), bool)
    for t, (a, b, c) in enumerate(corners):
        e1, e2 = b - a, c - a
        p = np.cross(rays, e2)
        det = p @ e1
        with np.errstate(all="ignore"):
            u = (p @ (view.position - a)) / det
            q = np.cross(view.position - a, e1)
            v = (rays @ q) / det
            depth = (q @ e2) / det
        inside = np.minimum(np.minimum(u, v), 1 - u - v)
        sure &= ~(np.isfinite(inside) & (np.abs(inside) < 1e-4)) & (np.abs(depth - best) > 1e-4)
        sure &= ~(np.isfinite(depth) & (np.abs(depth) < 1e-2))
        hit = np.isfinite(inside) & (inside > 0) & (depth > 0) & (depth < best)
        best[hit], found[hit] = depth[hit], t
    return found.reshape(view.height, view.width), sure.reshape(view.height, view.width)


def rastered(corners: np.ndarray, view) -> np.ndarray:
    loops = [MeshFace(name=f"f{i}", loop=[3 * i, 3 * i + 1, 3 * i + 2]) for i in range(len(corners))]
    mesh = Mesh(id="m", name="M", vertices=[tuple(p) for p in corners.reshape(-1, 3).tolist()], faces=loops)
    return engine_of(*photographed(PLATE, [mesh], [])).measure(still(view)).face


@given(triangles, views)
@settings(max_examples=150, deadline=None)
def test_every_pixel_shows_what_its_ray_meets_first(corners, view):
    corners = np.array(corners, float)
    area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    corners = corners[area > 1e-2]
    # a triangle that the eye lies in is seen by no ray for sure
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-12)
    corners = corners[np.abs(np.einsum("ij,ij->i", normal, view.position - corners[:, 0])) > 1e-2]
    if not len(corners):
        return
    found, sure = seen_by_rays(corners, view)
    assert np.array_equal(rastered(corners, view)[sure], found[sure])


coefficient = st.one_of(st.just(0.0), st.floats(-50, 50), st.floats(-1e-9, 1e-9))


@given(st.lists(st.tuples(coefficient, coefficient, coefficient), min_size=1, max_size=5), st.integers(0, 60))
@settings(max_examples=400, deadline=None)
def test_edges_enclose_the_pixels_at_which_no_form_is_negative(forms, row):
    """Forms that vary, do not vary along a row, or not at all; pixels within a millionth of an edge are free."""
    edges = np.empty(4 * len(forms))
    for i, form in enumerate(forms):
        edge_of(edges, i, *form)
    lo, hi = between(edges, 0, len(forms), row + 0.5, 7, 90)
    inside = np.zeros(90, bool)
    inside[lo : max(lo, hi)] = True
    assert lo >= 7 and hi <= 90
    x = np.arange(7, 90) + 0.5
    value = np.array([a * x + b * (row + 0.5) + c for a, b, c in forms])
    size = np.array([[abs(a) + 1e-11 * abs(b)] for a, b, _ in forms])
    sure = (np.abs(value) > 1e-6 * size + 1e-12).all(0)
    assert np.array_equal(inside[7:][sure], (value > 0).all(0)[sure])


@given(st.integers(0, 10_000), st.integers(3, 70), st.integers(3, 70))
@settings(max_examples=80, deadline=None)
def test_a_cell_says_only_what_all_its_pixels_say(seed, width, height):
    rng = np.random.default_rng(seed)
    nearest = np.full((height, width), -1, np.int32)
    for _ in range(rng.integers(0, 5)):  # boxes of pieces over one another
        x0, y0 = rng.integers(0, width), rng.integers(0, height)
        nearest[y0 : y0 + rng.integers(1, 60), x0 : x0 + rng.integers(1, 60)] = rng.integers(0, 6)
    piece_face = np.array([0, 0, 1, 1, 2, 3], np.int32)
    got = cells(nearest, piece_face)
    face = np.where(nearest >= 0, piece_face[np.maximum(nearest, 0)], -1)
    for j, i in np.ndindex(got.grid.shape):
        part = (slice(j * CELL, (j + 1) * CELL), slice(i * CELL, (i + 1) * CELL))
        if got.grid[j, i] > MIXED_CELL:
            assert (face[part] == got.grid[j, i]).all()
        else:  # the list names every piece that shows there
            at = MIXED_CELL - got.grid[j, i]
            listed = set(got.lists[at + 1 : at + 1 + got.lists[at]].tolist())
            assert set(np.unique(nearest[part]).tolist()) - {-1} <= listed


def blobs(rng: np.random.Generator, width: int, height: int) -> np.ndarray:
    """A matte of soft blobs with clear and solid parts, and some grain."""
    y, x = np.mgrid[:height, :width]
    matte = np.zeros((height, width), np.float32)
    for _ in range(3):
        cx, cy, r = rng.uniform(0, width), rng.uniform(0, height), rng.uniform(4, 40)
        matte = np.maximum(matte, np.clip((r - np.hypot(x - cx, y - cy)) / rng.uniform(0.5, 9) + 0.5, 0, 1))
    return (matte * (1 - 0.05 * rng.random(matte.shape))).astype(np.float32)


def look(matte: np.ndarray, u: np.ndarray, v: np.ndarray) -> np.ndarray:
    """Bilinear values at continuous pixels, by SciPy; the border value goes on outwards."""
    return map_coordinates(matte.astype(float), [v - 0.5, u - 0.5], order=1, mode="nearest")


@given(st.integers(0, 10_000), st.integers(1, 90), st.integers(1, 70))
@settings(max_examples=60, deadline=None)
def test_blocks_of_a_matte_say_what_a_look_anywhere_in_them_says(seed, width, height):
    rng = np.random.default_rng(seed)
    matte = blobs(rng, width, height)
    blocks = matte_blocks(matte)
    u, v = rng.uniform(0, width, 4000), rng.uniform(0, height, 4000)
    said = blocks[v.astype(int) // SIDE, u.astype(int) // SIDE]
    value = look(matte, u, v)
    assert (value[said == CLEAR] < 0.5).all() and (value[said == SOLID] >= 0.5 - 1e-6).all()
    # not a way of saying nothing: what is far from a half for a whole neighbourhood is known
    for j, i in np.ndindex(blocks.shape):
        near = matte[max(SIDE * j - 1, 0) : SIDE * j + SIDE + 1, max(SIDE * i - 1, 0) : SIDE * i + SIDE + 1]
        assert (blocks[j, i] == MIXED) == (near.min() < 0.5 <= near.max())


class Pictured(NamedTuple):
    canvas: np.ndarray
    matte: np.ndarray
    matte_at: np.ndarray
    blocks: np.ndarray
    block_at: np.ndarray
    nowhere: int


@njit
def told_along(s, p, line, x0, x1, block, solid):
    for i in range(solid.size):
        solid[i] = UNSAID
    solid_plate_along(s, p, line, x0, x1, block, solid)


@given(st.integers(0, 10_000), st.integers(0, 40), st.integers(1, 60))
@settings(max_examples=80, deadline=None)
def test_a_matte_along_a_row_is_the_matte_at_each_of_its_pixels(seed, x0, count):
    """Of two pictures, one without a matte; a row that crosses the border stays unsaid beyond it."""
    rng = np.random.default_rng(seed)
    sizes = [(80, 60), (50, 90)]
    mattes = [blobs(rng, *sizes[0]), None]
    pictures = [PlatePicture(size, matte, np.array) for size, matte in zip(sizes, mattes, strict=True)]
    matte, matte_at = side_by_side([p.matte for p in pictures], 4)
    blocks = np.concatenate([*(p.blocks.ravel() for p in pictures), np.full(1, UNSAID, np.uint8)])
    block_at = np.array([0, pictures[0].blocks.size])
    canvas = np.array([(0, 0, w, h, w, h) for w, h in sizes], float).ravel()
    s = Pictured(canvas, np.asarray(matte, np.float32).ravel(), matte_at, blocks, block_at, len(blocks) - 1)
    w1 = rng.uniform(-0.01, 0.01)
    line = (rng.uniform(-1, 3), rng.uniform(-20, 60), rng.uniform(-1, 2), rng.uniform(-10, 60), w1, rng.uniform(0.3, 2))
    x = np.arange(x0, x0 + count) + 0.5
    depth = line[4] * x + line[5]
    u, v = (line[0] * x + line[1]) / depth, (line[2] * x + line[3]) / depth
    for p, (w, h) in enumerate(sizes):
        solid = np.empty(x0 + count + 8, np.uint8)
        told_along(s, p, line, x0, x0 + count, np.empty(solid.size, np.int32), solid)
        on = (depth > 0) & (u >= 0) & (v >= 0) & (u < w) & (v < h)
        got = solid[x0 : x0 + count]
        assert ((got == UNSAID) == ~on).all()
        if mattes[p] is None:
            assert (got[on] == SOLID).all()
            continue
        value = look(mattes[p], u[on], v[on])
        sure = np.abs(value - 0.5) > 1e-6
        assert np.array_equal(got[on][sure] == SOLID, value[sure] > 0.5)
        assert np.isin(got[on], (CLEAR, SOLID)).all()


@given(st.integers(3, 12), st.integers(0, 10_000))
@settings(max_examples=60, deadline=None)
def test_pieces_are_convex_and_cover_their_face(count, seed):
    """A loop around a point, convex or not, and a triangle of no area beside it."""
    rng = np.random.default_rng(seed)
    flat = loop_around(rng, count, convex=seed % 2 == 1)
    if flat is None:
        return
    points = np.column_stack([flat, np.full(count, -5.0)])
    loops = [MeshFace(name="f", loop=list(range(count))), MeshFace(name="none", loop=[0, 1, count])]
    vertices = [*points.tolist(), points[:2].mean(0).tolist()]
    mesh = Mesh(id="m", name="M", vertices=[tuple(p) for p in vertices], faces=loops)
    pieces = engine_of(*photographed(PLATE, [mesh], [])).geometry.pieces
    area = 0.0
    for q in range(len(pieces.face)):
        p = pieces.corners[pieces.first[q] : pieces.first[q + 1], :2]
        following, after = np.roll(p, -1, 0), np.roll(p, -2, 0)
        turn = np.cross(following - p, after - following)
        assert (turn > -1e-12).all() and pieces.face[q] == 0
        area += 0.5 * np.cross(p, following).sum()
    x, y = points[:, 0], points[:, 1]
    assert area == pytest.approx(0.5 * (x @ np.roll(y, -1) - y @ np.roll(x, -1)), rel=1e-9)
    assert pieces.sides <= count
    if seed % 2:
        assert len(pieces.face) == 1


@given(views, views, st.integers(0, 10_000))
@settings(max_examples=60, deadline=None)
def test_a_projection_leads_where_the_cameras_say(view, plate, seed):
    """Points on a face: their depth, and the plate's pixel by way of the view's, against projecting them by
    themselves."""
    rng = np.random.default_rng(seed)
    corner, a, b = rng.uniform(-4, 4, 3) + (0, 0, -9), rng.normal(size=3), rng.normal(size=3)
    normal = np.cross(a, b) / np.linalg.norm(np.cross(a, b))
    if min(abs(normal @ (v.position - corner)) for v in (view, plate)) < 0.05:
        return
    mesh = Mesh(
        id="m",
        name="M",
        vertices=[tuple(p.tolist()) for p in (corner, corner + a, corner + b)],
        faces=[MeshFace(name="f", loop=[0, 1, 2])],
    )
    engine = engine_of(*photographed(plate, [mesh], [Throw(plate="plate", targets=["m"])]))
    k = engine.cast(still(view))
    for weights in rng.dirichlet((1, 1, 1), 20):
        point = corner + weights[1] * a + weights[2] * b
        seen, there = view.homogeneous(point), plate.homogeneous(point)
        if seen[2] < 0.05 or abs(there[2]) < 0.05:
            continue
        x = np.append(seen[:2] / seen[2], 1.0)
        assert k.depths[:3] @ x == pytest.approx(1 / seen[2], rel=1e-6)
        if not (0 <= x[0] < view.width and 0 <= x[1] < view.height) and not k.maps.any():
            continue  # out of view there is no map
        u, v, w = k.maps.reshape(3, 3) @ x
        assert (w > 0) == (there[2] > 0)
        assert (u / w, v / w) == pytest.approx(tuple(there[:2] / there[2]), rel=1e-5, abs=1e-4)
        if there[2] > 0 and 0 <= u / w < SIZE[0] and 0 <= v / w < SIZE[1]:
            x0, y0, x1, y1 = k.boxes[:4]
            assert x0 <= x[0] <= x1 and y0 <= x[1] <= y1


class Given(NamedTuple):
    weights: np.ndarray
    rows: np.ndarray
    scale: float


@njit
def through_lent(given):
    given = lent(lent(given))  # lending what is lent changes nothing
    total = 0.0
    for i in range(given.rows.shape[0]):
        given.rows[i, 1] += given.weights[i] * given.scale
        total += given.rows[i, 1]
    return total


@given(st.lists(st.floats(-10, 10), min_size=1, max_size=8), st.floats(-3, 3))
@settings(max_examples=50, deadline=None)
def test_a_lent_tuple_is_the_same_arrays(weights, scale):
    """Reads and writes through lent named tuples, with a view whose rows do not follow one another, reach the owner."""
    whole = np.zeros((2 * len(weights), 3))
    rows = whole[::2]
    total = through_lent(Given(np.array(weights), rows, scale))
    assert total == pytest.approx(scale * sum(weights), abs=1e-9)
    assert np.allclose(whole[::2, 1], np.array(weights) * scale)
    assert not whole[1::2].any() and not whole[:, [0, 2]].any()


class Twins(NamedTuple):
    a: np.ndarray
    b: np.ndarray


class Holder(NamedTuple):
    twins: Twins
    alone: np.ndarray


@njit
def sums_of(given):
    twins, holder, number = lent(given.twins), lent(given), lent(given.alone.size)
    return twins.a[0] + twins.b[1] + holder.twins.a[1] + holder.alone[number - 1]


@njit
def sums_often(times):
    """Lends what only compiled code holds, as the engine's rows in the making."""
    given = Holder(Twins(np.full(9, 1.0), np.full(9, 2.0)), np.full(5, 4.0))
    total = 0.0
    for _ in range(times):
        total += sums_of(given)
    return total + given.twins.a[8] + given.twins.b[8] + given.alone[0]


def test_what_is_lent_is_neither_freed_nor_kept():
    """Arrays of one kind in a tuple, tuples in a tuple and numbers: their owners' counts are what they were."""
    given = Holder(Twins(np.array([1.0, 2.0]), np.array([10.0, 20.0])), np.array([100.0, 300.0]))
    owners = (given.twins.a, given.twins.b, given.alone)
    before = [sys.getrefcount(a) for a in owners]
    for _ in range(50):
        assert sums_of(given) == 1 + 20 + 2 + 300
    assert [sys.getrefcount(a) for a in owners] == before
    was_on = _nrt_python.memsys_stats_enabled()
    _nrt_python.memsys_enable_stats()
    allocated = rtsys.get_allocation_stats()
    for _ in range(20):
        assert sums_often(3) == 3 * (1 + 2 + 1 + 4) + 1 + 2 + 4
    after = rtsys.get_allocation_stats()
    if not was_on:
        _nrt_python.memsys_disable_stats()
    assert after.mi_alloc - allocated.mi_alloc == after.mi_free - allocated.mi_free == 20 * 3


@given(st.lists(st.tuples(st.integers(-1, 4), st.integers(1, 30)), min_size=1, max_size=12), st.integers(0, 9))
@settings(max_examples=100, deadline=None)
def test_a_run_ends_where_the_label_does(parts, before):
    """The row's end is an end too, whatever stands beyond it."""
    row = [label for label, count in parts for _ in range(count)]
    for beyond in (row[-1], 7):
        labels = np.array([9] * before + row + [beyond] * SIMD, np.int32)
        done = 0
        for label, same in groupby(row):
            count = len(list(same))
            assert run_end(labels, before + done, len(row) - done) == count, label
            done += count
