"""How well a solution is known: the spread of its observations, and the covariance of its unknowns."""

from __future__ import annotations

import numpy as np

from roofline.core.camera import Array
from roofline.core.survey.state import State
from roofline.core.survey.system import System
from roofline.errors import SurveyError


def spread_of(system: System, state: State, weight: Array) -> float:
    """The factor by which the observations miss more than was stated, where that cannot be chance; else 1."""
    if not system.observations:
        return 1.0
    r = system.residuals(state)
    own = system.owner >= 0
    kept = weight[np.maximum(system.owner, 0)] * own
    lines = sum(len(e.family) for e in system.edges)
    free = float(kept.sum()) - float(weight[:lines].sum()) - system.size
    if free < 3:
        return 1.0
    excess = float(np.sum(kept * r**2)) / free
    return float(np.sqrt(excess)) if excess > 1 + 2.3 * np.sqrt(2 / free) else 1.0


def covariance_of(system: System, state: State, weight: Array) -> Array:
    """Covariance of the step at a solution, before any widening; raises SurveyError where it does not exist."""
    information = system.information(state, weight)
    try:
        return np.asarray(np.linalg.inv(information + 1e-12 * np.diag(np.diag(information))))
    except np.linalg.LinAlgError:
        raise SurveyError(
            "The edges do not determine the camera: add edges of another direction, in other parts of the picture."
        ) from None
