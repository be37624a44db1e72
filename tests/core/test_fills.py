"""Fills: smooth, texture, along; membranes; deterministic; refusals."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from tools.fill_sheet import sharpness

from roofline.core.plates.exemplar import textured
from roofline.core.plates.filling import along, filled, smooth
from roofline.core.plates.membrane import meeting, membrane
from roofline.core.plates.worked import Canvas, Worked
from roofline.errors import PlateError


def noise(size: int, soft: float, seed: int) -> np.ndarray:
    value = np.random.default_rng(seed).normal(size=(size, size, 3)).astype(np.float32)
    value = np.asarray(cv2.GaussianBlur(value, (0, 0), soft), np.float32)
    return 0.5 + 0.13 * value / value.std()


def bricks(size: int, seed: int) -> np.ndarray:
    y, x = np.mgrid[0:size, 0:size]
    row = y // 12
    joint = (y % 12 < 2) | ((x + 12 * (row % 2)) % 24 < 2)
    tone = np.random.default_rng(seed).normal(0, 0.04, (size // 12 + 2, size // 24 + 3))
    brick = tone[row, (x + 12 * (row % 2)) // 24]
    base = np.where(joint[..., None], 0.7, np.float32([0.55, 0.3, 0.22]) + brick[..., None])
    return (base + np.random.default_rng(seed + 1).normal(0, 0.01, base.shape)).astype(np.float32)


def waves(size: int, angle: float) -> np.ndarray:
    y, x = np.mgrid[0:size, 0:size]
    value = 0.5 + 0.3 * np.sin((x * np.cos(angle) + y * np.sin(angle)) / 2.5)
    grain = np.random.default_rng(2).normal(0, 0.02, (size, size))
    return np.repeat((value + grain)[..., None], 3, axis=2).astype(np.float32)


TEXTURES = {
    "fine": noise(160, 0.8, 1),
    "middling": noise(160, 1.6, 2),
    "coarse": noise(160, 3.0, 3),
    "brick": bricks(160, 4),
    "upright": waves(160, 0),
    "slanted": waves(160, 0.6),
    "level": waves(160, np.pi / 2),
    "checked": (
        0.5
        + 0.3
        * np.sign(np.sin(np.arange(160) / 3))[:, None, None]
        * np.sign(np.sin(np.arange(160) / 3))[None, :, None]
        * np.ones(3)
        + 0.01 * noise(160, 0.8, 9)
    ).astype(np.float32),
}


def hole_of(size: int, low: int, high: int) -> np.ndarray:
    hole = np.zeros((size, size), bool)
    hole[low:high, low:high] = True
    return hole


@pytest.mark.parametrize("kind", TEXTURES)
def test_a_texture_is_as_sharp_as_around_without_a_seam(kind):
    picture, hole = TEXTURES[kind], hole_of(160, 60, 104)
    damaged = np.where(hole[..., None], 0, picture).astype(np.float32)
    got = textured(damaged, hole, np.ones_like(hole), 0)
    ring = cv2.dilate(hole.astype(np.uint8), np.ones((41, 41))).astype(bool)
    ring &= ~cv2.dilate(hole.astype(np.uint8), np.ones((5, 5))).astype(bool)
    inner = cv2.erode(hole.astype(np.uint8), np.ones((3, 3))).astype(bool)
    rim = cv2.dilate(hole.astype(np.uint8), np.ones((3, 3))).astype(bool) & ~inner
    around = sharpness(picture, ring)
    assert 0.75 <= sharpness(got, inner) / around <= 1.25
    assert sharpness(got, rim) <= 1.3 * max(around, sharpness(picture, rim))  # edges may lie there in truth
    assert (got[~hole] == picture[~hole]).all()
    telea = cv2.inpaint((picture * 255).clip(0, 255).astype(np.uint8), hole.astype(np.uint8), 5, cv2.INPAINT_TELEA)
    assert sharpness(got, inner) > 1.5 * sharpness(telea / 255.0, inner)  # what it is there to be better than


def test_bricks_go_on_where_they_were():
    picture, hole = TEXTURES["brick"], hole_of(160, 60, 100)
    got = textured(np.where(hole[..., None], 0, picture).astype(np.float32), hole, np.ones_like(hole), 0)
    joints = picture.mean(-1) > 0.55
    assert ((got.mean(-1) > 0.55) == joints)[hole].mean() > 0.9


def test_a_seed_gives_the_same_fill_and_another_one_another():
    picture, hole = TEXTURES["middling"], hole_of(160, 60, 100)
    one, same, other = (textured(picture, hole, np.ones_like(hole), seed) for seed in (1, 1, 2))
    assert (one == same).all() and np.abs(one - other)[hole].mean() > 0.01


def test_texture_comes_from_where_it_may_only():
    picture, hole = TEXTURES["fine"].copy(), hole_of(160, 60, 90)
    picture[:, 110:] = (1.0, 0.0, 0.0)
    allowed = np.ones_like(hole)
    allowed[:, 110:] = False
    got = textured(picture, hole, allowed, 0)
    assert got[hole][:, 0].max() < 0.999 and np.abs(got[hole].mean(0) - 0.5).max() < 0.12
    with pytest.raises(PlateError, match="nothing to take a texture from"):
        textured(picture, hole, np.zeros_like(hole), 0)


def test_a_membrane_is_the_exact_harmonic_where_that_is_known():
    y, x = np.mgrid[0:90, 0:110].astype(np.float32)
    for harmonic in (0.3 * x - 0.2 * y, (x * x - y * y) / 400):
        values = harmonic[..., None].astype(np.float32)
        hole = np.zeros((90, 110), bool)
        hole[20:70, 25:80] = True
        got = membrane(np.where(hole[..., None], 0, values).astype(np.float32), hole)
        assert np.abs(got - values).max() < 0.02 * np.ptp(values)
        assert (got[~hole] == values[~hole]).all()


def test_smooth_keeps_a_ramp_and_its_grain():
    rng = np.random.default_rng(3)
    ramp = np.linspace(0.2, 0.8, 160)[None, :, None] * np.ones((160, 1, 3))
    picture, hole = (ramp + rng.normal(0, 0.01, ramp.shape)).astype(np.float32), hole_of(160, 50, 110)
    got = smooth(np.where(hole[..., None], 0, picture).astype(np.float32), hole, np.ones_like(hole), 0)
    assert np.abs(cv2.GaussianBlur(got - ramp.astype(np.float32), (0, 0), 4)).max() < 0.02
    assert 0.6 < (got - ramp)[hole].std() / 0.01 < 1.4


def test_along_continues_what_runs_level():
    stripes = np.sin(np.arange(120) / 3)[:, None, None] * 0.3 + 0.5 + np.zeros((120, 120, 3))
    picture, hole = stripes.astype(np.float32), hole_of(120, 40, 80)
    got = along(np.where(hole[..., None], 0, picture).astype(np.float32), hole, np.ones_like(hole), 0)
    assert np.abs(got - picture)[hole].mean() < 0.02


def test_healing_brings_texture_and_leaves_the_light():
    texture = 0.3 + 0.1 * (TEXTURES["fine"] - 0.5)
    light = np.linspace(0.4, 0.9, 160)[None, :, None].astype(np.float32) * np.ones((160, 1, 3), np.float32)
    hole = hole_of(160, 50, 110)
    got = meeting(texture.astype(np.float32), light, hole)
    assert np.abs(cv2.GaussianBlur(got - light, (0, 0), 6)).max() < 0.05
    fine = got - cv2.GaussianBlur(got, (0, 0), 3)
    own = texture - cv2.GaussianBlur(texture, (0, 0), 3)
    inner = hole_of(160, 60, 100)
    assert np.corrcoef(fine[inner].ravel(), own[inner].ravel())[0, 1] > 0.95


@pytest.mark.parametrize("kind", [np.uint8, np.uint16, np.float32])
def test_what_is_not_filled_stays_bit_for_bit(kind):
    top = 1.0 if kind == np.float32 else np.iinfo(kind).max
    pixels = (TEXTURES["fine"].clip(0, 1) * top).astype(kind)
    worked = Worked(Canvas(0, 0, 160, 160, (160, 160)), pixels, None)
    where = hole_of(160, 60, 90).astype(np.float32)
    got = filled(worked, where, lambda p, h, may: textured(p, h, may, 0), None, None, False)
    assert got.pixels.dtype == kind and (got.pixels[where == 0] == pixels[where == 0]).all()
    assert (got.pixels[where > 0] != pixels[where > 0]).any()


def test_fills_of_nothing_and_of_everything_are_refused():
    worked = Worked(Canvas(0, 0, 20, 20, (20, 20)), np.zeros((20, 20, 3), np.uint8), None)
    for where, says in ((np.zeros((20, 20)), "matte is empty"), (np.ones((20, 20)), "covers everything")):
        with pytest.raises(PlateError, match=says):
            filled(worked, where.astype(np.float32), lambda p, h, may: p, None, None, False)
