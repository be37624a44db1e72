"""How a camera travels its path: how fast, on what, looking at what, and how steadily."""

from __future__ import annotations

from functools import lru_cache
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from scipy.interpolate import PchipInterpolator
from scipy.spatial.transform import Rotation

from roofline.core.camera import Array
from roofline.core.massing.solids import faces_of
from roofline.core.move.curves import through, turned
from roofline.errors import MoveError
from roofline.model.move import Carrier, Sway
from roofline.model.shot import Shot

if TYPE_CHECKING:
    from roofline.core.move.path import Path

WAVES = 24  # sinusoids of a sway along each direction
SAME = 1e-7  # metres, parts of a turn, and frames, that figures lose on their way to the screen and back
BAND = (0.5, 1.5)  # of its frequency


class Place(NamedTuple):
    """Position (3,) in metres, rotation camera → world (3, 3), focal length in delivered pixels."""

    position: Array
    rotation: Array
    focal: float


def travelled(shot: Shot, path: Path, frame: float) -> Place:
    """Where the camera is at a frame: on its path at the pace of the speed curve, on its carrier, aimed, swaying."""
    move = shot.move
    place = Place(*path.at(paced(move.speed, path, frame)))
    if move.carrier is not None:
        place = _carried(move.carrier, place, frame)
    if move.aim is not None and move.aim_share > 0:
        place = _aimed(shot, path, place)
    if move.sway is not None:
        place = _swayed(shot, place, frame)
    return place


def own_place(shot: Shot, path: Path, frame: int, seen: Place) -> Place:
    """Where the key that a frame shows has to stand for the camera to be seen at a place: carrier, aim, sway taken off.

    What of the place is as it was stays the path's own to the last digit, also where an aim hides it. Under a pace the
    key belongs on `own_frame`.

    Raises
    ------
    MoveError
        For a direction that the aim does not let be.
    """
    move, time = shot.move, paced(shot.move.speed, path, frame)
    now, own = travelled(shot, path, frame), Place(*path.at(time))
    moved = not np.allclose(seen.position, now.position, atol=SAME)
    turned = not np.allclose(seen.rotation, now.rotation, atol=SAME)
    position, rotation = seen.position, seen.rotation
    if move.sway is not None:
        shift, turn = _sway_of(shot, frame)
        position, rotation = position - shift, rotation @ turn.T
    if move.aim is not None and move.aim_share > 0 and turned and time != path.frames[_pinned(shot)]:
        rotation = _unaimed(shot, path, Place(position, rotation, seen.focal))
    if move.carrier is not None:
        at, turn_of = carrier_at(move.carrier, frame)
        position, rotation = turn_of.inv().apply(position - at), turn_of.inv().as_matrix() @ rotation
    return Place(position if moved else own.position, rotation if turned else own.rotation, seen.focal)


def _unaimed(shot: Shot, path: Path, place: Place) -> Array:
    """The rotation that an aim turns into a place's own; raises MoveError where there is none."""
    point, share = aimed_at(shot), shot.move.aim_share
    ray = _aiming_ray(shot, path, place, point)
    if ray is None:
        return place.rotation
    left = turn_between(place.rotation @ ray, point - place.position).as_rotvec()  # what the aim has left over
    far = float(np.linalg.norm(left))
    if far > 1e-6 and far >= (1 - share) * np.pi:
        raise MoveError(
            "The camera keeps looking at what it is aimed at: lower the share under “How it travels” to turn away."
        )
    back = Rotation.from_rotvec(-share / (1 - share) * left) if far > 1e-6 else Rotation.identity()
    return np.asarray(back.as_matrix() @ place.rotation)


def paced(speed: list[tuple[float, float]] | None, path: Path, frame: float) -> float:
    """The frame of the keys' own time at which the camera is by a frame: monotone (Fritsch and Butland 1984)."""
    if not speed:
        return frame
    frames, progress = np.array(speed, dtype=np.float64).T
    share = float(PchipInterpolator(frames, progress)(np.clip(frame, frames[0], frames[-1])))
    first, last = float(path.frames[0]), float(path.frames[-1])
    return first + float(np.clip(share, 0.0, 1.0)) * (last - first)


def key_passing(speed: list[tuple[float, float]] | None, path: Path, keys: list[int], frame: int) -> int | None:
    """Of keys' frames of their own time the nearest that passes within half a frame of a frame, if any."""
    time, low, high = (paced(speed, path, f) for f in (frame, frame - 0.5, frame + 0.5))
    return min((k for k in keys if low - SAME <= k <= high + SAME), key=lambda k: abs(k - time), default=None)


def own_frame(shot: Shot, path: Path, frame: int) -> int:
    """The frame of the keys' own time at which a key belongs that a frame shows.

    That of the key that passes there, see `key_passing`; else the nearest. A single key has no time of its own yet.
    """
    if len(path.frames) < 2:
        return frame
    passing = key_passing(shot.move.speed, path, [k.frame for k in shot.move.keys], frame)
    return round(paced(shot.move.speed, path, frame)) if passing is None else passing


def pace_through(speed: list[tuple[float, float]], path: Path, frame: float, own: float) -> list[tuple[float, float]]:
    """A speed curve that shows a frame ``own`` of the keys' time exactly on a frame: a handle more, in place of one
    that stands nearer than a frame.

    Where the curve holds, all of the hold goes along; no other handle is moved but to keep it from going back.
    """
    first, last = float(path.frames[0]), float(path.frames[-1])
    if last <= first:
        return speed
    share = (own - first) / (last - first)
    held = (paced(speed, path, frame) - first) / (last - first)
    if abs(share - held) < 1e-12:
        return speed
    ends = (speed[0][0], speed[-1][0])
    kept = [(f, p) for f, p in speed if abs(f - frame) >= 1 or (f in ends and f != frame)]
    out = [(f, share if abs(p - held) < 1e-9 else p) for f, p in kept]
    out = [(f, min(p, share) if f < frame else max(p, share)) for f, p in out]
    return sorted([*out, (float(frame), share)])


def carrier_at(carrier: Carrier, frame: float) -> tuple[Array, Rotation]:
    """Where a carrier is (3,), and how it is turned: along curves through its keys; it stands before and after them."""
    keys = carrier.keys
    turns = Rotation.from_quat([k.rotation for k in keys], scalar_first=True)
    if len(keys) == 1:
        return np.array(keys[0].position), turns[0]
    frames = np.array([k.frame for k in keys], dtype=np.float64)
    position = through(keys, frames, np.array([k.position for k in keys]))(frame)
    return position, turned(keys, frames, turns, frame)


def _carried(carrier: Carrier, place: Place, frame: float) -> Place:
    position, turn = carrier_at(carrier, frame)
    return Place(position + turn.apply(place.position), turn.as_matrix() @ place.rotation, place.focal)


# ---------------------------------------------------------------- aim


def aimed_at(shot: Shot) -> Array:
    """The point that is aimed at (3,); raises MoveError for a piece that is not there."""
    aim = shot.move.aim
    assert aim is not None
    if aim.at is not None:
        return np.array(aim.at)
    middle = middle_of(shot, aim.solid)
    if middle is None:
        raise MoveError(f"The camera aims at the piece '{aim.solid}', which is not there any more: aim at another one.")
    return middle


def middle_of(shot: Shot, solid_id: str | None) -> Array | None:
    """The middle (3,) of what a piece takes up; None where there is no such piece."""
    for solid in shot.solids:
        if solid.id == solid_id:
            corners = faces_of(solid).vertices
            return np.asarray(0.5 * (corners.min(0) + corners.max(0)))
    return None


def turn_between(one: Array, other: Array) -> Rotation:
    """The least turn that takes one direction (3,) to another."""
    return Rotation.align_vectors([other], [one])[0]


def _aimed(shot: Shot, path: Path, place: Place) -> Place:
    """The aimed point keeps the place in the frame that it has at home, or at the first key; by a share only, the
    direction lies between that and the keys' own.

    The ray on which it lies then is turned to it as directly as can be; the focal length may change meanwhile, the
    place in the frame is kept.
    """
    point = aimed_at(shot)
    ray = _aiming_ray(shot, path, place, point)
    if ray is None:
        return place
    least = turn_between(place.rotation @ ray, point - place.position)
    turn = Rotation.from_rotvec(least.as_rotvec() * shot.move.aim_share)
    return Place(place.position, turn.as_matrix() @ place.rotation, place.focal)


def _aiming_ray(shot: Shot, path: Path, place: Place, point: Array) -> Array | None:
    """The ray (3,) of the camera, at a place, on which the aimed point is to lie; None where it lies on none."""
    start = Place(*path.at(float(path.frames[_pinned(shot)])))
    if shot.move.carrier is not None:
        start = _carried(shot.move.carrier, start, float(path.frames[_pinned(shot)]))
    seen = start.rotation.T @ (point - start.position)
    if seen[2] <= 1e-9 or np.linalg.norm(point - place.position) < 1e-6:
        return None
    scale = start.focal / place.focal / seen[2]
    return np.array([seen[0] * scale, seen[1] * scale, 1.0])


def _pinned(shot: Shot) -> int:
    """Number of the key whose frame the aim keeps: home, or the first."""
    return next((i for i, k in enumerate(shot.move.keys) if k.home), 0)


# ---------------------------------------------------------------- sway


@lru_cache(maxsize=64)
def _waves(seed: int) -> tuple[Array, Array, Array]:
    """Frequencies as shares of the sway's own, phases and weights, (6, WAVES) each."""
    rng = np.random.default_rng(seed)
    shares = rng.uniform(*BAND, (6, WAVES))
    weights = rng.uniform(0.5, 1.0, (6, WAVES))
    weights /= np.sqrt(0.5 * (weights**2).sum(axis=1, keepdims=True))
    return shares, rng.uniform(0, 2 * np.pi, (6, WAVES)), weights


def sway_at(sway: Sway, seconds: float) -> Array:
    """Run, rise, return in metres and pan, tilt, roll in degrees (6,), at a time; independent of the frame rate."""
    shares, phases, weights = _waves(sway.seed)
    value = (weights * np.sin(2 * np.pi * sway.frequency_hz * shares * seconds + phases)).sum(axis=1)
    return np.asarray(0.5 * value * np.array([*sway.position_m, *sway.rotation_deg]))


def _swayed(shot: Shot, place: Place, frame: float) -> Place:
    shift, turn = _sway_of(shot, frame)
    return Place(place.position + shift, place.rotation @ turn, place.focal)


def _sway_of(shot: Shot, frame: float) -> tuple[Array, Array]:
    """How a sway shifts (3,) and turns (3, 3) the camera at a frame."""
    sway, (first, last) = shot.move.sway, shot.frame_range
    assert sway is not None
    value = sway_at(sway, (frame - first) / shot.delivery.fps)
    if sway.fade_frames:
        ends = min(frame - first, last - frame) / sway.fade_frames
        t = float(np.clip(ends, 0, 1))
        value = value * t * t * (3 - 2 * t)
    pan, tilt, roll = np.radians(value[3:])
    # about its own directions: right is x, down is y, ahead is z
    return value[:3], Rotation.from_euler("yxz", [pan, tilt, roll]).as_matrix()
