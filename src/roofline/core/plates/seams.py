"""Seams: where a throw ends on a surface and another one goes on, the one fades into the other.

All arrays are on one grid of pixels, as the throw's own camera sees the set.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter

Mask = NDArray[np.bool_]
Floats = NDArray[np.float32]
FRONT = 0.99  # of a depth: what is nearer than this share of a surface's own depth there stands before it
DIFFERENT = 60.0  # display values, 0…255, beyond which two pictures are as different as can be
SOFT = 1.5  # pixels, one sigma: a cut is not seen as a line


@dataclass(frozen=True)
class Seen:
    """What a throw's camera sees: the nearest face (H, W), −1 for none; each face's plane as inverse depth, a linear
    form of the pixel (F, 3); where the throw itself reaches, and where others would (H, W)."""

    face: NDArray[np.int32]
    planes: NDArray[np.float64]
    own: Mask
    others: Mask

    def depth(self, face: NDArray[np.int32], y: NDArray, x: NDArray) -> NDArray[np.float64]:
        """Depth of faces' planes at pixels; infinite behind the camera, and where there is no face."""
        form = self.planes[np.maximum(face, 0)]
        inverse = form[..., 0] * (x + 0.5) + form[..., 1] * (y + 0.5) + form[..., 2]
        return np.where((face >= 0) & (inverse > 0), 1 / np.maximum(inverse, 1e-12), np.inf)

    def ends(self, face: NDArray[np.int32], y: NDArray, x: NDArray) -> Mask:
        """Whether the throw ends for a face at pixels: cut away from it there, or hidden by what stands before it."""
        there = self.face[y, x]
        out = np.asarray((there == face) & ~self.own[y, x])
        other = np.nonzero(there != face)
        at = y[other], x[other]
        out[other] = self.depth(there[other], *at) < FRONT * self.depth(face[other], *at)
        return out


def _ends(seen: Seen) -> Mask:
    """Pixels beside which the throw ends, for the surface of a neighbour; on a grid one pixel wider all round."""
    h, w = seen.face.shape
    out = np.ones((h + 2, w + 2), bool)  # it ends at its canvas
    out[1:-1, 1:-1] = False
    y, x = np.mgrid[0:h, 0:w]
    for dy, dx in ((0, 1), (1, 0), (0, -1), (-1, 0)):
        rows = slice(max(0, -dy), h - max(0, dy)), slice(max(0, -dx), w - max(0, dx))
        ny, nx = y[rows] + dy, x[rows] + dx
        here = seen.own[rows] & seen.ends(seen.face[rows], ny, nx)
        out[ny[here] + 1, nx[here] + 1] = True
    return out


def _beyond(seen: Seen, width: float) -> Floats:
    """Pixels (H, W) from each to where the throw ends for the surface that it shows, up to a width and a little more;
    infinite elsewhere."""
    ends = _ends(seen)
    away, label = cv2.distanceTransformWithLabels(
        (~ends).astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE, labelType=cv2.DIST_LABEL_PIXEL
    )
    at = np.zeros((int(label.max()) + 1, 2), np.int64)
    at[label[ends]] = np.argwhere(ends)
    away, label = away[1:-1, 1:-1], label[1:-1, 1:-1]
    near = np.nonzero(seen.own & (away <= width + 1))
    nearest = at[label[near]] - 1
    h, w = seen.face.shape
    outside = ((nearest < 0) | (nearest >= (h, w))).any(-1)
    y, x = np.clip(nearest[..., 0], 0, h - 1), np.clip(nearest[..., 1], 0, w - 1)
    out = np.full(seen.face.shape, np.inf, np.float32)
    out[near] = np.where(outside | seen.ends(seen.face[near], y, x), away[near], np.inf)
    return out


def _inside(mask: Mask) -> Floats:
    """Pixels to the nearest one that is not in a mask; infinite where all are."""
    if mask.all():
        return np.full(mask.shape, np.inf, np.float32)
    found = cv2.distanceTransform(mask.astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    return np.asarray(found, np.float32)


def faded(seen: Seen, width: float) -> Floats:
    """The throw's matte (H, W), 0…1, that rises from where it ends to full over a width in pixels.

    It is whole where no other throw would go on.
    """
    t = np.clip((_beyond(seen, width) - 0.5) / width, 0, 1)
    ramp = t * t * (3 - 2 * t)
    goes_on = np.clip(_inside(seen.others) / width, 0, 1)
    return np.asarray(1 - (1 - ramp) * goes_on, np.float32)


def cut(seen: Seen, width: float, mine: Floats, theirs: Floats) -> Floats:
    """The throw's matte (H, W), 0…1, ended within a band along the line that two pictures (H, W, 3), display values
    0…1, differ least on: a watershed of their difference, flooded from both sides of the band.

    Source: Meyer and Beucher 1990 (marked watersheds), as scikit-image has it.
    """
    from skimage.segmentation import watershed  # slow to import, and seldom wanted

    away = _beyond(seen, width)
    band = (away < width) & seen.others & (_inside(seen.others) > 1.5)
    if not band.any():
        return np.ones(seen.own.shape, np.float32)
    differ = np.abs(mine - theirs).max(-1) * 255 / DIFFERENT
    hills = 1 - np.clip(gaussian_filter(differ, 1.0), 0, 1)
    marks = np.zeros(band.shape, np.int32)
    marks[~band] = 1
    marks[~seen.own | (band & (away < 1.5))] = 2
    side = watershed(hills, marks) == 1
    soft = gaussian_filter((side & band).astype(np.float32), SOFT)  # of what lies in the band alone
    return np.where(band, soft / np.maximum(gaussian_filter(band.astype(np.float32), SOFT), 1e-6), 1)
