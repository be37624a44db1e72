"""A camera always: what is not known of a photo is assumed, said, and given up for whatever is measured."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Literal

from roofline.core.survey.solve import HELD, solve
from roofline.errors import SurveyError
from roofline.model.base import Vec2
from roofline.model.survey import Assumption, FocalPrior, Survey, SurveyInput, SurveyResult

DIAGONAL_MM = math.hypot(36.0, 24.0)  # of the frame that a 35 mm equivalent is told for, CIPA DCG-001
LENS_DOUBT = 0.2  # one sigma of an assumed focal length, as a share of it
TOLD = 0.1  # of the focal length: what leaves more doubt than this does not take the place of the assumed one
TURN_DOUBT = 3.0  # degrees: one sigma of a rotation that rests on an assumed horizon
FILE_SIGMA, CROPPED_SIGMA = 0.03, 0.1  # of a focal length from the file, as a share; where the picture was cropped
USUAL = (3 / 2, 4 / 3, 16 / 9, 5 / 4, 1.0)  # aspects of sensors
Part = Literal["lens", "horizon", "eye"]


def focal_px(mm35: float, width: int, height: int) -> float:
    """Focal length in pixels of a 35 mm equivalent, which is an angle over the diagonal."""
    return mm35 * math.hypot(width, height) / DIAGONAL_MM


def cropped(width: int, height: int) -> bool:
    """Whether a picture's aspect is none of the usual sensors': it has been cut, and its middle may be elsewhere."""
    aspect = max(width, height) / min(width, height)
    return all(abs(aspect / usual - 1) > 0.012 for usual in USUAL)


def file_prior(mm35: float, width: int, height: int) -> FocalPrior:
    """What a file's 35 mm equivalent says, as the measurement that it is."""
    value = focal_px(mm35, width, height)
    sigma = CROPPED_SIGMA if cropped(width, height) else FILE_SIGMA
    return FocalPrior(value=value, sigma=sigma * value, source="file")


def assumed_lens(given: SurveyInput, assumption: Assumption) -> FocalPrior:
    """The lens that stands in where edges do not tell the focal length."""
    value = focal_px(assumption.lens_mm35, given.width, given.height)
    return FocalPrior(value=value, sigma=LENS_DOUBT * value)


def lens_words(assumption: Assumption) -> str:
    return f"The lens is assumed: {assumption.lens_mm35:g} mm equivalent, ± {100 * LENS_DOUBT:.0f} %."


def horizon_of(given: SurveyInput, assumption: Assumption) -> tuple[Vec2, Vec2]:
    """Two pixels of the assumed horizon: as dragged, or level at half height."""
    y = given.height / 2
    return assumption.horizon or ((0.0, y), (float(given.width), y))


def _stand_ins(given: SurveyInput, assumption: Assumption) -> Iterator[tuple[SurveyInput, list[Part], str | None]]:
    """The survey with less and less of it left to the edges: what stands in, and what is to be said of the edges."""
    base, parts = given, list[Part]()
    if given.camera_height_m is None and not given.lengths:
        base, parts = given.model_copy(update={"camera_height_m": assumption.eye_m}), ["eye"]
    yield base, parts, None
    if base.focal_px is None:
        base = base.model_copy(update={"focal_px": assumed_lens(given, assumption)})
        parts = ["lens", *parts]
        yield base, parts, None
    if base.horizon is None:
        base, parts = base.model_copy(update={"horizon": horizon_of(given, assumption)}), ["horizon", *parts]
        yield base, parts, None
    if given.edges:
        loose = [e.model_copy(update={"family": None}) for e in given.edges]
        yield base.model_copy(update={"edges": loose}), parts, "The edges are not counted: "


def solve_assuming(given: SurveyInput) -> SurveyResult:
    """Solve a survey as far as it goes, with assumptions in place of what it does not tell.

    Every edge, tape or figure takes the place of something assumed. `stands_in` names what still is. Raises SurveyError
    only for what cannot be whatever is assumed: a tape that contradicts another, an edge without a length.
    """
    assumption = given.assumption
    if assumption is None:
        return doubted(solve(given), given)
    first = last = ""
    for attempt, parts, uncounted in _stand_ins(given, assumption):
        try:
            result = solve(attempt)
        except SurveyError as error:
            first = first or str(error)
            last = str(error)
            continue
        if attempt.focal_px is None and (result.sigma.focal_px or 0.0) > TOLD * result.camera.focal_px:
            continue  # such edges alone hardly tell the focal length; with a usual lens beside them they tell more
        if uncounted is not None:
            return _said(result, assumption, parts, uncounted + first)
        return doubted(_said(result, assumption, parts, None), given)
    raise SurveyError(last)


def doubted(result: SurveyResult, survey: Survey) -> SurveyResult:
    """A camera with its errors widened by the doubt about edges that were found, see `Doubt`; of a focal length that
    was typed no farther than what was typed is sure to."""
    doubt, many = survey.doubt, len(survey.edges)
    if doubt is None or 2 * sum(e.found for e in survey.edges) < many or not many:
        return result
    typed = survey.focal_px is not None and survey.focal_px.source == "typed"
    most = survey.focal_px.sigma if survey.focal_px and typed else math.inf
    focal = min(doubt.focal * result.camera.focal_px, most)
    sigma = {
        "focal_px": max(result.sigma.focal_px or 0.0, focal),
        "rotation_deg": max(result.sigma.rotation_deg, doubt.turn_deg),
    }
    plain = result.sigma.focal_px or 0.0
    wider = {
        "sigma": result.sigma.model_copy(update=sigma),
        # what one more edge would do to what edges miss by is not what is in doubt
        "advice": result.advice if focal <= plain else [],
        "warnings": result.warnings + [w for w in doubt.said if w not in result.warnings],
    }
    return result.model_copy(update=wider)


def _said(result: SurveyResult, assumption: Assumption, parts: list[Part], uncounted: str | None) -> SurveyResult:
    said = {
        "lens": lens_words(assumption),
        "horizon": "The horizon is assumed, and with it that the camera looks along Return.",
        "eye": f"The scale is assumed: the eye {assumption.eye_m:g} m above the ground.",
    }
    kept = [a for a in result.assumed if "lens" not in parts or HELD not in a]
    sigma, effect = result.sigma, result.effect
    if "horizon" in parts:  # the turn about Rise is nobody's to know: it is what Return is called by
        sigma, effect = sigma.model_copy(update={"rotation_deg": TURN_DOUBT}), None
    return result.model_copy(
        update={
            "effect": effect,
            "assumed": [said[p] for p in parts] + kept,
            "warnings": ([uncounted] if uncounted else []) + result.warnings,
            "stands_in": parts,
            "sigma": sigma,
        }
    )
