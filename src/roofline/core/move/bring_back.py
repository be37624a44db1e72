"""Bring back: the largest part of a move, measured from home, that holds in every frame."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from scipy.spatial.transform import Rotation

from roofline.core.move.path import Path, home_key, moment_at, resolved_keys
from roofline.core.throw.check import check_frame
from roofline.core.throw.engine import Engine, limits_of
from roofline.errors import MoveError
from roofline.model.move import Key, Move
from roofline.model.reports import FrameReport
from roofline.model.shot import Shot

STEPS = 10  # halvings: the fraction is found to about a thousandth


@dataclass
class BroughtBack:
    fraction: float
    keys: list[Key]
    first_failure: FrameReport | None  # of the smallest move tried that fails


def shrunk(keys: list[Key], home: Key, fraction: float) -> list[Key]:
    """Keys at a fraction of their way from home: position and focal length along lines, rotation along its arc."""
    base = Rotation.from_quat(home.rotation, scalar_first=True)
    out = []
    for key in keys:
        position = np.array(home.position) + fraction * (np.array(key.position) - np.array(home.position))
        turn = (base.inv() * Rotation.from_quat(key.rotation, scalar_first=True)).as_rotvec()
        w, x, y, z = (base * Rotation.from_rotvec(fraction * turn)).as_quat(scalar_first=True)
        out.append(
            key.model_copy(
                update={
                    "position": (float(position[0]), float(position[1]), float(position[2])),
                    "rotation": (float(w), float(x), float(y), float(z)),
                    "focal_px": home.focal_px + fraction * (key.focal_px - home.focal_px),
                    "velocity": None if key.velocity is None else tuple(fraction * v for v in key.velocity),
                    "speed": fraction * key.speed if key.speed and fraction else None,
                }
            )
        )
    return out


def bring_back(
    shot: Shot, engine: Engine, width: int = 320, told: Callable[[float], None] | None = None
) -> BroughtBack:
    """Find the largest fraction by halving, taking the fractions that hold to be one interval from home on.

    Frames that failed before are looked at first, so that a fraction that fails is given up quickly. The result
    itself has been checked on every frame at `width` pixels.

    Raises MoveError when home itself does not hold.
    """
    keys = resolved_keys(shot)
    home = home_key(shot, keys[0].frame)
    first, last = shot.frame_range
    order = list(range(first, last + 1))
    faces = limits_of(engine.geometry, shot.limits)

    def failure(fraction: float) -> FrameReport | None:
        path = Path(shrunk(keys, home, fraction))
        for i, frame in enumerate(order):
            report = check_frame(engine, moment_at(shot, path, frame, width), shot.limits, faces)
            if not report.holds:
                order.insert(0, order.pop(i))
                return report
        return None

    def tell(done: int) -> None:
        if told:
            told(done / (STEPS + 2))

    at_home = failure(0.0)
    if at_home is not None:
        raise MoveError(
            "The picture does not hold even at home, so no part of the move can: "
            f"{at_home.gap:.2f} % of the frame has no picture and "
            f"{at_home.strain:.2f} % is strained."
        )
    tell(1)
    worst = failure(1.0)
    if worst is None:
        return BroughtBack(1.0, keys, None)
    low, high = 0.0, 1.0
    for step in range(STEPS):
        tell(step + 2)
        middle = 0.5 * (low + high)
        failed = failure(middle)
        if failed is None:
            low = middle
        else:
            high, worst = middle, failed
    return BroughtBack(low, shrunk(keys, home, low), worst)


def applied(shot: Shot, found: BroughtBack) -> Shot:
    """The shot with its keys brought back; keys pinned to home stay pinned."""
    return shot.model_copy(update={"move": shot.move.model_copy(update={"keys": Move(keys=found.keys).keys})})
