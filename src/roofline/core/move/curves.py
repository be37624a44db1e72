"""Curves through keys of pieces, groups and the carrier: never beyond neighbours, or as a key says it is passed."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from scipy.interpolate import CubicHermiteSpline, PchipInterpolator
from scipy.spatial.transform import Rotation

from roofline.core.camera import Array
from roofline.model.base import Eased

PLACED = 3  # figures of a key, the first ones, that are a place in metres: a speed is theirs


def slopes(keys: Sequence[Eased], frames: Array, values: Array) -> Array:
    """Change of values (N, K) a frame at each of N keys: as monotone curves have it (PCHIP, Fritsch and Butland 1984),
    but zero at a rest, that of the parabola through the neighbours where a key is passed, and of its own speed."""
    out = np.asarray(PchipInterpolator(frames, values).derivative()(frames))
    for i, key in enumerate(keys):
        if key.ease == "rest":
            out[i] = 0.0
        elif key.ease == "pass" or key.speed is not None:
            out[i] = _passing(frames, values, i)
        length = float(np.linalg.norm(out[i, :PLACED]))
        if key.speed is not None and length > 0:
            out[i, :PLACED] *= key.speed / length
    return out


def _passing(frames: Array, values: Array, i: int) -> Array:
    """The slope at a key of the parabola through its neighbours; at either end, towards the next key."""
    last = len(frames) - 1
    back = (values[i] - values[i - 1]) / (frames[i] - frames[i - 1]) if i > 0 else None
    ahead = (values[i + 1] - values[i]) / (frames[i + 1] - frames[i]) if i < last else None
    if back is None or ahead is None:
        return np.asarray(ahead if back is None else back)
    before, after = frames[i] - frames[i - 1], frames[i + 1] - frames[i]
    return np.asarray((after * back + before * ahead) / (before + after))


def through(keys: Sequence[Eased], frames: Array, values: Array) -> Callable[[float], Array]:
    """A curve through keys' values (N, K), N at least two; before the first and after the last key it stands."""
    curve = CubicHermiteSpline(frames, values, slopes(keys, frames, values))
    return lambda frame: np.asarray(curve(np.clip(frame, frames[0], frames[-1])))


def turned(keys: Sequence[Eased], frames: Array, turns: Rotation, frame: float) -> Rotation:
    """The turn at a frame: along the arc from key to key (Shoemake 1985), evenly, but from and to a rest gently."""
    at = float(np.clip(frame, frames[0], frames[-1]))
    i = int(np.clip(np.searchsorted(frames, at, side="right") - 1, 0, len(frames) - 2))
    t = (at - frames[i]) / (frames[i + 1] - frames[i])
    leave, arrive = (0.0 if keys[n].ease == "rest" else 1.0 for n in (i, i + 1))
    share = 3 * t**2 - 2 * t**3 + leave * (t**3 - 2 * t**2 + t) + arrive * (t**3 - t**2)
    return turns[i] * Rotation.from_rotvec(share * (turns[i].inv() * turns[i + 1]).as_rotvec())
