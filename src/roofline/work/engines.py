"""Engines from their kept parts: only what has changed is compiled anew."""

from __future__ import annotations

import hashlib
import io
import json
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import partial
from typing import Any
from weakref import WeakValueDictionary

import numpy as np
from numpy.typing import NDArray

from roofline.core.light import coded
from roofline.core.massing.kinds import Flat, Imported
from roofline.core.massing.solids import Triangles, faces_of
from roofline.core.plates.partly import Done, step_again
from roofline.core.plates.steps import begins_empty, emptied, looks_at_set, looks_in_front, step_done
from roofline.core.plates.worked import Canvas, Worked
from roofline.core.throw.engine import Engine, Running
from roofline.core.throw.geometry import Geometry, Part, geometry_of, part_of
from roofline.core.throw.pictures import Held, Pyramid, pyramid_of, textures_of
from roofline.core.throw.sight import sight_of
from roofline.core.throw.throws import PlatePicture, looked, thrown, throws_of
from roofline.formats import meshes
from roofline.formats.clips import Clip, clip_of
from roofline.formats.pictures import eight_bit
from roofline.formats.plates import Files, picture_key, picture_of, plate_picture, plate_pixels, source_of
from roofline.model.photo import Photo
from roofline.model.plates import Plate, Throw
from roofline.model.shot import Shot
from roofline.model.solids import AnySolid
from roofline.work.kept import Kept
from roofline.work.plates import ShotWorld, smaller
from roofline.work.seams import seam_of

UNSEEN = {
    "name",
    "locked",
    "hidden",
    "in_set",
    "true_size",
    "group",
    "tags",
    "motion",
}  # of a solid: what does not change its shape
LATELY = 8  # strokes that may have come since a step was worked out last
SLOW = {"fill", "hair", "fringe", "extend"}  # steps whose results are worth keeping on disk
Read = Callable[[str], bytes]


def digest(*parts: Any) -> str:
    """A short name for some JSON values; the same for the same ones."""
    return hashlib.sha256(json.dumps(parts, sort_keys=True, allow_nan=False).encode()).hexdigest()[:24]


@dataclass(frozen=True)
class _Last:
    """A step as it was done last: on what is kept as `before`, its matte emptied first or not; `key`: what it made."""

    step: Any
    before: tuple[str, str]
    empty: bool
    key: str

    def begun(self, worked: Worked) -> Worked:
        return emptied(worked) if self.empty else worked


class Engines:
    """What shots need warm: engines by their parts, straightened photos, meshes.

    The parts and what each hangs on: a solid's ``part`` on its shape; ``geometry`` on all parts; ``sight`` on the
    geometry, the throws, and the plates' cameras, canvases and mattes; a plate's ``picture`` and ``pyramid`` on its
    files and its photo's lens. Names, keys of the camera, limits and what is delivered are in none of them.

    ``ready`` is called before the engine is used, and returns when its loops are compiled. ``disk(name, make)`` gives
    bytes that are kept by name, made where there are none yet.
    """

    def __init__(
        self,
        read: Read,
        kept: Kept,
        ready: Callable[[], None] = lambda: None,
        disk: Callable[[str, Callable[[], bytes]], bytes] | None = None,
    ):
        self.read, self.kept, self._ready, self.disk = read, kept, ready, disk
        self.files = Files(read, self.clip)
        self._last: dict[tuple[Any, ...], _Last] = {}  # by plate, step and fineness
        self._alive: WeakValueDictionary[str, Pyramid] = WeakValueDictionary()  # also those that are kept no longer

    # ------------------------------------------------------------ keys

    @staticmethod
    def solid_key(solid: AnySolid) -> str:
        return str(solid.model_dump_json(exclude=UNSEEN))

    def geometry_key(self, shot: Shot) -> str:
        return digest([self.solid_key(s) for s in shot.set_pieces])

    def picture_key(self, shot: Shot, plate: Plate, finest: int | None = None) -> str:
        """Changes when a plate's picture does: with its source and steps, and with all that the steps look at."""
        own = picture_key(plate, shot.photo(plate.photo))
        if not plate.steps:
            return digest(own, finest)
        steps = [s.model_dump(mode="json", exclude={"id", "name"}) for s in plate.steps]
        others = [self.picture_key(shot, shot.plate(p)) for p in sorted(plate.refers_to())]
        seen = self._seen_key(shot, plate) if any(looks_at_set(s) for s in plate.steps) else None
        return digest(own, finest, plate.canvas, steps, others, seen)

    def _seen_key(self, shot: Shot, plate: Plate) -> list[Any]:
        """What of the set and of other photos a plate's steps can see. Cut-outs count for what stands in front only."""
        front = any(looks_in_front(s) for s in plate.steps)
        flats = {s.id for s in shot.set_pieces if isinstance(s, Flat)}
        solids = [self.solid_key(s) for s in shot.set_pieces if front or s.id not in flats]
        photos = [[p.file, self._camera(p)] for p in shot.photos]
        away = [s for s in plate.without if front or s not in flats]
        if not front:
            return [solids, photos, away]
        cuts = [[t.plate, t.targets] for t in shot.throws if any(x.partition("/")[0] in flats for x in t.targets)]
        mattes = [  # not by their keys, which might hang on this one
            [picture_key(p, shot.photo(p.photo)), p.canvas, [s.model_dump(mode="json") for s in p.steps]]
            for p in shot.plates
            if p.role == "foreground" and p.id != plate.id
        ]
        return [solids, photos, away, cuts, mattes]

    def sight_key(self, shot: Shot) -> str:
        """Changes whenever what the plates see does."""
        photos = {p.id: p for p in shot.photos}
        plates = [
            [p.id, p.role == "added", self._matte_key(shot, p), p.canvas, p.without, self._camera(photos[p.photo])]
            for p in shot.plates
        ]
        return digest(self.geometry_key(shot), plates, [t.model_dump(mode="json") for t in shot.throws])

    def _matte_key(self, shot: Shot, plate: Plate) -> str:
        """Changes when a plate's matte does; that of most videos stays the same while they run."""
        stays = plate.still is not None and not self._matte_runs(plate)
        return self.picture_key(shot, plate.standing(None) if stays else plate)

    def _matte_runs(self, plate: Plate) -> bool:
        """Whether the matte of a video may be another one on every frame."""
        assert plate.video is not None and plate.file is not None
        return plate.video.after == "clear" or plate.makes_matte_of_picture() or self.clip(plate.file).alpha

    @staticmethod
    def _camera(photo: Photo) -> str | None:
        return None if photo.camera is None else photo.camera.model_dump_json()

    # ------------------------------------------------------------ parts

    def meshes(self, shot: Shot) -> dict[str, Triangles]:
        """What the files of imported pieces contain."""
        files = {s.file for s in shot.set_pieces if isinstance(s, Imported)}
        return {f: self.kept.get("mesh", f, partial(self._mesh, f)) for f in files}

    def _mesh(self, file: str) -> Triangles:
        return meshes.read(self.read(file), file)

    def _part(self, solid: AnySolid, found: dict[str, Triangles]) -> Part:
        return self.kept.get("part", digest(self.solid_key(solid)), lambda: part_of(faces_of(solid, found)))

    def geometry(self, shot: Shot) -> Geometry:
        """A shot's solids, compiled."""
        self._ready()

        def make() -> Geometry:
            found = self.meshes(shot)
            return geometry_of([(s.id, self._part(s, found)) for s in shot.set_pieces])

        return self.kept.get("geometry", self.geometry_key(shot), make)

    def clip(self, file: str) -> Clip:
        """A video, opened."""
        return self.kept.get("clip", file, lambda: clip_of(self.read(file), file))

    def standing(self, shot: Shot, frame: float) -> Shot:
        """The shot with its videos at a frame; not a number: at their first pictures, for what is at rest."""
        return shot.model_copy(update={"plates": [self._standing(shot, p, frame) for p in shot.plates]})

    def _standing(self, shot: Shot, plate: Plate, frame: float) -> Plate:
        if plate.video is None or plate.file is None:
            return plate
        if np.isnan(frame):
            return plate.standing(0)
        clip, video = self.clip(plate.file), plate.video
        return plate.standing(video.number(clip.at((frame - video.first) / shot.delivery.fps, video.rate), len(clip)))

    def picture(self, shot: Shot, plate: Plate) -> PlatePicture:
        """The size and matte of a plate, and its colour on demand."""
        return self.kept.get("picture", self.picture_key(shot, plate), lambda: self._picture(shot, plate))

    def know(self, shot: Shot, plate: Plate, alpha: NDArray) -> None:
        """Keep the picture of a plate without steps whose stored alpha (H, W) is at hand: it is not read once more."""
        self.kept.put("picture", self.picture_key(shot, plate), plate_picture(shot, plate, self.files, alpha))

    def _picture(self, shot: Shot, plate: Plate) -> PlatePicture:
        if not plate.steps:
            return plate_picture(shot, plate, self.files)
        worked = self.worked(shot, plate)
        # a video's pictures all lie on one canvas, whatever their mattes leave of them
        worked = worked if plate.video is not None else worked.cropped()
        return picture_of(worked, self.picture_key(shot, plate))

    def worked(self, shot: Shot, plate: Plate, finest: int | None = None) -> Worked:
        """A plate with its steps worked through; ``finest``: on a grid at most so many pixels a side, for a quick look.

        Each step is kept by all that it was made from: what comes after a changed one is worked out anew, no more; of
        a step that got some more strokes, these alone.
        """
        on = [s for s in plate.steps if not s.off]
        finest = None if _is_small(shot, plate, finest) else finest
        kind, key = self._at(shot, plate, finest)
        if kind == "source":
            return self.kept.get(kind, key, lambda: smaller(source_of(shot, plate, self.files), finest))

        def make() -> Worked:
            without, world = plate.model_copy(update={"steps": on[:-1]}), ShotWorld(self, shot, plate, finest)
            empty = begins_empty(on) and not begins_empty(on[:-1])  # the first step that makes a matte
            now, what = _Last(on[-1], self._at(shot, without, finest), empty, key), (plate.id, on[-1].id, finest)
            was, self._last[what] = self._last.get(what), now
            lately = self._but_for_strokes(shot, plate, on[-1], finest)
            if lately is not None:
                return step_done(*lately, world)
            before = now.begun(self.worked(shot, without, finest))
            return self._again(was, on[-1], before, world) or step_done(before, on[-1], world)

        slow = finest is None and any(s.do in SLOW for s in on)
        return self.kept.get(kind, key, lambda: self._on_disk(key, make) if slow else make())

    def _at(self, shot: Shot, plate: Plate, finest: int | None) -> tuple[str, str]:
        """As what, and by which key, a plate worked through is kept."""
        if all(s.off for s in plate.steps):
            return "source", digest(picture_key(plate, shot.photo(plate.photo)), finest)
        return "worked", self.picture_key(shot, plate, finest)

    def _again(self, was: _Last | None, step: Any, before: Worked, world: ShotWorld) -> Worked | None:
        """A step, where it differs from what it made when it was done last, if that is still at hand."""
        if was is None:
            return None
        old, after = self.kept.peek(*was.before), self.kept.peek("worked", was.key)
        if old is None or after is None:
            return None
        return step_again(before, step, Done(was.step, was.begun(old), after), world)

    def _but_for_strokes(self, shot: Shot, plate: Plate, step: Any, finest: int | None) -> tuple[Worked, Any] | None:
        """What is at hand of a step as it was some strokes ago, and the step with these strokes alone."""
        strokes = getattr(step, "strokes", ())
        if getattr(step, "mode", "add") == "keep":  # what several leave in common is not what each leaves of the last
            return None
        for new in range(1, min(LATELY, len(strokes) - 1) + 1):
            fewer = step.model_copy(update={"strokes": strokes[:-new]})
            steps = [fewer if s is step else s for s in plate.steps]
            key = self.picture_key(shot, plate.model_copy(update={"steps": steps}), finest)
            if (found := self.kept.peek("worked", key)) is not None:
                return found, step.model_copy(update={"strokes": strokes[-new:]})
        return None

    def _on_disk(self, key: str, make: Callable[[], Worked]) -> Worked:
        """What takes long is kept over a restart as well."""
        if self.disk is None:
            return make()
        fresh: list[Worked] = []

        def pack() -> bytes:
            fresh.append(make())
            w, out = fresh[0], io.BytesIO()
            c = w.canvas
            at = np.array([c.x0, c.y0, c.width, c.height, *c.size])
            notes = np.frombuffer(json.dumps(w.notes).encode(), dtype=np.uint8)
            np.savez(out, at=at, pixels=w.pixels, matte=np.zeros(0) if w.matte is None else w.matte, notes=notes)
            return out.getvalue()

        data = self.disk(key + ".npz", pack)
        if fresh:
            return fresh[0]
        with np.load(io.BytesIO(data)) as held:
            x0, y0, width, height, w, h = held["at"].tolist()
            matte, notes = held["matte"], json.loads(held["notes"].tobytes())
            canvas = Canvas(x0, y0, width, height, (int(w), int(h)))
            told = tuple((step, says) for step, says in notes)
            return Worked(canvas, held["pixels"], matte if matte.size else None, told)

    def _pyramid(self, shot: Shot, plate: Plate, look: str, throw: Throw | None) -> Pyramid:
        def make() -> Pyramid:
            # read anew from this shot's own plate: the picture kept may have come from another shot's
            picture = self._picture(shot, plate)
            picture = picture if throw is None else self.looked(shot, plate, picture, throw)
            colour = picture.colour()
            return pyramid_of(coded(colour) if painted else colour, picture.matte)

        painted = shot.delivery.blend == "as_painted"
        seam = self.seam_key(shot, plate, throw) if throw is not None and throw.seam else None
        key = digest(self.picture_key(shot, plate), look, seam, painted)
        found = self.kept.get("pyramid", key, lambda: self._alive.get(key) or make())
        self._alive[key] = found
        return found

    def seam_key(self, shot: Shot, plate: Plate, throw: Throw) -> str:
        """Changes when a throw's seam may: with the set, and all that is thrown on it."""
        return digest(self.sight_key(shot), plate.id, throw.look)

    def looked(self, shot: Shot, plate: Plate, picture: PlatePicture, throw: Throw) -> PlatePicture:
        """A plate's picture as a throw shows it, its seam with it."""
        out = looked(picture, throw)
        if throw.seam is None:
            return out
        key = self.seam_key(shot, plate, throw)
        seam = self.kept.get("seam", key, lambda: seam_of(self, self.standing(shot, np.nan), plate, throw, picture))
        matte = seam if out.matte is None else out.matte * seam
        return PlatePicture(out.size, matte, out.colour, digest(out.key, key), out.canvas)

    def textures(self, shot: Shot) -> Held:
        """The pyramids of all plates that have a camera; whoever holds them keeps them alive, for others too."""
        of = {(t.plate, t.look): t for t in shot.throws}
        with ThreadPoolExecutor(2) as pool:
            made = pool.map(lambda at: self._pyramid(shot, at[1], at[0][1], of.get(at[0])), thrown(shot).items())
            return textures_of(list(made))

    def _pictures(self, shot: Shot, plates: list[Plate]) -> dict[str, PlatePicture]:
        """Sizes and mattes by plate; those not at hand are read two at a time."""
        missing = [p for p in plates if self.kept.peek("picture", self.picture_key(shot, p)) is None]
        if len(missing) > 1:
            with ThreadPoolExecutor(2) as pool:
                list(pool.map(lambda p: self.picture(shot, p), missing))
        return {p.id: self.picture(shot, p) for p in plates}

    def engine(self, shot: Shot) -> Engine:
        """The engine of a shot, from parts that are kept and parts that are made now, when they are needed."""
        geometry = self.geometry(shot)
        ready = {p.id for p in shot.photos if p.camera is not None}
        found = self._pictures(shot, [p for p in shot.plates if p.photo in ready])
        seamed = {(t.plate, t.look): t for t in shot.throws if t.seam and t.plate in found}
        looks = {key: self.looked(shot, shot.plate(key[0]), found[key[0]], t) for key, t in seamed.items()}
        throws = throws_of(shot, geometry, found, looks)
        return Engine(
            geometry,
            throws,
            lambda: self.kept.get("sight", self.sight_key(shot), lambda: sight_of(geometry, throws)),
            lambda: self.textures(shot),
            self._running(shot),
            shot.delivery.blend == "as_painted",
        )

    def _running(self, shot: Shot) -> Running | None:
        """What of an engine follows the frame, where plates are videos; their photo's camera may be missing."""
        ready = {t.plate for t in shot.throws if t.targets}
        films = [p for p in shot.plates if p.video is not None and p.still is None and p.id in ready]
        if not films:
            return None
        return Running(lambda frame: self.engine(self.standing(shot, frame)), any(map(self._matte_runs, films)))

    # ------------------------------------------------------------ photos

    def straight(self, shot: Shot, photo: Photo) -> NDArray:
        """A photo's stored pixels (H, W, 3), its lens taken out. Not kept: they are large."""
        whole = (0.0, 0.0, float(photo.width or 1), float(photo.height or 1))
        plate = Plate(id="photo", name=photo.name, photo=photo.id, file=photo.file, canvas=whole)
        return plate_pixels(shot, plate, self.files)[..., :3]

    def grey(self, shot: Shot, photo: Photo, straight: bool) -> NDArray[np.uint8]:
        """Brightness (H, W) of a photo at its full size, as taken or straightened."""
        import cv2

        def make() -> NDArray[np.uint8]:
            bare = photo if straight else photo.model_copy(update={"camera": None})
            alone = shot.model_copy(update={"photos": [bare], "plates": [], "throws": []})
            return np.asarray(cv2.cvtColor(eight_bit(self.straight(alone, bare)), cv2.COLOR_RGB2GRAY))

        return self.kept.get("grey", digest(photo.file, self._camera(photo) if straight else None), make)


def _is_small(shot: Shot, plate: Plate, finest: int | None) -> bool:
    """Whether a quick look at a part of the photo is the whole of it, so that it is not worked out for every look.

    Not of what looks elsewhere: other plates are looked at as finely as this one.
    """
    if finest is None or plate.video is not None or plate.file != shot.photo(plate.photo).file:
        return False
    elsewhere = plate.refers_to() or any(looks_at_set(s) for s in plate.steps)
    return not elsewhere and max(plate.reach[2:]) <= finest
