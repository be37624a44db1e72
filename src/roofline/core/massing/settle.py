"""Settling a piece: its measures fitted to the edges of the photographs that lie along its sides."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from scipy.optimize import least_squares

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


@dataclass(frozen=True, eq=False)
class Side:
    """A side of a solid as a photo shows it: the photo by number, the side's vertices by number, and pixels (N, 2)
    on it."""

    view: int
    ends: tuple[int, int]
    pixels: Array


@dataclass(frozen=True)
class Settled:
    """The fitted solid; how far the sides still miss (px); how well its seen corners are known (m); sides used and
    left out."""

    solid: AnySolid
    rms_px: float
    corner_m: float
    used: int
    left_out: int


def measures_of(solid: AnySolid) -> tuple[Array, Callable[[Array], AnySolid]]:
    """The measures that are fitted, as numbers of about the same weight, and the solid of changed ones.

    What a piece stands on stays: the height of its foot is not fitted. Raises MassingError for pieces whose measures
    their outline does not show.
    """

    return known(solid).measures()


def _line_misses(views: list[View], vertices: Array, sides: list[Side]) -> list[Array]:
    """For every side the distances (N,) in pixels of its pixels from the line through its corners' pictures."""
    out = []
    for side in sides:
        a, b = views[side.view].homogeneous(vertices[list(side.ends)])
        line = np.cross(a, b)
        size = float(np.hypot(line[0], line[1]))
        out.append((side.pixels @ line[:2] + line[2]) / max(size, 1e-12))
    return out


def settle(solid: AnySolid, views: list[View], sides: list[Side], sigma_px: float = 1.0) -> Settled:
    """Fit a solid's measures to pixels on its sides, in all photos at once, by robust least squares.

    Misses are distances from the sides' lines in pixels. A start with a soft loss finds the sides that fit; those
    off by more than chance are left out of the end, which is plain least squares over the rest.

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

    def residuals(m: Array, keep: list[Side]) -> Array:
        misses = _line_misses(views, faces_of(build(m)).vertices, keep)
        # a side weighs by its pixels; what no side shows is held where it is
        return np.concatenate([*(r / sigma_px for r in misses), (m - start) / LOOSE])

    at = least_squares(residuals, start, args=(sides,), loss="soft_l1", f_scale=2.0, x_scale="jac").x
    kept: list[Side] = []
    for _ in range(ROUNDS):
        misses = _line_misses(views, faces_of(build(at)).vertices, sides)
        rms = np.array([float(np.sqrt(np.mean(r**2))) for r in misses])
        spread = max(sigma_px, 1.4826 * float(np.median(rms)))
        now = [s for s, r in zip(sides, rms, strict=True) if r < OUTLIER * spread]
        if not now:
            raise MassingError(
                f"The edges near {solid.name} do not agree with any shape of it: draw it nearer to them."
            )
        if now == kept:
            break
        kept = now
        done = least_squares(residuals, at, args=(kept,), x_scale="jac")
        at = done.x
    fitted = build(done.x)
    last = np.concatenate(_line_misses(views, faces_of(fitted).vertices, kept))
    free = max(len(last) - len(start), 1)
    worse = max(1.0, float(np.sqrt(np.sum((last / sigma_px) ** 2) / free)))
    shown = done.jac[: len(last)]  # the rest of the rows holds what no side shows
    covariance = np.linalg.inv(shown.T @ shown / worse**2 + np.eye(len(start)) / LOOSE**2)
    seen = sorted({i for s in kept for i in s.ends})
    corner = _corner_sigma(build, done.x, covariance, seen)
    return Settled(fitted, float(np.sqrt(np.mean(last**2))), corner, len(kept), len(sides) - len(kept))


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
