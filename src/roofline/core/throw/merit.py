"""Which throw serves each surface best over the move."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from roofline.core.camera import Array
from roofline.core.moment import Moment
from roofline.core.throw.engine import Engine, limits_of
from roofline.model.plates import Throw
from roofline.model.shot import Shot

ALIKE = 0.005  # of a surface's pixels: strain that differs by less is no reason to change an order
VERDICT = {"soft": 1, "smeared": 2, "spilled": 3, "bare": 4}


def by_merit(
    shot: Shot,
    engine_of: Callable[[Shot], Engine],
    moments: Sequence[Moment],
    told: Callable[[float], None] = lambda _: None,
) -> tuple[list[Throw], float, float]:
    """Throws that are tried first where they serve best, and the strain over some moments before and after.

    For every plate that shares a surface, the moments are measured with it tried first everywhere. A surface takes the
    one that leaves the fewest gaps on it, then the least of soft and smeared pixels, then the least stretch and
    enlargement; the order of the list where that gains nothing. As the order is a surface's own and holds for the whole
    move, no pixel changes its throw but where one ends.

    Parameters
    ----------
    engine_of
        The engine of a shot with other throws.
    moments
        Frames of the move, small.

    Returns
    -------
    The shot's throws with `Throw.first_on` set, and the percentages of pixels that are soft or smeared.
    """
    plain = [t.model_copy(update={"first_on": []}) for t in shot.throws]
    base = shot.model_copy(update={"throws": plain})
    engine = engine_of(base)
    names, shared = engine.geometry.names, sharing(engine)
    orders: list[str | None] = [None, *sorted(shared)]
    costs = []
    for n, plate in enumerate(orders):
        told(n / len(orders))
        costs.append(_cost(engine_of(_promoted(base, plate)) if plate else engine, base, moments))
    best = _best(np.stack(costs), shared, orders, engine)
    out = []
    for throw in plain:
        mine = [names[f] for f in np.flatnonzero(best >= 0) if orders[best[f]] == throw.plate]
        out.append(throw.model_copy(update={"first_on": _whole(mine, throw, names)}))
    after = _cost(engine_of(shot.model_copy(update={"throws": out})), base, moments)
    pixels = sum(m.view.width * m.view.height for m in moments)
    before = _cost(engine_of(shot), base, moments)
    return out, 100 * float(before[:, 1].sum()) / pixels, 100 * float(after[:, 1].sum()) / pixels


def sharing(engine: Engine) -> set[str]:
    """Plates that are thrown on a surface that another one is thrown on as well."""
    t = engine.throws
    out: set[str] = set()
    for f in range(len(t.pair_start) - 1):
        mine = {t.plates[p] for p in t.pair_plate[t.pair_start[f] : t.pair_start[f + 1]]}
        out |= mine if len(mine) > 1 else set()
    return out


def _promoted(shot: Shot, plate: str) -> Shot:
    throws = [t.model_copy(update={"first_on": list(t.targets)}) if t.plate == plate else t for t in shot.throws]
    return shot.model_copy(update={"throws": throws})


def _cost(engine: Engine, shot: Shot, moments: Sequence[Moment]) -> Array:
    """Of every face (F, 4), summed over moments: pixels with a gap, pixels under strain, how much they are stretched
    and enlarged (octaves), pixels."""
    faces = len(engine.geometry.names)
    limits = limits_of(engine.geometry, shot.limits)
    out = np.zeros((faces, 4))
    for moment in moments:
        got = engine.measure(moment, limits)
        seen = got.face >= 0
        face, verdict, thrown = got.face[seen], got.verdict[seen], got.pair[seen] >= 0
        octaves = np.zeros(face.shape)
        octaves[thrown] = np.log2(
            np.maximum(got.stretch[seen][thrown], 1) * np.maximum(got.magnification[seen][thrown], 1)
        )
        gap = (verdict == VERDICT["spilled"]) | (verdict == VERDICT["bare"])
        strain = (verdict == VERDICT["soft"]) | (verdict == VERDICT["smeared"])
        for column, weight in enumerate((gap, strain, octaves, np.ones(face.shape))):
            out[:, column] += np.bincount(face, weights=np.asarray(weight, float), minlength=faces)
    return out


def _best(costs: Array, shared: set[str], orders: list[str | None], engine: Engine) -> np.ndarray:
    """By face, the number of the order that serves it best; −1 where nothing is to be chosen, or the list's own."""
    t = engine.throws
    out = np.full(costs.shape[1], -1)
    for f in range(costs.shape[1]):
        mine = {t.plates[p] for p in t.pair_plate[t.pair_start[f] : t.pair_start[f + 1]]}
        pixels = costs[0, f, 3]
        if len(mine) < 2 or pixels == 0:
            continue
        best = 0
        for k, plate in enumerate(orders):
            if plate in mine and _better(costs[k, f], costs[best, f], ALIKE * pixels):
                best = k
        out[f] = best if best else -1
    return out


def _better(a: Array, b: Array, alike: float) -> bool:
    for column, least in ((0, alike), (1, alike)):
        if abs(a[column] - b[column]) > least:
            return bool(a[column] < b[column])
    return bool(a[2] < 0.95 * b[2])


def _whole(mine: list[str], throw: Throw, names: Sequence[str]) -> list[str]:
    """Faces as the solids that they make up, where all of one's are there; a target is named as the throw names it."""
    out: list[str] = []
    for name in mine:
        solid = name.partition("/")[0]
        faces = [n for n in names if n.partition("/")[0] == solid]
        out.append(solid if solid in throw.targets and set(faces) <= set(mine) else name)
    return list(dict.fromkeys(out))
