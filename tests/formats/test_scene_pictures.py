"""Scenes for the next program are the picture: GLB and USD drawn by a reference, against the engine's frames."""

from __future__ import annotations

import json
import subprocess
from pathlib import Path

import cv2
import numpy as np
import pytest
from pxr import Usd, UsdValidation
from ray_caster import glb_rays, read_glb, read_usd, usd_rays
from tests.conftest import key_of, looking, photographed

from roofline.core.massing.kinds import Backdrop, Block, Column, Flat, Ground, Wall
from roofline.core.moment import Moment
from roofline.core.move.path import moments
from roofline.core.throw.engine import Engine, engine_of
from roofline.formats.pictures import to_display
from roofline.formats.scenes import write_scene
from roofline.model.handoff import Delivery
from roofline.model.massing import Cut
from roofline.model.move import Move
from roofline.model.plates import Plate, Throw
from roofline.work.scene import gather

VALIDATOR = """
const v = require('gltf-validator'), fs = require('fs')
v.validateBytes(new Uint8Array(fs.readFileSync(process.argv[1]))).then((r) => console.log(JSON.stringify(r.issues)))
"""
WEB = Path(__file__).resolve().parents[2] / "web"


def unread(name: str) -> bytes:
    raise AssertionError("faces' pictures come from the engine")


def compared(engine: Engine, moment: Moment, got: np.ndarray) -> tuple[float, float, float]:
    """Decibels where both cover; the shares off by more than 12/255 away from edges, and covered by one alone.

    Edges are where faces meet, and where the picture itself changes by more than 24/255 from pixel to pixel.
    """
    want = engine.picture(moment)
    a, b = (np.clip(to_display(p[..., :3].astype(np.float32)), 0, 1) for p in (got, want))
    there, wanted = got[..., 3] > 0.5, want[..., 3] > 0.5
    both, face = there & wanted, engine.nearest(moment)
    edge = np.zeros(face.shape, np.uint8)
    for axis in (0, 1):
        changed = (np.diff(face, axis=axis) != 0) | (np.abs(np.diff(b, axis=axis)).max(-1) > 24 / 255)
        edge[tuple(slice(1, None) if i == axis else slice(None) for i in (0, 1))] |= changed
    flat = both & (cv2.dilate(edge, np.ones((5, 5), np.uint8)) == 0)
    off = np.abs(a - b).max(-1) > 12 / 255
    noise = float(np.mean((a - b)[both] ** 2))
    return -10 * np.log10(max(noise, 1e-12)), float((off & flat).mean()), float((there != wanted).mean())


def drawn(scene, folder: Path, frames: list[int]):
    """The frames of a scene (numbers from 0) as its GLB and its USD show them."""
    for suffix in ("glb", "usda"):
        write_scene(scene, folder / suffix / f"scene.{suffix}")
    valid_gltf(folder / "glb" / "scene.glb")
    valid_usd(folder / "usda" / "scene.usda")
    glb, document = read_glb(folder / "glb" / "scene.glb")
    usd, stage = read_usd(folder / "usda" / "scene.usda")
    for frame in frames:
        position, rays, (wide, tall) = glb_rays(document, frame)
        yield "glb", frame, glb.render(position, rays).reshape(tall, wide, 4)
        position, rays = usd_rays(stage, scene.frames[frame].frame, (wide, tall))
        yield "usd", frame, usd.render(position, rays).reshape(tall, wide, 4)


def valid_gltf(path: Path) -> None:
    done = subprocess.run(
        ["node", "-e", VALIDATOR, str(path)], cwd=WEB, capture_output=True, text=True, timeout=120, check=True
    )
    issues = json.loads(done.stdout)
    assert issues["numErrors"] == 0 and issues["numWarnings"] == 0, issues["messages"][:5]


def valid_usd(path: Path) -> None:
    """Whatever USD's own validators have to say."""
    registry = UsdValidation.ValidationRegistry()
    context = UsdValidation.ValidationContext(registry.GetOrLoadAllValidators())
    bad = UsdValidation.ValidationErrorType.Error
    errors = [e for e in context.Validate(Usd.Stage.Open(str(path))) if e.GetType() == bad]
    assert not errors, [e.GetMessage() for e in errors[:5]]


@pytest.mark.slow
def test_the_demo_is_the_same_picture_in_the_next_program(demo, tmp_path):
    shot, engine = demo
    frames = moments(shot)
    for kind, frame, got in drawn(gather(shot, engine, frames, unread), tmp_path, [0, 59, 99]):
        decibels, off, alone = compared(engine, frames[frame], got)
        print(f"{kind} {frame + 1}: {decibels:.1f} dB, {100 * off:.2f} % off, {100 * alone:.3f} % by one alone")
        assert decibels > 35
        assert off < 0.01
        assert alone < 0.005


HOME = looking(480, 320, 420, 15, -5, (0, 1.7, 0))
SOLIDS = [
    Ground(id="ground", name="Ground", size=(400, 400)),
    Block(id="house", name="Haus: Süd / alt", group="Old town", corner=(1.0, 0, -12), size=(4, 3, 3), turn_deg=12),
    Column(id="2nd-tower", name="Tower", foot=(-1.2, 0, -10), radius_foot=0.9, radius_top=0.6, height=4, sides=80),
    Backdrop(id="sky", name="Sky", viewer=(0, 0, 0), heading_deg=15, distance=55, width=110, base=-2, height=60),
]
THROWN = [Throw(plate="plate", targets=[s.id for s in SOLIDS])]


def move(delivery: Delivery, focal: float, end, first: int = 1) -> Move:
    w, h = delivery.width, delivery.height
    last = first + delivery.frames - 1
    begin, stop = looking(w, h, focal, 15, -5, (0, 1.7, 0)), looking(w, h, focal * 1.1, 20, -6, end)
    return Move(keys=[key_of(begin, first), key_of(stop, last)])


def portrait():
    delivery = Delivery(width=216, height=384, frames=6, fps=24)
    return photographed(HOME, SOLIDS, THROWN, delivery=delivery, move=move(delivery, 400, (0.5, 1.9, -1)))


def unoccluded():
    delivery = Delivery(width=320, height=180, frames=6, fps=24)
    throws = [Throw(plate="plate", targets=[s.id for s in SOLIDS], occlusion=False)]
    return photographed(HOME, SOLIDS, throws, delivery=delivery, move=move(delivery, 330, (-0.6, 1.7, -0.5)))


def keyless():
    return photographed(HOME, SOLIDS, THROWN, delivery=Delivery(width=320, height=212, frames=3, fps=24))


def cut_and_soft():
    """A wall with a hole, a soft cut-out before it, an odd rate and odd first frame, hidden and grouped pieces."""
    delivery = Delivery(width=320, height=180, frames=7, fps=23.976, first_frame=1001)
    gate = Cut(name="gate", low=(1, 0, 0), high=(2.2, 2.1, 1))
    wall = Wall(id="w@ll", name='Wall "north"', group="Old town", a=(-4, -7), b=(0.5, -8), height=3, cuts=[gate])
    wall.hidden = True
    flat = Flat(id="flat", name="Cut-out", foot=(0.4, 0, -4.5), heading_deg=10, extent=(-0.8, 0.8, 0, 1.9))
    throws = [Throw(plate="plate", targets=[*(s.id for s in SOLIDS), "w@ll"])]
    shot, pictures = photographed(
        HOME, [*SOLIDS, wall, flat], throws, delivery=delivery, move=move(delivery, 320, (0.4, 1.8, -0.6), 1001)
    )
    y, x = np.mgrid[0:320, 0:480]
    middle = HOME.project(np.array([0.4, 0.95, -4.5]))
    matte = np.clip(2.4 - np.hypot(x - middle[0], (y - middle[1]) * 0.6) / 14, 0, 1).astype(np.float32)
    shot.plates = [
        *shot.plates,
        Plate(id="soft", name="Soft", photo="photo", file="x", canvas=(0, 0, 480, 320), matte="m"),
    ]
    shot.throws = [Throw(plate="soft", targets=["flat"]), *shot.throws]
    pictures["soft"] = type(pictures["plate"])((480, 320), matte, lambda: np.full((320, 480, 3), 0.7, np.float32))
    return shot, pictures


@pytest.mark.slow
@pytest.mark.parametrize("make", [portrait, unoccluded, keyless, cut_and_soft])
def test_awkward_shots_are_the_same_picture(make, tmp_path):
    shot, pictures = make()
    engine, frames = engine_of(shot, pictures), moments(shot)
    scene = gather(shot, engine, frames, unread)
    for kind, frame, got in drawn(scene, tmp_path, [0, len(frames) - 1]):
        decibels, off, alone = compared(engine, frames[frame], got)
        print(f"{make.__name__} {kind} {frame}: {decibels:.1f} dB, {100 * off:.2f} %, {100 * alone:.3f} %")
        assert decibels > 35
        assert off < 0.01
        assert alone < 0.005
