"""Corners of the demo place as its two photos show them, and as solved cameras see them."""

from __future__ import annotations

import numpy as np
from tools.varrow import truth
from tools.varrow.second_photo import as_taken

from roofline.core.camera import View, bend, straighten

FIRST, SECOND = truth.first_view(), truth.second_view()


def first_pixel(p) -> np.ndarray:
    return FIRST.project(np.array(p, float))


def second_pixel(p) -> np.ndarray:
    """Where the second photo, as taken, shows a point."""
    return as_taken(SECOND, np.array(p, float))


def view_of(camera: dict) -> View:
    return View(
        camera["width"],
        camera["height"],
        camera["focal_px"],
        tuple(camera["principal_point"]),
        np.array(camera["rotation"]),
        np.array(camera["position"]),
    )


def seen(camera: dict, p) -> np.ndarray:
    """Where a solved camera, with its lens, sees a point."""
    view = view_of(camera)
    n = (view.project(np.array(p, float)) - view.centre) / view.focal
    return bend(n, camera["distortion"]) * view.focal + view.centre


def reprojected(home: dict, other: dict, p) -> float:
    """A corner set where both solved cameras' rays to its true pictures come nearest: how far off it is seen, mean
    of both."""
    pixels = [(home, first_pixel(p)), (other, second_pixel(p))]
    a, b = np.zeros((3, 3)), np.zeros(3)
    for camera, pixel in pixels:
        view = view_of(camera)
        n = straighten((pixel - view.centre) / view.focal, camera["distortion"])
        d = np.r_[n, 1.0] @ view.rotation
        across = np.eye(3) - np.outer(d, d) / (d @ d)
        a, b = a + across, b + across @ view.position
    x = np.linalg.solve(a, b)
    return float(np.mean([np.linalg.norm(seen(camera, x) - pixel) for camera, pixel in pixels]))
