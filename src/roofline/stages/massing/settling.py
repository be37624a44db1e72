"""Settling a piece to the edges of all photos that see it."""

from __future__ import annotations

from roofline.core.camera import View, view_of
from roofline.core.massing.settle import Settled
from roofline.core.massing.settling import settled_to
from roofline.model.shot import Shot
from roofline.model.solids import AnySolid
from roofline.stages.massing.drawing import place
from roofline.stages.massing.pieces import change, solid_of
from roofline.work.desk import Desk


def settle_piece(desk: Desk, shot_id: str, solid_id: str) -> Settled:
    """Fit a piece to the edges of all photos that see it, and keep it."""
    got: list[Settled] = []

    def alter_one(shot: Shot, solid: AnySolid) -> AnySolid:
        got.append(settled(desk, shot, solid))
        return got[-1].solid

    name = solid_of(desk.store.load(shot_id), solid_id).name
    change(desk, shot_id, [solid_id], f"Settle {name}", alter_one)
    return got[-1]


def settled(desk: Desk, shot: Shot, solid: AnySolid) -> Settled:
    shown = place(
        desk, shot.model_copy(update={"solids": [s for s in shot.solids if s.id == solid.id or not s.hidden]})
    )
    number = next(n for n, s in enumerate(shown.solids) if s.id == solid.id)
    views: list[View] = []
    greys = []
    for photo in shot.photos:
        if photo.camera is None or photo.camera.position is None:
            continue
        views.append(view_of(photo.camera))
        greys.append(desk.engines.grey(shot, photo, True))
    return settled_to(shown, number, views, greys)
