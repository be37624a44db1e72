"""Routes of the Move stage."""

from __future__ import annotations

from typing import Annotated

from flask import Response
from pydantic import Field

from roofline.core.move.findings import Finding
from roofline.core.move.ideas import Idea
from roofline.errors import NotFound
from roofline.formats.masks import mask_png
from roofline.model.base import VERDICTS, Model, Vec3
from roofline.model.massing import Motion
from roofline.model.move import KeyChange, Limits, LimitsChange, Move, TravelChange
from roofline.model.reports import CheckSoFar, ProbeReport
from roofline.server.routes import Routes, Width
from roofline.server.site import SHOT, Site
from roofline.server.state import FrameCamera, JobState, PathState, ShotState, camera_of, job_state, path_of
from roofline.stages import along, homing, keys, move, moving, painting, ways
from roofline.stages.along import AlongState
from roofline.stages.homing import Mend
from roofline.stages.move import Footing
from roofline.stages.painting import PaintList, RoomState
from roofline.stages.ways import WaysState, WayStrip

FRAME = SHOT + "/frames/<frame>"
TRIED = ("run", "rise", "back", "pan_deg", "tilt_deg", "roll_deg", "zoom")  # a camera that a hand is trying


class CheckState(Model):
    """The check of the move as it stands, or null when it has not been made."""

    report: CheckSoFar | None
    findings: list[Finding]
    width: int | None = None  # pixels of the frames that were judged
    verdicts: tuple[str, ...] = VERDICTS


class FromIdea(Model):
    """A kind of move and how far, in metres or degrees; what it is about: a piece or a point."""

    kind: Idea
    amount: Annotated[float, Field(ge=-10_000, le=10_000)]
    solid: str | None = None
    at: Vec3 | None = None
    ends_at_home: bool = False


class Moves(Model):
    """How a piece or a group moves; null: it stands."""

    motion: Motion | None


class Numbers(Model):
    """Regions of the paint list; null: all."""

    numbers: list[int] | None = None


def _number(frame: str) -> int:
    try:
        return int(frame)
    except ValueError:
        raise NotFound(f"'{frame}' is not a frame.") from None


def _fresh(png: bytes) -> Response:
    return Response(png, mimetype="image/png", headers={"Cache-Control": "no-store"})


def add_routes(site: Site, routes: Routes) -> None:
    _setting(site, routes)
    _ideas(site, routes)
    _looking(site, routes)
    for part in (_standing, _ways, _along, _paint_list):
        part(site, routes)
    desk = site.desk

    @routes.add("POST", SHOT + "/check", returns=JobState, query={"fine": bool})
    def start_check(shot_id: str, fine: bool = False) -> JobState:
        """Check every frame: small and at once, or, fine, at the delivered size behind all else."""
        return job_state(move.order_check(desk, shot_id, fine))

    @routes.add("GET", SHOT + "/check", returns=CheckState)
    def get_check(shot_id: str) -> CheckState:
        """The check of the move as it stands now."""
        shot = desk.store.load(shot_id)
        report, said = move.checked(desk, shot)
        return CheckState(report=report, findings=said, width=move.judged_at(desk, shot) if report else None)

    @routes.add("POST", SHOT + "/home/mend", body=Mend, returns=ShotState)
    def mend_home(shot_id: str, body: Mend) -> ShotState:
        """Take away why home differs from the photo."""
        homing.mend(desk, shot_id, body)
        return site.states.changed(shot_id)

    @routes.add("POST", SHOT + "/bring-back", returns=JobState)
    def start_bring_back(shot_id: str) -> JobState:
        """Shrink the move to the largest part that holds."""
        return job_state(move.order_bring_back(desk, shot_id))


def _setting(site: Site, routes: Routes) -> None:
    desk, states = site.desk, site.states

    @routes.add("PUT", SHOT + "/move", body=Move, returns=ShotState, query={"label": str, "revision": int})
    def set_move(shot_id: str, body: Move, revision: int, label: str = "Change the move") -> ShotState:
        """Set all keys; `revision`: of the shot that they were made from."""
        move.set_move(desk, shot_id, body, label[:80], revision)
        return states.changed(shot_id)

    @routes.add("PUT", SHOT + "/keys/<frame>", body=KeyChange, returns=ShotState)
    def set_key(shot_id: str, frame: str, body: KeyChange) -> ShotState:
        """Set the key that stands on a frame, or a new one there, by figures; what is not given is as it is."""
        keys.change_key(desk, shot_id, frame, body)
        return states.changed(shot_id)

    @routes.add("PUT", SHOT + "/solids/<solid_id>/motion", body=Moves, returns=ShotState)
    def set_motion(shot_id: str, solid_id: str, body: Moves) -> ShotState:
        """Set how a piece moves."""
        moving.set_motion(desk, shot_id, solid_id, body.motion)
        return states.changed(shot_id)

    @routes.add("PUT", SHOT + "/groups/<name>/motion", body=Moves, returns=ShotState)
    def set_group_motion(shot_id: str, name: str, body: Moves) -> ShotState:
        """Set how the pieces of a group move together."""
        moving.set_group_motion(desk, shot_id, name, body.motion)
        return states.changed(shot_id)

    @routes.add("PATCH", SHOT + "/travel", body=TravelChange, returns=ShotState)
    def set_travel(shot_id: str, body: TravelChange) -> ShotState:
        """Set how the camera travels: speed, carrier, aim, aim_share, sway; what is not given stays."""
        moving.set_travel(desk, shot_id, body)
        return states.changed(shot_id)

    @routes.add("DELETE", SHOT + "/keys/<frame>", returns=ShotState)
    def remove_key(shot_id: str, frame: str) -> ShotState:
        """Remove the key on a frame."""
        keys.remove_key(desk, shot_id, frame)
        return states.changed(shot_id)

    @routes.add("PUT", SHOT + "/limits", body=Limits, returns=ShotState, query={"revision": int})
    def set_limits(shot_id: str, body: Limits, revision: int) -> ShotState:
        """Set when a frame holds; `revision`: of the shot that this was made from."""
        move.set_limits(desk, shot_id, body, revision)
        return states.changed(shot_id)

    @routes.add("PATCH", SHOT + "/limits", body=LimitsChange, returns=ShotState)
    def change_limits(shot_id: str, body: LimitsChange) -> ShotState:
        """Set those limits that are given."""
        move.change_limits(desk, shot_id, body)
        return states.changed(shot_id)


def _ideas(site: Site, routes: Routes) -> None:
    desk, states = site.desk, site.states

    @routes.add("POST", SHOT + "/idea", body=FromIdea, returns=ShotState)
    def move_from_idea(shot_id: str, body: FromIdea) -> ShotState:
        """Set the keys of an idea in place of those that there are: push in, slide, arc and others."""
        keys.set_idea(desk, shot_id, body.kind, body.amount, body.solid or body.at, body.ends_at_home)
        return states.changed(shot_id)

    @routes.add(
        "GET",
        SHOT + "/idea",
        returns=FrameCamera,
        query={"kind": str, "amount": float, "run": float, "rise": float, "back": float, "ends_at_home": bool},
    )
    def try_idea(
        shot_id: str,
        kind: str,
        amount: float,
        run: float | None = None,
        rise: float | None = None,
        back: float | None = None,
        ends_at_home: bool = False,
    ) -> FrameCamera:
        """The camera at the other end of an idea than home, as a hand is trying it: about a point, in metres."""
        at = None if run is None or rise is None or back is None else (run, rise, back)
        body = FromIdea.model_validate({"kind": kind, "amount": amount, "at": at, "ends_at_home": ends_at_home})
        tried = keys.try_idea(desk, shot_id, body.kind, body.amount, body.at, body.ends_at_home)
        return camera_of(tried, desk.store.load(shot_id).home_px)


def _standing(site: Site, routes: Routes) -> None:
    desk = site.desk
    load = desk.store.load

    @routes.add(
        "GET",
        FRAME + "/standing",
        returns=RoomState,
        query={
            "x0": float,
            "z0": float,
            "x1": float,
            "z1": float,
            "step": float,
            "height": float,
            "width": Width,
            "whole": bool,
            "upright": bool,
        },
    )
    def standing_room(
        shot_id: str,
        frame: str,
        x0: float = -5.0,
        z0: float = -5.0,
        x1: float = 5.0,
        z1: float = 5.0,
        step: float = 1.0,
        height: float | None = None,
        width: int = 200,
        whole: bool = False,
        upright: bool = False,
    ) -> RoomState:
        """From where a frame, or every direction of the move, would hold, focal length kept: margins over an area.

        `upright`: of the plane along the frame's heading; z0 and z1 are heights then.
        """
        area = (x0, z0, x1, z1)
        return painting.room(desk, load(shot_id), _number(frame), area, step, height, width, whole, upright)

    @routes.add("GET", FRAME + "/stand", returns=Footing, query=dict.fromkeys(TRIED, float))
    def try_standing(
        shot_id: str,
        frame: str,
        run: float,
        rise: float,
        back: float,
        pan_deg: float,
        tilt_deg: float,
        roll_deg: float,
        zoom: float,
    ) -> Footing:
        """Whether a frame would hold with its camera as a hand is trying it (metres, degrees, its lens over home's)."""
        angles = (pan_deg, tilt_deg, roll_deg)
        key = keys.key_by_figures(_number(frame), (run, rise, back), angles, zoom, False, None)
        return move.stand(desk, load(shot_id), key)


def _ways(site: Site, routes: Routes) -> None:
    desk, states = site.desk, site.states
    load = desk.store.load

    @routes.add("POST", SHOT + "/ways", returns=JobState)
    def start_ways(shot_id: str) -> JobState:
        """Work out all ways out of a move that does not hold."""
        return job_state(ways.order(desk, shot_id))

    @routes.add("GET", SHOT + "/ways", returns=WaysState)
    def get_ways(shot_id: str) -> WaysState:
        """The ways out of the move as it stands."""
        return ways.state(desk, load(shot_id))

    @routes.add("GET", SHOT + "/ways/<kind>/strip", returns=WayStrip)
    def way_strip(shot_id: str, kind: str) -> WayStrip:
        """What a way out does to every frame: before and after."""
        return ways.strip(desk, load(shot_id), kind)

    @routes.add("GET", SHOT + "/ways/<kind>/frames/<frame>", media="image/png", query={"width": Width})
    def way_picture(shot_id: str, kind: str, frame: str, width: int = 480) -> Response:
        """A frame as it would be delivered if a way out were taken, smaller."""
        return _fresh(ways.picture(desk, load(shot_id), kind, _number(frame), width))

    @routes.add("POST", SHOT + "/ways/<kind>", returns=ShotState)
    def take_way(shot_id: str, kind: str) -> ShotState:
        """Make the shot as a way out has it."""
        ways.apply(desk, shot_id, kind)
        return states.changed(shot_id)


def _along(site: Site, routes: Routes) -> None:
    desk = site.desk

    @routes.add("POST", SHOT + "/along", returns=JobState)
    def start_along(shot_id: str) -> JobState:
        """Look along the move: speeds, borders, where flat pieces look flat, the edges of cut-outs."""
        return job_state(along.order(desk, shot_id))

    @routes.add("GET", SHOT + "/along", returns=AlongState)
    def get_along(shot_id: str) -> AlongState:
        """What was seen along the move as it stands."""
        return along.looked(desk, desk.store.load(shot_id))


def _paint_list(site: Site, routes: Routes) -> None:
    desk, states = site.desk, site.states
    load = desk.store.load

    @routes.add("POST", SHOT + "/paint-list", returns=JobState)
    def start_paint_list(shot_id: str) -> JobState:
        """Look for what the move shows bare."""
        return job_state(painting.order(desk, shot_id))

    @routes.add("GET", SHOT + "/paint-list", returns=PaintList)
    def get_paint_list(shot_id: str) -> PaintList:
        """What has to be painted for the move as it stands."""
        return painting.listed(desk, load(shot_id))

    @routes.add("GET", SHOT + "/paint-list/file", media="application/zip")
    def paint_list_file(shot_id: str) -> Response:
        """All masks and their table."""
        headers = {"Content-Disposition": f'attachment; filename="{shot_id}-paint-list.zip"'}
        return Response(painting.packed(desk, load(shot_id)), mimetype="application/zip", headers=headers)

    @routes.add("GET", SHOT + "/paint-list/<number>/mask", media="image/png")
    def paint_mask(shot_id: str, number: str) -> Response:
        """The mask of one region."""
        return _fresh(mask_png(painting.region(desk, load(shot_id), _number(number))))

    @routes.add("POST", SHOT + "/paint-list/fill", body=Numbers, returns=ShotState)
    def fill_regions(shot_id: str, body: Numbers) -> ShotState:
        """Make the plates that regions ask for, filled and thrown; all where none are named."""
        painting.fill(desk, shot_id, body.numbers)
        return states.changed(shot_id)


def _looking(site: Site, routes: Routes) -> None:
    desk = site.desk

    @routes.add("GET", SHOT + "/path", returns=PathState)
    def camera_path(shot_id: str) -> PathState:
        """The delivered camera at every frame."""
        return path_of(desk.store.load(shot_id))

    @routes.add("GET", FRAME + "/verdicts", media="image/png", query={"width": Width})
    def verdict_picture(shot_id: str, frame: str, width: int = 960) -> Response:
        """Verdicts of a frame as a grey PNG: 0 sound, 1 soft, 2 smeared, 3 spilled, 4 bare, 5 void."""
        return _fresh(move.verdicts(desk, desk.store.load(shot_id), _number(frame), width))

    @routes.add("GET", FRAME + "/plates", media="image/png", query={"width": Width})
    def giving_picture(shot_id: str, frame: str, width: int = 960) -> Response:
        """Which plate gives each pixel of a frame, as a grey PNG: its number in the shot from 1 on, 0 for none."""
        return _fresh(move.giving(desk, desk.store.load(shot_id), _number(frame), width))

    @routes.add(
        "GET",
        FRAME + "/picture",
        media="image/png",
        query={"width": Width, "only": str, "on": str, "without": str},
    )
    def frame_picture(
        shot_id: str,
        frame: str,
        width: int = 960,
        only: str | None = None,
        on: str | None = None,
        without: str | None = None,
    ) -> Response:
        """A frame as it would be delivered, smaller; with one plate alone (on one target), or without one."""
        shot = desk.store.load(shot_id)
        return _fresh(move.picture(desk, shot, _number(frame), width, only, on, without))

    @routes.add("GET", FRAME + "/probe", returns=ProbeReport, query={"x": float, "y": float})
    def probe_pixel(shot_id: str, frame: str, x: float, y: float) -> ProbeReport:
        """A delivered pixel's whole story."""
        return move.probe(desk, desk.store.load(shot_id), _number(frame), x, y)
