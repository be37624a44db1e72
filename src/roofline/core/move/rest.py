"""From a frame's pixels to the set at rest, where plates are thrown, and back to where a frame shows it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import Array
from roofline.core.moment import Moment, Pose
from roofline.core.throw.geometry import Geometry

STILL = Pose()


def poses_of(geometry: Geometry, moment: Moment, faces: NDArray) -> tuple[Array, Array, Array]:
    """How the piece of each of N faces stands: rotation (N, 3, 3), shift (N, 3), scale (N,)."""
    all_of = [moment.poses.get(s, STILL) for s in geometry.solid_ids]
    solid = geometry.solid[faces]
    turns = np.array([p.rotation for p in all_of], dtype=np.float64).reshape(-1, 3, 3)
    shifts = np.array([p.shift for p in all_of], dtype=np.float64).reshape(-1, 3)
    return turns[solid], shifts[solid], np.array([p.scale for p in all_of], dtype=np.float64)[solid]


def rest_of(geometry: Geometry, moment: Moment, pixels: Array, faces: NDArray) -> tuple[Array, Array]:
    """Where pixels (N, 2) of a moment lie on faces (N,) as they stand at rest, (N, 3); and their depth in the view."""
    turn, shift, scale = poses_of(geometry, moment, faces)
    eye = np.einsum("nji,nj->ni", turn, moment.view.position - shift) / scale[:, None]
    ray = np.einsum("nji,nj->ni", turn, moment.view.rays(pixels))
    normal = geometry.normals[faces]
    with np.errstate(all="ignore"):
        far = (geometry.offsets[faces] - (normal * eye).sum(1)) / (normal * ray).sum(1)
    return eye + ray * far[:, None], far * scale


def standing(geometry: Geometry, moment: Moment, points: Array, faces: NDArray) -> Array:
    """Where points (N, 3) of pieces at rest are at a moment, (N, 3)."""
    turn, shift, scale = poses_of(geometry, moment, faces)
    return np.asarray(shift + scale[:, None] * np.einsum("nij,nj->ni", turn, points))


def slip_between(
    geometry: Geometry, moment: Moment, points: Array, faces: NDArray, eyes: Array, relief: float
) -> Array:
    """How far, in delivered pixels, what stands out of faces is shown from where it would be; NaN where it is not seen.

    A point that stands `relief` metres before a face, on the side of the camera that threw the picture (``eyes``:
    (N, 3)), lies in the picture where it hides the face: it is shown there, on the face, and not where it stands.
    """
    normal = geometry.normals[faces]
    towards = ((eyes - points) * normal).sum(1)
    normal = normal * np.sign(towards)[:, None]
    before = points + relief * normal
    with np.errstate(all="ignore"):
        onto = eyes + (before - eyes) * (np.abs(towards) / (np.abs(towards) - relief))[:, None]
    onto[np.abs(towards) <= relief] = np.nan
    is_at = moment.view.project(standing(geometry, moment, before, faces))
    shown_at = moment.view.project(standing(geometry, moment, onto, faces))
    return np.asarray(np.linalg.norm(is_at - shown_at, axis=1) * moment.view.unit)
