"""Large files judged by their beginning, before all of them is in memory."""

from __future__ import annotations

from typing import IO

import tifffile
from PIL import Image

from roofline.errors import FormatError
from roofline.formats import stills
from roofline.formats.decoded import guard
from roofline.formats.reading import kind_of, refusal

SMALL = 32_000_000  # bytes: smaller files are read at once, and their readers say more of what is wrong with them
LARGEST_MESH = 180_000_000  # bytes
HEAD = 512


def size_of(stream: IO[bytes]) -> int:
    """Bytes in a stream; it stands at its beginning afterwards."""
    size = stream.seek(0, 2)
    stream.seek(0)
    return size


def picture(stream: IO[bytes], name: str) -> None:
    """Refuse what is no picture, or is too large a one. Video, drawings and archives of layers are left to their
    readers. The stream stands at its beginning afterwards. Raises FormatError."""
    if size_of(stream) <= SMALL:
        return
    head = stream.read(HEAD)
    stream.seek(0)
    kind = kind_of(head[:16])
    if kind is None:
        if head[:2] != b"PK" and not stills.is_video(head, name) and not stills.is_drawing(head, name):
            raise FormatError(refusal(head[:16], name))
    elif kind != "EXR":  # asks for its own size by its header
        try:
            if kind == "TIFF":
                page = tifffile.TiffFile(stream).pages.first
                guard(page.imagewidth, page.imagelength, 1, name)
            else:
                guard(*Image.open(stream).size, 1, name)
        except FormatError:
            raise
        except Exception:  # readers of damaged files fail in every way there is
            raise FormatError(f"{name} is damaged or cut short: it begins like a {kind} file.") from None
    stream.seek(0)


def mesh(stream: IO[bytes], name: str) -> None:
    """Refuse a mesh by its size. Raises FormatError."""
    size = size_of(stream)
    if size > LARGEST_MESH:
        raise FormatError(
            f"{name} has {size / 1e6:.0f} MB; meshes of up to {LARGEST_MESH // 1_000_000} MB can be brought in."
        )
