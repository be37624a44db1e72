"""A plate's grade solved so that it looks like another one, from what both show of the same surface points."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.ndimage import gaussian_filter
from scipy.optimize import least_squares

from roofline.core.camera import Array
from roofline.core.plates.colours import delta_e, labs
from roofline.core.plates.grading import graded
from roofline.errors import PlateError
from roofline.model.steps import Grade

# One sigma, of the width: areas of about a tenth of it are compared. What two photos show of a place never lies quite
# on itself, and rough ground looks otherwise from another side: neither is a matter of grade.
AREA = 0.05
LEAST = 200  # points, or nothing can be said
NOISE = 0.02  # of the square root of light: misses beyond this count less and less
DARK, BRIGHT = 0.004, 0.95  # linear light beyond which a picture says nothing of its exposure
AWAY = 20.0  # unknowns are counted from here: SciPy's steps are shares of them, and none must be near zero
MOST = 20_000  # points: more tell nothing more


@dataclass(frozen=True)
class Match:
    """The grade, how many points it rests on, and the median colour difference (ΔE 2000) of areas before and after."""

    grade: Grade
    points: int
    before: float
    after: float


def held_together(first: Array, second: Array) -> tuple[Array, Array]:
    """Colours (N, 3) of the same surface points in two pictures (H, W, 4) of linear light, seen from one place: where
    both are whole and not burnt out, each the mean of an area about it, within that."""
    sigma = AREA * first.shape[1]
    whole = (first[..., 3] > 0.99) & (second[..., 3] > 0.99)
    # burnt out places would make an area darker than it is, the more the longer one was exposed
    both = (whole & (np.maximum(first, second)[..., :3].max(-1) < BRIGHT)).astype(np.float64)
    share = np.maximum(gaussian_filter(both, sigma), 1e-6)[..., None]
    smooth = (gaussian_filter(p[..., :3] * both[..., None], (sigma, sigma, 0)) / share for p in (first, second))
    mine, theirs = (p[both > 0] for p in smooth)
    return mine, theirs


def match(mine: Array, theirs: Array) -> Match:
    """Exposure, temperature, tint and saturation that take colours to others, point by point.

    Parameters
    ----------
    mine, theirs
        (N, 3) linear light of the same surface points in two pictures. Points that are nearly black or burnt out in
        either are left aside; what differs for other reasons (a shadow, something in the way) counts little.

    Raises
    ------
    PlateError
        When fewer than LEAST points can be used.
    """
    both = np.concatenate([mine, theirs], axis=1)
    usable = (both.max(1) < BRIGHT) & (mine.max(1) > DARK) & (theirs.max(1) > DARK)
    a, b = mine[usable], theirs[usable]
    if len(a) < LEAST:
        raise PlateError("The two plates show too little of the same surfaces to be matched.")
    if len(a) > MOST:
        chosen = np.random.default_rng(1).choice(len(a), MOST, replace=False)
        a, b = a[chosen], b[chosen]
    target = np.sqrt(np.maximum(b, 0))

    def grade_of(x: Array) -> Grade:
        e, t, g, s = (float(v) for v in x - AWAY)
        return Grade(exposure=e, temperature=20 * t, tint=20 * g, saturation=s)

    def misses(x: Array) -> Array:
        seen = graded(a.astype(np.float32)[None], grade_of(x))[0]
        return (np.sqrt(np.maximum(seen, 0)) - target).ravel()

    start = np.array([float(np.log2(np.median(b.sum(1) / a.sum(1)))), 0.0, 0.0, 1.0]) + AWAY
    bounds = np.array([[-8, -5, -5, 0.1], [8, 5, 5, 4]]) + AWAY  # stops, 20 mired, 20 of tint, saturation
    found = least_squares(
        misses, np.clip(start, *bounds), bounds=bounds, loss="cauchy", f_scale=NOISE, diff_step=1e-4, max_nfev=60
    )
    grade = grade_of(found.x)
    grade = grade.model_copy(  # figures that can be read
        update={
            "exposure": round(grade.exposure, 3),
            "temperature": round(grade.temperature, 1),
            "tint": round(grade.tint, 1),
            "saturation": round(grade.saturation, 3),
        }
    )
    shown = graded(a.astype(np.float32)[None], grade)[0]
    off = [float(np.median(delta_e(labs(c), labs(b)))) for c in (a, shown)]
    return Match(grade, len(a), *off)
