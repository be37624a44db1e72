"""Where pieces are at a frame: their own keys, drift, the lens that they face, the carrier they ride on, groups."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
from scipy.interpolate import PchipInterpolator
from scipy.spatial.transform import Rotation

from roofline.core.camera import Array
from roofline.core.massing.solids import faces_of
from roofline.core.moment import Pose
from roofline.core.move.curves import through, turned
from roofline.core.move.travel import carrier_at, travelled, turn_between
from roofline.model.massing import Motion, SolidBase
from roofline.model.shot import Shot

if TYPE_CHECKING:
    from roofline.core.move.path import Path


def poses_at(shot: Shot, path: Path, frame: float, eye: Array) -> dict[str, Pose]:
    """Poses of the pieces that have moved by a frame, by id; none of those that never move. ``eye``: the lens (3,)."""
    groups = {g.name: g.motion for g in shot.groups if not g.motion.still}
    out = {}
    for solid in shot.set_pieces:
        pose = None
        if solid.motion is not None and not solid.motion.still:
            pose = _pose(shot, path, solid.motion, _pivot(solid.motion, [solid]), frame, eye)
        if solid.group in groups:
            members = [s for s in shot.solids if s.group == solid.group]
            motion = groups[solid.group]
            over = _pose(shot, path, motion, _pivot(motion, members), frame, eye)
            over = over if solid.can_fade else replace(over, opacity=1.0)  # the others have an inside
            pose = over if pose is None else over.after(pose)
        if pose is not None:
            out[solid.id] = pose
    return out


def _pivot(motion: Motion, solids: list[SolidBase]) -> Array:
    """What it turns about: as said, or the middle of its foot."""
    if motion.pivot is not None:
        return np.array(motion.pivot)
    corners = np.concatenate([faces_of(s).vertices for s in solids])
    low, high = corners.min(0), corners.max(0)
    return np.array([0.5 * (low[0] + high[0]), low[1], 0.5 * (low[2] + high[2])])


def keyed(motion: Motion, frame: float) -> tuple[Array, Rotation, float]:
    """Offset (3,), rotation and scale by a motion's keys; before and after them it stands."""
    keys = motion.keys
    if not keys:
        return np.zeros(3), Rotation.identity(), 1.0
    turns = Rotation.from_quat([k.rotation for k in keys], scalar_first=True)
    if len(keys) == 1:
        return np.array(keys[0].offset), turns[0], keys[0].scale
    frames = np.array([k.frame for k in keys], dtype=np.float64)
    values = through(keys, frames, np.array([[*k.offset, np.log(k.scale)] for k in keys]))(frame)
    return values[:3], turned(keys, frames, turns, frame), float(np.exp(values[3]))


def opacity(motion: Motion, frame: float) -> float:
    """How opaque a piece is by its keys, 0…1: smooth, never beyond neighbouring keys, however those are passed."""
    keys = motion.keys
    if len(keys) < 2 or not motion.fades:
        return keys[0].opacity if keys else 1.0
    frames = np.array([k.frame for k in keys], dtype=np.float64)
    at = float(np.clip(frame, frames[0], frames[-1]))
    return float(np.clip(PchipInterpolator(frames, [k.opacity for k in keys])(at), 0, 1))


def _pose(shot: Shot, path: Path, motion: Motion, pivot: Array, frame: float, eye: Array) -> Pose:
    offset, turn, scale = keyed(motion, frame)
    first = shot.frame_range[0]
    offset = offset + np.array(motion.drift) * (frame - first) / shot.delivery.fps
    if motion.faces_lens != "no":
        turn = _facing(shot, path, motion, pivot, pivot + offset, eye) * turn
    pose = Pose.about(pivot, turn.as_matrix(), offset, scale, opacity(motion, frame))
    carrier = shot.move.carrier
    if motion.rides and carrier is not None:  # with the carrier from where it stands at its first key
        start, start_turn = carrier_at(carrier, carrier.keys[0].frame)
        now, now_turn = carrier_at(carrier, frame)
        by = now_turn * start_turn.inv()
        pose = Pose(by.as_matrix(), now - by.apply(start)).after(pose)
    return pose


def _facing(shot: Shot, path: Path, motion: Motion, pivot: Array, at: Array, eye: Array) -> Rotation:
    """The turn by which a piece keeps to the lens the side that it has to it on the shot's first frame, at rest."""
    before = travelled(shot, path, float(shot.frame_range[0])).position - pivot
    now = eye - at
    if motion.faces_lens == "rise":
        angle = np.arctan2(now[0], now[2]) - np.arctan2(before[0], before[2])
        return Rotation.from_rotvec([0.0, angle, 0.0])
    return turn_between(before, now)
