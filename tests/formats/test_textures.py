"""Plates as textures: small, with colours that no clear pixel darkens."""

from __future__ import annotations

import io

import numpy as np
import pytest
from PIL import Image

from roofline.formats.textures import texture_of, texture_width


def cutout(height: int = 90, width: int = 120):
    """A sheet of one colour whose clear part is stored black, as painters' files have it."""
    shown = np.zeros((height, width, 3), np.uint8)
    alpha = np.zeros((height, width), np.uint8)
    alpha[20:71, 31:90] = 255
    alpha[40:50, 31:90] = 90
    shown[alpha > 0] = (200, 120, 40)
    return shown, alpha


@pytest.mark.parametrize("width", [120, 50, 37])
def test_no_clear_pixel_darkens_what_is_beside_it(width):
    shown, alpha = cutout()
    got = np.asarray(Image.open(io.BytesIO(texture_of(shown, alpha, width))))
    assert got.shape == (round(90 * width / 120), width, 4)
    # everywhere, also where it is clear: it is smoothed across the border on the screen
    assert np.abs(got[..., :3].astype(int) - (200, 120, 40)).max() <= 1
    assert got[..., 3].mean() == pytest.approx(alpha.mean(), abs=1)


def test_half_clear_pixels_count_for_half():
    shown = np.zeros((2, 4, 3), np.uint8)
    shown[:, ::2], shown[:, 1::2] = 250, 10
    alpha = np.full((2, 4), 200, np.uint8)
    alpha[:, 1::2] = 50
    got = np.asarray(Image.open(io.BytesIO(texture_of(shown, alpha, 2))))
    assert np.abs(got[..., 0].astype(int) - (250 * 200 + 10 * 50) / 250).max() <= 1
    assert (got[..., 3] == 125).all()


def test_what_hides_all_is_a_photograph():
    shown = np.full((90, 120, 3), 77, np.uint8)
    assert Image.open(io.BytesIO(texture_of(shown, None, 60))).format == "JPEG"


@pytest.mark.parametrize(("plates", "width"), [(1, 4096), (8, 4096), (32, 2048), (500, 1536)])
def test_many_plates_share_what_eight_wide_ones_take(plates, width):
    assert texture_width(plates) == width
