"""Boxes of pixels against the pixels themselves."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from roofline.core.boxes import NOWHERE, area, box_of, joined, parts, wider

MASKS = arrays(np.bool_, (7, 9))


def drawn(box) -> np.ndarray:
    out = np.zeros((7, 9), bool)
    out[parts(box)] = True
    return out


@given(MASKS)
def test_a_box_is_the_smallest_that_holds_all(mask):
    box = box_of(mask)
    assert (drawn(box) | ~mask).all() and area(box) == drawn(box).sum()
    if not mask.any():
        assert box == NOWHERE
    else:
        ys, xs = parts(box)
        assert all(mask[ys, x].any() for x in (xs.start, xs.stop - 1))
        assert all(mask[y, xs].any() for y in (ys.start, ys.stop - 1))


@given(MASKS, MASKS)
def test_two_boxes_joined_are_the_box_of_both(one, other):
    assert joined(box_of(one), box_of(other)) == box_of(drawn(box_of(one)) | drawn(box_of(other)))


@given(MASKS, st.floats(0, 4))
def test_a_box_is_widened_by_whole_pixels_within_the_grid(mask, pixels):
    if (box := box_of(mask)) == NOWHERE:
        return
    y, x = np.mgrid[0:7, 0:9]
    by = np.ceil(pixels)
    near = (x >= box[0] - by) & (x < box[2] + by) & (y >= box[1] - by) & (y < box[3] + by)
    np.testing.assert_array_equal(drawn(wider(box, pixels, (9, 7))), near)
