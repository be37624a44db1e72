"""Mattes: what makes and changes them, pixel by pixel. All are (H, W) float32, 0…1."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse import linalg

from roofline.core.boxes import NOWHERE, box_of, parts, wider
from roofline.core.camera import Array
from roofline.core.plates.colours import away_from, labs
from roofline.core.throw.threads import CORES
from roofline.model.steps import Mode

Matte = NDArray[np.float32]
FEATHER = 3.0  # a feather's width over the sigma of the blur that makes it
TILE, AROUND = 384, 48  # pixels that hair is worked out at once, and around them


def combined(before: Matte, new: Matte, mode: Mode) -> Matte:
    """A matte with another one added, cut out of it, or kept within."""
    if mode == "add":
        return np.maximum(before, new)
    return np.minimum(before, 1 - new) if mode == "cut" else np.minimum(before, new)


def picked(linear: NDArray[np.float32], at: Array, tolerance: float, joined: bool) -> Matte:
    """What has the colour of picked pixels (N, 2): full within a tolerance (ΔE 2000), linear to zero at 1.5 × it.

    A pick's colour is the mean of three by three pixels. ``joined``: only what hangs together with a pick.
    """
    h, w = linear.shape[:2]
    spots = [(min(max(int(x), 0), w - 1), min(max(int(y), 0), h - 1)) for x, y in at]
    means = [linear[max(0, y - 1) : y + 2, max(0, x - 1) : x + 2].mean((0, 1)) for x, y in spots]
    away = away_from(linear, labs(np.array(means, dtype=np.float64)), 1.5 * tolerance)
    matte = np.clip((1.5 * tolerance - away) / (0.5 * tolerance), 0, 1).astype(np.float32)
    if not joined:
        return matte
    _, labels = cv2.connectedComponents((matte > 0).astype(np.uint8), connectivity=8)
    mine = np.unique([labels[y, x] for x, y in spots])
    matte[~np.isin(labels, mine[mine > 0])] = 0
    return matte


def within(depth: NDArray[np.float32], near: float, far: float, soft: float) -> Matte:
    """What lies between two depths, (H, W) metres; soft over some metres about each."""
    if soft <= 0:
        return ((depth >= near) & (depth <= far)).astype(np.float32)
    with np.errstate(invalid="ignore"):
        ramp = np.minimum((depth - near) / soft + 0.5, (far - depth) / soft + 0.5)
    return np.clip(np.nan_to_num(ramp, nan=0.0, posinf=1.0, neginf=0.0), 0, 1).astype(np.float32)


def grown(matte: Matte, pixels: float) -> Matte:
    """A matte grown by pixels, below zero shrunk: by Euclidean distance from where it is one half, antialiased."""
    if pixels == 0:
        return matte
    inside = (matte >= 0.5).astype(np.uint8)
    if not inside.any():
        return matte
    # far enough around for what is asked; distances are of pixel centres, the border lies half a pixel before
    if pixels > 0:
        away = cv2.distanceTransform(1 - inside, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
        ring = np.clip(pixels + 1 - away, 0, 1)
        return np.where(inside > 0, 1, ring).astype(np.float32)
    deep = cv2.distanceTransform(
        cv2.copyMakeBorder(inside, 1, 1, 1, 1, cv2.BORDER_REPLICATE), cv2.DIST_L2, cv2.DIST_MASK_PRECISE
    )[1:-1, 1:-1]
    return np.where(inside > 0, np.clip(deep + pixels, 0, 1), 0).astype(np.float32)


def feathered(matte: Matte, pixels: float) -> Matte:
    """A matte whose border is a smooth ramp about so many pixels wide, half of it inside."""
    if pixels <= 0:
        return matte
    return np.asarray(cv2.GaussianBlur(matte, (0, 0), pixels / FEATHER, borderType=cv2.BORDER_REPLICATE))


def band(matte: Matte, pixels: float) -> NDArray[np.bool_]:
    """Where a matte's border is no farther than half of some pixels, (H, W), and where it is soft itself."""
    inside = (matte >= 0.5).astype(np.uint8)
    reach = pixels / 2
    out = cv2.distanceTransform(1 - inside, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    into = cv2.distanceTransform(inside, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    return np.asarray((out <= reach) & (into <= reach))


def _by_tiles(
    unsure: NDArray[np.bool_], work: Callable[[slice, slice], NDArray], into: NDArray, weight: NDArray[np.float32]
) -> None:
    """Work tiles that overlap, where there is anything unsure, and blend what they give into (H, W, …)."""
    h, w = unsure.shape
    parts = []
    for top in range(0, h, TILE):
        for left in range(0, w, TILE):
            if unsure[top : top + TILE, left : left + TILE].any():
                ys = slice(max(0, top - AROUND), min(h, top + TILE + AROUND))
                xs = slice(max(0, left - AROUND), min(w, left + TILE + AROUND))
                parts.append((ys, xs, np.outer(_ramp(ys, top, h), _ramp(xs, left, w)).astype(np.float32)))
    with ThreadPoolExecutor(CORES) as hands:
        for (ys, xs, share), got in zip(parts, hands.map(lambda part: work(*part[:2]), parts), strict=True):
            into[ys, xs] += got * (share if got.ndim == 2 else share[..., None])
            weight[ys, xs] += share


def _ramp(part: slice, start: int, whole: int) -> Array:
    """How much a tile counts along one direction: in full in its middle, less towards borders that it shares."""
    at = np.arange(part.start, part.stop) + 0.5
    rise = 1.0 if part.start == 0 else np.clip((at - part.start) / (2 * AROUND), 0.01, 1)
    fall = 1.0 if part.stop == whole else np.clip((part.stop - at) / (2 * AROUND), 0.01, 1)
    return np.asarray(np.minimum(rise, fall) * np.ones(len(at)))


def haired(display: NDArray[np.float32], matte: Matte, pixels: float) -> Matte:
    """Alpha worked out anew in a band about the matte's border, from the picture (H, W, 3), display values.

    Closed-form matting (Levin, Lischinski and Weiss 2008) by tiles, of which only the band is solved for; outside of it
    the matte stays, and where there is no border it is handed back. A tile without sure foreground and background
    stays as it is.
    """
    unsure = band(matte, pixels)
    if not unsure.any():
        return matte
    trimap = np.where(unsure, 0.5, np.round(matte)).astype(np.float64)

    def work(ys: slice, xs: slice) -> NDArray:
        part = trimap[ys, xs]
        if not (part == 0.5).any() or not (part == 0).any() or not (part == 1).any():
            return matte[ys, xs]
        return _closed_form(display[ys, xs].astype(np.float64), part)

    total, weight = np.zeros_like(matte), np.zeros_like(matte)
    _by_tiles(unsure, work, total, weight)
    return np.where(unsure & (weight > 0), np.clip(total / np.maximum(weight, 1e-6), 0, 1), matte).astype(np.float32)


def _closed_form(picture: Array, trimap: Array) -> Matte:
    """Alpha (H, W) where the trimap is one half, such that it varies as the colours (H, W, 3) do."""
    from pymatting import cf_laplacian

    known = trimap.ravel() != 0.5
    # a pixel beside the band still has a say in what the band is
    near = cv2.dilate((trimap == 0.5).astype(np.uint8), np.ones((3, 3), np.uint8))
    laplacian = cf_laplacian(picture, 1e-7, 1, near == 0)
    inner = laplacian[~known]
    alpha = trimap.ravel().copy()
    right = -inner[:, known] @ alpha[known]
    system = (inner[:, ~known] + 1e-9 * sparse.identity(int((~known).sum()))).tocsc()
    # symmetric: ordered as such it is solved in a third of the time
    symmetric = {"permc_spec": "MMD_AT_PLUS_A", "diag_pivot_thresh": 0.0, "options": {"SymmetricMode": True}}
    alpha[~known] = linalg.splu(system, **symmetric).solve(right)
    return np.clip(alpha.reshape(trimap.shape), 0, 1).astype(np.float32)


def defringed(linear: NDArray[np.float32], matte: Matte, pixels: float) -> tuple[Matte, NDArray]:
    """The picture (H, W, 3) with the foreground's own colours where it is half covered, and where it was changed.

    Multilevel estimation (Germer et al. 2020), in a band about the border.
    """
    from pymatting import estimate_foreground_ml

    unsure = band(matte, pixels) & (matte < 0.999)
    box = box_of(unsure)
    if box == NOWHERE:
        return linear, unsure
    at = parts(wider(box, int(2 * pixels) + 8, matte.shape[::-1]))
    own = estimate_foreground_ml(linear[at].astype(np.float64), matte[at].astype(np.float64))
    out = linear.copy()
    out[at][unsure[at]] = own[unsure[at]].astype(np.float32)
    return out, unsure
