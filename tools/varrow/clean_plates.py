"""The demo shot's clean plates: made by Roof Line's own fills, then kept as files, so that the demo opens at once."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
from shapely import Polygon, unary_union
from shapely import box as shapely_box

from roofline.core.camera import View, view_of
from roofline.core.massing.solids import faces_of
from roofline.core.moment import Pose, still
from roofline.formats import pictures
from roofline.model.plates import Plate, Throw
from roofline.model.shot import Shot
from roofline.model.steps import FillStep, InFrontOf
from roofline.stages import clean
from roofline.work.desk import Desk


def silhouette(view: View, shot: Shot, idents: list[str]):
    """The picture of some solids as one shape, in photo pixels."""
    parts = []
    for solid in shot.solids:
        if solid.id in idents:
            faces = faces_of(solid)
            p = view.project(faces.vertices)
            parts += [Polygon(p[loop]).buffer(0.01) for loop in faces.loops if not np.isnan(p[loop]).any()]
    return unary_union(parts).simplify(0.5)


def without(desk: Desk, shot_id: str, idents: list[str]) -> np.ndarray:
    """The first photo with some solids taken off it: each pixel from the clean plate of the surface behind them."""
    shot = desk.store.load(shot_id)
    photo = shot.photos[0]
    out = pictures.read(desk.store.blobs.read(photo.file)).copy()
    bare = desk.engine(shot.model_copy(update={"plates": [], "throws": []}))
    clear = {i: Pose(opacity=0.0) for i in idents}
    home = still(view_of(photo.camera))
    seen = bare.nearest(replace(home, poses=clear), behind=True)
    taken = seen != bare.nearest(home, behind=True)
    for plate in shot.plates:
        wheres = [s.where for s in plate.steps if isinstance(s, FillStep) and isinstance(s.where, InFrontOf)]
        if not wheres or plate.role != "clean":
            continue
        surface = wheres[0].in_front_of[0]
        mine = [f for f, n in enumerate(bare.geometry.names) if surface in (n, n.partition("/")[0])]
        shows = taken & np.isin(seen, mine)
        if not shows.any():
            continue
        worked = desk.engines.worked(shot, plate)
        c, (w, h) = worked.canvas, worked.canvas.size
        part = slice(int(c.y0), int(c.y0) + h), slice(int(c.x0), int(c.x0) + w)
        here = shows[part] & (worked.full_matte > 0.5)
        out[part][here] = worked.pixels[here]
    return out


def clean_for_all(desk: Desk, shot_id: str) -> None:
    """A clean plate of every surface, for a while."""
    job = clean.order_all(desk, shot_id, desk.store.load(shot_id).photos[0].id, 6.0, "texture")
    job.ended.wait()
    if job.error:
        raise RuntimeError(job.error)


def no_more_clean(desk: Desk, shot_id: str, kept: set[str]) -> None:
    """Take away all plates but some."""

    def alter(s: Shot) -> Shot:
        s.throws = [x for x in s.throws if x.plate in kept]
        s.plates = [p for p in s.plates if p.id in kept]
        return s

    desk.store.change(shot_id, "Take the clean plates of single surfaces away", alter)


def clean_strip(
    desk: Desk,
    shot_id: str,
    name: str,
    idents: list[str],
    extra: list,
    targets: list[str],
    grow: float,
    inward: float,
    whole: np.ndarray,
) -> None:
    """A clean plate of the strip that a small move uncovers along some solids, `inward` px wide, of a picture of the
    whole photo without them (H, W, 3)."""
    store = desk.store
    shot = store.load(shot_id)
    photo = shot.photos[0]
    shape = unary_union([silhouette(view_of(photo.camera), shot, idents), *extra])
    frame = shapely_box(0, 0, photo.width, photo.height)
    mask = np.zeros((photo.height, photo.width), np.uint8)
    solid = shape.buffer(grow).intersection(frame)
    for part in getattr(solid, "geoms", [solid]):
        cv2.fillPoly(mask, [np.round(np.array(part.exterior.coords)).astype(np.int32)], 255)
    core = cv2.distanceTransform(mask, cv2.DIST_L2, 5) > inward + grow
    ys, xs = np.nonzero((mask > 0) & ~core)
    x0, y0 = max(0, int(xs.min()) - 30), max(0, int(ys.min()) - 30)
    x1, y1 = min(photo.width, int(xs.max()) + 31), min(photo.height, int(ys.max()) + 31)
    ring = ((mask > 0) & ~core)[y0:y1, x0:x1]
    out = np.where(ring[..., None], whole[y0:y1, x0:x1], 0).astype(np.uint8)
    file = store.blobs.keep(pictures.png(out, 9), ".png")
    matte = store.blobs.keep(pictures.png(ring.astype(np.uint8) * 255, 9), ".png")

    def alter(s: Shot) -> Shot:
        ident = name.lower().replace(" ", "-")
        s.plates.append(
            Plate(
                id=ident,
                name=name,
                photo=photo.id,
                role="clean",
                file=file,
                matte=matte,
                canvas=(x0, y0, x1 - x0, y1 - y0),
                without=idents,
            )
        )
        at = next(i for i, throw in enumerate(s.throws) if throw.plate == s.plates[0].id)
        s.throws.insert(at + 1, Throw(plate=ident, targets=targets))
        return s

    store.change(shot_id, f"Paint {name}", alter)


def bake(desk: Desk, shot_id: str, plate_id: str) -> None:
    """Keep what a plate's steps have made as its file: the demo opens at once, on slow machines too."""
    shot = desk.store.load(shot_id)
    worked = desk.engines.worked(shot, shot.plate(plate_id)).cropped()
    c, blobs = worked.canvas, desk.store.blobs
    file = blobs.keep(pictures.png(worked.pixels, 9), ".png")
    matte = blobs.keep(pictures.png((worked.full_matte * 255 + 0.5).astype(np.uint8), 9), ".png")
    given = {"file": file, "matte": matte, "steps": [], "canvas": (c.x0, c.y0, c.width, c.height)}

    def alter(s: Shot) -> Shot:
        s.plates = [p.model_copy(update=given) if p.id == plate_id else p for p in s.plates]
        return s

    desk.store.change(shot_id, "Bake a plate", alter)
