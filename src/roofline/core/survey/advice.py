"""Which edge to trace next: the one that would tighten the focal length most, by the information it would bring."""

from __future__ import annotations

import numpy as np

from roofline.core.camera import Array, bend
from roofline.core.survey.state import State
from roofline.core.survey.system import System
from roofline.model.base import FAMILIES
from roofline.model.survey import Advice, Edge, SurveyInput

PLACES = (0.12, 0.37, 0.63, 0.88)
LENGTH = 0.22  # of the picture's diagonal
WORTH = 0.98  # an edge that leaves more of the sigma than this is not worth the hand
ROWS = ("top", "upper", "lower", "bottom")
COLUMNS = ("left", "left of the middle", "right of the middle", "right")


def candidates(system: System, state: State, i: int) -> list[Edge]:
    """Edges of every direction through a grid of places, running towards their vanishing points, as taken."""
    given, lens = system.photos[i], state.lens[i]
    vanishing = system.vanishing(state, i)
    half = 0.5 * LENGTH * system.diagonal[i]
    out: list[Edge] = []
    for family, v in zip(FAMILIES, vanishing, strict=False):
        for y in PLACES:
            for x in PLACES:
                middle = np.array([x * given.width, y * given.height])
                to = v[:2] - middle * v[2]
                size = float(np.linalg.norm(to))
                if size < 1e-9:
                    continue
                reach = np.linspace(-half, half, 3)
                p = middle + reach[:, None] * to / size
                inside = (p >= 0).all(1) & (p <= [given.width, given.height]).all(1)
                crossed = abs(v[2]) > 1e-12 and np.linalg.norm(v[:2] / v[2] - middle) < half
                if not inside.all() or crossed:
                    continue
                bent = bend((p - lens.centre) / lens.focal, lens.bend) * lens.focal + lens.centre
                out.append(Edge(family=family, points=[(float(a), float(b)) for a, b in bent]))
    return out


def advise(system: System, state: State, full: Array, i: int, spread: float = 1.0) -> list[Advice]:
    """The edges worth most for the focal length of photo i, best first, one for each direction.

    ``full`` is the system's full information at the solution. The information that an edge would bring is JᵀJ of its
    residuals at the solution; the sigma after it follows from the sum of both. Edges are taken to be LENGTH of the
    diagonal long and as exact as stated.
    """
    edges = candidates(system, state, i)
    at = system.slices[f"focal{system.lens_of[i]}"].start
    if not edges:
        return []
    given = system.photos[i]
    probe = System(
        [SurveyInput.model_validate({**given.model_dump(), "edges": [e.model_dump() for e in edges], "horizon": None})]
    )
    alone = State([state.rotation[i]], [np.array([0.0, 1.0, 0.0])], [state.lens[i]])
    rows = probe.jacobian(alone, hidden=True)
    # the probe's columns in the whole system's order
    wide = np.zeros((len(probe.edges[0].owner), len(full)))
    places = {**system.slices, **system.hidden}
    for name, columns in {**probe.slices, **probe.hidden}.items():
        kind = name.rstrip("0123456789")
        mine = f"{kind}{i}" if kind == "rotation" else f"{kind}{system.lens_of[i]}"
        wide[:, places[mine]] = rows[: len(wide), columns]
    focal = state.lens[i].focal

    # what rows A take from the variance of an unknown, P being the covariance: gᵀ (1 + A P Aᵀ)⁻¹ g with g =
    # A P's column
    covariance = np.linalg.pinv(full)
    now = spread * focal * float(np.sqrt(max(covariance[at, at], 0.0)))

    def then(rows: Array) -> float:
        g = rows @ covariance[:, at]
        taken = float(g @ np.linalg.solve(np.eye(len(rows)) + rows @ covariance @ rows.T, g))
        return spread * focal * float(np.sqrt(max(covariance[at, at] - taken, 0.0)))

    said: list[Advice] = []
    families = [f for f in FAMILIES for e in edges if e.family == f]  # `candidates` come by direction
    for n, edge in enumerate(edges):
        mine_rows = wide[probe.edges[0].owner == n]
        x, y = edge.points[1]
        row, column = (int(np.argmin([abs(v - p) for p in PLACES])) for v in (y / given.height, x / given.width))
        where = f"{ROWS[row]} {COLUMNS[column]}"
        said.append(
            Advice(
                family=families[n],
                centre=(x, y),
                where=where,
                focal_sigma_now=now,
                focal_sigma_then=then(mine_rows),
            )
        )
    said.sort(key=lambda a: a.focal_sigma_then)
    best = [min((a for a in said if a.family == f), key=lambda a: a.focal_sigma_then, default=None) for f in FAMILIES]
    worth = [a for a in best if a is not None and a.focal_sigma_then < WORTH * now]
    return sorted(worth, key=lambda a: a.focal_sigma_then)
