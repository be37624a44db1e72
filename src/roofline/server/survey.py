"""Routes of the Survey stage."""

from __future__ import annotations

from typing import Annotated, Literal

from flask import Response
from pydantic import Field

from roofline.core.survey.found import FOUND_SIGMA, Found
from roofline.errors import SurveyError
from roofline.model.base import Model, Name, Vec2
from roofline.model.changes import Items, SurveyChange
from roofline.model.survey import Doubt, Edge, Survey, SurveyResult, Tie
from roofline.server.routes import Routes, Width
from roofline.server.site import SHOT, Site
from roofline.server.state import JobState, ShotState, job_state
from roofline.stages import finding, survey


class TrySurvey(Model):
    """A solution, or the sentence why there is none yet."""

    result: SurveyResult | None
    problem: str | None


class FoundEdges(Model):
    """Edges found in a photo, by direction, and the camera that they give; share: of the straight lines' length.

    `others`: the next best readings of the picture; `doubt`: how far it is open; `chosen`: how far to who has looked at
    them and chosen this one.
    """

    edges: list[Edge]
    result: SurveyResult
    share: float
    distortion: bool
    edge_sigma_px: float
    doubt: Doubt
    chosen: Doubt
    others: list[FoundEdges] = []


def found_edges(found: Found) -> FoundEdges:
    return FoundEdges(
        edges=found.edges,
        result=found.result,
        share=found.share,
        distortion=found.distortion,
        edge_sigma_px=FOUND_SIGMA,
        doubt=found.doubt,
        chosen=found.chosen,
        others=[found_edges(o.found) for o in found.others],
    )


class Snap(Model):
    points: Annotated[list[Vec2], Field(min_length=2, max_length=40)]
    reach: Annotated[float, Field(ge=1, le=60)] = 6.0


class Snapped(Model):
    """The edge on the picture's own edge, or null where there is no clear one."""

    points: list[Vec2] | None


class Measuring(Model):
    """Two pixels of the photo as taken, on a plane that lies `level` metres from the datum."""

    plane: Literal["ground", "front", "side", "ceiling"] = "ground"
    level: Annotated[float, Field(ge=-1000, le=1000, allow_inf_nan=False)] = 0.0
    a: Vec2
    b: Vec2


class Measured(Model):
    metres: float
    sigma_m: float


class Ties(Model):
    ties: Annotated[list[Tie], Field(max_length=400)]


class Joining(Model):
    lens: Name | None = None
    standpoint: str | None = None
    steady: bool = False  # nothing moved between the two: it has the whole camera of its standpoint's photo


def add_routes(site: Site, routes: Routes) -> None:
    _edges(site, routes)
    _joining(site, routes)


def _edges(site: Site, routes: Routes) -> None:
    desk, states = site.desk, site.states

    @routes.add("POST", SHOT + "/photos/<photo_id>/survey/try", body=Survey, returns=TrySurvey)
    def try_survey(shot_id: str, photo_id: str, body: Survey) -> TrySurvey:
        """Solve without keeping anything."""
        try:
            return TrySurvey(result=survey.attempt(desk, shot_id, photo_id, body), problem=None)
        except SurveyError as error:
            return TrySurvey(result=None, problem=str(error))

    @routes.add(
        "PUT",
        SHOT + "/photos/<photo_id>/survey",
        body=Survey,
        returns=ShotState,
        query={"label": str, "revision": int},
    )
    def set_survey(
        shot_id: str, photo_id: str, body: Survey, revision: int, label: str = "Change the survey"
    ) -> ShotState:
        """Keep edges and priors, and solve; `revision`: of the shot that they were made from."""
        survey.keep(desk, shot_id, photo_id, body, label[:80], revision)
        return states.changed(shot_id)

    @routes.add("PATCH", SHOT + "/photos/<photo_id>/survey", body=SurveyChange, returns=ShotState, query={"label": str})
    def change_survey(shot_id: str, photo_id: str, body: SurveyChange, label: str = "Change the survey") -> ShotState:
        """Change edges, tapes and figures by identity, and solve."""
        survey.change(desk, shot_id, photo_id, body, label[:80])
        return states.changed(shot_id)

    @routes.add("POST", SHOT + "/photos/<photo_id>/survey/find", returns=FoundEdges)
    def find_edges(shot_id: str, photo_id: str) -> FoundEdges:
        """Look for edges in the photo; nothing is kept."""
        return found_edges(finding.find_edges(desk, shot_id, photo_id))

    @routes.add("POST", SHOT + "/photos/<photo_id>/survey/found", returns=JobState)
    def keep_found_edges(shot_id: str, photo_id: str) -> JobState:
        """Look for edges in a photo of which nothing is said yet, and keep them: its camera follows."""
        return job_state(finding.order(desk, shot_id, photo_id))

    @routes.add("POST", SHOT + "/photos/<photo_id>/survey/snap", body=Snap, returns=Snapped)
    def snap_edge(shot_id: str, photo_id: str, body: Snap) -> Snapped:
        """Lay an edge onto the picture's own edge."""
        return Snapped(points=survey.snapped(desk, shot_id, photo_id, body.points, body.reach))

    @routes.add("POST", SHOT + "/photos/<photo_id>/measure", body=Measuring, returns=Measured)
    def measure_photo(shot_id: str, photo_id: str, body: Measuring) -> Measured:
        """Measure between two pixels on a plane of the world."""
        metres, sigma = survey.measured(desk, shot_id, photo_id, body.plane, body.a, body.b, body.level)
        return Measured(metres=metres, sigma_m=sigma)


def _joining(site: Site, routes: Routes) -> None:
    desk, states = site.desk, site.states

    @routes.add("PUT", SHOT + "/ties", body=Ties, returns=ShotState, query={"label": str, "revision": int})
    def set_ties(shot_id: str, body: Ties, revision: int, label: str = "Change the shared points") -> ShotState:
        """Keep the points that photos share, and solve; `revision`: of the shot that they were made from."""
        survey.tie(desk, shot_id, body.ties, label[:80], revision)
        return states.changed(shot_id)

    @routes.add("PATCH", SHOT + "/ties", body=Items[Tie], returns=ShotState, query={"label": str})
    def change_ties(shot_id: str, body: Items[Tie], label: str = "Change the shared points") -> ShotState:
        """Change shared points by identity, and solve."""
        survey.change_ties(desk, shot_id, body, label[:80])
        return states.changed(shot_id)

    @routes.add("PUT", SHOT + "/photos/<photo_id>/joining", body=Joining, returns=ShotState)
    def set_joining(shot_id: str, photo_id: str, body: Joining) -> ShotState:
        """Say which lens and standpoint a photo shares."""
        survey.join(desk, shot_id, photo_id, body.lens, body.standpoint, body.steady)
        return states.changed(shot_id)

    @routes.add(
        "GET",
        SHOT + "/photos/<photo_id>/compared/<other_id>",
        media="image/png",
        query={"width": Width},
    )
    def compare_photos(shot_id: str, photo_id: str, other_id: str, width: int = 1280) -> Response:
        """The first photo thrown over the geometry, seen from the other one's camera."""
        return Response(survey.compared(desk, shot_id, photo_id, other_id, min(width, 4096)), mimetype="image/png")
