"""Settling a piece to the edges of all photos that see it."""

from __future__ import annotations

from roofline.core.camera import View, view_of
from roofline.core.massing.settle import Settled, Side, seen_sides, settle
from roofline.core.survey.snap import snap
from roofline.model.shot import Shot
from roofline.model.solids import AnySolid
from roofline.stages.massing.drawing import place
from roofline.stages.massing.pieces import change, solid_of
from roofline.work.desk import Desk

SETTLE_REACH = 0.002  # of the photo's width: how far beside a side its edge in the picture is looked for
SETTLE_SIGMA = 0.5  # pixels: how well an edge of the picture is known


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
    sides: list[Side] = []
    for photo in shot.photos:
        if photo.camera is None or photo.camera.position is None:
            continue
        view = view_of(photo.camera)
        grey = desk.engines.grey(shot, photo, True)
        for ends, pixels in seen_sides(shown, number, view):
            laid = snap(grey, pixels[0], pixels[1], max(4.0, SETTLE_REACH * view.width), 6)
            if laid is not None:
                sides.append(Side(len(views), ends, laid))
        views.append(view)
    return settle(solid, views, sides, SETTLE_SIGMA)
