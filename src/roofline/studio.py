"""What the server does with shots: store, core and formats brought together, with the engines kept warm."""

from __future__ import annotations

import hashlib
import json
import threading
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any, TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray

from roofline.building import Building, fresh_id
from roofline.core.camera import View, view_of
from roofline.core.move.bring_back import applied, bring_back
from roofline.core.move.path import Path as CameraPath
from roofline.core.move.path import frame_views, home_lens, shot_path, view_at
from roofline.core.plates import matte as mattes
from roofline.core.throw.check import check
from roofline.core.throw.engine import Engine
from roofline.core.throw.scene import PlatePicture, compile_scene
from roofline.errors import Conflict, MassingError, NotFound, PlateError, RoofLineError
from roofline.formats import frames as delivery
from roofline.formats import meshes, pictures, scenes
from roofline.formats.package import files_of, open_package, plate_picture, write_package
from roofline.shot import (
    VERDICTS,
    CheckReport,
    Imported,
    Move,
    Outline,
    Photo,
    Plate,
    Shot,
    Throw,
)
from roofline.store.cache import Cache
from roofline.store.store import Store
from roofline.surveying import Surveying, photo_of

ENGINES_KEPT = 3
CHECK_WIDTH = 320
T = TypeVar("T")
Tell = Callable[[float, str], None]


def digest(*parts: Any) -> str:
    return hashlib.sha256(json.dumps(parts, sort_keys=True, allow_nan=False).encode()).hexdigest()[:24]


class Studio:
    """All operations on shots; the only caller of the store besides the command line."""

    def __init__(self, store: Store):
        self.store = store
        self.survey = Surveying(store)
        self.massing = Building(store, lambda photo: pictures.eight_bit(self._straight(photo)))
        self._engines: Cache[Engine] = Cache(ENGINES_KEPT)
        self._pictures: Cache[PlatePicture] = Cache(24)
        self._pyramids: dict[str, list[NDArray[np.float32]]] = {}
        self._reports: Cache[CheckReport] = Cache(12)
        self._coverage: Cache[float] = Cache(50)
        self._covering: set[str] = set()
        self._proxies = store.folder / "proxies"
        self._proxies.mkdir(exist_ok=True)

    # ------------------------------------------------------------ engines and reports

    def engine(self, shot: Shot) -> Engine:
        """The compiled engine of a shot; kept while geometry, plates, throws and limits stay the same."""

        def make() -> Engine:
            ready = {p.id for p in shot.photos if p.camera is not None}
            got = {}
            for plate in shot.plates:
                if plate.photo in ready:
                    camera = shot.photo(plate.photo).camera
                    key = digest(
                        plate.file,
                        plate.matte,
                        plate.file == shot.photo(plate.photo).file and camera and camera.model_dump(mode="json"),
                    )
                    load = partial(plate_picture, shot, plate, self.store.blobs.read)
                    got[plate.id] = self._pictures.get(key, load)
            used = {p.key for p in got.values()}
            for key in [k for k in self._pyramids if k not in used and len(self._pyramids) > 12]:
                del self._pyramids[key]
            return Engine(compile_scene(shot, got, self.massing.meshes(shot)), self._pyramids)

        return self._engines.get(self.scene_key(shot), make)

    @staticmethod
    def scene_key(shot: Shot) -> str:
        """Changes whenever measures could."""
        return digest(
            [[p.id, p.file, p.camera and p.camera.model_dump(mode="json")] for p in shot.photos],
            [
                s.model_dump(mode="json", exclude={"name", "locked", "hidden", "true_size", "group", "tags"})
                for s in shot.solids
            ],
            [p.model_dump(mode="json", exclude={"name", "outline"}) for p in shot.plates],
            [t.model_dump(mode="json") for t in shot.throws],
            shot.limits.model_dump(mode="json"),
        )

    def report_key(self, shot: Shot) -> str:
        return digest(self.scene_key(shot), shot.move.model_dump(mode="json"), shot.delivery.model_dump(mode="json"))

    def report(self, shot: Shot) -> CheckReport | None:
        """The check of this very move, if it has been made."""
        return self._reports.peek(self.report_key(shot))

    def coverage(self, shot: Shot, then: Callable[[], None]) -> float | None:
        """Percent of the home frame that shows a surface, when known; else it is worked out aside and `then` called."""
        home = shot.model_copy(update={"move": Move()})
        key = self.report_key(home)
        known = self._coverage.peek(key)
        if known is not None or key in self._covering:
            return known

        def work() -> None:
            try:
                view = self.view(home, home.frame_range[0], min(160, shot.delivery.width))
                got = self.engine(shot).measure(view)
                self._coverage.put(key, 100.0 * float((got.verdict != VERDICTS.index("void")).mean()))
                then()
            except RoofLineError:
                return  # no home or no plates yet: there is no figure to give
            finally:
                self._covering.discard(key)

        self._covering.add(key)
        threading.Thread(target=work, daemon=True, name="coverage").start()
        return None

    def depth(self, shot: Shot, photo_id: str | None, width: int | None) -> tuple[NDArray[np.float32], str]:
        """Depth (H, W) in metres as a photo's camera sees the pieces, infinite where there are none; and the photo's id."""
        photo, view = self.massing.surveyed(shot, photo_id)
        if width is not None and width < view.width:
            view = view.resized(width, max(1, round(view.height * width / view.width)))
        return self.engine(shot).depth(view), photo.id

    def check(self, shot_id: str, tell: Tell) -> dict[str, Any]:
        """Check all frames; the report is kept and found by `report`."""
        shot = self.store.load(shot_id)
        key = self.report_key(shot)
        report = self._reports.peek(key)
        if report is None:
            views = frame_views(shot, width=min(CHECK_WIDTH, shot.delivery.width))
            report = check(
                self.engine(shot),
                views,
                shot.limits,
                lambda done: tell(done / len(views), f"frame {done} of {len(views)}"),
            )
            self._reports.put(key, report)
        return {"holding": sum(f.holds for f in report.frames), "frames": len(report.frames)}

    def view(self, shot: Shot, frame: float, width: int | None = None) -> View:
        low, high = shot.frame_range
        if not low <= frame <= high:
            raise RoofLineError(f"The shot has frames {low} to {high}; {frame:g} is not among them.")
        return view_at(shot, shot_path(shot), frame, width)

    # ------------------------------------------------------------ photos

    def add_photo(self, shot_id: str, filename: str, data: bytes) -> str:
        """Examine and store a photo, and make it a plate. Returns its id; raises FormatError and changes nothing."""
        facts = pictures.examine(data, filename)
        if facts.turned:
            stored, suffix = pictures.store_form(pictures.read(data, filename)[..., :3])
        else:
            stored, suffix = data, pictures.SUFFIX[facts.format]
        name = Path(filename).stem[:100] or "photo"
        file = self.store.blobs.keep(stored, suffix)
        made: list[str] = []

        def alter(shot: Shot) -> Shot:
            ident = fresh_id(name, [p.id for p in shot.photos])
            plate = fresh_id(name, [p.id for p in shot.plates])
            made.append(ident)
            shot.photos.append(
                Photo(id=ident, name=name, file=file, width=facts.width, height=facts.height, facts=facts.facts)
            )
            shot.plates.append(
                Plate(id=plate, name=name, photo=ident, file=file, canvas=(0, 0, facts.width, facts.height))
            )
            shot.throws.append(Throw(plate=plate, targets=[]))
            return shot

        self.store.change(shot_id, f"Bring the photo {name}", alter)
        return made[-1]

    def remove_photo(self, shot_id: str, photo_id: str) -> None:
        def alter(shot: Shot) -> Shot:
            photo_of(shot, photo_id)
            gone = {p.id for p in shot.plates if p.photo == photo_id}
            shot.photos = [p for p in shot.photos if p.id != photo_id]
            shot.plates = [p for p in shot.plates if p.id not in gone]
            shot.throws = [t for t in shot.throws if t.plate not in gone]
            if not any(p.camera for p in shot.photos):
                shot.delivery.framing = None
            return shot

        self.store.change(shot_id, "Remove a photo", alter)

    def proxy(self, shot_id: str, photo_id: str, width: int, straight: bool) -> bytes:
        """The photo as an 8-bit JPEG at most `width` pixels wide, straightened on demand; kept on disk."""
        shot = self.store.load(shot_id)
        photo = photo_of(shot, photo_id)
        lens = photo.camera if straight and photo.camera is not None and any(photo.camera.distortion) else None
        path = self._proxies / (digest(photo.file, width, lens and lens.model_dump(mode="json")) + ".jpg")
        if not path.exists():
            pixels = pictures.read(self.store.blobs.read(photo.file))[..., :3]
            if lens is not None:
                pixels = pictures.straightened(pixels, lens)
            self._save(path, pictures.jpeg(_smaller(pictures.eight_bit(pixels), width), 90))
        return path.read_bytes()

    def texture(self, shot_id: str, plate_id: str, width: int) -> tuple[bytes, str]:
        """A plate for the browser's 3D view: (bytes, MIME type), with its matte as alpha; at most `width` wide."""
        shot = self.store.load(shot_id)
        plate = _plate(shot, plate_id)
        photo = shot.photo(plate.photo)
        lens = (
            photo.camera
            if photo.camera is not None and plate.file == photo.file and any(photo.camera.distortion)
            else None
        )
        suffix = ".png" if plate.matte else ".jpg"
        path = self._proxies / (
            digest("texture", plate.file, plate.matte, width, lens and lens.model_dump(mode="json")) + suffix
        )
        if not path.exists():
            pixels = pictures.read(self.store.blobs.read(plate.file))[..., :3]
            if lens is not None:
                pixels = pictures.straightened(pixels, lens)
            eight = _smaller(pictures.eight_bit(pixels), width)
            if plate.matte:
                soft = pictures.matte_of(self.store.blobs.read(plate.matte), plate.name)
                alpha = cv2.resize(soft, (eight.shape[1], eight.shape[0]), interpolation=cv2.INTER_AREA)
                self._save(path, pictures.png(np.dstack([eight, (alpha * 255 + 0.5).astype(np.uint8)])))
            else:
                self._save(path, pictures.jpeg(eight, 95))
        return path.read_bytes(), "image/png" if plate.matte else "image/jpeg"

    @staticmethod
    def _save(path: Path, data: bytes) -> None:
        part = path.with_suffix(f".{threading.get_ident()}.part")
        part.write_bytes(data)
        part.replace(path)

    # ------------------------------------------------------------ survey

    def compared(self, shot_id: str, photo_id: str, other_id: str, width: int) -> bytes:
        """PNG of the first photo thrown over the geometry and seen from the other one's camera, clear where it is not."""
        shot = self.store.load(shot_id)
        photo, other = photo_of(shot, photo_id), photo_of(shot, other_id)
        for p in (photo, other):
            self.massing.surveyed(shot, p.id)
        mine = {p.id for p in shot.plates if p.photo == photo_id and p.file == photo.file}
        if not shot.solids:
            raise MassingError("There is no geometry yet to throw the photo on: build some in Massing first.")
        alone = shot.model_copy(
            update={
                "plates": [p for p in shot.plates if p.id in mine],
                "throws": [Throw(plate=p, targets=[s.id for s in shot.solids]) for p in mine],
            }
        )
        view = view_of(other.camera)  # type: ignore[arg-type]
        small = view.resized(width, max(1, round(width * view.height / view.width)))
        linear = self.engine(alone).picture(small)
        alpha = linear[..., 3:]
        colour = pictures.to_display(linear[..., :3] / np.maximum(alpha, 1e-6))
        return pictures.png((np.concatenate([colour, alpha], axis=2) * 255 + 0.5).astype(np.uint8), 1)

    # ------------------------------------------------------------ plates

    def _straight(self, photo: Photo) -> NDArray:
        pixels = pictures.read(self.store.blobs.read(photo.file))[..., :3]
        return pictures.straightened(pixels, photo.camera) if photo.camera is not None else pixels

    def outline(self, shot_id: str, photo_id: str, outline: Outline, name: str | None, plate_id: str | None) -> str:
        """Make a foreground plate from an outline, or give one that is there a new outline. Returns its id."""
        shot = self.store.load(shot_id)
        if plate_id is not None:
            old = _plate(shot, plate_id)
            if old.role != "foreground":
                raise PlateError("Only a foreground plate has an outline.")
            photo_id = old.photo
        photo = photo_of(shot, photo_id)
        assert photo.width and photo.height
        x0, y0, w, h = mattes.box_of(outline, photo.width, photo.height, 2 * outline.feather_px + 4)
        matte = mattes.draw(outline, (x0, y0, w, h))
        crop = self._straight(photo)[y0 : y0 + h, x0 : x0 + w]
        file = self.store.blobs.keep(*pictures.store_form(np.ascontiguousarray(crop)))
        matte_file = self.store.blobs.keep(pictures.png((matte * 65535 + 0.5).astype(np.uint16)), ".png")
        made: list[str] = []

        def alter(shot: Shot) -> Shot:
            update: dict[str, Any] = {"file": file, "matte": matte_file, "canvas": (x0, y0, w, h), "outline": outline}
            if plate_id is not None:
                shot.plates = [
                    p.model_copy(update=update | ({"name": name} if name else {})) if p.id == plate_id else p
                    for p in shot.plates
                ]
                made.append(plate_id)
                return shot
            title = name or f"Foreground {1 + sum(p.role == 'foreground' for p in shot.plates)}"
            ident = fresh_id(title, [p.id for p in shot.plates])
            made.append(ident)
            shot.plates.append(Plate(id=ident, name=title, photo=photo_id, role="foreground", **update))
            shot.throws.insert(0, Throw(plate=ident, targets=[]))
            return shot

        self.store.change(shot_id, "Outline a plate", alter)
        return made[-1]

    def clean(self, shot_id: str, plate_id: str, grow_px: float, tell: Tell) -> dict[str, Any]:
        """Make the clean plate behind a foreground plate, or make it again; throws it before the photo."""
        shot = self.store.load(shot_id)
        plate = _plate(shot, plate_id)
        if plate.role != "foreground" or plate.matte is None or plate.outline is None:
            raise PlateError("A clean plate is made behind a foreground plate: outline one first.")
        if not 0 <= grow_px <= 500:
            raise PlateError("The matte is grown by 0 to 500 px.")
        photo = photo_of(shot, plate.photo)
        assert photo.width and photo.height
        tell(0.05, "reading the photo")
        # the fill looks around the hole: take the surroundings in
        reach = 2 * plate.outline.feather_px + grow_px + 24
        x0, y0, w, h = mattes.box_of(plate.outline, photo.width, photo.height, reach)
        crop = self._straight(photo)[y0 : y0 + h, x0 : x0 + w]
        hole = mattes.grown(mattes.draw(plate.outline, (x0, y0, w, h)), grow_px)
        tell(0.3, "filling what stood in front")
        painted = mattes.filled(crop, hole)
        tell(0.9, "keeping the plate")
        file = self.store.blobs.keep(*pictures.store_form(painted))
        matte_file = self.store.blobs.keep(pictures.png((hole * 255).astype(np.uint8)), ".png")
        made: list[str] = []

        def alter(shot: Shot) -> Shot:
            front = _plate(shot, plate_id)
            flats = [t for throw in shot.throws if throw.plate == plate_id for t in throw.targets]
            update: dict[str, Any] = {
                "file": file,
                "matte": matte_file,
                "canvas": (x0, y0, w, h),
                "grow_px": grow_px,
                "without": flats,
            }
            old = next((p for p in shot.plates if p.clean_of == plate_id), None)
            if old is not None:
                shot.plates = [p.model_copy(update=update) if p.id == old.id else p for p in shot.plates]
                made.append(old.id)
                return shot
            title = f"Clean behind {front.name}"
            ident = fresh_id(title, [p.id for p in shot.plates])
            made.append(ident)
            shot.plates.append(
                Plate(id=ident, name=title, photo=front.photo, role="clean", clean_of=plate_id, **update)
            )
            base = next(
                (
                    i
                    for i, t in enumerate(shot.throws)
                    if _plate(shot, t.plate).role == "photo" and _plate(shot, t.plate).photo == front.photo
                ),
                len(shot.throws),
            )
            targets = list(shot.throws[base].targets) if base < len(shot.throws) else []
            shot.throws.insert(base, Throw(plate=ident, targets=[t for t in targets if t not in flats]))
            return shot

        self.store.change(shot_id, "Make a clean plate", alter)
        return {"plate": made[-1], "filled_px": int(hole.sum())}

    def remove_plate(self, shot_id: str, plate_id: str) -> None:
        def alter(shot: Shot) -> Shot:
            plate = _plate(shot, plate_id)
            if plate.role == "photo" and sum(p.photo == plate.photo and p.role == "photo" for p in shot.plates) == 1:
                raise PlateError("The photo itself stays a plate; remove the photo to be rid of it.")
            gone = {plate_id} | {p.id for p in shot.plates if p.clean_of == plate_id}
            shot.plates = [p for p in shot.plates if p.id not in gone]
            shot.throws = [t for t in shot.throws if t.plate not in gone]
            return shot

        self.store.change(shot_id, "Remove a plate", alter)

    # ------------------------------------------------------------ move

    def bring_back(self, shot_id: str, tell: Tell) -> dict[str, Any]:
        """Shrink the move to the largest part that holds, as one undoable change."""
        shot = self.store.load(shot_id)
        if len(shot.move.keys) < 2:
            raise Conflict("There is no move yet: set a second key first.")
        found = bring_back(
            shot,
            self.engine(shot),
            min(CHECK_WIDTH, shot.delivery.width),
            lambda done: tell(done, "looking for the largest part that holds"),
        )
        if found.fraction < 1:
            moved = applied(shot, found)
            self.store.change(shot_id, "Bring back the move", lambda s: s.model_copy(update={"move": moved.move}))
        worst = found.first_failure
        return {"fraction": found.fraction, "limited_by": worst.model_dump(mode="json") if worst else None}

    def path(self, shot: Shot) -> tuple[CameraPath, list[tuple[int, View]]]:
        return shot_path(shot), frame_views(shot)

    # ------------------------------------------------------------ hand-off

    def deliver(
        self, shot_id: str, form: str, first: int | None, last: int | None, bend: bool, tell: Tell
    ) -> dict[str, Any]:
        """Render frames or a video as the next version; ``bend``: as the home photo's lens would have drawn them."""
        shot, revision = self.store.load_with_revision(shot_id)
        views = frame_views(shot, first, last)
        version = self.store.next_version(shot_id)
        base = f"{fresh_id(shot.name, [])}-v{version:03d}"
        folder = self.store.folder / "deliveries" / shot_id / f"v{version:03d}"
        tell(0.0, "getting the plates ready")
        engine = self.engine(shot)
        paths = delivery.deliver(
            engine,
            views,
            folder,
            form,
            base,
            shot.delivery.fps,
            lambda done: tell(done / len(views), f"frame {done} of {len(views)}"),
            home_lens(shot) if bend else delivery.STRAIGHT,
        )
        file = (
            str(paths[0].relative_to(self.store.folder))
            if len(paths) == 1
            else str(folder.relative_to(self.store.folder))
        )
        self.store.delivered(shot_id, version, form, file, len(views), revision)
        return {"version": version, "form": form}

    def export(self, shot_id: str, form: str, tell: Tell) -> dict[str, Any]:
        """Write the scene (glb, gltf, obj, usda) or the shot package (zip) as the next version."""
        shot, revision = self.store.load_with_revision(shot_id)
        version = self.store.next_version(shot_id)
        folder = self.store.folder / "deliveries" / shot_id / f"v{version:03d}"
        base = f"{fresh_id(shot.name, [])}-v{version:03d}"
        folder.mkdir(parents=True, exist_ok=True)
        out = folder / f"{base}.{form}"
        count = 1
        if form == "zip":
            tell(0.1, "packing")
            write_package(shot, self.store.blobs.read, out)
        else:
            tell(0.1, "cutting surfaces to keep the picture in place")
            scene = scenes.gather(shot, self.engine(shot), frame_views(shot), self.store.blobs.read)
            tell(0.7, "writing the file")
            count = len(scenes.write_scene(scene, out))
        file = out if count == 1 else folder
        self.store.delivered(
            shot_id, version, form, str(file.relative_to(self.store.folder)), shot.delivery.frames, revision
        )
        return {"version": version, "form": form}

    def take_in(self, path: Path, name: str | None = None, shot_id: str | None = None) -> str:
        """Bring a shot package into the store; returns the shot's id. Raises before anything has been kept."""
        package = open_package(path)
        shot = package.shot.model_copy(deep=True)
        renamed: dict[str, str] = {}
        contents = {file: package.read(file) for file in files_of(shot)}
        brought = {s.file for s in shot.solids if isinstance(s, Imported)}
        for file, data in contents.items():
            if file in brought:
                contents[file], renamed[file] = meshes.packed(meshes.read(data, file)), ".glb"
            else:
                renamed[file] = pictures.SUFFIX[pictures.examine(data, file).format]
        renamed = {file: self.store.blobs.keep(contents[file], suffix) for file, suffix in renamed.items()}
        for solid in shot.solids:
            if isinstance(solid, Imported):
                solid.file = renamed[solid.file]
        for photo in shot.photos:
            photo.file = renamed[photo.file]
        for plate in shot.plates:
            plate.file = renamed[plate.file]
            plate.matte = renamed[plate.matte] if plate.matte else None
        if name:
            shot.name = name
        return self.store.create(shot, shot_id)


def _plate(shot: Shot, plate_id: str) -> Plate:
    try:
        return shot.plate(plate_id)
    except KeyError:
        raise NotFound(f"There is no plate '{plate_id}'.") from None


def _smaller(pixels: NDArray[np.uint8], width: int) -> Any:
    h, w = pixels.shape[:2]
    if w <= width:
        return np.ascontiguousarray(pixels)
    return cv2.resize(pixels, (width, max(1, round(h * width / w))), interpolation=cv2.INTER_AREA)
