"""Several photos at once: lenses that are shared, and further photos brought into the first one's world."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from roofline.core.camera import Array, straighten
from roofline.core.survey.scale import Placed, place
from roofline.core.survey.solve import (
    best_of,
    check_edges,
    check_families,
    covariance_of,
    report,
    solve,
    spread_of,
)
from roofline.core.survey.system import State, System, TiedPoint
from roofline.errors import SurveyError
from roofline.shot import FocalPrior, SurveyInput, SurveyResult, Tie, Vec3

Plane = tuple[Array, float]  # unit normal, and offset in metres: n·x = d
TURN = np.diag([-1.0, 1.0, -1.0])


@dataclass
class Member:
    """A photo of a joint survey. ``lens``: photos that name the same one share it; ``standpoint``: another's id."""

    id: str
    name: str
    given: SurveyInput
    lens: str | None = None
    standpoint: str | None = None


@dataclass
class Together:
    """Results by photo; world points (metres, None without scale) and misses in pixels by tie and photo."""

    results: dict[str, SurveyResult]
    points: dict[str, Vec3 | None] = field(default_factory=dict)
    off_px: dict[str, dict[str, float]] = field(default_factory=dict)


def solve_together(
    members: list[Member], ties: list[Tie], plane_of: Callable[[str], Plane | None] = lambda _: None
) -> Together:
    """Joint least squares over all edges and points of photos that share a lens, or points, or a standpoint.

    Parameters
    ----------
    members
        The first one is the reference: its tapes, height and datum make the world.
    ties
        Points seen in two or more of the photos; others are left aside.
    plane_of
        The plane of a surface that a tie names, in metres of the reference's world; None when it is not there.

    Raises
    ------
    SurveyError
        When the photos cannot be solved, or the points do not tell where a photo was taken from.
    """
    for m in members:
        check_edges(m.given)
    lens_of = _lenses(members)
    members = _agreed(members, lens_of)
    index = {m.id: i for i, m in enumerate(members)}
    standpoint_of = [index.get(m.standpoint or m.id, i) for i, m in enumerate(members)]
    singles = _singles(members, lens_of)
    used = [t for t in ties if sum(p in index for p in t.seen) >= 2]
    if not used:
        return _lens_only(members, lens_of, singles)
    scale = _scale(members[0], singles[0])
    tied = [_tied(t, index, standpoint_of, scale, plane_of) for t in used]
    heights = _heights(members, singles, scale)
    for i in range(1, len(members)):
        if standpoint_of[i] == i and not any(i in t.seen for t in tied):
            raise SurveyError(
                f"'{members[i].name}' shares no point with another photo: click a point that both show, in both."
            )
    system = System([m.given for m in members], lens_of, tied, standpoint_of, heights)
    state, weight = _best(system, singles, members)
    spread = spread_of(system, state, weight)
    covariance = covariance_of(system, state, weight) * spread**2
    return _told(system, state, weight, covariance, members, used, scale)


def _lenses(members: list[Member]) -> list[int]:
    """The number of each photo's lens; raises SurveyError when photos of different sizes name the same one."""
    numbers: dict[str, int] = {}
    out = []
    for i, m in enumerate(members):
        key = f"lens {m.lens}" if m.lens else f"photo {m.id}"
        first = numbers.setdefault(key, i)
        if (members[first].given.width, members[first].given.height) != (m.given.width, m.given.height):
            raise SurveyError(
                f"'{members[first].name}' and '{m.name}' are said to be of one lens but differ in size: "
                "give cropped or scaled photos a lens of their own."
            )
        out.append(first)
    return out


def _agreed(members: list[Member], lens_of: list[int]) -> list[Member]:
    """The members, with what is known of a shared lens known to all: what is given, before what is solved, before neither."""
    out = []
    for i, m in enumerate(members):
        sharing = [o.given for j, o in enumerate(members) if lens_of[j] == lens_of[i]]

        def known(values: list[Any], plain: Any) -> Any:
            given = [v for v in values if v is not None and not isinstance(v, str)]
            return given[0] if given else ("solve" if "solve" in values else plain)

        update = {
            "focal_px": known([g.focal_px for g in sharing], None),
            "principal_point": known([g.principal_point for g in sharing], "centre"),
            "distortion": known([g.distortion for g in sharing], "none"),
        }
        out.append(replace(m, given=m.given.model_copy(update=update)))
    return out


def _singles(members: list[Member], lens_of: list[int]) -> list[State]:
    """An estimate of each photo for itself; one that cannot be solved alone borrows its lens's focal length."""
    found: dict[int, State] = {}
    waiting = []
    for i, m in enumerate(members):
        try:
            check_families(m.given)
            found[i] = best_of(System([m.given]))[0]
        except SurveyError:
            waiting.append(i)
    for i in waiting:
        m = members[i]
        lender = next((j for j in found if lens_of[j] == lens_of[i]), None)
        given = m.given
        if lender is not None and given.focal_px is None:
            focal = found[lender].lens[0].focal
            given = given.model_copy(update={"focal_px": FocalPrior(value=focal, sigma=0.02 * focal)})
        try:
            check_families(given)
            found[i] = best_of(System([given]))[0]
        except SurveyError as error:
            raise SurveyError(f"'{m.name}': {error}") from None
    return [found[i] for i in range(len(members))]


def _scale(first: Member, state: State) -> Placed:
    """Where the reference stands, from its tapes, height and datum, at its own estimate."""
    system = System([first.given])
    result = report(system, state, np.ones(system.observations), 0)
    return place(first.given, result.camera)


def _heights(members: list[Member], singles: list[State], scale: Placed) -> dict[int, float]:
    """Heights of further cameras over the ground in the reference's units, where their own tape or figure tells."""
    out: dict[int, float] = {}
    if scale.position is None:
        return out
    for i, m in enumerate(members[1:], 1):
        if m.given.lengths or m.given.camera_height_m is not None:
            own = _scale(m, singles[i]).position
            if own is not None:
                out[i] = own[1] / scale.position[1]
    return out


def _tied(
    tie: Tie, index: dict[str, int], standpoint_of: list[int], scale: Placed, plane_of: Callable[[str], Plane | None]
) -> TiedPoint:
    seen = {index[p]: (float(at[0]), float(at[1])) for p, at in tie.seen.items() if p in index}
    far = len({standpoint_of[i] for i in seen}) == 1
    plane: Plane | None = None
    if tie.surface == "ground":
        plane = (np.array([0.0, 1.0, 0.0]), 0.0)
    elif tie.surface is not None and not far:
        found = plane_of(tie.surface)
        if found is None:
            raise SurveyError(f"The point '{tie.name}' lies on '{tie.surface}', which is not there any more.")
        if scale.position is None:
            raise SurveyError(
                "A point on a surface needs a scale in the first photo: set a tape or the camera's height."
            )
        # from metres to the reference's units, in which it stands one above the origin
        normal, offset = found
        x, h, z = scale.position
        plane = (normal, float((offset - normal @ np.array([x, 0.0, z])) / h))
    return TiedPoint(seen, None if far else plane, far)


def _ray(system: System, state: State, i: int, pixel: tuple[float, float]) -> Array:
    """World direction (3,) of unit length through a pixel as taken."""
    lens = state.lens[i]
    n = straighten((np.array(pixel) - lens.centre) / lens.focal, lens.bend)
    d = np.array([n[0], n[1], 1.0]) @ state.rotation[i]
    return d / np.linalg.norm(d)  # type: ignore[no-any-return]


def _best(system: System, singles: list[State], members: list[Member]) -> tuple[State, Array]:
    """The robust joint solution; further photos are tried as they are and turned half round about Rise."""
    best: tuple[float, State] | None = None
    turned = list(range(1, len(singles)))
    for bits in range(2 ** min(len(turned), 3)):
        rotation = [s.rotation[0] for s in singles]
        for n, i in enumerate(turned[:3]):
            if bits >> n & 1:
                rotation[i] = rotation[i] @ TURN
        lens = [singles[system.lens_of[i]].lens[0] for i in range(len(singles))]
        state = State(rotation, [np.array([0.0, 1.0, 0.0])] * len(singles), lens)
        start = _placed(system, state, members)
        if start is None:
            continue
        found = system.fit(start, 1 / (1 + (system.misses(system.residuals(start)) / 5) ** 2), 6)
        cost = float(np.sum(np.log1p(system.misses(system.residuals(found)) ** 2)))
        ahead = all(
            tie.far or (found.rotation[i] @ (found.points[t] - found.position[i]))[2] > 0
            for t, tie in enumerate(system.ties)
            for i in tie.seen
        )
        if ahead and (best is None or cost < best[0]):
            best = (cost, found)
    if best is None:
        raise SurveyError(
            "The points do not fit both photos: check that each is the same spot in both, and that Run and Return "
            "are the same directions of the place."
        )
    return system.robust(best[1])


def _placed(system: System, state: State, members: list[Member]) -> State | None:
    """Positions and points to start from, linear in the rays: every point lies on the rays that see it."""
    positions = list(state.position)
    points = np.zeros((len(system.ties), 3))
    known = {0}
    for _ in range(len(members)):
        for i in range(1, len(members)):
            if i in known:
                continue
            if system.standpoint_of[i] != i and system.standpoint_of[i] in known:
                positions[i] = positions[system.standpoint_of[i]]
                known.add(i)
                continue
            at = _resected(system, state, positions, known, i, members[i].name)
            if at is not None:
                positions[i] = at
                known.add(i)
    if len(known) < len(members):
        return None
    placed = State(state.rotation, positions, state.lens, points)
    for t, tie in enumerate(system.ties):
        rays = [(_ray(system, placed, i, pixel), positions[i]) for i, pixel in tie.seen.items()]
        if tie.far:
            points[t] = rays[0][0]
            continue
        a = np.concatenate([np.eye(3) - np.outer(d, d) for d, _ in rays])
        b = np.concatenate([(np.eye(3) - np.outer(d, d)) @ c for d, c in rays])
        if tie.plane is not None:
            a, b = np.r_[a, 10 * tie.plane[0][None]], np.r_[b, 10 * tie.plane[1]]
        points[t] = np.linalg.lstsq(a, b, rcond=None)[0]
        d, c = rays[0]
        if (points[t] - c) @ d <= 0:
            points[t] = c + 10 * d
    return placed


def _resected(system: System, state: State, positions: list[Array], known: set[int], i: int, name: str) -> Array | None:
    """Position of photo i from ties to photos that are placed; None when it shares too few with them yet."""
    fixed_rows, fixed_right, free_rows = [], [], []
    count = 0
    free: list[tuple[Array, Array, Array]] = []
    for tie in system.ties:
        others = [j for j in tie.seen if j in known]
        if i not in tie.seen or not others or tie.far:
            continue
        j = others[0]
        d, e, c = _ray(system, state, i, tie.seen[i]), _ray(system, state, j, tie.seen[j]), positions[j]
        count += 1
        m = np.eye(3) - np.outer(d, d)
        if tie.plane is not None:
            normal, offset = tie.plane
            slope = float(normal @ e)
            if abs(slope) < 1e-6 or (offset - normal @ c) / slope <= 0:
                raise SurveyError("A point that is said to lie on a surface is seen above it: it cannot lie there.")
            x = c + e * (offset - normal @ c) / slope
            fixed_rows.append(m)
            fixed_right.append(m @ x)
        else:
            free.append((d, e, c))
    if count == 0:
        return None
    if i in system.heights:
        fixed_rows.append(np.array([[0, 10.0, 0]]))
        fixed_right.append(np.array([10 * system.heights[i]]))
    for d, e, c in free:  # the point, the two standpoints lie in one plane
        normal = np.cross(d, e)
        free_rows.append(normal)
        fixed_rows.append(normal[None])
        fixed_right.append(np.array([normal @ c]))
    a, b = np.concatenate(fixed_rows), np.concatenate(fixed_right)
    if count < 2 and i not in system.heights:
        raise SurveyError(f"'{name}' shares one point only: click at least two that both photos show.")
    values = np.linalg.svd(a, compute_uv=False)
    if len(values) < 3 or values[2] < 1e-3 * values[0]:
        raise SurveyError(
            f"The points do not tell how far '{name}' was taken from the first photo's standpoint: say of one of them "
            "that it lies on the ground or on a surface, or give that photo a tape or its camera's height."
        )
    at = np.linalg.lstsq(a, b, rcond=None)[0]
    return np.array(at)


def _lens_only(members: list[Member], lens_of: list[int], singles: list[State]) -> Together:
    """Photos that share a lens but no points: each stands in a world of its own."""
    if len(members) == 1:
        return Together({members[0].id: solve(members[0].given)})
    system = System([m.given for m in members], lens_of)
    lens = [singles[lens_of[i]].lens[0] for i in range(len(members))]
    start = State([s.rotation[0] for s in singles], [np.array([0.0, 1.0, 0.0])] * len(members), lens)
    state, weight = system.robust(start)
    covariance = covariance_of(system, state, weight) * spread_of(system, state, weight) ** 2
    return Together(
        {m.id: report(system, state, weight, i, covariance) for i, m in enumerate(members)},
    )


def _told(
    system: System,
    state: State,
    weight: Array,
    covariance: Array,
    members: list[Member],
    ties: list[Tie],
    scale: Placed,
) -> Together:
    results: dict[str, SurveyResult] = {}
    metres: float | None = None
    shift = np.zeros(3)
    for i, m in enumerate(members):
        got = report(system, state, weight, i, covariance)
        if i == 0:
            if got.camera.position is not None:
                x, h, z = got.camera.position
                metres, shift = h, np.array([x, 0.0, z])
            results[m.id] = got
            continue
        update: dict[str, object] = {"tapes": [], "effect": got.effect}
        position: Vec3 | None = None
        if metres is not None:
            p = state.position[i] * metres + shift
            position = (float(p[0]), float(p[1]), float(p[2]))
            at = system.slices.get(f"position{system.standpoint_of[i]}")
            if at is not None:
                s = np.sqrt(np.maximum(np.diag(covariance)[at], 0)) * metres
                update["position_sigma_m"] = (float(s[0]), float(s[1]), float(s[2]))
                if float(s.max()) > 0.3 * max(float(np.linalg.norm(p - shift - [0, metres, 0])), 0.2):
                    update["warnings"] = [
                        *got.warnings,
                        f"Where this photo was taken from is known to ± {float(s.max()):.1f} m only: click more points, "
                        "far apart in the picture and in depth.",
                    ]
        update["assumed"] = [a for a in got.assumed if "scale" not in a and "origin" not in a]
        update["camera"] = got.camera.model_copy(update={"position": position})
        results[m.id] = got.model_copy(update=update)
    points: dict[str, Vec3 | None] = {}
    off: dict[str, dict[str, float]] = {}
    for t, tie in enumerate(ties):
        points[tie.id] = None
        if metres is not None and not system.ties[t].far:
            x, y, z = state.points[t] * metres + shift
            points[tie.id] = (float(x), float(y), float(z))
        off[tie.id] = {
            members[i].id: float(
                np.linalg.norm(system.seen_at(state, i, state.points[t], system.ties[t].far) - np.array(pixel))
            )
            for i, pixel in system.ties[t].seen.items()
        }
    return Together(results, points, off)
