"""A plate while it is worked out: its picture and matte on a grid that lies in its photo's pixels."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Protocol

import cv2
import numpy as np
from numpy.typing import NDArray

from roofline.core.boxes import NOWHERE, area, box_of, parts, wider
from roofline.core.camera import Array
from roofline.core.light import to_linear

Matte = NDArray[np.float32]


@dataclass(frozen=True)
class Canvas:
    """A grid of pixels over part of a photo, in its straightened pixels; it may reach beyond it."""

    x0: float
    y0: float
    width: float
    height: float
    size: tuple[int, int]  # the grid's own pixels: width, height

    @property
    def scale(self) -> Array:
        """Grid pixels per photo pixel, along x and y."""
        return np.array([self.size[0] / self.width, self.size[1] / self.height])

    @property
    def mean_scale(self) -> float:
        return float(np.sqrt(self.scale.prod()))

    def place(self, points: Sequence[tuple[float, float]] | Array) -> Array:
        """Photo pixels (N, 2) → pixels of the grid, counted from its corner."""
        return np.asarray((np.asarray(points, dtype=np.float64).reshape(-1, 2) - [self.x0, self.y0]) * self.scale)

    def grown(self, left: int, top: int, right: int, bottom: int) -> Canvas:
        """With so many grid pixels more on each side."""
        kx, ky = self.scale
        w, h = self.size
        return Canvas(
            self.x0 - left / kx,
            self.y0 - top / ky,
            self.width + (left + right) / kx,
            self.height + (top + bottom) / ky,
            (w + left + right, h + top + bottom),
        )

    def part(self, xs: slice, ys: slice) -> Canvas:
        """Some columns and rows of the grid."""
        kx, ky = self.scale
        w, h = xs.stop - xs.start, ys.stop - ys.start
        return Canvas(self.x0 + xs.start / kx, self.y0 + ys.start / ky, w / kx, h / ky, (w, h))


@dataclass(frozen=True)
class Worked:
    """Pixels (H, W, 3) as stored (8 and 16 bit display values, float32 linear light), and the matte; None: 1 all over.

    ``notes``: what has to be told, by the id of a step.
    """

    canvas: Canvas
    pixels: NDArray
    matte: Matte | None
    notes: tuple[tuple[str, str], ...] = field(default=())

    @property
    def linear(self) -> NDArray[np.float32]:
        return to_linear(self.pixels)

    @property
    def full_matte(self) -> Matte:
        return np.ones(self.pixels.shape[:2], np.float32) if self.matte is None else self.matte

    def noted(self, step: str, sentence: str) -> Worked:
        return replace(self, notes=(*self.notes, (step, sentence)))

    def cropped(self) -> Worked:
        """Without what the matte leaves out all around, when that is much of it: two clear pixels stay."""
        if self.matte is None:
            return self
        held = box_of(self.matte)
        box = wider(held, 2, self.canvas.size)
        if held == NOWHERE or area(box) > 0.7 * self.matte.size:
            return self
        ys, xs = parts(box)
        pixels, matte = np.ascontiguousarray(self.pixels[ys, xs]), np.ascontiguousarray(self.matte[ys, xs])
        return Worked(self.canvas.part(xs, ys), pixels, matte, self.notes)


@dataclass(frozen=True)
class Face:
    """A face's plane as a canvas sees it: ``to_grid`` (3, 3) takes metres along and up to homogeneous grid pixels.

    The third component is the depth; ``low`` and ``high`` (2,) are the face's own bounds in metres.
    """

    to_grid: Array
    low: Array
    high: Array

    def metres(self, points: Array) -> Array:
        """Grid pixels (N, 2) → metres along and up (N, 2); NaN where the plane is not seen."""
        out = np.column_stack([points, np.ones(len(points))]) @ np.linalg.inv(self.to_grid).T
        with np.errstate(all="ignore"):
            return np.asarray(np.where(out[:, 2:] > 0, out[:, :2] / out[:, 2:], np.nan))

    def grid(self, metres: Array) -> Array:
        out = np.column_stack([metres, np.ones(len(metres))]) @ self.to_grid.T
        return np.asarray(out[:, :2] / out[:, 2:])


class World(Protocol):
    """What steps look at besides the plate itself. What cannot be given raises PlateError with a sentence."""

    def silhouette(self, targets: Sequence[str], canvas: Canvas) -> Matte:
        """What solids or faces cover of a canvas, as the plate's camera sees them."""

    def in_front(self, targets: Sequence[str], canvas: Canvas) -> Matte:
        """What stands in front of solids or faces."""

    def depth(self, canvas: Canvas) -> NDArray[np.float32]:
        """Depth of the set (H, W), metres; infinite where there is nothing."""

    def depth_picture(self, file: str, canvas: Canvas) -> NDArray[np.float32]:
        """A picture of depths over the photo, (H, W) 0…1 as it was stored."""

    def plate(self, ident: str) -> Worked:
        """Another plate, worked out."""

    def photo(self, ident: str, canvas: Canvas, sound: bool = False) -> NDArray[np.float32]:
        """Another photo through the geometry, (H, W, 4) linear, premultiplied; clear where it does not see.

        ``sound``: clear too where it would be smeared, by the limits that surfaces have in the shot.
        """

    def of_one_camera(self, photo: str) -> bool:
        """Whether another photo is of the same camera as the plate's own, nothing having moved."""

    def face(self, name: str, canvas: Canvas) -> Face:
        """A face's plane."""

    def picture(self, file: str) -> tuple[NDArray, Matte | None]:
        """A picture file's stored pixels (H, W, 3), and its alpha where it has one."""


def resampled(values: NDArray, source: Canvas, canvas: Canvas, border: float = 0.0) -> NDArray:
    """Values on one canvas, looked up on another of the same photo; ``border`` beyond it. Exact for whole pixels."""
    step = canvas.scale
    k = source.scale / step
    at = source.place([(canvas.x0, canvas.y0)])[0]
    w, h = canvas.size
    if np.allclose(k, 1, atol=1e-9) and np.allclose(at, np.round(at), atol=1e-6):
        out = np.full((h, w, *values.shape[2:]), border, dtype=values.dtype)
        x, y = int(round(at[0])), int(round(at[1]))
        sh, sw = values.shape[:2]
        xs, ys = slice(max(0, x), min(sw, x + w)), slice(max(0, y), min(sh, y + h))
        if xs.stop > xs.start and ys.stop > ys.start:
            out[ys.start - y : ys.stop - y, xs.start - x : xs.stop - x] = values[ys, xs]
        return out
    # pixel centres: those of the canvas in the source's pixels
    m = np.array([[k[0], 0, at[0] + 0.5 * k[0] - 0.5], [0, k[1], at[1] + 0.5 * k[1] - 0.5]])
    how = cv2.INTER_CUBIC if k.max() <= 1.5 else cv2.INTER_LINEAR
    return np.asarray(
        cv2.warpAffine(
            values,
            m,
            (w, h),
            flags=how | cv2.WARP_INVERSE_MAP,
            borderMode=cv2.BORDER_CONSTANT,
            borderValue=(border,) * 4,
        )
    )
