"""Frames and videos of a snapshot: a shot as it was when it was ordered, and the files that it names."""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from roofline.core.handoff.lens import Lens, bent_picture
from roofline.core.moment import Moment
from roofline.core.move.path import home_lens, moment_at, moments, shot_path
from roofline.core.throw.engine import Engine
from roofline.errors import FormatError
from roofline.formats.frames import FORMS as FRAMES
from roofline.formats.frames import Pieces, save_frame
from roofline.formats.video import CODINGS as VIDEOS
from roofline.formats.video import VideoFile
from roofline.model.shot import Shot
from roofline.work.engines import Engines
from roofline.work.kept import Kept

FORMS = (*FRAMES, *VIDEOS)
STRAIGHT: Lens = (0.0, 0.0, 0.0, 0.0, 0.0)
Told = Callable[[int], None]


@dataclass
class Snapshot:
    """All that a frame depends on: the shot, its files by name, how frames are written, and whether they are bent.

    ``alpha``: whether frames have an alpha channel; ``depth``: whether exr frames have their depth, in metres, too;
    ``pieces``: whether they have a part that tells pieces apart.
    """

    shot: Shot
    read: Callable[[str], bytes]
    form: str = "png"
    bend: bool = False
    alpha: bool = True
    depth: bool = False
    pieces: bool = False
    engines: Engines | None = field(default=None, repr=False)

    def __post_init__(self) -> None:
        if self.form not in FORMS:
            raise FormatError(f"Frames are written as {', '.join(FORMS)}; not as '{self.form}'.")
        if self.depth and (self.form != "exr" or self.bend):
            raise FormatError("Depth goes into OpenEXR frames that are not bent as a lens does.")
        if self.pieces and (self.form != "exr" or self.bend):
            raise FormatError("Pieces are told apart in OpenEXR frames that are not bent as a lens does.")
        if self.engines is None:
            self.engines = Engines(self.read, Kept())

    @cached_property
    def engine(self) -> Engine:
        """One for all frames: its textures may be more than what is kept warm, and are not made anew for each."""
        assert self.engines is not None
        return self.engines.engine(self.shot)

    def picture(self, moment: Moment) -> NDArray:
        """Picture (H, W, 4) of a moment as it is delivered: linear light, premultiplied."""
        lens = home_lens(self.shot) if self.bend else STRAIGHT
        return bent_picture(self.engine.picture, moment, lens)

    def depths(self, moment: Moment) -> NDArray:
        """Depth (H, W) of a moment in metres along the lens's axis; infinite where nothing is."""
        return self.engine.depth(moment)

    def numbered(self, moment: Moment) -> Pieces:
        """Which piece is seen at each pixel's centre of a moment, where a plate's matte leaves any of it."""
        face, geometry = self.engine.measure(moment).face, self.engine.geometry
        numbers = np.where(face < 0, 0, geometry.solid[face] + 1).astype(np.uint32)
        called = {s.id: s.name for s in self.shot.solids}
        return Pieces(numbers, [called[s] for s in geometry.solid_ids])


def _synced(path: Path) -> None:
    held = os.open(path, os.O_RDONLY)
    try:
        os.fsync(held)
    finally:
        os.close(held)


def _put(part: Path, out: Path) -> None:
    """Let a file be there under its own name, synced: what is written down as done outlasts a loss of power."""
    _synced(part)
    os.replace(part, out)
    _synced(out.parent)


def render_frame(snapshot: Snapshot, frame: int, out: Path) -> None:
    """Write one frame of a snapshot to a file. It is written under a part name: the file is there whole, or not at all.

    It depends on the snapshot alone, and gives the same bytes wherever and however often it is called.
    """
    moment = moment_at(snapshot.shot, shot_path(snapshot.shot), frame)
    picture = snapshot.picture(moment)
    depth = snapshot.depths(moment) if snapshot.depth else None
    pieces = snapshot.numbered(moment) if snapshot.pieces else None
    part = out.with_name(f".{out.stem}.part{out.suffix}")
    try:
        save_frame(part, picture, snapshot.form, snapshot.alpha, depth, pieces)
        _put(part, out)
    except BaseException:
        part.unlink(missing_ok=True)
        raise


def render_video(snapshot: Snapshot, frames: list[int], out: Path, told: Told | None = None) -> None:
    """Write frames as a video.

    ``told`` is called with the number done; what it raises ends the work, and nothing stays.
    """
    path, delivery = shot_path(snapshot.shot), snapshot.shot.delivery
    part = out.with_name(f".{out.stem}.part{out.suffix}")
    part.unlink(missing_ok=True)
    video = VideoFile(part, snapshot.form, delivery.width, delivery.height, delivery.fps)
    try:
        for done, frame in enumerate(frames, 1):
            video.add(snapshot.picture(moment_at(snapshot.shot, path, frame)))
            if told:
                told(done)
        video.close()
        _put(part, out)
    except BaseException:
        video.container.close()
        part.unlink(missing_ok=True)
        raise


def frame_file(name: str, frame: int, form: str) -> str:
    """File name of a frame."""
    return f"{name}.{frame:04d}.{FRAMES[form]}"


def video_file(name: str, form: str) -> str:
    """File name of a video."""
    return f"{name}.{VIDEOS[form].suffix}"


def frames_of(shot: Shot, first: int | None, last: int | None) -> list[int]:
    """The numbers of a range of frames, all by default; raises MoveError when it reaches outside of the shot."""
    return [int(m.frame) for m in moments(shot, first, last, 16)]


def deliver(
    snapshot: Snapshot,
    out: Path,
    name: str,
    first: int | None = None,
    last: int | None = None,
    told: Told | None = None,
) -> list[Path]:
    """Render frames, or a video, into a folder; returns the files. Existing files are never overwritten."""
    frames = frames_of(snapshot.shot, first, last)
    if snapshot.form in VIDEOS:
        paths = [out / video_file(name, snapshot.form)]
    else:
        paths = [out / frame_file(name, frame, snapshot.form) for frame in frames]
    out.mkdir(parents=True, exist_ok=True)
    for path in paths:
        if path.exists():
            raise FormatError(f"{path.name} is there already; nothing was overwritten.")
    if snapshot.form in VIDEOS:
        render_video(snapshot, frames, paths[0], told)
        return paths
    for done, (frame, path) in enumerate(zip(frames, paths, strict=True), 1):
        render_frame(snapshot, frame, path)
        if told:
            told(done)
    return paths
