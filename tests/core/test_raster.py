"""The rasteriser, the cells that say what a plate sees, and shadows, against looking at every point alone."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numba import njit
from tests.conftest import looking

from roofline.core.throw.cells import CELL, CUT, MIXED, cells
from roofline.core.throw.lent import lent
from roofline.core.throw.raster import between, edge_of, rasterise, setup

SIZE = (48, 36)
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
    """Nearest triangle at every pixel centre by Möller and Trumbore's intersection, and whether that is beyond doubt."""
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
    count = len(corners)
    forms, boxes = setup(view.homogeneous(corners), view.width, view.height)
    none = np.zeros(0, np.int32)
    return rasterise(
        forms,
        boxes,
        np.ones(count, bool),
        np.arange(count, dtype=np.int32),
        np.zeros(count, bool),
        np.zeros(count + 1, np.int32),
        none,
        np.zeros(0),
        np.zeros((0, 6)),
        np.zeros(1, np.float32),
        np.zeros(0, np.int64),
        view.width,
        view.height,
    )


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


@given(st.integers(0, 10_000), st.integers(3, 70), st.integers(3, 70), st.booleans())
@settings(max_examples=80, deadline=None)
def test_a_cell_says_only_what_all_its_pixels_say(seed, width, height, with_matte):
    rng = np.random.default_rng(seed)
    nearest = np.full((height, width), -1, np.int32)
    for _ in range(rng.integers(0, 5)):  # boxes of triangles over one another
        x0, y0 = rng.integers(0, width), rng.integers(0, height)
        nearest[y0 : y0 + rng.integers(1, 60), x0 : x0 + rng.integers(1, 60)] = rng.integers(0, 6)
    tri_face = np.array([0, 0, 1, 1, 2, 3], np.int32)
    matte = None
    if with_matte:
        matte = np.ones((height, width), np.float32)
        matte[: rng.integers(0, height), : rng.integers(0, width)] = rng.choice([0.0, 0.3, 0.9])
    got = cells(nearest, tri_face, matte, np.ones(2))
    face = np.where(nearest >= 0, tri_face[np.maximum(nearest, 0)], -1)
    for j, i in np.ndindex(got.grid.shape):
        part = (slice(j * CELL, (j + 1) * CELL), slice(i * CELL, (i + 1) * CELL))
        if got.grid[j, i] == CUT:
            assert matte is not None and (matte[part] < 0.5).all()
        elif got.grid[j, i] > MIXED:
            assert (face[part] == got.grid[j, i]).all()
            assert matte is None or (matte[part] >= 0.5).all()
        else:  # the list names every triangle that shows there
            at = MIXED - got.grid[j, i]
            listed = set(got.lists[at + 1 : at + 1 + got.lists[at]].tolist())
            assert set(np.unique(nearest[part]).tolist()) - {-1} <= listed


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
