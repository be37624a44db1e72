"""Focus distance and aperture over a move, and what they leave sharp."""

from __future__ import annotations

import numpy as np
from scipy.interpolate import PchipInterpolator

from roofline.core.move.path import Path
from roofline.core.move.travel import paced
from roofline.model.move import Key
from roofline.model.photo import WIDE_MM
from roofline.model.reports import FocusAt
from roofline.model.shot import Shot


def _keyed(keys: list[Key], value: str, frame: float) -> float | None:
    """A value through the keys that have it, as a lens's ring turns: without overshoot, distances by their inverse."""
    told = [(k.frame, getattr(k, value)) for k in keys if getattr(k, value) is not None]
    if not told:
        return None
    if len(told) == 1:
        return float(told[0][1])
    frames, values = np.array(told, dtype=np.float64).T
    at = float(np.clip(frame, frames[0], frames[-1]))
    if value == "focus_m":
        return float(1 / PchipInterpolator(frames, 1 / values)(at))
    return float(2 ** PchipInterpolator(frames, np.log2(values))(at))


def pixel_mm(shot: Shot) -> float:
    """Millimetres of the home photo's film back that a delivered pixel takes; 36 mm across the delivered frame where no
    photo is home."""
    photo, framing = shot.home_photo, shot.framing
    if photo is None or framing is None:
        return WIDE_MM / shot.delivery.width
    return photo.mm_a_pixel * framing.scale


def sharpness(focus_m: float, f_stop: float, focal_mm: float, circle_mm: float) -> tuple[float, float]:
    """Depths in metres between which a point's blur is at most `circle_mm` wide (thin lens, Kingslake 1992).

    The second is infinite from the hyperfocal distance on.
    """
    s, f = 1000 * focus_m, focal_mm
    if s <= f:
        return focus_m, focus_m
    reach = f_stop * circle_mm * (s - f)
    near = s * f * f / (f * f + reach)
    far = s * f * f / (f * f - reach) if f * f > reach else np.inf
    return near / 1000, far / 1000


def focus_at(shot: Shot, path: Path, frame: float, focal_px: float) -> FocusAt | None:
    """Focus at a frame; None where no key has a distance. It goes at the pace of the move."""
    time = paced(shot.move.speed, path, frame)
    distance, stop = _keyed(shot.move.keys, "focus_m", time), _keyed(shot.move.keys, "f_stop", time)
    if distance is None:
        return None
    if stop is None:
        return FocusAt(focus_m=distance)
    pitch = pixel_mm(shot)
    near, far = sharpness(distance, stop, focal_px * pitch, pitch)
    beyond = None if np.isinf(far) else far
    return FocusAt(focus_m=distance, f_stop=stop, sharp_from_m=near, sharp_to_m=beyond)
