"""Picture files, named by the SHA-256 of their content."""

from __future__ import annotations

import hashlib
import os
import re
import tempfile
from pathlib import Path

from roofline.errors import NotFound

NAME = re.compile(r"^[0-9a-f]{64}\.[a-z0-9]{2,5}$")


class Blobs:
    """A folder of files that never change. Names are `<sha256><suffix>`; anything else is not found."""

    def __init__(self, folder: Path):
        self.folder = folder
        folder.mkdir(parents=True, exist_ok=True)

    def path(self, name: str) -> Path:
        if not NAME.match(name):
            raise NotFound(f"There is no file '{name}'.")
        path = self.folder / name[:2] / name
        if not path.is_file():
            raise NotFound(f"The file '{name}' is missing from the data folder.")
        return path

    def read(self, name: str) -> bytes:
        return self.path(name).read_bytes()

    def keep(self, data: bytes, suffix: str) -> str:
        """Store bytes; returns their name. Written to a temporary name, synced, then renamed."""
        name = hashlib.sha256(data).hexdigest() + suffix
        path = self.folder / name[:2] / name
        try:
            os.utime(path)  # brought again: it is not cleared away before it is named
            return name
        except FileNotFoundError:
            pass
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
