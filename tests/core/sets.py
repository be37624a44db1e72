"""Random shots: a yard with pieces thick and thin, cut-outs with strands, seen by a camera that leaves home."""

from __future__ import annotations

import numpy as np
from tests.conftest import looking, photographed

from roofline.core.massing.kinds import Backdrop, Block, Flat, Ground
from roofline.core.move.path import home_key
from roofline.core.throw.engine import Engine, engine_of
from roofline.core.throw.throws import PlatePicture
from roofline.model.handoff import Delivery
from roofline.model.move import Limits, Move
from roofline.model.plates import Throw
from roofline.model.shot import Shot

W, H = 960, 600


def strands(rng: np.random.Generator, at: tuple[float, float]) -> np.ndarray:
    """A matte (H, W): a blob, and lines a pixel or two wide that leave it."""
    y, x = np.mgrid[0:H, 0:W] + 0.5
    matte = np.clip((70 - np.hypot((x - at[0]) * 2, y - at[1])) / 3 + 0.5, 0, 1)
    for angle in rng.uniform(0, np.pi, rng.integers(0, 9)):
        off = np.abs((x - at[0]) * np.sin(angle) - (y - at[1]) * np.cos(angle))
        near = np.hypot(x - at[0], y - at[1]) < rng.uniform(80, 160)
        matte = np.maximum(matte, np.clip(rng.uniform(0.6, 2.0) - off, 0, 1) * near)
    return matte.astype(np.float32)


def random_shot(seed: int) -> tuple[Shot, Engine]:
    """A shot whose move goes, as often as not, somewhat beyond what it bears, and its engine."""
    rng = np.random.default_rng(seed)
    view = looking(W, H, rng.uniform(500, 1100), rng.uniform(-10, 10), rng.uniform(-8, 2), (0, rng.uniform(1, 3), 0))
    solids = [Ground(id="ground", name="Ground", size=(200, 200)), Backdrop.through(view, "back", "Back", 40.0)]
    for n in range(rng.integers(1, 7)):
        thin = rng.random() < 0.4
        size = (rng.uniform(0.03, 0.12), rng.uniform(1, 5), 0.05) if thin else tuple(rng.uniform(0.5, 4, 3))
        at = view.position + view.rotation[2] * rng.uniform(5, 22) + view.rotation[0] * rng.uniform(-4, 4)
        solids.append(Block(id=f"b{n}", name=f"Block {n}", corner=(at[0], 0.0, at[2]), size=size))
    throws = [Throw(plate="plate", targets=[s.id for s in solids])]
    shot, pictures = photographed(view, solids, throws, seed)
    for n in range(rng.integers(0, 3)):
        ahead = rng.uniform(3, 9)
        at = view.position + view.rotation[2] * ahead + view.rotation[0] * rng.uniform(-0.3, 0.3) * ahead
        flat = Flat(id=f"f{n}", name=f"Flat {n}", foot=(at[0], 0, at[2]), heading_deg=0.0, extent=(-1.5, 1.5, 0, 3))
        middle = view.project(np.array([at[0], 1.2, at[2]]))
        pictures[f"p{n}"] = PlatePicture((W, H), strands(rng, tuple(middle)), pictures["plate"].colour)
        front = {"id": f"p{n}", "name": f"Front {n}", "role": "foreground", "without": []}
        shot.plates.append(shot.plates[0].model_copy(update=front))
        shot.solids.append(flat)
        shot.throws.insert(0, Throw(plate=f"p{n}", targets=[flat.id]))
    wide = int(rng.choice([640, 960, 1280, 1920]))
    shot.delivery = Delivery(width=wide, height=wide * 9 // 16, frames=24)
    home = home_key(shot, 1)
    aside = view.rotation.T @ (rng.normal(0, 1, 3) * [1, 0.3, 1])
    to = np.array(home.position) + aside * 10 ** rng.uniform(-1.7, 0.1)
    far = home.model_copy(
        update={"frame": 24, "id": "b", "home": False, "position": tuple(to), "zoom": rng.uniform(0.97, 1.15)}
    )
    shot.move = Move(keys=[home, far])
    if rng.random() < 0.6:  # limits as they lie, or beside what the move shows
        shot.limits = Limits(gap_percent=10 ** rng.uniform(-2, 1), strain_percent=10 ** rng.uniform(-1, 1.3))
    return shot, engine_of(shot, pictures)
