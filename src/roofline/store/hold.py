"""Who has a data folder: one program at a time, for as long as it lives."""

from __future__ import annotations

import fcntl
import json
import os
from pathlib import Path

from roofline.errors import FolderHeld

NAME = "in-use"  # the file in the folder that is locked, and that says by whom


class Hold:
    """An advisory lock (flock) on a data folder. It ends with the program, however that ends; nothing is left to clear.

    Warning: `flock` does not reach over every network file system; a data folder belongs on a disk of the machine.

    Raises
    ------
    FolderHeld
        When another program, or another desk of this one, has the folder.
    """

    def __init__(self, folder: Path):
        self._file = os.open(folder / NAME, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        try:
            fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            os.close(self._file)
            raise _held(folder, _said(folder)) from None
        self.say(None)

    def say(self, address: str | None) -> None:
        """Write down where the program that holds the folder answers."""
        os.ftruncate(self._file, 0)
        os.pwrite(self._file, json.dumps({"pid": os.getpid(), "address": address}).encode(), 0)

    def release(self) -> None:
        """Let others have the folder."""
        if self._file >= 0:
            os.close(self._file)
            self._file = -1


def holder(folder: Path) -> FolderHeld | None:
    """What a program is told that wants a folder which another one has; None where it is free."""
    if not (folder / NAME).exists():
        return None
    try:
        Hold(folder).release()
    except FolderHeld as held:
        return held
    return None


def _said(folder: Path) -> dict:
    try:
        said = json.loads((folder / NAME).read_text())
    except (OSError, ValueError):  # it is just being written
        return {}
    return said if isinstance(said, dict) else {}


def _held(folder: Path, said: dict) -> FolderHeld:
    address, pid = said.get("address"), said.get("pid")
    who = f"at {address}" if address else f"as process {pid}" if pid else "in another program"
    return FolderHeld(f"Roof Line already runs on {folder}, {who}. Stop it first, or choose another folder.", address)
