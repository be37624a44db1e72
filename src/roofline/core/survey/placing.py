"""Where the photos of a joint survey stand, near enough to start its least squares from."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from roofline.core.camera import Array, straighten
from roofline.core.survey.solve import best_of, check_families
from roofline.core.survey.state import State
from roofline.core.survey.system import System
from roofline.errors import SurveyError
from roofline.model.survey import Camera, FocalPrior, SurveyInput

TURN = np.diag([-1.0, 1.0, -1.0])
GROSS = 20.0  # the most that one observation's sum of squares counts, when readings are compared
NO_CHANCE = 12.0  # a reading whose squares sum to so much more than the best one's is not within chance of it


@dataclass
class Member:
    """A photo of a joint survey. ``lens``: photos that name the same one share it; ``standpoint``: another's id."""

    id: str
    name: str
    given: SurveyInput
    lens: str | None = None
    standpoint: str | None = None


def singles(members: list[Member], lens_of: list[int]) -> list[State]:
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


def _ray(system: System, state: State, i: int, pixel: tuple[float, float]) -> Array:
    """World direction (3,) of unit length through a pixel as taken."""
    lens = state.lens[i]
    n = straighten((np.array(pixel) - lens.centre) / lens.focal, lens.bend)
    d = np.array([n[0], n[1], 1.0]) @ state.rotation[i]
    return d / np.linalg.norm(d)  # type: ignore[no-any-return]


def near_states(members: list[Member], near: dict[str, Camera], positioned: bool) -> list[State] | None:
    """An estimate of each photo from a camera that is nearly right; None unless there is one for all."""
    out: list[State] = []
    for m in members:
        camera = near.get(m.id)
        if camera is None or (positioned and camera.position is None):
            return None
        given = System([m.given])
        lens = given.lens_at(0, camera.focal_px)
        if m.given.principal_point == "solve":
            lens = replace(lens, centre=np.array(camera.principal_point))
        if m.given.distortion == "solve":
            lens = replace(lens, bend=np.array(camera.distortion))
        out.append(State([np.array(camera.rotation)], [np.array([0.0, 1.0, 0.0])], [lens]))
    return out


@dataclass
class Joint:
    """A joint solution, with each observation's weight; and by photo the rivals that the points bear as well."""

    state: State
    weight: Array
    rivals: dict[int, list[State]]


def best_joint(system: System, alone: list[State], names: list[str]) -> Joint:
    """The robust joint solution; every further photo is tried as it is and turned half round about Rise.

    What fits within chance as well is kept as a rival: two points, or points on one upright line, bear both.
    """
    lens = [alone[system.lens_of[i]].lens[0] for i in range(len(alone))]
    start = _placed(
        system, State([s.rotation[0] for s in alone], [np.array([0.0, 1.0, 0.0])] * len(alone), lens), names
    )
    best = _followed(system, start)
    free = [i for i in range(1, len(alone)) if system.standpoint_of[i] == i]
    others: dict[int, list[_Fit]] = {i: [] for i in free}
    for _ in range(2):  # a second time, should turning one photo have changed what suits another
        better = False
        for i in free:
            turned = _turned(system, best.state, i, names)
            if turned is None:
                continue
            found = _followed(system, turned)
            if found.cost < best.cost:
                best, found, better = found, best, True
            others[i].append(found)
        if not better:
            break
    if best.behind:
        raise SurveyError(
            "The points do not fit both photos: check that each is the same spot in both, and that Run and Return "
            "are the same directions of the place."
        )
    rivals = {
        i: [f.state for f in _distinct(found, best, i) if f.chance < best.chance + NO_CHANCE]
        for i, found in others.items()
    }
    return Joint(best.state, best.weight, {i: r for i, r in rivals.items() if r})


@dataclass
class _Fit:
    state: State
    weight: Array
    cost: float  # by which starts are ranked
    chance: float  # the sum of squares in sigmas, gross misses held down
    behind: bool


def _followed(system: System, start: State) -> _Fit:
    """A start followed to its robust solution."""
    near = system.fit(start, 1 / (1 + (system.misses(system.residuals(start)) / 5) ** 2), 6)
    state, weight = system.robust(near)
    r = system.residuals(state)
    miss = system.misses(r)
    prior = r[system.owner < 0]
    behind = sum(
        weight[system.first_tie + t] > 0.05 and (state.rotation[i] @ (state.points[t] - state.position[i]))[2] <= 0
        for t, tie in enumerate(system.ties)
        if not tie.far
        for i in tie.seen
    )
    cost = float(np.sum(np.log1p(miss**2))) + 20.0 * behind
    return _Fit(state, weight, cost, float(np.minimum(system.squares(r), GROSS).sum() + prior @ prior), bool(behind))


def _distinct(found: list[_Fit], best: _Fit, i: int) -> list[_Fit]:
    """Those that look another way from another place than the best, once each."""
    out: list[_Fit] = []
    for f in found:
        same = any(np.trace(f.state.rotation[i] @ o.state.rotation[i].T) > 2.5 for o in (best, *out))
        if not (same or f.behind):
            out.append(f)
    return out


def _turned(system: System, state: State, i: int, names: list[str]) -> State | None:
    """The state with one photo, and those that share its standpoint, turned half round and placed anew."""
    mine = [j for j in range(len(names)) if system.standpoint_of[j] == i or j == i]
    rotation = [r @ TURN if j in mine else r for j, r in enumerate(state.rotation)]
    try:
        return _placed(system, replace(state, rotation=rotation), names, set(range(len(names))) - set(mine))
    except SurveyError:
        return None


def _placed(system: System, state: State, names: list[str], stand: set[int] | None = None) -> State:
    """Positions and points to start from, linear in the rays; each photo that does not ``stand`` yet is turned as its
    points want it, unless all others stand."""
    positions, rotation = list(state.position), list(state.rotation)
    known = stand or {0}
    for _ in names:
        for i in range(1, len(names)):
            if i in known:
                continue
            if system.standpoint_of[i] != i:
                if system.standpoint_of[i] in known:
                    positions[i] = positions[system.standpoint_of[i]]
                    known = known | {i}
                continue
            turns = (np.eye(3), TURN) if stand is None else (np.eye(3),)
            tried: list[tuple[float, Array, Array]] = []
            for turn in turns:
                there = replace(state, rotation=[*rotation[:i], state.rotation[i] @ turn, *rotation[i + 1 :]])
                found = _resected(system, there, positions, known, i, names[i])
                if found is not None:
                    tried.append((*found, there.rotation[i]))
            if tried:
                _, positions[i], rotation[i] = min(tried, key=lambda t: t[0])
                known = known | {i}
    if len(known) < len(names):
        raise SurveyError(
            "The points do not join all photos: each needs points that a photo which is joined shows as well."
        )
    return with_points(system, State(rotation, positions, state.lens))


def with_points(system: System, state: State) -> State:
    """The state with every tied point where the rays that see it pass nearest to one another."""
    points = np.zeros((len(system.ties), 3))
    for t, tie in enumerate(system.ties):
        rays = [(_ray(system, state, i, pixel), state.position[i]) for i, pixel in tie.seen.items()]
        if tie.far:
            points[t] = rays[0][0]
            continue
        a = np.concatenate([np.eye(3) - np.outer(d, d) for d, _ in rays])
        b = np.concatenate([(np.eye(3) - np.outer(d, d)) @ c for d, c in rays])
        if tie.plane is not None:
            a, b = np.r_[a, 1e3 * tie.plane[0][None]], np.r_[b, 1e3 * tie.plane[1]]
        points[t] = np.linalg.lstsq(a, b, rcond=None)[0]
        d, c = rays[0]
        if (points[t] - c) @ d <= 0:
            points[t] = c + 10 * d
    return replace(state, points=points)


@dataclass
class _Seen:
    """A tied point as photo i and a placed photo see it: directions, the other's position; where it is, if known."""

    mine: Array
    theirs: Array
    place: Array
    point: Array | None

    def rows(self) -> tuple[Array, Array]:
        """What it says of photo i's position, linear."""
        if self.point is not None:  # on the ray through the point
            m = np.eye(3) - np.outer(self.mine, self.mine)
            return m, m @ self.point
        normal = np.cross(self.mine, self.theirs)  # the point and the two standpoints lie in one plane
        return normal[None], np.array([normal @ self.place])

    def off(self, at: Array) -> float:
        """The angle by which it is missed from a position, in radians; half a turn when it would lie behind."""
        if self.point is not None:
            away = self.point - at
            return float(np.arccos(np.clip(away @ self.mine / max(float(np.linalg.norm(away)), 1e-12), -1, 1)))
        base = at - self.place
        normal = np.cross(self.theirs, base)
        # along the two rays, where they pass nearest to one another
        across = np.cross(self.mine, self.theirs)
        near = np.array([np.linalg.det(np.array([-base, d, across])) for d in (self.theirs, self.mine)])
        if across @ across > 1e-12 and (near <= 0).any():
            return float(np.pi)
        return float(abs(np.arcsin(np.clip(normal @ self.mine / max(float(np.linalg.norm(normal)), 1e-12), -1, 1))))


def _shared(system: System, state: State, positions: list[Array], known: set[int], i: int) -> list[_Seen]:
    out = []
    for tie in system.ties:
        others = [j for j in tie.seen if j in known]
        if i not in tie.seen or not others or tie.far:
            continue
        j = others[0]
        d, e, c = _ray(system, state, i, tie.seen[i]), _ray(system, state, j, tie.seen[j]), positions[j]
        point = None
        if tie.plane is not None:
            normal, offset = tie.plane
            slope = float(normal @ e)
            if abs(slope) < 1e-6 or (offset - normal @ c) / slope <= 0:
                raise SurveyError("A point that is said to lie on a surface is seen above it: it cannot lie there.")
            point = c + e * (offset - normal @ c) / slope
        out.append(_Seen(d, e, c, point))
    return out


def _resected(
    system: System, state: State, positions: list[Array], known: set[int], i: int, name: str
) -> tuple[float, Array] | None:
    """How ill it fits, and the position of photo i from its points in photos that are placed; None where it shares too
    few with them yet. From four points on each is left out once, so that one wrong point does not lead astray."""
    seen = _shared(system, state, positions, known, i)
    if not seen:
        return None
    if len(seen) < 2 and i not in system.heights:
        raise SurveyError(f"'{name}' shares one point only: click at least two that both photos show.")
    sigma = 5 * system.photos[i].edge_sigma_px / state.lens[i].focal  # directions are not exact yet
    best: tuple[float, Array] | None = None
    for left_out in (None, *(range(len(seen)) if len(seen) > 3 else ())):
        rows = [p.rows() for n, p in enumerate(seen) if n != left_out]
        if i in system.heights:
            rows.append((np.array([[0, 10.0, 0]]), np.array([10 * system.heights[i]])))
        a, b = np.concatenate([r[0] for r in rows]), np.concatenate([r[1] for r in rows])
        values = np.linalg.svd(a, compute_uv=False)
        if len(values) < 3 or values[2] < 1e-3 * values[0]:
            continue
        at = np.linalg.lstsq(a, b, rcond=None)[0]
        cost = float(sum(np.log1p((p.off(at) / sigma) ** 2) for p in seen))
        if best is None or cost < best[0]:
            best = (cost, at)
    if best is None:
        raise SurveyError(_why(name, seen))
    return best


def _why(name: str, seen: list[_Seen]) -> str:
    """Why points do not tell where a photo was taken from."""
    if all(p.point is None for p in seen):
        return (
            f"The points do not tell how far '{name}' was taken from the first photo's standpoint: say of one of them "
            "that it lies on the ground or on a surface, or give that photo a tape or its camera's height."
        )
    return (
        f"The points that '{name}' shares lie in one line as it sees them, and do not tell where it was taken from: "
        "click another one well beside that line."
    )
