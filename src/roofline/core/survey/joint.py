"""Several photos at once: lenses that are shared, and further photos brought into the first one's world."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from roofline.core.camera import Array
from roofline.core.survey.doubts import points_left_out, widened, words
from roofline.core.survey.placing import Joint, Member, best_joint, near_states, singles, with_points
from roofline.core.survey.scale import Placed, place
from roofline.core.survey.solve import camera_of, check_edges, report, solve
from roofline.core.survey.spread import covariance_of, spread_of
from roofline.core.survey.state import State, TiedPoint
from roofline.core.survey.system import System
from roofline.errors import SurveyError
from roofline.model.base import Vec3
from roofline.model.survey import Camera, SurveyResult, Tie

__all__ = ["Member", "Together", "solve_together"]

DRAWN = 0.01  # of its distance from the first camera, that a surface drawn through that one photo may be off by
Plane = tuple[Array, float]  # unit normal, and offset in metres: n·x = d


@dataclass
class Together:
    """Results by photo; world points (metres, None without scale) and misses in pixels by tie and photo."""

    results: dict[str, SurveyResult]
    points: dict[str, Vec3 | None] = field(default_factory=dict)
    off_px: dict[str, dict[str, float]] = field(default_factory=dict)


def solve_together(
    members: list[Member],
    ties: list[Tie],
    plane_of: Callable[[str], Plane | None] = lambda _: None,
    near: dict[str, Camera] | None = None,
    only: str | None = None,
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
    near
        Cameras by photo, with positions, that are nearly right: as while a hand is dragging. The search for a start,
        which takes most of the time, is left out when all are there.
    only
        The one photo that is asked about; the others are solved too but not reported.

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
    used = [t for t in ties if sum(p in index for p in t.seen) >= 2]
    begun = near_states(members, near or {}, positioned=bool(used))
    alone = begun or singles(members, lens_of)
    if not used:
        return _lens_only(members, lens_of, alone, only)
    scale = _scale(members[0], alone[0])
    sharing = Counter(t.surface for t in used)
    tied = [_tied(t, index, standpoint_of, scale, plane_of, sharing[t.surface]) for t in used]
    heights = _heights(members, alone, scale)
    for i in range(1, len(members)):
        if standpoint_of[i] == i and not any(i in t.seen for t in tied):
            raise SurveyError(
                f"'{members[i].name}' shares no point with another photo: click a point that both show, in both."
            )
    system = System([m.given for m in members], lens_of, tied, standpoint_of, heights)
    if begun and near:
        joint = Joint(*system.robust(_beside(system, begun, members, near), wide=False), {})
    else:
        joint = best_joint(system, alone, [m.name for m in members])
    left_out = points_left_out(system, joint.weight)
    with_out = with_points(system, joint.state).points
    joint.state.points[left_out] = with_out[left_out]  # where the rays that see them pass nearest
    return _told(system, joint, members, used, only)


def _beside(system: System, alone: list[State], members: list[Member], near: dict[str, Camera]) -> State:
    """A state from cameras that are nearly right, in units of the first one's height above its ground."""
    at = [np.array(near[m.id].position) for m in members]
    height = at[0][1]
    foot = np.array([at[0][0], 0, at[0][2]])
    positions = [(p - foot) / height for p in at]
    lens = [alone[system.lens_of[i]].lens[0] for i in range(len(members))]
    return with_points(system, State([s.rotation[0] for s in alone], positions, lens))


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
    """The members, with what is known of a shared lens known to all: what is given, before what is solved, before
    neither."""
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


def _scale(first: Member, state: State) -> Placed:
    """Where the reference stands, from its tapes, height and datum, at its own estimate."""
    return place(first.given, camera_of(first.given, state, 0))


def _heights(members: list[Member], alone: list[State], scale: Placed) -> dict[int, float]:
    """Heights of further cameras over the ground in the reference's units, where their own tape or figure tells."""
    out: dict[int, float] = {}
    if scale.position is None:
        return out
    for i, m in enumerate(members[1:], 1):
        if m.given.lengths or m.given.camera_height_m is not None:
            own = _scale(m, alone[i]).position
            if own is not None:
                out[i] = own[1] / scale.position[1]
    return out


def _tied(
    tie: Tie,
    index: dict[str, int],
    standpoint_of: list[int],
    scale: Placed,
    plane_of: Callable[[str], Plane | None],
    sharing: int,
) -> TiedPoint:
    """What is solved for of a tie; so many points say that they lie on the same surface."""
    seen = {index[p]: (float(at[0]), float(at[1])) for p, at in tie.seen.items() if p in index}
    far = len({standpoint_of[i] for i in seen}) == 1
    plane: Plane | None = None
    sigma = TiedPoint.sigma
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
        # a surface is off as a whole, and does not tell more of itself through more points
        sigma = max(sigma, DRAWN * abs(float(normal[1]) - plane[1]) * sharing**0.5)
    return TiedPoint(seen, None if far else plane, sigma, far)


def _lens_only(members: list[Member], lens_of: list[int], alone: list[State], only: str | None) -> Together:
    """Photos that share a lens but no points: each stands in a world of its own."""
    if len(members) == 1:
        return Together({members[0].id: solve(members[0].given)})
    system = System([m.given for m in members], lens_of)
    lens = [alone[lens_of[i]].lens[0] for i in range(len(members))]
    start = State([s.rotation[0] for s in alone], [np.array([0.0, 1.0, 0.0])] * len(members), lens)
    state, weight = system.robust(start)
    covariance = covariance_of(system, state, weight) * spread_of(system, state, weight) ** 2
    return Together(
        {m.id: report(system, state, weight, i, covariance) for i, m in enumerate(members) if only in (None, m.id)},
    )


def _place_told(
    system: System, joint: Joint, i: int, covariance: Array, metres: float, shift: Array, names: list[str]
) -> dict[str, Any]:
    """What is known of where photo i was taken from: errors, rivals, warnings."""
    at = system.slices.get(f"position{system.standpoint_of[i]}")
    if at is None:
        return {"warnings": []}
    s = np.sqrt(np.maximum(np.diag(covariance)[at], 0)) * metres * widened(system, joint, i)
    away = float(np.linalg.norm((joint.state.position[i] - [0, 1, 0]) * metres))
    large = float(s.max()) if s.max() > 0.3 * max(away, 0.2) else 0.0
    rivals = [r.position[i] * metres + shift for r in joint.rivals.get(i, [])]
    return {
        "position_sigma_m": tuple(s.tolist()),
        "rivals": [tuple(r.tolist()) for r in rivals],
        "warnings": words(system, joint, i, names, large, rivals),
    }


def _told(system: System, joint: Joint, members: list[Member], ties: list[Tie], only: str | None) -> Together:
    state, weight = joint.state, joint.weight
    covariance = covariance_of(system, state, weight) * spread_of(system, state, weight) ** 2
    results: dict[str, SurveyResult] = {}
    metres: float | None = None
    shift = np.zeros(3)
    stands = _scale(members[0], state).position
    if stands is not None:
        metres, shift = stands[1], np.array([stands[0], 0.0, stands[2]])
    for i, m in enumerate(members):
        if only not in (None, m.id):
            continue
        got = report(system, state, weight, i, covariance)
        if i == 0:
            results[m.id] = got
            continue
        update: dict[str, Any] = {"tapes": [], "effect": got.effect, "warnings": []}
        position: Vec3 | None = None
        if metres is not None:
            p = state.position[i] * metres + shift
            position = (float(p[0]), float(p[1]), float(p[2]))
            update |= _place_told(system, joint, i, covariance, metres, shift, [t.name for t in ties])
            update["warnings"] = [*got.warnings, *update["warnings"]]
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
