"""What travels besides the camera's keys: its carrier, pace, aim and sway; pieces and groups."""

from __future__ import annotations

from roofline.core.move.home import home_frame
from roofline.core.move.path import with_ends
from roofline.core.move.travel import aimed_at
from roofline.errors import MoveError, NotFound
from roofline.model.massing import ONLY_FLATS, Motion, MotionKey
from roofline.model.move import Carrier, CarrierKey, Move, TravelChange
from roofline.model.shot import GroupMotion, Shot
from roofline.work.desk import Desk


def set_travel(desk: Desk, shot_id: str, change: TravelChange) -> None:
    """Set how the camera travels: what is given of it; keys stay."""

    def alter(shot: Shot) -> Shot:
        bare = shot.move.carrier is None
        given = change.model_dump(exclude_unset=True, exclude={"in_motion"})
        shot.move = Move.model_validate(shot.move.model_dump() | given)
        if change.in_motion is not None:
            shot.move.keys = with_ends(shot.move.keys, change.in_motion)
        carrier = shot.move.carrier
        if bare and carrier is not None and len(carrier.keys) == 1 and carrier.keys[0].frame != home_frame(shot):
            rest = CarrierKey(frame=home_frame(shot), position=(0.0, 0.0, 0.0))
            shot.move.carrier = Carrier(keys=[rest, *carrier.keys])
        if shot.move.aim is not None and shot.move.keys:
            aimed_at(shot)  # raises for a piece that is not there
        return shot

    desk.store.change(shot_id, "Change how the camera travels", alter)


def _with_rest(shot: Shot, motion: Motion | None, before: Motion | None) -> Motion | None:
    """A motion whose first key is given away from home's frame, with a key there at which it rests."""
    if motion is None or len(motion.keys) != 1 or (before is not None and before.keys):
        return motion
    frame = home_frame(shot)
    if motion.keys[0].frame == frame:
        return motion
    return motion.model_copy(update={"keys": Motion(keys=[MotionKey(frame=frame), *motion.keys]).keys})


def set_motion(desk: Desk, shot_id: str, solid_id: str, motion: Motion | None) -> None:
    """Set how a piece moves; None: it stands."""

    def alter(shot: Shot) -> Shot:
        for solid in shot.solids:
            if solid.id == solid_id:
                if motion is not None and motion.fades and not solid.can_fade:
                    raise MoveError(f"{ONLY_FLATS[0].upper()}{ONLY_FLATS[1:]}.")
                solid.motion = None if motion is None or motion.still else _with_rest(shot, motion, solid.motion)
                return shot
        raise NotFound(f"There is no piece '{solid_id}'.")

    desk.store.change(shot_id, "Change how a piece moves", alter)


def set_group_motion(desk: Desk, shot_id: str, name: str, motion: Motion | None) -> None:
    """Set how a group moves; None: it stands."""

    def alter(shot: Shot) -> Shot:
        if not any(s.group == name for s in shot.solids):
            raise NotFound(f"There is no group '{name}'.")
        if motion is not None and motion.fades and not any(s.can_fade for s in shot.solids if s.group == name):
            raise MoveError(f"The group '{name}' has no flat, and {ONLY_FLATS}.")
        rest = [g for g in shot.groups if g.name != name]
        moves = _with_rest(shot, motion, next((g.motion for g in shot.groups if g.name == name), None))
        shot.groups = rest if moves is None or moves.still else [*rest, GroupMotion(name=name, motion=moves)]
        return shot

    desk.store.change(shot_id, "Change how a group moves", alter)
