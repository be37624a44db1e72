"""What is true of Varrow Halt: dimensions in metres and the two cameras. Known to the renderer and the tests only."""

from __future__ import annotations

from typing import Any

import numpy as np

from roofline.core.camera import View, from_pan_tilt_roll

SIZE = (3240, 2160)

PLATFORM: dict[str, Any] = {"lo": (-16.0, 0.0, -8.0), "hi": (19.0, 0.86, 0.0)}
HOUSE: dict[str, Any] = {"lo": (-3.4, 0.86, -7.4), "hi": (6.2, 4.74, -2.7)}
HOUSE_ROOF: dict[str, Any] = {"lo": (-3.85, 4.74, -7.95), "hi": (6.65, 7.32, -2.15)}  # ridge along run
CHIMNEY: dict[str, Any] = {"lo": (3.62, 5.6, -5.5), "hi": (4.52, 8.55, -4.78)}
CANOPY: dict[str, Any] = {"lo": (-3.1, 3.62, -2.7), "hi": (5.9, 3.80, -0.55)}
POSTS_X = (-2.7, 0.0, 2.8, 5.5)
POST_Z = -0.85
HUT: dict[str, Any] = {"lo": (10.4, 0.86, -6.1), "hi": (13.7, 3.72, -3.0)}
HUT_ROOF: dict[str, Any] = {"lo": (10.05, 3.72, -6.45), "hi": (14.05, 5.12, -2.65)}  # ridge along return
TOWER: dict[str, Any] = {"centre": (-9.3, -11.2), "foot_radius": 1.95, "top_radius": 1.62, "y0": 0.0, "y1": 4.9}
TANK: dict[str, Any] = {"centre": (-9.3, -11.2), "radius": 2.25, "y0": 4.9, "y1": 7.5}
LAMP: dict[str, Any] = {"foot": (-1.35, 0.0, 7.1), "height": 3.35}
TROLLEY: dict[str, Any] = {"lo": (-3.6, 0.0, 6.55), "hi": (-1.75, 1.12, 7.45)}

LENS_SECOND = (-0.062, 0.011, 0.0, 0.0, 0.0)


def first_view(width: int = SIZE[0]) -> View:
    """The first photograph's camera; no distortion."""
    w, h = SIZE
    view = View(
        w,
        h,
        2467.0,
        (w / 2, h / 2),
        from_pan_tilt_roll(np.radians(24.6), np.radians(2.9), np.radians(-0.42)),
        np.array([-7.85, 1.71, 14.9]),
    )
    return view.resized(width, round(h * width / w))


def second_view(width: int = SIZE[0]) -> View:
    """The second photograph's camera, its pinhole part; see LENS_SECOND."""
    w, h = SIZE
    view = View(
        w,
        h,
        2318.0,
        (w / 2, h / 2),
        from_pan_tilt_roll(np.radians(-31.5), np.radians(2.2), np.radians(0.35)),
        np.array([13.9, 1.66, 13.2]),
    )
    return view.resized(width, round(h * width / w))
