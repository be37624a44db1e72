"""Beginning a shot from whatever pictures there are: a photograph, a picture without edges, or layers."""

from __future__ import annotations

import hashlib
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import PurePath
from typing import Literal, Protocol

import cv2
import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import View, view_of
from roofline.core.massing.kinds import Flat
from roofline.core.move.first import delivered_size, first_move
from roofline.core.survey import linked
from roofline.core.survey.assumed import cropped, file_prior, focal_px
from roofline.core.survey.detect import find_unseen
from roofline.core.survey.found import taken
from roofline.core.survey.linked import survey_input
from roofline.errors import FormatError, SurveyError
from roofline.formats import pictures
from roofline.formats.layers import Layer, Layered, flattened, is_layered, layers_of, shown_box
from roofline.formats.stills import as_stills, is_video, still
from roofline.formats.textures import texture_of, texture_width
from roofline.model.base import Vec4
from roofline.model.handoff import Delivery
from roofline.model.photo import Photo, PhotoFacts, film_back_of
from roofline.model.plates import Plate, Throw, Video
from roofline.model.shot import Shot
from roofline.model.survey import Assumption, FocalPrior, Survey
from roofline.work.engines import Engines
from roofline.work.ids import fresh_id
from roofline.work.kept import Kept

Spread = Literal["parallax", "ratio", "steps"]
BORDER = 2  # clear pixels kept around what a layer shows: its edge is then filtered, and not cut
KNOWN = 0.001  # one sigma of a lens that is said to be known, as a share
Told = Callable[[float, str], None]
Films = dict[str, tuple[str, bytes]]


@dataclass
class How:
    """How a shot is begun; what is not said follows from the pictures."""

    lens_mm35: float | None = None
    eye_m: float = 1.6
    size: tuple[int, int] | None = None
    fps: float = 24.0
    frames: int = 96
    near_m: float = 4.0
    far_m: float = 40.0
    spread: Spread = "parallax"


class Place(Protocol):
    """Where files are put: kept under a suffix, which gives their names, and read by these."""

    def keep(self, data: bytes, suffix: str) -> str: ...

    def read(self, name: str) -> bytes: ...


@dataclass
class InMemory:
    """A place for the files of a package that is still to be written."""

    files: dict[str, bytes] = field(default_factory=dict)

    def keep(self, data: bytes, suffix: str) -> str:
        name = hashlib.sha256(data).hexdigest()[:32] + suffix
        self.files[name] = data
        return name

    def read(self, name: str) -> bytes:
        return self.files[name]


@dataclass
class Begun:
    """A shot, where its files are, and what is to be said of it."""

    shot: Shot
    place: Place = field(default_factory=InMemory)
    notes: list[str] = field(default_factory=list)
    # by plate, made while its pixels were at hand
    textures: dict[str, bytes] = field(default_factory=dict)
    alphas: dict[str, NDArray] = field(default_factory=dict)


def begun_survey(facts: PhotoFacts, width: int, height: int) -> Survey:
    """The survey that a photo begins with: what its file says of the lens is a measurement like others."""
    if not facts.focal_35mm or not 3 < facts.focal_35mm < 3000:
        return Survey()
    centre: Literal["centre", "solve"] = "solve" if cropped(width, height) else "centre"
    return Survey(focal_px=file_prior(facts.focal_35mm, width, height), principal_point=centre)


def taken_in(data: bytes, filename: str, keep: Callable[[bytes, str], str]) -> Photo:
    """A photo as it is begun with, examined and kept; its id is still to be given. Raises FormatError.

    ``keep``: stores bytes under a suffix, and says the file's name.
    """
    filename, data, _ = still(filename, data)
    stored, suffix, facts = pictures.to_keep(data, filename)
    name = PurePath(filename).stem[:100] or "photo"
    return Photo(
        id="photo",
        name=name,
        file=keep(stored, suffix),
        width=facts.width,
        height=facts.height,
        facts=facts.facts,
        film_back_mm=film_back_of(facts.facts, facts.width, facts.height),
        survey=begun_survey(facts.facts, facts.width, facts.height),
    )


def add_photo(shot: Shot, photo: Photo) -> str:
    """Add a photo to a shot, as a plate too that is thrown on nothing yet; returns its id."""
    ident = fresh_id(photo.name, [p.id for p in shot.photos])
    plate = fresh_id(photo.name, [p.id for p in shot.plates])
    assert photo.width is not None and photo.height is not None
    shot.photos.append(photo.model_copy(update={"id": ident}))
    canvas = (0, 0, photo.width, photo.height)
    shot.plates.append(Plate(id=plate, name=photo.name, photo=ident, file=photo.file, canvas=canvas))
    shot.throws.append(Throw(plate=plate, targets=[]))
    return ident


def distances(count: int, how: How) -> list[float]:
    """Metres of so many layers, first the nearest.

    By parallax, 1 / distance falls in even steps: for a metre of sideways travel each slips by the same number of
    delivered pixels against the next.
    """
    if not 0 < how.near_m < how.far_m:
        raise FormatError(f"The nearest layer must stand nearer than the farthest: {how.near_m:g} m, {how.far_m:g} m.")
    if count == 1:
        return [how.near_m]
    t = np.linspace(0, 1, count)
    near, far = how.near_m, how.far_m
    if how.spread == "parallax":
        out = 1 / (1 / near + t * (1 / far - 1 / near))
    elif how.spread == "ratio":
        out = near * (far / near) ** t
    else:
        out = near + t * (far - near)
    return [float(d) for d in out]


def _delivery(width: int, height: int, how: How) -> Delivery:
    w, h = how.size or delivered_size(width, height)
    return Delivery(width=w, height=h, fps=how.fps, frames=how.frames)


def from_photo(name: str, data: bytes, how: How, place: Place) -> Begun:
    """A shot of one picture: surveyed by the edges that are found, with what they do not tell assumed."""
    out = Begun(Shot(name=PurePath(name).stem[:100] or "shot"), place)
    photo = taken_in(data, name, place.keep)
    assert photo.width is not None and photo.height is not None
    survey = photo.survey
    if how.lens_mm35 is not None:
        value = focal_px(how.lens_mm35, photo.width, photo.height)
        survey.focal_px = FocalPrior(value=value, sigma=KNOWN * value)
    survey.assumption = Assumption(lens_mm35=how.lens_mm35 or 35.0, eye_m=how.eye_m)
    grey = cv2.cvtColor(pictures.eight_bit(pictures.read(place.read(photo.file), name))[..., :3], cv2.COLOR_RGB2GRAY)
    try:
        found = find_unseen(np.asarray(grey), survey_input(photo, survey))
        survey = taken(survey, found)
        out.notes += found.result.warnings
    except SurveyError as error:
        out.notes.append(str(error).partition(". ")[0] + ": the camera is assumed.")
    photo.survey = Survey.model_validate(survey.model_dump())
    linked.resolve(out.shot, add_photo(out.shot, photo))
    out.shot.delivery = _delivery(photo.width, photo.height, how)
    return out


def upright_flat(view: View, ident: str, name: str, canvas: Vec4, distance: float) -> Flat:
    """An upright flat across a view's heading, so many metres off along it, that a canvas just covers; seen by a level
    camera it shows the canvas pixel for pixel."""
    ahead = np.insert(view.heading, 1, 0.0)
    right = np.array([-ahead[2], 0.0, ahead[0]])
    x0, y0, w, h = canvas
    rays = view.rays(np.array([(x0, y0), (x0 + w, y0), (x0 + w, y0 + h), (x0, y0 + h)]))
    spots = rays * (distance / (rays @ ahead))[:, None]
    across, up = spots @ right, spots[:, 1] + view.position[1]
    spot = view.position + ahead * distance
    return Flat(
        id=ident,
        name=name,
        foot=(float(spot[0]), 0.0, float(spot[2])),
        heading_deg=float(np.degrees(np.arctan2(ahead[0], -ahead[2]))),
        extent=(float(across.min()), float(across.max()), float(up.min()), float(up.max())),
    )


@dataclass(frozen=True)
class Cut:
    """What a layer shows, with a clear border: pixels (H, W, 4), as PNG bytes, and where they lie in the canvas: x, y,
    width, height."""

    pixels: NDArray
    data: bytes
    canvas: tuple[float, float, float, float]


def cut_of(layer: Layer, picture: Layered) -> Cut | None:
    """What a layer shows; None where it lies off the canvas."""
    x0, y0, x1, y1 = shown_box(layer, picture, BORDER)
    if x1 - x0 < 1 or y1 - y0 < 1:
        return None
    pixels = layer.pixels[y0 - layer.y : y1 - layer.y, x0 - layer.x : x1 - layer.x].copy()
    if layer.opacity < 1:
        pixels[..., 3] = (pixels[..., 3] * layer.opacity + 0.5).astype(pixels.dtype)
    canvas = (float(x0), float(y0), float(x1 - x0), float(y1 - y0))
    return Cut(pixels, pictures.png(pixels, 1), canvas)


def _texture(cut: Cut, width: int) -> bytes:
    eight = pictures.eight_bit(cut.pixels)
    return texture_of(eight[..., :3], eight[..., 3] if (eight[..., 3] < 255).any() else None, width)


def layer_plate(out: Begun, layer: Layer, photo: str, cut: Cut | None) -> Plate | None:
    """A layer as a plate of what it shows; None where it lies off the canvas, which is said."""
    if cut is None:
        out.notes.append(f"“{layer.name}” lies off the picture and is left out.")
        return None
    ident = fresh_id(layer.name, [p.id for p in out.shot.plates])
    file = out.place.keep(cut.data, ".png")
    return Plate(id=ident, name=layer.name, photo=photo, file=file, canvas=cut.canvas, role="foreground")


LayerCut = tuple[Layer, Cut | None, bytes | None]


def _cuts(picture: Layered, films: Films, textures: bool) -> Iterator[LayerCut]:
    """Each layer in order, what it shows, and its texture, if they are wanted; None for videos. Two are encoded beside
    one another, and none ahead of need. The picture's layers are used up: there may be gigabytes."""
    width = texture_width(len(picture.layers) + 1)  # the flattened picture is a plate too

    def cut(layer: Layer) -> LayerCut:
        made = None if layer.name in films else cut_of(layer, picture)
        return layer, made, _texture(made, width) if made is not None and textures else None

    with ThreadPoolExecutor(2) as pool:
        waiting: deque[Future[LayerCut]] = deque()
        while picture.layers:
            if len(waiting) > 1:
                yield waiting.popleft().result()
            waiting.append(pool.submit(cut, picture.layers.pop(0)))
        while waiting:
            yield waiting.popleft().result()


def film_plate(out: Begun, layer: Layer, photo: str, film: tuple[str, bytes]) -> Plate:
    """A layer that is a video, as a plate of all of its picture: it runs from the first frame on."""
    ident = fresh_id(layer.name, [p.id for p in out.shot.plates])
    height, width = layer.pixels.shape[:2]
    canvas = (float(layer.x), float(layer.y), float(width), float(height))
    file = out.place.keep(film[1], PurePath(film[0]).suffix.lower() or ".mp4")
    out.notes.append(f"“{layer.name}” is a video and runs from the first frame on.")
    return Plate(id=ident, name=layer.name, photo=photo, file=file, canvas=canvas, role="foreground", video=Video())


def from_layers(
    picture: Layered,
    title: str,
    how: How,
    place: Place,
    told: Told | None = None,
    films: Films | None = None,
    textures: bool = False,
) -> Begun:
    """A shot of layers: a plate and a flat for each, one behind the other, the picture kept exactly.

    ``films``: of layers that are videos, by name, the file that their picture was the first of; ``textures``: whether
    those of the plates are wanted. The picture's layers are used up.
    """
    out = Begun(Shot(name=title or "Layers"), place, list(picture.notes))
    flat = flattened(picture)
    whole = pictures.png(flat if (flat[..., 3] < np.iinfo(flat.dtype).max).any() else flat[..., :3], 1)
    photo = Photo(
        id="flattened", name="Flattened", file=place.keep(whole, ".png"), width=picture.width, height=picture.height
    )
    photo.survey = Survey(assumption=Assumption(lens_mm35=how.lens_mm35 or 35.0, eye_m=how.eye_m))
    ident = add_photo(out.shot, photo)
    linked.resolve(out.shot, ident)
    photo = out.shot.photo(ident)
    assert photo.camera is not None
    view = view_of(photo.camera)
    films, many = films or {}, len(picture.layers)
    far = distances(many, how)
    for n, (layer, cut, texture) in enumerate(_cuts(picture, films, textures)):
        if told:
            told(0.2 + 0.6 * n / many, f"layer {n + 1} of {many}")
        film, distance = films.get(layer.name), far[n]
        plate = film_plate(out, layer, ident, film) if film else layer_plate(out, layer, ident, cut)
        if plate is None:
            continue
        if cut is not None:
            out.alphas[plate.id] = cut.pixels[..., 3].copy()
        if texture is not None:
            out.textures[plate.id] = texture
        solid = upright_flat(view, f"{plate.id}-flat", layer.name, plate.canvas, distance)
        solid = solid.model_copy(update={"group": layer.group, "hidden": not layer.visible, "in_set": layer.visible})
        out.shot.plates.append(plate)
        out.shot.solids.append(solid)
        out.shot.throws.append(Throw(plate=plate.id, targets=[solid.id]))
    everything = [s.id for s in out.shot.solids]
    for plate in out.shot.plates[1:]:  # a layer is whole behind what stands before it
        plate.without = [i for i in everything if i != f"{plate.id}-flat"]
    delivery = _delivery(picture.width, picture.height, how)
    out.shot.delivery = delivery.model_copy(update={"blend": "as_painted"})  # as their file lays them over one another
    return out


def begin(
    files: list[tuple[str, bytes]],
    how: How,
    told: Told | None = None,
    textures: bool = False,
    place: Place | None = None,
) -> Begun:
    """A shot from pictures, with a first move that holds.

    ``files``: names and bytes: one photograph or picture, one layered file, or several pictures, first the nearest;
    ``textures``: whether those of layers are wanted, for a browser; ``place``: where the shot's files are put, in
    memory by default.
    Raises FormatError for what cannot be used.
    """
    place = place or InMemory()
    if not files:
        raise FormatError("No picture was given.")
    if told:
        told(0.05, "reading the pictures")
    films = {PurePath(name).stem[:100]: (name, data) for name, data in files if is_video(data, name)}
    files, said = as_stills(files)
    if len(files) > 1 or is_layered(files[0][1], files[0][0]):
        picture, title = layers_of(files), PurePath(files[0][0]).stem[:100] if len(files) == 1 else "Layers"
        del files  # they are in the picture now, and large
        out = from_layers(picture, title, how, place, told, films, textures)
        said = []  # what is said of videos is said already: there they run
    else:
        out = from_photo(*files[0], how, place)
    engines = Engines(place.read, Kept())
    while out.alphas:  # let go of one by one: there may be gigabytes
        ident, alpha = out.alphas.popitem()
        engines.know(out.shot, out.shot.plate(ident), alpha)
    if told:
        told(0.85, "looking for a push-in that holds")
    out.shot, moved = first_move(out.shot, engines.engine)
    out.notes += [*said, moved]
    return out
