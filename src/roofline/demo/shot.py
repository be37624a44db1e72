"""The demo shot, Varrow Halt: a shot package that ships with Roof Line."""

from __future__ import annotations

from pathlib import Path

from roofline.core.move.path import shot_path, view_at
from roofline.core.survey.solve import solve
from roofline.core.throw.check import check_frame
from roofline.core.throw.engine import Engine
from roofline.core.throw.scene import compile_scene
from roofline.formats.package import open_package, plate_pictures
from roofline.shot import SurveyInput

DEMO_ID = "varrow-halt"
FOLDER = Path(__file__).with_name("shot")


def warm_up() -> None:
    """Compile the engine's and the survey's loops (or load them from their cache) on the demo, at a small size."""
    package = open_package(FOLDER)
    shot = package.shot
    engine = Engine(compile_scene(shot, plate_pictures(shot, package.read)))
    view = view_at(shot, shot_path(shot), shot.frame_range[1], 64)
    check_frame(engine, view, shot.frame_range[1], shot.limits)
    engine.picture(view)
    engine.probe(view, (32.0, 20.0))
    photo = shot.photos[0]
    solve(SurveyInput.model_validate({**photo.survey.model_dump(), "width": photo.width, "height": photo.height}))


if __name__ == "__main__":
    warm_up()
