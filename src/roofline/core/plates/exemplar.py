"""Texture for a hole from the picture around it: patches that fit, coarse to fine.

A randomised nearest-neighbour field (Barnes, Shechtman, Finkelstein and Goldman 2009) between the hole's patches and
those of what is known, and votes of the patches that lie over each pixel (Wexler, Shechtman and Irani 2007).
"""

from __future__ import annotations

from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from roofline.core.plates.membrane import membrane
from roofline.errors import PlateError

HALF = 3  # patches are seven by seven
BANDS = 4  # of targets, worked on side by side; their number is fixed, so that the result does not hang on the machine
NEARBY = 64  # pixels about a patch that is gone on with, in which its continuation is looked for first, …
ENOUGH = 400  # … if there are so many patches to take
DEEPEST = 7.0  # pixels from the hole's middle to its rim on the coarsest level
Picture = NDArray[np.float32]


@njit(cache=True, nogil=True, error_model="numpy", fastmath=True)
def _cost(picture, y, x, sy, sx, best):  # type: ignore[no-untyped-def]
    """Mean squared difference of two patches; more than ``best`` as soon as that is certain."""
    height, width = picture.shape[:2]
    top, bottom = max(-HALF, -y), min(HALF, height - 1 - y)
    left, right = max(-HALF, -x), min(HALF, width - 1 - x)
    count = (bottom - top + 1) * (right - left + 1)
    limit, total = best * count, np.float32(0)
    for dy in range(top, bottom + 1):
        for dx in range(left, right + 1):
            for c in range(3):
                d = picture[y + dy, x + dx, c] - picture[sy + dy, sx + dx, c]
                total += d * d
        if total > limit:
            return total / count
    return total / count


@njit(cache=True, nogil=True, error_model="numpy")
def _improve(picture, usable, ys, xs, index, field, before, costs, backwards, seed):  # type: ignore[no-untyped-def]
    """One pass over a band of targets: their neighbours' sources are tried, and random ones around the best.

    ``field`` is what this band writes, ``before`` what the others had: bands do not wait for one another.
    """
    height, width = usable.shape
    state = np.uint64(seed * 2654435761 + 88172645463325252)
    first, last, step = (len(ys) - 1, -1, -1) if backwards else (0, len(ys), 1)
    for t in range(first, last, step):
        y, x = ys[t], xs[t]
        best, sy, sx = costs[t], field[t, 0], field[t, 1]
        for side in range(2):
            ny, nx = (y - step, x) if side == 0 else (y, x - step)
            if ny < 0 or nx < 0 or ny >= height or nx >= width or index[ny, nx] == -1:
                continue
            n = index[ny, nx]
            known = field[n - index[ys[0], xs[0]]] if 0 <= n - index[ys[0], xs[0]] < len(ys) else before[n]
            cy, cx = known[0] + y - ny, known[1] + x - nx
            if 0 <= cy < height and 0 <= cx < width and usable[cy, cx]:
                value = _cost(picture, y, x, cy, cx, best)
                if value < best:
                    best, sy, sx = value, cy, cx
        reach = max(height, width)
        while reach >= 1:
            state ^= state << np.uint64(13)
            state ^= state >> np.uint64(7)
            state ^= state << np.uint64(17)
            cy = sy + np.int64(state % np.uint64(2 * reach + 1)) - reach
            cx = sx + np.int64((state >> np.uint64(24)) % np.uint64(2 * reach + 1)) - reach
            if 0 <= cy < height and 0 <= cx < width and usable[cy, cx]:
                value = _cost(picture, y, x, cy, cx, best)
                if value < best:
                    best, sy, sx = value, cy, cx
            reach //= 2
        costs[t], field[t, 0], field[t, 1] = best, sy, sx


@njit(cache=True, nogil=True, error_model="numpy")
def _vote(picture, index, field, weight, begin, end, asked, barred, out):  # type: ignore[no-untyped-def]
    """Rows [begin, end): each pixel that is asked for from all patches that lie over it, but for pixels that are
    barred."""
    height, width = barred.shape
    for y in range(begin, end):
        for x in range(width):
            if not asked[y, x]:
                continue
            r = g = b = total = np.float32(0)
            for dy in range(-HALF, HALF + 1):
                for dx in range(-HALF, HALF + 1):
                    ty, tx = y - dy, x - dx
                    if ty < 0 or tx < 0 or ty >= height or tx >= width or index[ty, tx] < 0:
                        continue
                    t = index[ty, tx]
                    sy, sx = field[t, 0] + dy, field[t, 1] + dx
                    if sy < 0 or sx < 0 or sy >= height or sx >= width or barred[sy, sx]:
                        continue
                    w = weight[t]
                    r += w * picture[sy, sx, 0]
                    g += w * picture[sy, sx, 1]
                    b += w * picture[sy, sx, 2]
                    total += w
            if total > 0:
                out[y, x, 0], out[y, x, 1], out[y, x, 2] = r / total, g / total, b / total


class _Level:
    """One level of the pyramid: the picture, its hole, and where patches may come from."""

    def __init__(self, picture: Picture, hole: NDArray[np.bool_], allowed: NDArray[np.bool_]):
        self.picture, self.hole = np.ascontiguousarray(picture, dtype=np.float32), hole
        side = np.ones((2 * HALF + 1, 2 * HALF + 1), np.uint8)
        self.usable = _usable(hole, allowed)
        self.barred = hole | ~allowed
        near = cv2.dilate(hole.astype(np.uint8), side)
        self.ys, self.xs = (np.ascontiguousarray(v, dtype=np.int64) for v in np.nonzero(near))
        self.index = np.full(hole.shape, -1, dtype=np.int64)
        self.index[self.ys, self.xs] = np.arange(len(self.ys))
        away = cv2.distanceTransform(hole.astype(np.uint8), cv2.DIST_L2, 5)[self.ys, self.xs]
        self.trust = (1.3 ** -np.minimum(away, 60)).astype(np.float32)
        self.field = np.zeros((len(self.ys), 2), dtype=np.int64)

    def begin(self, coarse: _Level | None, rng: np.random.Generator) -> None:
        """The first field: at random, or twice that of the level before."""
        sy, sx = np.nonzero(self.usable)
        pick = rng.integers(0, len(sy), len(self.ys))
        self.field[:] = np.stack([sy[pick], sx[pick]], axis=1)
        if coarse is None:
            return
        h, w = coarse.hole.shape
        at = coarse.index[np.minimum(self.ys // 2, h - 1), np.minimum(self.xs // 2, w - 1)]
        found = coarse.field[np.maximum(at, 0)] * 2 + np.stack([self.ys % 2, self.xs % 2], axis=1)
        size = self.hole.shape
        fits = (at >= 0) & (found[:, 0] < size[0]) & (found[:, 1] < size[1])
        fits[fits] = self.usable[found[fits, 0], found[fits, 1]]
        self.field[fits] = found[fits]

    def search(self, passes: int, seed: int, hands: ThreadPoolExecutor) -> NDArray[np.float32]:
        """Better sources for all targets, (T,) their costs."""
        costs = np.array(_costs(self.picture, self.ys, self.xs, self.field), dtype=np.float32)
        ends = [len(self.ys) * i // BANDS for i in range(BANDS + 1)]
        for k in range(passes):
            before = self.field.copy()

            def run(i: int, k: int = k, before: NDArray = before) -> None:
                a, b = ends[i], ends[i + 1]
                if b > a:
                    _improve(
                        self.picture,
                        self.usable,
                        self.ys[a:b],
                        self.xs[a:b],
                        self.index,
                        self.field[a:b],
                        before,
                        costs[a:b],
                        bool(k % 2),
                        seed * 97 + k * BANDS + i + 1,
                    )

            list(hands.map(run, range(BANDS)))
        return costs

    def vote(
        self, costs: NDArray[np.float32], sharp: float, hands: ThreadPoolExecutor, rim: NDArray[np.bool_] | None = None
    ) -> None:
        """The hole's pixels from the patches that have been found; the sharper, the more the best of them count.

        ``rim``: what is known about the hole. What the patches would make of it differs from what is there; the hole
        is brought to it by a membrane over that difference, so that nothing steps at its border.
        """
        spread = max(float(np.percentile(costs, 75)) / sharp, 1e-7)
        weight = (np.exp(-np.minimum(costs / (2 * spread), 40)) * self.trust).astype(np.float32) + np.float32(1e-20)
        height, out = self.hole.shape[0], self.picture.copy()
        asked = self.hole if rim is None else self.hole | rim
        ends = [height * i // BANDS for i in range(BANDS + 1)]

        def run(i: int) -> None:
            _vote(self.picture, self.index, self.field, weight, ends[i], ends[i + 1], asked, self.barred, out)

        list(hands.map(run, range(BANDS)))
        if rim is not None and rim.any():
            gap = np.where(rim[..., None], self.picture - out, 0).astype(np.float32)
            out = np.where(self.hole[..., None], out + membrane(gap, self.hole), self.picture).astype(np.float32)
        self.picture = out


@njit(cache=True, nogil=True, error_model="numpy")
def _costs(picture, ys, xs, field):  # type: ignore[no-untyped-def]
    out = np.empty(len(ys), dtype=np.float32)
    for t in range(len(ys)):
        out[t] = _cost(picture, ys[t], xs[t], field[t, 0], field[t, 1], np.float32(1e9))
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def _urgency(picture, known, y, x):  # type: ignore[no-untyped-def]
    """How soon an unknown pixel is to be gone on with: the more known ones about it and the stronger an edge is that
    ends there; −1 away from known ones."""
    height, width = known.shape
    count, edge, beside = 0, 0.0, False
    for dy in range(-HALF, HALF + 1):
        for dx in range(-HALF, HALF + 1):
            ny, nx = y + dy, x + dx
            if ny < 0 or nx < 0 or ny >= height or nx >= width or not known[ny, nx]:
                continue
            count += 1
            beside = beside or (abs(dy) <= 1 and abs(dx) <= 1)
            for c in range(3):
                if ny + 1 < height and known[ny + 1, nx]:
                    edge = max(edge, abs(picture[ny + 1, nx, c] - picture[ny, nx, c]))
                if nx + 1 < width and known[ny, nx + 1]:
                    edge = max(edge, abs(picture[ny, nx + 1, c] - picture[ny, nx, c]))
    return count * (0.05 + edge) if beside else -1.0


@njit(cache=True, nogil=True, error_model="numpy")
def _nearby(picture, known, usable, y, x):  # type: ignore[no-untyped-def]
    """The patch that fits what is known of the one about (y, x) best, from close around: (row, column)."""
    height, width = known.shape
    reach = NEARBY
    while True:
        top, bottom = max(0, y - reach), min(height, y + reach + 1)
        left, right = max(0, x - reach), min(width, x + reach + 1)
        best, by, bx, found = np.float32(1e9), -1, -1, 0
        for sy in range(top, bottom):
            for sx in range(left, right):
                if not usable[sy, sx]:
                    continue
                found += 1
                total, count = np.float32(0), 0
                for dy in range(-HALF, HALF + 1):
                    for dx in range(-HALF, HALF + 1):
                        ny, nx = y + dy, x + dx
                        if ny < 0 or nx < 0 or ny >= height or nx >= width or not known[ny, nx]:
                            continue
                        for c in range(3):
                            d = picture[ny, nx, c] - picture[sy + dy, sx + dx, c]
                            total += d * d
                        count += 1
                    if total > best * 49:
                        break
                if count and total / count < best:
                    best, by, bx = total / count, sy, sx
        if found >= ENOUGH or (bottom - top == height and right - left == width):
            return by, bx
        reach *= 2


@njit(cache=True, nogil=True, error_model="numpy")
def _peel(picture, known, usable):  # type: ignore[no-untyped-def]
    """Fill what is unknown from its rim inwards, patch by patch, edges first: lines that end at the hole are continued
    (after Criminisi, Perez and Toyama 2004). Writes to ``picture`` and ``known``."""
    height, width = known.shape
    urgent = np.full((height, width), -1.0)
    for y in range(height):
        for x in range(width):
            if not known[y, x]:
                urgent[y, x] = _urgency(picture, known, y, x)
    while True:
        at = np.argmax(urgent)
        y, x = at // width, at % width
        if urgent[y, x] < 0:
            return
        by, bx = _nearby(picture, known, usable, y, x)
        for dy in range(-HALF, HALF + 1):
            for dx in range(-HALF, HALF + 1):
                ny, nx = y + dy, x + dx
                if 0 <= ny < height and 0 <= nx < width and not known[ny, nx]:
                    for c in range(3):
                        picture[ny, nx, c] = picture[by + dy, bx + dx, c]
                    known[ny, nx] = True
        about = 2 * HALF + 1  # what has become known tells so far around it
        for ny in range(max(0, y - about), min(height, y + about + 1)):
            for nx in range(max(0, x - about), min(width, x + about + 1)):
                urgent[ny, nx] = -1.0 if known[ny, nx] else _urgency(picture, known, ny, nx)


def _usable(hole: NDArray[np.bool_], allowed: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Middles of patches that may be taken: allowed, and the whole patch in the picture and off the hole. What else
    lies in the patch tells whether it fits, and is not copied where it is not allowed."""
    side = np.ones((2 * HALF + 1, 2 * HALF + 1), np.uint8)
    inner = cv2.erode((~hole).astype(np.uint8), side, borderType=cv2.BORDER_CONSTANT, borderValue=0)
    return inner.astype(bool) & allowed


def _rim(hole: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """The pixels right about a hole."""
    return cv2.dilate(hole.astype(np.uint8), np.ones((3, 3), np.uint8)).astype(bool) & ~hole


def _pyramid(
    picture: Picture, hole: NDArray[np.bool_], allowed: NDArray[np.bool_]
) -> Iterator[tuple[Picture, NDArray[np.bool_], NDArray[np.bool_]]]:
    """Levels, the finest first, until the hole is a few pixels deep or no patch would be left to take."""
    yield picture, hole, allowed
    while True:
        deep = cv2.distanceTransform(hole.astype(np.uint8), cv2.DIST_L2, 5).max()
        h, w = hole.shape
        if deep <= DEEPEST or min(h, w) < 8 * HALF:
            return
        half = ((w + 1) // 2, (h + 1) // 2)
        known = (~hole).astype(np.float32)
        share = cv2.resize(known, half, interpolation=cv2.INTER_AREA)
        sums = cv2.resize(picture * known[..., None], half, interpolation=cv2.INTER_AREA)
        picture = (sums / np.maximum(share, 1e-6)[..., None]).astype(np.float32)
        hole = share < 0.5
        allowed = cv2.resize(allowed.astype(np.float32), half, interpolation=cv2.INTER_AREA) > 0.999
        if _usable(hole, allowed).sum() < 40:
            return
        yield picture, hole, allowed


def textured(picture: Picture, hole: NDArray[np.bool_], allowed: NDArray[np.bool_], seed: int = 0) -> Picture:
    """A picture (H, W, 3), even values, with its hole (H, W) filled by texture from where that is allowed.

    Deterministic by ``seed``; another one gives another fill. Raises PlateError when there is nothing to take from.
    """
    if not hole.any():
        return picture
    levels = [_Level(*given) for given in _pyramid(picture, hole, allowed)]
    if not levels[0].usable.any():
        raise PlateError("There is nothing to take a texture from: no whole patch of 7 × 7 px is left about the hole.")
    while not levels[-1].usable.any():
        levels.pop()
    rng = np.random.default_rng(seed)
    with ThreadPoolExecutor(BANDS) as hands:
        coarse: _Level | None = None
        for depth, level in enumerate(reversed(levels)):
            finest = depth == len(levels) - 1
            level.begin(coarse, rng)
            if coarse is None:
                level.picture = level.picture.copy()
                _peel(level.picture, ~level.hole, level.usable)
            else:
                level.vote(np.zeros(len(level.ys), np.float32), 1.0, hands)
            rounds = max(2, 10 - 2 * depth) if not finest else 2
            for k in range(rounds):
                costs = level.search(3 if not finest else 2, seed + 1000 * depth + k, hands)
                last = finest and k == rounds - 1
                level.vote(costs, 40.0 if last else 4.0, hands, _rim(hole) if last else None)
            coarse = level
    return levels[0].picture
