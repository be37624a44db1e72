"""What a plate's steps look at: the set, the other plates and photos of a shot."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, Any

import cv2
import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import View, view_of
from roofline.core.light import fraction, to_linear
from roofline.core.massing.kinds import Flat
from roofline.core.moment import still
from roofline.core.plates.worked import Canvas, Face, Matte, Worked, resampled
from roofline.core.throw.engine import Engine, limits_of
from roofline.core.throw.raster import rasterise
from roofline.core.throw.squared import Plane
from roofline.core.throw.throws import added_pieces
from roofline.errors import PlateError
from roofline.formats import pictures
from roofline.formats.plates import picture_and_alpha
from roofline.model.base import VERDICTS, Vec4
from roofline.model.plates import Plate, Throw
from roofline.model.shot import Shot
from roofline.model.steps import MATTES

if TYPE_CHECKING:
    from roofline.work.engines import Engines

FINER = 4  # samples of a pixel along each side, for what covers it
WHOLE = 240  # of bytes that are averaged: a multiple of the number of samples of a pixel, so that nothing is rounded
ROWS = 4_000_000  # samples that are drawn at once


class ShotWorld:
    """A shot as the steps of one of its plates see it, see `roofline.core.plates.worked.World`."""

    def __init__(self, engines: Engines, shot: Shot, plate: Plate, finest: int | None):
        self.engines, self.shot, self.own, self.finest = engines, shot, plate, finest
        self._known: dict[Any, Matte] = {}  # several steps of a plate look at the same

    # ------------------------------------------------------------ the set

    def bare(self) -> Engine:
        """The set alone."""
        return self.engines.engine(self.shot.model_copy(update={"plates": [], "throws": []}))

    def _view(self, canvas: Canvas) -> View:
        photo = self.shot.photo(self.own.photo)
        if photo.camera is None or photo.camera.position is None:
            raise PlateError(f"The photo '{photo.name}' has no camera with a scale yet: survey it first.")
        seen, k = view_of(photo.camera), canvas.scale
        # a coarse grid over a thin canvas is off by up to half of its own pixels
        if abs(k[0] / k[1] - 1) > max(0.01, 1 / min(canvas.size)):
            raise PlateError("The plate's picture is squeezed, so the set cannot be seen through it.")
        centre = (seen.centre[0] - canvas.x0) * k[0], (seen.centre[1] - canvas.y0) * k[1]
        return View(*canvas.size, seen.focal * float(k[0]), centre, seen.rotation, seen.position)

    def faces(self, targets: Sequence[str], engine: Engine) -> NDArray[np.bool_]:
        """Which faces are meant, (F,)."""
        g, wanted = engine.geometry, set(targets)
        out = np.array(
            [n in wanted or g.solid_ids[s] in wanted for n, s in zip(g.names, g.solid, strict=True)], dtype=bool
        )
        if not out.any():
            raise PlateError(f"There is no surface '{targets[0]}' in the set.")
        return out

    def _shares(self, canvas: Canvas, engine: Engine, what: Callable[..., NDArray], *drawn: NDArray[np.bool_]) -> Matte:
        """The share of each pixel, by samples, where something holds: ``what`` is given, for each mask of drawn faces
        (F,), the nearest of these faces at every sample, −1 where there is none."""
        view, (w, h) = self._view(canvas), canvas.size
        out, rows = np.zeros((h, w), np.float32), max(1, ROWS // (w * FINER * FINER))
        q = engine.geometry.pieces
        numbers = [np.where(d[q.face], q.face, np.int32(-1)).astype(np.int32) for d in drawn]
        for top in range(0, h, rows):
            n = min(rows, h - top)
            centre = view.centre[0] * FINER, (view.centre[1] - top) * FINER
            band = View(w * FINER, n * FINER, view.focal * FINER, centre, view.rotation, view.position)
            cast = engine.nearest_cast(still(band))
            hit = what(*(rasterise(cast, number, band.width, band.height) for number in numbers))
            share = hit.reshape(n * FINER, w * FINER).view(np.uint8) * np.uint8(WHOLE)
            out[top : top + n] = cv2.resize(share, (w, n), interpolation=cv2.INTER_AREA) / np.float32(WHOLE)
        return out

    def bounds(self, canvas: Canvas, engine: Engine, mine: NDArray[np.bool_]) -> tuple[slice, slice]:
        """Rows and columns of a canvas in which some faces (F,) can show."""
        view, (w, h), g = self._view(canvas), canvas.size, engine.geometry
        seen = (g.corners[mine[g.tri_face]].reshape(-1, 3) - view.position) @ view.rotation.T
        if (seen[:, 2] < 0.01).any():
            return slice(0, h), slice(0, w)
        at = view.focal * seen[:, :2] / seen[:, 2:] + view.centre
        x0, y0 = np.clip(np.floor(at.min(0)) - 1, 0, [w, h]).astype(int)
        x1, y1 = np.clip(np.ceil(at.max(0)) + 1, 0, [w, h]).astype(int)
        return slice(int(y0), int(max(y0, y1))), slice(int(x0), int(max(x0, x1)))

    def _where_seen(
        self, canvas: Canvas, engine: Engine, mine: NDArray[np.bool_], look: Callable[[Canvas], Matte]
    ) -> Matte:
        """What is looked at where some faces can show; nothing elsewhere."""
        out = np.zeros((canvas.size[1], canvas.size[0]), np.float32)
        ys, xs = self.bounds(canvas, engine, mine)
        if ys.stop > ys.start and xs.stop > xs.start:
            out[ys, xs] = look(canvas.part(xs, ys))
        return out

    def _once(self, what: str, targets: Sequence[str], canvas: Canvas, look: Callable[[], Matte]) -> Matte:
        key = (what, tuple(targets), canvas)
        if key not in self._known:
            self._known[key] = look()
            self._known[key].flags.writeable = False
        return self._known[key]

    def silhouette(self, targets: Sequence[str], canvas: Canvas) -> Matte:
        return self._once("silhouette", targets, canvas, lambda: self._silhouette(targets, canvas))

    def _silhouette(self, targets: Sequence[str], canvas: Canvas) -> Matte:
        engine = self.bare()
        g, mine = engine.geometry, self.faces(targets, engine)
        away = np.isin(g.solid, [i for i, s in enumerate(g.solid_ids) if s in self.own.without])
        drawn = mine | ~(g.cutout | away)

        def look(part: Canvas) -> Matte:
            return self._shares(part, engine, lambda f: mine[f] & (f >= 0), drawn)

        return self._where_seen(canvas, engine, mine, look)

    def in_front(self, targets: Sequence[str], canvas: Canvas) -> Matte:
        return self._once("in front", targets, canvas, lambda: self._in_front(targets, canvas))

    def _in_front(self, targets: Sequence[str], canvas: Canvas) -> Matte:
        engine = self.bare()
        mine = self.faces(targets, engine)
        return self._where_seen(canvas, engine, mine, lambda part: self._before(targets, part, engine, mine))

    def _before(self, targets: Sequence[str], canvas: Canvas, engine: Engine, mine: NDArray[np.bool_]) -> Matte:
        def hidden(alone: NDArray, nearest: NDArray) -> NDArray:  # one of them would be seen, and another one is
            return (alone >= 0) & (nearest >= 0) & ~mine[nearest]

        out = self._shares(canvas, engine, hidden, mine, mine | ~engine.geometry.cutout)
        added = added_pieces(self.shot)  # which never stood there
        for solid in self.shot.set_pieces:
            if not isinstance(solid, Flat) or solid.id in targets or solid.id in added:
                continue
            if self._shows_photo(
                solid.id
            ):  # what it shows is before all else, wherever its flat stands: under the ground with its foot
                share = self._shares(canvas, engine, lambda alone: alone >= 0, mine)
            else:
                share = self._shares(canvas, engine, hidden, mine, mine | self.faces([solid.id], engine))
            if share.any():
                out = np.maximum(out, share * self._cut(solid.id, canvas))
        return out

    def _thrown_on(self, solid: str) -> list[Plate]:
        """What this photo throws on a cut-out, but for this plate."""
        ids = [t.plate for t in self.shot.throws if any(x.partition("/")[0] == solid for x in t.targets)]
        return [p for p in self.shot.plates if p.id in ids and p.photo == self.own.photo and p.id != self.own.id]

    def _shows_photo(self, solid: str) -> bool:
        """Whether a cut-out shows nothing but what was cut out of this very photo."""
        file, plates = self.shot.photo(self.own.photo).file, self._thrown_on(solid)
        return bool(plates) and all(p.file == file and p.steps for p in plates)

    def _cut(self, solid: str, canvas: Canvas) -> Matte:
        """The mattes of what this photo throws on a cut-out; 1 where nothing is thrown."""
        plates = self._thrown_on(solid)
        if not plates:
            return np.ones((canvas.size[1], canvas.size[0]), np.float32)
        # their mattes alone: what fills their pictures may look at this plate again
        bare = [p.model_copy(update={"steps": [s for s in p.steps if s.do in MATTES]}) for p in plates]
        found = [self.engines.worked(self.shot, p, self.finest) for p in bare]
        return np.max([np.clip(resampled(w.full_matte, w.canvas, canvas), 0, 1) for w in found], axis=0)

    def depth(self, canvas: Canvas) -> NDArray[np.float32]:
        return self.bare().depth(still(self._view(canvas)))

    def face(self, name: str, canvas: Canvas) -> Face:
        g, view = self.bare().geometry, self._view(canvas)
        if name not in g.names:
            raise PlateError(f"There is no face '{name}' in the set; faces are named solid/face.")
        f = g.names.index(name)
        plane = Plane.of(g.normals[f], g.normals[f] * g.offsets[f])
        flat = plane.flat(g.corners[g.tri_face == f].reshape(-1, 3))
        to_world = np.column_stack([plane.along, plane.up, plane.origin - view.position])
        return Face(view.matrix @ view.rotation @ to_world, flat.min(0), flat.max(0))

    # ------------------------------------------------------------ pictures

    def depth_picture(self, file: str, canvas: Canvas) -> NDArray[np.float32]:
        photo = self.shot.photo(self.own.photo)
        grey = pictures.read(self.engines.read(file), "The depth picture")[..., 0]
        values = np.ascontiguousarray(fraction(grey))
        h, w = values.shape
        whole = Canvas(0, 0, float(photo.width or w), float(photo.height or h), (w, h))
        return np.asarray(resampled(values, whole, canvas))

    def plate(self, ident: str) -> Worked:
        for plate in self.shot.plates:
            if plate.id == ident:
                return self.engines.worked(self.shot, plate, self.finest)
        raise PlateError(f"There is no plate '{ident}' any more.")

    def photo(self, ident: str, canvas: Canvas, sound: bool = False) -> NDArray[np.float32]:
        plate = next((p for p in self.shot.plates if p.photo == ident and p.role == "photo"), None)
        if plate is None or self.shot.photo(ident).camera is None:
            raise PlateError(f"There is no surveyed photo '{ident}' to take from.")
        bare = plate.model_copy(update={"steps": []})
        if self.of_one_camera(ident):  # pixel for pixel, whatever is built
            whole = self.engines.worked(self.shot, bare, self.finest)
            there = resampled(np.ones(whole.pixels.shape[:2], np.float32), whole.canvas, canvas)
            seen = to_linear(resampled(whole.pixels, whole.canvas, canvas))
            return np.dstack([seen * there[..., None], there]).astype(np.float32)
        solids = [s for s in self.shot.set_pieces if not isinstance(s, Flat)]  # cut-outs are what is looked behind
        throw = Throw(plate=plate.id, targets=[s.id for s in solids])
        alone = {"solids": solids, "plates": [bare], "throws": [throw]}
        engine = self.engines.engine(self.shot.model_copy(update=alone))
        moment = still(self._view(canvas))
        seen = engine.picture(moment)
        if sound:
            verdict = engine.measure(moment, limits_of(engine.geometry, self.shot.limits)).verdict
            seen[verdict == VERDICTS.index("smeared")] = 0
        return seen

    def of_one_camera(self, photo: str) -> bool:
        return same_camera(self.shot, self.own.photo, photo)

    def picture(self, file: str) -> tuple[NDArray, Matte | None]:
        return picture_and_alpha(self.engines.read(file), "The painted picture")


def same_camera(shot: Shot, one: str, other: str) -> bool:
    """Whether two photos, by id, are of one camera that did not move between them."""
    a, b = (next((p.camera for p in shot.photos if p.id == ident), None) for ident in (one, other))
    return one != other and a is not None and a == b


def whole_canvas(canvas: Vec4, finest: int) -> Canvas:
    """A canvas as a grid of at most so many pixels a side."""
    k = min(1.0, finest / max(canvas[2:]))
    return Canvas(*canvas, (max(1, round(canvas[2] * k)), max(1, round(canvas[3] * k))))


def smaller(source: Worked, finest: int | None) -> Worked:
    """A source on a coarser grid, at most so many pixels wide or high, for a quick look."""
    w, h = source.canvas.size
    if finest is None or max(w, h) <= finest:
        return source
    k = finest / max(w, h)
    size = max(1, round(w * k)), max(1, round(h * k))
    c = source.canvas
    matte = source.matte
    if matte is not None:
        matte = np.asarray(cv2.resize(matte, size, interpolation=cv2.INTER_AREA), dtype=np.float32)
    pixels = cv2.resize(source.pixels, size, interpolation=cv2.INTER_AREA)
    return Worked(Canvas(c.x0, c.y0, c.width, c.height, size), pixels, matte)
