"""A wall of brick with a post before it, as the tests of plates have it."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
import trimesh
from tests.conftest import camera_of, looking

from roofline.core.camera import View
from roofline.core.massing.kinds import Block, Panel
from roofline.core.plates.worked import Worked
from roofline.formats.pictures import png
from roofline.model.photo import Photo
from roofline.model.plates import Plate, Throw
from roofline.model.shot import Shot
from roofline.work.engines import Engines
from roofline.work.kept import Kept

W, H = 640, 400
BRICK, COURSE = 0.5, 0.25  # metres from one brick to the same place on the next, and two courses up
VIEW = looking(W, H, 460.0, 28.0, 0.0, (-2.2, 1.7, 5.5))
WALL = Panel(id="wall", name="Wall", points=[(-4, 0, 0), (6, 0, 0), (6, 4, 0), (-4, 4, 0)])
POST = Block(id="post", name="Post", corner=(1.0, 0, 1.2), size=(0.3, 3.0, 0.3))
FACE = "wall/front"


def bricks(x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """Display colours of the wall at metres x, y: smooth enough that a pixel shows them."""
    row = 0.5 + 0.5 * np.sin(2 * np.pi * y / COURSE)
    along = 0.5 + 0.5 * np.sin(2 * np.pi * x / BRICK)
    return np.stack([0.35 + 0.4 * row * along, 0.3 + 0.2 * along, 0.25 + 0.25 * row], axis=-1)


def on_wall(view: View) -> np.ndarray:
    """Where each pixel's ray meets z = 0, (H, W, 2) metres; NaN beside the wall."""
    y, x = np.mgrid[0 : view.height, 0 : view.width] + 0.5
    rays = view.rays(np.stack([x, y], axis=-1).reshape(-1, 2)).reshape(view.height, view.width, 3)
    t = -view.position[2] / rays[..., 2]
    at = (view.position + t[..., None] * rays)[..., :2]
    off = (t <= 0) | (at[..., 0] < -4) | (at[..., 0] > 6) | (at[..., 1] < 0) | (at[..., 1] > 4)
    return np.where(off[..., None], np.nan, at)


def hit_first(view: View, solids: list) -> np.ndarray:
    """Which solid is nearest at sixteen places in every pixel, (H·4, W·4), by ray casting with another library."""
    meshes = []
    for solid in solids:
        faces = solid.shape({})
        tri = [(f[0], f[i], f[i + 1]) for f in faces.loops for i in range(1, len(f) - 1)]
        meshes.append(trimesh.Trimesh(faces.vertices, tri, process=False))
    whole: Any = trimesh.util.concatenate(meshes)
    owner = np.concatenate([np.full(len(m.faces), i) for i, m in enumerate(meshes)])
    y, x = (np.mgrid[0 : 4 * H, 0 : 4 * W] + 0.5) / 4
    rays = view.rays(np.stack([x, y], axis=-1).reshape(-1, 2))
    tri = whole.ray.intersects_first(np.broadcast_to(view.position, rays.shape).copy(), rays)
    return np.where(tri >= 0, owner[np.maximum(tri, 0)], -1).reshape(4 * H, 4 * W)


@pytest.fixture(scope="module")
def truth() -> np.ndarray:
    at = on_wall(VIEW)
    shown = np.where(np.isnan(at[..., :1]), 0.6, bricks(np.nan_to_num(at[..., 0]), np.nan_to_num(at[..., 1])))
    return (shown * 255 + 0.5).astype(np.uint8)


@pytest.fixture(scope="module")
def set_(truth):
    """A wall of brick with a post before it, its photo; the engines over it."""
    hit = hit_first(VIEW, [WALL, POST])
    post = (hit == 1).reshape(H, 4, W, 4).mean((1, 3))[..., None]
    photo = (truth * (1 - post) + post * np.array([40, 90, 60]) + 0.5).astype(np.uint8)
    files = {"photo.png": png(photo), "other.png": png(np.full((H, W, 3), 200, np.uint8))}
    shot = Shot(
        name="Bricks",
        photos=[Photo(id="photo", name="Photo", file="photo.png", width=W, height=H, camera=camera_of(VIEW))],
        plates=[Plate(id="photo", name="Photo", photo="photo", file="photo.png", canvas=(0, 0, W, H))],
        solids=[WALL, POST],
        throws=[Throw(plate="photo", targets=["wall", "post"])],
    )
    return shot, files, hit, photo


def made(set_, steps: list[dict], **more) -> tuple[Worked, Shot, Engines]:
    """A plate of the photo with some steps, worked out."""
    shot, files, _, _ = set_
    given = {"id": "made", "name": "Made", "photo": "photo", "file": "photo.png", "canvas": (0, 0, W, H)}
    plate = Plate.model_validate({**given, "steps": steps, **more})
    shot = Shot.model_validate(shot.model_dump() | {"plates": [*shot.model_dump()["plates"], plate.model_dump()]})
    engines = Engines(files.__getitem__, Kept())
    return engines.worked(shot, shot.plate("made")), shot, engines


def decibels(a: np.ndarray, b: np.ndarray) -> float:
    return float(10 * np.log10(255.0**2 / np.mean((a.astype(float) - b) ** 2)))
