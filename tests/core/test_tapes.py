"""Tapes that are known to within an error: they count by it, and what is measured has it."""

from __future__ import annotations

import numpy as np
import pytest
from tests.conftest import looking

from roofline.core.survey.measure import measure
from roofline.core.survey.solve import solve
from roofline.errors import SurveyError
from roofline.model.survey import Edge, Length, SurveyInput

W, H = 1600, 1100
VIEW = looking(W, H, 1500, 28, -8, (3.0, 1.75, 7.0))
LINES = [
    ("run", ((-1, 0, 0), (4, 0, 0))),
    ("run", ((-1, 2, 0), (4, 2, 0))),
    ("return", ((0, 0, 2), (0, 0, -6))),
    ("return", ((4, 2, 1), (4, 2, -5))),
    ("rise", ((0, 0, 0), (0, 2, 0))),
    ("rise", ((4, 0, 0), (4, 2, 0))),
]


def at(*points):
    return [tuple(p) for p in VIEW.project(np.array(points, dtype=float)).tolist()]


def survey(*tapes: tuple[float, float, float | None]) -> SurveyInput:
    """Uprights standing at x on the ground: x, their length as typed where 1.3 m is right, and its sigma."""
    lengths = []
    for x, metres, sigma in tapes:
        foot, head = at((x, 0, 0), (x, 1.3, 0))
        lengths.append(Length(a=foot, b=head, direction="rise", metres=metres, sigma_m=sigma))
    edges = [Edge(family=f, points=at(*p)) for f, p in LINES]
    return SurveyInput(width=W, height=H, edges=edges, lengths=lengths, edge_sigma_px=0.2)


def test_a_tape_that_is_known_roughly_counts_less():
    rough = solve(survey((1.0, 1.3, 0.002), (3.0, 1.5, 0.2)))
    alike = solve(survey((1.0, 1.3, None), (3.0, 1.5, None)))
    assert rough.camera.position[1] == pytest.approx(1.75, rel=0.005)
    assert alike.camera.position[1] == pytest.approx(1.75 * (1.5 / 1.3) ** 0.5, rel=1e-4)
    assert any("disagree" in w for w in alike.warnings) and not any("disagree" in w for w in rough.warnings)


def test_what_lies_within_its_sigma_is_no_contradiction():
    far = (1.0, 1.3, 0.01), (3.0, 2.0, 0.5)
    assert solve(survey(*far)).camera.position[1] == pytest.approx(1.75, rel=0.01)
    with pytest.raises(SurveyError, match="contradict each other: by the others, tape 2"):
        solve(survey(far[0], (3.0, 2.0, 0.05)))
    with pytest.raises(SurveyError, match="contradict each other"):
        solve(survey((1.0, 1.3, None), (3.0, 2.0, None)))
    # one that is known exactly is followed; what is rough beside it may be off by as much as it says, and no more
    assert solve(survey((1.0, 1.3, None), far[1])).camera.position[1] == pytest.approx(1.75, rel=0.005)
    with pytest.raises(SurveyError, match="by the others, tape 2"):
        solve(survey((1.0, 1.3, None), (3.0, 2.0, 0.05)))


def test_what_is_measured_has_the_tapes_error():
    """The scale hangs on one tape: a length has its relative sigma, beside what clicks and the camera add."""
    a, b = at((0.5, 0, 1.0), (3.5, 0, 1.0))
    exact, known = survey((1.0, 1.3, None)), survey((1.0, 1.3, 0.052))
    metres, sure = measure(exact, solve(exact), "ground", a, b)
    same, sigma = measure(known, solve(known), "ground", a, b)
    assert metres == pytest.approx(3, abs=1e-3) and same == pytest.approx(metres)
    assert sigma**2 - sure**2 == pytest.approx((3 * 0.052 / 1.3) ** 2, rel=1e-3)


@pytest.mark.slow
def test_the_stated_sigma_holds_over_many_tapes():
    """Typed lengths that are off by what is said of them: the truth lies within two sigma as often as it should."""
    rng, inside = np.random.default_rng(8), 0
    a, b = at((0.5, 0, 1.0), (3.5, 0, 1.0))
    for _ in range(120):
        sigmas = rng.uniform(0.01, 0.12, 3)
        tapes = [(x, 1.3 + rng.normal(0, s), s) for x, s in zip((0.6, 1.9, 3.4), sigmas, strict=True)]
        given = survey(*tapes)
        metres, sigma = measure(given, solve(given), "ground", a, b)
        inside += abs(metres - 3) < 2 * sigma
    assert 0.9 < inside / 120 <= 1
