"""Photo edges → camera: closed-form start, robust least squares, covariance, and what it means in words."""

from __future__ import annotations

import numpy as np

from roofline.core.camera import Array
from roofline.core.survey.advice import advise
from roofline.core.survey.assumptions import contradicted
from roofline.core.survey.edges import fitted_lines
from roofline.core.survey.effect import effect_of
from roofline.core.survey.scale import place
from roofline.core.survey.second import folded
from roofline.core.survey.spread import covariance_of, spread_of
from roofline.core.survey.starts import (
    axis_rotation,
    directions,
    one_point,
    single_family_rotation,
    trusted,
    upright,
)
from roofline.core.survey.state import State
from roofline.core.survey.system import CENTRE_PRIOR, CENTRE_TRUST, LENS_PRIOR, System
from roofline.errors import SurveyError
from roofline.model.base import EDGE_FAMILIES, FAMILIES, Family
from roofline.model.survey import (
    Camera,
    EdgeReport,
    FocalPrior,
    SecondRun,
    SurveyInput,
    SurveyResult,
    SurveySigma,
)

FOCAL_UNKNOWN = 0.5  # a relative sigma above this means: the edges do not give a focal length
HELD = "The focal length is held near"  # how a solution begins to say so; what stands in for a lens has its own words
TRIED = 3  # starts that are followed to their end


def check_edges(given: SurveyInput) -> None:
    for number, edge in enumerate(given.edges, 1):
        p = np.array(edge.points)
        if float(np.max(np.linalg.norm(p - p[0], axis=1))) < 1.0:
            raise SurveyError(f"Edge {number} has no length: its points fall on one spot. Draw it along a line.")
    if given.horizon is not None and float(np.hypot(*np.subtract(*given.horizon))) < 1.0:
        raise SurveyError("The horizon has no length: its two points fall on one spot. Draw it along the horizon.")


def level_rotation(system: System, i: int, focal: float) -> Array:
    """The rotation that looks level along −return with the seen horizon where it is."""
    lens = system.lens_at(i, focal)
    seen = system.photos[i].horizon
    assert seen is not None
    a, b = (np.array([*(np.array(p) - lens.centre) / focal, 1.0]) for p in seen)
    return single_family_rotation(2, np.cross(a, b))


def starts(system: System, i: int = 0) -> list[State]:
    """Estimates of photo i alone to start from, best first."""
    given, edges = system.photos[i], system.edges[i]
    if given.focal_px is not None:
        focals = [given.focal_px.value]
    else:
        focals = list(np.geomspace(0.25, 8.0, 21) * max(given.width, given.height))
    alone = System([given]) if len(system.photos) > 1 else system
    ranked: list[tuple[float, State]] = []
    weight: Array | None = None
    for focal in focals:
        lens = system.lens_at(i, focal)
        if weight is None or np.any(lens.bend):
            lines = fitted_lines(edges, edges.straightened(focal, lens.centre, lens.bend))
            weight = trusted(edges.family, lines, given.edge_sigma_px)
        known = directions(edges.family, lines, weight, focal, lens.centre)
        if not known and given.horizon is None:
            continue
        if not known:
            rotation = level_rotation(system, i, focal)
        elif len(known) == 1:
            ((family, d),) = known.items()
            rotation = single_family_rotation(family, d)
        else:
            rotation = axis_rotation(known)
        state = State([rotation], [np.array([0.0, 1.0, 0.0])], [lens])
        ranked.append((float(np.sum(np.log1p(alone.residuals(state) ** 2))), state))
    ranked.sort(key=lambda item: item[0])
    return [state for _, state in ranked]


def check_families(given: SurveyInput) -> list[Family]:
    """Families with two edges or more; raises SurveyError when they, and what else is known, cannot give a camera."""
    counts = {f: sum(e.family == f for e in given.edges) for f in FAMILIES}
    known = [f for f in FAMILIES if counts[f] >= 2]
    if given.horizon is not None and given.focal_px is None and len(known) < 2:
        raise SurveyError("A horizon does not give a focal length: type it, or trace two edges each of two directions.")
    if not known and given.horizon is None:
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
    return known


def solve(given: SurveyInput, asked: bool = True) -> SurveyResult:
    """Solve a survey.

    Parameters
    ----------
    given
        Edges in pixels of the picture as taken, priors, lengths in metres.
    asked
        Whether what is assumed and given of the lens is held against the edges; that takes as long as solving.

    Returns
    -------
    SurveyResult
        Camera with one-sigma errors (from the inverse information matrix at the solution, widened where residuals
        pass the stated ``edge_sigma_px``), residuals in pixels, vanishing points and horizon, what was assumed, advice.

    Raises
    ------
    SurveyError
        When edges or lengths do not determine a camera; the sentence says what to add.
    """
    check_edges(given)
    known = check_families(given)
    system = System([given])
    if len(known) > 1 and len(given.edges) > 3:
        lens = system.lens_at(0, given.width)
        if not np.any(lens.bend) and one_point(
            fitted_lines(system.edges[0], system.edges[0].points), given.edge_sigma_px
        ):
            raise SurveyError(
                "All edges run through one point, so they are of one direction and give no camera: "
                "trace edges of another direction, or type the focal length and give all of them one direction."
            )
    state, weight = best_of(system)
    result = report(system, state, weight, 0)
    if asked and len(known) >= 2:
        result.warnings += contradicted(given, state)
        if given.focal_px is not None and given.focal_px.sigma > 0:
            result.warnings += contradiction(given, state)
    return result


def best_of(system: System) -> tuple[State, Array]:
    """The robust solution of a system of one photo."""
    candidates = starts(system)
    if not candidates:
        raise SurveyError("The edges do not agree on any camera: check that each has the right direction.")

    def cost(state: State) -> float:
        miss = system.misses(system.residuals(state))
        return float(np.sum(np.log1p(miss**2)))

    tried = [
        system.fit(state, 1 / (1 + (system.misses(system.residuals(state)) / 5) ** 2), 6)
        for state in candidates[:TRIED]
    ]
    state, weight = system.robust(min(tried, key=cost))
    state.rotation[0] = upright(state.rotation[0])
    return state, weight


def contradiction(given: SurveyInput, state: State) -> list[str]:
    """What to say of a given focal length that the edges contradict; those pull that fit better without it."""
    prior = given.focal_px
    assert prior is not None
    # as good as free; it keeps the fit from running off where the edges say nothing
    free = System([given.model_copy(update={"focal_px": FocalPrior(value=prior.value, sigma=prior.value)})])
    try:
        found, weight = free.robust(state)
    except np.linalg.LinAlgError:
        return []
    covariance = np.linalg.pinv(free.information(found, weight))
    at = free.slices["focal0"].start
    relative = float(np.sqrt(covariance[at, at]))
    focal = found.lens[0].focal
    error = relative * focal
    if relative >= 0.2 or abs(focal - prior.value) <= 3 * float(np.hypot(error, prior.sigma)):
        return []
    edges = free.edges[0]
    here, there = (np.sqrt(edges.mean(free.edge_residuals(s, 0) ** 2)) for s in (state, found))
    pulling = [int(n) + 1 for n in np.argsort(there - here)[:3] if here[n] - there[n] > given.edge_sigma_px]
    back = 36.0 / given.width
    named = f" Edge{'s' if len(pulling) > 1 else ''} {', '.join(map(str, sorted(pulling)))} pull away from it most."
    return [
        f"The focal length {'in the file' if prior.source == 'file' else 'given'}, {prior.value * back:.1f} ± "
        f"{prior.sigma * back:.1f} mm, contradicts the edges, which say {focal * back:.1f} ± {error * back:.1f} mm "
        "(36 mm film back): both are weighed by their errors." + (named if pulling else "")
    ]


def camera_of(given: SurveyInput, state: State, i: int) -> Camera:
    """Photo i's camera at a state, without a position."""
    lens = state.lens[i]
    return Camera(
        width=given.width,
        height=given.height,
        focal_px=lens.focal,
        principal_point=(float(lens.centre[0]), float(lens.centre[1])),
        distortion=tuple(float(v) for v in lens.bend),  # type: ignore[arg-type]
        rotation=tuple(tuple(float(v) for v in row) for row in state.rotation[i]),  # type: ignore[arg-type]
    )


def report(system: System, state: State, weight: Array, i: int, covariance: Array | None = None) -> SurveyResult:
    """Covariance, residuals, assumptions, warnings and advice for photo i at the solution."""
    given, lens = system.photos[i], state.lens[i]
    r = system.edge_residuals(state, i)
    first = sum(len(p.edges) for p in system.photos[:i])
    mine = weight[first : first + len(given.edges)]
    kept = mine > 0.05
    spread = spread_of(system, state, weight)
    if covariance is None:
        covariance = covariance_of(system, state, weight) * spread**2
    focal_at = system.slices.get(f"focal{system.lens_of[i]}")
    relative = float(np.sqrt(max(covariance[focal_at, focal_at][0, 0], 0.0))) if focal_at is not None else 0.0
    if given.focal_px is None and not relative < FOCAL_UNKNOWN:
        raise SurveyError(
            "These edges give no focal length: those of at least two directions must run towards "
            "vanishing points that are not at infinity. Trace edges of another direction, or type the "
            "focal length."
        )
    own = given.focal_px.sigma if given.focal_px else None
    sigma = sigma_of(system, covariance, i, relative * lens.focal if focal_at is not None else own)
    camera = camera_of(given, state, i)
    placed = place(given, camera)
    camera = camera.model_copy(update={"position": placed.position})
    vanishing = system.vanishing(state, i)
    horizon = np.cross(vanishing[0], vanishing[1])
    horizon = horizon / max(float(np.hypot(horizon[0], horizon[1])), 1e-300)
    edges = [
        EdgeReport(residual_px=float(v), weight=float(w), note=n)
        for v, w, n in zip(np.sqrt(system.edges[i].mean(r**2)), mine, notes(system, i, mine), strict=True)
    ]
    assumed, warnings = told(system, i, spread, sigma, mine)
    second = second_run(system, state, covariance, i)
    shown = EDGE_FAMILIES if second else FAMILIES
    full = system.full_information(state, weight)
    return SurveyResult(
        camera=camera,
        sigma=sigma,
        rms_px=float(np.sqrt(np.mean(r[kept[system.edges[i].owner]] ** 2))) if kept.any() else 0.0,
        edges=edges,
        vanishing_points={f: _homogeneous(v) for f, v in zip(shown, vanishing, strict=False)},
        horizon=_homogeneous(horizon),
        second_run=second,
        assumed=assumed + placed.assumed,
        warnings=warnings + placed.warnings,
        tapes=placed.tapes,
        effect=effect_of(system, state, i, full, spread, camera),
        advice=advise(system, state, full, i, spread) if focal_at is not None else [],
    )


def sigma_of(system: System, covariance: Array, i: int, focal_px: float | None) -> SurveySigma:
    """One sigma of photo i's lens and turn; ``focal_px``: that of its focal length."""
    turn = system.slices[f"rotation{i}"]

    def pair(name: str) -> tuple[float, float] | None:
        at = system.slices.get(f"{name}{system.lens_of[i]}")
        if at is None:
            return None
        s = np.sqrt(np.maximum(np.diag(covariance)[at], 0))
        return float(s[0]), float(s[1])

    bends = pair("bend")
    return SurveySigma(
        focal_px=focal_px,
        rotation_deg=float(np.degrees(np.sqrt(max(np.trace(covariance[turn, turn]), 0.0)))),
        principal_point=pair("centre"),
        distortion=None if bends is None else (*bends, 0.0, 0.0, 0.0),
    )


def _homogeneous(v: Array) -> tuple[float, float, float]:
    return float(v[0]), float(v[1]), float(v[2])


def second_run(system: System, state: State, covariance: Array, i: int) -> SecondRun | None:
    """The angle of photo i's second run, where edges are of one."""
    at = system.slices.get(f"heading{i}")
    if at is None:
        return None
    angle = folded(system.headings(state)[i])
    sigma = float(np.sqrt(max(covariance[at, at][0, 0], 0.0)))
    return SecondRun(angle_deg=float(np.degrees(angle)), sigma_deg=float(np.degrees(sigma)))


def notes(system: System, i: int, weight: Array) -> list[str | None]:
    """What is wrong with single edges, in words: cannot be chance, too short, the same as another."""
    middle, direction, length = fitted_lines(system.edges[i], system.edges[i].points)
    sigma, family = system.photos[i].edge_sigma_px, system.edges[i].family
    across = middle[:, None] - middle[None]  # (n, m): edge n as edge m has it
    beside = np.abs(across[..., 0] * direction[None, :, 1] - across[..., 1] * direction[None, :, 0])
    along = np.abs((across * direction[None]).sum(-1))
    turned = np.abs(np.outer(direction[:, 0], direction[:, 1]) - np.outer(direction[:, 1], direction[:, 0]))
    same = (family[:, None] == family[None]) & (beside < 3 * sigma) & (turned < 0.01) & (along < 0.5 * length[None])
    same = np.tril(same, -1)
    out: list[str | None] = []
    for n in range(len(length)):
        if weight[n] < 0.05:
            out.append("off by more than chance: left out. Is its direction right?")
        elif length[n] < 20 * sigma:
            out.append(f"only {length[n]:.0f} px long: it tells almost nothing")
        elif same[n].any():
            out.append(f"lies on edge {int(np.argmax(same[n])) + 1}: the two tell the same")
        else:
            out.append(None)
    return out


def told(system: System, i: int, spread: float, sigma: SurveySigma, weight: Array) -> tuple[list[str], list[str]]:
    """What was assumed and what to be wary of, as sentences."""
    given = system.photos[i]
    assumed: list[str] = []
    warnings: list[str] = []
    if given.principal_point == "centre":
        assumed.append(f"The principal point is the picture's centre, to {100 * CENTRE_TRUST:g} % of the diagonal.")
    if given.distortion == "none":
        assumed.append("The lens does not bend straight lines.")
    if given.focal_px is not None:
        where = "the file says" if given.focal_px.source == "file" else "is given"
        assumed.append(f"{HELD} what {where}.")
    if (axis := system.held[i]) is not None:
        assumed.append(f"The turn about {FAMILIES[axis]} is not determined by the edges and is set level.")
    if sigma.principal_point is not None and max(sigma.principal_point) > 0.7 * CENTRE_PRIOR * system.diagonal[i]:
        assumed.append("The edges do not tell the principal point; it is held near the picture's centre.")
    if sigma.distortion is not None:
        for name, s, prior in zip(("k1", "k2"), sigma.distortion, LENS_PRIOR, strict=False):
            if s > 0.7 * prior:
                assumed.append(f"The edges do not tell {name}; it is held near zero. Edges of many points would.")
    if spread > 1:
        warnings.append(
            f"The edges miss by {spread:.1f} times the stated {given.edge_sigma_px:g} px; "
            "the errors given are widened by as much."
        )
    bad = [n + 1 for n, w in enumerate(weight) if w < 0.05]
    if bad:
        names = ", ".join(map(str, bad[:6])) + (" …" if len(bad) > 6 else "")
        warnings.append(
            f"Edge{'s' if len(bad) > 1 else ''} {names} cannot be off by chance and "
            f"{'are' if len(bad) > 1 else 'is'} left out: check the direction or trace again."
        )
    return assumed, warnings
