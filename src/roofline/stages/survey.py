"""The Survey stage: edges found and snapped, cameras solved alone or together, and kept."""

from __future__ import annotations

import numpy as np

from roofline.core.survey import linked
from roofline.core.survey.linked import check_typed, survey_input
from roofline.core.survey.measure import Plane as GridPlane
from roofline.core.survey.measure import measure
from roofline.core.survey.snap import snap
from roofline.core.survey.steady import MOVED, beside_px
from roofline.errors import MassingError, SurveyError
from roofline.formats import pictures
from roofline.model.base import Vec2
from roofline.model.changes import Items, SurveyChange
from roofline.model.plates import Throw
from roofline.model.shot import Shot
from roofline.model.survey import Survey, SurveyResult, Tie
from roofline.stages.photo import photo_of, seen_from, surveyed
from roofline.store.store import MadeFrom
from roofline.work.desk import Desk


def attempt(desk: Desk, shot_id: str, photo_id: str, survey: Survey) -> SurveyResult:
    """Solve without keeping anything; raises SurveyError."""
    shot = desk.store.load(shot_id)
    photo_of(shot, photo_id)
    return linked.attempt(shot, photo_id, survey)


def keep(desk: Desk, shot_id: str, photo_id: str, survey: Survey, label: str, revision: int | None = None) -> None:
    """Keep edges and priors; the camera follows, or the reason why there is none is kept with them.

    A tape or camera height that cannot be is refused instead: it was typed, and nothing is lost by typing again.
    ``revision``: of the shot that they were made from.
    """
    check_typed(survey)

    def alter(shot: Shot) -> Shot:
        photo = photo_of(shot, photo_id)
        linked.check_own(shot, photo)
        photo.survey = survey
        linked.resolve(shot, photo_id)
        return shot

    desk.store.change(shot_id, label, alter, MadeFrom(None, revision))


def change(desk: Desk, shot_id: str, photo_id: str, what: SurveyChange, label: str) -> None:
    """Change edges, tapes and figures by identity; the camera follows as with `keep`."""

    def alter(shot: Shot) -> Shot:
        photo = photo_of(shot, photo_id)
        linked.check_own(shot, photo)
        photo.survey = what.carried_out(photo.survey)
        check_typed(photo.survey)
        linked.resolve(shot, photo_id)
        return shot

    desk.store.change(shot_id, label, alter)


def snapped(desk: Desk, shot_id: str, photo_id: str, points: list[Vec2], reach: float) -> list[Vec2] | None:
    """An edge laid onto the picture's own edge, or None where there is no clear one.

    More than two points: each stretch.
    """
    shot = desk.store.load(shot_id)
    grey = desk.engines.grey(shot, photo_of(shot, photo_id), False)
    out: list[Vec2] = []
    for a, b in zip(points, points[1:], strict=False):
        laid = snap(grey, np.array(a), np.array(b), reach)
        if laid is None:
            return None
        first, last = ((float(p[0]), float(p[1])) for p in laid)
        if out:  # a corner between two stretches is the middle of what both say
            out[-1] = ((out[-1][0] + first[0]) / 2, (out[-1][1] + first[1]) / 2)
        else:
            out.append(first)
        out.append(last)
    return out


def measured(
    desk: Desk, shot_id: str, photo_id: str, plane: GridPlane, a: Vec2, b: Vec2, level: float = 0.0
) -> tuple[float, float]:
    """Metres between two pixels' points on a plane `level` metres from the datum, and one sigma; of a joined photo,
    its own edges'."""
    photo = photo_of(desk.store.load(shot_id), photo_id)
    if photo.result is None:
        raise SurveyError("There is no camera yet to measure with: trace edges first.")
    return measure(survey_input(photo, photo.survey), photo.result, plane, a, b, level)


def tie(desk: Desk, shot_id: str, ties: list[Tie], label: str, revision: int | None) -> None:
    """Keep the points that photos share; the photos that see changed ones are solved anew.

    ``revision``: of the shot that the points were made from, see `MadeFrom`.
    """
    made_from = MadeFrom("tie", revision, "the shared points")
    desk.store.change(shot_id, label, lambda shot: _tied(shot, ties), made_from)


def change_ties(desk: Desk, shot_id: str, what: Items[Tie], label: str) -> None:
    """Change shared points by identity; the photos that see changed ones are solved anew."""
    desk.store.change(shot_id, label, lambda shot: _tied(shot, what.carried_out(shot.ties, "A shared point")))


def _tied(shot: Shot, ties: list[Tie]) -> Shot:
    names = [t.id for t in ties]
    if len(set(names)) != len(names):
        raise SurveyError("Two points have the same id.")
    before = {t.id: t for t in shot.ties}
    changed = [t for t in ties if before.get(t.id) is None or _placed(before[t.id]) != _placed(t)]
    gone = [t for t in shot.ties if t.id not in set(names)]
    photos = {p for t in changed + gone for p in t.seen}
    photos |= {p for t in changed if t.id in before for p in before[t.id].seen}
    for t in ties:
        for p in t.seen:
            photo_of(shot, p)
    shot.ties = ties
    linked.solve_again(shot, photos)
    return shot


def join(
    desk: Desk, shot_id: str, photo_id: str, lens: str | None, standpoint: str | None, steady: bool = False
) -> None:
    """Say which photos share a photo's lens and standpoint; steady: its whole camera, nothing having moved.

    Raises SurveyError where the two pictures say otherwise.
    """
    beside = _beside(desk, shot_id, photo_id, standpoint) if steady and standpoint else None

    def alter(shot: Shot) -> Shot:
        photo = photo_of(shot, photo_id)
        if standpoint is not None:
            other = photo_of(shot, standpoint)
            others = any(p.standpoint == photo_id for p in shot.photos)
            if other.id == photo_id or other.standpoint is not None or others:
                raise SurveyError("A photo shares the standpoint of another one that stands for itself.")
        photos = {p.id for p in linked.linked(shot, photo_id)}
        linked.let_go(photo)
        photo.lens, photo.standpoint, photo.steady_px = lens, standpoint, beside
        linked.solve_again(shot, photos | {photo_id})
        return shot

    desk.store.change(shot_id, "Change what photos share", alter)


def _beside(desk: Desk, shot_id: str, photo_id: str, other_id: str) -> float:
    """How far (px) a photo's picture lies beside another's, between which nothing should have moved."""
    shot = desk.store.load(shot_id)
    photo, other = photo_of(shot, photo_id), photo_of(shot, other_id)
    if photo.survey.model_copy(update={"focal_px": None}) != Survey():
        raise SurveyError(
            f"'{photo.name}' has a survey of its own, which would not count: take its edges and figures away first."
        )
    try:
        off = beside_px(*(desk.engines.grey(shot, p, False) for p in (other, photo)))
    except SurveyError as error:
        raise SurveyError(f"'{photo.name}' beside '{other.name}': {error}") from None
    if off > MOVED * (photo.width or 1):
        raise SurveyError(
            f"'{photo.name}' lies {off:.0f} px beside '{other.name}': the camera moved between the two. Say that it "
            "stood there and turned, and join them by points."
        )
    return off


def _placed(tie: Tie) -> tuple[object, object]:
    return tie.seen, tie.surface


def compared(desk: Desk, shot_id: str, photo_id: str, other_id: str, width: int) -> bytes:
    """PNG of the first photo thrown over the geometry and seen from the other one's camera, clear where it is not."""
    shot = desk.store.load(shot_id)
    photo, other = photo_of(shot, photo_id), photo_of(shot, other_id)
    for p in (photo, other):
        surveyed(shot, p.id)
    mine = {p.id for p in shot.plates if p.photo == photo_id and p.file == photo.file}
    if not shot.solids:
        raise MassingError("There is no geometry yet to throw the photo on: build some in Massing first.")
    alone = shot.model_copy(
        update={
            "plates": [p for p in shot.plates if p.id in mine],
            "throws": [Throw(plate=p, targets=[s.id for s in shot.solids]) for p in sorted(mine)],
        }
    )
    assert other.camera is not None
    linear = seen_from(desk, alone, other.camera, width)
    alpha = linear[..., 3:]
    colour = pictures.to_display(linear[..., :3] / np.maximum(alpha, 1e-6))
    return pictures.png((np.concatenate([colour, alpha], axis=2) * 255 + 0.5).astype(np.uint8), 1)


def telling(shot: Shot) -> tuple[str, str | None]:
    """The stage's figure, and what is wrong."""
    if not shot.photos:
        return "–", None
    photo = next((p for p in shot.photos if p.result), shot.photos[0])
    if photo.result is None:
        edges = len(photo.survey.edges)
        return f"{edges} edge{'s' if edges != 1 else ''} traced", "no camera yet" if edges else None
    r = photo.result
    mm = r.camera.focal_px * photo.mm_a_pixel
    sigma = "" if r.sigma.focal_px is None else f" ± {r.sigma.focal_px * photo.mm_a_pixel:.1f}"
    rests = " · assumed" if r.stands_in else ""
    problem = "no scale yet" if r.camera.position is None else ("see warnings" if r.warnings else None)
    missed = f" · {r.rms_px:.1f} px" if photo.survey.edges else ""
    return f"f {mm:.1f}{sigma} mm{missed}{rests}", problem
