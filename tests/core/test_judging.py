"""A frame has one answer: what is told small is what the delivered size tells, and what is not is open until then."""

from __future__ import annotations

import numpy as np
import pytest
from tests.conftest import looking, photographed
from tests.core.sets import random_shot

from roofline.core.massing.kinds import Panel
from roofline.core.moment import Moment
from roofline.core.move.findings import findings
from roofline.core.move.judging import Checking, Judge, checked, looked_small, settle_next, sizes, turned
from roofline.core.move.path import moments
from roofline.core.move.standing import standing
from roofline.core.throw.check import check
from roofline.core.throw.engine import engine_of
from roofline.model.move import Limits
from roofline.model.plates import Throw
from roofline.model.reports import FrameReport


def otherwise(shot, engine) -> tuple[int, int, int]:
    """Frames that are told small, those of them that the delivered size tells otherwise, and those left open."""
    frames = moments(shot)
    under_way = looked_small(Judge(engine, shot.limits), frames)
    still = set(under_way.report.open)
    large = check(engine, frames, shot.limits)
    told = [(a, b) for a, b in zip(under_way.frames, large.frames, strict=True) if a.frame not in still]
    return len(told), sum(a.holds != b.holds for a, b in told), len(still)


@pytest.mark.parametrize("first", range(0, 40, 10))
def test_no_frame_of_forty_random_shots_is_told_otherwise_later(first):
    told = wrong = still = failing = 0
    for seed in range(1000 + first, 1010 + first):
        shot, engine = random_shot(seed)
        a, b, c = otherwise(shot, engine)
        told, wrong, still = told + a, wrong + b, still + c
        failing += sum(not f.holds for f in check(engine, moments(shot, width=96), shot.limits).frames)
    assert wrong == 0
    assert told > 120 and 0 < failing < 240  # most are told at once, and not all alike


def test_no_frame_of_the_demo_is_told_otherwise_later(demo):
    shot, engine = demo
    frames = moments(shot)
    judge = Judge(engine, shot.limits)
    under_way = looked_small(judge, frames)
    first = {f.frame: f.holds for f in under_way.frames if f.frame not in under_way.report.open}
    assert 0 < len(under_way.near) < 60
    while under_way.near:
        settle_next(judge, frames, under_way)
    large = check(engine, frames, shot.limits)
    assert [f.holds for f in under_way.frames] == [f.holds for f in large.frames]
    assert all(large.frames[n - 1].holds == held for n, held in first.items())
    assert under_way.report.holds == large.holds and under_way.report.open == []


def test_a_sliver_along_an_upright_edge_counts_by_its_area_on_a_turned_grid():
    """A slit 0.3 px of the small grid wide between two walls: upright grids meet it whole or not at all."""
    across, tall = 320, 180
    width = 0.3 * 6.0 / 320  # metres: 0.3 px at a distance of 6 m with a focal length of 320 px
    shares = []
    for shift in (0.1, 0.35, 0.6, 0.85):
        x = shift * 6.0 / 320
        walls = [
            Panel(id="a", name="A", points=[(-9, -6, -6), (x, -6, -6), (x, 9, -6), (-9, 9, -6)]),
            Panel(id="b", name="B", points=[(x + width, -6, -6), (9, -6, -6), (9, 9, -6), (x + width, 9, -6)]),
        ]
        view = looking(across, tall, 320.0, 0.0, 0.0, (0.0, 1.0, 0.0))
        shot, pictures = photographed(view, walls, [Throw(plate="plate", targets=["a", "b"])])
        engine = engine_of(shot, pictures)
        seen, inside = turned(view)
        assert inside.sum() == pytest.approx(across * tall, rel=0.003)
        gap = np.asarray(engine.measure(Moment(1, seen)).verdict) >= 3
        upright = np.asarray(engine.measure(Moment(1, view)).verdict) >= 3
        assert upright.sum() in (0, tall)
        shares.append(int((gap & inside).sum()))
    assert np.allclose(shares, 0.3 * tall, atol=3)


def report(frame: int, holds: bool) -> FrameReport:
    nothing = dict.fromkeys(("sound", "soft", "smeared", "spilled", "bare", "void"), 0.0)
    return FrameReport(frame=frame, holds=holds, worst_stretch=1, worst_magnification=1, **nothing)


def test_frames_beside_the_border_between_holding_and_not_are_judged_first():
    frames = [report(n + 1, n < 5) for n in range(10)]
    under_way = Checking(frames, {1: 0.1, 4: 2.0, 5: 1.0, 6: 2.5, 9: 0.2})
    order = []
    while under_way.near:
        order.append(under_way.next())
        del under_way.near[order[-1]]
    assert order == [4, 5, 1, 9, 6]  # once the border is known to lie between 4 and 5, the nearest to a limit
    assert Checking(frames, {}).report.failing == frames[5:]
    half = Checking(frames, {1: 0.1, 9: 0.2}).report
    assert half.open == [2, 10] and not half.holds and [f.frame for f in half.failing] == [6, 7, 8, 9]


def test_what_is_open_is_said_and_nothing_is_called_whole_meanwhile(demo):
    shot, _ = demo
    held = [report(n, True) for n in range(1, 4)]
    assert "All 3 frames hold" in findings(shot, Checking(held, {}).report)[0].text
    said = findings(shot, Checking(held, {1: 1.0}).report)
    assert len(said) == 1 and said[0].frame == 2 and "open" in said[0].text and "hold" not in said[0].text
    mixed = findings(shot, Checking([*held, report(4, False)], {0: 1.0, 1: 1.0}).report)
    assert mixed[0].text == "1 of 4 frames do not hold: 4." and "2 frames are close" in mixed[1].text


def test_small_frames_are_judged_as_they_are_and_large_ones_in_steps():
    assert sizes(400) == [400] and sizes(480) == [320, 480] and sizes(1280) == [320, 1280]
    assert sizes(1920) == [320, 1920] and sizes(3840) == [320, 960, 3840]


def test_places_that_lie_close_to_a_limit_are_open_and_the_rest_is_as_at_the_delivered_size():
    shot, engine = random_shot(1003)
    frames = moments(shot)
    limits = Limits(gap_percent=2.0, strain_percent=5.0)
    at = frames[0].view.position
    grid = np.stack(np.meshgrid(np.linspace(-1.5, 1.5, 7), np.linspace(-1.5, 1.5, 7)), -1).reshape(-1, 2) + at[[0, 2]]
    room = standing(engine, [frames[0]], limits, grid, float(at[1]), 128)
    exact = standing(engine, [frames[0]], limits, grid, float(at[1]))
    assert not exact.open.any() and (room.holds == exact.holds)[~room.open].all()
    assert 0 < exact.holds.sum() < len(grid) and room.open.sum() < len(grid) / 2


def test_a_check_settles_every_frame_and_tells_how_far_it_is():
    shot, engine = random_shot(1005)
    done: list[int] = []
    found = checked(Judge(engine, shot.limits), moments(shot), done.append)
    assert found.open == [] and found.holds == all(f.holds for f in found.frames) and done[:24] == list(range(1, 25))
