"""Picture files, named by the SHA-256 of their content."""

from __future__ import annotations

import hashlib
import os
import re
import tempfile
from collections.abc import Callable
from pathlib import Path

from roofline.errors import Damaged, NotFound

NAME = re.compile(r"^[0-9a-f]{64}\.[a-z0-9]{2,5}$")


def _sound(name: str, data: bytes) -> bool:
    return hashlib.sha256(data).hexdigest() == name.partition(".")[0]


class Blobs:
    """A folder of files that never change. Names are `<sha256><suffix>`; anything else is not found."""

    def __init__(self, folder: Path):
        self.folder = folder
        #: which pictures a file is, in words; set by who knows
        self.whose: Callable[[str], str] = lambda name: ""
        #: raises FolderGone where the data folder is not there; set by who knows
        self.check: Callable[[], None] = lambda: None
        folder.mkdir(parents=True, exist_ok=True)

    def path(self, name: str) -> Path:
        if not NAME.match(name):
            raise NotFound(f"There is no file '{name}'.")
        path = self.folder / name[:2] / name
        if not path.is_file():
            self.check()  # that all are missing is another thing
            raise NotFound(f"The file '{name}' is missing from the data folder.")
        return path

    def read(self, name: str) -> bytes:
        """The bytes of a file. Raises Damaged where they are not those that its name was made from: a picture that a
        disk has changed is not drawn, checked or delivered as if it were the artist's."""
        data = self.path(name).read_bytes()
        if not _sound(name, data):
            which = self.whose(name) or f"{name[:8]}…"
            raise Damaged(
                f"The file of {which} is damaged in the data folder. Bring in the same picture again to repair it."
            )
        return data

    def keep(self, data: bytes, suffix: str) -> str:
        """Store bytes; returns their name. Written to a temporary name, synced, then renamed; a file that is there but
        damaged is written anew."""
        name = hashlib.sha256(data).hexdigest() + suffix
        path = self.folder / name[:2] / name
        if path.is_file() and path.read_bytes() == data:
            os.utime(path)  # brought again: it is not cleared away before it is named
            return name
        path.parent.mkdir(exist_ok=True)
        handle, part = tempfile.mkstemp(dir=path.parent, prefix=".part-")
        try:
            with os.fdopen(handle, "wb") as file:
                file.write(data)
                file.flush()
                os.fsync(file.fileno())
            os.replace(part, path)
        except BaseException:
            Path(part).unlink(missing_ok=True)
            raise
        folder = os.open(path.parent, os.O_RDONLY)
        try:
            os.fsync(folder)
        finally:
            os.close(folder)
        return name
