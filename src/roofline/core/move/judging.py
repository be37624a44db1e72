"""Whether frames hold: small first, and larger where that leaves it open, so that a frame has one answer."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import Array, View
from roofline.core.moment import Moment
from roofline.core.throw.check import check_frame, counts_of, report_on
from roofline.core.throw.engine import Engine, Measures, limits_of
from roofline.model.move import Limits
from roofline.model.reports import CheckSoFar, FrameReport

#: pixels across at which a frame is judged before it is at its delivered size, and how many times that is at least
SMALL = ((320, 1.5), (960, 3.0))
TURN = float(np.arctan(((5**0.5 - 1) / 2) ** 3))  # radians by which small grids are turned

# Three standard errors of a count of pixels on a turned grid, against the delivered one: measured on some thousand
# frames of random sets (tests/core/sets.py); the second part is the delivered grid's own.
LATTICE, ROUNDED = 0.1, 0.33  # of the border's pixels
SINGLE = 1.5  # of pixels that stand alone: parts thinner than a pixel
LEAST = 4.0  # pixels
SURE = 3.0  # standard errors beyond which a frame is told


def sizes(width: int) -> list[int]:
    """The widths in pixels at which a frame is judged, one after the other: the last is the delivered one."""
    return [w for w, finer in SMALL if width >= finer * w] + [width]


@lru_cache(maxsize=32)
def _turned_grid(
    width: int, height: int, centre: tuple[float, float]
) -> tuple[Array, tuple[int, int], tuple[float, float], NDArray[np.bool_]]:
    """A grid of unit pixels over a frame, turned about its centre: the rotation (3, 3), the size and the centre of
    the box that holds the frame, and which of the box's pixels (H, W) lie in it."""
    cos, sin = np.cos(TURN), np.sin(TURN)
    turn = np.array([[cos, -sin, 0.0], [sin, cos, 0.0], [0.0, 0.0, 1.0]])
    corners = np.array([[0, 0], [width, 0], [0, height], [width, height]]) - np.array(centre)
    box = corners @ turn[:2, :2].T
    low = box.min(axis=0)
    w, h = np.ceil(box.max(axis=0) - low).astype(int).tolist()
    y, x = np.mgrid[0:h, 0:w] + 0.5
    at = np.stack([x + low[0], y + low[1]], axis=-1) @ turn[:2, :2] + np.array(centre)
    inside = np.all((at >= 0) & (at < [width, height]), axis=-1)
    return turn, (w, h), (-float(low[0]), -float(low[1])), inside


def turned(view: View) -> tuple[View, NDArray[np.bool_]]:
    """A view on a grid of the same fineness, turned about its axis, and which of its pixels (H, W) lie in the frame.

    Posts, walls and horizons are upright or level in most frames, and so are the slivers that a move uncovers beside
    them: an upright grid meets such a sliver with a whole column of pixels or with none, whatever its width; a turned
    one with as many as it has area (Kuipers and Niederreiter, Uniform Distribution of Sequences, 1974).
    """
    turn, (w, h), centre, inside = _turned_grid(view.width, view.height, view.centre)
    return View(w, h, view.focal, centre, turn @ view.rotation, view.position, view.unit), inside


def _uncertain(bad: NDArray[np.bool_], inside: NDArray[np.bool_], finer: float) -> float:
    """Three standard errors of a count of pixels; ``finer``: delivered pixels along one of the grid."""
    across = (bad[:, 1:] != bad[:, :-1]) & inside[:, 1:] & inside[:, :-1]
    down = (bad[1:] != bad[:-1]) & inside[1:] & inside[:-1]
    border = int(across.sum() + down.sum())
    mine = np.pad(bad & inside, 1)
    beside = mine[1:-1, :-2] | mine[1:-1, 2:] | mine[:-2, 1:-1] | mine[2:, 1:-1]
    alone = int((mine[1:-1, 1:-1] & ~beside).sum())
    return (LATTICE + ROUNDED / finer) * border + SINGLE * alone + LEAST


def _gap_and_strain(verdict: NDArray[np.uint8]) -> tuple[float, float]:
    """Percent of some pixels that is gap, and strain, added up as a report does."""
    _, soft, smeared, spilled, bare, void = (counts_of(verdict) * (100.0 / verdict.size)).tolist()
    return void + bare + spilled, smeared + soft


@dataclass(frozen=True)
class Look:
    """A frame as it was looked at on one grid.

    ``sure``: whether what it says of the frame holding is what the delivered size will say; ``near``: how far from a
    limit it lies, in standard errors: up to SURE it is open.
    """

    report: FrameReport
    sure: bool
    near: float


class Judge:
    """Judges the frames of one set by some limits."""

    def __init__(self, engine: Engine, limits: Limits):
        self.engine, self.limits = engine, limits
        self.faces = limits_of(engine.geometry, limits)

    def look(self, moment: Moment, width: int) -> Look:
        """Judge a moment, given at its delivered size, so many pixels across."""
        full = moment.view.width
        if width >= full:
            return Look(check_frame(self.engine, moment, self.limits, self.faces), True, np.inf)
        got, inside = self._turned(moment, width)
        flat = Measures(*(np.ascontiguousarray(np.asarray(part)[inside][None]) for part in vars(got).values()))
        report = report_on(self.engine, int(moment.frame), flat, self.limits)
        near = self._near(np.asarray(got.verdict), inside, (report.gap, report.strain), full / width)
        return Look(report, near > SURE, near)

    def shares(self, moment: Moment, width: int) -> tuple[float, float, float]:
        """Percent of a moment, given at its delivered size, that is gap and strain, and how near to a limit: see
        `Look`."""
        full = moment.view.width
        if width >= full:
            return (*_gap_and_strain(self.engine.measure(moment, self.faces).verdict), np.inf)
        got, inside = self._turned(moment, width)
        verdict = np.asarray(got.verdict)
        gap, strain = _gap_and_strain(verdict[inside])
        return gap, strain, self._near(verdict, inside, (gap, strain), full / width)

    def within(self, gap: float, strain: float) -> bool:
        """Whether percents of gap and strain are within the limits."""
        return gap <= self.limits.gap_percent and strain <= self.limits.strain_percent

    def _turned(self, moment: Moment, width: int) -> tuple[Measures, NDArray[np.bool_]]:
        view, inside = turned(moment.across(width).view)
        return self.engine.measure(moment.seen(view), self.faces), inside

    def _near(self, verdict: NDArray, inside: NDArray[np.bool_], percents: tuple[float, float], finer: float) -> float:
        """How far from a limit, in standard errors: from the farther of those that are gone beyond, if that is sure;
        else from the nearer one."""
        far, beyond = [], []
        limits = self.limits.gap_percent, self.limits.strain_percent
        kinds = verdict >= 3, (verdict == 1) | (verdict == 2)
        for bad, percent, limit in zip(kinds, percents, limits, strict=True):
            error = 100.0 / int(inside.sum()) * _uncertain(bad, inside, finer) / SURE
            far.append(abs(percent - limit) / error)
            if percent > limit:
                beyond.append(far[-1])
        return max(beyond) if beyond and max(beyond) > SURE else min(far)

    def settled(self, moment: Moment, above: int = 0) -> FrameReport:
        """Judge a moment, given at its delivered size, as small as leaves nothing open, more than so many pixels
        across."""
        widths = [w for w in sizes(moment.view.width) if w > above]
        return next(look.report for w in widths if (look := self.look(moment, w)).sure)

    def failing(self, moments: Sequence[Moment], order: list[int]) -> FrameReport | None:
        """The first of some moments that does not hold; all small before any larger. It comes first in the order, which
        is changed, from then on.

        ``moments``: at their delivered size; ``order``: numbers of those that are looked at.
        """
        left = list(order)
        for width in sizes(moments[0].view.width) if left else []:
            open_: list[tuple[float, int]] = []
            for n in left:
                gap, strain, near = self.shares(moments[n], width)
                holds = self.within(gap, strain)
                if near > SURE and not holds:
                    order.remove(n)
                    order.insert(0, n)
                    return self.look(moments[n], width).report
                if near <= SURE:
                    open_.append((near if holds else -near, n))
            left = [n for _, n in sorted(open_)]  # those that lie farthest beyond a limit first
        return None


@dataclass
class Checking:
    """A check under way: reports frame by frame, and which frames are open."""

    frames: list[FrameReport]
    near: dict[int, float]  # of open frames, by their place, how near to a limit

    @property
    def report(self) -> CheckSoFar:
        open_ = sorted(self.frames[n].frame for n in self.near)
        return CheckSoFar(holds=not open_ and all(f.holds for f in self.frames), frames=list(self.frames), open=open_)

    def next(self) -> int:
        """The place of the open frame that is looked at next: beside the border between frames that hold and frames
        that do not, as far as it is known; else the nearest to a limit."""
        beside = [n for run in self._runs() if self._between(run) for n in (run[0], run[-1])]
        return min(beside or self.near, key=lambda n: (self.near[n], n))

    def _runs(self) -> list[list[int]]:
        """Places of open frames that follow one another."""
        runs: list[list[int]] = []
        for n in sorted(self.near):
            if runs and runs[-1][-1] == n - 1:
                runs[-1].append(n)
            else:
                runs.append([n])
        return runs

    def _between(self, run: list[int]) -> bool:
        """Whether the frames before and after a run are known, and told otherwise."""
        before, after = run[0] - 1, run[-1] + 1
        return before >= 0 and after < len(self.frames) and self.frames[before].holds != self.frames[after].holds


def looked_small(judge: Judge, moments: Sequence[Moment], told: Callable[[int], None] = lambda done: None) -> Checking:
    """All moments, given at their delivered size, judged small; those that this leaves open are named."""
    frames, near = [], {}
    for n, moment in enumerate(moments):
        look = judge.look(moment, sizes(moment.view.width)[0])
        frames.append(look.report)
        if not look.sure:
            near[n] = look.near
        told(n + 1)
    return Checking(frames, near)


def settle_next(judge: Judge, moments: Sequence[Moment], under_way: Checking) -> None:
    """Judge one open frame of a check as large as it needs."""
    n = under_way.next()
    under_way.frames[n] = judge.settled(moments[n], SMALL[0][0])
    del under_way.near[n]


def checked(judge: Judge, moments: Sequence[Moment], told: Callable[[int], None] = lambda done: None) -> CheckSoFar:
    """All moments, given at their delivered size, judged until none is open."""
    under_way = looked_small(judge, moments, told)
    while under_way.near:
        settle_next(judge, moments, under_way)
        told(len(moments) - len(under_way.near))
    return under_way.report
