"""Shots as a whole: begun, brought as packages, removed."""

from __future__ import annotations

import secrets
import shutil
from pathlib import Path

from roofline.core.massing.kinds import Imported
from roofline.formats import meshes, pictures
from roofline.formats.package import files_of, open_package, with_files
from roofline.model.shot import Shot
from roofline.work.desk import Desk
from roofline.work.ids import fresh_id as fresh_id
from roofline.work.ids import fresh_name as fresh_name


def rename(desk: Desk, shot_id: str, name: str) -> None:
    desk.store.change(shot_id, "Rename the shot", lambda s: s.model_copy(update={"name": name}))


def take_in(desk: Desk, path: Path, name: str | None = None, shot_id: str | None = None) -> str:
    """Bring a shot package into the store; returns the shot's id. Raises before anything has been kept."""
    package = open_package(path)
    shot = package.shot
    brought = {s.file for s in shot.solids if isinstance(s, Imported)}

    def taken(file: str) -> tuple[bytes, str]:
        """What is kept of a file, and its suffix."""
        data = package.read(file)
        if file in brought:
            return meshes.packed(meshes.read(data, file)), ".glb"
        facts = pictures.examine(data, file)
        for photo in shot.photos:
            if photo.file == file and photo.width is None:  # a package need not say it of a photo without a camera
                photo.width, photo.height = facts.width, facts.height
        return data, pictures.SUFFIX[facts.format]

    # one file at a time in memory; all of them looked at before the first is kept
    for file in files_of(shot):
        taken(file)
    renamed = {file: desk.store.blobs.keep(*taken(file)) for file in files_of(shot)}
    shot = with_files(shot, renamed)
    if name:
        shot.name = name
    return desk.store.create(shot, shot_id)


def begin(desk: Desk, name: str) -> str:
    """An empty shot; returns its id."""
    return desk.store.create(Shot(name=name))


def remove(desk: Desk, shot_id: str) -> None:
    """Remove a shot for good: its work ends, its rows and its delivered files go.

    Killed after its rows have gone, the next start finds files that no row knows, and sweeps them.
    """
    desk.store.revision(shot_id)
    desk.jobs.end_all(shot_id)
    desk.store.delete(shot_id)
    deliveries = desk.store.folder / "deliveries"
    if (deliveries / shot_id).is_dir():
        aside = deliveries / f".gone-{secrets.token_hex(4)}"
        (deliveries / shot_id).rename(aside)
        shutil.rmtree(aside, ignore_errors=True)
    desk.news.tell(shot_id, "removed", {})
