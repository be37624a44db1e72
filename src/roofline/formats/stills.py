"""Drawings and videos where a picture is wanted: SVG drawn at a size, the first frame of a video."""

from __future__ import annotations

import io
from pathlib import PurePath

from PIL import Image

from roofline.formats import pictures
from roofline.formats.clips import clip_of
from roofline.formats.drawings import drawn

DRAWN = 3840  # pixels of the longer side of a drawing that nothing else gives a size
VIDEOS = (".mp4", ".webm", ".mov", ".mkv", ".avi", ".m4v")


def is_drawing(data: bytes, name: str) -> bool:
    """Whether a file is an SVG drawing."""
    return PurePath(name).suffix.lower() == ".svg" or data[:300].lstrip().startswith(b"<svg")


def is_video(data: bytes, name: str) -> bool:
    """Whether a file is a video, by its name or the first bytes of the common containers."""
    suffix = PurePath(name).suffix.lower()
    return suffix in VIDEOS or data[:4] == b"\x1aE\xdf\xa3" or (data[4:12] in (b"ftypisom", b"ftypmp42"))


def still(name: str, data: bytes, longest: int | None = None) -> tuple[str, bytes, str | None]:
    """A file as a picture: its name, its bytes, and what is to be said of it. Pictures are handed on as they are.

    ``longest``: pixels of the longer side that a drawing is drawn at; DRAWN by default. Raises FormatError.
    """
    if is_drawing(data, name):
        return f"{PurePath(name).stem}.png", drawn(name, data, longest or DRAWN), None
    if is_video(data, name):
        said = f"“{name}” is a video: its first frame is taken."
        return f"{PurePath(name).stem}.png", _first_frame(name, data), said
    return name, data, None


def as_stills(files: list[tuple[str, bytes]]) -> tuple[list[tuple[str, bytes]], list[str]]:
    """Files as pictures, drawings in the size of the largest picture beside them; and what is to be said."""
    sides = [max(size) for n, d in files if not (is_drawing(d, n) or is_video(d, n)) and (size := _size(d))]
    made = [still(n, d, max(sides) if sides else None) for n, d in files]
    return [(n, d) for n, d, _ in made], [said for _, _, said in made if said]


def _size(data: bytes) -> tuple[int, int] | None:
    try:
        return Image.open(io.BytesIO(data)).size
    except OSError:
        return None


def _first_frame(name: str, data: bytes) -> bytes:
    return pictures.png(clip_of(data, name).picture(0), 1)
