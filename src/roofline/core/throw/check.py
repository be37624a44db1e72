"""Checking a move: the verdicts' shares of every frame, what holds, and what is at fault."""

from __future__ import annotations

from collections.abc import Callable, Iterable

import numpy as np

from roofline.core.camera import View
from roofline.core.throw.engine import Engine
from roofline.core.throw.measure import tally
from roofline.shot import VERDICTS, Cause, CheckReport, FrameReport, Limits

CAUSES = 8


def check_frame(engine: Engine, view: View, frame: int, limits: Limits) -> FrameReport:
    """Shares (percent of the frame), worst measures (99.9th percentile) and causes of one frame."""
    s = engine.scene
    got = engine.measure(view)
    counts = np.bincount(got.verdict.ravel(), minlength=6)
    percent = dict(zip(VERDICTS, (counts * (100.0 / got.verdict.size)).tolist(), strict=True))
    thrown = got.pair >= 0
    stretch = magnification = 0.0
    if thrown.any():
        stretch = float(np.percentile(got.stretch[thrown], 99.9))
        magnification = float(np.percentile(got.magnification[thrown], 99.9))
    by = tally(got.face, got.verdict, got.pair, s.pair_plate, len(s.names), len(s.plates))
    causes = [
        Cause(
            surface=s.names[f],
            plate=s.plates[p].id if p < len(s.plates) else None,
            verdict=VERDICTS[v],
            percent=100.0 * int(by[f, p, v]) / got.verdict.size,
        )
        for f, p, v in zip(*np.nonzero(by), strict=True)
        if v > 0
    ]
    causes.sort(key=lambda c: -c.percent)
    gap = percent["void"] + percent["bare"] + percent["spilled"]
    strain = percent["smeared"] + percent["soft"]
    return FrameReport(
        frame=frame,
        holds=gap <= limits.gap_percent and strain <= limits.strain_percent,
        **percent,
        worst_stretch=stretch,
        worst_magnification=magnification,
        causes=causes[:CAUSES],
    )


def check(
    engine: Engine, views: Iterable[tuple[int, View]], limits: Limits, told: Callable[[int], None] | None = None
) -> CheckReport:
    """Check frames, given as (frame, view). ``told`` is called with the number of frames done."""
    frames = []
    for done, (frame, view) in enumerate(views, 1):
        frames.append(check_frame(engine, view, frame, limits))
        if told:
            told(done)
    return CheckReport(holds=all(f.holds for f in frames), frames=frames)
