"""Routes of shots as a whole."""

from __future__ import annotations

import tempfile
import zipfile
from pathlib import Path

from roofline.errors import FormatError
from roofline.model.base import Model, Name
from roofline.server.routes import Routes
from roofline.server.site import SHOT, Site, sent
from roofline.server.state import JobState, ShotState, job_state
from roofline.stages import shots
from roofline.store import clearing
from roofline.work.desk import Desk


class NewShot(Model):
    name: Name


class ListedShot(Model):
    id: str
    name: str
    made: str
    revision: int
    photo: str | None = None


class Cleared(Model):
    """Files that nothing refers to: cleared away, their bytes, and those that are still within their grace."""

    files: int
    bytes: int
    waiting: int


def _listed(desk: Desk) -> list[ListedShot]:
    first = desk.store.first_photos()
    return [
        ListedShot(id=s.id, name=s.name, made=s.made, revision=s.revision, photo=first.get(s.id))
        for s in desk.store.shots()
    ]


def add_routes(site: Site, routes: Routes) -> None:
    desk, states = site.desk, site.states

    @routes.add("GET", "/api/shots", returns=list[ListedShot])
    def list_shots() -> list[ListedShot]:
        """All shots, newest first."""
        return _listed(desk)

    @routes.add("POST", "/api/shots", body=NewShot, returns=ShotState)
    def new_shot(body: NewShot) -> ShotState:
        """Begin a shot."""
        return states.state(shots.begin(desk, body.name))

    @routes.add("POST", "/api/packages", returns=ShotState, files=True)
    def bring_package() -> ShotState:
        """Bring a shot package (ZIP)."""
        name, file = sent()
        with tempfile.TemporaryDirectory(dir=desk.store.folder, prefix=clearing.BRINGING) as folder:
            path = Path(folder) / "package.zip"
            file.save(path)
            if not zipfile.is_zipfile(path):
                raise FormatError(f"{name} is not a ZIP file: a shot package is wanted.")
            return states.state(shots.take_in(desk, path))

    _one_shot(site, routes)
    _work(site, routes)


def _one_shot(site: Site, routes: Routes) -> None:
    desk, states = site.desk, site.states

    @routes.add("GET", SHOT, returns=ShotState)
    def get_shot(shot_id: str) -> ShotState:
        """A shot with all that is shown of it."""
        return states.state(shot_id)

    @routes.add("DELETE", SHOT, returns=list[ListedShot])
    def delete_shot(shot_id: str) -> list[ListedShot]:
        """Remove a shot for good."""
        shots.remove(desk, shot_id)
        return _listed(desk)

    @routes.add("PUT", SHOT + "/name", body=NewShot, returns=ShotState)
    def rename_shot(shot_id: str, body: NewShot) -> ShotState:
        """Rename a shot."""
        shots.rename(desk, shot_id, body.name)
        return states.changed(shot_id)

    @routes.add("POST", SHOT + "/undo", returns=ShotState)
    def undo(shot_id: str) -> ShotState:
        """Take the last change back."""
        desk.store.undo(shot_id)
        return states.changed(shot_id)

    @routes.add("POST", SHOT + "/redo", returns=ShotState)
    def redo(shot_id: str) -> ShotState:
        """Make the change that was undone again."""
        desk.store.redo(shot_id)
        return states.changed(shot_id)


def _work(site: Site, routes: Routes) -> None:
    desk = site.desk

    @routes.add("GET", "/api/jobs/<job_id>", returns=JobState)
    def get_job(job_id: str) -> JobState:
        """How far a job is."""
        return job_state(desk.jobs.get(job_id))

    @routes.add("DELETE", "/api/jobs/<job_id>", returns=JobState)
    def cancel_job(job_id: str) -> JobState:
        """Cancel a job."""
        return job_state(desk.jobs.cancel(job_id))

    @routes.add("POST", "/api/clear", returns=Cleared)
    def clear_files() -> Cleared:
        """Clear files away that no shot has referred to for a month, by undo either."""
        return Cleared.model_validate(vars(clearing.clear(desk.store)))
