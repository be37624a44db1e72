"""The rail: one telling figure a stage."""

from __future__ import annotations

from collections.abc import Callable

from roofline.core.move.path import framing
from roofline.errors import RoofLineError
from roofline.server.models import Telling
from roofline.shot import Shot
from roofline.store.store import Delivered
from roofline.studio import Studio

FILM_BACK_MM = 36.0


def millimetres(focal_px: float, width: int) -> float:
    return focal_px * FILM_BACK_MM / width


def _photo(shot: Shot) -> Telling:
    if not shot.photos:
        return Telling(stage="photo", figure="no photo yet")
    first = shot.photos[0]
    text = f"{first.width} × {first.height} px"
    try:
        scale = framing(shot).scale
    except RoofLineError:
        scale = min((first.width or 1) / shot.delivery.width, (first.height or 1) / shot.delivery.height)
        if shot.delivery.framing is not None:
            scale = shot.delivery.framing.scale
    text += f" · {scale:.2f} : 1"
    return Telling(stage="photo", figure=text, problem="the photo is enlarged" if scale < 0.999 else None)


def _survey(shot: Shot) -> Telling:
    if not shot.photos:
        return Telling(stage="survey", figure="–")
    photo = next((p for p in shot.photos if p.result), shot.photos[0])
    if photo.result is None:
        edges = len(photo.survey.edges)
        return Telling(
            stage="survey",
            figure=f"{edges} edge{'s' if edges != 1 else ''} traced",
            problem="no camera yet" if edges else None,
        )
    r = photo.result
    mm = millimetres(r.camera.focal_px, r.camera.width)
    sigma = "" if r.sigma.focal_px is None else f" ± {millimetres(r.sigma.focal_px, r.camera.width):.1f}"
    return Telling(
        stage="survey",
        figure=f"f {mm:.1f}{sigma} mm · {r.rms_px:.1f} px",
        problem="no scale yet" if r.camera.position is None else ("see warnings" if r.warnings else None),
    )


def _massing(shot: Shot, studio: Studio, then: Callable[[], None]) -> Telling:
    n = len(shot.solids)
    text = f"{n} solid{'s' if n != 1 else ''}"
    if not n:
        return Telling(stage="massing", figure=text)
    covered = studio.coverage(shot, then)
    if covered is None:
        return Telling(stage="massing", figure=text)
    shown = "100" if covered == 100 else f"{min(covered, 99.9):.1f}"
    return Telling(
        stage="massing", figure=f"{text} · {shown} % of frame", problem=None if covered > 99.9 else "gaps at home"
    )


def _plates(shot: Shot) -> Telling:
    n = len(shot.plates)
    loose = [p.name for p in shot.plates if not any(t.plate == p.id and t.targets for t in shot.throws)]
    return Telling(
        stage="plates",
        figure=f"{n} plate{'s' if n != 1 else ''} · {sum(bool(t.targets) for t in shot.throws)} thrown",
        problem=f"{loose[0]} is thrown on nothing" if loose and shot.solids else None,
    )


def _move(shot: Shot, studio: Studio) -> Telling:
    n = len(shot.move.keys)
    if n < 2:
        return Telling(stage="move", figure=f"{n} key{'s' if n != 1 else ''}")
    report = studio.report(shot)
    if report is None:
        return Telling(stage="move", figure=f"{n} keys · not checked")
    good = sum(f.holds for f in report.frames)
    return Telling(
        stage="move",
        figure=f"{good} of {len(report.frames)} frames hold",
        problem=None if report.holds else f"{len(report.frames) - good} do not hold",
    )


def rail(
    shot: Shot, studio: Studio, deliveries: list[Delivered], revision: int, then: Callable[[], None]
) -> list[Telling]:
    """One line a stage, in their order; `then` is called when a figure has come in later."""
    last = Telling(stage="handoff", figure="nothing delivered")
    if deliveries:
        newest = deliveries[0]
        last = Telling(
            stage="handoff",
            figure=f"v{newest.version:03d} delivered",
            problem=None if newest.revision == revision else "changed since",
        )
    return [_photo(shot), _survey(shot), _massing(shot, studio, then), _plates(shot), _move(shot, studio), last]
