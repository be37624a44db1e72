"""Whether a data folder is still where it was, and can be written to: it can go away under a running program."""

from __future__ import annotations

import os
from pathlib import Path

from roofline.errors import FolderGone


class There:
    """The database's file as it was when it was opened, told by device and inode.

    A file that is open goes on being written to when its folder is renamed, unmounted or deleted: what is answered then
    would be kept where nobody looks for it.
    """

    def __init__(self, path: Path):
        self._path = path
        self._is = self._found()

    def _found(self) -> tuple[int, int] | None:
        try:
            stat = self._path.stat()
        except OSError:
            return None
        return stat.st_dev, stat.st_ino

    def trouble(self) -> str | None:
        """What is wrong, in a sentence that says what to do; None where nothing is."""
        found, folder = self._found(), self._path.parent
        if found is None:
            return f"Roof Line cannot find the data folder {folder}. Put it back; Roof Line then continues."
        if found != self._is:
            return f"{folder} is not the folder that Roof Line opened. Put that one back, or restart Roof Line."
        if not os.access(self._path, os.W_OK) or not os.access(folder, os.W_OK):
            return f"Roof Line may not write to the data folder {folder}. Allow it; Roof Line then continues."
        return None

    def check(self) -> None:
        """Raise FolderGone where something is wrong."""
        says = self.trouble()
        if says is not None:
            raise FolderGone(says)
