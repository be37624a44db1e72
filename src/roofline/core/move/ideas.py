"""A move from an idea: keys from home on, or towards it, by a kind of movement and how far."""

from __future__ import annotations

from typing import Literal

import numpy as np
from scipy.spatial.transform import Rotation

from roofline.core.camera import Array, from_pan_tilt_roll, key_rotation, pan_tilt_roll, quaternion_to_matrix
from roofline.core.move.path import home_key
from roofline.core.move.travel import middle_of, turn_between
from roofline.errors import MoveError
from roofline.model.base import Vec3
from roofline.model.move import Key
from roofline.model.shot import Shot

Idea = Literal["push_in", "pull_out", "slide", "rise", "arc", "counter", "pan"]
EVERY = 7.5  # degrees of an arc between two keys: the path then leaves the circle by less than 0.2 % of it
PASSED = 0.05  # of the way to what it is about that is left, at least
BEFORE = 10.0  # metres to what a move is about, where nothing is said


def about(shot: Shot, solid: str | None, at: Vec3 | None) -> Array:
    """The point (3,) that a move is about: one that is given, the middle of a piece, or what lies straight ahead of
    home at BEFORE metres. Raises MoveError for a piece that is not there."""
    if at is not None:
        return np.array(at, dtype=np.float64)
    if solid is not None:
        middle = middle_of(shot, solid)
        if middle is None:
            raise MoveError(f"There is no piece '{solid}' to move about.")
        return middle
    home = home_key(shot, 1)
    return np.array(home.position) + BEFORE * quaternion_to_matrix(np.array(home.rotation))[:, 2]


def from_idea(
    shot: Shot,
    kind: Idea,
    amount: float,
    solid: str | None = None,
    at: Vec3 | None = None,
    ends_at_home: bool = False,
) -> list[Key]:
    """The keys of an idea.

    Parameters
    ----------
    kind
        push_in (towards the point), pull_out (straight back), slide (along the picture, to the right), rise (upwards,
        the point keeping its place in the frame), arc (round the point's upright axis, anticlockwise from above),
        counter (towards the point while the lens widens: what is as far as it keeps its size), pan (to the right).
    amount
        Metres, or degrees of arc and pan; below zero the other way.
    solid, at
        What the move is about, see `about`.
    ends_at_home
        Whether home is the last frame; else it is the first.

    Raises
    ------
    MoveError
        When there is no home, or the move would pass through what it is about.
    """
    first, last = shot.frame_range
    if first == last:
        raise MoveError("A move needs two frames at least: state a longer shot on Photo.")
    home = home_key(shot, last if ends_at_home else first)
    point = about(shot, solid, at)
    other = first if ends_at_home else last
    spans = max(3, int(np.ceil(abs(amount) / EVERY))) if kind == "arc" else 1
    keys = [home]
    for share in np.linspace(0, 1, spans + 1)[1:].tolist():
        frame = round(home.frame + (other - home.frame) * share)
        keys.append(_key(home, kind, amount * share, point, frame))
    return sorted(keys, key=lambda key: key.frame)


def _key(home: Key, kind: Idea, by: float, point: Array, frame: int) -> Key:
    """Home moved by so much of an idea."""
    position, turn = np.array(home.position), quaternion_to_matrix(np.array(home.rotation))
    to, zoom = point - position, home.zoom
    right = np.cross(turn[:, 2], [0.0, 1.0, 0.0])
    level = right / max(float(np.linalg.norm(right)), 1e-9)
    if kind in ("push_in", "counter"):
        depth = float(to @ turn[:, 2])
        if depth <= 0:
            raise MoveError("What the move is about lies behind the lens: choose something that home shows.")
        way = to / np.linalg.norm(to)
        if by > (1 - PASSED) * np.linalg.norm(to):
            raise MoveError(f"What the move is about is {np.linalg.norm(to):.1f} m off: go less far.")
        position = position + by * way
        if kind == "counter":
            zoom *= float((point - position) @ turn[:, 2]) / depth
    elif kind == "pull_out":
        position = position - by * turn[:, 2]
    elif kind == "slide":
        position = position + by * level
    elif kind == "rise":
        position = position + [0.0, by, 0.0]
        turn = turn_between(to, point - position).as_matrix() @ turn
    elif kind == "arc":
        spin = Rotation.from_euler("y", by, degrees=True).as_matrix()
        position, turn = point + spin @ (position - point), spin @ turn
    else:
        pan, tilt, roll = pan_tilt_roll(turn.T)
        turn = from_pan_tilt_roll(pan + np.radians(by), tilt, roll).T
    px, py, pz = (float(v) for v in position)
    return Key(frame=frame, position=(px, py, pz), rotation=key_rotation(turn), zoom=zoom, ease="pass")
