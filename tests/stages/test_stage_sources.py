"""Plates of files and videos: laid within their photo, over a surface, run otherwise; and what is refused."""

from __future__ import annotations

import numpy as np
import pytest
from tests.formats.test_clips import COUNT, film
from tests.stages.conftest import png

from roofline.core.camera import view_of
from roofline.errors import FormatError, NotFound, PlateError
from roofline.model.plates import Video
from roofline.model.steps import DepthStep, GrowStep, Tone
from roofline.stages import sources, stepping
from roofline.stages.sources import Placed
from roofline.stages.stepping import NewPlate


def test_a_file_lies_in_the_middle_as_large_as_the_photo_holds_it(desk, wall):
    shot = desk.store.load(wall)
    w, h = shot.photos[0].width, shot.photos[0].height
    made = sources.make(desk, wall, shot.photos[0].id, "tall.png", png(30, 90))
    x0, y0, cw, ch = desk.store.load(wall).plate(made).canvas
    assert (ch, y0) == (h, 0) and cw == pytest.approx(h / 3) and x0 == pytest.approx((w - cw) / 2)
    assert desk.store.load(wall).throws[0].plate == made and not desk.store.load(wall).throws[0].targets


def photo_id(desk, wall) -> str:
    return desk.store.load(wall).photos[0].id


def test_a_video_says_what_it_has_and_runs_otherwise(desk, wall):
    made = sources.make(desk, wall, photo_id(desk, wall), "reel.mkv", film())
    facts = sources.clip_facts(desk, wall, made)
    assert (facts.pictures, facts.width, facts.height, facts.alpha) == (COUNT, 64, 48, False)
    assert facts.seconds == pytest.approx(COUNT / 24, abs=0.002)
    first = desk.store.load(wall).frame_range[0]
    assert desk.store.load(wall).plate(made).video == Video(first=first)
    sources.run(desk, wall, made, Video(first=7, rate=12, after="clear"))
    assert desk.store.load(wall).plate(made).video.after == "clear"
    desk.store.undo(wall)
    assert desk.store.load(wall).plate(made).video == Video(first=first)
    with pytest.raises(PlateError, match="is no video"):
        sources.run(desk, wall, desk.store.load(wall).plates[0].id, Video())
    with pytest.raises(FormatError, match="no video that can be read"):
        sources.make(desk, wall, photo_id(desk, wall), "x.mp4", b"\0\0\0\x18ftypisom")
    with pytest.raises(NotFound):
        sources.make(desk, wall, "none", "x.png", png(8, 8))


def test_laid_over_a_surface_it_covers_it_and_is_thrown_on_it(desk, wall):
    """The box is that of the surface's own corners, projected."""
    made = sources.make(desk, wall, photo_id(desk, wall), "reel.mkv", film())
    shot = desk.store.load(wall)
    solid = shot.solids[0]
    engine = desk.engine(shot)
    name = engine.geometry.names[0]
    sources.place(desk, wall, made, Placed(over=name))
    after = desk.store.load(wall)
    x0, y0, w, h = after.plate(made).canvas
    assert w / h == pytest.approx(64 / 48)
    view = view_of(shot.photos[0].camera)
    g = engine.geometry
    at = (g.corners[g.tri_face == 0].reshape(-1, 3) - view.position) @ view.rotation.T
    at = view.focal * at[:, :2] / at[:, 2:] + view.centre
    at = np.clip(at, 0, [view.width, view.height])
    assert x0 <= at[:, 0].min() + 1 and y0 <= at[:, 1].min() + 1
    assert x0 + w >= at[:, 0].max() - 1 and y0 + h >= at[:, 1].max() - 1
    assert min(w - np.ptp(at[:, 0]), h - np.ptp(at[:, 1])) < 4  # no larger than it has to be
    assert after.throws[0].targets == [name] and solid.id == name.partition("/")[0]
    with pytest.raises(PlateError, match="no surface 'nowhere'"):
        sources.place(desk, wall, made, Placed(over="nowhere"))
    with pytest.raises(PlateError, match="width and a height above zero"):
        sources.place(desk, wall, made, Placed(canvas=(0, 0, 0, 5)))
    with pytest.raises(PlateError, match="lies where it was taken"):
        sources.place(desk, wall, whole_photo(desk, wall), Placed(canvas=(0, 0, 5, 5)))


def whole_photo(desk, wall) -> str:
    """A plate of the photo's own file."""
    return stepping.make(desk, wall, NewPlate(photo=photo_id(desk, wall)))


def test_a_tone_is_another_one(desk, wall):
    tone = Tone.model_validate({"from": (0, 0, 0), "to": (1, 1, 1)})
    made = stepping.make(desk, wall, NewPlate(photo=photo_id(desk, wall), tone=tone))
    sources.tone(desk, wall, made, Tone.model_validate({"from": (0, 0, 0), "to": (1, 0, 0), "angle_deg": 90}))
    shot = desk.store.load(wall)
    down = desk.engines.worked(shot, shot.plate(made), 64).pixels.astype(float)
    assert down[-1, :, 0].mean() > down[0, :, 0].mean() and down[..., 1].max() == 0
    assert np.ptp(down[5]) == np.ptp(down[5, 0])  # the same along every row
    with pytest.raises(PlateError, match="is no tone"):
        sources.tone(desk, wall, whole_photo(desk, wall), tone)


def test_a_depth_picture_keeps_its_metres_when_it_is_another_one(desk, wall):
    shot = desk.store.load(wall)
    w, h = shot.photos[0].width, shot.photos[0].height
    made = stepping.make(desk, wall, NewPlate(photo=shot.photos[0].id, steps=[DepthStep(near_m=1, far_m=5)]))
    step = desk.store.load(wall).plate(made).steps[0]
    sources.depth_picture(desk, wall, made, step.id, "d.png", png(w, h))
    first = desk.store.load(wall).plate(made).steps[0].picture
    assert (first.near_m, first.far_m, first.nearer) == (1, 5, "bright")
    dark = first.model_copy(update={"far_m": 90.0, "nearer": "dark"})
    stepping.set_parts(desk, wall, made, step.id, {"picture": dark.model_dump(mode="json")})
    sources.depth_picture(desk, wall, made, step.id, "e.png", png(w, h, seed=3))
    second = desk.store.load(wall).plate(made).steps[0].picture
    assert second.file != first.file and (second.far_m, second.nearer) == (90, "dark")
    with pytest.raises(PlateError, match="it has to show the same"):
        sources.depth_picture(desk, wall, made, step.id, "d.png", png(w, h * 2))
    with pytest.raises(NotFound, match="no such step"):
        sources.depth_picture(desk, wall, made, "s99", "d.png", png(w, h))
    stepping.add(desk, wall, made, GrowStep(px=2), None)
    with pytest.raises(PlateError, match="Only a step by depth"):
        sources.depth_picture(desk, wall, made, desk.store.load(wall).plate(made).steps[1].id, "d.png", png(w, h))
