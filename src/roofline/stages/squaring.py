"""Faces squared up: taken out as a picture at true scale, painted on anywhere, and brought back."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import Array
from roofline.core.light import fraction, to_display, to_linear
from roofline.core.throw.squared import Grid, Plane, Squared
from roofline.errors import PlateError
from roofline.formats import pictures
from roofline.formats.face_pictures import SUFFIX, Depth, encoded, spread
from roofline.model.base import Model, Vec4
from roofline.model.plates import Plate
from roofline.model.shot import Shot
from roofline.model.steps import PaintedStep
from roofline.stages import stepping
from roofline.stages.plates import plate_of
from roofline.work.desk import Desk
from roofline.work.plates import ShotWorld, whole_canvas

MOST = 24_000_000  # pixels of a squared-up picture
SAME = 1.6 / 255  # of display values: what eight bit and another program may change by themselves
SIDE = 8192  # pixels
FARTHEST = 8.0  # times: what a photo shows so much more coarsely than its best is left out
LOOKED = 2400  # pixels a side, at least, that a plate is worked out at to be looked at squared up
LOOKS = 96  # places across a photo that are looked at


@dataclass(frozen=True)
class Area:
    """The part of a face that a photo shows well: metres along and up, and metres of one of its best pixels there."""

    low: Array
    high: Array
    step: float

    @property
    def said(self) -> Vec4:
        return (*map(float, self.low), *map(float, self.high))  # type: ignore[return-value]

    @property
    def size(self) -> tuple[int, int]:
        """Pixels of its picture."""
        span = self.high - self.low
        step = max(self.step, float(span.max()) / SIDE, float(np.sqrt(span.prod() / MOST)))
        return max(2, int(np.ceil(span[0] / step))), max(2, int(np.ceil(span[1] / step)))


def area_of(desk: Desk, shot: Shot, plate: Plate, face: str) -> Area:
    """What a plate's photo shows of a face; raises PlateError where it does not see it."""
    small = whole_canvas(plate.reach, LOOKS)
    world = ShotWorld(desk.engines, shot, plate, LOOKS)
    plane = world.face(face, small)
    seen = world.in_front([face], small) + world.silhouette([face], small) > 0.5
    y, x = np.nonzero(seen)
    if not len(y):
        raise PlateError("The photo shows nothing of that face.")
    spots = np.column_stack([x + 0.5, y + 0.5])
    flat = plane.metres(spots)
    steps = np.maximum(*(np.linalg.norm(plane.metres(spots + d) - flat, axis=1) for d in ((1, 0), (0, 1))))
    near = np.isfinite(flat).all(axis=1) & np.isfinite(steps)
    if not near.any():
        raise PlateError("The photo shows nothing of that face.")
    near &= steps < FARTHEST * steps[near].min()
    margin = float(steps[near].max())
    low = np.maximum(flat[near].min(0) - margin, plane.low)
    high = np.minimum(flat[near].max(0) + margin, plane.high)
    # a photo pixel is the smaller one of the grid that was looked at; its shorter way is what it shows at best
    least = np.minimum(*(np.linalg.norm(plane.metres(spots + d) - flat, axis=1) for d in ((1, 0), (0, 1))))
    photo = plate.reach[2] / small.size[0]
    return Area(low, high, max(float(np.nanpercentile(least[near], 5)) / photo, 1e-5))


class FacePlane(Model):
    """A face as a plate's photo sees it: what it shows well, metres along and up (x0, y0, x1, y1); metres of one of the
    photo's best pixels there; and the map from metres to homogeneous pixels of the photo, by rows."""

    area: Vec4
    step: float
    to_photo: list[list[float]]


def face_plane(desk: Desk, shot_id: str, plate_id: str, face: str) -> FacePlane:
    """How a face lies in a plate's photo; raises PlateError where the photo shows nothing of it."""
    shot = desk.store.load(shot_id)
    plate = plate_of(shot, plate_id)
    area = area_of(desk, shot, plate, face)
    grid = whole_canvas(plate.canvas, LOOKS)
    seen = ShotWorld(desk.engines, shot, plate, LOOKS).face(face, grid)
    back = np.array([[1 / grid.scale[0], 0, grid.x0], [0, 1 / grid.scale[1], grid.y0], [0, 0, 1]])
    return FacePlane(area=area.said, step=area.step, to_photo=(back @ seen.to_grid).tolist())


def straight_look(desk: Desk, shot_id: str, plate_id: str, face: str, width: int) -> tuple[bytes, Vec4]:
    """A plate as it lies on a face, squared up, PNG, its matte as alpha, so many pixels wide; and the area shown."""
    shot = desk.store.load(shot_id)
    plate = plate_of(shot, plate_id)
    area = area_of(desk, shot, plate, face)
    worked = desk.engines.worked(shot, plate, max(width, LOOKED))
    plane = ShotWorld(desk.engines, shot, plate, None).face(face, worked.canvas)
    span = area.high - area.low
    w = min(width, area.size[0])
    size = w, max(2, round(w * float(span[1] / span[0])))
    metres = np.array([[span[0] / size[0], 0, area.low[0]], [0, -span[1] / size[1], area.high[1]], [0, 0, 1]])
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])  # OpenCV counts pixels from their middles
    way = np.linalg.inv(half) @ plane.to_grid @ metres @ half
    alpha = (worked.full_matte * 255 + 0.5).astype(np.uint8)
    shown = np.dstack([spread(pictures.eight_bit(worked.pixels), alpha > 0), alpha])
    laid = cv2.warpPerspective(shown, way, size, flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
    return pictures.png(laid, 1), area.said


def out(desk: Desk, shot_id: str, plate_id: str, face: str, depth: Depth) -> tuple[bytes, str]:
    """A face as all throws give it, squared up, over the area that a plate's photo shows: (bytes, suffix)."""
    shot = desk.store.load(shot_id)
    area = area_of(desk, shot, plate_of(shot, plate_id), face)
    return encoded(straight(gathered(desk, shot, face, area)), True, depth), SUFFIX[depth]


def gathered(desk: Desk, shot: Shot, face: str, area: Area) -> NDArray[np.float32]:
    """What is thrown on an area of a face, (H, W, 4), linear and premultiplied."""
    engine = desk.engine(shot)
    f = engine.geometry.names.index(face)
    plane = Plane.of(engine.geometry.normals[f], engine.geometry.normals[f] * engine.geometry.offsets[f])
    size = area.size
    return Squared(engine).picture(f, plane, Grid(area.low, area.high, size), np.ones((size[1], size[0]), bool))


def straight(premultiplied: NDArray[np.float32]) -> NDArray[np.float32]:
    alpha = premultiplied[..., 3:]
    colour = premultiplied[..., :3] / np.maximum(alpha, 1e-6)
    return np.concatenate([np.where(alpha > 0, colour, 0), alpha], axis=2).astype(np.float32)


def back(desk: Desk, shot_id: str, plate_id: str, data: bytes, name: str, face: str | None) -> None:
    """Lay a painted picture over a plate: on its canvas, or on the area of a face that was taken out.

    Of a face's picture only what differs from what went out is laid over: what was not painted stays as it was.
    """
    shot = desk.store.load(shot_id)
    plate = plate_of(shot, plate_id)
    pixels = pictures.read(data, name)
    area: Vec4 | None = None
    if face:
        found = area_of(desk, shot, plate, face)
        ratio = (pixels.shape[1] / pixels.shape[0]) / (found.size[0] / found.size[1])
        if not 0.98 < ratio < 1.02:
            raise PlateError(
                f"The picture is {pixels.shape[1]} × {pixels.shape[0]} px; squared up, that face is "
                f"{found.size[0]} × {found.size[1]} px: bring it back in the shape that it was taken out in."
            )
        area = found.said
        data, name = _painted_only(desk, shot, face, found, pixels, name, data)
    file = desk.store.blobs.keep(data, Path(name).suffix.lower() or ".png")
    step = PaintedStep(file=file, on=face or None, area=area, name=f"Painted: {Path(name).stem}"[:120])
    stepping.add(desk, shot_id, plate_id, step, None)


def _painted_only(
    desk: Desk, shot: Shot, face: str, area: Area, pixels: NDArray, name: str, data: bytes
) -> tuple[bytes, str]:
    """A picture that came back, clear where it is what went out; as it is when it has another size."""
    if (pixels.shape[1], pixels.shape[0]) != area.size:
        return data, name
    went = straight(gathered(desk, shot, face, area))
    shown = to_display(to_linear(pixels[..., :3]))
    differs = np.abs(shown - to_display(went[..., :3])).max(axis=2) > SAME
    differs |= went[..., 3] < 0.5  # what was bare may have been painted as black as it was
    own = fraction(pixels[..., 3]) if pixels.shape[2] == 4 else np.ones(differs.shape, np.float32)
    alpha = np.where(differs, own, 0)
    if not (alpha > 0.004).any():
        raise PlateError("Nothing on that picture differs from what went out, so there is nothing to lay over.")
    whole = np.dstack([shown, alpha.astype(np.float32)])
    return pictures.png((whole * 65535 + 0.5).astype(np.uint16)), Path(name).stem + ".png"
