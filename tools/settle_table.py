"""How honest settled pieces are: python -m tools.settle_table [SCENES] [SEED] prints one line for each kind of scene.

Pieces with bricks, trims and neighbours are photographed from one or two standpoints, drawn 3 to 6 pixels off in each
measure, and settled; the corners that are seen are held against the truth, in units of the error that is stated.
"""

from __future__ import annotations

import sys
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import Array, View, from_pan_tilt_roll
from roofline.core.massing.kinds import Block, Gable, Wall
from roofline.core.massing.planes import plane_of
from roofline.core.massing.settle import Settled, measures_of
from roofline.core.massing.settling import settled_to
from roofline.core.massing.solids import faces_of
from roofline.core.massing.touch import Place
from roofline.errors import MassingError
from roofline.model.solids import AnySolid

W, H, OVER = 1800, 1200, 2
PER_METRE = 60  # texture pixels


def taken(rng: np.random.Generator, pan: float, x: float, z: float) -> View:
    rotation = from_pan_tilt_roll(np.radians(pan), np.radians(rng.uniform(-4, 2)), np.radians(rng.uniform(-2, 2)))
    position = np.array([x + rng.uniform(-1, 1), rng.uniform(1.4, 3.0), z])
    return View(W, H, float(rng.uniform(0.75, 1.0) * W), (W / 2, H / 2), rotation, position)


def piece(rng: np.random.Generator, ident: str = "s") -> AnySolid:
    size = tuple(float(v) for v in rng.uniform(2.5, 5, 3))
    turn = float(rng.uniform(-25, 25))
    at = float(rng.uniform(-1, 1))
    kind = rng.choice(["block", "gable", "wall"])
    if kind == "block":
        return Block(id=ident, name="S", corner=(at, 0, -size[2]), size=size, turn_deg=turn)
    if kind == "gable":
        return Gable(id=ident, name="S", corner=(at, float(rng.uniform(2, 3)), -size[2]), size=size, turn_deg=turn)
    return Wall(id=ident, name="S", a=(at, 0.0), b=(at + size[0], -size[2] / 2), height=size[1])


def covered(rng: np.random.Generator, width: float, height: float, bricks: bool, trim: float) -> Array:
    """A face's own look, squared up: a tone, cloud and grain; courses of brick and a trim along its borders if so."""
    w, h = max(int(width * PER_METRE), 8), max(int(height * PER_METRE), 8)
    tone = rng.uniform(50, 200)
    low = cv2.resize(rng.normal(0, 1, (h // 40 + 2, w // 40 + 2)), (w, h), interpolation=cv2.INTER_CUBIC)
    out = tone + 9 * low + rng.normal(0, 7, (h, w))
    if bricks:
        y, x = np.mgrid[:h, :w]
        course = PER_METRE * 0.085
        row = (y // course).astype(int)
        mortar = (y % course < 1.2) | ((x + (row % 2) * PER_METRE * 0.11) % (PER_METRE * 0.22) < 1.2)
        out = np.where(mortar, out + rng.uniform(15, 35) * rng.choice([-1, 1]), out)
    if trim:
        t = max(int(trim * PER_METRE), 2)
        edge = np.ones((h, w), bool)
        edge[t:-t, t:-t] = False
        out = np.where(edge, out + rng.uniform(25, 50) * rng.choice([-1, 1]), out)
    return np.clip(out, 3, 252)  # type: ignore[no-any-return]


Look = dict[tuple[str, int], Array]


def painted(
    solids: list[AnySolid], views: list[View], looks: Look, rng: np.random.Generator
) -> list[NDArray[np.uint8]]:
    """Pictures (H, W) uint8 of pieces, the farther ones first, before a ground and a sky that are none too smooth."""
    out = []
    sky, grass = rng.uniform(150, 240), rng.uniform(60, 140)
    for view in views:
        horizon = cv2.resize(rng.normal(0, 1, (30, 45)), (OVER * W, OVER * H), interpolation=cv2.INTER_CUBIC)
        y = np.arange(OVER * H)[:, None] / (OVER * H)
        picture = np.where(y > 0.5, grass, sky) + 8 * horizon
        for solid in sorted(solids, key=lambda s: -float(np.linalg.norm(faces_of(s).vertices.mean(0) - view.position))):
            faces = faces_of(solid)
            for n, loop in enumerate(faces.loops):
                lay(picture, view, faces.vertices[loop], looks[solid.id, n])
        small = cv2.resize(picture, (W, H), interpolation=cv2.INTER_AREA)
        small = cv2.GaussianBlur(small, (0, 0), 0.6) + rng.normal(0, 3, (H, W))
        out.append(np.clip(small, 0, 255).round().astype(np.uint8))
    return out


def lay(picture: Array, view: View, corners: Array, look: Array) -> None:
    """A face drawn over a picture, if it is turned to the view."""
    normal, d = plane_of(corners)
    if float(normal @ view.position - d) <= 0:
        return
    u = corners[1] - corners[0]
    u = u / np.linalg.norm(u)
    v = np.cross(normal, u)
    flat = (corners - corners[0]) @ np.stack([u, v], 1)
    low = flat.min(0)
    box = corners[0] + np.stack([low + [0, 0], low + [1, 0], low + [1, 1], low + [0, 1]]) @ np.stack([u, v])
    source = np.array([[0, 0], [PER_METRE, 0], [PER_METRE, PER_METRE], [0, PER_METRE]], np.float32)
    to = (OVER * view.project(box) - 0.5).astype(np.float32)
    m = cv2.getPerspectiveTransform(source, to)
    pixels = OVER * view.project(corners) - 0.5
    mask = np.zeros(picture.shape, np.uint8)
    cv2.fillPoly(mask, [np.round(pixels * 256).astype(np.int32)], 1, shift=8)
    warped = cv2.warpPerspective(look, m, (OVER * W, OVER * H), flags=cv2.INTER_AREA, borderMode=cv2.BORDER_REPLICATE)
    picture[mask > 0] = warped[mask > 0]


def extent(solid: AnySolid, n: int) -> tuple[float, float]:
    corners = faces_of(solid).vertices[faces_of(solid).loops[n]]
    normal, _ = plane_of(corners)
    u = (corners[1] - corners[0]) / np.linalg.norm(corners[1] - corners[0])
    flat = (corners - corners[0]) @ np.stack([u, np.cross(normal, u)], 1)
    w, h = np.ptp(flat, axis=0)
    return float(w), float(h)


def drawn(solid: AnySolid, views: list[View], rng: np.random.Generator, low: float, high: float) -> AnySolid:
    """The piece with each of its measures so many pixels off, by the corner that goes farthest in any view."""
    at, build = measures_of(solid)
    true = faces_of(solid).vertices
    off = np.zeros(len(at))
    for i in range(len(at)):
        step = 1e-4 * np.eye(len(at))[i]
        moved = faces_of(build(at + step)).vertices
        slope = max(float(np.linalg.norm(v.project(moved) - v.project(true), axis=1).max()) for v in views) / 1e-4
        off[i] = rng.choice([-1, 1]) * rng.uniform(low, high) / slope
    return build(at + off)  # type: ignore[return-value]


@dataclass(frozen=True)
class Outcome:
    """The largest error of a seen corner in metres and in stated sigmas; why it was refused; whether it was warned."""

    error_m: float
    sigmas: float
    refused: str
    warned: bool


def one(kind: str, seed: int) -> Outcome:
    rng = np.random.default_rng(seed)
    solid = piece(rng)
    count = 1 if kind == "one photo" else 2
    views = [taken(rng, 20, -4, 11), taken(rng, -22, 7, 10)][:count]
    others: list[AnySolid] = []
    if kind == "neighbours" or rng.random() < 0.3:
        size = tuple(float(v) for v in rng.uniform(1.5, 3, 3))
        others = [Block(id="o", name="O", corner=(float(rng.uniform(-6, 5)), 0, -12.0), size=size, turn_deg=20)]
    bricks, trim = bool(rng.random() < 0.5), float(rng.choice([0, 0, 0.06, 0.12]))
    if kind == "bricks":
        bricks = True
    looks = {
        (s.id, n): covered(rng, *extent(s, n), bricks, trim)
        for s in [solid, *others]
        for n in range(len(faces_of(s).loops))
    }
    pictures = painted([solid, *others], views, looks, rng)
    far = (3.0, 6.0) if kind != "elsewhere" else (40.0, 80.0)
    start = drawn(solid, views, rng, *far)
    try:
        got: Settled = settled_to(Place([start, *others]), 0, views, pictures)
    except MassingError as error:
        return Outcome(0, 0, str(error), True)
    off = np.linalg.norm(faces_of(got.solid).vertices[got.corners] - faces_of(solid).vertices[got.corners], axis=1)
    return Outcome(float(off.max()), float(off.max() / got.corner_m), "", got.farther or got.alone)


KINDS = ["one photo", "two photos", "bricks", "neighbours", "elsewhere"]


def main() -> None:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 40
    seed = int(sys.argv[2]) if len(sys.argv) > 2 else 1000
    with ProcessPoolExecutor(2) as pool:
        for number, kind in enumerate(KINDS):
            got = list(pool.map(one, [kind] * count, range(seed + 1000 * number, seed + 1000 * number + count)))
            print(line(kind, got))


def line(kind: str, got: list[Outcome]) -> str:
    answered = [g for g in got if not g.refused]
    within = sum(g.sigmas <= 2 for g in answered)
    worst = max((g.sigmas for g in answered if not g.warned), default=0.0)
    median = float(np.median([g.error_m for g in answered])) if answered else 0.0
    return (
        f"{kind:12} {len(got)} scenes, {len(got) - len(answered)} refused, within 2 sigma {within} of {len(answered)}, "
        f"worst without a word {worst:.1f} sigma, {sum(g.warned for g in answered)} warned, "
        f"median error {1000 * median:.0f} mm"
    )


if __name__ == "__main__":
    main()
