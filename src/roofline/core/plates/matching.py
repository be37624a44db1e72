"""A plate's grade solved so that it looks like another one: from what both show of the same surface points, else from
what lies around it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import distance_transform_edt, gaussian_filter
from scipy.optimize import least_squares

from roofline.core.camera import Array
from roofline.core.plates.colours import delta_e, labs
from roofline.core.plates.grading import LUMA, graded
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


TILES = 12  # across a picture: areas that are fitted to and areas that are held out lie in turn, as on a chessboard
FARTHER = 0.05  # stops by which brightness, white or contrast may come out farther where they are held out
EDGE = 0.01  # of what is searched, from its ends: a grade that lies there is none
BOUNDS = np.array([[-8, -5, -5, 0.1], [8, 5, 5, 4]])  # stops, 20 mired, 20 of tint, saturation
DRAWS = 100  # of areas, for errors
By = Literal["shared", "around"]


@dataclass(frozen=True)
class Held:
    """Colours (N, 3) of linear light in two pictures, and the areas (N,) that they lie in, numbered.

    ``by``: of the same surface points, or of one picture and of what lies around it in the other: as many of either,
    which belong together by their areas at most.
    """

    mine: Array
    theirs: Array
    area: NDArray[np.int64]
    their_area: NDArray[np.int64]
    by: By = "shared"


@dataclass(frozen=True)
class Match:
    """The grade, its errors (one sigma, stops and mired), how many points it rests on, and how far off colours are
    before and after (ΔE 2000): the median of areas, or of means where nothing is shared."""

    grade: Grade
    points: int
    before: float
    after: float
    exposure_error: float
    temperature_error: float
    by: By


def _areas(shape: tuple[int, ...]) -> NDArray[np.int64]:
    """Which area of a chessboard each pixel (H, W) of a picture lies in; even and odd ones lie in turn."""
    side = shape[1] / TILES
    y, x = ((np.arange(n) / side).astype(np.int64) for n in shape[:2])
    return 2 * (y[:, None] * 2 * TILES + x[None]) + (x[None] + y[:, None]) % 2


def held_together(first: Array, second: Array, same: NDArray[np.bool_] | None = None) -> Held:
    """Colours of the same surface points in two pictures (H, W, 4) of linear light, seen from one place: where both are
    whole and not burnt out, each the mean of an area about it, within that.

    ``same``: (H, W) where both show the same surface; everywhere, if it is not given.
    """
    sigma = AREA * first.shape[1]
    whole = (first[..., 3] > 0.99) & (second[..., 3] > 0.99)
    whole = whole if same is None else whole & same
    # burnt out places would make an area darker than it is, the more the longer one was exposed
    both = (whole & (np.maximum(first, second)[..., :3].max(-1) < BRIGHT)).astype(np.float64)
    share = np.maximum(gaussian_filter(both, sigma), 1e-6)[..., None]
    smooth = (gaussian_filter(p[..., :3] * both[..., None], (sigma, sigma, 0)) / share for p in (first, second))
    mine, theirs = (p[both > 0] for p in smooth)
    area = _areas(first.shape)[both > 0]
    return Held(mine, theirs, area, area)


def held_around(first: Array, second: Array) -> Held:
    """Colours of one picture (H, W, 4), and of what lies around it in another, seen from one place: within half of its
    size from it, nothing of what it covers."""
    own, other = first[..., 3] > 0.99, second[..., 3] > 0.99
    y, x = np.nonzero(first[..., 3] > 0.01)
    if not len(x):
        raise PlateError("The plate is not visible from its photo's camera. Throw it on something first.")
    near = 0.5 * max(np.ptp(x), np.ptp(y)) + 1
    off = distance_transform_edt(first[..., 3] <= 0.01)
    area = _areas(first.shape)
    sides = []
    for picture, where in ((first, own), (second, other & (off > 0) & (off < near))):
        where = where & (picture[..., :3].max(-1) < BRIGHT) & (picture[..., :3].max(-1) > DARK)
        sides.append((picture[..., :3][where], area[where]))
    few = min(len(colours) for colours, _ in sides)
    if few < LEAST:
        raise PlateError("The two plates share no surface, and too little of the other one is around this plate.")
    rng = np.random.default_rng(1)
    drawn = [rng.choice(len(colours), min(MOST, few), replace=False) for colours, _ in sides]
    (mine, a), (theirs, b) = ((colours[n], areas[n]) for n, (colours, areas) in zip(drawn, sides, strict=True))
    return Held(mine, theirs, a, b, "around")


def look_of(colours: Array) -> Array:
    """How colours (N, 3) look as a whole, in stops, (4,): the median of luminance, of blue over red and of green over
    both, and the quartiles' distance of luminance."""
    r, g, b = np.log2(np.maximum(colours, 1e-5)).T
    luminance = np.log2(np.maximum(colours @ LUMA, 1e-5))
    low, high = np.percentile(luminance, [25, 75])
    return np.array([np.median(luminance), np.median(b - r), np.median(g - 0.5 * (r + b)), high - low])


def _applied(colours: Array, grade: Grade) -> Array:
    return graded(colours.astype(np.float32)[None], grade)[0].astype(np.float64)


def _solved(held: Held) -> Grade:
    """The grade that takes colours to others: point by point, or where only their looks can be compared, those. Raises
    PlateError for one that lies at the end of what is searched."""
    shared = held.by == "shared"
    target = np.sqrt(np.maximum(held.theirs, 0)) if shared else look_of(held.theirs)[:3]

    def grade_of(x: Array) -> Grade:
        e, t, g, *s = (float(v) for v in x - AWAY)
        return Grade(exposure=e, temperature=20 * t, tint=20 * g, saturation=s[0] if s else 1.0)

    def misses(x: Array) -> Array:
        seen = _applied(held.mine, grade_of(x))
        return (np.sqrt(np.maximum(seen, 0)) - target).ravel() if shared else look_of(seen)[:3] - target

    unknowns = 4 if shared else 3  # other things may well be less colourful
    brighter = np.median(held.theirs.sum(1)) / np.median(held.mine.sum(1))
    if shared:
        brighter = np.median(held.theirs.sum(1) / held.mine.sum(1))
    bounds = BOUNDS[:, :unknowns] + AWAY
    start = np.clip(np.array([np.log2(brighter), 0.0, 0.0, 1.0])[:unknowns] + AWAY, *bounds)
    robust = {"loss": "cauchy", "f_scale": NOISE} if shared else {}
    found = least_squares(misses, start, bounds=bounds, diff_step=1e-4, max_nfev=60, **robust)
    margin = EDGE * (bounds[1] - bounds[0])
    if ((found.x < bounds[0] + margin) | (found.x > bounds[1] - margin))[[0, 1, 2]].any():
        raise PlateError(
            "No grade within 8 stops, 100 mired and 100 of tint matches the two plates. Nothing was changed. "
            "They may show different things."
        )
    grade = grade_of(found.x)
    return grade.model_copy(  # figures that can be read
        update={
            "exposure": round(grade.exposure, 3),
            "temperature": round(grade.temperature, 1),
            "tint": round(grade.tint, 1),
            "saturation": round(grade.saturation, 3),
        }
    )


def _part(held: Held, odd: int) -> Held:
    mine, theirs = held.area % 2 == odd, held.their_area % 2 == odd
    return Held(held.mine[mine], held.theirs[theirs], held.area[mine], held.their_area[theirs], held.by)


def _away(colours: Array, wanted: Array) -> Array:
    """How far a look is from another one, in stops: brightness, white, contrast."""
    e, b, g, c = look_of(colours) - wanted
    return np.array([abs(e), np.hypot(b, g), abs(c)])


def _check_nearer(held: Held, now: Grade) -> None:
    """Raise PlateError where a grade from half of the areas leaves the other half farther off than the one of now."""
    for odd in (0, 1):
        fitted, out = _part(held, odd), _part(held, 1 - odd)
        if min(len(p) for h in (fitted, out) for p in (h.mine, h.theirs)) < LEAST // 4:
            continue  # all of it lies in one area
        wanted, error = look_of(out.theirs), _spread(out)
        was, would = (_away(_applied(out.mine, g), wanted) for g in (now, _solved(fitted)))
        room = np.maximum(FARTHER, 2 * np.array([error[0], np.hypot(error[1], error[2]), error[3]]))
        farther = would - was - room
        if farther.max() > 0 or would.sum() >= was.sum():
            what = ("brightness", "white", "contrast")[int(np.argmax(would - was))]
            raise PlateError(
                f"No grade brings the plate nearer: in the test areas {what} would be farther off than now. "
                "Nothing was changed. Grade the plate by hand, or match it to another one."
            )


def _spread(held: Held) -> Array:
    """One sigma of how far one look is from the other (4,): areas drawn anew, with replacement (Efron's bootstrap)."""

    def by_area(colours: Array, area: NDArray[np.int64]) -> dict[int, Array]:
        return {int(a): look_of(colours[area == a]) for a in np.unique(area)}

    mine, theirs = by_area(held.mine, held.area), by_area(held.theirs, held.their_area)
    rng = np.random.default_rng(2)

    def variance(rows: Array) -> Array:
        drawn = rng.integers(0, len(rows), (DRAWS, len(rows)))
        return np.asarray(np.median(rows[drawn], axis=1).var(axis=0))

    if held.by == "shared":
        return np.sqrt(variance(np.array([theirs[a] - mine[a] for a in mine])))
    return np.sqrt(variance(np.array(list(mine.values()))) + variance(np.array(list(theirs.values()))))


def _errors(held: Held) -> tuple[float, float]:
    """One sigma of exposure (stops) and temperature (mired)."""
    grey = np.full((1, 3), 0.2)
    bluer = look_of(_applied(grey, Grade(temperature=5.0))) - look_of(_applied(grey, Grade(temperature=-5.0)))
    error = _spread(held)
    return float(error[0]), float(error[1] / abs(bluer[1] / 10.0))


def match(held: Held, now: Grade | None = None) -> Match:
    """Exposure, temperature, tint and saturation that take colours to others; saturation only where the same is shown.
    ``now``: the grade that the plate has, which the one that is found must better.

    Points that are nearly black or burnt out in either are left aside; what differs for other reasons (a shadow,
    something in the way) counts little.

    Raises
    ------
    PlateError
        When fewer than LEAST points can be used; when the best grade lies at the end of what is searched; and when a
        grade from half of the areas does not bring the other half nearer.
    """
    if held.by == "shared":
        both = np.concatenate([held.mine, held.theirs], axis=1)
        usable = (both.max(1) < BRIGHT) & (held.mine.max(1) > DARK) & (held.theirs.max(1) > DARK)
        chosen = np.flatnonzero(usable)
        if len(chosen) < LEAST:
            raise PlateError("The two plates show too little of the same surfaces to be matched.")
        if len(chosen) > MOST:
            chosen = np.random.default_rng(1).choice(chosen, MOST, replace=False)
        held = Held(held.mine[chosen], held.theirs[chosen], held.area[chosen], held.their_area[chosen])
    now = now or Grade()
    _check_nearer(held, now)
    grade = _solved(held)
    colours, shown = held.theirs, [_applied(held.mine, g) for g in (now, grade)]
    if held.by == "around":
        colours, shown = np.median(colours, axis=0)[None], [np.median(c, axis=0)[None] for c in shown]
    before, after = (float(np.median(delta_e(labs(c), labs(colours)))) for c in shown)
    return Match(grade, len(held.mine), before, after, *_errors(held), held.by)
