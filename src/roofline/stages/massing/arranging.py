"""Arranging some pieces in one step: moved, pushed, repeated, mirrored, aligned, set down, marked, removed, put in
order."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from roofline.core.massing import arrange
from roofline.core.massing.kinds import Flat
from roofline.errors import MassingError
from roofline.model.base import Model, Name, Vec3
from roofline.model.shot import Shot
from roofline.model.solids import AnySolid
from roofline.stages.massing import pieces
from roofline.stages.massing.pieces import solid_of
from roofline.stages.photo import surveyed
from roofline.work.desk import Desk

Ids = Annotated[list[str], Field(min_length=1, max_length=2000)]


class Move3(Model):
    """Moved by metres, and turned about the rise through the middle of all."""

    op: Literal["move"] = "move"
    ids: Ids
    by: Vec3 = (0.0, 0.0, 0.0)
    turn_deg: Annotated[float, Field(ge=-360, le=360)] = 0.0


class Push(Model):
    """Moved in depth by a factor; the picture from home stays, or the true size where it is locked."""

    op: Literal["push"] = "push"
    ids: Ids
    factor: Annotated[float, Field(gt=0)]


class Repeat(Model):
    """Copies, each a step further."""

    op: Literal["repeat"] = "repeat"
    ids: Ids
    step: Vec3
    times: Annotated[int, Field(ge=1, le=200)] = 1


class Mirror(Model):
    """Mirrored across run or return, at a coordinate in metres or about the middle of all; with `keep` as a copy."""

    op: Literal["mirror"] = "mirror"
    ids: Ids
    axis: Literal["run", "return"]
    at: float | None = None
    keep: bool = False


class Align(Model):
    """One face brought into the plane of another."""

    op: Literal["align"] = "align"
    face: str
    to: str


class Stand(Model):
    """Set on a level; the picture from home stays, or the true size where it is locked."""

    op: Literal["stand"] = "stand"
    ids: Ids
    level: float = 0.0


class Through(Model):
    """What of some flats lies below a rise is drawn in front of the ground there; None: the ground hides it."""

    op: Literal["through"] = "through"
    ids: Ids
    level: float | None


class Mark(Model):
    """Names of groups and tags, locks, what is shown: whatever is given, for all."""

    op: Literal["mark"] = "mark"
    ids: Ids
    locked: bool | None = None
    hidden: bool | None = None
    in_set: bool | None = None  # what is drawn is in the set
    true_size: bool | None = None
    group: str | None = None  # an empty one takes out of the group
    tags: list[Name] | None = None


class Remove(Model):
    op: Literal["remove"] = "remove"
    ids: Ids


class Order(Model):
    """The pieces in a new order."""

    op: Literal["order"] = "order"
    ids: Ids


Placed = Move3 | Push | Stand
Arrange = Annotated[
    Placed | Repeat | Mirror | Align | Through | Mark | Remove | Order,
    Field(discriminator="op"),
]


def arranged(desk: Desk, shot_id: str, body: Arrange) -> list[str]:
    """Carry out an arrangement; returns the ids of what is to be chosen afterwards."""
    match body:
        case Repeat():
            label = "Copy" if body.times == 1 else f"Repeat {body.times} times"
            return pieces.copy(desk, shot_id, body.ids, body.step, body.times, label)
        case Remove():
            pieces.remove(desk, shot_id, body.ids)
            return []
        case Order():
            pieces.reorder(desk, shot_id, body.ids)
            return []
        case Align():
            return _aligned(desk, shot_id, body)
        case Through():
            _let_through(desk, shot_id, body)
            return body.ids
        case Mark():
            given = body.model_dump(include={"locked", "hidden", "in_set", "true_size", "tags"}, exclude_none=True)
            if body.hidden is False:
                given["in_set"] = True
            if body.group is not None:
                given["group"] = body.group.strip() or None
            _mark(desk, shot_id, body.ids, given)
            return body.ids
        case Mirror():
            at = (
                body.at
                if body.at is not None
                else float(_middle(desk, shot_id, body.ids)[0 if body.axis == "run" else 2])
            )
            return pieces.mirror(desk, shot_id, body.ids, body.axis, at, body.keep)
        case _:
            return _placed(desk, shot_id, body)


def _middle(desk: Desk, shot_id: str, ids: list[str]) -> np.ndarray:
    """The middle (3,) of some pieces."""
    shot = desk.store.load(shot_id)
    meshes = desk.engines.meshes(shot)
    return np.asarray(np.mean([arrange.middle_of(solid_of(shot, ident), meshes) for ident in ids], axis=0))


def _aligned(desk: Desk, shot_id: str, body: Align) -> list[str]:
    solid_id, _, face = body.face.partition("/")

    def aligned(shot: Shot, solid: AnySolid) -> AnySolid:
        return arrange.aligned(solid, face, pieces.face_plane(desk, shot, body.to), desk.engines.meshes(shot))

    pieces.change(desk, shot_id, [solid_id], "Align a face", aligned)
    return [solid_id]


def _placed(desk: Desk, shot_id: str, body: Move3 | Push | Stand) -> list[str]:
    middle = _middle(desk, shot_id, body.ids)

    def alter(shot: Shot, solid: AnySolid) -> AnySolid:
        if isinstance(body, Move3):
            turned = arrange.turned_about(solid, middle, body.turn_deg) if body.turn_deg else solid
            return arrange.moved(turned, np.array(body.by))
        home, meshes = surveyed(shot)[1].position, desk.engines.meshes(shot)
        if isinstance(body, Push):
            return arrange.pushed(solid, home, body.factor, meshes)
        return arrange.stood(solid, body.level, home, meshes)

    labels = {"move": "Move", "push": "Move in depth", "stand": "Set on a level"}
    pieces.change(desk, shot_id, body.ids, labels[body.op], alter)
    return body.ids


def _let_through(desk: Desk, shot_id: str, body: Through) -> None:
    """Throws that name a flat's front go on to the part that is drawn in front of the ground."""

    def alter(shot: Shot, flat: AnySolid) -> AnySolid:
        if not isinstance(flat, Flat):
            raise MassingError(f"Only a flat can be drawn in front of the ground; {flat.name} is not a flat.")
        fronts = {f"{flat.id}/front": f"{flat.id}/below"}
        for throw in shot.throws:
            throw.targets = _with_below(throw.targets, fronts)
            throw.first_on = _with_below(throw.first_on, fronts)
        return flat.with_(passes=body.level)

    label = "Let the ground hide a flat" if body.level is None else "Draw a flat in front of the ground"
    pieces.change(desk, shot_id, body.ids, label, alter)


def _with_below(names: list[str], fronts: dict[str, str]) -> list[str]:
    return [*names, *(fronts[n] for n in names if n in fronts and fronts[n] not in names)]


def _follow(shot: Shot, was: set[str], group: object) -> None:
    """A group whose pieces all have another one now was renamed: its motion goes along, where the other has none.

    What nobody is in any more does not move.
    """
    there = {s.group for s in shot.solids if s.group}
    for old in sorted(was - there):
        motion = next((g for g in shot.groups if g.name == old), None)
        if motion is not None and group in there and all(g.name != group for g in shot.groups):
            shot.groups = [*shot.groups, motion.model_copy(update={"name": group})]
    shot.groups = [g for g in shot.groups if g.name in there or g.name not in was]


def _mark(desk: Desk, shot_id: str, ids: list[str], given: dict[str, object]) -> None:
    """Change what is said of pieces, not their shape; a lock does not stand against it."""

    def alter(shot: Shot) -> Shot:
        for ident in ids:
            solid_of(shot, ident)
        chosen = set(ids)
        was = {s.group for s in shot.solids if s.id in chosen and s.group}
        # checked as a whole: a name too long is refused, and nothing has changed
        shot.solids = [
            type(s).model_validate({**s.model_dump(), **given}) if s.id in chosen else s for s in shot.solids
        ]
        if "group" in given:
            _follow(shot, was, given["group"])
        return shot

    shown = {"hidden": "Show or hide", "in_set": "Show or hide"}
    what = {"locked": "Lock", "group": "Group", "tags": "Tag", "true_size": "Keep the size"} | shown
    desk.store.change(shot_id, what.get(next(iter(given), ""), "Change"), alter)
