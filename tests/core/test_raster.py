"""The rasteriser, the cells that say what a plate sees, and sight along a run, against looking at every point alone."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.conftest import engine_of, looking, photographed

from roofline.core.throw.cells import CELL, CUT, LEVELS, MIXED, cells
from roofline.core.throw.measure import line_pixel, row_line
from roofline.core.throw.raster import rasterise, setup
from roofline.core.throw.sight import SEEN, UNSEEN, along_run, hidden
from roofline.shot import Block, Ground, Throw, Wall

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
    assert len(got.levels) == LEVELS
    for level, grid in enumerate(got.levels):
        side = CELL << level
        for j, i in np.ndindex(grid.shape):
            part = (slice(j * side, (j + 1) * side), slice(i * side, (i + 1) * side))
            if grid[j, i] == CUT:
                assert matte is not None and (matte[part] < 0.5).all()
            elif grid[j, i] > MIXED:
                assert (face[part] == grid[j, i]).all()
                assert matte is None or (matte[part] >= 0.5).all()
            elif level == 0:  # the list names every triangle that shows there
                at = MIXED - grid[j, i]
                listed = set(got.lists[at + 1 : at + 1 + got.lists[at]].tolist())
                assert set(np.unique(nearest[part]).tolist()) - {-1} <= listed


@pytest.fixture(scope="module")
def yard():
    plate = looking(640, 420, 560, 24, -4, (0, 1.7, 0))
    solids = [
        Ground(id="ground", name="Ground", size=(120, 120)),
        Block(id="house", name="House", corner=(1.0, 0, -12), size=(4, 3, 3), turn_deg=12),
        Wall(id="wall", name="Wall", a=(2.5, -6.0), b=(4.5, -7.5), height=1.1),
    ]
    return engine_of(*photographed(plate, solids, [Throw(plate="plate", targets=[s.id for s in solids])]))


def test_a_run_decided_as_a_whole_is_what_each_of_its_points_says(yard):
    """Runs over every face, from several views; the faster way may give up, but may not say anything else."""
    rng = np.random.default_rng(5)
    decided = {SEEN: 0, UNSEEN: 0}
    for position in ((1.6, 2.1, -2.0), (-2.2, 3.4, 0.8), (0.4, 1.7, -0.5)):
        view = looking(320, 210, 300, 26, -8, position)
        k = yard.cast(view)
        labels = yard.measure(view).triangle
        for _ in range(1500):
            row, x0 = int(rng.integers(0, 210)), int(rng.integers(0, 300))
            t = labels[row, x0]
            if t < 0:
                continue
            face = int(k.tri_face[t])
            x1 = x0
            while (
                x1 + 1 < 320 and labels[row, x1 + 1] >= 0 and k.tri_face[labels[row, x1 + 1]] == face and x1 - x0 < 60
            ):
                x1 += 1
            n = int(k.pair_start[face])
            line = row_line(k, n, row + 0.5)
            places = [line_pixel(line, x + 0.5) for x in range(x0, x1 + 1)]
            if any(not (0 <= u < 640 and 0 <= v < 420) for u, v in places):
                continue
            whole = along_run(k, 0, n, face, *places[0], *places[-1])
            if whole in decided:
                decided[whole] += len(places)
                each = [hidden(k, 0, n, face, u, v) for u, v in places]
                assert each == [whole == UNSEEN] * len(places), (row, x0, x1)
    assert decided[SEEN] > 2000 and decided[UNSEEN] > 50, decided
