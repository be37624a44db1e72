"""Ways out for a move that does not hold: each worked out, with what it costs, beside the others."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, Literal

import numpy as np

from roofline.core.camera import Array
from roofline.core.massing.kinds import Backdrop, Ground
from roofline.core.moment import spread
from roofline.core.move.bring_back import LOOKED, applied, bring_back
from roofline.core.move.judging import Judge
from roofline.core.move.paint_list import paint_list
from roofline.core.move.path import moments, resolved_keys
from roofline.core.move.standing import margin_of
from roofline.core.throw.engine import Engine, limits_of
from roofline.errors import MoveError
from roofline.model.base import VERDICTS
from roofline.model.move import Limits, SurfaceLimits
from roofline.model.reports import FrameReport
from roofline.model.shot import Shot
from roofline.work.asked import painted
from roofline.work.engines import Engines

KINDS = ("part", "lens", "path", "paint", "extend", "limit")
Kind = Literal["part", "lens", "path", "paint", "extend", "limit"]
WIDTH = 320  # pixels across the frames that are judged
LONGEST = 1.6  # times the focal length, at most
MOST_STRETCH, MOST_MAGNIFICATION = 4.0, 3.0  # up to which a limit may be raised: what can be looked at
FINEST = 1.01  # times the focal length, from one to the next that is tried
FARTHEST, NEAREST = 2.0, 0.03  # metres: the first step of a search for an offset, and the last
LARGER = 1.6  # times as large as it was, for each try of an extended ground or backdrop
ROUNDS = 24
Told = Callable[[float, str], None]


@dataclass
class Way:
    """One way out: the shot as it would be, what it costs, and whether the move holds then."""

    kind: Kind
    holds: bool
    cost: dict[str, Any]
    shot: Shot | None = None
    why: str = ""


@dataclass
class Ways:
    fraction: float
    limited_by: dict[str, Any] | None
    ways: list[Way] = field(default_factory=list)


def limiting(report: FrameReport | None) -> dict[str, Any] | None:
    """What a frame that does not hold fails by."""
    if report is None:
        return None
    cause = report.causes[0] if report.causes else None
    if cause is None:
        return {"frame": report.frame, "surface": None, "plate": None, "verdict": "void"}
    return {"frame": report.frame, "surface": cause.surface, "plate": cause.plate, "verdict": cause.verdict}


class _Judge:
    """Whether a shot's move holds; frames that failed before are looked at first."""

    def __init__(self, engines: Engines):
        self.engines = engines
        self.order: list[int] = []

    def failing(self, shot: Shot, engine: Engine | None = None) -> FrameReport | None:
        """A frame that does not hold; None when all do."""
        engine, count = engine or self.engines.engine(shot), shot.delivery.frames
        if len(self.order) != count:
            self.order = list(range(count))
        return Judge(engine, shot.limits).failing(moments(shot), self.order)

    def margin(self, shot: Shot, engine: Engine, every: int) -> float:
        """The least margin over every so many frames, small."""
        frames, judge = moments(shot), Judge(engine, shot.limits)
        picked = sorted({*range(0, len(frames), every), len(frames) - 1, *self.order[:2]})
        return min(margin_of(*judge.shares(frames[n], WIDTH // 2)[:2], shot.limits) for n in picked)


def _keyed(shot: Shot, change: Callable[[Any], dict[str, Any]]) -> Shot:
    """The shot with all its keys changed; none is pinned to home any more."""
    keys = [k.model_copy(update={"home": False} | change(k)) for k in resolved_keys(shot)]
    return shot.model_copy(update={"move": shot.move.model_copy(update={"keys": keys})})


def _lens(shot: Shot, judge: _Judge, engine: Engine) -> Way:
    """The focal length pulled in by the least that holds: the frame stays within what there is."""
    factor = 1.0
    while (factor := factor * FINEST) <= LONGEST:
        tried = _keyed(shot, lambda k: {"zoom": k.zoom * factor})  # noqa: B023
        if judge.failing(tried, engine) is None:
            return Way("lens", True, {"focal_percent": 100 * (factor - 1)}, tried)
    why = f"No focal length up to {LONGEST:.1f} times as long holds."
    return Way("lens", False, {"focal_percent": 100 * (LONGEST - 1)}, None, why)


def _moved(shot: Shot, by: Array) -> Shot:
    def shifted(key: Any) -> dict[str, Any]:
        x, y, z = (float(v) for v in np.array(key.position) + by)
        return {"position": (x, y, z)}

    return _keyed(shot, shifted)


def _path(shot: Shot, judge: _Judge, engine: Engine) -> Way:
    """The whole path set off by the least that holds: a search for the best margin, then back as far as it holds."""
    every = max(1, (shot.frame_range[1] - shot.frame_range[0]) // 8)
    best, at, step = judge.margin(shot, engine, every), np.zeros(3), FARTHEST
    found = None
    for _ in range(ROUNDS):
        tries = [at + step * d for d in (*np.eye(3), *-np.eye(3))]
        margins = [judge.margin(_moved(shot, t), engine, every) for t in tries]
        top = int(np.argmax(margins))
        if margins[top] > best:
            best, at = margins[top], tries[top]
        else:
            step /= 2
        if best >= 0 and judge.failing(_moved(shot, at), engine) is None:
            found = at
            break
        if step < NEAREST:
            break
    if found is None:
        why = "No offset of the whole path was found from which it holds."
        return Way("path", False, {"offset": at.tolist(), "metres": float(np.linalg.norm(at))}, None, why)
    low, high = 0.0, 1.0  # shares of the way that fail, and that hold
    for _ in range(5):
        middle = 0.5 * (low + high)
        if judge.failing(_moved(shot, middle * found), engine) is None:
            high = middle
        else:
            low = middle
    by = high * found
    return Way("path", True, {"offset": by.tolist(), "metres": float(np.linalg.norm(by))}, _moved(shot, by))


def _paint(shot: Shot, judge: _Judge, engine: Engine) -> Way:
    """What is bare filled."""
    frames = moments(shot, width=min(480, shot.delivery.width))
    regions = paint_list(shot, engine, frames, shot.limits)
    cost = {"regions": len(regions), "pixels": sum(r.pixels for r in regions)}
    if not regions:
        return Way("paint", False, cost, None, "Nothing is bare: painting would not help.")
    tried = painted(shot, regions)
    left = judge.failing(tried)
    return Way("paint", left is None, cost, tried, "" if left is None else _left(left))


def _left(report: FrameReport) -> str:
    left = f"{report.gap:.2f} % without picture and {report.strain:.2f} % strained"
    return f"Frame {report.frame} would still have {left}."


def _extended(solid: Any, times: float) -> Any:
    """A ground so much larger about its middle; a backdrop so much wider and taller."""
    if isinstance(solid, Ground):
        return solid.model_copy(update={"size": (solid.size[0] * times, solid.size[1] * times)})
    if isinstance(solid, Backdrop):
        return solid.model_copy(update={"width": solid.width * times, "height": solid.height * times})
    return solid


def _extend(shot: Shot, judge: _Judge, engine: Engine) -> Way:
    """Ground and backdrop made larger until the set's end is not seen, and what is bare of them filled."""
    frames = moments(shot, width=min(WIDTH, shot.delivery.width))
    void = max(100.0 * (1 - engine.covered(m)) for m in frames)
    ends = [s for s in shot.solids if isinstance(s, (Ground, Backdrop))]
    if void <= 0 or not ends:
        why = "The set's end is nowhere seen." if void <= 0 else "There is no ground and no backdrop to extend."
        return Way("extend", False, {"void_percent": void, "surfaces": []}, None, why)
    times, tried = 1.0, shot
    for _ in range(6):
        times *= LARGER
        tried = shot.model_copy(update={"solids": [_extended(s, times) for s in shot.solids]})
        larger = judge.engines.engine(tried)
        if all(larger.covered(m) >= 1 - 1e-9 for m in frames):
            break
    regions = paint_list(tried, judge.engines.engine(tried), frames, tried.limits)
    tried = painted(tried, regions)
    left = judge.failing(tried)
    cost = {"void_percent": void, "surfaces": [s.id for s in ends], "times": times}
    return Way("extend", left is None, cost, tried, "" if left is None else _left(left))


def _limit(shot: Shot, judge: _Judge, engine: Engine) -> Way:
    """Limits raised where frames are strained, to what is measured there, and the limit of gaps to what is seen."""
    frames = moments(shot, width=min(WIDTH, shot.delivery.width))
    if shot.delivery.width > WIDTH:  # thin gaps are seen in large frames only
        large = moments(shot)
        frames += [large[n] for n in spread(large, LOOKED)]
    faces = limits_of(engine.geometry, shot.limits)
    most: dict[str, list[float]] = {}
    gaps = shot.limits.gap_percent
    soft, smeared = VERDICTS.index("soft"), VERDICTS.index("smeared")
    for moment in frames:
        got = engine.measure(moment, faces)
        verdict, face = np.asarray(got.verdict), np.asarray(got.face)
        strained = (verdict == soft) | (verdict == smeared)
        gaps = max(gaps, 100.0 * float((verdict >= 3).mean()))
        if strained.mean() * 100 <= shot.limits.strain_percent:
            continue
        for f in np.unique(face[strained]):
            at = strained & (face == f)
            solid = engine.geometry.solid_ids[engine.geometry.solid[f]]
            stretch, magnified = most.setdefault(solid, [shot.limits.stretch, shot.limits.magnification])
            most[solid] = [
                max(stretch, float(np.percentile(np.asarray(got.stretch)[at], 99.5))),
                max(magnified, float(np.percentile(np.asarray(got.magnification)[at], 99.5))),
            ]
    beyond = [(s, m[0], m[1]) for s, m in most.items() if m[0] > MOST_STRETCH or m[1] > MOST_MAGNIFICATION]
    if beyond:
        return Way("limit", False, {}, None, _beyond_looking(shot, beyond))
    surfaces = dict(shot.limits.surfaces)
    for solid, (stretch, magnified) in most.items():
        surfaces[solid] = SurfaceLimits(stretch=round(stretch + 0.05, 2), magnification=round(magnified + 0.05, 2))
    raised = {"surfaces": surfaces, "gap_percent": min(100.0, gaps * 1.05 if gaps > shot.limits.gap_percent else gaps)}
    limits = Limits.model_validate(shot.limits.model_dump() | raised)
    tried = shot.model_copy(update={"limits": limits})
    left = judge.failing(tried, engine)
    cost = {
        "surfaces": {k: surfaces[k].model_dump() for k in most},
        "gap_percent": limits.gap_percent,
        "was_gap_percent": shot.limits.gap_percent,
    }
    return Way("limit", left is None, cost, tried, "" if left is None else _left(left))


def _beyond_looking(shot: Shot, beyond: list[tuple[str, float, float]]) -> str:
    """Why no raised limit helps: what it would have to be cannot be looked at."""
    solid, stretch, magnified = max(beyond, key=lambda b: max(b[1] / MOST_STRETCH, b[2] / MOST_MAGNIFICATION))
    name = next(s.name for s in shot.solids if s.id == solid)
    if stretch / MOST_STRETCH >= magnified / MOST_MAGNIFICATION:
        return f"It does not help: {name} is stretched {stretch:.3g} : 1, limit {MOST_STRETCH:g}."
    return f"It does not help: {name} is enlarged {magnified:.3g} times, limit {MOST_MAGNIFICATION:g}."


def _part(shot: Shot, judge: _Judge, engine: Engine) -> tuple[Way, float, dict[str, Any] | None]:
    try:
        found = bring_back(shot, engine)
    except MoveError as error:
        return Way("part", False, {"fraction": 0.0}, None, str(error)), 0.0, limiting(judge.failing(shot, engine))
    way = Way("part", True, {"fraction": found.fraction}, applied(shot, found))
    return way, found.fraction, limiting(found.first_failure)


WAYS: dict[Kind, Callable[[Shot, _Judge, Engine], Way]] = {
    "lens": _lens,
    "path": _path,
    "paint": _paint,
    "extend": _extend,
    "limit": _limit,
}


def ways_out(engines: Engines, shot: Shot, told: Told = lambda done, what: None) -> Ways:
    """All six ways out of a move that does not hold; none when it does.

    Raises MoveError for a shot without a move.
    """
    if len(resolved_keys(shot)) < 2:
        raise MoveError("There is no move yet: set a second key first.")
    engine, judge = engines.engine(shot), _Judge(engines)
    told(0.0, "the largest part that holds")
    part, fraction, limited_by = _part(shot, judge, engine)
    found = Ways(fraction, limited_by)
    if fraction >= 1:
        return found
    found.ways.append(part)
    for n, (kind, way) in enumerate(WAYS.items(), 1):
        told(n / 6, f"another way: {kind}")
        found.ways.append(way(shot, judge, engine))
    return found
