"""Settling a piece: its measures fitted to the edges of the photographs that lie along its sides."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from scipy.optimize import OptimizeResult, least_squares

from roofline.core.camera import Array, View
from roofline.core.massing.kinds import known
from roofline.core.massing.planes import plane_of
from roofline.core.massing.solids import faces_of
from roofline.core.massing.touch import Place
from roofline.errors import MassingError
from roofline.model.solids import AnySolid

LOOSE = 0.5  # metres or, for turns, tens of degrees: how far off a drawn measure is taken to be, one sigma
OUTLIER = 4.0  # sigmas
SHORTEST = 25.0  # pixels of a side that are worth looking at
PROBES = 9
ROUNDS = 6
TILTED = 0.5  # of how far a side lies off as a whole: how far its ends are turned away besides
BELIEF = 6.0  # sides that the usual bias counts as


@dataclass(frozen=True, eq=False)
class Side:
    """A side of a solid as a photo shows it: the photo by number, the side's vertices by number, pixels (N, 2) on it,
    and how far it may be off as a whole because another edge may be meant (px, one sigma)."""

    view: int
    ends: tuple[int, int]
    pixels: Array
    doubt_px: float = 0.0


@dataclass(frozen=True)
class Settled:
    """The fitted solid; how far the sides still miss (px); how well its seen corners are known (m); the sides that were
    used, how many were left out, and how many of its measures they show."""

    solid: AnySolid
    rms_px: float
    corner_m: float
    sides: list[Side]
    left_out: int
    shown: int
    farther: bool = False  # a side went farther than its edge was looked for
    alone: bool = False  # so few sides beside what the measures need that a wrong one among them is not told

    @property
    def used(self) -> int:
        return len(self.sides)

    @property
    def corners(self) -> list[int]:
        """The corners that were seen, by number."""
        return _corners_of(self.sides)


def _corners_of(sides: list[Side]) -> list[int]:
    return sorted({i for s in sides for i in s.ends})


def measures_of(solid: AnySolid) -> tuple[Array, Callable[[Array], AnySolid]]:
    """The measures that are fitted, as numbers of about the same weight, and the solid of changed ones.

    What a piece stands on stays: the height of its foot is not fitted. Raises MassingError for pieces whose measures
    their outline does not show.
    """

    return known(solid).measures()


def line_misses(views: list[View], vertices: Array, sides: list[Side]) -> list[Array]:
    """For every side the distances (N,) in pixels of its pixels from the line through its corners' pictures."""
    out = []
    for side in sides:
        a, b = views[side.view].homogeneous(vertices[list(side.ends)])
        line = np.cross(a, b)
        size = float(np.hypot(line[0], line[1]))
        out.append((side.pixels @ line[:2] + line[2]) / max(size, 1e-12))
    return out


def rms_misses(views: list[View], solid: AnySolid, sides: list[Side]) -> Array:
    """Root mean square distance (N,) in pixels of each side's pixels from a solid's own."""
    misses = line_misses(views, faces_of(solid).vertices, sides)
    return np.array([float(np.sqrt(np.mean(m**2))) for m in misses])


def _whitened(miss: Array, sigma_px: float, bias_px: float) -> Array:
    """A side's misses in sigmas: its pixels err singly, and together, shifted and tilted, by what lies beside the true
    edge."""
    if not bias_px or len(miss) < 2:
        return miss / np.hypot(sigma_px, bias_px)  # type: ignore[no-any-return]
    t = np.linspace(-1, 1, len(miss))
    size = float(np.linalg.norm(t))
    middle, tilt = float(miss.mean()), float(miss @ t) / size
    rest = miss - middle - tilt * t / size
    return (  # type: ignore[no-any-return]
        rest / sigma_px
        + middle / np.hypot(sigma_px, np.sqrt(len(miss)) * bias_px)
        + tilt * (t / size) / np.hypot(sigma_px, size * TILTED * bias_px)
    )


def settle(
    solid: AnySolid, views: list[View], sides: list[Side], sigma_px: float = 1.0, bias_px: float = 0.0
) -> Settled:
    """Fit a solid's measures to pixels on its sides, in all photos at once, by robust least squares.

    Misses are distances from the sides' lines in pixels. A start with a soft loss finds the sides that fit; those
    off by more than chance are left out of the end, which is plain least squares over the rest. A side errs in its
    single pixels by ``sigma_px``, and as a whole by ``bias_px`` or what the sides' own disagreement says, if that is
    more: a gutter or a trim lies beside the edge along all of it.

    Raises
    ------
    MassingError
        When there is nothing to fit to.
    """
    start, build = measures_of(solid)
    if not sides:
        raise MassingError(
            f"No clear edges of the picture lie along the sides of {solid.name}: draw it nearer to them."
        )
    bias = bias_px

    def residuals(m: Array, keep: list[Side]) -> Array:
        misses = line_misses(views, faces_of(build(m)).vertices, keep)
        # a side weighs by its pixels; what no side shows is held where it is
        return np.concatenate(
            [
                *(_whitened(r, sigma_px, float(np.hypot(bias, s.doubt_px))) for r, s in zip(misses, keep, strict=True)),
                (m - start) / LOOSE,
            ]
        )

    at = least_squares(residuals, start, args=(sides,), loss="soft_l1", f_scale=2.0, x_scale="jac").x
    kept: list[Side] = []
    for _ in range(ROUNDS):
        rms = rms_misses(views, build(at), sides)
        spread = max(sigma_px, bias_px, 1.4826 * float(np.median(rms)))
        now = [s for s, r in zip(sides, rms, strict=True) if r < OUTLIER * np.hypot(spread, s.doubt_px)]
        if not now:
            raise MassingError(
                f"The edges near {solid.name} do not agree with any shape of it: draw it nearer to them."
            )
        if now == kept:
            break
        kept = now
        bias = _bias(line_misses(views, faces_of(build(at)).vertices, kept), len(start), bias_px)
        done = least_squares(residuals, at, args=(kept,), x_scale="jac")
        at = done.x
    return _told(build, done, views, kept, len(sides))


def _bias(misses: list[Array], measures: int, least_px: float) -> float:
    """How far sides lie off as a whole (px, one sigma): what is usual, weighed with how far these do."""
    if not least_px:
        return 0.0
    off = sum(min(float(m.mean()) ** 2, (OUTLIER * least_px) ** 2) for m in misses)
    free = max(len(misses) - measures / 2, 0.0)
    return max(least_px, float(np.sqrt((BELIEF * least_px**2 + off) / (BELIEF + free))))


def _told(
    build: Callable[[Array], AnySolid], done: OptimizeResult, views: list[View], kept: list[Side], sides: int
) -> Settled:
    """What is said of a fit: its misses, the error of its seen corners, and how many measures its sides show."""
    fitted = build(done.x)
    last = np.concatenate(line_misses(views, faces_of(fitted).vertices, kept))
    measures = len(done.x)
    sigmas = done.fun[: len(last)]
    worse = max(1.0, float(np.sqrt(np.sum(sigmas**2) / max(len(last) - measures, 1))))
    shown = done.jac[: len(last)] / worse  # the rest of the rows holds what no side shows
    information = shown.T @ shown
    covariance = np.linalg.inv(information + np.eye(measures) / LOOSE**2)
    corner = _corner_sigma(build, done.x, covariance, _corners_of(kept))
    fixed = int((np.linalg.eigvalsh(information) > 1 / LOOSE**2).sum())
    return Settled(fitted, float(np.sqrt(np.mean(last**2))), corner, kept, sides - len(kept), fixed)


def _corner_sigma(build: Callable[[Array], AnySolid], at: Array, covariance: Array, corners: list[int]) -> float:
    """The largest error (m, one sigma, all directions together) of some corners."""
    h = 1e-5
    slopes = np.stack(
        [
            (faces_of(build(at + step)).vertices[corners] - faces_of(build(at - step)).vertices[corners]) / (2 * h)
            for step in h * np.eye(len(at))
        ],
        axis=-1,
    )  # (C, 3, M)
    variance = np.einsum("cim,mn,cin->c", slopes, covariance, slopes)
    return float(np.sqrt(np.maximum(variance, 0).max(initial=0.0)))


def seen_sides(place: Place, number: int, view: View) -> list[tuple[tuple[int, int], Array]]:
    """The sides of a solid that a view shows: ends by vertex, and the pixels (2, 2) between which nothing hides
    them."""
    faces = place.faces[number]
    eye = view.position
    towards = [float(n @ eye - d) > 0 for n, d in (plane_of(faces.vertices[loop]) for loop in faces.loops)]
    facing: dict[tuple[int, int], bool] = {}
    for loop, front in zip(faces.loops, towards, strict=True):
        own = list(zip(loop, [*loop[1:], loop[0]], strict=True))
        for a, b in own:
            if (b, a) not in own:
                key = (min(a, b), max(a, b))
                facing[key] = facing.get(key, False) or front
    out = []
    for (a, b), front in facing.items():
        if not front:
            continue
        ends = faces.vertices[[a, b]]
        t = np.linspace(0.02, 0.98, PROBES)
        spots = ends[0] + t[:, None] * (ends[1] - ends[0])
        p = view.project(spots)
        ok = np.array([_shown(place, view, s, q) for s, q in zip(spots, p, strict=True)])
        run = _longest(ok)
        if run is None:
            continue
        first, last = p[run[0]], p[run[1]]
        if np.linalg.norm(last - first) >= SHORTEST:
            out.append(((a, b), np.stack([first, last])))
    return out


def _shown(place: Place, view: View, spot: Array, pixel: Array) -> bool:
    if np.isnan(pixel).any() or not (0 <= pixel[0] <= view.width and 0 <= pixel[1] <= view.height):
        return False
    ray = spot - view.position
    hits = place.hits(view.position, ray)
    far = float(np.linalg.norm(ray))
    return not hits or float(np.linalg.norm(hits[0].world - view.position)) > 0.998 * far


def _longest(ok: Array) -> tuple[int, int] | None:
    """First and last number of the longest run of true values, of two at least."""
    best: tuple[int, int] | None = None
    start = None
    for i, v in enumerate([*ok, False]):
        if v and start is None:
            start = i
        elif not v and start is not None:
            if i - 1 > start and (best is None or i - 1 - start > best[1] - best[0]):
                best = (start, i - 1)
            start = None
    return best
