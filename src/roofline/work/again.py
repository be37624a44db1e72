"""Layers put in again from a newer file, and the set put out as layers: a painter and the set go on in turns."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import View, view_of
from roofline.core.light import top_of
from roofline.core.massing.kinds import Flat
from roofline.core.moment import still as standing
from roofline.core.plates.worked import Canvas, resampled
from roofline.errors import FormatError
from roofline.formats import pictures
from roofline.formats.layers import Layer, Layered, flattened, layers_of
from roofline.formats.ora import open_raster, same_kind
from roofline.model.photo import Photo
from roofline.model.plates import Plate, Throw
from roofline.model.shot import Shot
from roofline.work.begin import Begun, Place, cut_of, layer_plate, upright_flat
from roofline.work.engines import Engines

BESIDE = 1.02  # how much farther than its neighbour a layer stands that is new at the end of the list


def home_of(shot: Shot) -> tuple[Photo, View]:
    """The first photo with a camera that has a place; raises FormatError where there is none."""
    for photo in shot.photos:
        if photo.camera is not None and photo.camera.position is not None:
            return photo, view_of(photo.camera)
    raise FormatError("There is no camera with a scale yet: survey a photo, or assume one, first.")


def distance_of(flat: Flat, view: View) -> float:
    """Metres to a flat's foot along the direction in which a view looks."""
    return float((np.array(flat.foot) - view.position) @ view.rotation[2])


# ---------------------------------------------------------------- in again


def put_again(shot: Shot, files: list[tuple[str, bytes]], place: Place) -> tuple[Shot, list[str]]:
    """The shot with its layers' pictures from newer files; they are told apart by name.

    What was done to a layer stays: its flat, throws, steps. A new size or place in the file is honoured. Layers that
    are new stand between their neighbours; what no longer fits is said. ``place``: where pictures are put. Raises
    FormatError.
    """
    picture = layers_of(files)
    out = Begun(shot, place, list(picture.notes))
    photo, view = home_of(shot)
    if (photo.width, photo.height) != (picture.width, picture.height):
        out.notes.append(
            f"The picture is {picture.width} × {picture.height} px now and was {photo.width} × {photo.height} px: "
            "layers stay at their pixels from the upper left."
        )
    taken = {p.file for p in shot.photos}
    known = [p for p in shot.plates if p.photo == photo.id and p.role == "foreground" and p.file not in taken]
    pairs: list[tuple[Layer, Plate | None]] = []
    for layer in picture.layers:  # of one name, the first is the first's
        plate = next((p for p in known if p.name == layer.name), None)
        known = [p for p in known if p is not plate]
        pairs.append((layer, plate))
    if all(plate is None for _, plate in pairs):
        raise FormatError(
            "None of the file's layers is named as a plate of this shot: there is nothing to put in again."
        )
    for layer, plate in pairs:
        if plate is not None:
            _renew(out, plate, layer, picture)
    for number, (layer, plate) in enumerate(pairs):
        if plate is None:
            _add(out, layer, number, picture, view, photo.id)
    gone = [p.name for p in known if any(s.id == f"{p.id}-flat" for s in shot.solids)]
    if gone:
        out.notes.append(f"Not in the file any more, and left as they are: {', '.join(gone[:4])}.")
    if (photo.width, photo.height) == (picture.width, picture.height) and photo.name == "Flattened":
        _reflatten(out.shot, photo, picture, place)
    return out.shot, out.notes


def _reflatten(shot: Shot, photo: Photo, picture: Layered, place: Place) -> None:
    flat = flattened(picture)
    clear = (flat[..., 3] < top_of(flat)).any()
    file, before = place.keep(pictures.png(flat if clear else flat[..., :3], 1), ".png"), photo.file
    photo.file = file
    for plate in shot.plates:
        if plate.file == before:
            plate.file = file


def _renew(out: Begun, plate: Plate, layer: Layer, picture: Layered) -> None:
    made = layer_plate(out, layer, plate.photo, cut_of(layer, picture))
    if made is None:
        return
    before, plate.file, plate.canvas = plate.canvas, made.file, made.canvas
    if before == made.canvas:
        return
    if plate.steps:
        out.notes.append(f"“{plate.name}” has another size or place now: look at its steps.")
    for n, solid in enumerate(out.shot.solids):
        if isinstance(solid, Flat) and solid.id == f"{plate.id}-flat":
            out.shot.solids[n] = solid.model_copy(update={"extent": stretched(solid.extent, before, made.canvas)})


def stretched(
    extent: tuple[float, float, float, float], before: tuple[float, ...], after: tuple[float, ...]
) -> tuple[float, float, float, float]:
    """A flat's extent (left, right, bottom, top) when what it shows has gone from one canvas to another."""
    left, right, bottom, top = extent
    (x0, y0, w, h), (u0, v0, u, v) = before, after
    across, up = (right - left) / w, (top - bottom) / h
    first, high = left + (u0 - x0) * across, top - (v0 - y0) * up
    return first, first + u * across, high - v * up, high


def _add(out: Begun, layer: Layer, number: int, picture: Layered, view: View, photo: str) -> None:
    plate = layer_plate(out, layer, photo, cut_of(layer, picture))
    if plate is None:
        return
    named = {s.name: distance_of(s, view) for s in out.shot.solids if isinstance(s, Flat)}
    nearer = next((named[o.name] for o in reversed(picture.layers[:number]) if o.name in named), None)
    farther = next((named[o.name] for o in picture.layers[number + 1 :] if o.name in named), None)
    if nearer and farther:
        distance = 2 / (1 / nearer + 1 / farther)
    else:
        distance = nearer * BESIDE if nearer else (farther or 10.0) / BESIDE
    solid = upright_flat(view, f"{plate.id}-flat", layer.name, plate.canvas, distance)
    out.shot.plates.append(plate)
    shown = {"hidden": not layer.visible, "in_set": layer.visible}
    out.shot.solids.append(solid.model_copy(update={"group": layer.group, **shown}))
    out.shot.throws.append(Throw(plate=plate.id, targets=[solid.id]))
    out.notes.append(f"“{layer.name}” is new and stands {distance:.1f} m off.")


# ---------------------------------------------------------------- out


def layered_file(shot: Shot, engines: Engines) -> bytes:
    """The set as an OpenRaster file, see `as_layers`."""
    return open_raster(as_layers(shot, engines))


def as_layers(shot: Shot, engines: Engines) -> Layered:
    """The set as layers, as seen from home, the nearest first: a layer for every flat that carries a plate of the home
    photo, and one below them of what is not a flat. Raises FormatError where there is nothing to put out."""
    photo, view = home_of(shot)
    flats = sorted((s for s in shot.solids if isinstance(s, Flat)), key=lambda s: distance_of(s, view))
    layers = []
    for flat in flats:
        plate = _shown_on(shot, flat, photo.id)
        if plate is not None:
            layers.append(_layer(flat, plate, shot, engines))
    rest = _rest(shot, view, engines)
    if rest is not None:
        layers.append(Layer("Set", rest))
    if not layers:
        raise FormatError("There is nothing in the set that could be a layer: put something on it first.")
    return Layered(view.width, view.height, same_kind(layers))


def _shown_on(shot: Shot, flat: Flat, photo: str) -> Plate | None:
    """The plate of a photo that a flat carries: the first that is thrown on it, or the one that it was made for."""
    thrown = [t.plate for t in shot.throws if any(n.partition("/")[0] == flat.id for n in t.targets)]
    for ident in (*thrown, flat.id.removesuffix("-flat")):
        for plate in shot.plates:
            if plate.id == ident and plate.photo == photo:
                return plate
    return None


def _layer(flat: Flat, plate: Plate, shot: Shot, engines: Engines) -> Layer:
    worked = engines.worked(shot, plate)
    canvas = worked.canvas
    x0, y0 = int(np.floor(canvas.x0)), int(np.floor(canvas.y0))
    x1, y1 = int(np.ceil(canvas.x0 + canvas.width)), int(np.ceil(canvas.y0 + canvas.height))
    pixels, matte = _stored(worked.pixels), worked.full_matte
    grid = Canvas(x0, y0, x1 - x0, y1 - y0, (x1 - x0, y1 - y0))
    if grid != Canvas(canvas.x0, canvas.y0, canvas.width, canvas.height, canvas.size):
        pixels, matte = resampled(pixels, canvas, grid), resampled(matte, canvas, grid)
    top = top_of(pixels)
    alpha = (np.clip(matte, 0, 1)[..., None] * top + 0.5).astype(pixels.dtype)
    return Layer(flat.name, np.concatenate([pixels, alpha], axis=2), x0, y0, flat.group, not flat.hidden)


def _stored(pixels: NDArray) -> NDArray:
    """Pixels of 8 or 16 bit as they are; linear light as 16-bit display values."""
    if pixels.dtype != np.float32:
        return pixels
    return (pictures.to_display(pixels) * 65535 + 0.5).astype(np.uint16)


def _rest(shot: Shot, view: View, engines: Engines) -> NDArray | None:
    """What is not a flat, pictured from home (H, W, 4) in 8 bit; None where there is nothing."""
    flat = {s.id for s in shot.solids if isinstance(s, Flat)}
    others = [s for s in shot.solids if s.id not in flat]
    if not others:
        return None
    throws = [
        t.model_copy(update={"targets": [n for n in t.targets if n.partition("/")[0] not in flat]}) for t in shot.throws
    ]
    linear = engines.engine(shot.model_copy(update={"solids": others, "throws": throws})).picture(standing(view))
    alpha = linear[..., 3:]
    shown = np.concatenate([pictures.to_display(linear[..., :3] / np.maximum(alpha, 1e-6)), alpha], axis=2)
    return (np.clip(shown, 0, 1) * 255 + 0.5).astype(np.uint8)
