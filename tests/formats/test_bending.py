"""Frames bent back through the photo's lens lie on the photo as it was taken."""

from __future__ import annotations

import json

import numpy as np
import pytest
from PIL import Image
from tests.formats.by_hand import document, roofline

from roofline.core.camera import View, bend
from roofline.core.handoff.lens import bent_picture
from roofline.core.moment import still
from roofline.errors import RoofLineError


def psnr(a: np.ndarray, b: np.ndarray) -> float:
    return float(-10 * np.log10(np.mean((a / 255.0 - b / 255.0) ** 2)))


@pytest.mark.parametrize("lens", [[-0.18, 0.04, 0.001, -0.002, 0.0], [0.09, 0.0, 0.0, 0.0, 0.0]])
def test_the_home_frame_bent_back_is_the_photo_as_taken(tmp_path, lens):
    data = document()
    data["photos"][0]["camera"]["distortion"] = lens
    data["delivery"] = {"width": 240, "height": 160, "fps": 12, "frames": 6}
    for key in data["move"]["keys"]:
        key.update(position=[0, 1.5, 0], focal_px=200)
    folder = tmp_path / "pack"
    folder.mkdir()
    (folder / "shot.json").write_text(json.dumps(data))
    small = np.random.default_rng(4).integers(0, 256, (14, 20, 3), dtype=np.uint8)
    taken = Image.fromarray(small).resize((240, 160), Image.BICUBIC)
    taken.save(folder / "a.png")
    got = {}
    for name, extra in (("bent", ["--bend"]), ("straight", [])):
        done = roofline("render", folder, "--out", tmp_path / name, "--frames", "1-1", "--json", *extra)
        got[name] = np.asarray(Image.open(json.loads(done.stdout)[0]).convert("RGB"), float)
    inner = (slice(12, -12), slice(12, -12))
    photo = np.asarray(taken, float)
    assert psnr(got["bent"][inner], photo[inner]) > 38
    assert psnr(got["straight"][inner], photo[inner]) < 30


def test_bending_moves_a_point_where_the_lens_puts_it():
    """A bright spot in the straight picture, found again in the bent one to a hundredth of a pixel."""
    view = View(200, 120, 150.0, (97.0, 63.0), np.eye(3), np.zeros(3))
    lens = (-0.2, 0.05, 0.001, 0.0, 0.0)
    n = np.array([0.43, -0.28])

    def render(moment):
        v = moment.view
        x, y = np.meshgrid(np.arange(v.width) + 0.5, np.arange(v.height) + 0.5)
        at = n * v.focal + v.centre
        spot = np.exp(-((x - at[0]) ** 2 + (y - at[1]) ** 2) / (2 * 2.0**2))
        return np.repeat(spot[..., None], 4, axis=-1).astype(np.float32)

    out = bent_picture(render, still(view), lens)
    assert out.shape == (120, 200, 4)
    x, y = np.meshgrid(np.arange(200) + 0.5, np.arange(120) + 0.5)
    spot = out[..., 0] ** 2
    found = np.array([(spot * x).sum(), (spot * y).sum()]) / spot.sum()
    # a round spot becomes oval, and its weight's middle moves a little: the bend's curvature times the spot's variance
    assert np.linalg.norm(found - (bend(n, lens) * view.focal + view.centre)) < 0.05


def test_a_lens_that_folds_the_corners_in_is_refused():
    view = View(400, 300, 120.0, (200.0, 150.0), np.eye(3), np.zeros(3))
    with pytest.raises(RoofLineError, match="deliver them straight"):
        bent_picture(
            lambda m: np.zeros((m.view.height, m.view.width, 4), np.float32), still(view), (-0.25, 0.0, 0.0, 0.0, 0.0)
        )
