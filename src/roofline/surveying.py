"""The survey of a shot's photos: edges found and snapped, cameras solved alone or together, and kept."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray

from roofline.core.massing.planes import plane_of
from roofline.core.massing.solids import faces_of
from roofline.core.survey.detect import Found, find
from roofline.core.survey.joint import Member, Plane, Together, solve_together
from roofline.core.survey.measure import Plane as GridPlane
from roofline.core.survey.measure import measure
from roofline.core.survey.snap import snap
from roofline.core.survey.solve import solve
from roofline.errors import NotFound, SurveyError
from roofline.formats import pictures
from roofline.shot import Photo, Shot, Survey, SurveyInput, SurveyResult, Tie, Vec2
from roofline.store.cache import Cache
from roofline.store.store import Store


def survey_input(photo: Photo, survey: Survey) -> SurveyInput:
    return SurveyInput.model_validate({**survey.model_dump(), "width": photo.width, "height": photo.height})


def photo_of(shot: Shot, photo_id: str) -> Photo:
    try:
        return shot.photo(photo_id)
    except KeyError:
        raise NotFound(f"There is no photo '{photo_id}'.") from None


def linked(shot: Shot, photo_id: str) -> list[Photo]:
    """The photos that hang together with one through lenses, points or standpoints, in the shot's order."""
    group = {photo_id}
    while True:
        lenses = {p.lens for p in shot.photos if p.id in group and p.lens}
        grown = group | {p.id for p in shot.photos if p.lens in lenses}
        for tie in shot.ties:
            if len(tie.seen) > 1 and grown & tie.seen.keys():
                grown |= tie.seen.keys()
        for p in shot.photos:
            if p.standpoint and {p.id, p.standpoint} & grown:
                grown |= {p.id, p.standpoint}
        grown &= {p.id for p in shot.photos}
        if grown == group:
            return [p for p in shot.photos if p.id in group]
        group = grown


def surfaces(shot: Shot) -> Callable[[str], Plane | None]:
    """The planes of a shot's faces by their full names."""

    def plane(name: str) -> Plane | None:
        solid_id, _, face = name.partition("/")
        for solid in shot.solids:
            if solid.id == solid_id:
                faces = faces_of(solid)
                if face in faces.names:
                    return plane_of(faces.vertices[faces.loops[faces.names.index(face)]])
        return None

    return plane


def resolve(shot: Shot, photo_id: str) -> None:
    """Solve a photo anew, with all that hang together with it; results and reasons are written to the shot.

    Where photos do not go together, each is solved for itself, and the reason stands with all but the first.
    """
    photo = photo_of(shot, photo_id)
    group = linked(shot, photo_id)
    if len(group) == 1:
        _alone(photo)
        return
    ready = _ready(group)
    for p in group:
        if p not in ready:
            p.result, p.camera, p.problem = None, None, None
    if not ready:
        return
    try:
        got = solve_together([_member(p) for p in ready], shot.ties, surfaces(shot))
    except SurveyError as error:
        for p in ready:
            _alone(p)
        # the reason stands with what did not join, not with the photo that makes the world
        for p in ready[1:]:
            p.problem = p.problem or str(error)
        _forget_points(shot, {p.id for p in group})
        return
    for p in ready:
        p.result, p.problem = got.results[p.id], None
        p.camera = p.result.camera
    _keep_points(shot, got, {p.id for p in group})


def _ready(group: list[Photo]) -> list[Photo]:
    """Those of a group that can be solved, first the one that makes the world: it has a scale; of several, the first."""
    ready = [p for p in group if p.survey.edges or p.survey.horizon]
    return sorted(ready, key=lambda p: p.survey.camera_height_m is None and not p.survey.lengths)


def _member(photo: Photo) -> Member:
    return Member(photo.id, photo.name, survey_input(photo, photo.survey), photo.lens, photo.standpoint)


def _alone(photo: Photo) -> None:
    photo.result, photo.problem, photo.camera = None, None, None
    if photo.survey.edges or photo.survey.horizon:
        try:
            photo.result = solve(survey_input(photo, photo.survey))
            photo.camera = photo.result.camera
        except SurveyError as error:
            photo.problem = str(error)


def _forget_points(shot: Shot, photos: set[str]) -> None:
    shot.ties = [t.model_copy(update={"world": None, "off_px": {}}) if photos & t.seen.keys() else t for t in shot.ties]


def _keep_points(shot: Shot, got: Together, photos: set[str]) -> None:
    _forget_points(shot, photos)
    shot.ties = [
        t.model_copy(update={"world": got.points[t.id], "off_px": got.off_px[t.id]}) if t.id in got.off_px else t
        for t in shot.ties
    ]


class Surveying:
    """Operations of the Survey stage over the store."""

    def __init__(self, store: Store):
        self.store = store
        self._greys: Cache[NDArray[np.uint8]] = Cache(3)

    def grey(self, photo: Photo) -> NDArray[np.uint8]:
        """Brightness (H, W) of a photo as taken, at its full size; kept at hand."""

        def make() -> NDArray[np.uint8]:
            pixels = pictures.eight_bit(pictures.read(self.store.blobs.read(photo.file))[..., :3])
            return np.asarray(cv2.cvtColor(pixels, cv2.COLOR_RGB2GRAY))

        return self._greys.get(photo.file, make)

    def attempt(self, shot_id: str, photo_id: str, survey: Survey) -> SurveyResult:
        """Solve without keeping anything; raises SurveyError."""
        shot = self.store.load(shot_id)
        photo = photo_of(shot, photo_id)
        group = linked(shot, photo_id)
        photo.survey = survey
        if len(group) == 1:
            return solve(survey_input(photo, survey))
        # asked about while a hand is dragging: from the cameras that stand, and without the report on the others
        ready = _ready(group)
        near = {p.id: p.camera for p in ready if p.camera is not None and not p.problem}
        got = solve_together([_member(p) for p in ready], shot.ties, surfaces(shot), near, photo_id)
        if photo_id not in got.results:
            raise SurveyError("There is no camera yet.")
        return got.results[photo_id]

    def keep(self, shot_id: str, photo_id: str, survey: Survey, label: str) -> None:
        """Keep edges and priors; the camera follows, or the reason why there is none is kept with them.

        A tape or camera height that cannot be is refused instead: it was typed, and nothing is lost by typing again.
        """
        for tape in survey.lengths:
            if not tape.metres > 0:
                raise SurveyError(f"A tape must be longer than zero, not {tape.metres:g} m.")
        for number, edge in enumerate(survey.edges, 1):
            if max(np.hypot(p[0] - edge.points[0][0], p[1] - edge.points[0][1]) for p in edge.points) < 1:
                raise SurveyError(f"Edge {number} has no length: its points fall on one spot. Draw it along a line.")

        def alter(shot: Shot) -> Shot:
            photo_of(shot, photo_id).survey = survey
            resolve(shot, photo_id)
            return shot

        self.store.change(shot_id, label, alter)

    def find(self, shot_id: str, photo_id: str) -> Found:
        """Edges found in the photo, by direction, with the camera they give; nothing is kept."""
        photo = photo_of(self.store.load(shot_id), photo_id)
        return find(self.grey(photo), survey_input(photo, photo.survey))

    def snapped(self, shot_id: str, photo_id: str, points: list[Vec2], reach: float) -> list[Vec2] | None:
        """An edge laid onto the picture's own edge, or None where there is no clear one. More than two points: each stretch."""
        photo = photo_of(self.store.load(shot_id), photo_id)
        grey = self.grey(photo)
        out: list[Vec2] = []
        for a, b in zip(points, points[1:], strict=False):
            laid = snap(grey, np.array(a), np.array(b), reach)
            if laid is None:
                return None
            first, last = ((float(p[0]), float(p[1])) for p in laid)
            if out:  # a corner between two stretches is the middle of what both say
                out[-1] = ((out[-1][0] + first[0]) / 2, (out[-1][1] + first[1]) / 2)
            else:
                out.append(first)
            out.append(last)
        return out

    def measured(
        self, shot_id: str, photo_id: str, plane: GridPlane, a: Vec2, b: Vec2, level: float = 0.0
    ) -> tuple[float, float]:
        """Metres between two pixels' points on a plane `level` metres from the datum, and one sigma; of a joined photo, its own edges'."""
        photo = photo_of(self.store.load(shot_id), photo_id)
        if photo.result is None:
            raise SurveyError("There is no camera yet to measure with: trace edges first.")
        return measure(survey_input(photo, photo.survey), photo.result, plane, a, b, level)

    def tie(self, shot_id: str, ties: list[Tie], label: str) -> None:
        """Keep the points that photos share; the photos that see changed ones are solved anew."""
        names = [t.id for t in ties]
        if len(set(names)) != len(names):
            raise SurveyError("Two points have the same id.")

        def alter(shot: Shot) -> Shot:
            before = {t.id: t for t in shot.ties}
            changed = [t for t in ties if before.get(t.id) is None or _placed(before[t.id]) != _placed(t)]
            gone = [t for t in shot.ties if t.id not in set(names)]
            photos = {p for t in changed + gone for p in t.seen}
            photos |= {p for t in changed if t.id in before for p in before[t.id].seen}
            for t in ties:
                for p in t.seen:
                    photo_of(shot, p)
            shot.ties = ties
            _again(shot, photos)
            return shot

        self.store.change(shot_id, label, alter)

    def join(self, shot_id: str, photo_id: str, lens: str | None, standpoint: str | None) -> None:
        """Say which photos share a photo's lens and standpoint."""

        def alter(shot: Shot) -> Shot:
            photo = photo_of(shot, photo_id)
            if standpoint is not None:
                other = photo_of(shot, standpoint)
                if other.id == photo_id or other.standpoint is not None:
                    raise SurveyError("A photo shares the standpoint of another one that stands for itself.")
            photos = {p.id for p in linked(shot, photo_id)}
            photo.lens, photo.standpoint = lens, standpoint
            _again(shot, photos | {photo_id})
            return shot

        self.store.change(shot_id, "Change what photos share", alter)


def _placed(tie: Tie) -> tuple[object, object]:
    return tie.seen, tie.surface


def _again(shot: Shot, photos: set[str]) -> None:
    """Solve photos anew, each group once."""
    done: set[str] = set()
    for photo in shot.photos:
        if photo.id in photos and photo.id not in done:
            resolve(shot, photo.id)
            done |= {p.id for p in linked(shot, photo.id)}
