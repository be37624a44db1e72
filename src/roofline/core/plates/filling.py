"""Filling: something else in place of what is there, on the picture or squared up on a face."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from roofline.core.boxes import box_of, parts, wider
from roofline.core.camera import Array
from roofline.core.light import even, stored, to_display, to_linear
from roofline.core.plates.exemplar import textured
from roofline.core.plates.membrane import grain, meeting, membrane
from roofline.core.plates.worked import Canvas, Face, Worked
from roofline.errors import PlateError

AROUND = 160  # pixels around a hole that a fill looks at, at least
SHEET = 6_000_000  # pixels of a squared-up picture, at most
COARSE = 1.5  # times: a squared-up picture so much coarser than the plate is not worth it
SLANT = 5.0  # times
BESIDE = 8  # pixels
RING = 12  # pixels about a hole by which its grain and its light are judged
Picture = NDArray[np.float32]
Mask = NDArray[np.bool_]
Filler = Callable[[Picture, Mask, Mask], Picture]


def smooth(picture: Picture, hole: Mask, allowed: Mask, seed: int) -> Picture:
    """The smoothest continuation of what is around, with grain as fine as there."""
    known = allowed & ~hole
    base = membrane(_soft(picture, known), ~known)
    noise = grain(picture, _ring(hole) & known, hole.shape, seed)
    return np.where(hole[..., None], base + noise, picture).astype(np.float32)


def _soft(picture: Picture, known: Mask) -> Picture:
    """Known pixels averaged with known ones only: the membrane starts from their light, not from their grain."""
    share = known.astype(np.float32)
    sums = cv2.GaussianBlur(picture * share[..., None], (0, 0), 1.5)
    weight = cv2.GaussianBlur(share, (0, 0), 1.5)
    return np.where(known[..., None], sums / np.maximum(weight, 1e-6)[..., None], picture).astype(np.float32)


def along(picture: Picture, hole: Mask, allowed: Mask, seed: int) -> Picture:
    """Row by row from what is known to the left to what is known to the right; the lines of a surface go on."""
    known = allowed & ~hole
    soft = (
        cv2.blur(picture * known[..., None], (5, 1))
        / np.maximum(cv2.blur(known.astype(np.float32), (5, 1)), 1e-6)[..., None]
    )
    columns = np.arange(hole.shape[1])
    left = np.maximum.accumulate(np.where(known, columns, -1), axis=1)
    right = np.minimum.accumulate(np.where(known, columns, 10**9)[:, ::-1], axis=1)[:, ::-1]
    has_left, has_right = left >= 0, right < 10**9
    rows = np.arange(hole.shape[0])[:, None]
    a = soft[rows, np.maximum(left, 0)]
    b = soft[rows, np.minimum(right, hole.shape[1] - 1)]
    t = np.clip((columns - left) / np.maximum(right - left, 1), 0, 1)[..., None]
    t = np.where(has_left[..., None], np.where(has_right[..., None], t, 0), 1)
    filled = a + (b - a) * t
    nowhere = hole & ~has_left & ~has_right
    out = np.where(hole[..., None], filled, picture).astype(np.float32)
    if nowhere.any():
        out = membrane(out, nowhere)
    noise = grain(picture, _ring(hole) & known, hole.shape, seed)
    return np.where(hole[..., None], out + noise, picture).astype(np.float32)


def _ring(hole: Mask) -> Mask:
    grown = cv2.dilate(hole.astype(np.uint8), cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * RING + 1,) * 2))
    return grown.astype(bool) & ~hole


FILLERS: dict[str, Callable[[Picture, Mask, Mask, int], Picture]] = {
    "smooth": smooth,
    "texture": textured,
    "along": along,
}


def direction(picture: Picture, hole: Mask) -> float:
    """The angle in radians along which the picture's lines run about a hole (the structure tensor's)."""
    grey = cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY)
    gx, gy = cv2.Sobel(grey, cv2.CV_32F, 1, 0), cv2.Sobel(grey, cv2.CV_32F, 0, 1)
    ring = cv2.dilate(hole.astype(np.uint8), np.ones((41, 41), np.uint8)).astype(bool)
    ring &= ~cv2.dilate(hole.astype(np.uint8), np.ones((5, 5), np.uint8)).astype(bool)
    if not ring.any():
        return 0.0
    xx, yy, xy = (gx * gx)[ring].sum(), (gy * gy)[ring].sum(), (gx * gy)[ring].sum()
    across = 0.5 * np.arctan2(2 * xy, xx - yy)
    return float(across + np.pi / 2)


def window(hole: Mask, around: int) -> tuple[slice, slice]:
    """Rows and columns of a hole and of what a fill looks at about it."""
    box = box_of(hole)
    margin = max(around, int(0.8 * (max(box[2] - box[0], box[3] - box[1]) - 1)))
    return parts(wider(box, margin, hole.shape[::-1]))


@dataclass(frozen=True)
class Sheet:
    """A squared-up grid on a face: ``to_canvas`` (3, 3) takes its pixels to those of the canvas."""

    to_canvas: Array
    size: tuple[int, int]
    low: Array  # metres
    high: Array
    step: float  # metres of a pixel
    coarse: float = 1.0  # how many times larger that is than what the canvas shows at its finest
    slant: float = 1.0  # how many times larger a pixel of the canvas is one way than the other, on the face

    def of_metres(self) -> Array:
        """Matrix (3, 3) from metres along and up to pixels, y downwards."""
        k = 1 / self.step
        return np.array([[k, 0, -self.low[0] * k], [0, -k, self.high[1] * k], [0, 0, 1.0]])

    def taken(self, values: NDArray, how: int = cv2.INTER_CUBIC, border: int = cv2.BORDER_REPLICATE) -> NDArray:
        """Values on the canvas as the sheet sees them."""
        return np.asarray(
            cv2.warpPerspective(
                values, _centred(self.to_canvas), self.size, flags=how | cv2.WARP_INVERSE_MAP, borderMode=border
            )
        )

    def given(
        self, values: NDArray, size: tuple[int, int], how: int = cv2.INTER_CUBIC, border: int = cv2.BORDER_REPLICATE
    ) -> NDArray:
        """Values on the sheet as the canvas sees them."""
        back = _centred(np.linalg.inv(self.to_canvas))
        return np.asarray(cv2.warpPerspective(values, back, size, flags=how | cv2.WARP_INVERSE_MAP, borderMode=border))


def _centred(m: NDArray) -> Array:
    """A map between pixels counted from corners, for OpenCV, which counts them from their centres."""
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
    return np.asarray(np.linalg.inv(half) @ m @ half)


def sheet_about(face: Face, mask: Mask, wider: float = 0.7) -> Sheet:
    """A squared-up grid about what a mask (H, W) marks, as fine as the canvas is there at its finest."""
    y, x = np.nonzero(mask)
    if not len(y):
        raise PlateError("There is nothing to work on there.")
    pick = np.linspace(0, len(y) - 1, min(len(y), 4000)).astype(int)
    spots = np.column_stack([x[pick] + 0.5, y[pick] + 0.5])
    flat = face.metres(spots)
    seen = np.isfinite(flat).all(axis=1)
    if not seen.any():
        raise PlateError("The face is not seen there, so nothing can be squared up on it.")
    flat, spots = flat[seen], spots[seen]
    low, high = flat.min(0), flat.max(0)
    room = wider * max(float((high - low).max()), 1e-3)
    low, high = np.maximum(low - room, face.low), np.minimum(high + room, face.high)
    high = np.maximum(high, low + 1e-3)
    fine, across = np.inf, []
    for d in ((1.0, 0.0), (0.0, 1.0)):
        beside = face.metres(spots + d)
        with np.errstate(invalid="ignore"):
            away = np.linalg.norm(beside - flat, axis=1)
        fine = min(fine, float(np.nanpercentile(away, 10)))
        across.append(float(np.nanmedian(away)))
    step = max(fine, float(np.sqrt((high - low).prod() / SHEET)), 1e-6)
    size = np.maximum(np.ceil((high - low) / step).astype(int), 2)
    to_metres = np.array([[step, 0, low[0]], [0, -step, high[1]], [0, 0, 1.0]])
    return Sheet(
        face.to_grid @ to_metres, (int(size[0]), int(size[1])), low, high, step, step / fine, max(across) / min(across)
    )


def filled(
    worked: Worked, where: NDArray[np.float32], fill: Filler, face: Face | None, allowed: Mask | None, turn: bool
) -> Worked:
    """A plate with what a matte marks filled: on the picture, or on a face, which the fill sees squared up.

    ``allowed``: where examples may come from; ``turn``: the fill goes on along rows, so they are laid along the
    picture's own lines.
    """
    hole = where > 0.004
    if not hole.any():
        raise PlateError("There is nothing to fill: the matte is empty.")
    if hole.all():
        raise PlateError("The matte covers everything, so there is nothing to fill from: shrink it.")
    ys, xs = window(hole, AROUND)
    hole = hole[ys, xs]
    part = np.ascontiguousarray(worked.pixels[ys, xs])
    may = np.ones(hole.shape, bool) if allowed is None else allowed[ys, xs]
    if not (may & ~hole).any():
        raise PlateError("There is nothing to fill from: everything around is left out.")
    picture = even(part)
    if face is not None:
        moved = Face(np.array([[1, 0, -xs.start], [0, 1, -ys.start], [0, 0, 1.0]]) @ face.to_grid, face.low, face.high)
        sheet = sheet_about(moved, hole)
        if sheet.coarse > COARSE or sheet.slant > SLANT:  # far away, or so flat that squared up it is all blur
            new = fill(picture, hole, np.ones_like(hole))  # what lies beside it tells how its lines go on
        else:
            new = _on_sheet(picture, hole, may, fill, sheet)
    elif turn:
        new = _turned(picture, hole, may, fill)
    else:
        new = fill(picture, hole, may)
    out = worked.pixels.copy()
    # the matte's soft rim is filled as well: nothing of what stood there may show through it
    out[ys, xs] = np.where(hole[..., None], stored(new, part), part)
    return Worked(worked.canvas, out, worked.matte, worked.notes)


def _on_sheet(picture: Picture, hole: Mask, may: Mask, fill: Filler, sheet: Sheet) -> Picture:
    h, w = hole.shape
    flat = sheet.taken(picture)
    inside = sheet.taken(np.ones((h, w), np.float32), cv2.INTER_LINEAR, cv2.BORDER_CONSTANT) > 0.999
    flat_hole = sheet.taken(hole.astype(np.float32), cv2.INTER_LINEAR, cv2.BORDER_CONSTANT) > 0.001
    flat_may = (sheet.taken(may.astype(np.float32), cv2.INTER_LINEAR, cv2.BORDER_CONSTANT) > 0.999) & inside
    if not (flat_may & ~flat_hole).any():
        raise PlateError(
            "There is nothing on the face to fill from: everything of it is covered or out of the picture."
        )
    # right beside the hole, what is not the face's must not be gone on with
    near = cv2.dilate(flat_hole.astype(np.uint8), np.ones((2 * BESIDE + 1,) * 2, np.uint8)).astype(bool)
    done = fill(flat, flat_hole | (near & ~flat_may), flat_may)
    back = sheet.given(done.astype(np.float32), (w, h))
    covered = sheet.given(np.ones(done.shape[:2], np.float32), (w, h), cv2.INTER_LINEAR, cv2.BORDER_CONSTANT) > 0.999
    out = np.where((hole & covered)[..., None], back, picture).astype(np.float32)
    rest = hole & ~covered
    if rest.any():  # beyond the face's end: it has no say there
        out = membrane(out, rest)
    return out


def _turned(picture: Picture, hole: Mask, may: Mask, fill: Filler) -> Picture:
    angle = direction(picture, hole)
    h, w = hole.shape
    c, s = np.cos(angle), np.sin(angle)
    corners = np.array([[0, 0], [w, 0], [0, h], [w, h]]) @ np.array([[c, -s], [s, c]])
    low, size = corners.min(0), np.ceil(np.ptp(corners, axis=0)).astype(int) + 1
    to_canvas = np.array([[c, -s, c * low[0] - s * low[1]], [s, c, s * low[0] + c * low[1]], [0, 0, 1.0]])
    return _on_sheet(picture, hole, may, fill, Sheet(to_canvas, (int(size[0]), int(size[1])), low, low + size, 1.0))


@dataclass(frozen=True)
class Beside:
    """A hole's window with another photo beside it: the plate's pixels as stored and in linear light, the other's, how
    much is to be covered, where the hole is, and where the other shows it."""

    part: NDArray
    own: Picture
    other: Picture
    cover: Picture
    hole: Mask
    there: Mask

    def shown(self, linear: NDArray) -> Picture:
        """Linear light as the plate's fills are worked out in."""
        return even(linear.astype(np.float32)) if self.part.dtype == np.float32 else to_display(linear)


def from_other(
    worked: Worked, where: Picture, look: Callable[[Canvas], Picture], around: int, lay: Callable[[Beside], Picture]
) -> tuple[Worked, float]:
    """A plate's hole from another photo.

    ``look``: the other photo on a canvas, (H, W, 4), linear and premultiplied. ``lay``: the window with it laid in,
    where it is there.

    Returns the share of the hole that the other photo gives; the rest is filled with texture.
    """
    if not (where > 0.004).any():
        raise PlateError("There is nothing to fill: the matte is empty.")
    ys, xs = window(where > 0.004, around)
    cover, seen = where[ys, xs], look(worked.canvas.part(xs, ys))
    hole, there = cover > 0.004, seen[..., 3] > 0.98
    if not (hole & there).any():
        raise PlateError("The other photo sees nothing of what is to be filled, or so slantwise that it would smear.")
    part = np.ascontiguousarray(worked.pixels[ys, xs])
    other = (seen[..., :3] / np.maximum(seen[..., 3:], 1e-6)).astype(np.float32, copy=False)
    new = lay(Beside(part, to_linear(part), other, cover, hole, there))
    rest = hole & ~there
    if rest.any():
        new = textured(new, rest, np.ones(hole.shape, bool))
    out = worked.pixels.copy()
    out[ys, xs] = np.where(hole[..., None], stored(new, part), part)
    return Worked(worked.canvas, out, worked.matte, worked.notes), float((hole & there).sum() / hole.sum())


def met(b: Beside) -> Picture:
    """Another photo laid into a hole, its colour brought to that of what is around and bent to meet the border."""
    ring = cv2.dilate(b.hole.astype(np.uint8), np.ones((81, 81), np.uint8)).astype(bool) & ~b.hole & b.there
    other, new = b.other, even(b.part)
    if ring.sum() > 30:
        gain = np.median(b.own[ring], axis=0) / np.maximum(np.median(other[ring], axis=0), 1e-6)
        other = other * np.clip(gain, 1 / 16, 16).astype(np.float32)
    laid = np.where(b.there[..., None], b.shown(other), new).astype(np.float32)
    return np.where((b.hole & b.there)[..., None], meeting(laid, new, b.hole), new).astype(np.float32)


def from_photo(worked: Worked, where: Picture, look: Callable[[Canvas], Picture]) -> tuple[Worked, float]:
    """A plate's hole from another photo through the geometry; see `from_other`."""
    return from_other(worked, where, look, 48, met)
