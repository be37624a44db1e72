"""The camera's keys: set, moved, removed, and made from an idea."""

from __future__ import annotations

from typing import Any

import numpy as np

from roofline.core.camera import from_pan_tilt_roll, key_rotation, pan_tilt_roll, quaternion_to_matrix
from roofline.core.moment import Moment
from roofline.core.move.ideas import Idea, from_idea
from roofline.core.move.path import Path, moment_at, pinned, shot_path
from roofline.core.move.travel import Place, own_frame, own_place, pace_through, travelled
from roofline.errors import NotFound
from roofline.model.base import Vec3
from roofline.model.move import Key, KeyChange, Move
from roofline.model.shot import Shot
from roofline.work.desk import Desk

BESIDE = ("ease", "focus_m", "f_stop", "velocity", "speed")  # what a key has besides the camera's place


def key_by_figures(
    frame: int, position: Vec3, angles_deg: Vec3, zoom: float, home: bool, ease: Any, **more: Any
) -> Key:
    """A key from pan, tilt and roll in degrees; ``more``: what else a key has."""
    turn = from_pan_tilt_roll(*np.radians(angles_deg))
    rotation = key_rotation(turn.T)
    return Key(frame=frame, position=position, rotation=rotation, zoom=zoom, home=home, ease=ease, **more)


def _with_keys(shot: Shot, keys: list[Key], **travel: Any) -> Shot:
    """A shot with other keys, in order and of one frame each; ``travel``: what else of the move is another."""
    move = shot.move.model_copy(update={"keys": Move(keys=keys).keys, **travel})
    return shot.model_copy(update={"move": move})


def set_key(desk: Desk, shot_id: str, frame: str, key: Key, seen: bool = False) -> None:
    """Put a key in place of the one on a frame, and of any on its own; one at home is the surveyed camera.

    ``seen``: it says where the camera is to be seen on that frame, with its pace, carrier, aim and sway, rather than
    where the key stands.
    """

    desk.store.change(shot_id, f"Set the key on frame {key.frame}", lambda shot: _with_key(shot, frame, key, seen))


def _with_key(shot: Shot, frame: str, key: Key, seen: bool) -> Shot:
    placed, old, speed = key.model_copy(), frame, shot.move.speed
    if seen and speed:
        path = shot_path(shot)
        placed.frame = own_frame(shot, path, key.frame)
        old, speed = str(placed.frame), pace_through(speed, path, key.frame, placed.frame)
    if key.home:
        placed = pinned(shot, placed)
    elif seen:
        place = Place(np.array(key.position), quaternion_to_matrix(key.rotation), key.focal(shot.home_px))
        own = own_place(shot, shot_path(shot), key.frame, place)
        stood = {"position": tuple(own.position.tolist()), "rotation": key_rotation(own.rotation)}
        placed = placed.model_copy(update=stood)
    placed.id = next((k.id for k in shot.move.keys if str(k.frame) == old), "")
    others = [k for k in shot.move.keys if str(k.frame) != old and k.frame != placed.frame]
    return _with_keys(shot, [*others, placed], speed=speed)


def change_key(desk: Desk, shot_id: str, frame: str, change: KeyChange) -> None:
    """Set the figures that are given of the key on a frame, or of a new one there; see `KeyChange`.

    The others are as they are when the change is made, not as somebody saw them last.
    """

    def alter(shot: Shot) -> Shot:
        return _with_key(shot, frame, _completed(shot, frame, change), change.seen)

    desk.store.change(shot_id, f"Set the key on frame {change.frame}", alter)


def _completed(shot: Shot, frame: str, change: KeyChange) -> Key:
    """A key of the figures that are given, and of those that are there."""
    path = shot_path(shot)
    stands = str(own_frame(shot, path, change.frame)) if change.seen and shot.move.speed else frame
    old = next((k for k in shot.move.keys if str(k.frame) == stands), None)
    there = Key(frame=change.frame, **_there(shot, path, change, old))
    at = change.position or (None, None, None)
    x, y, z = (here if given is None else given for given, here in zip(at, there.position, strict=True))
    rotation = there.rotation
    if "rotation" in change.places:
        now = np.degrees(pan_tilt_roll(quaternion_to_matrix(there.rotation).T))
        given = (change.pan_deg, change.tilt_deg, change.roll_deg)
        angles = [here if to is None else to for to, here in zip(given, now, strict=True)]
        rotation = key_rotation(from_pan_tilt_roll(*np.radians(angles)).T)
    more = {} if old is None else {n: getattr(old, n) for n in BESIDE}
    more |= {n: v for n, v in change.given().items() if n in BESIDE}
    free = change.free if change.free is not None else [v for v in (old.free if old else []) if v not in change.places]
    if change.home:
        free = []
    if more.get("ease") == "rest" or "position" in free:
        more |= {"velocity": None, "speed": None}
    zoom, home = change.zoom or there.zoom, change.home
    return Key(frame=change.frame, position=(x, y, z), rotation=rotation, zoom=zoom, home=home, free=free, **more)


def _there(shot: Shot, path: Path, change: KeyChange, old: Key | None) -> dict[str, Any]:
    """Position, rotation and zoom as they are where a key is set: a key's own to the last digit, but for what it leaves
    to others."""
    if change.seen:
        place = travelled(shot, path, change.frame)
    else:
        place = Place(*path.at(old.frame if old is not None else change.frame))
    found = {
        "position": tuple(place.position.tolist()),
        "rotation": key_rotation(place.rotation),
        "zoom": place.focal / shot.home_px,
    }
    if old is None or change.seen:
        return found
    own = pinned(shot, old) if old.home else old
    names = {"position": "position", "rotation": "rotation", "zoom": "focal_px"}
    return found | {name: getattr(own, name) for name, held in names.items() if held not in old.free}


def set_idea(desk: Desk, shot_id: str, kind: Idea, amount: float, about: str | Vec3 | None, ends_at_home: bool) -> None:
    """Set the keys of an idea in place of those that there are, see `from_idea`; what makes the camera travel stays."""
    solid, at = (about, None) if isinstance(about, str) else (None, about)

    def alter(shot: Shot) -> Shot:
        return _with_keys(shot, from_idea(shot, kind, amount, solid, at, ends_at_home))

    desk.store.change(shot_id, "A move from an idea", alter)


def try_idea(desk: Desk, shot_id: str, kind: Idea, amount: float, at: Vec3 | None, ends_at_home: bool) -> Moment:
    """The moment at the other end of an idea than home, as a hand is trying it; nothing is kept."""
    shot = desk.store.load(shot_id)
    tried = _with_keys(shot, from_idea(shot, kind, amount, None, at, ends_at_home))
    return moment_at(tried, shot_path(tried), shot.frame_range[0 if ends_at_home else 1])


def remove_key(desk: Desk, shot_id: str, frame: str) -> None:
    def alter(shot: Shot) -> Shot:
        left = [k for k in shot.move.keys if str(k.frame) != frame]
        if len(left) == len(shot.move.keys):
            raise NotFound(f"There is no key on frame {frame}.")
        return _with_keys(shot, left)

    desk.store.change(shot_id, f"Remove the key on frame {frame}", alter)
