"""Looking along the move: ordered, kept while it is the move's, and fetched."""

from __future__ import annotations

from typing import Any

from roofline.core.move.along import along
from roofline.core.move.path import moments
from roofline.errors import Conflict
from roofline.model.base import Model
from roofline.model.reports import Along
from roofline.model.shot import Shot
from roofline.stages import move
from roofline.store.orders import Order
from roofline.work.desk import Desk
from roofline.work.jobs import Job, Tell


class AlongState(Model):
    """The look along the move as it stands, or null when it has not been made."""

    look: Along | None


def order(desk: Desk, shot_id: str) -> Job:
    """Order a look along the move."""
    return desk.order(shot_id, "along", "Look along the move")


def run(desk: Desk, order: Order, tell: Tell) -> dict[str, Any]:
    """Look along; what is found is kept, and given by `looked`."""
    shot = desk.store.load(order.shot)
    if len(shot.move.keys) < 1:
        raise Conflict("There is no move yet: set a key first.")
    found = along(shot, desk.engine(shot), moments(shot), lambda done: tell(done, "looking along the move"))
    desk.kept.put("along", move.report_key(desk, shot), found)
    return {"frames": len(found.frames)}


def looked(desk: Desk, shot: Shot) -> AlongState:
    """What was seen along this very move, if it has been looked at."""
    return AlongState(look=desk.kept.peek("along", move.report_key(desk, shot)))
