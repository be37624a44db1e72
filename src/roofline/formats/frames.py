"""Delivering a move as frames or video."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

from roofline.core.camera import View
from roofline.core.throw.engine import Engine
from roofline.core.throw.lens import Lens, bent_picture
from roofline.errors import FormatError
from roofline.formats.pictures import save_frame
from roofline.formats.video import VideoFile

FORMS = ("png", "tiff", "exr", "mp4", "webm")
STRAIGHT: Lens = (0.0, 0.0, 0.0, 0.0, 0.0)
SUFFIX = {"png": "png", "tiff": "tif", "exr": "exr"}


def deliver(
    engine: Engine,
    views: list[tuple[int, View]],
    out: Path,
    form: str,
    name: str,
    fps: float,
    told: Callable[[int], None] | None = None,
    lens: Lens = STRAIGHT,
) -> list[Path]:
    """Render frames into a folder; returns the files. Existing files are never overwritten.

    ``told`` is called with the number of frames done; what it raises (a cancelled job) ends the work, and a video
    that is not finished is removed. ``lens``: frames are bent as that lens bends.
    """
    if form not in FORMS:
        raise FormatError(f"Frames are written as {', '.join(FORMS)}; not as '{form}'.")
    out.mkdir(parents=True, exist_ok=True)
    if form in ("mp4", "webm"):
        path = out / f"{name}.{form}"
        _free(path)
        part = path.with_name(f".{path.stem}.part.{form}")
        video = VideoFile(part, form, views[0][1].width, views[0][1].height, fps)
        try:
            for done, picture in enumerate(_pictures(engine, views, lens), 1):
                video.add(picture[1])
                if told:
                    told(done)
            video.close()
        except BaseException:
            video.container.close()
            part.unlink(missing_ok=True)
            raise
        part.rename(path)
        return [path]
    paths = [out / f"{name}.{frame:04d}.{SUFFIX[form]}" for frame, _ in views]
    for path in paths:
        _free(path)
    for done, (path, picture) in enumerate(zip(paths, _pictures(engine, views, lens), strict=True), 1):
        save_frame(path, picture[1], form)
        if told:
            told(done)
    return paths


def _pictures(engine: Engine, views: list[tuple[int, View]], lens: Lens) -> Iterator:
    for frame, view in views:
        yield frame, bent_picture(engine.picture, view, lens)


def _free(path: Path) -> None:
    if path.exists():
        raise FormatError(f"{path.name} is there already; nothing was overwritten.")
