"""PNG written by us, read by others."""

from __future__ import annotations

import io

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra import numpy as hnp
from PIL import Image

from roofline.formats import pictures
from roofline.formats.png import quick_png

shapes = st.tuples(st.integers(1, 40), st.integers(1, 40)).flatmap(lambda s: st.sampled_from([s, (*s, 3), (*s, 4)]))
any_pixels = st.sampled_from([np.uint8, np.uint16]).flatmap(lambda kind: hnp.arrays(kind, shapes))


@settings(max_examples=80, deadline=None)
@given(any_pixels)
def test_what_is_written_is_read_back_exactly(pixels):
    read = cv2.imdecode(np.frombuffer(quick_png(pixels), np.uint8), cv2.IMREAD_UNCHANGED)
    back = read if pixels.ndim == 2 else read[..., [2, 1, 0, 3][: pixels.shape[2]]]
    assert back.dtype == pixels.dtype
    assert (back.reshape(pixels.shape) == pixels).all()


@pytest.mark.parametrize("shape", [(30, 50), (30, 50, 3), (30, 50, 4)])
def test_a_second_reader_agrees_and_finds_no_fault(shape):
    pixels = np.random.default_rng(1).integers(0, 256, shape).astype(np.uint8)
    data = quick_png(pixels)
    Image.open(io.BytesIO(data)).verify()
    assert (np.asarray(Image.open(io.BytesIO(data))) == pixels).all()


def test_parts_of_arrays_are_written_as_they_look():
    whole = np.arange(20 * 30 * 4, dtype=np.uint16).reshape(20, 30, 4)
    part = whole[3:15:2, ::-1, :3]
    assert (pictures.read(quick_png(part), "part") == part).all()


def test_smooth_pictures_stay_small():
    y, x = np.mgrid[:400, :600]
    smooth = np.stack([x // 4, y // 3, (x + y) // 6], axis=2).astype(np.uint8)
    assert len(quick_png(smooth)) < smooth.nbytes / 20
