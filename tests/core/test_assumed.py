"""A camera always: assumptions in place of what is not known, and given up for what is measured."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given as trying
from hypothesis import settings
from hypothesis import strategies as st
from tests.conftest import looking

from roofline.core.survey.assumed import cropped, file_prior, focal_px, solve_assuming
from roofline.errors import SurveyError
from roofline.model.survey import Assumption, Edge, FocalPrior, Length, SurveyInput

W, H = 2000, 1500


def survey(**more) -> SurveyInput:
    return SurveyInput(width=W, height=H, assumption=Assumption(lens_mm35=28, eye_m=1.7), **more)


def traced(view, family: str, *lines) -> list[Edge]:
    return [Edge(family=family, points=[tuple(view.project(np.array(p))) for p in line]) for line in lines]


def test_a_35_mm_equivalent_is_an_angle_over_the_diagonal():
    assert 2 * math.degrees(math.atan(math.hypot(36, 24) / 2 / 50)) == pytest.approx(46.79, abs=0.01)
    for size in ((3000, 2000), (4000, 3000), (1080, 1920)):
        half = math.hypot(*size) / 2 / focal_px(50, *size)
        assert 2 * math.degrees(math.atan(half)) == pytest.approx(46.79, abs=0.01)


def test_the_file_is_a_measurement_and_less_of_one_where_the_picture_was_cropped():
    whole, cut = file_prior(29, 4000, 3000), file_prior(29, 4000, 2130)
    assert whole.sigma / whole.value == pytest.approx(0.03) and whole.source == "file"
    assert cut.sigma / cut.value == pytest.approx(0.1)
    assert not cropped(3000, 4000) and not cropped(751, 563) and cropped(4000, 2130)


def test_nothing_known_is_a_level_camera_with_everything_said_to_be_assumed():
    got = solve_assuming(survey())
    assert got.stands_in == ["horizon", "lens", "eye"]
    assert got.camera.focal_px == pytest.approx(28 * 2500 / 43.2666, rel=1e-4)
    assert np.allclose(np.array(got.camera.rotation), [[1, 0, 0], [0, -1, 0], [0, 0, -1]], atol=1e-6)
    assert got.camera.position == (0, 1.7, 0) and got.sigma.focal_px == pytest.approx(0.2 * got.camera.focal_px)
    assert sum("assumed" in a for a in got.assumed) >= 3


@trying(tilt=st.floats(-15, 15), roll=st.floats(-10, 10))
@settings(max_examples=25, deadline=None)
def test_the_dragged_horizon_is_where_the_camera_looks(tilt, roll):
    view = looking(W, H, focal_px(28, W, H), 0, tilt, (0, 1.7, 0), roll)
    far = [view.project(view.position + np.array([s, 0, -1.0])) for s in (-0.4, 0.4)]
    assumption = Assumption(lens_mm35=28, eye_m=1.7, horizon=tuple(tuple(map(float, p)) for p in far))
    got = solve_assuming(SurveyInput(width=W, height=H, assumption=assumption))
    # rise is known from a horizon; the turn about it is nobody's
    assert np.allclose(np.array(got.camera.rotation)[:, 1], view.rotation[:, 1], atol=1e-4)


def test_every_edge_takes_the_place_of_something_assumed():
    view = looking(W, H, 1500.0, 20, -4, (0, 1.7, 0))
    rise = traced(view, "rise", [(-2, 0, -9), (-2, 5, -9)], [(5, 0, -9), (5, 5, -9)])
    run = traced(view, "run", [(-3, 0, -9), (3, 0, -9)], [(-3, 3, -9), (3, 3, -9)], [(0, 2, -12), (6, 2, -12)])
    back = traced(view, "return", [(4, 0, -6), (4, 0, -16)], [(4, 3, -6), (4, 3, -16)])
    assert solve_assuming(survey(edges=rise[:1])).stands_in == ["horizon", "lens", "eye"]
    assert solve_assuming(survey(edges=rise)).stands_in == ["lens", "eye"]
    full = solve_assuming(survey(edges=rise + run + back))
    assert full.stands_in == ["eye"]
    assert full.camera.focal_px == pytest.approx(1500, rel=0.02)
    assert solve_assuming(survey(edges=rise + run + back, camera_height_m=2.0)).stands_in == []
    typed = solve_assuming(survey(focal_px=FocalPrior(value=1500, sigma=15)))
    assert typed.stands_in == ["horizon", "eye"] and typed.camera.focal_px == pytest.approx(1500)


def test_edges_that_give_no_camera_leave_the_assumed_one_and_say_so():
    star = [
        Edge(family=f, points=[(900, 700), (900 + 500 * math.cos(a), 700 + 500 * math.sin(a))])
        for f, a in zip(["run", "rise"] * 3, np.linspace(0.1, 2.7, 6), strict=True)
    ]
    got = solve_assuming(survey(edges=star))
    assert "horizon" in got.stands_in and len(got.edges) == 6
    assert got.warnings[0].startswith("The edges are not counted: ")


def test_what_was_typed_and_cannot_be_is_still_refused():
    tapes = [Length(a=(800, 1200), b=(800, 900), direction="rise", metres=m) for m in (2, 4)]
    with pytest.raises(SurveyError, match="tapes contradict"):
        solve_assuming(survey(lengths=tapes))
