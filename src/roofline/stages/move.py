"""The Move stage: keys and limits set, the move checked, looked at and brought back."""

from __future__ import annotations

import contextlib
import time
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from roofline.core.moment import Moment, Pose
from roofline.core.move.bring_back import applied, bring_back
from roofline.core.move.findings import Finding, findings, home_findings, sets_the_border
from roofline.core.move.home import home_moment, home_report, photo_alone
from roofline.core.move.judging import Checking, Judge, looked_small, settle_next, sizes
from roofline.core.move.motion import poses_at
from roofline.core.move.path import moment_at, moments, shot_path, view_of_key
from roofline.core.move.standing import margin_of
from roofline.core.throw.engine import limits_of
from roofline.errors import Conflict, MoveError, NotFound, RoofLineError
from roofline.formats import pictures
from roofline.model.base import Model
from roofline.model.move import Key, Limits, LimitsChange, Move
from roofline.model.plates import Throw
from roofline.model.reports import CheckSoFar, HomeReport, ProbeReport
from roofline.model.shot import Shot
from roofline.store.orders import Order
from roofline.store.store import MadeFrom
from roofline.work.desk import Desk
from roofline.work.engines import digest
from roofline.work.jobs import Job, Tell

TOLD_EVERY = 0.5  # seconds: how often frames that were open are told
HOME_WIDTH = 960
STAND_WIDTH = 320  # of the frames that are judged while a hand moves the camera
FARTHEST = 1e6  # pixels beyond the frame that a probe may be asked for
AWAY = 1e6  # metres, and pixels of focal length, that a camera may be tried at


# ---------------------------------------------------------------- set


def set_move(desk: Desk, shot_id: str, move: Move, label: str, revision: int | None) -> None:
    """Set all keys, and what else of the move is given.

    ``revision``: of the shot that they were made from, see `MadeFrom`.
    """
    made_from = MadeFrom("key", revision, "the keys")
    given = {name: getattr(move, name) for name in move.model_fields_set}

    def alter(shot: Shot) -> Shot:
        return shot.model_copy(update={"move": shot.move.model_copy(update=given)})

    desk.store.change(shot_id, label, alter, made_from)


def set_limits(desk: Desk, shot_id: str, limits: Limits, revision: int | None = None) -> None:
    """Set when a frame holds; ``revision``: of the shot that this was made from."""
    made_from = MadeFrom(None, revision)
    desk.store.change(shot_id, "Change the limits", lambda s: s.model_copy(update={"limits": limits}), made_from)


def change_limits(desk: Desk, shot_id: str, change: LimitsChange) -> None:
    """Set those limits that are given."""

    def alter(shot: Shot) -> Shot:
        shot.limits = Limits.model_validate(shot.limits.model_dump() | change.model_dump(exclude_unset=True))
        return shot

    desk.store.change(shot_id, "Change the limits", alter)


# ---------------------------------------------------------------- looked at


def moment(shot: Shot, frame: int, width: int | None = None) -> Moment:
    """The moment of a frame, at most as wide as is delivered; raises RoofLineError for one outside of the shot."""
    low, high = shot.frame_range
    if not low <= frame <= high:
        raise RoofLineError(f"The shot has frames {low} to {high}; {frame} is not among them.")
    return moment_at(shot, shot_path(shot), frame, None if width is None else min(width, shot.delivery.width))


class Footing(Model):
    """Whether a frame holds with the lens somewhere else; by how much of its limit (negative: beyond it), and what sets
    the border there. ``open``: it lies too close to a limit to be told while a hand moves it."""

    holds: bool
    open: bool
    margin: float
    says: str | None


def stand(desk: Desk, shot: Shot, key: Key) -> Footing:
    """How a frame would do with its camera where a hand is trying it; raises RoofLineError for one absurdly far off."""
    path, view = shot_path(shot), view_of_key(shot, key)
    if not np.abs([*key.position, view.focal]).max() < AWAY:
        raise RoofLineError("No camera can stand so far off.")
    there = Moment(key.frame, view, poses_at(shot, path, key.frame, view.position))
    look = Judge(desk.engine(shot), shot.limits).look(there, STAND_WIDTH)
    margin = margin_of(look.report.gap, look.report.strain, shot.limits)
    says = sets_the_border(shot, look.report) if look.sure else None
    return Footing(holds=look.report.holds, open=not look.sure, margin=margin, says=says)


def verdicts(desk: Desk, shot: Shot, frame: int, width: int) -> bytes:
    """Verdicts of a frame as a grey PNG."""
    engine = desk.engine(shot)
    got = engine.measure(moment(shot, frame, width), limits_of(engine.geometry, shot.limits))
    return pictures.png(got.verdict, 1)


def giving(desk: Desk, shot: Shot, frame: int, width: int) -> bytes:
    """The number of the plate that gives each pixel, from 1 on in the shot's order, 0 for none, as a grey PNG."""
    engine = desk.engine(shot)
    got, numbers = engine.measure(moment(shot, frame, width)), [p.id for p in shot.plates]
    of_plate = np.array([numbers.index(p) + 1 for p in engine.throws.plates] or [0])
    of_pair = of_plate[engine.throws.pair_plate] if len(engine.throws.pair_plate) else np.zeros(1, int)
    return pictures.png(np.where(got.pair >= 0, of_pair[np.maximum(got.pair, 0)], 0).clip(0, 255).astype(np.uint8), 1)


def thrown_so(shot: Shot, only: str | None, on: str | None, without: str | None) -> tuple[Shot, set[str]]:
    """The shot with one plate's throws alone, on one of its targets if `on` is given; or without a plate's throws.

    Also the ids of flats that are to be clear: what was thrown on them still shapes what they hide from other plates,
    and without it they would stand there as black rectangles. Raises NotFound for a plate that is not there, or a
    target that it is not thrown on.
    """
    for plate in filter(None, (only, without)):
        if plate not in {p.id for p in shot.plates}:
            raise NotFound(f"There is no plate '{plate}'.")

    def shown(t: Throw) -> list[str]:
        if only is not None and t.plate != only or without is not None and t.plate == without:
            return []
        return [x for x in t.targets if on is None or x == on]

    seen = {target.split("/")[0] for t in shot.throws for target in shown(t)}
    if on is not None and not seen:
        raise NotFound(f"Nothing of that is thrown on '{on}'.")
    flats = {s.id for s in shot.solids if s.can_fade} - seen
    throws, clear = [], set()
    for t in shot.throws:
        shaping = [x for x in t.targets if x.split("/")[0] in flats]
        clear |= {x.split("/")[0] for x in shaping}
        targets = [*shown(t), *shaping]
        if targets:
            throws.append(t.model_copy(update={"targets": targets, "first_on": t.first_on if on is None else []}))
    return shot.model_copy(update={"throws": throws}), clear


def picture(
    desk: Desk,
    shot: Shot,
    frame: int,
    width: int,
    only: str | None = None,
    on: str | None = None,
    without: str | None = None,
) -> bytes:
    """A frame as it would be delivered, smaller, as PNG; ``only``, ``on``, ``without``: see `thrown_so`."""
    some, gone = thrown_so(shot, only or None, on or None, without or None)
    seen = moment(shot, frame, width)
    clear = {s: replace(seen.poses.get(s, Pose()), opacity=0.0) for s in gone}
    linear = desk.engine(some).picture(replace(seen, poses={**seen.poses, **clear}))
    return pictures.png((pictures.to_display(linear[..., :3]) * 255 + 0.5).astype(np.uint8), 1)


def probe(desk: Desk, shot: Shot, frame: int, x: float, y: float) -> ProbeReport:
    """A delivered pixel's whole story."""
    if not (abs(x) < FARTHEST and abs(y) < FARTHEST):
        raise RoofLineError("That pixel is far outside of the frame.")
    engine = desk.engine(shot)
    return engine.probe(moment(shot, frame), (x, y), limits_of(engine.geometry, shot.limits))


# ---------------------------------------------------------------- checked


def report_key(desk: Desk, shot: Shot) -> str:
    """Changes whenever a report could."""
    parts = [m.model_dump(mode="json") for m in (shot.move, shot.delivery, shot.limits)]
    parts += [s.motion.model_dump(mode="json") | {"of": s.id} for s in shot.solids if s.motion]
    parts += [g.model_dump(mode="json") for g in shot.groups]
    return digest(desk.engines.sight_key(shot), parts)


def report_of(desk: Desk, shot: Shot) -> CheckSoFar | None:
    """The check of this very move, if it has been made."""
    found: CheckSoFar | None = desk.kept.peek("report", report_key(desk, shot))
    return found


def checked(desk: Desk, shot: Shot) -> tuple[CheckSoFar | None, list[Finding]]:
    """The check of this very move, if it has been made, and what it says in sentences."""
    report = report_of(desk, shot)
    if report is None:
        return None, []
    home: HomeReport | None = desk.kept.peek("home", report_key(desk, shot))
    return report, [*findings(shot, report), *(home_findings(shot, home) if home else [])]


def _watch_home(desk: Desk, shot: Shot) -> None:
    """Look at how far home differs from the photo, where there is a home; kept by the key of the report."""
    key = report_key(desk, shot)
    if desk.kept.peek("home", key) is not None:
        return
    with contextlib.suppress(MoveError):
        seen = home_moment(shot, HOME_WIDTH)
        engine, alone = desk.engine(shot), desk.engine(photo_alone(shot))
        desk.kept.put("home", key, home_report(shot, engine, alone, seen))


def judged_at(desk: Desk, shot: Shot) -> int | None:
    """The width in pixels at which every frame of this very move has been judged, at least, if it has been."""
    found: int | None = desk.kept.peek("judged", report_key(desk, shot))
    return found


def order_check(desk: Desk, shot_id: str, fine: bool = False) -> Job:
    """Order a check of every frame, unless it is under way; those of an older revision are given up for it.

    ``fine``: at the delivered size, behind all else, instead of small and at once.
    """
    revision, kind = desk.store.revision(shot_id), "judge" if fine else "check"
    same = None
    for job in desk.jobs.of(shot_id):
        if job.order.kind not in ("check", "judge") or job.stop.is_set() or job.ended.is_set():
            continue
        if job.order.revision != revision:
            desk.jobs.cancel(job.order.id)
        elif job.order.kind == kind:
            same = job
    return same or desk.order(shot_id, kind, "Check at full size" if fine else "Check")


def run_check(desk: Desk, order: Order, tell: Tell) -> dict[str, Any]:
    """Judge all frames small, then those that this leaves open as large as they need; or all at the delivered size,
    while nothing is being delivered. The report is kept and found by `report_of`, while frames are open as well."""
    shot, revision = desk.store.load_with_revision(order.shot)
    key, frames = report_key(desk, shot), moments(shot)
    judge = Judge(desk.engine(shot), shot.limits)

    def keep(report: CheckSoFar, width: int) -> None:
        if (judged_at(desk, shot) or 0) <= width:  # a finer one may have come first
            desk.kept.put("report", key, report)
            desk.kept.put("judged", key, width)
        figure, problem = telling(shot, report_of(desk, shot))
        line = {"stage": "move", "figure": figure, "problem": problem}
        desk.news.tell(order.shot, "rail", {"revision": revision, "line": line})

    found = report_of(desk, shot)
    if found is not None and not found.open and (order.kind == "check" or judged_at(desk, shot) == shot.delivery.width):
        report = found  # made meanwhile
    elif order.kind == "judge":
        report = _at_full_size(desk, judge, frames, tell)
        keep(report, shot.delivery.width)
    else:
        report = _until_none_is_open(desk, judge, frames, key, keep, tell)
    tell(1.0, "looking at home")
    _watch_home(desk, shot)
    return {"holding": len(report.frames) - len(report.failing), "frames": len(report.frames)}


def _until_none_is_open(
    desk: Desk,
    judge: Judge,
    frames: list[Moment],
    key: str,
    keep: Callable[[CheckSoFar, int], None],
    tell: Tell,
) -> CheckSoFar:
    """A check, or the rest of one that was broken off."""
    small = sizes(frames[0].view.width)[0]
    under_way: Checking | None = desk.kept.peek("checking", key)
    if under_way is None:

        def told(done: int) -> None:
            tell(done / (2 * len(frames)), f"frame {done} of {len(frames)}")

        under_way = looked_small(judge, frames, told)
        desk.kept.put("checking", key, under_way)
    keep(under_way.report, small)
    count, last = len(under_way.near), time.monotonic()
    while under_way.near:
        left = len(under_way.near)
        tell(1 - left / (2 * count), f"{left} frame{'s' if left > 1 else ''} close to a limit")
        settle_next(judge, frames, under_way)
        if under_way.near and time.monotonic() - last > TOLD_EVERY:
            keep(under_way.report, small)
            last = time.monotonic()
    keep(under_way.report, small)
    return under_way.report


def _at_full_size(desk: Desk, judge: Judge, frames: list[Moment], tell: Tell) -> CheckSoFar:
    """A check at the delivered size, which waits while anything is being delivered."""
    reports = []
    for done, moment in enumerate(frames, 1):
        while desk.jobs.delivering():
            tell(done / len(frames), "waiting for a delivery")
            time.sleep(0.1)
        reports.append(judge.look(moment, moment.view.width).report)
        tell(done / len(frames), f"frame {done} of {len(frames)}")
    return CheckSoFar(holds=all(f.holds for f in reports), frames=reports)


def order_bring_back(desk: Desk, shot_id: str) -> Job:
    """Order the move shrunk to the largest part that holds."""
    return desk.order(shot_id, "bring_back", "Bring back")


def run_bring_back(desk: Desk, order: Order, tell: Tell) -> dict[str, Any]:
    """Shrink the move to the largest part that holds, as one undoable change."""
    shot, revision = desk.store.load_with_revision(order.shot)
    if len(shot.move.keys) < 2:
        raise Conflict("There is no move yet: set a second key first.")
    found = bring_back(shot, desk.engine(shot), lambda done: tell(done, "looking for the largest part that holds"))
    if found.fraction < 1:
        moved = applied(shot, found).move
        set_move(desk, order.shot, moved, "Bring back the move", revision)
        desk.changed(order.shot)
    worst = found.first_failure
    return {"fraction": found.fraction, "limited_by": worst.model_dump(mode="json") if worst else None}


def telling(shot: Shot, report: CheckSoFar | None) -> tuple[str, str | None]:
    """The stage's figure, and what is wrong; ``report``: the check of this very move, if it has been made."""
    n = len(shot.move.keys)
    if n < 2:
        return f"{n} key{'s' if n != 1 else ''}", None
    if report is None:
        return f"{n} keys · not checked", None
    bad, still, frames = len(report.failing), len(report.open), len(report.frames)
    figure = f"{frames - bad - still} of {frames} frames hold" + (f" · {still} open" if still else "")
    return figure, f"{bad} do not hold" if bad else None
