"""Shapes of solids, and which of their faces no photo sees steeply enough to carry a plate."""

from __future__ import annotations

import numpy as np

from roofline.core.camera import Array
from roofline.core.massing.planes import plane_of
from roofline.core.massing.solids import Faces

GRAZING = np.sin(np.radians(10))  # faces seen more slantingly than this by every photo hardly take a plate


def steepest(loop: Array, normal: Array, eye: Array) -> float:
    """The largest sine of the angle between a face and the rays from a standpoint that meet it: at its nearest
    places."""
    t = np.linspace(0, 1, 5)[:, None, None]
    middle = loop.mean(0)
    spots = (middle + t * (loop - middle)).reshape(-1, 3)
    below = eye - normal * float(normal @ (eye - middle))  # where the face is seen most steeply, if it reaches there
    low, high = loop.min(0), loop.max(0)
    spots = np.vstack([spots, np.clip(below, low, high)])
    away = eye - spots
    return float((away @ normal / np.linalg.norm(away, axis=1)).max())


def grazing(faces: Faces, eyes: list[Array]) -> list[int]:
    """The faces that photos from standpoints (3,) see only so slantingly that plates hardly reach them."""
    out = []
    for n, loop in enumerate(faces.loops):
        p = faces.vertices[loop]
        normal, offset = plane_of(p)
        seeing = [e for e in eyes if float(normal @ e) > offset]
        if seeing and max(steepest(p, normal, e) for e in seeing) < GRAZING:
            out.append(n)
    return out
