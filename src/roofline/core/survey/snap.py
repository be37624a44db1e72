"""Laying a roughly drawn edge onto the picture's own edge, with sub-pixel accuracy."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import Array

STEP = 0.5  # pixels between samples across an edge
CLEAR = 2.0  # a line counts as found when its slope is this many times the surroundings'
SAME = 1.0  # pixels: edges nearer to one another are one
APART = 2.0  # pixels between edges that are not the same
AGREE = 0.4  # part of the places along it that must agree


@dataclass(frozen=True, eq=False)
class Laid:
    """An edge of the picture along a drawn line: points (N, 2) on it, and its strength (grey levels a pixel)."""

    points: Array
    strength: float


def snap(grey: NDArray[np.uint8], a: Array, b: Array, reach: float = 6.0, points: int = 2) -> Array | None:
    """Points (points, 2) on the picture's edge along the line from a to b, or None when there is no clear one.

    Brightness is read across the line at many places, its steepest spot found to a part of a pixel (a parabola through
    three slopes), and a line fitted to those that agree in direction of the step (iteratively reweighted). With more
    than two points each is the middle of its own stretch, so that an edge that the lens bends stays bent.

    ``grey``: (H, W); ``reach``: pixels to either side.
    """
    found = lying_along(grey, a, b, reach, points, 1)
    return found[0].points if found else None


def lying_along(
    grey: NDArray[np.uint8], a: Array, b: Array, reach: float, points: int = 2, count: int = 3
) -> list[Laid]:
    """The picture's edges along the line from a to b as `snap` finds them, the likeliest first: at most ``count``.

    Edges of one direction of the step that are nearer than two pixels to one another are the same.
    """
    a, b = np.asarray(a, dtype=np.float64), np.asarray(b, dtype=np.float64)
    length = float(np.linalg.norm(b - a))
    if length < 6:
        return []
    along = (b - a) / length
    across = np.array([-along[1], along[0]])
    t = (np.arange(rows := int(np.clip(length / 2, 12, 400))) + 0.5) / rows
    u = np.arange(-reach - 1.5, reach + 1.5 + STEP / 2, STEP)
    places = a + (t * length)[:, None, None] * along + u[None, :, None] * across - 0.5  # OpenCV's pixels: whole centres
    slope = _slopes(grey, places)
    noise = float(np.median(np.abs(slope))) + 0.3
    rated: list[tuple[float, Array, Array]] = []  # how likely, the line, slopes of its own direction
    for sign in (1.0, -1.0):
        signed = np.maximum(sign * slope, 0)
        # one line for the whole edge first: shifts and turns of the drawn one are voted for
        rated += [(strength, line, signed) for strength, line in _voted(signed, t, u, reach, count)]
    found: list[Laid] = []
    middles: list[float] = []
    for strength, line, signed in sorted(rated, key=lambda r: -r[0])[:count]:
        spots, weight = _spots(signed, t, u, line)
        if strength < CLEAR * noise or float((weight > 0).mean()) < AGREE:
            continue
        if points == 2:
            fit_line = _line(t, spots, weight)
            where, offsets = np.array([0.0, 1.0]), fit_line[0] + fit_line[1] * np.array([0.0, 1.0])
        else:
            where, offsets = _stretches(t, spots, weight, points)
        if len(where) < 2:
            continue
        middle = float(np.mean(offsets))
        if all(abs(middle - m) >= SAME for m in middles):  # two votes may have come to rest on one edge
            middles.append(middle)
            found.append(Laid(a + (where * length)[:, None] * along + offsets[:, None] * across, strength))
    return found


def _slopes(grey: NDArray[np.uint8], places: Array) -> Array:
    """The slope of brightness (grey levels a pixel) across a line, at places (T, U, 2)."""
    read = cv2.remap(
        grey,
        places[..., 0].astype(np.float32),
        places[..., 1].astype(np.float32),
        cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_REPLICATE,
    ).astype(np.float64)
    profile = np.asarray(cv2.GaussianBlur(read, (0, 0), sigmaX=1.0 / STEP, sigmaY=1.0), dtype=np.float64)
    return np.gradient(profile, STEP, axis=1)


def _voted(signed: Array, t: Array, u: Array, reach: float, count: int) -> list[tuple[float, Array]]:
    """Strengths and (offset, rise) of the straight lines, within reach at both ends, with the steepest slope along
    them."""
    ends = np.arange(-reach, reach + 0.01, 1.0)
    i, j = np.meshgrid(ends, ends, indexing="ij")
    lines = np.stack([i.ravel(), (j - i).ravel()], axis=1)
    pick = np.linspace(0, len(t) - 1, min(len(t), 48)).astype(int)
    at = lines[:, :1] + lines[:, 1:] * t[pick]
    column = np.clip(((at - u[0]) / STEP).round().astype(int), 0, len(u) - 1)
    total = np.sqrt(signed[pick][np.arange(len(pick)), column]).mean(1) ** 2
    # of lines alike in strength the one nearest to the hand
    total = total * (1 - 0.15 * (np.abs(lines[:, 0]) + np.abs(lines.sum(1))) / (2 * reach))
    middle = lines[:, 0] + lines[:, 1] / 2
    found: list[tuple[float, Array]] = []
    while len(found) < count:
        k = int(np.argmax(total))
        if total[k] <= 0:
            break
        found.append((float(total[k]), lines[k]))
        total = np.where(np.abs(middle - middle[k]) < APART, 0, total)
    return found


def _spots(signed: Array, t: Array, u: Array, line: Array) -> tuple[Array, Array]:
    """Sub-pixel places of the steepest slope near a line, and their weights (0 where there is none)."""
    expected = line[0] + line[1] * t
    near = np.abs(u[None] - expected[:, None]) <= 2.0
    masked = np.where(near, signed, 0)
    k = np.clip(masked.argmax(1), 1, len(u) - 2)
    rows = np.arange(len(t))
    l, m, r = masked[rows, k - 1], masked[rows, k], masked[rows, k + 1]
    bend = l - 2 * m + r
    shift = np.where(bend < 0, 0.5 * (l - r) / np.where(bend < 0, bend, -1.0), 0.0)
    spots = u[k] + np.clip(shift, -1, 1) * STEP
    weight = np.where((m > 0) & (l < m) & (r < m), m, 0.0)
    strong = weight > 0.25 * float(np.median(weight[weight > 0])) if (weight > 0).any() else weight > 0
    return spots, np.where(strong, 1.0, 0.0)


def _line(t: Array, spots: Array, weight: Array) -> Array:
    """Offset and rise of a robust straight line through spots."""
    w = weight.copy()
    fit = np.zeros(2)
    for _ in range(8):
        x = np.stack([np.ones_like(t), t], axis=1)
        fit = np.linalg.lstsq(x * np.sqrt(w)[:, None], spots * np.sqrt(w), rcond=None)[0]
        off = np.abs(spots - x @ fit)
        scale = max(0.1, 1.4826 * float(np.median(off[weight > 0])))
        w = weight / (1 + (off / (2 * scale)) ** 2)
    return fit


def _stretches(t: Array, spots: Array, weight: Array, points: int) -> tuple[Array, Array]:
    """Middles (in parts of the length) and offsets of the spots in equal stretches; a parabola keeps out strays."""
    x = np.stack([np.ones_like(t), t, t * t], axis=1)
    w = weight.copy()
    fit = np.zeros(3)
    for _ in range(8):
        fit = np.linalg.lstsq(x * np.sqrt(w)[:, None], spots * np.sqrt(w), rcond=None)[0]
        off = np.abs(spots - x @ fit)
        scale = max(0.1, 1.4826 * float(np.median(off[weight > 0])))
        w = weight / (1 + (off / (2 * scale)) ** 2)
    good = (weight > 0) & (np.abs(spots - x @ fit) < 3 * scale)
    where, offsets = [], []
    for n in range(points):
        mine = good & (t >= n / points) & (t < (n + 1) / points)
        if mine.sum() >= 3:
            middle = float(t[mine].mean())
            where.append(middle)
            offsets.append(float(np.mean(spots[mine])))
    return np.array(where), np.array(offsets)
