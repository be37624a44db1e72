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


def best_joint(system: System, alone: list[State], names: list[str]) -> tuple[State, Array]:
    """The robust joint solution; further photos are tried as they are and turned half round about Rise."""
    best: tuple[float, State] | None = None
    turned = list(range(1, len(alone)))
    for bits in range(2 ** min(len(turned), 3)):
        rotation = [s.rotation[0] for s in alone]
        for n, i in enumerate(turned[:3]):
            if bits >> n & 1:
                rotation[i] = rotation[i] @ TURN
        lens = [alone[system.lens_of[i]].lens[0] for i in range(len(alone))]
        state = State(rotation, [np.array([0.0, 1.0, 0.0])] * len(alone), lens)
        start = _placed(system, state, names)
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


def _placed(system: System, state: State, names: list[str]) -> State | None:
    """Positions and points to start from, linear in the rays: every point lies on the rays that see it."""
    positions = list(state.position)
    known = {0}
    for _ in names:
        for i in range(1, len(names)):
            if i in known:
                continue
            if system.standpoint_of[i] != i and system.standpoint_of[i] in known:
                positions[i] = positions[system.standpoint_of[i]]
                known.add(i)
                continue
            at = _resected(system, state, positions, known, i, names[i])
            if at is not None:
                positions[i] = at
                known.add(i)
    if len(known) < len(names):
        return None
    return with_points(system, State(state.rotation, positions, state.lens))


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
            a, b = np.r_[a, 10 * tie.plane[0][None]], np.r_[b, 10 * tie.plane[1]]
        points[t] = np.linalg.lstsq(a, b, rcond=None)[0]
        d, c = rays[0]
        if (points[t] - c) @ d <= 0:
            points[t] = c + 10 * d
    return replace(state, points=points)


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
