"""Scale and origin: tapes, the camera's height, the datum."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from roofline.core.camera import Array, View, straighten_pixels
from roofline.errors import SurveyError
from roofline.model.base import Family
from roofline.model.survey import Camera, Length, SurveyInput, TapeReport

DIRECTION: dict[Family, Array] = {
    "run": np.array([1.0, 0, 0]),
    "return": np.array([0, 0, 1.0]),
    "rise": np.array([0, 1.0, 0]),
}


CONTRADICTION = 1.3  # tapes that put the camera at heights further apart than this cannot all be right


@dataclass
class Placed:
    position: tuple[float, float, float] | None
    tapes: list[TapeReport] = field(default_factory=list)
    assumed: list[str] = field(default_factory=list)
    warnings: list[str] = field(default_factory=list)


def ground_point(view: View, pixel: Array, level: float = 0.0) -> Array:
    """World point (3,) where the ray through a straightened pixel meets the level plane y = `level` (metres).

    Raises SurveyError when the pixel lies on or above the horizon.
    """
    ray = view.rays(pixel)
    drop = view.position[1] - level
    if abs(drop) < 1e-12 or -ray[1] / drop <= 1e-9:
        raise SurveyError("That point lies above the horizon, so it cannot be on the ground.")
    return view.position - ray * (drop / ray[1])


def along_line(view: View, pixel: Array, foot: Array, direction: Array) -> float:
    """Metres from `foot` along a unit direction to the spot on that line which the pixel's ray passes nearest.

    The spot is where the line's picture is nearest to the pixel along the ray's plane (closest points of two lines).
    """
    ray = view.rays(pixel)
    ray = ray / np.linalg.norm(ray)
    between = foot - view.position
    c = float(direction @ ray)
    if 1 - c * c < 1e-12:
        raise SurveyError("The camera looks straight along that direction: a length cannot be read there.")
    return float((c * (between @ ray) - between @ direction) / (1 - c * c))


def tape_length(view: View, tape: Length, camera: Camera) -> float:
    """The tape's length in units of the view's own scale."""
    a = straighten_pixels(tape.a, camera)
    b = straighten_pixels(tape.b, camera)
    direction = DIRECTION[tape.direction]
    try:
        foot = ground_point(view, a)
    except SurveyError:
        raise SurveyError("A tape's first end must stand on the ground, below the horizon.") from None
    return abs(along_line(view, b, foot, direction))


def others(heights: Array, one: int) -> float:
    """Geometric mean of all camera heights but one."""
    rest = np.delete(heights, one)
    return float(np.exp(np.mean(np.log(rest))))


def _variances(given: SurveyInput) -> Array:
    """Relative variance of every tape, of which weights are made: by its own sigma, and its ends clicked as well as an
    edge. Where none has a sigma they count alike."""
    if all(t.sigma_m is None for t in given.lengths):
        return np.ones(len(given.lengths))
    long = np.array([np.hypot(t.a[0] - t.b[0], t.a[1] - t.b[1]) for t in given.lengths])
    own = np.array([(t.sigma_m or 0.0) / t.metres for t in given.lengths])
    return np.asarray(own**2 + 2 * (given.edge_sigma_px / long) ** 2)


def place(given: SurveyInput, camera: Camera) -> Placed:
    """Position of a camera of known rotation, from tapes or camera height, and the datum."""
    if given.camera_height_m is not None and given.camera_height_m <= 0:
        raise SurveyError(f"The camera's height must be above zero, not {given.camera_height_m:g} m.")
    for tape in given.lengths:
        if not tape.metres > 0:
            raise SurveyError(f"A tape must be longer than zero, not {tape.metres:g} m.")
        if float(np.hypot(tape.a[0] - tape.b[0], tape.a[1] - tape.b[1])) < 1.0:
            raise SurveyError("A tape's two ends fall on one spot: drag it along the known length.")
    out = Placed(None)
    unit = View(
        camera.width,
        camera.height,
        camera.focal_px,
        camera.principal_point,
        np.array(camera.rotation),
        np.array([0.0, 1.0, 0.0]),
    )
    height = given.camera_height_m
    if given.lengths:
        units = np.array([max(tape_length(unit, tape, camera), 1e-12) for tape in given.lengths])
        metres = np.array([tape.metres for tape in given.lengths])
        # the height that makes the tapes' relative misses least in the sum of squares, each by what is known of it
        variance = _variances(given)
        by_tape = float(np.exp(np.average(np.log(metres / units), weights=1 / variance)))
        off = units * by_tape - metres
        out.tapes = [TapeReport(solved_m=float(m + d), off_m=float(d)) for m, d in zip(metres, off, strict=True)]
        spread = float((metres / units).max() / (metres / units).min())
        misses = np.log(metres / units / by_tape)
        # of tapes that are known roughly, what lies within that is no contradiction
        beyond = all(t.sigma_m is None for t in given.lengths) or bool((misses**2 > 9 * variance).any())
        if spread > CONTRADICTION and beyond:
            worst = int(np.argmax(misses**2 / variance))
            raise SurveyError(
                f"The tapes contradict each other: by the others, tape {worst + 1} is "
                f"{units[worst] * others(metres / units, worst):.2f} m long, not {metres[worst]:g} m. "
                "Check its length, its ends and its direction, or remove it."
            )
        if spread > 1.05 and beyond:
            out.warnings.append(f"The tapes disagree by {100 * (spread - 1):.0f} %: check their lengths and ends.")
        if height is not None and not 0.95 < by_tape / height < 1.05:
            out.warnings.append(
                f"The tape puts the camera {by_tape:.2f} m above the ground, not {height:.2f} m; the tape is followed."
            )
        height = by_tape
    if height is None:
        out.assumed.append("There is no scale yet: no tape and no camera height.")
        return out
    if given.datum is None:
        out.assumed.append("The origin is on the ground below the camera.")
        out.position = (0.0, height, 0.0)
        return out
    try:
        origin = ground_point(unit, straighten_pixels(given.datum, camera))
    except SurveyError:
        raise SurveyError("The datum must lie on the ground, below the horizon.") from None
    at = (unit.position - origin) * height
    out.position = (float(at[0]), height, float(at[2]))
    return out
