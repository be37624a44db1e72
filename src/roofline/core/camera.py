"""Pinhole and lens: projecting, casting rays, straightening and bending, and the plane homographies.

World: metres, +Y up. Camera: +X right, +Y down, +Z forward, ``X_cam = R X_world + t``. Pixels: (0, 0) is the outer
corner of the top-left pixel. See docs/geometry.md.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.spatial.transform import Rotation

from roofline.model import survey as model
from roofline.model.base import Vec4

Array = NDArray[np.float64]


@dataclass(frozen=True)
class View:
    """A pinhole camera: size and principal point in pixels, rotation world → camera, position in metres."""

    width: int
    height: int
    focal: float
    centre: tuple[float, float]
    rotation: Array
    position: Array
    unit: float = 1.0  # delivered pixels along one pixel of this grid; above one for small previews

    @property
    def matrix(self) -> Array:
        """Intrinsic matrix K, (3, 3)."""
        cx, cy = self.centre
        return np.array([[self.focal, 0.0, cx], [0.0, self.focal, cy], [0.0, 0.0, 1.0]])

    @property
    def inverse(self) -> Array:
        """Inverse of the intrinsic matrix, (3, 3)."""
        cx, cy = self.centre
        f = self.focal
        return np.array([[1 / f, 0.0, -cx / f], [0.0, 1 / f, -cy / f], [0.0, 0.0, 1.0]])

    def homogeneous(self, points: ArrayLike) -> Array:
        """Project world points (…, 3) to homogeneous pixels (…, 3); the third component is the depth in metres."""
        p = np.asarray(points, dtype=np.float64)
        # one flat product: many small ones take several times as long
        return ((p - self.position).reshape(-1, 3) @ (self.matrix @ self.rotation).T).reshape(p.shape)

    def project(self, points: ArrayLike) -> Array:
        """Project world points (…, 3) to pixels (…, 2). Points behind the camera come out as NaN."""
        h = self.homogeneous(points)
        w = np.where(h[..., 2:] > 1e-9, h[..., 2:], np.nan)
        return h[..., :2] / w

    def rays(self, pixels: ArrayLike) -> Array:
        """World directions (…, 3) through pixels (…, 2), of depth one (not of unit length)."""
        p = np.asarray(pixels, dtype=np.float64)
        h = np.concatenate([p, np.ones((*p.shape[:-1], 1))], axis=-1)
        return h @ (self.rotation.T @ self.inverse).T

    def resized(self, width: int, height: int) -> View:
        """The same view on another pixel grid of the same aspect."""
        sx, sy = width / self.width, height / self.height
        return View(
            width,
            height,
            self.focal * sx,
            (self.centre[0] * sx, self.centre[1] * sy),
            self.rotation,
            self.position,
            self.unit / sx,
        )

    @property
    def heading(self) -> Array:
        """The level direction (2,), run and return, that it looks along; towards falling return if it looks straight up
        or down."""
        level = self.rotation[2][[0, 2]]
        length = float(np.linalg.norm(level))
        return np.asarray(level / length) if length > 1e-6 else np.array([0.0, -1.0])

    def across(self, width: int) -> View:
        """The same view on a grid so many pixels wide, as high as the aspect has it."""
        return self if width == self.width else self.resized(width, max(1, round(self.height * width / self.width)))


def view_of(camera: model.Camera) -> View:
    """The pinhole part of a surveyed camera. Without a scale it stands one metre above the origin."""
    position = camera.position if camera.position is not None else (0.0, 1.0, 0.0)
    return View(
        camera.width,
        camera.height,
        camera.focal_px,
        camera.principal_point,
        np.array(camera.rotation),
        np.array(position),
    )


def bend(points: ArrayLike, lens: ArrayLike) -> Array:
    """Apply Brown–Conrady distortion k1, k2, p1, p2, k3 to normalised points (…, 2) (OpenCV's documentation)."""
    p = np.asarray(points, dtype=np.float64)
    k1, k2, p1, p2, k3 = np.asarray(lens, dtype=np.float64)
    x, y = p[..., 0], p[..., 1]
    r2 = x * x + y * y
    radial = 1 + r2 * (k1 + r2 * (k2 + r2 * k3))
    return np.stack(
        [x * radial + 2 * p1 * x * y + p2 * (r2 + 2 * x * x), y * radial + p1 * (r2 + 2 * y * y) + 2 * p2 * x * y],
        axis=-1,
    )


def bend_jacobian(points: ArrayLike, lens: ArrayLike) -> tuple[Array, Array, Array]:
    """Derivative of `bend` at normalised points (…, 2): the entries xx, xy = yx, yy, each (…)."""
    p = np.asarray(points, dtype=np.float64)
    k1, k2, p1, p2, k3 = (float(v) for v in np.asarray(lens, dtype=np.float64))
    x, y = p[..., 0], p[..., 1]
    r2 = x * x + y * y
    radial = 1 + r2 * (k1 + r2 * (k2 + r2 * k3))
    slope = k1 + r2 * (2 * k2 + 3 * r2 * k3)
    return (
        radial + 2 * x * x * slope + 2 * p1 * y + 6 * p2 * x,
        2 * x * y * slope + 2 * p1 * x + 2 * p2 * y,
        radial + 2 * y * y * slope + 6 * p1 * y + 2 * p2 * x,
    )


def straighten(points: ArrayLike, lens: ArrayLike, rounds: int = 30) -> Array:
    """Invert `bend` by Newton's method; normalised points (…, 2), to about 1e-12 where the model is monotone."""
    target = np.asarray(points, dtype=np.float64)
    k1, k2, p1, p2, k3 = (float(v) for v in np.asarray(lens, dtype=np.float64))
    if k1 == k2 == p1 == p2 == k3 == 0:
        return target.copy()
    p = target.copy()
    for _ in range(rounds):
        err = bend(p, (k1, k2, p1, p2, k3)) - target
        a, b, d = bend_jacobian(p, (k1, k2, p1, p2, k3))
        det = a * d - b * b
        det = np.where(np.abs(det) < 1e-6, 1e-6, det)
        step = (
            np.stack([d * err[..., 0] - b * err[..., 1], a * err[..., 1] - b * err[..., 0]], axis=-1) / det[..., None]
        )
        p = p - step
        if float(np.max(np.abs(step), initial=0.0)) < 1e-13:
            break
    return p


def straighten_pixels(pixels: ArrayLike, camera: model.Camera) -> Array:
    """Pixels of the picture as taken (…, 2) → pixels of the straightened picture."""
    c = np.array(camera.principal_point)
    p = (np.asarray(pixels, dtype=np.float64) - c) / camera.focal_px
    return straighten(p, camera.distortion) * camera.focal_px + c


def bend_pixels(pixels: ArrayLike, camera: model.Camera) -> Array:
    """Pixels of the straightened picture (…, 2) → pixels of the picture as taken."""
    c = np.array(camera.principal_point)
    p = (np.asarray(pixels, dtype=np.float64) - c) / camera.focal_px
    return bend(p, camera.distortion) * camera.focal_px + c


def quaternion_to_matrix(q: ArrayLike) -> Array:
    """Unit quaternion w, x, y, z → rotation matrix (3, 3)."""
    return np.asarray(Rotation.from_quat(np.asarray(q, dtype=np.float64), scalar_first=True).as_matrix())


def matrix_to_quaternion(m: ArrayLike) -> Array:
    """Rotation matrix (3, 3) → unit quaternion w, x, y, z with w ≥ 0."""
    turn = Rotation.from_matrix(np.asarray(m, dtype=np.float64))
    return np.asarray(turn.as_quat(canonical=True, scalar_first=True))


def key_rotation(m: ArrayLike) -> Vec4:
    """Rotation matrix (3, 3) → w, x, y, z as a key holds it."""
    w, x, y, z = matrix_to_quaternion(m).tolist()
    return w, x, y, z


def rotation_vector(v: ArrayLike) -> Array:
    """Rotation matrix (3, 3) of a rotation vector (3,) in radians."""
    return np.asarray(Rotation.from_rotvec(np.asarray(v, dtype=np.float64)).as_matrix())


def pan_tilt_roll(rotation: ArrayLike) -> tuple[float, float, float]:
    """Pan, tilt, roll in radians of a world → camera rotation.

    Pan 0 looks along −return, positive to the right; tilt positive looks up; roll positive turns the camera
    clockwise, so that the picture leans to the left.
    """
    r = np.asarray(rotation, dtype=np.float64)
    right, down, forward = r
    pan = float(np.arctan2(forward[0], -forward[2]))
    tilt = float(np.arcsin(np.clip(forward[1], -1, 1)))
    c, s = np.cos(pan), np.sin(pan)
    x, y, z = forward
    level, up = np.array([c, 0.0, s]), np.array([-s * y, s * x - c * z, c * y])  # up: level × forward
    return pan, tilt, float(np.arctan2(-right @ up, right @ level))


def from_pan_tilt_roll(pan: float, tilt: float, roll: float) -> Array:
    """World → camera rotation (3, 3) from pan, tilt, roll in radians; inverse of `pan_tilt_roll`."""
    forward = np.array([np.sin(pan) * np.cos(tilt), np.sin(tilt), -np.cos(pan) * np.cos(tilt)])
    level = np.array([np.cos(pan), 0.0, np.sin(pan)])
    up = np.cross(level, forward)
    right = np.cos(roll) * level - np.sin(roll) * up
    down = np.cross(forward, right)
    return np.stack([right, down, forward])
