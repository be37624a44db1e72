"""Boxes that openings are cut into."""

from __future__ import annotations

from typing import ClassVar, Self

import numpy as np

from roofline.core.camera import Array
from roofline.core.massing.cuts import LEAST, Cells, pinched
from roofline.core.massing.kinds.base import NUMBER, SMALLEST, Axis, Boxed, Cuts, Placing, swapped
from roofline.model.massing import Cut

CUT_SIDE_OF = {
    "left": (0, False),
    "right": (0, True),
    "sill": (1, False),
    "head": (1, True),
    "back": (2, False),
    "front": (2, True),
}


def kept_in_place(cut: Cut, i: int, far: bool, by: float, size: float) -> Cut:
    """A cut after its box has grown at a side: where it was in the place, and still reaching that side if it did."""
    low, high = list(cut.low), list(cut.high)
    reaches = high[i] > size - 1e-6 if far else low[i] < 1e-6
    if far:
        high[i] += by if reaches else 0.0
    else:
        low[i] -= 0.0 if reaches else by
        high[i] -= by
    if high[i] - low[i] < SMALLEST:
        return cut
    return cut.model_copy(update={"low": tuple(low), "high": tuple(high)})


def cut_side(cut: Cut, i: int, far: bool, by: float) -> Cut:
    """A cut with one of its sides moved along an axis."""
    low, high = list(cut.low), list(cut.high)
    if far:
        high[i] = max(high[i] + by, low[i] + SMALLEST)
    else:
        low[i] = min(low[i] + by, high[i] - SMALLEST)
    return cut.model_copy(update={"low": tuple(low), "high": tuple(high)})


class Opened(Boxed):
    """A box with cuts, from `low` to `high` along its own run, rise and return, from its corner."""

    sections: ClassVar[bool] = True
    turn_deg: float = 0.0
    cuts: Cuts = []

    def cells(self) -> Cells | None:
        """The cells of the box with its cuts; None without cuts."""
        raise NotImplementedError

    def amiss(self) -> str | None:
        return pinched(self.cells())

    def placed(self, to: Placing) -> Self:
        return super().placed(to).with_(cuts=to.cuts(self.cuts))

    def mirrored(self, at: float) -> Self:
        return super().mirrored(at).with_(cuts=swapped(self.cuts, self.size[0]))

    def pulled(self, corner: int, start: Array, axis: Axis, by: float) -> Self:
        return self._cut_corner(self.inside(start), NUMBER[axis], by) or super().pulled(corner, start, axis, by)

    def _cut_corner(self, own: Array, i: int, by: float) -> Self | None:
        """The piece with the cut that a corner belongs to moved at that side; None where the box's own side is
        meant."""
        size = np.array(self.size)
        near = LEAST * size.max()  # a corner lies as far as that from the sides that meet in it
        if abs(own[i]) < near or abs(own[i] - size[i]) < near:
            return None
        for n, cut in enumerate(self.cuts):
            low, high = np.array(cut.low), np.array(cut.high)
            within = np.all((own > low - near) & (own < high + near))
            far = bool(abs(own[i] - high[i]) < near)
            if within and (far or abs(own[i] - low[i]) < near):
                moved = cut_side(cut, i, far, by + own[i] - (high[i] if far else low[i]))
                return self.with_(cuts=[moved if k == n else c for k, c in enumerate(self.cuts)])
        return self

    def grown(self, i: int, far: bool, by: float) -> Self:
        if not far:
            by = min(by, self.size[i] - SMALLEST)
        return super().grown(i, far, by).with_(cuts=[kept_in_place(c, i, far, by, self.size[i]) for c in self.cuts])

    def shoved(self, face: str, normal: Array, by: float) -> Self:
        if "-" not in face:
            return super().shoved(face, normal, by)
        name, _, looks = face.rpartition("-")
        i, far = CUT_SIDE_OF[looks.rstrip("0123456789")]
        # a cut's faces look into it: moving one that way makes the cut smaller
        along = -by if far else by
        return self.with_(cuts=[cut_side(c, i, far, along) if c.name == name else c for c in self.cuts])
