"""Forty holes filled by texture, beside OpenCV's inpaint and xphoto: python -m tools.fill_sheet.

Holes of many kinds in the demo's photographs, in made textures, and on three walls in perspective that are filled
squared up; the truth is what was there. Writes docs/fills.md and the contact sheet docs/fills.jpg.
"""

from __future__ import annotations

import sys
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from skimage.metrics import structural_similarity

from roofline.core.plates.exemplar import textured
from roofline.demo.shot import FOLDER
from roofline.formats.package import open_package
from roofline.formats.pictures import eight_bit, read
from roofline.model.steps import BrushStep, FillStep, Stroke
from roofline.work.engines import Engines
from roofline.work.kept import Kept

DOCS = Path(__file__).resolve().parents[1] / "docs"
SIDE = 320  # pixels of a part
LOOKED = (
    "Looked at one by one: wrong to the eye are *platform wall 1* (the end of a brick pier hangs in the panel) and "
    "*boards 2* (a vent stands a second time); *slates* lose a lichen patch and *trees 1* the edge of a crown, which "
    "nobody would miss."
)
PLACES = {  # of the first photo, pixels: the middle of a hole, and its width
    "slates": [(1480, 640, 90), (1900, 720, 60), (2120, 800, 110)],
    "bricks": [(1130, 1080, 60), (1500, 1150, 70)],
    "gravel": [(600, 1850, 120), (2600, 1980, 90), (1500, 2000, 150)],
    "grass": [(420, 1640, 70), (2550, 1545, 60)],
    "sky": [(600, 200, 140), (2900, 160, 110)],
    "hills": [(2800, 640, 100), (1250, 480, 80)],
    "trees": [(800, 960, 90), (2960, 1120, 90)],
    "platform wall": [(2700, 1400, 60), (950, 1430, 60)],
    "sleepers": [(700, 1520, 70), (1250, 1500, 60)],
    "fence": [(480, 1230, 60), (820, 1240, 50)],
    "boards": [(2560, 1230, 50), (2740, 1250, 60)],
    "masonry": [(420, 1120, 80), (330, 1220, 60)],
    "tank": [(340, 700, 100), (480, 640, 70)],
}
WALLS = {"station/front": (1290, 1060, 55), "platform/front": (2620, 1395, 45), "ground/top": (900, 1800, 110)}


@dataclass
class Filled:
    name: str
    truth: NDArray[np.float32]  # (H, W, 3) display values 0…1
    hole: NDArray[np.bool_]
    mine: NDArray[np.float32]


def disc(side: int, width: int) -> NDArray[np.bool_]:
    y, x = np.mgrid[0:side, 0:side] - (side - 1) / 2
    # not quite round: what a hand draws
    return np.asarray(np.hypot(x, 0.8 * y) < width / 2 * (1 + 0.12 * np.sin(5 * np.arctan2(y, x))))


def on_photo(photo: NDArray[np.float32]) -> list[Filled]:
    out = []
    for name, spots in PLACES.items():
        for n, (x, y, width) in enumerate(spots, 1):
            left, top = (
                int(np.clip(v - SIDE // 2, 0, m - SIDE)) for v, m in ((x, photo.shape[1]), (y, photo.shape[0]))
            )
            part = np.ascontiguousarray(photo[top : top + SIDE, left : left + SIDE])
            hole = disc(SIDE, width)
            damaged = np.where(hole[..., None], 0, part).astype(np.float32)
            out.append(Filled(f"{name} {n}", part, hole, textured(damaged, hole, np.ones_like(hole), 0)))
    return out


def made() -> list[Filled]:
    """Textures of known kinds."""
    rng = np.random.default_rng(3)
    y, x = np.mgrid[0:SIDE, 0:SIDE]
    kinds: dict[str, NDArray] = {}
    for name, soft in (("fine noise", 0.8), ("coarse noise", 3.0), ("clouds", 9.0)):
        value = cv2.GaussianBlur(rng.normal(size=(SIDE, SIDE, 3)), (0, 0), soft)
        kinds[name] = 0.5 + 0.13 * value / value.std()
    for name, angle in (("level waves", np.pi / 2), ("slanted waves", 0.6)):
        kinds[name] = (0.5 + 0.3 * np.sin((x * np.cos(angle) + y * np.sin(angle)) / 3))[..., None] * np.ones(3)
    row = y // 14
    joint = (y % 14 < 2) | ((x + 14 * (row % 2)) % 30 < 2)
    kinds["made bricks"] = np.where(joint[..., None], 0.7, np.array([0.55, 0.3, 0.22]))
    kinds["checks"] = (0.5 + 0.3 * np.sign(np.sin(x / 5)) * np.sign(np.sin(y / 5)))[..., None] * np.ones(3)
    kinds["dots"] = np.where((np.hypot(x % 20 - 10, y % 20 - 10) < 5)[..., None], 0.3, 0.75) * np.ones(3)
    kinds["ramp"] = (0.2 + 0.6 * x / SIDE)[..., None] * np.ones(3)
    out = []
    for name, value in kinds.items():
        truth = np.clip(value + rng.normal(0, 0.012, (SIDE, SIDE, 3)), 0, 1).astype(np.float32)
        hole = disc(SIDE, 80)
        damaged = np.where(hole[..., None], 0, truth).astype(np.float32)
        out.append(Filled(name, truth, hole, textured(damaged, hole, np.ones_like(hole), 0)))
    return out


def on_walls(engines: Engines) -> list[Filled]:
    """Faces of the demo in perspective, filled squared up."""
    shot = open_package(FOLDER).shot
    out = []
    for face, (x, y, width) in WALLS.items():
        stroke = Stroke(points=[(x, y)], radius_px=width / 2, hardness=1)
        fill = FillStep(id="f", where=[BrushStep(id="w", strokes=[stroke])], how="texture", on=face)
        plate = shot.plates[0].model_copy(update={"steps": [fill]})
        worked = engines.worked(shot.model_copy(update={"plates": [plate, *shot.plates[1:]]}), plate)
        left, top = x - SIDE // 2, y - SIDE // 2
        part = slice(top, top + SIDE), slice(left, left + SIDE)
        source = engines.worked(shot, shot.plates[0]).pixels[part]
        truth, mine = (eight_bit(p).astype(np.float32) / 255 for p in (source, worked.pixels[part]))
        out.append(Filled(f"{face}, squared up", truth, np.abs(truth - mine).max(-1) > 0, mine))
    return out


def sharpness(picture: NDArray, where: NDArray[np.bool_]) -> float:
    gy, gx = np.gradient(picture.mean(-1))
    return float(np.hypot(gx, gy)[where].mean())


def rings(hole: NDArray[np.bool_]) -> tuple[NDArray[np.bool_], NDArray[np.bool_], NDArray[np.bool_]]:
    """The hole less its rim, its rim, and what lies around it."""
    eight = hole.astype(np.uint8)

    def wider(k: int) -> NDArray:
        return cv2.dilate(eight, np.ones((k, k)))

    inner = cv2.erode(eight, np.ones((3, 3))).astype(bool)
    return inner, wider(3).astype(bool) & ~inner, wider(41).astype(bool) & ~wider(5).astype(bool)


def ssim(truth: NDArray, other: NDArray, hole: NDArray[np.bool_]) -> float:
    _, each = structural_similarity(truth, other, channel_axis=2, data_range=1.0, full=True)
    return float(each.mean(-1)[hole].mean())


def others(f: Filled) -> dict[str, NDArray[np.float32]]:
    eight = (f.truth * 255).clip(0, 255).astype(np.uint8)
    telea = cv2.inpaint(eight, f.hole.astype(np.uint8), 5, cv2.INPAINT_TELEA)
    lab = cv2.cvtColor(np.where(f.hole[..., None], 0, eight).astype(np.uint8), cv2.COLOR_RGB2Lab)
    shifted = np.zeros_like(lab)
    cv2.xphoto.inpaint(lab, (~f.hole).astype(np.uint8) * 255, shifted, cv2.xphoto.INPAINT_SHIFTMAP)
    shift = cv2.cvtColor(shifted, cv2.COLOR_Lab2RGB)
    return {n: v.astype(np.float32) / 255 for n, v in (("inpaint", telea), ("xphoto", shift))}


def main() -> None:
    package = open_package(FOLDER)
    photo = eight_bit(read(package.read(package.shot.photos[0].file), "photo")).astype(np.float32)[..., :3] / 255
    found = [*on_photo(photo), *made(), *on_walls(Engines(package.read, Kept()))]
    rows, tiles, kept = [], [], 0
    sums: dict[str, list[float]] = {"texture": [], "inpaint": [], "xphoto": []}
    for f in found:
        inner, rim, ring = rings(f.hole)
        around = sharpness(f.truth, ring)
        sharp = sharpness(f.mine, inner) / max(sharpness(f.truth, inner), 1e-6)
        seam = sharpness(f.mine, rim) / max(around, sharpness(f.truth, rim))
        kept += 0.75 <= sharpness(f.mine, inner) / around <= 1.25 and seam <= 1.3
        made_by = {"texture": f.mine, **others(f)}
        scores = {n: ssim(f.truth, v, f.hole) for n, v in made_by.items()}
        for n, v in scores.items():
            sums[n].append(v)
        rows.append(
            f"| {f.name} | {sharpness(f.mine, inner) / around:.2f} | {sharp:.2f} | {seam:.2f} | "
            + " | ".join(f"{scores[n]:.2f}" for n in sums)
            + " |"
        )
        marked = np.where((rim & f.hole)[..., None], [0.9, 0.2, 0.1], f.truth)
        cell = np.hstack(
            [cv2.resize(np.float32(p), (160, 160), interpolation=cv2.INTER_AREA) for p in (marked, f.mine)]
        )
        tiles.append(cell)
    tiles += [np.ones_like(tiles[0])] * (-len(tiles) % 5)
    sheet = np.vstack([np.hstack(tiles[i : i + 5]) for i in range(0, len(tiles), 5)])
    cv2.imwrite(
        str(DOCS / "fills.jpg"), (sheet[..., ::-1] * 255).clip(0, 255).astype(np.uint8), [cv2.IMWRITE_JPEG_QUALITY, 88]
    )
    mean = {n: float(np.mean(v)) for n, v in sums.items()}
    head = (
        "# Fills by texture\n\nMade by `python -m tools.fill_sheet`: "
        f"{len(found)} holes, the truth known. Sharpness inside beside that of the ring around within 0.75 to 1.25 and "
        f"the seam at most 1.3: {kept}. Mean SSIM with the truth in the hole: texture {mean['texture']:.3f}, OpenCV "
        f"inpaint (Telea) {mean['inpaint']:.3f}, xphoto (shift map) {mean['xphoto']:.3f}; "
        "a blur scores well by SSIM where nothing of the texture can be known: hence the sharpness beside it.\n"
        f"{LOOKED}\n\n"
        "![The holes, ringed, and what fills them](fills.jpg)\n\n"
        "| hole | sharpness of the ring | of the truth there | seam | SSIM | inpaint | xphoto |\n"
        "| --- | --- | --- | --- | --- | --- | --- |\n"
    )
    (DOCS / "fills.md").write_text(head + "\n".join(rows) + "\n")
    print(head.split("\n\n")[1], file=sys.stderr)


if __name__ == "__main__":
    main()
