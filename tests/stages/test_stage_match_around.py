"""A cut-out matched to the plate behind it, which shows nothing of what it shows."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from tests.conftest import write_folder
from tests.core.test_matching import place
from tests.formats.by_hand import document

from roofline.core.light import coded
from roofline.core.plates.grading import graded
from roofline.errors import PlateError
from roofline.model.steps import Grade
from roofline.stages import plates
from roofline.stages.shots import take_in

WARM = Grade(exposure=-0.8, temperature=40.0)


def written(folder, name: str, picture: np.ndarray) -> None:
    shown = (coded(picture[..., :3].astype(np.float32)) * 65535 + 0.5).clip(0, 65535)
    alpha = picture[..., 3:] * 65535
    cv2.imwrite(str(folder / name), np.concatenate([shown[..., ::-1], alpha], axis=-1).astype(np.uint16))


@pytest.fixture
def shot(desk, tmp_path):
    """The wall of exchange.md, its photo warm and dark; before it a figure cut out of another picture."""
    wall, cut = place(3, 160, 240), place(4, 160, 240)
    y, x = np.mgrid[0:160, 0:240]
    cut[..., 3] = (np.hypot((x - 120) / 40, (y - 90) / 60) < 1).astype(float)
    flat = {"id": "f", "name": "Figure", "kind": "flat", "foot": [0, 0, -6], "heading_deg": 0}
    flat |= {"extent": [-3, 3, 0, 3.5]}
    there = document()
    there["solids"].append(flat)
    front = {"id": "c", "name": "Figure", "photo": "a", "file": "c.png", "matte": None, "canvas": [0, 0, 240, 160]}
    there["plates"].append(front | {"role": "foreground"})
    there["throws"].insert(0, {"plate": "c", "targets": ["f"], "occlusion": True})
    folder = write_folder(tmp_path / "pack", there, (240, 160))
    wall[..., :3] = graded(wall[None, ..., :3].astype(np.float32), WARM)[0]
    written(folder, "a.png", wall)
    written(folder, "c.png", cut)
    return take_in(desk, folder)


def test_a_figure_takes_the_light_of_what_it_stands_before(desk, shot):
    got = plates.matched(desk, shot, "c", "p")
    assert got.by == "around"
    assert abs(got.grade.exposure - WARM.exposure) < max(0.25, 3 * got.exposure_error)
    assert abs(got.grade.temperature - WARM.temperature) < max(15, 3 * got.temperature_error)
    assert got.grade.saturation == 1.0  # other things may rightly be less colourful


def test_a_wall_that_fills_the_photo_has_nothing_around_it(desk, shot):
    with pytest.raises(PlateError, match="share no surface"):
        plates.matched(desk, shot, "p", "c")
