"""Constructions through the photo that make no kind of their own: folding, and openings cut into a face."""

from __future__ import annotations

import numpy as np

from roofline.core.camera import Array, View
from roofline.core.massing.kinds.base import SMALLEST, Point, foot
from roofline.core.massing.kinds.opened import Opened
from roofline.core.massing.kinds.wall import Wall
from roofline.core.massing.planes import spot_on
from roofline.core.massing.solids import face_plane, turned
from roofline.errors import MassingError
from roofline.model.massing import Cut


def upright_plane(view: View, at: Array) -> tuple[Array, float]:
    """The upright plane through a point that is square to run or return, whichever faces the camera more."""
    eye = view.position - at
    normal = np.array([np.sign(eye[0]), 0, 0.0]) if abs(eye[0]) > abs(eye[2]) else np.array([0, 0, np.sign(eye[2])])
    return normal, float(normal @ at)


def fold(view: View, at: Point, level: float = 0.0) -> tuple[float, float]:
    """Distance in metres, along the view's level heading, of the ground under a pixel: where a backdrop would meet
    it."""
    spot = foot(view, at, level)
    ahead = view.rotation[2] * [1, 0, 1]
    ahead = ahead / np.linalg.norm(ahead)
    return float((spot - view.position) @ ahead), level


def recess(view: View, solid: Wall | Opened, face: str, a: Point, b: Point, depth: float, name: str) -> Wall | Opened:
    """The solid with an opening cut into one of its faces, between two pixels on that face; into a wall, right through.

    Raises
    ------
    MassingError
        When the pixels do not show the face, or the opening has no size.
    """
    plane = face_plane(solid, face)
    spots = []
    for pixel in (a, b):
        spot = spot_on(view, pixel, plane)
        if spot is None:
            raise MassingError("Drag over the face into which the opening is to be cut.")
        spots.append(spot)
    if isinstance(solid, Wall):
        length = float(np.hypot(solid.b[0] - solid.a[0], solid.b[1] - solid.a[1]))
        along = np.array([solid.b[0] - solid.a[0], 0, solid.b[1] - solid.a[1]]) / length
        start = np.array([solid.a[0], solid.base, solid.a[1]])
        own = np.array([[float((s - start) @ along), float(s[1] - solid.base), 0.0] for s in spots])
        low, high = own.min(0), own.max(0)
    else:
        if "-" in face:
            raise MassingError("Openings are cut into the piece's own faces, not into those of another opening.")
        own = np.array([turned(s - np.array(solid.corner), (0.0, 0.0, 0.0), -solid.turn_deg) for s in spots])
        inwards = turned(plane[0], (0.0, 0.0, 0.0), -solid.turn_deg)
        axis = int(np.argmax(np.abs(inwards)))
        low, high = own.min(0), own.max(0)
        # a block is cut inwards, a room built on outwards: either way against the face's front
        if inwards[axis] > 0:
            low[axis] = high[axis] - depth
        else:
            high[axis] = low[axis] + depth
        if depth < SMALLEST:
            raise MassingError("An opening needs a depth above zero.")
    flat = [k for k in range(3) if isinstance(solid, Wall) and k < 2 or not isinstance(solid, Wall) and k != axis]
    if any(high[k] - low[k] < SMALLEST for k in flat):
        raise MassingError("The opening needs a width and a height: drag to the corner opposite.")
    taken = {c.name for c in solid.cuts}
    number, wanted = 2, name
    while wanted in taken:
        wanted, number = f"{name} {number}", number + 1
    reach = {"low": [float(v) for v in low], "high": [float(v) for v in high]}
    cut = Cut.model_validate({"name": wanted, **reach})
    return solid.model_copy(update={"cuts": [*solid.cuts, cut]})
