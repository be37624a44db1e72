"""Whether the edges bear what is assumed of the lens: that it is centred, and does not bend."""

from __future__ import annotations

import numpy as np

from roofline.core.camera import Array
from roofline.core.survey.spread import spread_of
from roofline.core.survey.state import State
from roofline.core.survey.system import System
from roofline.errors import SurveyError
from roofline.model.survey import SurveyInput

SURE = 3.3  # sigmas from what is assumed before it is said
OFF = 0.01  # of the diagonal: a principal point nearer to the centre than that is not worth a word
BENT = 1.5  # px that a bend moves the picture's corners: less is not worth a word


def _freed(given: SurveyInput, state: State, **what: str) -> tuple[State, Array, System] | None:
    """The solution with something of the lens solved for, and the covariance; None where the edges cannot tell."""
    system = System([given.model_copy(update=what)])
    if len(given.edges) < system.size + 2:
        return None
    try:
        found, weight = system.robust(state, wide=False)
        covariance = np.linalg.inv(system.information(found, weight)) * spread_of(system, found, weight) ** 2
        return found, np.asarray(covariance, dtype=np.float64), system
    except (np.linalg.LinAlgError, SurveyError):
        return None


def contradicted(given: SurveyInput, state: State) -> list[str]:
    """Sentences on assumptions that the edges contradict beyond chance, from the solution that rests on them."""
    out = []
    diagonal = float(np.hypot(given.width, given.height))
    if given.principal_point == "centre" and (freed := _freed(given, state, principal_point="solve")):
        found, covariance, system = freed
        at = system.slices["centre0"]
        off = found.lens[0].centre - [given.width / 2, given.height / 2]
        sigmas = float(np.sqrt(off @ np.linalg.solve(covariance[at, at], off)))
        if sigmas > SURE and np.linalg.norm(off) > OFF * diagonal:
            s = np.sqrt(np.diag(covariance[at, at]))
            out.append(
                "The edges contradict a principal point in the picture's centre: they put it "
                f"{off[0]:+.0f} ± {s[0]:.0f} px across and {off[1]:+.0f} ± {s[1]:.0f} px down of it. Has the picture "
                "been cropped? Let it be solved."
            )
    if given.distortion == "none" and (freed := _freed(given, state, distortion="solve")):
        found, covariance, system = freed
        at = system.slices["bend0"]
        bends = found.lens[0].bend[:2]
        sigmas = float(np.sqrt(bends @ np.linalg.solve(covariance[at, at], bends)))
        r2 = (diagonal / 2 / found.lens[0].focal) ** 2
        moved = abs(bends[0] * r2 + bends[1] * r2**2) * diagonal / 2
        if sigmas > SURE and moved > BENT:
            out.append(
                f"The edges contradict a lens that does not bend: corners of the picture would be {moved:.0f} px off. "
                "Let distortion be solved."
            )
    return out
