"""Which photos hang together, and solving them anew: a shot's cameras follow what is known of it."""

from __future__ import annotations

import math
from collections.abc import Callable

from roofline.core.massing.solids import faces_of
from roofline.core.survey.assumed import doubted, solve_assuming
from roofline.core.survey.joint import Member, Plane, Together, solve_together
from roofline.core.survey.steady import SHOWS
from roofline.errors import SurveyError
from roofline.model.photo import Photo
from roofline.model.shot import Shot
from roofline.model.survey import Survey, SurveyInput, SurveyResult

OVERRULE = 6  # shared points that tell a camera without any edge


def survey_input(photo: Photo, survey: Survey) -> SurveyInput:
    return SurveyInput.model_validate({**survey.model_dump(), "width": photo.width, "height": photo.height})


def linked(shot: Shot, photo_id: str) -> list[Photo]:
    """The photos that hang together with one through lenses, points or standpoints, in the shot's order."""
    group = {photo_id}
    while True:
        lenses = {p.lens for p in shot.photos if p.id in group and p.lens}
        grown = group | {p.id for p in shot.photos if p.lens in lenses}
        for tie in shot.ties:
            if len(tie.seen) > 1 and grown & tie.seen.keys():
                grown |= tie.seen.keys()
        for p in shot.photos:
            if p.standpoint and {p.id, p.standpoint} & grown:
                grown |= {p.id, p.standpoint}
        grown &= {p.id for p in shot.photos}
        if grown == group:
            return [p for p in shot.photos if p.id in group]
        group = grown


def surfaces(shot: Shot) -> Callable[[str], Plane | None]:
    """The planes of a shot's faces by their full names."""

    def plane(name: str) -> Plane | None:
        solid_id, _, face = name.partition("/")
        for solid in shot.solids:
            if solid.id == solid_id:
                return faces_of(solid).plane(face)
        return None

    return plane


def resolve(shot: Shot, photo_id: str) -> None:
    """Solve a photo anew, with all that hang together with it; results and reasons are written to the shot.

    Where photos do not go together, each is solved for itself, and the reason stands with all but the first.
    """
    was_home, was_px = shot.home_photo is not None, shot.home_px
    whole = linked(shot, photo_id)
    group = [p for p in whole if not _steady(p)]
    _resolve(shot, group)
    for p in whole:
        if _steady(p):
            _as_taken(p, shot.photo(p.standpoint or ""))
    keep_lenses(shot, was_home, was_px)


def keep_lenses(shot: Shot, was_home: bool, was_px: float) -> None:
    """Keys that stood before there was a home, or stand when there is none any more, keep their lenses: a zoom is told
    by home's, and by the delivered height where there is none. ``was_px``: `Shot.home_px` as it was."""
    if was_home == (shot.home_photo is not None):
        return
    for key in shot.move.keys:
        key.zoom *= was_px / shot.home_px


def _resolve(shot: Shot, group: list[Photo]) -> None:
    if len(group) == 1:
        _alone(group[0])
        return
    ready = _ready(group)
    for p in group:
        if p not in ready:
            _alone(p)
    if not ready:
        return
    try:
        got = solve_together([_member(p) for p in ready], shot.ties, surfaces(shot))
    except SurveyError as error:
        for p in ready:
            _alone(p)
        # the reason stands with what did not join, not with the photo that makes the world
        for p in ready[1:]:
            p.problem = p.problem or str(error)
        _forget_points(shot, {p.id for p in group})
        return
    for p in ready:
        p.result, p.problem = _joined(shot, p, got), None
        p.camera, p.assumed = p.result.camera, p.result.assumed
    _keep_points(shot, got, {p.id for p in group})


def _steady(photo: Photo) -> bool:
    """Whether a photo has the camera of another: nothing moved between the two."""
    return photo.standpoint is not None and photo.steady_px is not None


def let_go(photo: Photo) -> None:
    """A photo that had another one's camera has none."""
    if _steady(photo):
        photo.result, photo.problem, photo.camera, photo.assumed = None, None, None, []
        photo.steady_px = None


def _as_taken(photo: Photo, other: Photo) -> None:
    """Give a photo the camera of the one from whose standpoint it was taken, nothing having moved."""
    photo.result, photo.problem, photo.camera, photo.assumed = None, None, None, []
    if other.camera is None:
        return
    off = photo.steady_px or 0.0
    said = f"Nothing moved between '{other.name}' and this picture, which lies {off:.1f} px beside it."
    photo.camera, photo.assumed = other.camera, [*other.assumed, said]
    if other.result is not None:
        moved = f"This picture lies {off:.1f} px beside '{other.name}', whose camera it has: something moved."
        warnings = [moved] if off > SHOWS else []
        own = {"edges": [], "tapes": [], "advice": [], "warnings": warnings, "assumed": photo.assumed, "rms_px": off}
        photo.result = other.result.model_copy(update=own)


def _ready(group: list[Photo]) -> list[Photo]:
    """Those of a group that can be solved, first the one that makes the world: it has a scale; of several, the
    first."""
    ready = [p for p in group if p.survey.edges or p.survey.horizon]
    return sorted(ready, key=lambda p: p.survey.camera_height_m is None and not p.survey.lengths)


def _member(photo: Photo) -> Member:
    return Member(photo.id, photo.name, survey_input(photo, photo.survey), photo.lens, photo.standpoint)


def _unsurveyed(photo: Photo) -> None:
    """Nothing is traced: what was solved goes; a camera that came with a package, and was never solved, stays."""
    if photo.result is not None:
        photo.result, photo.camera, photo.assumed = None, None, []
    photo.problem = None


def _alone(photo: Photo) -> None:
    if not (photo.survey.edges or photo.survey.horizon or photo.survey.assumption):
        return _unsurveyed(photo)
    photo.result, photo.problem, photo.camera, photo.assumed = None, None, None, []
    try:
        photo.result = solve_assuming(survey_input(photo, photo.survey))
        photo.camera, photo.assumed = photo.result.camera, photo.result.assumed
    except SurveyError as error:
        photo.problem = str(error)


def _forget_points(shot: Shot, photos: set[str]) -> None:
    shot.ties = [t.model_copy(update={"world": None, "off_px": {}}) if photos & t.seen.keys() else t for t in shot.ties]


def _keep_points(shot: Shot, got: Together, photos: set[str]) -> None:
    _forget_points(shot, photos)
    shot.ties = [
        t.model_copy(update={"world": got.points[t.id], "off_px": got.off_px[t.id]}) if t.id in got.off_px else t
        for t in shot.ties
    ]


def solve_again(shot: Shot, photos: set[str]) -> None:
    """Solve photos anew, by id, each group once."""
    done: set[str] = set()
    for photo in shot.photos:
        if photo.id in photos and photo.id not in done:
            resolve(shot, photo.id)
            done |= {p.id for p in linked(shot, photo.id)}


def attempt(shot: Shot, photo_id: str, survey: Survey) -> SurveyResult:
    """What a survey would give a photo, with those that hang together with it; raises SurveyError."""
    photo = shot.photo(photo_id).model_copy(update={"survey": survey})
    check_own(shot, photo)
    tried = shot.model_copy(update={"photos": [photo if p.id == photo_id else p for p in shot.photos]})
    group = [p for p in linked(tried, photo_id) if not _steady(p)]
    if len(group) == 1:
        return solve_assuming(survey_input(photo, survey))
    # asked about while a hand is dragging: from the cameras that stand, and without the report on the others
    ready = _ready(group)
    near = {p.id: p.camera for p in ready if p.camera is not None and not p.problem}
    got = solve_together([_member(p) for p in ready], tried.ties, surfaces(tried), near, photo_id)
    if photo_id not in got.results:
        raise SurveyError("There is no camera yet.")
    return _joined(tried, photo, got)


def _joined(shot: Shot, photo: Photo, got: Together) -> SurveyResult:
    """What a joint solution says of a photo. The doubt about edges that were found counts where the points that it
    shares are too few to overrule them."""
    result = got.results[photo.id]
    shared = sum(photo.id in t.seen and len(t.seen) > 1 for t in shot.ties)
    return result if shared >= OVERRULE else doubted(result, photo.survey)


def check_own(shot: Shot, photo: Photo) -> None:
    """Raise SurveyError where a photo has another one's camera: a survey of its own would not count."""
    if _steady(photo):
        other = shot.photo(photo.standpoint or "").name
        raise SurveyError(
            f"'{photo.name}' has the camera of '{other}', nothing having moved: survey that one, or say that this one "
            "was turned."
        )


def check_typed(survey: Survey) -> None:
    """Raise SurveyError for a tape or an edge that cannot be: it was drawn or typed, and nothing is lost by doing it
    again."""
    for tape in survey.lengths:
        if not tape.metres > 0:
            raise SurveyError(f"A tape must be longer than zero, not {tape.metres:g} m.")
    for number, edge in enumerate(survey.edges, 1):
        (x, y), *others = edge.points
        if max(math.hypot(p[0] - x, p[1] - y) for p in others) < 1:
            raise SurveyError(f"Edge {number} has no length: its points fall on one spot. Draw it along a line.")
