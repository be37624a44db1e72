"""What a plate does not see, as spans of a view's rows, against a look at every pixel alone."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.conftest import camera_of, looking, loop_around, photographed

from roofline.core.camera import View
from roofline.core.massing.kinds import Block, Column, Flat, Ground, Mesh, Wall
from roofline.core.massing.planes import triangles_of
from roofline.core.moment import still
from roofline.core.throw import shadows
from roofline.core.throw.engine import Engine, engine_of, limits_of
from roofline.core.throw.measure import (
    BACK,
    BARE,
    HIDDEN,
    MATTE,
    OUTSIDE,
    SMEARED,
    SOFT,
    SOUND,
    SPILLED,
    VOID,
    reach,
)
from roofline.model.massing import MeshFace
from roofline.model.move import Limits
from roofline.model.photo import Photo
from roofline.model.plates import Plate, Throw

PLATE = looking(480, 320, 420, 12, -4, (0, 1.7, 0))


def story(engine: Engine, view: View) -> tuple[np.ndarray, np.ndarray]:
    """For every pixel, looked at by itself: its pair and whether that one is spilled."""
    k, shown = engine.cast(still(view)), engine.measure(still(view)).face
    pair = np.full(shown.shape, -1)
    spilled = np.zeros(shown.shape, bool)
    for y, x in np.argwhere(shown >= 0):
        face = shown[y, x]
        for n in range(k.pair_start[face], k.pair_start[face + 1]):
            status = reach(k, n, x + 0.5, y + 0.5)[0]
            unseen = status in (HIDDEN, BACK)
            if status not in (OUTSIDE, MATTE) and not (unseen and k.pair_occlusion[n]):
                pair[y, x], spilled[y, x] = n, unseen
                break
    return pair, spilled


def inner(labels: np.ndarray) -> np.ndarray:
    """Pixels whose eight neighbours have the same label."""
    out = np.zeros(labels.shape, bool)
    middle = labels[1:-1, 1:-1]
    out[1:-1, 1:-1] = True
    for dy in range(3):
        for dx in range(3):
            out[1:-1, 1:-1] &= labels[dy : dy + middle.shape[0], dx : dx + middle.shape[1]] == middle
    return out


def agrees(engine: Engine, view: View) -> tuple[int, int]:
    """Holds the measured pairs and verdicts to the story of each pixel; pixels held, and those of them with no pair."""
    seen = engine.measure(still(view))
    pair, spilled = story(engine, view)
    label = 2 * pair + spilled
    # what shows of a piece may be too thin for the plate's raster: one pixel along a border is free
    sure = inner(label) & inner(seen.face)
    wrong = sure & ((seen.pair != pair) | ((seen.verdict == SPILLED) != spilled))
    assert not wrong.any(), np.argwhere(wrong)[:5]
    assert (label != 2 * seen.pair + (seen.verdict == SPILLED)).mean() < 0.02
    shown = seen.face >= 0
    return int((sure & shown).sum()), int((sure & shown & (pair < 0)).sum())


def place(rng: np.random.Generator, loose: bool) -> Engine:
    """Ground, blocks, a wall, a column, a board with a notch, a cut-out with a round matte and a clean plate behind
    it."""
    solids: list = [Ground(id="ground", name="Ground", size=(60, 60))]
    for n in range(3):
        x, z = rng.uniform(-5, 6), rng.uniform(-14, -5)
        size = tuple(rng.uniform(0.4, 3.5, 3).tolist())
        solids.append(Block(id=f"b{n}", name="B", corner=(x, 0, z), size=size, turn_deg=float(rng.uniform(0, 90))))
    x, z = rng.uniform(-3, 4), rng.uniform(-9, -4)
    solids.append(Wall(id="wall", name="W", a=(x, z), b=(x + 2, z + rng.uniform(-2, 2)), height=1.4))
    solids.append(
        Column(
            id="column",
            name="C",
            foot=(rng.uniform(-3, 4), 0, -7),
            radius_foot=0.5,
            radius_top=0.3,
            height=3,
            sides=int(rng.integers(5, 20)),
        )
    )
    notched = [(0, 0), (3, 0), (3, 2.2), (2, 2.2), (1.5, 0.6), (1, 2.2), (0, 2.2)]
    x, z = rng.uniform(-3, 2), rng.uniform(-8, -4)
    solids.append(
        Mesh(
            id="board",
            name="M",
            vertices=[(x + u, v, z) for u, v in notched],
            faces=[MeshFace(name="f", loop=list(range(7)))],
        )
    )
    solids.append(Flat(id="flat", name="F", foot=(rng.uniform(-1, 3), 0, -3.5), heading_deg=0, extent=(-1, 1, 0, 2)))
    ids = [s.id for s in solids if s.id != "flat"]
    shot, pictures = photographed(PLATE, solids, [])
    matte = np.zeros((320, 480), np.float32)
    y, x = np.mgrid[:320, :480]
    cx, cy = PLATE.project(np.array([solids[-1].foot])[0] + (0, 1.0, 0))
    matte[np.hypot(x - cx, y - cy) < 90] = 1
    for name, more in (("front", {"matte": "m"}), ("clean", {"without": ["flat"], "matte": "m"})):
        shot.plates.append(Plate(id=name, name=name, photo="photo", file="x", canvas=(0, 0, 480, 320), **more))
        pictures[name] = replace(pictures["plate"], matte=matte)
    shot.throws = [
        Throw(plate="front", targets=["flat"]),
        Throw(plate="clean", targets=ids[: int(rng.integers(1, len(ids)))]),
        Throw(plate="plate", targets=ids, occlusion=not loose),
    ]
    return engine_of(shot, pictures)


views = st.tuples(st.floats(-2.5, 2.5), st.floats(0.4, 4), st.floats(-2, 1.5), st.floats(-5, 30), st.floats(-25, 10))


@pytest.mark.slow
@given(st.integers(0, 10_000), views, st.booleans())
@settings(max_examples=40, deadline=None)
def test_shadows_say_what_a_look_at_each_pixel_says(seed, at, loose):
    x, y, z, pan, tilt = at
    engine = place(np.random.default_rng(seed), loose)
    agrees(engine, looking(96, 64, 80, pan, tilt, (x, y, z), roll=8))


@pytest.mark.slow
@given(st.integers(0, 5), views, st.integers(1, 40), st.integers(1, 30), st.integers(0, 56), st.integers(0, 34))
@settings(max_examples=40, deadline=None)
def test_a_part_of_a_view_measures_what_the_whole_does(seed, at, width, height, left, top):
    """Whatever the size: rows are written by blocks, and none of them may reach into the next."""
    x, y, z, pan, tilt = at
    engine = place(np.random.default_rng(seed), False)
    view = looking(96, 64, 80, pan, tilt, (x, y, z), roll=8)
    centre = (view.centre[0] - left, view.centre[1] - top)
    part = engine.measure(still(replace(view, width=width, height=height, centre=centre)))
    whole = engine.measure(still(view))
    crop = (slice(top, top + height), slice(left, left + width))
    for name in ("face", "pair", "verdict", "stretch", "magnification"):
        got, wanted = getattr(part, name), getattr(whole, name)[crop]
        assert got.shape == wanted.shape == (height, width)
        # forms of other pixels' numbers differ in their last digits: a pixel on a border may fall to its other side
        assert np.isclose(got, wanted, rtol=1e-5).mean() > 1 - 3 / got.size, name


@given(views)
@settings(max_examples=40, deadline=None)
def test_a_verdict_is_that_of_its_own_measures(at):
    """Where two photos' plates meet within a row, each pixel is judged by the one it shows, and by no neighbour's."""
    x, y, z, pan, tilt = at
    far = looking(90, 60, 75, -8, -3, (4, 2.5, 3))
    solids = [
        Ground(id="ground", name="Ground", size=(60, 60)),
        Block(id="b", name="B", corner=(0, 0, -9), size=(3, 2, 2)),
    ]
    shot, pictures = photographed(PLATE, solids, [])
    shot.photos.append(Photo(id="far", name="far", file="x", camera=camera_of(far)))
    shot.plates.append(Plate(id="far", name="far", photo="far", file="x", canvas=(0, 0, 90, 60), matte="m"))
    shot.throws = [Throw(plate=p, targets=["ground", "b"]) for p in ("far", "plate")]
    stripes = np.zeros((60, 90), np.float32)
    stripes[:, ::7] = stripes[:, 1::7] = stripes[:, 2::7] = 1
    pictures["far"] = replace(pictures["plate"], size=(90, 60), matte=stripes)
    engine = engine_of(shot, pictures)
    limits = limits_of(engine.geometry, Limits(stretch=1.3, magnification=1.2))
    seen = engine.measure(still(looking(96, 64, 80, pan, tilt, (x, y, z), roll=8)), limits)
    strain = np.where(seen.stretch > 1.3, SMEARED, np.where(seen.magnification > 1.2, SOFT, SOUND))
    thrown, spilled = seen.pair >= 0, seen.verdict == SPILLED
    assert np.array_equal(seen.verdict[thrown & ~spilled], strain[thrown & ~spilled])
    assert (seen.verdict[(seen.face >= 0) & ~thrown] == BARE).all() and (seen.verdict[seen.face < 0] == VOID).all()
    assert not seen.stretch[~thrown].any() and not seen.magnification[~thrown].any()


def test_shadows_fall_and_are_not_only_skipped():
    """In the same places, fixed: a good part of what shows lies in shadow, and shadows are what decides it."""
    held, bare, used = 0, 0, 0
    for seed in range(6):
        engine = place(np.random.default_rng(seed), False)
        assert not engine.sight.shadows.looked.any()
        used += len(engine.sight.shadows.pair)
        one, dark = agrees(engine, looking(120, 80, 95, 14, -8, (1.8, 2.2, -0.5)))
        held, bare = held + one, bare + dark
    assert held > 20_000 and bare > 1_000 and used > 60, (held, bare, used)


@pytest.mark.parametrize("limit", ["MOST", "EFFORT"])
def test_crowded_places_are_looked_at_pixel_by_pixel(limit, monkeypatch):
    """Beyond the limits there are no spans, and the answer is the same."""
    view = looking(120, 80, 95, 14, -8, (1.8, 2.2, -0.5))
    spans = place(np.random.default_rng(1), False).measure(still(view))
    monkeypatch.setattr(shadows, limit, 1)
    engine = place(np.random.default_rng(1), False)
    assert engine.sight.shadows.looked.any()
    agrees(engine, view)
    looks = engine.measure(still(view))
    assert (looks.pair != spans.pair).mean() < 0.005
    assert (looks.pair >= 0).any() and (looks.pair < 0).any()


def test_a_shadow_ends_where_its_ray_says():
    """A post before a wall, seen aslant: each border of its shadow, to a tenth of a pixel, by similar triangles."""
    wall = Mesh(
        id="wall",
        name="Wall",
        vertices=[(-9, -5, -8), (9, -5, -8), (9, 9, -8), (-9, 9, -8)],
        faces=[MeshFace(name="front", loop=[0, 1, 2, 3])],
    )
    post = Mesh(
        id="post",
        name="Post",
        vertices=[(-0.31, -1, -3), (0.22, -1, -3), (0.22, 4, -3), (-0.31, 4, -3)],
        faces=[MeshFace(name="front", loop=[0, 1, 2, 3])],
    )
    plate = looking(480, 320, 300, 0, 0, (0, 1.5, 0))
    engine = engine_of(*photographed(plate, [wall, post], [Throw(plate="plate", targets=["wall"])]))
    view = looking(900, 40, 700, 0, 0, (2.0, 1.5, 0))
    bare = engine.measure(still(view)).pair[20] < 0
    on_wall = engine.measure(still(view)).face[20] == 0
    dark = np.flatnonzero(bare[:800] & on_wall[:800])  # further right the plate ends
    left, right = (view.project(np.array([edge * 8 / 3, 1.5, -8]))[0] for edge in (-0.31, 0.22))
    assert dark[0] == np.ceil(left - 0.5) and dark[-1] == np.floor(right - 0.5), (left, right, dark[0], dark[-1])
    assert len(dark) == dark[-1] - dark[0] + 1


@given(st.integers(3, 12), st.integers(0, 10_000))
@settings(max_examples=60, deadline=None)
def test_triangles_cover_their_loop(count, seed):
    """Convex or not: the triangles' area is the loop's, and all turn the way it does; a convex loop is a fan."""
    rng = np.random.default_rng(seed)
    flat = loop_around(rng, count, convex=seed % 2 == 1)
    if flat is None:
        return
    flat = np.column_stack([flat, np.zeros(count)])
    turn = np.linalg.qr(rng.normal(size=(3, 3)))[0]
    points = flat @ turn.T + rng.normal(size=3)
    triangles = triangles_of(points)
    a, b, c = (flat[triangles[:, i], :2] for i in range(3))
    area = 0.5 * ((b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0])
    x, y = flat[:, 0], flat[:, 1]
    assert (area > 0).all()
    assert area.sum() == pytest.approx(0.5 * (x @ np.roll(y, -1) - y @ np.roll(x, -1)), rel=1e-9)
    if seed % 2:
        assert (triangles[:, 0] == 0).all() and len(triangles) == count - 2
