"""What edges that were found leave open stays said when they are kept, for as long as the camera rests on them."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest
from tests.core.houses import two_houses

from roofline.core.camera import view_of
from roofline.core.survey import linked
from roofline.core.survey.assumed import solve_assuming
from roofline.core.survey.detect import find
from roofline.core.survey.found import Found, doubts, taken
from roofline.model.photo import Photo
from roofline.model.shot import Shot
from roofline.model.survey import Edge, FocalPrior, Survey, SurveyInput, Tie

SIZE = {"width": 1200, "height": 800}


def given(survey: Survey) -> SurveyInput:
    return SurveyInput(**survey.model_dump(), **SIZE)


@pytest.fixture(scope="module")
def found() -> Found:
    return find(cv2.cvtColor(two_houses(), cv2.COLOR_RGB2GRAY), SurveyInput(**SIZE))


def test_kept_edges_are_as_unsure_as_what_was_shown(found):
    shown, kept = found.result, solve_assuming(given(taken(Survey(), found)))
    assert found.doubt.readings and any("another way" in w for w in shown.warnings)
    assert kept.camera.focal_px == pytest.approx(shown.camera.focal_px, rel=1e-3)
    assert kept.sigma.focal_px == pytest.approx(shown.sigma.focal_px, rel=1e-3)
    assert kept.sigma.rotation_deg >= found.doubt.turn_deg and set(found.doubt.said) <= set(kept.warnings)
    assert kept.advice == []  # one more edge does not decide between readings


@pytest.fixture(scope="module")
def longer(found) -> Found:
    """The same edges, where the other reading has a lens that is a seventh longer."""
    camera = found.others[0].camera
    other = camera.model_copy(update={"focal_px": 1.15 * found.result.camera.focal_px})
    result = found.others[0].found.result.model_copy(update={"camera": other})
    whole, chosen = doubts(found, SurveyInput(**SIZE), [replace(found.others[0].found, result=result)])
    return replace(found, doubt=whole, chosen=chosen)


def test_who_has_looked_at_the_readings_and_chosen_one_is_surer(longer):
    unlooked = solve_assuming(given(taken(Survey(), longer)))
    assert unlooked.sigma.focal_px > 0.149 * unlooked.camera.focal_px  # as far as the other lens is
    looked = taken(Survey(), longer).model_copy(update={"doubt": longer.chosen})
    kept = solve_assuming(given(looked))
    assert not longer.chosen.readings and not any("another way" in w for w in kept.warnings)
    assert kept.sigma.focal_px < 0.2 * unlooked.sigma.focal_px
    bare = solve_assuming(given(looked.model_copy(update={"doubt": None})))
    assert kept.sigma.focal_px > 1.1 * bare.sigma.focal_px  # and still not as sure as the pixels alone would have it


def test_the_doubt_goes_with_what_it_is_about(longer):
    survey = taken(Survey(), longer)
    wide = solve_assuming(given(survey)).sigma.focal_px
    many = len(survey.edges)

    def by_hand(count: int) -> Survey:
        moved = [e.model_copy(update={"found": n >= count}) for n, e in enumerate(survey.edges)]
        return survey.model_copy(update={"edges": moved})

    assert solve_assuming(given(by_hand(many // 2 - 1))).sigma.focal_px == pytest.approx(wide)
    assert solve_assuming(given(by_hand(many // 2 + 1))).sigma.focal_px < 0.5 * wide
    typed = survey.model_copy(update={"focal_px": FocalPrior(value=1000.0, sigma=20.0)})
    assert solve_assuming(given(typed)).sigma.focal_px <= 20.0


def test_found_again_they_take_the_place_of_those_found_before(found):
    once = taken(Survey(), found)
    mine = Edge(id="mine", family="rise", points=[(10, 10), (12, 300)])
    again = taken(once.model_copy(update={"edges": [*once.edges, mine], "edge_sigma_px": 1.0}), found)
    assert [e.id for e in again.edges].count("mine") == 1 and len(again.edges) == len(once.edges) + 1
    assert again.edge_sigma_px == 1.0  # the hand's edge is not better for what was found


def test_shared_points_that_tell_a_camera_overrule_the_doubt(longer):
    """A step to the right of the first photo, directions are seen as they were: with few shared points it is as unsure
    as alone, with many it is not."""
    survey = taken(Survey(camera_height_m=1.6), longer)
    view = view_of(solve_assuming(given(survey)).camera)
    beside = replace(view, position=view.position + view.rotation[0])

    def joined(count: int) -> float:
        photos = [Photo(id=i, name=i, file=f"{i}.jpg", survey=survey, **SIZE) for i in ("one", "two")]
        pixels = np.array([(250.0 + 90 * n, 250.0 + 137 * (n % 3)) for n in range(count)])
        pixels[0] = 600, 640
        rays, depths = view.rays(pixels), 6.0 + 2 * (np.arange(count) * 3 % 5)
        depths[0] = -view.position[1] / rays[0, 1]  # on the ground
        spots = view.position + rays * depths[:, None]
        seen = zip(pixels.tolist(), beside.project(spots).tolist(), strict=True)
        ties = [Tie(id=f"t{n}", name=f"t{n}", seen={"one": a, "two": b}) for n, (a, b) in enumerate(seen)]
        ties[0].surface = "ground"
        shot = Shot(name="Two", photos=photos, ties=ties)
        linked.resolve(shot, "one")
        assert shot.photo("two").problem is None
        result = shot.photo("one").result
        assert result is not None and result.camera.focal_px == pytest.approx(view.focal, rel=0.05)
        return result.sigma.focal_px or 0.0

    assert joined(4) == pytest.approx(solve_assuming(given(survey)).sigma.focal_px, rel=0.05)
    assert joined(8) < 0.5 * joined(4)
