"""Checking a move: the verdicts' shares of every frame, what holds, and what is at fault."""

from __future__ import annotations

from collections.abc import Callable, Iterable

import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import Array
from roofline.core.moment import Moment
from roofline.core.throw.engine import Engine, Measures, limits_of
from roofline.core.throw.measure import tally
from roofline.model.base import VERDICTS
from roofline.model.move import Limits
from roofline.model.reports import Cause, CheckReport, FrameReport

CAUSES = 8
GAPS, STRAINS = ("bare", "void", "spilled"), ("smeared", "soft")


def counts_of(verdict: NDArray[np.uint8]) -> Array:
    """Pixels of each verdict, (6,); a count of each takes half as long as `numpy.bincount`, which converts first."""
    return np.array([np.count_nonzero(verdict == kind) for kind in range(len(VERDICTS))], dtype=np.float64)


def _highest(values: NDArray[np.float32]) -> float:
    """The 99.9th percentile (N,), as `numpy.percentile` has it, in a third of its time."""
    at = 0.999 * (len(values) - 1)
    low = int(at)
    found = np.partition(values, [low, min(low + 1, len(values) - 1)])[low : low + 2].astype(np.float64)
    return float(found[0] + (at - low) * (found[-1] - found[0]))


def check_frame(engine: Engine, moment: Moment, limits: Limits, faces: Array | None = None) -> FrameReport:
    """Shares (percent of the frame), worst measures (99.9th percentile) and causes of one frame.

    ``faces``: the limits of each face, see `limits_of`; handed over by those who check many frames.
    """
    got = engine.measure(moment, limits_of(engine.geometry, limits) if faces is None else faces)
    return report_on(engine, int(moment.frame), got, limits)


def report_on(engine: Engine, frame: int, got: Measures, limits: Limits) -> FrameReport:
    """What measures of a frame say, each pixel counted alike."""
    t, names = engine.throws, engine.geometry.names
    percent = dict(zip(VERDICTS, (counts_of(got.verdict) * (100.0 / got.verdict.size)).tolist(), strict=True))
    thrown = got.pair >= 0
    stretch = magnification = 0.0
    if thrown.any():
        stretch, magnification = _highest(got.stretch[thrown]), _highest(got.magnification[thrown])
    by = tally(got.face, got.verdict, got.pair, t.pair_plate, len(names), len(t.plates))
    causes = [
        Cause(
            surface=names[f],
            plate=t.plates[p] if p < len(t.plates) else None,
            verdict=VERDICTS[v],
            percent=100.0 * int(by[f, p, v]) / got.verdict.size,
        )
        for f, p, v in zip(*np.nonzero(by), strict=True)
        if v > 0
    ]
    causes.sort(key=lambda c: -c.percent)
    told = causes[:CAUSES]
    for kinds in (GAPS, STRAINS):  # a little that is missing may be what a frame fails by, beside much that is strained
        if not any(c.verdict in kinds for c in told):
            told += [c for c in causes if c.verdict in kinds][:1]
    gap = percent["void"] + percent["bare"] + percent["spilled"]
    strain = percent["smeared"] + percent["soft"]
    return FrameReport(
        frame=frame,
        holds=gap <= limits.gap_percent and strain <= limits.strain_percent,
        **percent,
        worst_stretch=stretch,
        worst_magnification=magnification,
        causes=told,
    )


def check(
    engine: Engine, moments: Iterable[Moment], limits: Limits, told: Callable[[int], None] | None = None
) -> CheckReport:
    """Check frames. ``told`` is called with the number of frames done."""
    frames, faces = [], limits_of(engine.geometry, limits)
    for done, moment in enumerate(moments, 1):
        frames.append(check_frame(engine, moment, limits, faces))
        if told:
            told(done)
    return CheckReport(holds=all(f.holds for f in frames), frames=frames)
