"""Edges found in a photo and grouped by direction, ready to be looked at: the one-press survey.

Segments come from OpenCV's line segment detector (von Gioi et al., LSD, 2010). Their directions are found by sampling:
two pairs of segments give two vanishing points at right angles, hence a focal length and a whole frame of three
directions; the frame that most length of segments runs along wins. The survey's solver then takes over, and the
assignment is made anew from its camera until it settles.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import Array, straighten_pixels
from roofline.core.survey.assumed import assumed_lens, doubted, lens_words
from roofline.core.survey.found import FOUND_SIGMA, RANDOM, Found, Reading, doubts, solved, tells
from roofline.core.survey.lines import LONG, laid, segments
from roofline.core.survey.odd import with_second
from roofline.core.survey.solve import HELD
from roofline.core.survey.starts import aslant
from roofline.errors import SurveyError
from roofline.model.base import FAMILIES
from roofline.model.survey import Assumption, Edge, SurveyInput, SurveyResult

HYPOTHESES = 4000
ANGLE = np.radians(1.2)
POINTS = 5
READINGS, LOOKED_AT = 3, 1500  # of a picture, and hypotheses among which they are
LEAST_SHARE = 0.6  # of the best hypothesis's score
APART_FOCAL, APART_TURN = 0.12, np.radians(4.0)  # natural log of the ratio; of one direction
WELL_TOLD = 0.06  # of the focal length: edges that leave more doubt than this do not tell it
RIVAL = 0.9  # a reading with this share of the best one's straight length is not ruled out


def frames(lines: Array, width: int, height: int, focal: float | None = None) -> list[tuple[float, Array]]:
    """Focal lengths in pixels and camera directions (3, 3) of run, return and rise as rows, of the best readings.

    Best first, each apart from those before it; none when nothing agrees. ``focal``: when it is known beforehand.
    """
    if len(lines) < 6:
        return []
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
    # a segment drawn with itself has no vanishing point
    good &= (np.linalg.norm(v1, axis=1) > 1e-9) & (np.linalg.norm(v2, axis=1) > 1e-9)
    v1, v2, f = v1[good], v2[good], f[good]
    if not len(f):
        return []
    k = np.stack([1 / f, 1 / f, np.ones_like(f)], axis=1)
    d1 = v1 * k
    d1 /= np.maximum(np.linalg.norm(d1, axis=1, keepdims=True), 1e-12)
    d2 = v2 * k
    d2 /= np.maximum(np.linalg.norm(d2, axis=1, keepdims=True), 1e-12)
    d2 -= (d1 * d2).sum(1, keepdims=True) * d1
    apart = np.linalg.norm(d2, axis=1)
    d1, d2, f = d1[apart > 0.05], d2[apart > 0.05], f[apart > 0.05]  # two directions, not one twice
    if not len(f):
        return []
    d2 /= np.linalg.norm(d2, axis=1, keepdims=True)
    axes_of = np.stack([d1, d2, np.cross(d1, d2)], axis=1)  # (H, 3, 3)
    scores = np.zeros(len(f))
    for part in np.array_split(np.arange(len(f)), max(1, len(f) // 400)):
        points = axes_of[part] * np.stack([f[part], f[part], np.ones(len(part))], axis=1)[:, None]
        to = points[:, :, None, :2] - middle[None, None] * points[:, :, None, 2:]
        norm = np.maximum(np.linalg.norm(to, axis=3), 1e-12)
        off = np.abs(to[..., 0] * direction[:, 1] - to[..., 1] * direction[:, 0]) / norm
        agree = np.exp(-((off / ANGLE) ** 2))
        score = (agree.max(1) * length).sum(1)
        # a frame that lives on one direction alone says nothing about the lens
        by_family = np.sort((agree * (agree >= agree.max(1, keepdims=True)) * length).sum(2), axis=1)
        score = score + 2.0 * by_family[:, 1]
        scores[part] = score
    picked: list[int] = []
    for i in np.argsort(-scores)[:LOOKED_AT]:
        if scores[i] < LEAST_SHARE * scores.max() or len(picked) == READINGS:
            break
        if all(_apart(f[i], axes_of[i], f[j], axes_of[j]) for j in picked):
            picked.append(int(i))
    return [(float(f[i]) * size, _ordered(axes_of[i])) for i in picked]


def _apart(f1: float, first: Array, f2: float, second: Array) -> bool:
    """Whether two frames of directions are two readings of a picture, and not one a little shifted."""
    if abs(np.log(f1 / f2)) > APART_FOCAL:
        return True
    alike = np.abs(first @ second.T).max(1).min()  # of the axis that fits worst
    return bool(alike < np.cos(APART_TURN))


def _ordered(axes: Array) -> Array:
    """A frame's directions (3, 3) as run, return and rise."""
    rise = int(np.argmax(np.abs(axes[:, 1])))
    level = [i for i in range(3) if i != rise]
    # run is the level direction that lies more along the picture
    run, back = sorted(level, key=lambda i: abs(axes[i, 2]))
    return np.asarray(axes[[run, back, rise]])


def assigned(lines: Array, vanishing: Array, angle: float) -> NDArray[np.int64]:
    """Family of each segment, (N,), −1 for none: the vanishing point (3, 3) that it points to best."""
    off = aslant(vanishing, lines)
    best = off.argmin(0)
    second = np.sort(off, axis=0)[1]
    clear = (off.min(0) < np.sin(angle)) & (second > 2.5 * np.sin(angle))
    return np.where(clear, best, -1)


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
    lines = segments(grey)
    length = np.linalg.norm(lines[:, 1] - lines[:, 0], axis=1)
    long = length > LONG * np.hypot(width, height)
    readings = _readings(grey, lines, long, known)
    said: list[str] = []
    if not readings and known.focal_px is None:
        # clear directions that do not tell the focal length, such as one front seen straight on, still tell the turn
        usual = known.assumption or Assumption()
        known, said = known.model_copy(update={"focal_px": assumed_lens(known, usual)}), [lens_words(usual)]
        readings = _readings(grey, lines, long, known)
    if not readings:
        raise SurveyError(
            "No clear directions were found in this picture. Trace edges by hand: those along the front (Run), into "
            "depth (Return) and upright (Rise)."
        )
    best, others = readings[0], readings[1:]
    for r in readings:  # of all that is tried, only what is handed out is asked whether it bears what is assumed
        r.result.warnings = solved(known, r.edges, r.distortion, r.result.camera.focal_px, True)[0].warnings
    rivals = [o for o in others if _standing(o, known) > RIVAL * _standing(best, known)]
    for r in readings:
        r.doubt, r.chosen = doubts(r, known, rivals if r is best else [])
        r.result = doubted(r.result, known.model_copy(update={"edges": r.edges, "doubt": r.doubt}))
    best.others = [Reading(r.result.camera, r.result.sigma, r.share, r) for r in others]
    if said:
        said += [a for a in best.result.assumed if HELD not in a]
        best.result = best.result.model_copy(update={"assumed": said, "stands_in": ["lens"]})
    best.edges, best.result = with_second(grey, lines[long], best.edges, best.result, POINTS, FOUND_SIGMA)
    return best


def find_unseen(grey: NDArray[np.uint8], known: SurveyInput) -> Found:
    """Edges as `find` finds them, that may be kept by who has not looked at them.

    Raises
    ------
    SurveyError
        As `find`, and where they tell less of the camera than what is assumed where there are none.
    """
    found = find(grey, known)
    if not tells(found):
        raise SurveyError("The edges that were found tell too little. Trace edges on Survey, or assume a camera.")
    return found


def _readings(grey: NDArray[np.uint8], lines: Array, long: NDArray[np.bool_], known: SurveyInput) -> list[Found]:
    """The readings of a picture that settle, each unlike the others; best first."""
    prior = known.focal_px
    out: list[Found] = []
    for start in frames(lines[long], known.width, known.height, prior.value if prior else None):
        try:
            made = _read(grey, lines, long, known, start)
        except SurveyError:
            continue
        if made is not None and all(_differ(made.result, r.result) for r in out):
            out.append(made)
    return sorted(out, key=lambda r: -_standing(r, known))


def _standing(found: Found, known: SurveyInput) -> float:
    """How well a reading stands: by its share of the straight lines, and by what is known of the focal length."""
    prior = known.focal_px
    if prior is None or prior.sigma <= 0:
        return found.share
    off = (found.result.camera.focal_px - prior.value) / (2 * prior.sigma)
    return found.share * float(np.exp(-0.5 * off**2))


def _differ(a: SurveyResult, b: SurveyResult) -> bool:
    turn = np.array(a.camera.rotation), np.array(b.camera.rotation)
    return _apart(a.camera.focal_px, turn[0].T, b.camera.focal_px, turn[1].T)


def _read(
    grey: NDArray[np.uint8], lines: Array, long: NDArray[np.bool_], known: SurveyInput, start: tuple[float, Array]
) -> Found | None:
    """One reading of a picture, from a frame of directions to the edges that it settles on; None where it does not."""
    height, width = grey.shape
    focal, axes = start
    length = np.linalg.norm(lines[:, 1] - lines[:, 0], axis=1)
    k = np.array([[focal, 0, width / 2], [0, focal, height / 2], [0, 0, 1.0]])
    family = assigned(lines, axes @ k.T, np.radians(2.0))
    bent = known.distortion == "solve"
    result: SurveyResult | None = None
    edges: list[Edge] = []
    for angle, short in ((1.2, False), (0.7, False), (0.5, True)):
        # short ones come last, when the camera is good enough to tell which direction they are of
        kept = long | short
        edges = [e for n, f in enumerate(FAMILIES) for e in laid(grey, lines[kept & (family == n)], f, POINTS)]
        counts = [sum(e.family == f for e in edges) for f in FAMILIES]
        if sum(c >= 3 for c in counts) < 2:
            return None
        result, bent = solved(known, edges, bent, focal)
        straight = _straight(lines, result)
        family = assigned(straight, np.array([result.vanishing_points[f] for f in FAMILIES]), np.radians(angle))
    assert result is not None
    edges = [e for e, r in zip(edges, result.edges, strict=True) if r.weight > 0.5]
    result, bent = solved(known, edges, bent, focal)
    share = float(length[long & (family >= 0)].sum() / length[long].sum())
    sigma = result.sigma.focal_px or 0.0
    limit = max(WELL_TOLD * result.camera.focal_px, 1.01 * known.focal_px.sigma if known.focal_px else 0.0)
    if share < 0.3 or len(edges) < 8 or sigma > limit:
        return None
    return Found(edges, result, share, bent)


def _straight(lines: Array, result: SurveyResult) -> Array:
    if not any(result.camera.distortion):
        return lines
    return straighten_pixels(lines, result.camera)
