"""Smaller pictures for the screen, kept on disk under a ceiling in bytes."""

from __future__ import annotations

import contextlib
import os
import tempfile
import threading
from collections.abc import Callable
from pathlib import Path

CEILING = 2 << 30
SWEPT_TO = 0.8  # of the ceiling: so that not every new one sweeps


class Proxies:
    """A folder of files that can be made again. The ones that were asked for longest ago go first."""

    def __init__(self, folder: Path, ceiling: int = CEILING):
        self.folder, self.ceiling = folder, ceiling
        folder.mkdir(parents=True, exist_ok=True)
        self._lock = threading.Lock()
        self._bytes: int | None = None

    def get(self, name: str, make: Callable[[], bytes]) -> bytes:
        """The file of a name; made when it is not there, and kept where there is room: looking needs no writing."""
        path = self.folder / name
        try:
            data = path.read_bytes()
        except OSError:  # not there, or not to be read
            data = make()
            with contextlib.suppress(OSError):  # a full disk, or a folder that may only be read
                self._put(path, data)
                self._grown(len(data))
            return data
        with contextlib.suppress(OSError):
            os.utime(path)
        return data

    def _put(self, path: Path, data: bytes) -> None:
        handle, part = tempfile.mkstemp(dir=self.folder, prefix=".part-")
        try:
            with os.fdopen(handle, "wb") as file:
                file.write(data)
            os.replace(part, path)
        except BaseException:
            Path(part).unlink(missing_ok=True)
            raise

    def _grown(self, by: int) -> None:
        with self._lock:
            if self._bytes is None:
                self._bytes = sum(f.stat().st_size for f in self._files())
            else:
                self._bytes += by
            if self._bytes > self.ceiling:
                self._sweep()

    def _files(self) -> list[Path]:
        return [f for f in self.folder.iterdir() if f.is_file() and not f.name.startswith(".part-")]

    def _sweep(self) -> None:
        found = sorted(((f.stat().st_mtime, f.stat().st_size, f) for f in self._files()), key=lambda item: item[:2])
        held = sum(size for _, size, _ in found)
        for _, size, file in found:
            if held <= SWEPT_TO * self.ceiling:
                break
            file.unlink(missing_ok=True)
            held -= size
        self._bytes = held
