"""Bring back: the largest part of a move, measured from home, that holds in every frame."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from scipy.spatial.transform import Rotation

from roofline.core.moment import spread
from roofline.core.move.judging import Judge
from roofline.core.move.path import Path, home_key, moment_at, resolved_keys
from roofline.core.throw.engine import Engine
from roofline.errors import MoveError
from roofline.model.move import Key, Move
from roofline.model.reports import FrameReport
from roofline.model.shot import Shot

LOOKED = 13  # frames that are looked at while a fraction is searched for
ROUNDS = 4  # until all frames are
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
                    "zoom": home.zoom + fraction * (key.zoom - home.zoom),
                    "velocity": None if key.velocity is None else tuple(fraction * v for v in key.velocity),
                    "speed": fraction * key.speed if key.speed and fraction else None,
                }
            )
        )
    return out


def bring_back(shot: Shot, engine: Engine, told: Callable[[float], None] | None = None) -> BroughtBack:
    """Find the largest fraction by halving, taking the fractions that hold to be one interval from home on.

    Some frames are looked at while it is halved, and those that failed before first, so that a fraction that fails is
    given up quickly; a frame that fails in what is found is looked at from then on. Every frame of the result has been
    judged as `roofline.core.move.judging` judges: small, and where that leaves it open, as large as it is delivered.

    Raises MoveError when home itself does not hold.
    """
    trial = _Trial(shot, engine)
    high, worst = _largest(trial, 1.0, told or (lambda share: None))
    return BroughtBack(high, trial.at(high) if high < 1 else trial.keys, worst)


def _largest(trial: _Trial, high: float, tell: Callable[[float], None]) -> tuple[float, FrameReport | None]:
    """The largest fraction up to one that holds in every frame, and the first failure of the smallest that does not;
    raises MoveError when home does not hold."""
    at_home = trial.failure(0.0, trial.frames)
    if at_home is not None:
        raise MoveError(
            "The picture does not hold even at home, so no part of the move can: "
            f"{at_home.gap:.2f} % of the frame has no picture and "
            f"{at_home.strain:.2f} % is strained."
        )
    tell(1 / (STEPS + 2))
    worst = trial.failure(high, trial.frames)
    if worst is None:
        return high, None
    looked = [trial.frames[n] for n in spread(trial.frames, LOOKED)]
    for round_ in range(ROUNDS + 1):
        low = 0.0
        for step in range(STEPS):
            tell((step + 2) / (STEPS + 2))
            middle = 0.5 * (low + high)
            failed = trial.failure(middle, looked)
            if failed is None:
                low = middle
            else:
                high, worst = middle, failed
        failed = trial.failure(low, trial.frames) if low > 0 else None
        if failed is None:
            break
        high, worst = low, failed
        looked = trial.frames if round_ + 1 == ROUNDS else [failed.frame, *looked]
    return low, worst


class _Trial:
    """A move at fractions of its way, frame by frame."""

    def __init__(self, shot: Shot, engine: Engine):
        self.shot, self.judge = shot, Judge(engine, shot.limits)
        self.keys = resolved_keys(shot)
        self.home = home_key(shot, self.keys[0].frame)
        first, last = shot.frame_range
        self.frames = list(range(first, last + 1))
        self.running = any(p.video for p in shot.plates)

    def at(self, fraction: float) -> list[Key]:
        return shrunk(self.keys, self.home, fraction)

    def failure(self, fraction: float, frames: list[int]) -> FrameReport | None:
        """The first of some frames that does not hold at a fraction; it comes first among them from then on."""
        path, seen, different = Path(self.at(fraction), self.shot.home_px), set(), []
        for frame in frames:
            moment = moment_at(self.shot, path, frame)
            if not (moment.poses or self.running):  # at rest, frames are alike: at home all of them
                view = moment.view
                same = view.position.tobytes(), view.rotation.tobytes(), view.focal
                if same in seen:
                    continue
                seen.add(same)
            different.append(moment)
        failed = self.judge.failing(different, list(range(len(different))))
        if failed is not None:
            frames.remove(failed.frame)
            frames.insert(0, failed.frame)
        return failed


def applied(shot: Shot, found: BroughtBack) -> Shot:
    """The shot with its keys brought back; keys pinned to home stay pinned."""
    return shot.model_copy(update={"move": shot.move.model_copy(update={"keys": Move(keys=found.keys).keys})})
