"""Edges found in a photo and grouped by direction, ready to be looked at: the one-press survey.

Segments come from OpenCV's line segment detector (von Gioi et al., LSD, 2010). Their directions are found by sampling:
two pairs of segments give two vanishing points at right angles, hence a focal length and a whole frame of three
directions; the frame that most length of segments runs along wins. The survey's solver then takes over, and the
assignment is made anew from its camera until it settles.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import Array, straighten_pixels
from roofline.core.survey.snap import snap
from roofline.core.survey.solve import solve
from roofline.core.survey.starts import miss
from roofline.errors import SurveyError
from roofline.model.base import FAMILIES
from roofline.model.survey import Edge, FocalPrior, SurveyInput, SurveyResult

WORK_WIDTH = 1800  # pixels across at which segments are looked for
SHORTEST = 0.009  # of the diagonal
LONG = 0.018  # shorter segments are left aside where there are enough of these
ENOUGH = 9
MOST = 900  # segments looked at
HYPOTHESES = 4000
ANGLE = np.radians(1.2)
PER_FAMILY = 22
POINTS = 5
FOUND_SIGMA = 0.4  # pixels; what snapped points are good for
RANDOM = 7


@dataclass
class Found:
    """Edges with their families, the camera that they give, and how much of the picture's straight length agrees."""

    edges: list[Edge]
    result: SurveyResult
    share: float
    distortion: bool


def segments(grey: NDArray[np.uint8]) -> Array:
    """Straight segments (N, 2, 2) in pixels of the picture, longest first."""
    scale = min(1.0, WORK_WIDTH / max(grey.shape))
    small = cv2.resize(grey, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA) if scale < 1 else grey
    found: Any = cv2.createLineSegmentDetector(cv2.LSD_REFINE_STD).detect(small)[0]
    if found is None:
        return np.zeros((0, 2, 2))
    # LSD's pixels have whole centres; ours start at the corner
    lines = (found.reshape(-1, 2, 2).astype(np.float64) + 0.5) / scale
    length = np.linalg.norm(lines[:, 1] - lines[:, 0], axis=1)
    keep = np.argsort(-length)[:MOST]
    keep = keep[length[keep] > SHORTEST * np.hypot(*grey.shape)]
    return lines[keep]


def frame(lines: Array, width: int, height: int, focal: float | None = None) -> tuple[float, Array] | None:
    """Focal length in pixels and camera directions (3, 3) of run, return and rise as rows; None when nothing agrees.

    ``focal``: when it is known beforehand.
    """
    if len(lines) < 6:
        return None
    rng = np.random.default_rng(RANDOM)
    size = float(max(width, height))
    p = (lines - [width / 2, height / 2]) / size
    middle, span = p.mean(1), p[:, 1] - p[:, 0]
    length = np.linalg.norm(span, axis=1)
    direction = span / length[:, None]
    line = np.cross(np.c_[p[:, 0], np.ones(len(p))], np.c_[p[:, 1], np.ones(len(p))])
    steep = np.abs(direction[:, 1]) > 0.8
    odds = length / length.sum()

    def draw(mask: NDArray[np.bool_], count: int) -> NDArray[np.int64]:
        part = odds * mask
        if (part > 0).sum() < 2:
            part = odds
        return rng.choice(len(p), (count, 2), p=part / part.sum())

    n = HYPOTHESES // 2
    # half with an upright pair and any other, half with two pairs that are not upright
    first = np.concatenate([draw(steep, n), draw(~steep, n)])
    second = np.concatenate([draw(~steep, n), draw(~steep, n)])
    v1, v2 = np.cross(line[first[:, 0]], line[first[:, 1]]), np.cross(line[second[:, 0]], line[second[:, 1]])
    # vanishing points as directions: at right angles when x x' + y y' + f² w w' = 0
    flat, deep = v1[:, 0] * v2[:, 0] + v1[:, 1] * v2[:, 1], v1[:, 2] * v2[:, 2]
    if focal is None:
        with np.errstate(all="ignore"):
            f = np.sqrt(-flat / deep)
        good = np.isfinite(f) & (f > 0.3) & (f < 6)
    else:
        f = np.full(len(v1), focal / size)
        good = np.ones(len(v1), dtype=bool)
    v1, v2, f = v1[good], v2[good], f[good]
    if not len(f):
        return None
    k = np.stack([1 / f, 1 / f, np.ones_like(f)], axis=1)
    d1 = v1 * k
    d1 /= np.linalg.norm(d1, axis=1, keepdims=True)
    d2 = v2 * k
    d2 -= (d1 * d2).sum(1, keepdims=True) * d1
    d2 /= np.maximum(np.linalg.norm(d2, axis=1, keepdims=True), 1e-12)
    frames = np.stack([d1, d2, np.cross(d1, d2)], axis=1)  # (H, 3, 3)
    best, best_score = None, 0.0
    for part in np.array_split(np.arange(len(f)), max(1, len(f) // 400)):
        points = frames[part] * np.stack([f[part], f[part], np.ones(len(part))], axis=1)[:, None]
        to = points[:, :, None, :2] - middle[None, None] * points[:, :, None, 2:]
        norm = np.maximum(np.linalg.norm(to, axis=3), 1e-12)
        off = np.abs(to[..., 0] * direction[:, 1] - to[..., 1] * direction[:, 0]) / norm
        agree = np.exp(-((off / ANGLE) ** 2))
        score = (agree.max(1) * length).sum(1)
        # a frame that lives on one direction alone says nothing about the lens
        by_family = np.sort((agree * (agree >= agree.max(1, keepdims=True)) * length).sum(2), axis=1)
        score = score + 2.0 * by_family[:, 1]
        top = int(np.argmax(score))
        if score[top] > best_score:
            best_score, best = float(score[top]), (float(f[part[top]]) * size, frames[part[top]])
    if best is None:
        return None
    f_px, axes = best
    rise = int(np.argmax(np.abs(axes[:, 1])))
    level = [i for i in range(3) if i != rise]
    # run is the level direction that lies more along the picture
    run, back = sorted(level, key=lambda i: abs(axes[i, 2]))
    return f_px, axes[[run, back, rise]]


def assigned(lines: Array, vanishing: Array, angle: float) -> NDArray[np.int64]:
    """Family of each segment, (N,), −1 for none: the vanishing point (3, 3) that it points to best."""
    middle, span = lines.mean(1), lines[:, 1] - lines[:, 0]
    length = np.linalg.norm(span, axis=1)
    off = miss(vanishing, middle, span / length[:, None], length) / (length / 2)
    best = off.argmin(0)
    second = np.sort(off, axis=0)[1]
    clear = (off.min(0) < np.sin(angle)) & (second > 2.5 * np.sin(angle))
    return np.where(clear, best, -1)


def spread_out(lines: Array, most: int, width: int, height: int) -> NDArray[np.int64]:
    """Long segments that are not all in one part of the picture: the longest of every cell of a grid in turn."""
    length = np.linalg.norm(lines[:, 1] - lines[:, 0], axis=1)
    middle = lines.mean(1)
    cell = (np.clip(middle[:, 1] / height * 4, 0, 3).astype(int)) * 5 + np.clip(middle[:, 0] / width * 5, 0, 4).astype(
        int
    )
    rank = np.zeros(len(lines))
    for c in np.unique(cell):
        mine = np.flatnonzero(cell == c)
        rank[mine[np.argsort(-length[mine])]] = np.arange(len(mine))
    # a place in its cell costs as much as a quarter of the length
    return np.argsort(rank * 0.25 - length / length.max())[:most]


def find(grey: NDArray[np.uint8], known: SurveyInput) -> Found:
    """Edges of the three directions of a place, with the camera that they give.

    Parameters
    ----------
    grey
        (H, W) brightness of the picture as taken.
    known
        The picture's size and what is known of the lens; its edges are not used.

    Raises
    ------
    SurveyError
        When no three directions stand out, or the camera that they give is not to be trusted.
    """
    height, width = grey.shape
    nothing = SurveyError(
        "No clear directions were found in this picture. Trace edges by hand: those along the front (Run), into depth "
        "(Return) and upright (Rise)."
    )
    lines = segments(grey)
    prior = known.focal_px
    length = np.linalg.norm(lines[:, 1] - lines[:, 0], axis=1)
    long = length > LONG * np.hypot(width, height)
    start = frame(lines[long], width, height, prior.value if prior else None)
    if start is None:
        raise nothing
    focal, axes = start
    k = np.array([[focal, 0, width / 2], [0, focal, height / 2], [0, 0, 1.0]])
    family = assigned(lines, axes @ k.T, np.radians(2.0))
    bent = known.distortion == "solve"
    result: SurveyResult | None = None
    edges: list[Edge] = []
    for angle, short in ((1.2, False), (0.7, False), (0.5, True)):
        # short ones come last, when the camera is good enough to tell which direction they are of
        edges = _chosen(grey, lines, np.where(long | short, family, -1), width, height, POINTS)
        counts = [sum(e.family == f for e in edges) for f in FAMILIES]
        if sum(c >= 3 for c in counts) < 2:
            raise nothing
        result, bent = _solved(known, edges, bent, focal)
        straight = _straight(lines, result)
        family = assigned(straight, np.array([result.vanishing_points[f] for f in FAMILIES]), np.radians(angle))
    assert result is not None
    edges = [e for e, r in zip(edges, result.edges, strict=True) if r.weight > 0.5]
    result, bent = _solved(known, edges, bent, focal)
    share = float(length[long & (family >= 0)].sum() / length[long].sum())
    sigma = result.sigma.focal_px or 0.0
    if share < 0.3 or len(edges) < 8 or sigma > 0.06 * result.camera.focal_px:
        raise nothing
    return Found(edges, result, share, bent)


def _solved(known: SurveyInput, edges: list[Edge], bent: bool, focal: float) -> tuple[SurveyResult, bool]:
    """Camera, with the lens's bending solved where the edges show that there is some."""
    given = known.model_copy(update={"edges": edges, "edge_sigma_px": FOUND_SIGMA, "horizon": None})
    if known.focal_px is None:
        # hardly a prior: it keeps the first rounds from running off
        given = given.model_copy(update={"focal_px": FocalPrior(value=focal, sigma=focal)})
    plain = given.model_copy(update={"lengths": [], "datum": None, "camera_height_m": None})
    if not isinstance(known.distortion, str):
        return solve(plain), False
    free = solve(plain.model_copy(update={"distortion": "solve"}))
    k1, s1 = free.camera.distortion[0], (free.sigma.distortion or (1.0,))[0]
    if known.distortion == "solve" or abs(k1) > 4 * s1:
        return free, True
    return solve(plain), False


def _straight(lines: Array, result: SurveyResult) -> Array:
    if not any(result.camera.distortion):
        return lines
    return straighten_pixels(lines, result.camera)


def _chosen(
    grey: NDArray[np.uint8], lines: Array, family: NDArray[np.int64], width: int, height: int, points: int
) -> list[Edge]:
    """The best spread segments of every family, laid onto the picture's edges at full resolution."""
    out: list[Edge] = []
    reach = max(3.0, 2.0 * max(grey.shape) / WORK_WIDTH)
    for number, name in enumerate(FAMILIES):
        mine = lines[family == number]
        long = mine[np.linalg.norm(mine[:, 1] - mine[:, 0], axis=1) > LONG * np.hypot(width, height)]
        mine = long if len(long) >= ENOUGH else mine
        if not len(mine):
            continue
        for n in spread_out(mine, PER_FAMILY, width, height):
            laid = snap(grey, mine[n, 0], mine[n, 1], reach, points)
            if laid is not None and np.linalg.norm(laid[-1] - laid[0]) > 0.5 * SHORTEST * np.hypot(width, height):
                out.append(Edge(family=name, points=[(float(x), float(y)) for x, y in laid]))
    return out
