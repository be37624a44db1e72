"""What the routes work with: the desk, the states, and what has been uploaded."""

from __future__ import annotations

from pathlib import Path

from flask import request

from roofline.errors import FormatError
from roofline.server.state import States
from roofline.work.desk import Desk

SHOT = "/api/shots/<shot_id>"


class Site:
    """One data folder, served."""

    def __init__(self, desk: Desk):
        self.desk, self.states = desk, States(desk)


def all_uploaded() -> list[tuple[str, bytes]]:
    """All uploaded files in their order: names and bytes."""
    out = [(Path(f.filename or "picture").name, f.read()) for f in request.files.getlist("file")]
    if not out:
        raise FormatError("No file was sent.")
    for name, data in out:
        if not data:
            raise FormatError(f"{name} is empty.")
    return out


def uploaded() -> tuple[str, bytes]:
    """The one uploaded file: name and bytes."""
    file = request.files.get("file")
    if file is None:
        raise FormatError("No file was sent.")
    data = file.read()
    if not data:
        raise FormatError(f"{file.filename or 'The file'} is empty.")
    return Path(file.filename or "photo").name, data
