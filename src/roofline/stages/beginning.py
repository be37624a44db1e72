"""Beginning: a shot from whatever pictures there are, and a first move, each one press."""

from __future__ import annotations

import contextlib
from collections.abc import Iterable
from dataclasses import asdict, replace
from typing import Any

from roofline.core.move.first import first_move
from roofline.core.survey import linked
from roofline.errors import Conflict, FormatError, SurveyError
from roofline.formats.stills import as_stills
from roofline.model.shot import Shot
from roofline.model.survey import Assumption
from roofline.stages.finding import bare, with_edges
from roofline.stages.stepping import keep_textures
from roofline.store.orders import Order
from roofline.store.store import MadeFrom
from roofline.work.again import home_of, put_again
from roofline.work.begin import How, begin
from roofline.work.desk import Desk
from roofline.work.jobs import Job, Tell


def order_begin(desk: Desk, shot_id: str, files: Iterable[tuple[str, bytes]], how: How, stated: bool = True) -> Job:
    """Order a shot that has no photo yet to be begun from pictures: one photograph, one layered file, or several
    pictures, first the nearest. ``stated``: at the size, rate and length that the shot states, which never change by
    themselves; else what is delivered follows from the pictures. Raises Conflict where there is a photo already."""
    if desk.store.load(shot_id).photos:
        raise Conflict("This shot has a photo already: layers begin a shot of their own.")
    kept = [[name, desk.store.blobs.keep(data, ".given")] for name, data in files]
    if not kept:
        raise FormatError("No picture was sent.")
    d = desk.store.load(shot_id).delivery
    told = replace(how, size=(d.width, d.height), fps=d.fps, frames=d.frames) if stated else how
    return desk.order(shot_id, "begin", "Begin from pictures", files=kept, how=asdict(told))


def run_begin(desk: Desk, order: Order, tell: Tell) -> dict[str, Any]:
    """Carry out an order to begin, as one undoable change."""
    how = order.body["how"]
    if how.get("size"):
        how = how | {"size": tuple(how["size"])}
    blobs = desk.store.blobs
    made = begin([(n, blobs.read(f)) for n, f in order.body["files"]], How(**how), tell, textures=True, place=blobs)

    def alter(shot: Shot) -> Shot:
        if shot.photos:
            raise Conflict("This shot has got a photo meanwhile; nothing was changed.")
        return made.shot.model_copy(update={"name": shot.name})

    desk.store.change(order.shot, "Begin from pictures", alter)
    keep_textures(desk, made.shot, made.textures)
    desk.changed(order.shot)
    return {"notes": made.notes}


def order_again(desk: Desk, shot_id: str, files: Iterable[tuple[str, bytes]]) -> Job:
    """Order layers to be put in again from a newer file, see `roofline.work.again.put_again`."""
    home_of(desk.store.load(shot_id))
    kept = [[name, desk.store.blobs.keep(data, ".given")] for name, data in files]
    if not kept:
        raise FormatError("No picture was sent.")
    return desk.order(shot_id, "layers_again", "Put layers in again", files=kept)


def run_again(desk: Desk, order: Order, tell: Tell) -> dict[str, Any]:
    """Carry out an order to put layers in again, as one undoable change."""
    shot, revision = desk.store.load_with_revision(order.shot)
    tell(0.1, "reading the layers")
    files, said = as_stills([(n, desk.store.blobs.read(f)) for n, f in order.body["files"]])
    made, notes = put_again(shot, files, desk.store.blobs)
    desk.store.change(order.shot, "Put layers in again", lambda _: made, MadeFrom(None, revision))
    desk.changed(order.shot)
    return {"notes": [*said, *notes, "The layers are put in again."]}


def order_first_move(desk: Desk, shot_id: str) -> Job:
    """Order a set that is whole from home and a push-in that holds; what is there already stays."""
    if not desk.store.load(shot_id).photos:
        raise Conflict("A photo comes first: bring one on Photo.")
    return desk.order(shot_id, "first_move", "A first move")


def run_first_move(desk: Desk, order: Order, tell: Tell) -> dict[str, Any]:
    """Carry out an order for a first move, as one undoable change. Where there is no camera yet, its edges
    are looked for, and what they do not tell is assumed."""
    shot, revision = desk.store.load_with_revision(order.shot)
    assume(desk, shot, tell)
    tell(0.1, "looking for a push-in that holds")
    made, said = first_move(shot, desk.engine, lambda share: tell(0.1 + 0.85 * share, "looking for what holds"))
    desk.store.change(order.shot, "A first move", lambda _: made, MadeFrom(None, revision))
    desk.changed(order.shot)
    return {"notes": [said]}


def order_assume(desk: Desk, shot_id: str) -> Job:
    """Order the camera and the scale that a set is built by; what is not known of them is assumed. Raises Conflict
    where there is no photo, or nothing to assume."""
    shot = desk.store.load(shot_id)
    if not shot.photos:
        raise Conflict("A photo comes first: bring one on Photo.")
    if _scaled(shot):
        raise Conflict("A surveyed photo has a scale already. Nothing has to be assumed.")
    return desk.order(shot_id, "assume", "Assume an eye height")


def run_assume(desk: Desk, order: Order, tell: Tell) -> dict[str, Any]:
    """Carry out such an order, as one undoable change."""
    shot, revision = desk.store.load_with_revision(order.shot)
    assume(desk, shot, tell)
    desk.store.change(order.shot, "Assume an eye height", lambda _: shot, MadeFrom(None, revision))
    desk.changed(order.shot)
    return {}


def _scaled(shot: Shot) -> bool:
    return any(p.camera is not None and p.camera.position is not None for p in shot.photos)


def assume(desk: Desk, shot: Shot, tell: Tell) -> None:
    """Give the first photo a camera with a scale, where no photo has both: what its edges do not tell is assumed."""
    if _scaled(shot):
        return
    photo = next((p for p in shot.photos if p.camera is not None), shot.photos[0])
    if bare(photo):
        tell(0.05, "looking for straight edges and their directions")
        with contextlib.suppress(SurveyError):
            photo.survey = with_edges(desk, shot, photo)
    if photo.survey.assumption is None:
        photo.survey = photo.survey.model_copy(update={"assumption": Assumption()})
    linked.resolve(shot, photo.id)
