"""Measuring on a plane of the world through a photo, with the error of what was measured."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

import numpy as np

from roofline.core.camera import Array, straighten
from roofline.core.survey.scale import place
from roofline.core.survey.spread import spread_of
from roofline.core.survey.state import Lens, State
from roofline.core.survey.system import System
from roofline.errors import SurveyError
from roofline.model.base import Vec2
from roofline.model.survey import SurveyInput, SurveyResult

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

    The sigma has three parts: the camera's, by its covariance; the scale's, by the tapes' ends being clicked no better
    than an edge; and the two ends' own, clicked as well as an edge.

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
    sigma = given.edge_sigma_px
    for end in range(2):
        for k in range(2):
            step = np.zeros((2, 2))
            step[end, k] = 1.0

            def drawn(d: float, step: Array = step) -> float:
                return length(state, given, ends + d * step)

            variance += (sigma * slope(drawn, 0.05)) ** 2
    for n in range(len(given.lengths)):
        for end_name in ("a", "b"):
            for k in range(2):

                def shifted(d: float, n: int = n, end_name: str = end_name, k: int = k) -> float:
                    lengths = list(given.lengths)
                    at = list(getattr(lengths[n], end_name))
                    at[k] += d
                    lengths[n] = lengths[n].model_copy(update={end_name: tuple(at)})
                    return length(state, given.model_copy(update={"lengths": lengths}), ends)

                variance += (sigma * slope(shifted, 0.05)) ** 2
    return metres, float(np.sqrt(variance))
