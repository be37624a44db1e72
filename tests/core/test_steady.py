"""Whether nothing moved between two pictures: shifts that are known, exposures, and pictures of something else."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.ndimage import fourier_shift, gaussian_filter

from roofline.core.survey.steady import beside_px
from roofline.errors import SurveyError


def a_place(seed: int = 1, size: tuple[int, int] = (400, 600)) -> np.ndarray:
    """Linear light (H, W) of something with structure at all sizes."""
    rng = np.random.default_rng(seed)
    layers = [gaussian_filter(rng.normal(0, 1, size), s, mode="wrap") * s for s in (1, 4, 16)]
    f = sum(layers)
    return (f - f.min()) / np.ptp(f) * 0.8 + 0.02


def photographed(light: np.ndarray, stops: float = 0.0, seed: int = 0) -> np.ndarray:
    grain = np.random.default_rng(1000 + seed).normal(0, 1.5, light.shape)
    x = np.clip(light * 2.0**stops, 0, 1)
    display = np.where(x <= 0.0031308, 12.92 * x, 1.055 * np.maximum(x, 1e-9) ** (1 / 2.4) - 0.055)  # IEC 61966-2-1
    return np.clip(display * 255 + grain, 0, 255).astype(np.uint8)


def moved(light: np.ndarray, x: float, y: float) -> np.ndarray:
    return np.real(np.fft.ifft2(fourier_shift(np.fft.fft2(light), (y, x))))


@pytest.mark.parametrize(("x", "y"), [(0, 0), (0.4, -0.3), (2.25, 1.0), (-7.5, 3.0)])
@pytest.mark.parametrize("stops", [-3.0, 0.0, 1.0])
def test_a_shift_is_told_whatever_the_exposure(x, y, stops):
    light = a_place()
    got = beside_px(photographed(light), photographed(moved(light, x, y), stops, 1))
    assert got == pytest.approx(np.hypot(x, y), abs=0.15)


def test_what_stands_in_one_of_them_alone_does_not_count():
    light = a_place()
    other = light.copy()
    other[100:300, 230:420] = a_place(9)[100:300, 230:420]
    assert beside_px(photographed(light), photographed(other, 0.5, 1)) < 0.15


def test_other_pictures_are_not_of_one_camera():
    with pytest.raises(SurveyError, match="too little in common"):
        beside_px(photographed(a_place(1)), photographed(a_place(2), 0, 1))
    with pytest.raises(SurveyError, match="600 × 400 px, the other 300 × 200"):
        beside_px(photographed(a_place()), photographed(a_place(size=(200, 300))))
    with pytest.raises(SurveyError, match="too small"):
        beside_px(*[photographed(a_place(size=(30, 40)))] * 2)
