"""What is doubtful about a photo that is joined to another's world: points left out, too few, rival standpoints."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from scipy.stats import chi2

from roofline.core.camera import Array
from roofline.core.survey.placing import Joint
from roofline.core.survey.system import System

LEFT_OUT = 0.05  # a weight below this counts as none
CHANCE = 0.05  # misses that happen less often are not taken for chance


def points_left_out(system: System, weight: Array) -> list[int]:
    """Numbers of the tied points that cannot be off by chance."""
    return [t for t in range(len(system.ties)) if weight[system.first_tie + t] < LEFT_OUT]


def _kept(system: System, joint: Joint, i: int) -> list[int]:
    gone = points_left_out(system, joint.weight)
    return [t for t, tie in enumerate(system.ties) if i in tie.seen and not tie.far and t not in gone]


def redundancy(system: System, joint: Joint, i: int) -> int:
    """How many figures more than it needs a photo's points give: a point of unknown depth gives one, one on a surface
    two, its height over the ground one; a place takes three."""
    given = sum(2 if system.ties[t].plane is not None else 1 for t in _kept(system, joint, i))
    return given + (i in system.heights) - 3


def widened(system: System, joint: Joint, i: int) -> float:
    """The factor by which a photo's own points miss more than chance allows, at least 1."""
    mine, more = _kept(system, joint, i), redundancy(system, joint, i)
    if more < 1:
        return 1.0
    squares = float(system.squares(system.residuals(joint.state))[[system.first_tie + t for t in mine]].sum())
    return float(np.sqrt(squares / more)) if chi2.sf(squares, more) < CHANCE else 1.0


def words(system: System, joint: Joint, i: int, names: Sequence[str], off: float, rivals: Sequence[Array]) -> list[str]:
    """Sentences on where a photo was taken from. ``off``: metres of its error when that is large; ``rivals``: other
    places (3,) in metres that fit within chance."""
    out = []
    gone = [names[t] for t in points_left_out(system, joint.weight) if i in system.ties[t].seen]
    few = len(_kept(system, joint, i)) < 4 or redundancy(system, joint, i) < 2
    if gone and few:
        out.append("One of this photo's points is wrong, and they are too few to tell which: click another one.")
    elif gone:
        which = " and ".join(f"'{n}'" for n in gone)
        out.append(
            f"{which} cannot be off by chance and {'are' if len(gone) > 1 else 'is'} left out: is it the same spot in "
            "both photos? Move it, or remove it."
        )
    elif few:
        out.append("The points are so few that they would hardly show if one of them were wrong: another one would.")
    for at in rivals:
        out.append(
            f"Taken from {at[0]:.1f}, {at[2]:.1f} m (along Run, Return), looking the other way, the points fit as "
            "well: a point well beside the upright line through the others decides."
        )
    if off:
        out.append(
            f"Where this photo was taken from is known to ± {off:.1f} m only: click more points, far apart in the "
            "picture and in depth."
        )
    return out
