"""A desk over a data folder of the test's own, and a shot with a wall before a camera."""

from __future__ import annotations

import io

import numpy as np
import pytest
from PIL import Image
from tests.conftest import write_folder
from tests.formats.by_hand import document

from roofline.model.plates import Outline
from roofline.stages.opening import open_desk
from roofline.stages.shots import take_in

SQUARE = Outline(points=[(60.0, 50.0), (110.0, 50.0), (110.0, 110.0), (60.0, 110.0)], feather_px=0)


def png(width: int = 40, height: int = 30, seed: int = 0) -> bytes:
    """A picture of noise; no two seeds are the same file."""
    pixels = np.random.default_rng(seed).integers(0, 256, (height, width, 3), dtype=np.uint8)
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "PNG")
    return out.getvalue()


@pytest.fixture
def desk(tmp_path):
    desk = open_desk(tmp_path / "data")
    yield desk
    desk.close()


@pytest.fixture
def wall(desk, tmp_path) -> str:
    """The shot of exchange.md: one photo with a camera, a wall 10 m ahead, a plate thrown on it, two keys."""
    return take_in(desk, write_folder(tmp_path / "pack", document(), (240, 160)))


def ended(desk, job, seconds: float = 60.0):
    """A job when it has ended."""
    assert job.ended.wait(seconds), f"{job.order.kind} has not ended"
    return job
