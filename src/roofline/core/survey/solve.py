"""Photo edges → camera: closed-form start, robust least squares, covariance.

The unknowns are the rotation (a vector about the current estimate), the logarithm of the focal length and, where
asked for, principal point and distortion k1, k2. What the edges cannot tell is held by a prior and said to be so.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.optimize import least_squares

from roofline.core.camera import Array, rotation_vector
from roofline.core.survey.edges import EdgeSet, fitted_lines, residuals
from roofline.core.survey.scale import place
from roofline.errors import SurveyError
from roofline.shot import (
    FAMILIES,
    Camera,
    EdgeReport,
    Family,
    SurveyInput,
    SurveyResult,
    SurveySigma,
)

AXES = np.array([[1.0, 0, 0], [0, 0, 1.0], [0, 1.0, 0]])  # run, return, rise in the world
ROBUST_AT = 3.0  # residuals beyond this many sigmas lose weight (soft L1)
FOCAL_UNKNOWN = 0.5  # a relative sigma above this means: the edges do not give a focal length
CENTRE_PRIOR = 0.10  # principal point, when solved: one sigma, as a part of the picture's diagonal
LENS_PRIOR = (0.3, 0.3)  # k1, k2, when solved


@dataclass
class Unknowns:
    rotation: Array
    log_f: float
    centre: Array
    lens: Array

    @property
    def focal(self) -> float:
        return float(np.exp(self.log_f))

    def moved(self, step: Array, layout: Layout) -> Unknowns:
        centre, lens = self.centre, self.lens
        if layout.centre is not None:
            centre = centre + step[layout.centre : layout.centre + 2]
        if layout.lens is not None:
            lens = lens.copy()
            lens[:2] += step[layout.lens : layout.lens + 2]
        log_f = self.log_f + (step[3] if layout.focal else 0.0)
        return Unknowns(rotation_vector(step[:3]) @ self.rotation, log_f, centre, lens)

    def vanishing(self) -> Array:
        """Homogeneous vanishing points of run, return, rise as rows, (3, 3), of unit direction before K."""
        f, (cx, cy) = self.focal, self.centre
        k = np.array([[f, 0, cx], [0, f, cy], [0, 0, 1.0]])
        return AXES @ (k @ self.rotation).T


@dataclass(frozen=True)
class Layout:
    """Where each optional unknown stands in the parameter vector; the rotation is 0 to 2, the focal length 3."""

    focal: bool
    centre: int | None
    lens: int | None
    size: int


def layout_of(given: SurveyInput) -> Layout:
    focal = given.focal_px is None or given.focal_px.sigma > 0
    at = 4 if focal else 3
    centre = lens = None
    if given.principal_point == "solve":
        centre, at = at, at + 2
    if given.distortion == "solve":
        lens, at = at, at + 2
    return Layout(focal, centre, lens, at)


class Problem:
    """Residual vector of a survey, in sigmas."""

    def __init__(self, given: SurveyInput, held_axis: int | None):
        self.given = given
        self.edges = EdgeSet.of(given.edges)
        self.layout = layout_of(given)
        self.held_axis = held_axis
        self.middle = np.array([given.width / 2, given.height / 2])
        self.diagonal = float(np.hypot(given.width, given.height))

    def start(self, rotation: Array, focal: float) -> Unknowns:
        point = self.given.principal_point
        centre = np.array(point, dtype=np.float64) if not isinstance(point, str) else self.middle.copy()
        lens = self.given.distortion
        return Unknowns(
            rotation,
            float(np.log(focal)),
            centre,
            np.zeros(5) if isinstance(lens, str) else np.array(lens, dtype=np.float64),
        )

    def edge_residuals(self, u: Unknowns) -> Array:
        """(P,) pixels."""
        points = self.edges.straightened(u.focal, u.centre, u.lens)
        return residuals(self.edges, points, u.vanishing())

    def priors(self, u: Unknowns, step: Array, start: Unknowns) -> Array:
        out: list[float] = []
        prior = self.given.focal_px
        if prior is not None and self.layout.focal:
            out.append((u.focal - prior.value) / prior.sigma)
        if self.layout.centre is not None:
            out.extend((u.centre - self.middle) / (CENTRE_PRIOR * self.diagonal))
        if self.layout.lens is not None:
            out.extend(u.lens[:2] / np.array(LENS_PRIOR))
        if self.held_axis is not None:
            axis = start.rotation @ AXES[self.held_axis]
            out.append(float(step[:3] @ axis) / 0.5)
        return np.array(out)

    def fit(self, start: Unknowns, rounds: int = 60) -> tuple[Unknowns, Array, float]:
        """Robust least squares from a start; returns unknowns, information matrix and cost."""
        sigma = self.given.edge_sigma_px

        def fun(step: Array) -> Array:
            u = start.moved(step, self.layout)
            r = self.edge_residuals(u) / sigma
            # soft L1 on the edges alone: priors keep their full weight
            weight = np.sqrt(2 * ROBUST_AT**2 * (np.sqrt(1 + (r / ROBUST_AT) ** 2) - 1)) * np.sign(r)
            return np.concatenate([weight, self.priors(u, step, start)])

        zero = np.zeros(self.layout.size)
        scale = np.ones(self.layout.size) * 0.05
        if self.layout.centre is not None:
            scale[self.layout.centre : self.layout.centre + 2] = 0.02 * self.diagonal
        with np.errstate(all="ignore"):
            best = least_squares(fun, zero, x_scale=scale, method="trf", max_nfev=rounds, xtol=1e-11, ftol=1e-12)
        jacobian = best.jac
        return start.moved(best.x, self.layout), jacobian.T @ jacobian, float(best.cost)


def check_edges(given: SurveyInput) -> None:
    for number, edge in enumerate(given.edges, 1):
        p = np.array(edge.points)
        if float(np.max(np.linalg.norm(p - p[0], axis=1))) < 1.0:
            raise SurveyError(f"Edge {number} has no length: its points fall on one spot. Draw it along a line.")


def axis_rotations(directions: dict[int, Array]) -> list[Array]:
    """Proper rotations (world → camera) that bring the axes nearest to camera directions known up to sign."""
    columns = {0: 0, 1: 2, 2: 1}  # family → world axis
    found: list[Array] = []
    for signs in range(2 ** len(directions)):
        m = np.zeros((3, 3))
        for bit, (family, d) in enumerate(directions.items()):
            m[:, columns[family]] = d * (1 if signs >> bit & 1 else -1)
        missing = [c for c in range(3) if not np.any(m[:, c])]
        if len(missing) == 1:
            c = missing[0]
            m[:, c] = np.cross(m[:, (c + 1) % 3], m[:, (c + 2) % 3])
        u, _, vt = np.linalg.svd(m)
        r = u @ np.diag([1, 1, np.linalg.det(u @ vt)]) @ vt
        if r[1, 1] <= 0 and r[0, 0] >= 0:  # rise points up in the picture, run to the right
            found.append(r)
    return found


def upright(rotation: Array) -> Array:
    """Of the four rotations with the same vanishing points, the one with rise up and run to the right."""
    r = rotation.copy()
    if r[1, 1] > 0:
        r[:, 1] *= -1
        r[:, 2] *= -1
    if r[0, 0] < 0:
        r[:, 0] *= -1
        r[:, 2] *= -1
    return r


def single_family_rotation(family: int, direction: Array) -> Array:
    """A level rotation that has one family's camera direction; what is left free is set as plainly as can be."""
    d = direction / np.linalg.norm(direction)
    if family == 2:
        rise = d if d[1] <= 0 else -d
        side = np.array([1.0, 0, 0]) - rise[0] * rise
        run = side / np.linalg.norm(side)
    elif family == 0:
        run = d if d[0] >= 0 else -d
        up = np.array([0, -1.0, 0]) + run[1] * run
        rise = up / np.linalg.norm(up)
    else:
        back = d
        up = np.array([0, -1.0, 0]) + back[1] * back
        rise = up / np.linalg.norm(up)
        run = np.cross(rise, back)
        if run[0] < 0:
            run = -run
    return np.stack([run, rise, np.cross(run, rise)], axis=1)


def closed_form(problem: Problem, focal: float) -> dict[int, Array]:
    """Camera direction of each family for an assumed focal length: the null vector of its line normals."""
    u = problem.start(np.eye(3), focal)
    points = problem.edges.straightened(focal, u.centre, u.lens)
    middle, direction, length = fitted_lines(problem.edges, points)
    x = (middle - u.centre) / focal
    lines = np.cross(np.c_[x, np.ones(len(x))], np.c_[direction, np.zeros(len(x))])
    lines *= (length / np.linalg.norm(lines, axis=1))[:, None]
    out: dict[int, Array] = {}
    for family in range(3):
        mine = lines[problem.edges.family == family]
        if len(mine) >= 2:
            out[family] = np.linalg.svd(mine)[2][2]
    return out


def starts(problem: Problem) -> list[Unknowns]:
    """Rotations and focal lengths to start from, best first."""
    given = problem.given
    if given.focal_px is not None:
        focals = [given.focal_px.value]
    else:
        focals = list(np.geomspace(0.25, 8.0, 15) * max(given.width, given.height))
    ranked: list[tuple[float, Unknowns]] = []
    for focal in focals:
        directions = closed_form(problem, focal)
        if not directions:
            continue
        if len(directions) == 1:
            ((family, d),) = directions.items()
            rotations = [single_family_rotation(family, d)]
        else:
            rotations = axis_rotations(directions)
        for r in rotations:
            u = problem.start(r, focal)
            miss = problem.edge_residuals(u) / given.edge_sigma_px
            ranked.append((float(np.sum(np.log1p(miss**2))), u))
    ranked.sort(key=lambda item: item[0])
    return [u for _, u in ranked]


def solve(given: SurveyInput) -> SurveyResult:
    """Solve a survey.

    Parameters
    ----------
    given
        Edges in pixels of the picture as taken, priors, lengths in metres.

    Returns
    -------
    SurveyResult
        Camera with one-sigma errors (from the inverse information matrix at the solution, widened by the
        residuals when these are larger than the stated ``edge_sigma_px``), residuals in pixels, vanishing points and
        horizon of the straightened picture, and what was assumed.

    Raises
    ------
    SurveyError
        When edges or lengths do not determine a camera; the sentence says what to add.
    """
    check_edges(given)
    counts = {f: sum(e.family == f for e in given.edges) for f in FAMILIES}
    known = [f for f in FAMILIES if counts[f] >= 2]
    if not known:
        raise SurveyError(
            "Two edges of one direction are needed before a camera can be solved; "
            + ", ".join(f"{f}: {n}" for f, n in counts.items())
            + "."
        )
    if len(known) == 1 and given.focal_px is None:
        raise SurveyError(
            f"One direction ({known[0]}) does not give a focal length: trace two edges of another "
            "direction, or type the focal length."
        )
    used = {f for f in FAMILIES if counts[f]}
    held = FAMILIES.index(known[0]) if len(used) == 1 else None
    problem = Problem(given, held)
    candidates = starts(problem)
    if not candidates:
        raise SurveyError("The edges do not agree on any camera: check that each has the right direction.")
    fits = [problem.fit(u, 25) for u in candidates[:3]]
    u, information, cost = problem.fit(min(fits, key=lambda item: item[2])[0])
    u.rotation = upright(u.rotation)
    return report(problem, u, information, known)


def report(problem: Problem, u: Unknowns, information: Array, known: list[Family]) -> SurveyResult:
    """Covariance, residuals, assumptions and warnings at the solution."""
    given, layout = problem.given, problem.layout
    r = problem.edge_residuals(u)
    free = len(r) - len(given.edges) - layout.size
    spread = 1.0
    chi2 = float(np.sum((r / given.edge_sigma_px) ** 2))
    if free >= 3:
        # only widen when the residuals cannot be chance: 2.3 sigma of the chi-square's spread
        excess = chi2 / free
        if excess > 1 + 2.3 * np.sqrt(2 / free):
            spread = float(np.sqrt(excess))
    try:
        covariance = np.linalg.inv(information + 1e-12 * np.diag(np.diag(information))) * spread**2
        relative = float(np.sqrt(max(covariance[3, 3], 0.0))) if layout.focal else 0.0
    except np.linalg.LinAlgError:
        relative = np.inf
    if given.focal_px is None and not relative < FOCAL_UNKNOWN:
        raise SurveyError(
            "These edges give no focal length: those of at least two directions must run towards "
            "vanishing points that are not at infinity. Trace edges of another direction, or type the "
            "focal length."
        )
    if not np.isfinite(relative):
        raise SurveyError(
            "The edges do not determine the camera: add edges of another direction, in other parts of the picture."
        )
    focal = u.focal
    lens_sigma = None
    if layout.lens is not None:
        s = np.sqrt(np.diag(covariance)[layout.lens : layout.lens + 2])
        lens_sigma = (float(s[0]), float(s[1]), 0.0, 0.0, 0.0)
    centre_sigma = None
    if layout.centre is not None:
        s = np.sqrt(np.diag(covariance)[layout.centre : layout.centre + 2])
        centre_sigma = (float(s[0]), float(s[1]))
    sigma = SurveySigma(
        focal_px=relative * focal if layout.focal else (given.focal_px.sigma if given.focal_px else None),
        rotation_deg=float(np.degrees(np.sqrt(max(np.trace(covariance[:3, :3]), 0.0)))),
        principal_point=centre_sigma,
        distortion=lens_sigma,
    )
    camera = Camera(
        width=given.width,
        height=given.height,
        focal_px=focal,
        principal_point=(float(u.centre[0]), float(u.centre[1])),
        distortion=tuple(float(v) for v in u.lens),  # type: ignore[arg-type]
        rotation=tuple(tuple(float(v) for v in row) for row in u.rotation),  # type: ignore[arg-type]
    )
    assumed, warnings = told(problem, known, spread)
    placed = place(given, camera)
    camera = camera.model_copy(update={"position": placed.position})
    vanishing = u.vanishing()
    horizon = np.cross(vanishing[0], vanishing[1])
    horizon = horizon / max(float(np.hypot(horizon[0], horizon[1])), 1e-300)
    per_edge = np.sqrt(problem.edges.mean(r**2))
    bad = [i + 1 for i, v in enumerate(per_edge) if v > 5 * given.edge_sigma_px]
    if bad:
        warnings.append(
            "Edge "
            + ", ".join(map(str, bad[:6]))
            + (" …" if len(bad) > 6 else "")
            + " cannot be off by chance: check the direction or trace again."
        )
    return SurveyResult(
        camera=camera,
        sigma=sigma,
        rms_px=float(np.sqrt(np.mean(r**2))),
        edges=[EdgeReport(residual_px=float(v)) for v in per_edge],
        vanishing_points={f: (float(v[0]), float(v[1]), float(v[2])) for f, v in zip(FAMILIES, vanishing, strict=True)},
        horizon=(float(horizon[0]), float(horizon[1]), float(horizon[2])),
        assumed=assumed + placed.assumed,
        warnings=warnings + placed.warnings,
    )


def told(problem: Problem, known: list[Family], spread: float) -> tuple[list[str], list[str]]:
    """What was assumed and what to be wary of, as sentences."""
    given = problem.given
    assumed: list[str] = []
    warnings: list[str] = []
    if given.principal_point == "centre":
        assumed.append("The principal point is the picture's centre.")
    if given.distortion == "none":
        assumed.append("The lens does not bend straight lines.")
    if given.focal_px is not None:
        assumed.append("The focal length is held near the value given.")
    if problem.held_axis is not None:
        family = FAMILIES[problem.held_axis]
        assumed.append(f"The turn about {family} is not determined by the edges and is set level.")
    if spread > 1:
        warnings.append(
            f"The edges miss by {spread:.1f} times the stated {given.edge_sigma_px:g} px; "
            "the errors given are widened by as much."
        )
    return assumed, warnings
