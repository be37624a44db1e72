"""Six ways out of a move that does not hold, beside one another; one of them applied."""

from __future__ import annotations

from typing import Any

from roofline.core.move.findings import worst_of
from roofline.core.move.judging import Judge, checked
from roofline.core.move.path import moments
from roofline.errors import Conflict, NotFound
from roofline.model.base import Model
from roofline.model.reports import CheckSoFar
from roofline.model.shot import Shot
from roofline.stages import move
from roofline.store.orders import Order
from roofline.work.desk import Desk
from roofline.work.jobs import Job, Tell
from roofline.work.ways import Kind, Way, Ways, ways_out

LABELS: dict[Kind, str] = {
    "part": "Bring back the move",
    "lens": "Pull the focal length in",
    "path": "Set the path off",
    "paint": "Fill what the move shows bare",
    "extend": "Extend ground and backdrop",
    "limit": "Raise limits",
}


class WayState(Model):
    kind: Kind
    holds: bool
    cost: dict[str, Any]
    why: str
    can_apply: bool


class WaysState(Model):
    """The ways out of the move as it stands; null when they have not been looked for."""

    fraction: float | None
    ways: list[WayState] | None


def order(desk: Desk, shot_id: str) -> Job:
    """Order all ways out to be worked out."""
    return desk.order(shot_id, "ways", "Ways out")


def run(desk: Desk, order: Order, tell: Tell) -> dict[str, Any]:
    shot = desk.store.load(order.shot)
    found = ways_out(desk.engines, shot, tell)
    desk.kept.put("ways", move.report_key(desk, shot), found)
    return {"fraction": found.fraction, "ways": [w.kind for w in found.ways if w.holds]}


def _found(desk: Desk, shot: Shot) -> Ways | None:
    found: Ways | None = desk.kept.peek("ways", move.report_key(desk, shot))
    return found


def state(desk: Desk, shot: Shot) -> WaysState:
    """What has been found for this very move."""
    found = _found(desk, shot)
    if found is None:
        return WaysState(fraction=None, ways=None)
    told = [
        WayState(kind=w.kind, holds=w.holds, cost=w.cost, why=w.why, can_apply=w.shot is not None) for w in found.ways
    ]
    return WaysState(fraction=found.fraction, ways=told)


class Judged(Model):
    """Whether a frame of a move holds."""

    frame: int
    holds: bool


class WayStrip(Model):
    """A move as it is, and as a way out has it, frame by frame; the frame that is worst as it is."""

    before: list[Judged]
    after: list[Judged]
    worst: int


def _way(desk: Desk, shot: Shot, kind: str) -> tuple[Way, Shot]:
    """A way out of the move as it stands, and the shot as it has it. Raises NotFound and Conflict."""
    found = _found(desk, shot)
    way = next((w for w in found.ways if w.kind == kind), None) if found else None
    if way is None:
        raise NotFound("The ways out have been worked out for another move: look for them again.")
    if way.shot is None:
        raise Conflict(way.why or "That way cannot be gone.")
    return way, way.shot


def _judged(desk: Desk, shot: Shot) -> CheckSoFar:
    """Every frame, judged until none is open; the check of that very move where it has been made."""
    report = move.report_of(desk, shot)
    if report is not None and not report.open:
        return report
    key = move.report_key(desk, shot)
    return desk.kept.get("strip", key, lambda: checked(Judge(desk.engine(shot), shot.limits), moments(shot)))


def strip(desk: Desk, shot: Shot, kind: str) -> WayStrip:
    """What a way out does to every frame."""
    _, after = _way(desk, shot, kind)
    before, then = _judged(desk, shot), _judged(desk, after)
    failing = [f for f in before.frames if not f.holds]
    return WayStrip(
        before=[Judged(frame=f.frame, holds=f.holds) for f in before.frames],
        after=[Judged(frame=f.frame, holds=f.holds) for f in then.frames],
        worst=worst_of(failing or before.frames).frame,
    )


def picture(desk: Desk, shot: Shot, kind: str, frame: int, width: int) -> bytes:
    """A frame as it would be delivered if a way out were taken, smaller, as PNG."""
    return move.picture(desk, _way(desk, shot, kind)[1], frame, width)


def apply(desk: Desk, shot_id: str, kind: str) -> None:
    """Make the shot as a way out has it, as one step; raises Conflict when the shot has changed since."""
    shot = desk.store.load(shot_id)
    way, after = _way(desk, shot, kind)
    key = move.report_key(desk, shot)

    def alter(now: Shot) -> Shot:
        if move.report_key(desk, now) != key:
            raise Conflict("The move has changed meanwhile: look for ways out again.")
        same = ("move", "plates", "throws", "limits", "solids")
        return now.model_copy(update={what: getattr(after, what) for what in same})

    desk.store.change(shot_id, LABELS[way.kind], alter)
