"""A shot made shorter or longer: what lies beyond its end, and what may become of it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

import numpy as np

from roofline.core.camera import Array, key_rotation
from roofline.core.move.motion import keyed, opacity
from roofline.core.move.path import shot_path
from roofline.core.move.travel import carrier_at, paced
from roofline.errors import MoveError
from roofline.model.handoff import Beyond
from roofline.model.massing import Motion, MotionKey
from roofline.model.move import Carrier, CarrierKey, Key
from roofline.model.shot import Shot

E = TypeVar("E", MotionKey, CarrierKey)
OFF = 0.005  # of how far something goes: what it may go otherwise when keys beyond the end are taken away


def timed(shot: Shot) -> dict[str, list[float]]:
    """The frames at which something is set, by what it is: keys, pace, carrier, pieces' and groups' keys, videos."""
    move = shot.move
    found: dict[str, list[float]] = {
        # under a pace, keys stand on frames of their own time
        "keys of the camera": [] if move.speed else [k.frame for k in move.keys],
        "handles of the pace": [f for f, _ in move.speed or []],
        "keys of the carrier": [k.frame for k in move.carrier.keys] if move.carrier else [],
    }
    for what, name, motion in _motions(shot):
        found[f"keys of the {what} {name}"] = [k.frame for k in motion.keys]
    for plate in shot.plates:
        if plate.video is not None:
            found[f"the start of the video {plate.name}"] = [plate.video.first]
    return {what: frames for what, frames in found.items() if frames}


def _motions(shot: Shot) -> list[tuple[str, str, Motion]]:
    out = [("piece", s.name, s.motion) for s in shot.solids if s.motion is not None]
    return out + [("group", g.name, g.motion) for g in shot.groups]


def beyond(shot: Shot, last: int) -> list[str]:
    """What lies beyond a frame, as parts of a sentence: "2 keys of the camera"."""
    out = []
    for what, frames in timed(shot).items():
        count = sum(f > last for f in frames)
        if count:
            one = what.replace("keys of", "key of").replace("handles of", "handle of")
            out.append(what if what.startswith("the start") else f"{count} {one if count == 1 else what}")
    return out


def lasting(shot: Shot, frames: int, how: Beyond | None) -> Shot:
    """The shot with so many frames.

    Parameters
    ----------
    frames
        From the shot's first frame on.
    how
        What becomes of all that is set in time: ``fit``: the last of it stands on the new last frame, the rest in
        proportion; ``cut``: what lies beyond is taken out, what the frames before show stays; ``leave``: it stays
        where it is. None where nothing lies beyond.

    Raises
    ------
    MoveError
        Where something lies beyond and ``how`` is None; where two keys would come to stand on one frame.
    """
    first = shot.frame_range[0]
    last = first + frames - 1
    out = shot.model_copy(deep=True)
    out.delivery = shot.delivery.model_copy(update={"frames": frames})
    if how is None and (found := beyond(shot, last)) and last < shot.frame_range[1]:
        raise MoveError(
            f"Beyond frame {last}: {', '.join(found)}. Fit the move to the new length, cut it there, or leave them."
        )
    if how == "fit":
        _fitted(out, first, last)
    elif how == "cut":
        _cut(shot, out, last)
    return out


# ---------------------------------------------------------------- fit


def _fitted(shot: Shot, first: int, last: int) -> None:
    ends = [max(frames) for what, frames in timed(shot).items() if not what.startswith("the start")]
    end = max(ends, default=first)
    if end <= first:
        return
    share = (last - first) / (end - first)

    def to(frame: float) -> int:
        return round(first + (frame - first) * share)

    move = shot.move
    if move.speed:
        move.speed = [(first + (f - first) * share, p) for f, p in move.speed]
    else:
        _apart([to(k.frame) for k in move.keys], "of the camera", last)
        move.keys = [_quicker(k, to(k.frame), share) for k in move.keys]
    if move.carrier is not None:
        _apart([to(k.frame) for k in move.carrier.keys], "of the carrier", last)
        keys = [_eased(k, to(k.frame), share) for k in move.carrier.keys]
        move.carrier = Carrier(keys=keys)
    for _, name, motion in _motions(shot):
        _apart([to(k.frame) for k in motion.keys], f"of {name}", last)
        motion.keys = [_eased(k, to(k.frame), share) for k in motion.keys]
    for plate in shot.plates:
        if plate.video is not None:
            plate.video.first = to(plate.video.first)


def _eased(key: E, frame: int, share: float) -> E:
    """A key of a piece, a group or the carrier on another frame, passed as it was, in other time."""
    speed = None if key.speed is None else key.speed / share
    return key.model_copy(update={"frame": frame, "speed": speed})


def _quicker(key: Key, frame: int, share: float) -> Key:
    """A key on another frame; the way past it is the same, travelled in other time."""
    velocity = None if key.velocity is None else tuple(v / share for v in key.velocity)
    speed = None if key.speed is None else key.speed / share
    return key.model_copy(update={"frame": frame, "velocity": velocity, "speed": speed})


def _apart(frames: list[int], whose: str, last: int) -> None:
    if len(set(frames)) < len(frames):
        raise MoveError(f"Two keys {whose} would stand on one frame if all of them ended on {last}: a longer shot.")


# ---------------------------------------------------------------- cut


def _cut(was: Shot, shot: Shot, last: int) -> None:
    move = shot.move
    if move.speed:
        kept = [(f, p) for f, p in move.speed if f < last]
        if len(kept) < len(move.speed) and kept:
            move.speed = _cut_pace(was, kept, last)
    elif any(k.frame > last for k in move.keys):
        move.speed = _stopped(was, last)
    if move.carrier is not None and any(k.frame > last for k in move.carrier.keys):
        carrier = move.carrier
        stood = [k.frame for k in carrier.keys]
        keys = _refined(_carried_by(carrier), stood, last, lambda f: carrier_at(carrier, f)[0], _carried)
        move.carrier = Carrier(keys=keys)
    for _, _, motion in _motions(shot):
        if any(k.frame > last for k in motion.keys):
            of = _offsets_of(motion)
            was_at, stood = list(motion.keys), [k.frame for k in motion.keys]
            motion.keys = _refined(
                _moved_by(motion),
                stood,
                last,
                lambda f, of=of, k=was_at: of(k, f),  # type: ignore[misc]
                of,
            )
    for plate in shot.plates:
        if plate.video is not None and plate.video.first > last:
            plate.video.first = last


def _stopped(was: Shot, last: int) -> list[tuple[float, float]]:
    """A pace that is the keys' own time and stops on a frame: what the frames before show stays to the last digit."""
    begin, end = was.move.keys[0].frame, was.move.keys[-1].frame
    if begin >= last:
        return [(last - 1.0, 0.0), (float(last), 0.0)]
    return [(float(begin), 0.0), (float(last), (last - begin) / (end - begin))]


def _refined(
    made: Callable[[list[int]], list[Any]],
    frames_kept: list[int],
    last: int,
    was: Callable[[int], Array],
    values: Callable[[list[Any], int], Array],
) -> list[Any]:
    """Keys up to a frame, and so many more that all frames before are what they were, to OFF of what changes at all.

    ``made``: keys on some frames, as they were; ``was``: what a frame had, (N,); ``values``: what keys make of it.
    """
    kept = sorted({f for f in frames_kept if f < last} | {last})
    frames = range(min(kept), last + 1)
    wanted = np.array([was(f) for f in frames])
    span = np.maximum(np.ptp(wanted, axis=0), 1e-9)
    while len(kept) < len(frames):
        got = np.array([values(made(kept), f) for f in frames])
        off = (np.abs(got - wanted) / span).max(axis=1)
        worst = int(off.argmax())
        if off[worst] <= OFF:
            break
        kept = sorted({*kept, frames[worst]})
    return made(kept)


def _carried_by(carrier: Carrier) -> Callable[[list[int]], list[CarrierKey]]:
    def made(frames: list[int]) -> list[CarrierKey]:
        at = [carrier_at(carrier, f) for f in frames]
        return [
            CarrierKey(frame=f, position=_three(p), rotation=key_rotation(r.as_matrix()))
            for f, (p, r) in zip(frames, at, strict=True)
        ]

    return made


def _carried(keys: list[CarrierKey], frame: int) -> Array:
    return carrier_at(Carrier(keys=keys), frame)[0]


def _moved_by(motion: Motion) -> Callable[[list[int]], list[MotionKey]]:
    def made(frames: list[int]) -> list[MotionKey]:
        out = []
        for f in frames:
            offset, turn, scale = keyed(motion, f)
            rotation, clear = key_rotation(turn.as_matrix()), opacity(motion, f)
            out.append(MotionKey(frame=f, offset=_three(offset), rotation=rotation, scale=scale, opacity=clear))
        return out

    return made


def _offsets_of(motion: Motion) -> Callable[[list[MotionKey], int], Array]:
    def values(keys: list[MotionKey], frame: int) -> Array:
        now = motion.model_copy(update={"keys": keys})
        offset, _, scale = keyed(now, frame)
        return np.array([*offset, scale, opacity(now, frame)])

    return values


def _cut_pace(was: Shot, kept: list[tuple[float, float]], last: int) -> list[tuple[float, float]]:
    """A pace up to a frame, with handles more where it would run otherwise before."""
    path, speed = shot_path(was), was.move.speed
    begin, end = float(path.frames[0]), float(path.frames[-1])
    if end <= begin:
        return [*kept, (float(last), kept[-1][1])]

    def progress(curve: list[tuple[float, float]], frame: int) -> Array:
        return np.array([(paced(curve, path, frame) - begin) / (end - begin)])

    known = dict(kept)
    assert speed is not None

    def made(frames: list[int]) -> list[tuple[float, float]]:
        more = {float(f): float(progress(speed, f)[0]) for f in frames if float(f) not in known}
        return sorted((known | more).items())

    return _refined(made, [round(f) for f, _ in kept], last, lambda f: progress(speed, f), progress)


def _three(values: Array) -> tuple[float, float, float]:
    x, y, z = (float(v) for v in values)
    return x, y, z
