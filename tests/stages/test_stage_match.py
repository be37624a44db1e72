"""The demo's photographs, matched as a camera's files developed to linear light, where what is true is known."""

from __future__ import annotations

import json
import shutil

import cv2
import numpy as np
import pytest

from roofline.demo.shot import FOLDER
from roofline.errors import PlateError
from roofline.formats.pictures import read
from roofline.model.plates import ThrowChange
from roofline.model.steps import Grade
from roofline.stages import plates, shots

EXPOSED = np.log2(0.92 / 0.66)  # stops that the first was exposed longer, see tools/varrow/photograph.py


def developed(data: bytes) -> np.ndarray:
    """Display values, 16 bit, of a photograph without its film: the curve undone, and the falloff to the corners."""
    shown = read(data, "photo")[..., :3] / 255.0
    y = np.where(shown <= 0.04045, shown / 12.92, ((shown + 0.055) / 1.055) ** 2.4)
    a, b, c, d, e = 2.51, 0.03, 2.43, 0.59, 0.14  # y = x (a x + b) / (x (c x + d) + e), solved for x
    y = np.minimum(y, 0.98)
    square, line = a - c * y, b - d * y
    x = (np.sqrt(line**2 + 4 * square * e * y) - line) / (2 * square) / 0.72
    h, w = y.shape[:2]
    rows, cols = np.mgrid[0:h, 0:w]
    r = ((cols - w / 2) ** 2 + (rows - h / 2) ** 2) / ((w / 2) ** 2 + (h / 2) ** 2)
    light = np.clip(0.6 * x / (1 - 0.30 * r - 0.06 * r**2)[..., None], 0, 1)
    curve = np.where(light <= 0.0031308, 12.92 * light, 1.055 * np.maximum(light, 1e-8) ** (1 / 2.4) - 0.055)
    return (curve * 65535 + 0.5).astype(np.uint16)


@pytest.mark.slow
def test_the_demos_exposures_are_found_to_a_twentieth_of_a_stop_where_light_is_linear(desk, tmp_path):
    """On film no one figure is true: its curve makes 0.48 stops 0.76 in the dark and 0.2 in the bright."""
    folder = shutil.copytree(FOLDER, tmp_path / "shot")
    text = (folder / "shot.json").read_text()
    for name in ("platform-side", "from-the-hut"):
        picture = developed((folder / f"photos/{name}.jpg").read_bytes())
        cv2.imwrite(str(folder / f"photos/{name}.png"), picture[..., ::-1], [cv2.IMWRITE_PNG_COMPRESSION, 1])
        text = text.replace(f"photos/{name}.jpg", f"photos/{name}.png")
    document = json.loads(text)
    for throw in document["throws"]:  # a plate is matched to another one as that is graded
        throw.pop("grade", None)
    (folder / "shot.json").write_text(json.dumps(document))
    shot = shots.take_in(desk, folder, "Developed")
    for one, other, sign in (("from-the-hut", "platform-side", 1), ("platform-side", "from-the-hut", -1)):
        got = plates.matched(desk, shot, one, other)
        assert sign * got.grade.exposure == pytest.approx(EXPOSED, abs=0.05)
        assert got.after < 2 < 6 < got.before


def test_a_match_betters_the_grade_of_now_and_follows_the_others_grade(desk):
    shot = shots.take_in(desk, FOLDER)
    own, other = "front-without-canopy", "platform-side"
    plates.change_throw(desk, shot, own, ThrowChange(grade=Grade(exposure=-0.8)))
    dark = plates.matched(desk, shot, own, other)
    assert abs(dark.grade.exposure) < 0.12 and dark.after < 3 < 6 < dark.before
    plates.change_throw(desk, shot, other, ThrowChange(grade=Grade(exposure=1)))
    assert plates.matched(desk, shot, own, other).grade.exposure == pytest.approx(dark.grade.exposure + 1, abs=0.1)
    plates.change_throw(desk, shot, other, ThrowChange(ungraded=True))
    plates.change_throw(desk, shot, own, ThrowChange(grade=dark.grade))
    with pytest.raises(PlateError, match="No grade brings the plate nearer"):
        plates.matched(desk, shot, own, other)
