"""The pieces that are there: found, changed and removed, each in one step that can be undone."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from roofline.core.camera import Array
from roofline.core.massing import arrange
from roofline.core.massing.kinds import Flat
from roofline.core.massing.kinds.base import Axis
from roofline.core.massing.solids import faces_of
from roofline.errors import Conflict, MassingError, NotFound
from roofline.model.base import Vec3
from roofline.model.parts import Parts, with_parts
from roofline.model.plates import Throw
from roofline.model.shot import Shot
from roofline.model.solids import AnySolid
from roofline.stages.shots import fresh_id, fresh_name
from roofline.store.store import MadeFrom
from roofline.work.desk import Desk


def solid_of(shot: Shot, solid_id: str) -> AnySolid:
    """The solid with this id; raises NotFound."""
    for solid in shot.solids:
        if solid.id == solid_id:
            return solid
    raise NotFound(f"There is no solid '{solid_id}'.")


def change(
    desk: Desk,
    shot_id: str,
    ids: list[str],
    label: str,
    alter_one: Callable[[Shot, AnySolid], AnySolid],
    made_from: MadeFrom | None = None,
) -> None:
    """Change some pieces in one step that can be undone."""

    def alter(shot: Shot) -> Shot:
        for ident in ids:
            solid = solid_of(shot, ident)
            new = alter_one(shot, solid)
            if new.id != ident:
                raise Conflict("A solid keeps its id.")
            if solid.locked and new.locked:
                raise MassingError(f"{solid.name} is locked; unlock it first.")
            shot.solids = [new if s.id == ident else s for s in shot.solids]
        return shot

    desk.store.change(shot_id, label, alter, made_from)


def set_parts(desk: Desk, shot_id: str, solid_id: str, parts: Parts) -> None:
    """Set some of a piece's figures, or its name; see `with_parts`."""
    change(desk, shot_id, [solid_id], "Change a piece", lambda _, solid: with_parts(solid, parts))


def remove(desk: Desk, shot_id: str, ids: list[str]) -> None:
    def alter(shot: Shot) -> Shot:
        gone = set(ids)
        for ident in ids:
            solid_of(shot, ident)
        shot.solids = [s for s in shot.solids if s.id not in gone]
        for throw in shot.throws:
            throw.targets = [t for t in throw.targets if t.partition("/")[0] not in gone]
            throw.first_on = [t for t in throw.first_on if t.partition("/")[0] not in gone]
        for plate in shot.plates:
            plate.without = [w for w in plate.without if w not in gone]
        return shot

    desk.store.change(shot_id, "Remove a solid" if len(ids) == 1 else f"Remove {len(ids)} solids", alter)


def copy(desk: Desk, shot_id: str, ids: list[str], step: Vec3, times: int, label: str) -> list[str]:
    """Copies of some pieces, each set a step further than the one before; thrown upon as the first ones are."""
    made: list[str] = []

    def alter(shot: Shot) -> Shot:
        made.clear()
        for n in range(1, times + 1):
            for ident in ids:
                solid = solid_of(shot, ident)
                copied = arrange.moved(solid, n * np.array(step))
                name = fresh_name(solid.name, {s.name for s in shot.solids})
                new = copied.model_copy(
                    update={"id": fresh_id(name, [s.id for s in shot.solids]), "name": name, "locked": False}
                )
                shot.solids.append(new)
                made.append(new.id)
                _thrown_like(shot, ident, new.id)
        return shot

    desk.store.change(shot_id, label, alter)
    return made


def mirror(desk: Desk, shot_id: str, ids: list[str], axis: Axis, at: float, keep: bool) -> list[str]:
    """Pieces mirrored at a plane across run or return; ``keep`` leaves the first ones standing beside."""
    made: list[str] = []

    def alter(shot: Shot) -> Shot:
        made.clear()
        for ident in ids:
            solid = solid_of(shot, ident)
            new = arrange.mirrored(solid, axis, at)
            if not keep:
                if solid.locked:
                    raise MassingError(f"{solid.name} is locked; unlock it first.")
                shot.solids = [new if s.id == ident else s for s in shot.solids]
                made.append(ident)
                continue
            name = fresh_name(solid.name, {s.name for s in shot.solids})
            new = new.model_copy(update={"id": fresh_id(name, [s.id for s in shot.solids]), "name": name})
            shot.solids.append(new)
            made.append(new.id)
            _thrown_like(shot, ident, new.id)
        return shot

    desk.store.change(shot_id, "Mirror", alter)
    return made


def reorder(desk: Desk, shot_id: str, ids: list[str]) -> None:
    """Put the pieces in an order; those that are not named stay behind the others, as they were."""

    def alter(shot: Shot) -> Shot:
        place = {ident: n for n, ident in enumerate(ids)}
        shot.solids = sorted(shot.solids, key=lambda s: place.get(s.id, len(ids)))
        return shot

    desk.store.change(shot_id, "Change the order", alter)


def face_plane(desk: Desk, shot: Shot, name: str) -> tuple[Array, float]:
    """The plane of a face by its full name."""
    solid_id, _, face = name.partition("/")
    plane = faces_of(solid_of(shot, solid_id), desk.engines.meshes(shot)).plane(face)
    if plane is None:
        raise NotFound(f"There is no face '{name}'.")
    return plane


def thrown_on(shot: Shot, solid: AnySolid, plate_id: str | None) -> None:
    """Throws for a new piece: on a flat its own plate; on others the photos and clean plates, as the artist expects."""
    if isinstance(solid, Flat) and plate_id:
        throw = next((t for t in shot.throws if t.plate == plate_id), None)
        if throw is None:
            shot.throws.insert(0, Throw(plate=plate_id, targets=[solid.id]))
        else:
            throw.targets.append(solid.id)
        for clean in (p for p in shot.plates if p.clean_of == plate_id):
            clean.without = [*clean.without, solid.id]
        return
    for throw in shot.throws:
        if shot.plate(throw.plate).role in ("photo", "clean"):
            throw.targets.append(solid.id)


def _thrown_like(shot: Shot, ident: str, new: str) -> None:
    """Give a copy the throws of the piece that it is copied from."""
    for throw in shot.throws:
        more = [new + t[len(ident) :] for t in throw.targets if t == ident or t.startswith(ident + "/")]
        throw.targets.extend(more)
    for plate in shot.plates:
        if ident in plate.without:
            plate.without = [*plate.without, new]
