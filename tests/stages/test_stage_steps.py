"""Steps put in, changed, moved and taken out; strokes; what is looked at; faces out and back."""

from __future__ import annotations

import io

import cv2
import numpy as np
import pytest
from PIL import Image
from tests.stages.conftest import SQUARE, ended, png

from roofline.core.camera import view_of
from roofline.core.moment import still
from roofline.errors import NotFound, PlateError
from roofline.formats.pictures import png as png_of
from roofline.formats.pictures import read, to_display
from roofline.model.steps import BrushStep, ColourStep, FillStep, GradeStep, GrowStep, Loop, OutlineStep, Stroke
from roofline.stages import clean, photo, plates, squaring, stepping
from roofline.stages.stepping import NewPlate


@pytest.fixture
def plate(desk, wall) -> tuple[str, str]:
    """The shot, and a plate of noise in it."""
    photo.bring(desk, wall, "noise.png", png(240, 160, seed=8))
    return wall, stepping.make(desk, wall, NewPlate(photo="noise", name="Noise off"))


def kinds(desk, where) -> list[str]:
    return [s.do for s in desk.store.load(where[0]).plate(where[1]).steps]


def test_steps_are_put_in_moved_switched_and_taken_out(desk, plate):
    stepping.add(desk, *plate, ColourStep(at=[(20, 20)]), None)
    stepping.add(desk, *plate, GrowStep(px=3), None)
    stepping.add(desk, *plate, GradeStep(exposure=1), 0)
    assert kinds(desk, plate) == ["grade", "colour", "grow"]
    grade, colour, grow = desk.store.load(plate[0]).plate(plate[1]).steps
    stepping.switch(desk, *plate, grade.id, None, 2)
    stepping.switch(desk, *plate, grow.id, True, None)
    assert kinds(desk, plate) == ["colour", "grow", "grade"]
    assert desk.store.load(plate[0]).plate(plate[1]).steps[1].off
    stepping.set_parts(desk, *plate, colour.id, {"at": [(30, 30)], "tolerance": 3})
    assert desk.store.load(plate[0]).plate(plate[1]).steps[0].tolerance == 3
    stepping.remove(desk, *plate, colour.id)
    assert kinds(desk, plate) == ["grow", "grade"]
    for _ in range(6):
        desk.store.undo(plate[0])
    assert kinds(desk, plate) == ["colour"]
    with pytest.raises(NotFound, match="no such step"):
        stepping.remove(desk, *plate, "gone")


def test_strokes_come_and_go_one_by_one_also_later(desk, plate):
    stepping.add(desk, *plate, BrushStep(strokes=[]), None)
    [step] = desk.store.load(plate[0]).plate(plate[1]).steps
    for x in (20, 60, 100):
        stepping.stroke(desk, *plate, step.id, Stroke(points=[(x, 40)], radius_px=8))
    strokes = desk.store.load(plate[0]).plate(plate[1]).steps[0].strokes
    assert len({s.id for s in strokes}) == 3
    stepping.unstroke(desk, *plate, step.id, strokes[0].id)
    left = desk.store.load(plate[0]).plate(plate[1]).steps[0].strokes
    assert [s.points[0][0] for s in left] == [60, 100]
    with pytest.raises(NotFound, match="not there any more"):
        stepping.unstroke(desk, *plate, step.id, strokes[0].id)
    stepping.add(desk, *plate, GrowStep(px=1), None)
    with pytest.raises(PlateError, match="not drawn with a brush"):
        stepping.stroke(desk, *plate, desk.store.load(plate[0]).plate(plate[1]).steps[1].id, strokes[0])


def test_a_point_of_an_outline_is_moved_and_its_holes_and_curves_stay(desk, plate):
    front = plates.outline(desk, plate[0], "noise", SQUARE, "Crate")
    [step] = desk.store.load(plate[0]).plate(front).steps
    hole = Loop(points=[(60, 60), (70, 60), (70, 70)], smooth=True)
    around = Loop(points=[(40, 40), (100, 40), (100, 100), (40, 100)], smooth=[True, False, True, False])
    stepping.set_parts(desk, plate[0], front, step.id, {"loops": [around, hole], "feather_px": 2})
    moved = Loop(points=[(40, 40), (110, 45), (100, 100), (40, 100)], smooth=around.smooth)
    stepping.set_parts(desk, plate[0], front, step.id, {"loops": [moved, hole], "feather_px": 2})
    kept = desk.store.load(plate[0]).plate(front)
    assert kept.steps[0].loops == [moved, hole]
    x0, _, width, _ = kept.canvas
    assert x0 <= 40 and x0 + width >= 110  # the canvas holds the point that was moved out


def test_strokes_that_say_where_a_fill_is_come_and_go_one_by_one(desk, plate):
    where = [GrowStep(px=1), BrushStep(strokes=[Stroke(points=[(9, 9)], radius_px=5)])]
    stepping.add(desk, *plate, FillStep(where=where, how="smooth"), None)
    [step] = desk.store.load(plate[0]).plate(plate[1]).steps
    stepping.stroke(desk, *plate, step.id, Stroke(points=[(60, 40)], radius_px=8))
    [fill] = desk.store.load(plate[0]).plate(plate[1]).steps
    assert [s.points[0] for s in fill.where[1].strokes] == [(9, 9), (60, 40)] and fill.where[0].px == 1
    stepping.unstroke(desk, *plate, step.id, fill.where[1].strokes[0].id)
    [fill] = desk.store.load(plate[0]).plate(plate[1]).steps
    assert [s.points[0] for s in fill.where[1].strokes] == [(60, 40)]


def test_a_close_canvas_grows_with_what_is_drawn_beyond_it(desk, plate):
    front = plates.outline(desk, plate[0], "noise", SQUARE, "Crate")
    before = desk.store.load(plate[0]).plate(front).canvas
    stepping.add(desk, plate[0], front, OutlineStep(loops=[Loop(points=[(150, 20), (220, 20), (220, 60)])]), None)
    after = desk.store.load(plate[0]).plate(front).canvas
    assert after[0] == before[0] and after[0] + after[2] >= 220 and after[1] <= 20
    shot = desk.store.load(plate[0])
    matte = desk.engines.worked(shot, shot.plate(front)).full_matte
    assert matte.sum() == pytest.approx(50 * 60 + 0.5 * 70 * 40, rel=0.01)


def test_what_is_looked_at_is_the_plate_its_matte_or_a_step_of_it(desk, plate):
    stepping.add(desk, *plate, BrushStep(strokes=[Stroke(points=[(60, 60)], radius_px=30, hardness=1)]), None)
    stepping.add(desk, *plate, GrowStep(px=20), None)
    brushed = desk.store.load(plate[0]).plate(plate[1]).steps[0]
    whole, canvas = stepping.look(desk, *plate, 4000, "matte", None)
    early, _ = stepping.look(desk, *plate, 4000, "matte", brushed.id)
    grey, less = (np.asarray(Image.open(io.BytesIO(d))) / 255 for d in (whole, early))
    assert canvas == (0, 0, 240, 160) and grey.shape == (160, 240)
    assert less.sum() == pytest.approx(np.pi * 900, rel=0.03) and grey.sum() == pytest.approx(np.pi * 2500, rel=0.03)
    tried, _ = stepping.look(desk, *plate, 4000, "plate", None, [brushed])
    assert np.asarray(Image.open(io.BytesIO(tried)))[..., 3].sum() / 255 == pytest.approx(less.sum(), rel=0.01)
    assert kinds(desk, plate) == ["brush", "grow"]  # a trial keeps nothing
    small, _ = stepping.look(desk, *plate, 120, "matte", None)
    assert np.asarray(Image.open(io.BytesIO(small))).shape == (80, 120)
    said = stepping.told(desk, *plate, 240)
    assert said.covered_percent == pytest.approx(100 * grey.mean(), abs=0.1) and not said.notes


def test_a_plate_that_others_are_made_of_is_not_removed(desk, wall):
    front = plates.outline(desk, wall, "a", SQUARE, "Crate")
    other = stepping.make(desk, wall, NewPlate(photo="a", name="Other"))
    from roofline.model.steps import PlateStep

    stepping.add(desk, wall, other, PlateStep(plate=front), None)
    with pytest.raises(PlateError, match="'Other' is made with this plate"):
        plates.remove(desk, wall, front)
    with pytest.raises(Exception, match="made of itself"):
        stepping.add(desk, wall, front, PlateStep(plate=other), None)


def test_clean_plates_for_all_say_when_there_is_nothing_to_clean(desk, wall):
    job = ended(desk, clean.order_all(desk, wall, "a", 4.0, "texture"))
    assert job.state == "failed" and "Nothing stands before anything" in job.error


def test_a_face_comes_back_as_it_went_out(desk, wall):
    shot = desk.store.load(wall)
    data, suffix = squaring.out(desk, wall, "p", "w/front", "png16")
    went = read(data, "out")
    assert suffix == ".png" and went.dtype == np.uint16 and went[..., 3].max() == 65535
    view = view_of(shot.photos[0].camera)
    before = desk.engine(shot).picture(still(view))
    with pytest.raises(PlateError, match="differs from what went out"):
        squaring.back(desk, wall, "p", data, "out.png", "w/front")
    h, w = went.shape[:2]
    went[h // 2 - 20 : h // 2 + 20, w // 2 - 20 : w // 2 + 20] = (65535, 0, 0, 65535)
    squaring.back(desk, wall, "p", png_of(went), "out.png", "w/front")
    again = desk.store.load(wall)
    step = again.plate("p").steps[-1]
    assert step.do == "painted" and step.on == "w/front" and step.area is not None
    after = desk.engine(again).picture(still(view))
    red = (after[..., 0] > 0.9) & (after[..., 1] < 0.1)
    assert red.sum() > 50
    far = (before[..., 3] > 0.999) & (after[..., 3] > 0.999) & (cv2.dilate(red.astype(np.uint8), np.ones((9, 9))) == 0)
    apart = (to_display(before[far][:, :3]) - to_display(after[far][:, :3])) ** 2
    assert far.sum() > 500 and 10 * np.log10(1 / max(apart.mean(), 1e-12)) > 50
    with pytest.raises(PlateError, match="bring it back in the shape"):
        squaring.back(desk, wall, "p", png_of(np.zeros((30, 400, 3), np.uint8)), "x.png", "w/front")


def test_squared_up_beside_a_line_of_the_photo_lies_where_the_plane_says(desk, wall):
    """A cross painted at a known pixel of the photo is found in the squared-up picture, by the plane's own map."""
    shot = desk.store.load(wall)
    plane = squaring.face_plane(desk, wall, "p", "w/front")
    x0, y0, x1, y1 = plane.area
    spot = np.array([(x0 + x1) / 2 + 0.3, (y0 + y1) / 2 - 0.2])
    u, v, w = np.array(plane.to_photo) @ [*spot, 1]
    at = np.array([u / w, v / w])
    view = view_of(shot.photos[0].camera)
    engine = desk.engine(shot)
    seen = engine.probe(still(view), (float(at[0]), float(at[1])))
    assert seen.surface == "w/front"
    # the face's own metres: a distance on it is one in the world
    again = np.array(plane.to_photo) @ [*(spot + [0.25, 0]), 1]
    beside = engine.probe(still(view), tuple((again[:2] / again[2]).tolist()))
    assert np.linalg.norm(np.subtract(beside.world, seen.world)) == pytest.approx(0.25, abs=1e-3)
    stroke = Stroke(points=[tuple(at.tolist())], radius_px=3, hardness=1)
    stepping.add(desk, wall, "p", BrushStep(mode="cut", strokes=[stroke]), None)
    data, area = squaring.straight_look(desk, wall, "p", "w/front", 900)
    assert area == plane.area
    alpha = read(data, "straight")[..., 3] / 255
    assert alpha.shape[1] <= 900
    hole = alpha < 0.5
    y, x = np.nonzero(hole & (cv2.erode((alpha > 0).astype(np.uint8) | hole.astype(np.uint8), np.ones((3, 3))) > 0))
    k = alpha.shape[1] / (x1 - x0)
    wanted = (spot[0] - x0) * k, (y1 - spot[1]) * k
    near = np.hypot(x + 0.5 - wanted[0], y + 0.5 - wanted[1]) < 20
    assert near.any()
    assert np.hypot(x[near].mean() + 0.5 - wanted[0], y[near].mean() + 0.5 - wanted[1]) < 0.1 + 0.5
    with pytest.raises(PlateError, match="no face"):
        squaring.face_plane(desk, wall, "p", "w/nowhere")
