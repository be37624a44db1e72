"""Measuring on a plane of the world through a photo, with the error of what was measured."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from itertools import product
from typing import Any, Literal

import numpy as np

from roofline.core.camera import Array, straighten
from roofline.core.survey.scale import place
from roofline.core.survey.spread import spread_of
from roofline.core.survey.state import Lens, State
from roofline.core.survey.system import System
from roofline.errors import SurveyError
from roofline.model.base import Vec2
from roofline.model.survey import Length, SurveyInput, SurveyResult

Plane = Literal["ground", "front", "side", "ceiling"]
NORMAL = {"ground": 1, "ceiling": 1, "front": 2, "side": 0}  # the axis that a plane is square to


def on_plane(state: State, position: Array, pixel: Array, plane: Plane, level: float = 0.0) -> Array:
    """World point (3,) where the ray through a pixel as taken meets a plane, `level` metres from the origin."""
    lens = state.lens[0]
    n = straighten((pixel - lens.centre) / lens.focal, lens.bend)
    ray = np.array([n[0], n[1], 1.0]) @ state.rotation[0]
    axis = NORMAL[plane]
    k = (level - position[axis]) / ray[axis] if abs(ray[axis]) > 1e-9 else -1.0
    if k <= 0:
        where = {
            "ground": "above the horizon",
            "ceiling": "not on the ceiling",
            "front": "not on the front plane",
            "side": "not on the side plane",
        }
        raise SurveyError(f"That point is {where[plane]}: nothing can be measured there.")
    return np.asarray(position + k * ray)


def measure(
    given: SurveyInput, result: SurveyResult, plane: Plane, a: Vec2, b: Vec2, level: float = 0.0
) -> tuple[float, float]:
    """Metres between two pixels' points on a plane `level` metres from the datum, and one sigma.

    The sigma has three parts: the camera's, by its covariance; the scale's, by the tapes' sigmas and their ends being
    clicked no better than an edge; and the two ends' own, clicked as well as an edge.

    Raises
    ------
    SurveyError
        Where a ray does not meet the plane, or there is no scale.
    """
    if result.camera.position is None:
        raise SurveyError("There is no scale yet: set a tape or the camera's height first.")
    c = result.camera
    system = System([given])
    lens = Lens(float(np.log(c.focal_px)), np.array(c.principal_point), np.array(c.distortion))
    state = State([np.array(c.rotation)], [np.array([0.0, 1.0, 0.0])], [lens])
    ends = np.array([a, b], dtype=np.float64)

    def length(s: State, survey: SurveyInput, at: Array) -> float:
        camera = c.model_copy(
            update={
                "focal_px": s.lens[0].focal,
                "principal_point": tuple(s.lens[0].centre.tolist()),
                "distortion": tuple(s.lens[0].bend.tolist()),
                "rotation": tuple(tuple(row) for row in s.rotation[0].tolist()),
            }
        )
        position = np.array(place(survey, camera).position)
        p, q = (on_plane(s, position, pixel, plane, level) for pixel in at)
        return float(np.linalg.norm(q - p))

    def slope(what: Callable[[float], float], h: float) -> float:
        return (what(h) - what(-h)) / (2 * h)

    metres = length(state, given, ends)
    weight = np.array([e.weight for e in result.edges])
    full = system.full_information(state, weight)
    covariance = np.linalg.pinv(full) * spread_of(system, state, weight) ** 2
    rows = np.zeros(len(covariance))
    for name, columns in {**system.slices, **system.hidden}.items():
        h = 0.05 if name.startswith("centre") else 1e-5
        for k in range(columns.stop - columns.start):
            rows[columns.start + k] = slope(
                lambda d, n=name, k=k: length(system.nudged(state, n, k, d), given, ends),  # type: ignore[misc]
                h,
            )
    variance = float(rows @ covariance @ rows)
    for change, sigma, h in _uncertain(given, ends):
        variance += (sigma * slope(lambda d, c=change: length(state, *c(d)), h)) ** 2  # type: ignore[misc]
    return metres, float(np.sqrt(variance))


Change = Callable[[float], tuple[SurveyInput, Array]]


def _uncertain(given: SurveyInput, ends: Array) -> Iterator[tuple[Change, float, float]]:
    """What was drawn or typed with an error: how it differs by an amount, one sigma, and a small step of it."""
    clicked = given.edge_sigma_px
    for end, k in product(range(2), range(2)):
        step = np.zeros((2, 2))
        step[end, k] = 1.0
        yield lambda d, step=step: (given, ends + d * step), clicked, 0.05  # type: ignore[misc]
    for n, tape in enumerate(given.lengths):

        def with_tape(n: int = n, **what: object) -> tuple[SurveyInput, Array]:
            lengths = [t.model_copy(update=what) if i == n else t for i, t in enumerate(given.lengths)]
            return given.model_copy(update={"lengths": lengths}), ends

        def moved(d: float, end: str, k: int, tape: Length = tape, put: Any = with_tape) -> tuple[SurveyInput, Array]:
            at = list(getattr(tape, end))
            at[k] += d
            return put(**{end: tuple(at)})  # type: ignore[no-any-return]

        for end_name, k in product(("a", "b"), range(2)):
            yield partial(moved, end=end_name, k=k), clicked, 0.05
        if tape.sigma_m is not None:
            typed = tape.metres
            yield lambda d, m=typed, put=with_tape: put(metres=m + d), tape.sigma_m, 1e-4 * typed  # type: ignore[misc]
