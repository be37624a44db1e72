"""The animated camera: home, keys, and the view of every frame."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from scipy.interpolate import CubicHermiteSpline
from scipy.spatial.transform import Rotation

from roofline.core.camera import Array, View, key_rotation, quaternion_to_matrix
from roofline.core.moment import Moment
from roofline.core.move.motion import poses_at
from roofline.core.move.travel import travelled
from roofline.errors import MoveError
from roofline.model.handoff import Framing
from roofline.model.move import Held, Key
from roofline.model.photo import Photo
from roofline.model.shot import Shot


def home_photo(shot: Shot) -> Photo:
    """The photo whose camera is home: the first one surveyed.

    Raises MoveError while there is none.
    """
    if (photo := shot.home_photo) is not None:
        return photo
    raise MoveError("There is no surveyed photo yet, so there is no home to move from: finish the survey first.")


def home_lens(shot: Shot) -> tuple[float, float, float, float, float]:
    """How the home photo's lens bends: k1, k2, p1, p2, k3."""
    camera = home_photo(shot).camera
    return camera.distortion if camera is not None else (0.0, 0.0, 0.0, 0.0, 0.0)


def framing(shot: Shot) -> Framing:
    """The delivered frame over the home photo, as set, or by default; raises MoveError where there is neither."""
    home_photo(shot)
    assert shot.framing is not None
    return shot.framing


def lens_centre(shot: Shot) -> tuple[float, float]:
    """Principal point of the delivered camera in delivered pixels.

    The middle of the frame, unless a framing has been set that is off the photo's principal point.
    """
    d = shot.delivery
    if d.framing is None:
        return d.width / 2, d.height / 2
    cx, cy = home_photo(shot).camera.principal_point  # type: ignore[union-attr]
    return (
        d.width / 2 + (cx - d.framing.centre[0]) / d.framing.scale,
        d.height / 2 + (cy - d.framing.centre[1]) / d.framing.scale,
    )


def home_key(shot: Shot, frame: int) -> Key:
    """A key at home: the surveyed camera, through the lens that lays the frame over the photo as planned."""
    camera = home_photo(shot).camera
    assert camera is not None
    if camera.position is None:
        raise MoveError("The survey has no scale yet: set a tape or the camera's height first.")
    return Key(
        frame=frame,
        position=camera.position,
        rotation=key_rotation(np.array(camera.rotation).T),
        zoom=1.0,
        home=True,
    )


def pinned(shot: Shot, key: Key) -> Key:
    """A key at home, with what it has of its own beside the surveyed camera."""
    own = {n: getattr(key, n) for n in ("ease", "id", "focus_m", "f_stop", "velocity", "speed")}
    return home_key(shot, key.frame).model_copy(update=own)


def resolved_keys(shot: Shot) -> list[Key]:
    """The move's keys with pinned ones at home; one home key when there are none.

    Keys are taken as they stand where the shot has no photo that could be home.
    """
    keys = shot.move.keys
    if not keys:
        return [home_key(shot, shot.frame_range[0])]
    if any(k.home for k in keys) and any(p.camera is not None for p in shot.photos):
        return [pinned(shot, k) if k.home else k for k in keys]
    return keys


def _velocities(values: Array, frames: Array, rest: list[bool]) -> Array:
    """Velocity at each key, per frame: zero at rests, elsewhere that of the parabola through the neighbours."""
    out = np.zeros_like(values)
    for i in range(1, len(values) - 1):
        if rest[i]:
            continue
        before, after = frames[i] - frames[i - 1], frames[i + 1] - frames[i]
        back, ahead = (values[i] - values[i - 1]) / before, (values[i + 1] - values[i]) / after
        out[i] = (after * back + before * ahead) / (before + after)
    return out


class _Turns:
    """A rotation through keys: Kim, Kim and Shin, "A general construction scheme for unit quaternion curves", 1995
    (cumulative Bernstein form), which does not flip."""

    def __init__(self, frames: Array, rotations: list[Rotation], rest: list[bool]):
        self.frames, self.rotations = frames, rotations
        spin = np.zeros((len(rotations), 3))
        for i in range(1, len(rotations) - 1):
            if rest[i]:
                continue
            before, after = frames[i] - frames[i - 1], frames[i + 1] - frames[i]
            back = (rotations[i - 1].inv() * rotations[i]).as_rotvec() / before
            ahead = (rotations[i].inv() * rotations[i + 1]).as_rotvec() / after
            spin[i] = (after * back + before * ahead) / (before + after)
        self._starts = np.array([r.as_matrix() for r in rotations])
        self._vectors = [self._between(i, spin) for i in range(len(rotations) - 1)]

    def _between(self, i: int, spin: Array) -> Array:
        """The rotation vectors (3, 3) that make up the way from one key to the next, in the order of their turns."""
        span = self.frames[i + 1] - self.frames[i]
        first, third = (Rotation.from_rotvec(spin[n] * span / 3) for n in (i, i + 1))
        between = self.rotations[i].inv() * self.rotations[i + 1]
        second = first.inv() * between * third.inv()
        return np.array([r.as_rotvec() for r in (first, second, third)])

    def at(self, frame: float) -> Array:
        """Camera → world (3, 3)."""
        if len(self.rotations) == 1:
            return self._starts[0].copy()
        f = min(max(float(frame), float(self.frames[0])), float(self.frames[-1]))
        i = min(max(int(np.searchsorted(self.frames, f, side="right")) - 1, 0), len(self.frames) - 2)
        t = (f - self.frames[i]) / (self.frames[i + 1] - self.frames[i])
        shares = np.array([[1 - (1 - t) ** 3], [3 * t**2 - 2 * t**3], [t**3]])
        first, second, third = Rotation.from_rotvec(self._vectors[i] * shares).as_matrix()
        return np.asarray(self._starts[i] @ first @ second @ third)


def with_ends(keys: list[Key], in_motion: bool) -> list[Key]:
    """Keys whose first and last one are passed as fast as the way to the next key takes evenly, or rest.

    What a key says of its own velocity stays in motion; one that leaves its position to others says nothing. The turn
    and the lens begin and end at rest.
    """
    placed = [i for i, k in enumerate(keys) if "position" not in k.free]
    out = list(keys)
    for i, n in zip((placed[0], placed[-1]), (placed[1], placed[-2]), strict=True) if len(placed) > 1 else ():
        way = float(np.linalg.norm(np.subtract(keys[n].position, keys[i].position)))
        speed = way / abs(keys[n].frame - keys[i].frame)
        if not in_motion:
            out[i] = keys[i].model_copy(update={"speed": None, "velocity": None})
        elif not keys[i].passed and speed > 0:
            out[i] = keys[i].model_copy(update={"speed": speed, "ease": None})
    return out


def _rests(keys: list[Key]) -> list[bool]:
    """The first and the last key rest, and inner ones marked so."""
    return [k.ease == "rest" or i in (0, len(keys) - 1) for i, k in enumerate(keys)]


def _passed(keys: list[Key], values: Array, frames: Array) -> Array:
    """Velocity at each key, per frame (N, 3): as keys say it, or as their neighbours do.

    A speed alone goes the neighbours' way; at either end, towards the next key there.
    """
    out = _velocities(values, frames, _rests(keys))
    free = _velocities(values, frames, [False] * len(keys))
    free[0], free[-1] = values[1] - values[0], values[-1] - values[-2]
    for i, key in enumerate(keys):
        if key.velocity is not None:
            out[i] = key.velocity
        elif key.speed is not None and (length := float(np.linalg.norm(free[i]))) > 0:
            out[i] = key.speed / length * free[i]
    return out


def _smooth(
    keys: list[Key], values: Array, velocity: Callable[[list[Key], Array, Array], Array] | None = None
) -> Callable[[float], Array]:
    """Cubic Hermite curves through keys' values (N, K); ``velocity``: that of its keys, in place of what their
    neighbours say."""
    if len(keys) == 1:
        return lambda frame: np.asarray(values[0])
    frames = np.array([k.frame for k in keys], dtype=np.float64)
    slopes = velocity(keys, values, frames) if velocity else _velocities(values, frames, _rests(keys))
    curve = CubicHermiteSpline(frames, values, slopes)
    return lambda frame: np.asarray(curve(np.clip(frame, frames[0], frames[-1])))


class Path:
    """A camera path through keys: cubic Hermite in position and focal length, cubic quaternion curves in rotation.

    The path rests at its first and last key and at inner keys marked so; it passes smoothly through the others, and by
    the velocity, or at the speed, that a key says, be it the first or the last.
    Before the first and after the last key the camera stands still. Each value goes through those keys that hold it; a
    value that none of them holds is that of the first key. ``home_px``: `Shot.home_px`.
    """

    def __init__(self, keys: list[Key], home_px: float):
        if not keys:
            raise MoveError("A move needs at least one key.")
        self.frames = np.array([k.frame for k in keys], dtype=np.float64)

        def holding(value: Held) -> list[Key]:
            return [k for k in keys if value not in k.free] or keys[:1]

        placed, turned, zoomed = holding("position"), holding("rotation"), holding("focal_px")
        self._position = _smooth(placed, np.array([k.position for k in placed]), _passed)
        self._focal = _smooth(zoomed, np.array([[k.focal(home_px)] for k in zoomed]))
        rotations = [Rotation.from_quat(k.rotation, scalar_first=True) for k in turned]
        self._turns = _Turns(np.array([k.frame for k in turned], dtype=np.float64), rotations, _rests(turned))

    def at(self, frame: float) -> tuple[Array, Array, float]:
        """Position (3,) in metres, rotation camera → world (3, 3), focal length in delivered pixels at a frame."""
        return self._position(frame), self._turns.at(frame), max(float(self._focal(frame)[0]), 1e-3)


def moment_at(shot: Shot, path: Path, frame: float, width: int | None = None) -> Moment:
    """The set as the delivered camera sees it at a frame, on a grid `width` pixels wide (the delivered width by
    default)."""
    d = shot.delivery
    position, rotation, focal = travelled(shot, path, frame)
    view = View(d.width, d.height, focal, lens_centre(shot), np.ascontiguousarray(rotation.T), position)
    if width is not None:
        view = view.across(width)
    return Moment(frame, view, poses_at(shot, path, frame, position))


def view_of_key(shot: Shot, key: Key) -> View:
    """The delivered camera's view at a key."""
    d = shot.delivery
    return View(
        d.width,
        d.height,
        key.focal(shot.home_px),
        lens_centre(shot),
        quaternion_to_matrix(key.rotation).T,
        np.array(key.position),
    )


def shot_path(shot: Shot) -> Path:
    """The path of a shot's move."""
    return Path(resolved_keys(shot), shot.home_px)


def moments(shot: Shot, first: int | None = None, last: int | None = None, width: int | None = None) -> list[Moment]:
    """The moments of a range of frames, all by default.

    Raises MoveError when the range reaches outside of the shot.
    """
    low, high = shot.frame_range
    first, last = low if first is None else first, high if last is None else last
    if first > last or first < low or last > high:
        raise MoveError(f"The shot has frames {low} to {high}; {first} to {last} is not among them.")
    path = shot_path(shot)
    return [moment_at(shot, path, f, width) for f in range(first, last + 1)]
