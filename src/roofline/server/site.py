"""What the routes work with: the desk, the states, and what has been uploaded."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import IO

from flask import request
from werkzeug.datastructures import FileStorage

from roofline.errors import FormatError
from roofline.formats import glance
from roofline.server.state import States
from roofline.work.desk import Desk

SHOT = "/api/shots/<shot_id>"


class Site:
    """One data folder, served."""

    def __init__(self, desk: Desk):
        self.desk, self.states = desk, States(desk)


def all_uploaded() -> Iterator[tuple[str, bytes]]:
    """All uploaded files in their order, one after the other: names and bytes. All are glanced at before the first."""
    files = request.files.getlist("file")
    if not files:
        raise FormatError("No file was sent.")
    for f in files:
        glance.picture(f.stream, _named(f))
        if not glance.size_of(f.stream):  # type: ignore[arg-type]
            raise FormatError(f"{_named(f)} is empty.")
    return ((_named(f), f.read()) for f in files)


def _named(file: FileStorage) -> str:
    return Path(file.filename or "picture").name


def sent() -> tuple[str, FileStorage]:
    """The one uploaded file, not yet in memory, and its name."""
    file = request.files.get("file")
    if file is None:
        raise FormatError("No file was sent.")
    if not glance.size_of(file.stream):  # type: ignore[arg-type]
        raise FormatError(f"{file.filename or 'The file'} is empty.")
    return _named(file), file


def uploaded(look: Callable[[IO[bytes], str], None] = glance.picture) -> tuple[str, bytes]:
    """The one uploaded file: name and bytes. ``look``: refuses it by its beginning, before all of it is in memory."""
    name, file = sent()
    look(file.stream, name)
    return name, file.read()
