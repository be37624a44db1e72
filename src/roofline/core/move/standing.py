"""Standing room: from where a frame of the move would hold, and by how much."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import Array, View
from roofline.core.moment import Moment, spread
from roofline.core.move.judging import SURE, Judge, sizes
from roofline.core.throw.engine import Engine
from roofline.core.throw.threads import CORES
from roofline.model.move import Limits

LEAST = -10.0  # a margin is not told below
SEVERAL = 9  # frames that stand for a whole move
SETTLED = 150  # looks at the delivered size that a hand waits for


@dataclass(frozen=True)
class Room:
    """N standpoints, (N, 2) run and return, or (N, 3) with rise between them, in metres; whether a frame from each
    holds, by how much of its limit, and whether that is open: it lies too close to a limit to be told."""

    positions: Array
    holds: NDArray[np.bool_]
    margin: Array
    open: NDArray[np.bool_]


def margin_of(gap: float, strain: float, limits: Limits) -> float:
    """How far percents of gap and strain stay below their limits, as a share of them; negative beyond."""
    left = []
    for limit, measured in ((limits.gap_percent, gap), (limits.strain_percent, strain)):
        if limit > 0:
            left.append((limit - measured) / limit)
        else:
            left.append(0.0 if measured <= 0 else LEAST)
    return max(min(left), LEAST)


def cells(area: tuple[float, float, float, float], step: float) -> tuple[Array, Array]:
    """Run and return of the cells of an area x0, z0, x1, z1, both ends included."""
    x0, z0, x1, z1 = area
    across, along = (np.arange(int(span / step + 1e-9) + 1, dtype=np.float64) for span in (x1 - x0, z1 - z0))
    return x0 + step * across, z0 + step * along


def several(moments: Sequence[Moment]) -> list[Moment]:
    """Some of a move's moments that stand for all of its directions."""
    return [moments[i] for i in spread(moments, SEVERAL)]


def standing(
    engine: Engine,
    moments: Sequence[Moment],
    limits: Limits,
    positions: Array,
    height: float | None,
    width: int | None = None,
) -> Room:
    """From where a frame would hold, its direction and focal length kept.

    Parameters
    ----------
    moments
        One: that frame. Several: a place holds if all of them do from there (the least margin counts).
    positions
        (N, 2) run and return, metres; or (N, 3) run, rise and return.
    height
        Of the lens above the datum in metres, where positions say none; None: as each moment has it.
    width
        Pixels across at which places are judged first (see `roofline.core.move.judging`), the moments given at their
        delivered size; what that leaves open is judged larger, up to the delivered size where SETTLED looks at most
        are left, and may else stay open. None: on the moments' own grid, nothing open.
    """
    judge = Judge(engine, limits)
    _ = engine.sight  # once, before several hands ask for it
    margin = np.full(len(positions), np.inf)
    holds, doubt = np.ones(len(positions), dtype=bool), np.zeros(len(positions), dtype=bool)
    full = moments[0].view.width
    coarse = min(width or full, full)
    finer = [w for w in sizes(full) if w > coarse]

    def look(i: int, widths: Sequence[int]) -> None:
        margins, sure = [], []
        for moment in moments:
            view = moment.view
            up = view.position[1] if height is None else height
            at = positions[i] if positions.shape[1] == 3 else np.array([positions[i, 0], up, positions[i, 1]])
            there = moment.seen(replace(view, position=at))
            for across in widths:
                gap, strain, near = judge.shares(there, across)
                if near > SURE:
                    break
            margins.append(margin_of(gap, strain, limits))
            sure.append(judge.within(gap, strain) if near > SURE else None)
        margin[i], holds[i] = min(margins), min(margins) >= 0
        doubt[i] = None in sure and False not in sure

    with ThreadPoolExecutor(CORES) as hands:
        list(hands.map(lambda i: look(i, [coarse, *finer[:1]]), range(len(positions))))
        left = np.flatnonzero(doubt).tolist()
        if len(left) * len(moments) <= SETTLED:
            list(hands.map(lambda i: look(i, finer), left))
    return Room(positions, holds, margin, doubt)


def over(
    engine: Engine,
    moments: Sequence[Moment],
    limits: Limits,
    area: tuple[float, float, float, float],
    step: float,
    height: float | None,
) -> Room:
    """`standing` over an area x0, z0, x1, z1, row by row from its first corner."""
    xs, zs = cells(area, step)
    grid = np.stack(np.meshgrid(xs, zs), axis=-1).reshape(-1, 2)
    return standing(engine, moments, limits, grid, height)


def upright(view: View, along: Array, heights: Array) -> Array:
    """Places (N, 3) of the upright plane through a view's lens along its heading, row by row from the lowest.

    ``along``: metres along the heading, counted from the origin of the world; ``heights``: metres of rise.
    """
    way, eye = view.heading, view.position[[0, 2]]
    grid = np.stack(np.meshgrid(along, heights), axis=-1).reshape(-1, 2)
    level = eye + (grid[:, :1] - float(eye @ way)) * way
    return np.column_stack([level[:, 0], grid[:, 1], level[:, 1]])
