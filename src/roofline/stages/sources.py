"""What plates are made of: picture files, videos and tones; where they lie; depth pictures of their steps."""

from __future__ import annotations

from pathlib import PurePath
from typing import Any

from roofline.core.throw.engine import Engine
from roofline.errors import PlateError
from roofline.formats import pictures, stills
from roofline.formats.clips import clip_of
from roofline.model.base import Model, Vec4
from roofline.model.plates import Plate, Throw, Video
from roofline.model.shot import Shot
from roofline.model.steps import DepthPicture, DepthStep, Tone
from roofline.stages.photo import photo_of
from roofline.stages.plates import plate_of, sized
from roofline.stages.shots import fresh_id
from roofline.stages.stepping import changed, step_of
from roofline.work.desk import Desk
from roofline.work.plates import ShotWorld, whole_canvas

LEAST = 1e-3  # pixels: a canvas narrower than this is none


class ClipFacts(Model):
    """What a video file has."""

    pictures: int
    rate: float  # pictures a second, on the average
    seconds: float
    width: int
    height: int
    alpha: bool


class Placed(Model):
    """Where a plate's source lies in its photo: a canvas, or so that it covers a surface."""

    canvas: Vec4 | None = None
    over: str | None = None


def _stored(desk: Desk, name: str, data: bytes) -> tuple[str, tuple[int, int], Video | None]:
    """A picture or a video kept: its file, its size, and how it runs. Raises FormatError."""
    if stills.is_video(data, name):
        clip = clip_of(data, name)
        suffix = PurePath(name).suffix.lower()
        return desk.store.blobs.keep(data, suffix if suffix in stills.VIDEOS else ".mp4"), clip.size, Video()
    name, data, _ = stills.still(name, data)
    data, suffix, facts = pictures.to_keep(data, name)
    return desk.store.blobs.keep(data, suffix), (facts.width, facts.height), None


def within(size: tuple[int, int], box: Vec4, cover: bool = False) -> Vec4:
    """The canvas of a picture of a size in the middle of a box: as large as it holds, or so that it covers it."""
    k = (max if cover else min)(box[2] / size[0], box[3] / size[1])
    w, h = size[0] * k, size[1] * k
    return box[0] + (box[2] - w) / 2, box[1] + (box[3] - h) / 2, w, h


def make(desk: Desk, shot_id: str, photo_id: str, name: str, data: bytes) -> str:
    """A plate of a picture or a video, as large as its photo holds it; returns its id. It is thrown on nothing yet."""
    photo = photo_of(desk.store.load(shot_id), photo_id)
    width, height = sized(photo)
    whole = (0.0, 0.0, float(width), float(height))
    file, size, video = _stored(desk, name, data)
    made = ""

    def alter(shot: Shot) -> Shot:
        nonlocal made
        photo_of(shot, photo_id)
        title = PurePath(name).stem[:100] or "plate"
        made = fresh_id(title, [p.id for p in shot.plates])
        runs = None if video is None else video.model_copy(update={"first": shot.frame_range[0]})
        source: dict[str, Any] = {"file": file, "video": runs, "canvas": within(size, whole)}
        shot.plates.append(Plate(id=made, name=title, photo=photo_id, role="added", **source))
        shot.throws.insert(0, Throw(plate=made, targets=[]))
        return shot

    desk.store.change(shot_id, "Make a plate of a file", alter)
    return made


def clip_facts(desk: Desk, shot_id: str, plate_id: str) -> ClipFacts:
    """What the video of a plate has; raises PlateError where it is none."""
    plate = plate_of(desk.store.load(shot_id), plate_id)
    if plate.video is None or plate.file is None:
        raise PlateError(f"The plate '{plate.name}' is no video.")
    clip = desk.engines.clip(plate.file)
    return ClipFacts(
        pictures=len(clip),
        rate=clip.rate,
        seconds=float(clip.times[-1]) + 1 / clip.rate,
        width=clip.size[0],
        height=clip.size[1],
        alpha=clip.alpha,
    )


def run(desk: Desk, shot_id: str, plate_id: str, video: Video) -> None:
    """Say how a plate's video runs."""

    def alter(_: Shot, plate: Plate) -> None:
        if plate.video is None:
            raise PlateError(f"The plate '{plate.name}' is no video.")
        plate.video = video

    changed(desk, shot_id, plate_id, "Run a video otherwise", alter)


def tone(desk: Desk, shot_id: str, plate_id: str, wanted: Tone) -> None:
    """Give a plate that is a tone another one."""

    def alter(_: Shot, plate: Plate) -> None:
        if plate.tone is None:
            raise PlateError(f"The plate '{plate.name}' is no tone.")
        plate.tone = wanted

    changed(desk, shot_id, plate_id, "Change a tone", alter)


def place(desk: Desk, shot_id: str, plate_id: str, placed: Placed) -> None:
    """Lay a plate's source elsewhere in its photo. Over a surface: thrown onto it too, where it was on nothing."""
    shot = desk.store.load(shot_id)
    plate = plate_of(shot, plate_id)
    if plate.file == shot.photo(plate.photo).file:
        raise PlateError("The photo's own picture lies where it was taken; files and tones can be laid elsewhere.")
    canvas = placed.canvas
    if placed.over is not None:
        # a tone has no shape of its own
        size = desk.engines.picture(shot, plate).size if plate.tone is None else None
        box = surface_box(desk, shot, plate, placed.over)
        canvas = box if size is None else within(size, box, cover=True)
    if canvas is None or min(canvas[2:]) < LEAST:
        raise PlateError("A plate's canvas needs a width and a height above zero.")

    def alter(shot: Shot, plate: Plate) -> None:
        plate.canvas = canvas
        throw = next((t for t in shot.throws if t.plate == plate_id), None)
        if placed.over and throw is not None and not throw.targets:
            throw.targets = [placed.over]

    changed(desk, shot_id, plate_id, "Lay a plate elsewhere", alter)


def surface_box(desk: Desk, shot: Shot, plate: Plate, surface: str) -> Vec4:
    """The box in the plate's photo that a piece or a face fills, as far as it lies in the photo. Raises PlateError."""
    w, h = sized(shot.photo(plate.photo))
    world, canvas = ShotWorld(desk.engines, shot, plate, None), whole_canvas((0.0, 0.0, w, h), max(w, h))
    engine: Engine = world.bare()
    ys, xs = world.bounds(canvas, engine, world.faces([surface], engine))
    if ys.stop - ys.start < 1 or xs.stop - xs.start < 1:
        raise PlateError("The photo does not show that surface.")
    return float(xs.start), float(ys.start), float(xs.stop - xs.start), float(ys.stop - ys.start)


def depth_picture(desk: Desk, shot_id: str, plate_id: str, step_id: str, name: str, data: bytes) -> None:
    """Let a depth step go by a picture; white is near by default, and its metres are those of the step."""
    pixels = pictures.read(data, name)
    shot = desk.store.load(shot_id)
    w, h = sized(shot.photo(plate_of(shot, plate_id).photo))
    if not 0.98 < (pixels.shape[1] / pixels.shape[0]) / (w / h) < 1.02:
        raise PlateError(
            f"The depth picture is {pixels.shape[1]} × {pixels.shape[0]} px; the photo is {w} × {h} px: "
            "it has to show the same."
        )
    file = desk.store.blobs.keep(data, PurePath(name).suffix.lower() or ".png")

    def alter(_: Shot, plate: Plate) -> None:
        step = step_of(plate, step_id)
        if not isinstance(step, DepthStep):
            raise PlateError("Only a step by depth goes by a depth picture.")
        now = step.picture or DepthPicture(file=file, near_m=step.near_m, far_m=step.far_m)
        new = step.model_copy(update={"picture": now.model_copy(update={"file": file})})
        plate.steps = [new if s.id == step_id else s for s in plate.steps]

    changed(desk, shot_id, plate_id, "Bring a depth picture", alter)
