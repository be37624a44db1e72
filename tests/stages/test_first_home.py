"""A move that was there before its photo was surveyed: it looks through the same lens afterwards, and without again."""

from __future__ import annotations

import numpy as np
import pytest
from tests.conftest import write_folder
from tests.formats.by_hand import document

from roofline.core.move.path import moment_at, shot_path
from roofline.model.survey import Assumption, Survey
from roofline.stages import photo, survey
from roofline.stages.shots import take_in


def lenses(desk, shot_id: str) -> list[float]:
    shot = desk.store.load(shot_id)
    return [moment_at(shot, shot_path(shot), f).view.focal for f in (1, 3, 6)]


@pytest.fixture
def bare(desk, tmp_path) -> str:
    """The shot of exchange.md, its photo not surveyed; its keys have two lenses."""
    there = document()
    del there["photos"][0]["camera"]
    there["move"]["keys"][1]["focal_px"] = 160
    return take_in(desk, write_folder(tmp_path / "pack", there, (240, 160)))


def test_a_first_survey_keeps_the_lenses_of_keys_that_stood_before(desk, bare):
    before = lenses(desk, bare)
    assert before[0] == pytest.approx(100) and before[2] == pytest.approx(160)
    survey.keep(desk, bare, "a", Survey(assumption=Assumption(lens_mm35=50)), "Assume a camera")
    shot = desk.store.load(bare)
    assert shot.home_photo is not None and abs(shot.home_px - shot.delivery.height) > 5
    assert np.allclose(lenses(desk, bare), before)
    # a home that moves takes its keys along: their zoom stays what it was
    zooms = [k.zoom for k in shot.move.keys]
    survey.keep(desk, bare, "a", Survey(assumption=Assumption(lens_mm35=35)), "Assume another lens")
    again = desk.store.load(bare)
    assert [k.zoom for k in again.move.keys] == zooms and not np.allclose(lenses(desk, bare), before)
    survey.keep(desk, bare, "a", Survey(assumption=Assumption(lens_mm35=50)), "Assume the first one")
    # lost and found again, and taken away with its photo
    survey.keep(desk, bare, "a", Survey(), "Assume nothing")
    assert desk.store.load(bare).home_photo is None and np.allclose(lenses(desk, bare), before)
    survey.keep(desk, bare, "a", Survey(assumption=Assumption(lens_mm35=50)), "Assume a camera")
    assert np.allclose([k.zoom for k in desk.store.load(bare).move.keys], zooms)
    photo.remove(desk, bare, "a")
    assert np.allclose(lenses(desk, bare), before)
