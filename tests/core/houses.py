"""A picture that can be read in more than one way."""

from __future__ import annotations

import cv2
import numpy as np

from roofline.core.camera import View, from_pan_tilt_roll


def two_houses() -> np.ndarray:
    """Two houses, each turned its own way: the walls of either give a camera, and so do those of both."""
    view = View(1200, 800, 1000.0, (600, 400), from_pan_tilt_roll(0.0, -0.05, 0.0), np.array([0, 1.6, 0.0]))
    picture = np.full((800, 1200, 3), 225, np.uint8)
    for turn, middle in ((0.9, -4.0), (0.5, 4.5)):
        c, s = np.cos(turn), np.sin(turn)
        to_world = np.array([[c, 0, s], [0, 1, 0], [-s, 0, c]])
        for a in np.arange(6) * 0.9 - 2.6:
            for y in np.arange(9) * 0.55:
                square = np.array([[a, y], [a + 0.6, y], [a + 0.6, y + 0.35], [a, y + 0.35]])
                front, side = np.insert(square, 2, 2.6, axis=1), np.insert(square[:, ::-1], 0, -2.6, axis=1)
                for window in (front, side):
                    pixels = view.project(window @ to_world.T + [middle, 0, -13])
                    cv2.fillPoly(picture, [np.round(pixels * 16).astype(np.int32)], (60, 70, 90), cv2.LINE_AA, 4)
    return cv2.GaussianBlur(picture, (0, 0), 0.7)
