"""Edges found in a photo: shown to be taken, or kept at once where nobody has said anything of the photo yet."""

from __future__ import annotations

from typing import Any

from roofline.core.survey import linked
from roofline.core.survey.detect import find, find_unseen
from roofline.core.survey.found import Found, taken
from roofline.core.survey.linked import survey_input
from roofline.errors import Conflict, SurveyError
from roofline.model.photo import Photo
from roofline.model.shot import Shot
from roofline.model.survey import Survey
from roofline.stages.photo import photo_of
from roofline.store.orders import Order
from roofline.work.desk import Desk
from roofline.work.engines import digest
from roofline.work.jobs import Job, Tell

NOTHING = "No clear directions were found in this picture: trace edges on Survey, or assume a camera."


def find_edges(desk: Desk, shot_id: str, photo_id: str) -> Found:
    """Edges found in the photo, by direction, with the camera they give; nothing is kept."""
    shot = desk.store.load(shot_id)
    photo = photo_of(shot, photo_id)
    return find(desk.engines.grey(shot, photo, False), survey_input(photo, photo.survey))


def with_edges(desk: Desk, shot: Shot, photo: Photo) -> Survey:
    """A photo's survey with edges that are found in it, kept unseen. Raises SurveyError where they tell too little. It
    takes long, so that the last answers are kept, those that tell too little as well."""

    def look() -> Survey | SurveyError:
        grey = desk.engines.grey(shot, photo, False)
        try:
            return taken(photo.survey, find_unseen(grey, survey_input(photo, photo.survey)))
        except SurveyError as error:
            return error

    facts = photo.facts and photo.facts.model_dump(mode="json")
    key = digest(photo.file, photo.survey.model_dump(mode="json"), photo.film_back_mm, facts)
    found = desk.kept.get("edges", key, look)
    if isinstance(found, SurveyError):
        raise found
    return found


def bare(photo: Photo) -> bool:
    """Whether nobody has said anything yet of a photo's directions, nor what it shares with others."""
    known = photo.survey
    said = known.edges or known.horizon or known.assumption
    return not (said or photo.camera or photo.lens or photo.standpoint)


def order(desk: Desk, shot_id: str, photo_id: str) -> Job:
    """Order the edges of a photo that was just brought to be found and kept, so that its camera is there. Raises
    Conflict where something is said of the photo already."""
    if not bare(photo_of(desk.store.load(shot_id), photo_id)):
        raise Conflict("This photo has a survey already: Find edges on Survey shows what else there is.")
    return desk.order(shot_id, "find_edges", "Find edges", photo=photo_id)


def run(desk: Desk, order: Order, tell: Tell) -> dict[str, Any]:
    """Carry out an order to find a photo's edges and keep them, as one undoable change. What a hand has traced or said
    of the photo meanwhile stays alone."""
    shot, ident = desk.store.load(order.shot), order.body["photo"]
    photo = next((p for p in shot.photos if p.id == ident), None)
    if photo is None or not bare(photo):
        return {"notes": []}
    tell(0.1, "looking for straight edges and their directions")
    try:
        survey = with_edges(desk, shot, photo)
    except SurveyError:
        here = next((p for p in desk.store.load(order.shot).photos if p.id == ident), None)
        return {"notes": [NOTHING] if here is not None and bare(here) else []}
    tell(0.9, "keeping them")  # or not, where it was cancelled

    def alter(now: Shot) -> Shot:
        for mine in now.photos:
            if (mine.id, mine.file, mine.survey) == (ident, photo.file, photo.survey) and bare(mine):
                mine.survey = survey
                linked.resolve(now, ident)
        return now

    desk.store.change(order.shot, "Find edges", alter)
    desk.changed(order.shot)
    return {"notes": []}
