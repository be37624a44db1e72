"""A hall emptied of its figures: floor, walls, ceiling and end wall, each filled on its own face, against the truth."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from tests.conftest import camera_of, looking

from roofline.core.massing.kinds import Block, Panel
from roofline.core.moment import still
from roofline.formats.pictures import png, to_display
from roofline.model.photo import Photo
from roofline.model.plates import Plate, Throw
from roofline.model.shot import Shot
from roofline.work.engines import Engines
from roofline.work.kept import Kept

W, H = 900, 600
VIEW = looking(W, H, 620.0, 0.0, 0.0, (0.0, 1.7, 9.0))
WIDE, HIGH, DEEP = 3.0, 3.4, 8.0  # half the width; metres
FACES = {
    "floor": [(-WIDE, 0, 0), (-WIDE, 0, 9), (WIDE, 0, 9), (WIDE, 0, 0)],
    "ceiling": [(-WIDE, HIGH, 9), (-WIDE, HIGH, 0), (WIDE, HIGH, 0), (WIDE, HIGH, 9)],
    "left": [(-WIDE, 0, 9), (-WIDE, 0, 0), (-WIDE, HIGH, 0), (-WIDE, HIGH, 9)],
    "right": [(WIDE, 0, 0), (WIDE, 0, 9), (WIDE, HIGH, 9), (WIDE, HIGH, 0)],
    "end": [(-WIDE, 0, 0), (WIDE, 0, 0), (WIDE, HIGH, 0), (-WIDE, HIGH, 0)],
}
HALL = [Panel(id=n, name=n, points=p) for n, p in FACES.items()]
FIGURES = [
    Block(id="one", name="One", corner=(-1.3, 0, 3.0), size=(0.5, 1.75, 0.3)),
    Block(id="two", name="Two", corner=(0.7, 0, 1.6), size=(0.5, 1.8, 0.3)),
]


def painted(points: np.ndarray) -> np.ndarray:
    """Display colours of the hall at world points (…, 3): tiles, panels and beams, lit from above."""
    x, y, z = points[..., 0], points[..., 1], points[..., 2]
    floor, ceiling = y < 1e-6, y > HIGH - 1e-6
    side = np.abs(np.abs(x) - WIDE) < 1e-6
    tile = 0.06 * np.sign(np.sin(np.pi * x / 0.5) * np.sin(np.pi * z / 0.5))
    panel = 0.05 * np.cos(2 * np.pi * np.where(side, z, x) / 1.2) + 0.03 * np.cos(2 * np.pi * y / 0.85)
    beam = 0.08 * np.cos(2 * np.pi * z / 1.0)
    value = np.where(floor, 0.42 + tile, np.where(ceiling, 0.66 + beam, 0.58 + panel + 0.02 * y))
    warm = np.where(floor, 0.05, np.where(side, 0.02, 0.0))
    return np.stack([value + warm, value, value - warm], axis=-1)


def seen(view, solids) -> tuple[np.ndarray, np.ndarray]:
    """The truth from a view (H, W, 3), display values, and which pixels show a figure."""
    ids = {s.id for s in solids}
    shot = Shot(name="Truth", solids=[s for s in (*HALL, *FIGURES) if s.id in ids])
    engine = Engines(lambda _: b"", Kept()).engine(shot)
    depth, face = engine.depth(still(view)), engine.nearest(still(view))
    y, x = np.mgrid[0 : view.height, 0 : view.width] + 0.5
    rays = view.rays(np.stack([x, y], axis=-1).reshape(-1, 2)).reshape(view.height, view.width, 3)
    along = rays @ view.rotation[2]
    world = view.position + np.nan_to_num(depth / along, posinf=0)[..., None] * rays
    for axis, ends in ((0, (-WIDE, WIDE)), (1, (0, HIGH))):  # onto the planes, which single floats miss by a little
        for end in ends:
            world[..., axis] = np.where(np.abs(world[..., axis] - end) < 2e-4, end, world[..., axis])
    owner = np.array([n.partition("/")[0] in ("one", "two") for n in engine.geometry.names] + [False])
    return np.where(owner[face][..., None], (0.2, 0.25, 0.4), painted(world)), owner[face]


@pytest.fixture(scope="module")
def cleaned():
    """The hall's shot with a clean plate of each surface, looked at without its figures."""
    photo, _ = seen(VIEW, [*HALL, *FIGURES])
    grain = np.random.default_rng(6).normal(0, 0.006, photo.shape)
    files = {"photo.png": png((np.clip(photo + grain, 0, 1) * 255 + 0.5).astype(np.uint8))}
    base = {"photo": "photo", "file": "photo.png", "canvas": (0, 0, W, H)}
    plates, throws = [], []
    for name in FACES:
        face = f"{name}/front"
        fill = {"do": "fill", "where": {"in_front_of": [face]}, "grow_px": 3, "how": "texture", "on": face}
        steps = [fill, {"do": "silhouette", "targets": [face]}, {"do": "grow", "px": 1}]
        given = {"id": name, "name": name, "without": ["one", "two"], "steps": steps, "role": "clean"}
        plates.append(Plate.model_validate(base | given))
        throws.append(Throw(plate=name, targets=[face]))
    shot = Shot(
        name="Hall",
        photos=[Photo(id="photo", name="Photo", file="photo.png", width=W, height=H, camera=camera_of(VIEW))],
        plates=[Plate(id="photo", name="Photo", **base), *plates],
        solids=[*HALL, *FIGURES],
        throws=throws,
    )
    return shot, Engines(files.__getitem__, Kept())


@pytest.mark.slow
def test_what_stands_before_a_surface_is_found(cleaned):
    shot, engines = cleaned
    _, figures = seen(VIEW, [*HALL, *FIGURES])
    covered = np.zeros((H, W))
    for name in ("floor", "end", "left"):
        plate = shot.plate(name)
        before = engines.worked(shot, plate.model_copy(update={"steps": plate.steps[:1]}))
        photo = engines.worked(shot, shot.plate("photo"))
        changed = (before.pixels != photo.pixels).any(-1)
        covered = np.maximum(covered, changed)
        away = cv2.distanceTransform((~figures).astype(np.uint8), cv2.DIST_L2, 5)
        assert not changed[away > 6].any()  # nothing but figures and a little around them
    assert covered[figures].mean() > 0.9


@pytest.mark.slow
def test_no_figure_is_left_on_any_surface_seen_from_farther_in(cleaned):
    shot, engines = cleaned
    plates = [p.model_copy(update={"without": [*p.without]}) for p in shot.plates]
    # the figures are gone: what they hid is looked at; the plates still know that they stood there
    bare = shot.model_copy(update={"plates": plates, "throws": shot.throws})
    inside = looking(W, H, 620.0, 0.0, 0.0, (0.2, 1.7, 7.5))
    picture = engines.engine(bare).picture(still(inside))
    truth, _ = seen(inside, HALL)
    _, there = seen(inside, [*HALL, *FIGURES])
    own = to_display(picture[..., :3])
    off = np.abs(own - truth).max(-1) * 255
    shown = ~there  # figures have no throw of their own: what lies beside and behind them in this view
    assert np.median(off[shown]) < 3
    holes = shown & (_shadowed(inside) > 0)
    assert holes.sum() > 2000 and np.median(off[holes]) < 6


def _shadowed(view) -> np.ndarray:
    """Which pixels of a view show what the figures hid from the photo, (H, W)."""
    shot = Shot(
        name="Hidden",
        photos=[Photo(id="photo", name="Photo", file="p", width=W, height=H, camera=camera_of(VIEW))],
        plates=[Plate(id="photo", name="Photo", photo="photo", file="p", canvas=(0, 0, W, H))],
        solids=[*HALL, *FIGURES],
        throws=[Throw(plate="photo", targets=[*FACES])],
    )
    flat = png(np.full((H, W, 3), 128, np.uint8))
    got = Engines(lambda _: flat, Kept()).engine(shot).measure(still(view))
    return (np.asarray(got.verdict) == 4) & (np.asarray(got.face) >= 0)
