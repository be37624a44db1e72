"""Joined photos: a wrong shared point is named and left out, what cannot be told is said, rivals are kept."""

from __future__ import annotations

import numpy as np
import pytest
from tools.joined_table import KINDS, given, one, place

from roofline.core.survey.joint import Member, solve_together
from roofline.model.survey import Tie


def joined(seed: int, wrong: float = 0.0, count: tuple[int, int] = (2, 4), line: bool = False, bearings=(35, -30)):
    """A place seen in two photos, the last point misplaced by so many pixels in the second."""
    rng = np.random.default_rng(seed)
    p = place(rng, list(bearings), *count, line=line)
    members = [Member(n, n, given(v, rng, n == "a")) for n, v in zip("ab", p.views, strict=True)]
    ties = []
    for t, (point, on) in enumerate(zip(p.points, p.on, strict=True)):
        seen = {n: v.project(point) + rng.normal(0, 0.5, 2) for n, v in zip("ab", p.views, strict=True)}
        if t == len(p.points) - 1:
            seen["b"] = seen["b"] + [0.6 * wrong, 0.8 * wrong]
        ties.append(Tie(id=f"t{t}", name=f"spot {t}", seen={n: tuple(v.tolist()) for n, v in seen.items()}, surface=on))
    return p, solve_together(members, ties)


@pytest.mark.parametrize("seed", range(4))
@pytest.mark.parametrize("wrong", [25.0, 150.0])
def test_one_wrong_point_of_six_is_named_and_the_rest_hold(seed, wrong):
    p, got = joined(seed, wrong)
    b = got.results["b"]
    off = np.abs(np.array(b.camera.position) - p.views[1].position)
    assert np.all(off < 4 * np.array(b.position_sigma_m)), off
    assert any("'spot 5'" in w and "left out" in w for w in b.warnings), b.warnings
    assert not any(f"'spot {t}'" in w for w in b.warnings for t in range(5))
    assert max(got.off_px["t5"].values()) > 0.25 * wrong  # told at the point, how far off it is
    assert max(v for t in range(5) for v in got.off_px[f"t{t}"].values()) < 4


def test_points_on_an_upright_line_bear_two_standpoints_and_both_are_kept():
    for seed in range(3):
        p, got = joined(seed, count=(1, 1), line=True)
        b = got.results["b"]
        assert len(b.rivals) == 1 and any("as well" in w for w in b.warnings)
        places = np.array([b.camera.position, *b.rivals])
        off = np.linalg.norm(places - p.views[1].position, axis=1)
        assert off.min() < 0.6 < 5 < off.max()
        # the two lie opposite one another about the upright line
        middle = p.points[0][[0, 2]]
        assert np.allclose(places[:, [0, 2]].mean(0), middle, atol=0.6)


def test_more_points_decide_and_nothing_is_doubted():
    _, got = joined(2)
    assert got.results["b"].rivals == [] and got.results["b"].warnings == []


def test_three_points_say_that_they_are_few():
    _, got = joined(1, count=(3, 0))
    assert any("so few" in w for w in got.results["b"].warnings)
    _, got = joined(1, 300.0, count=(3, 0))
    said = " ".join(got.results["b"].warnings)
    assert "too few to tell which" in said or "so few" in said


@pytest.mark.slow
@pytest.mark.parametrize("kind", KINDS)
def test_what_is_stated_holds_in_made_places_of_every_kind(kind):
    answers = [one((kind, 7000 + n)) for n in range(8)]
    told = [a for a in answers if not isinstance(a, str)]
    assert len(told) == len(answers), [a for a in answers if isinstance(a, str)]
    off = np.array([a[0] for a in told])
    assert (off <= 2).mean() > 0.85
    assert not [a for a in told if max(a[0]) > 4 and not a[1]]
