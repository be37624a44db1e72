"""Foregrounds outlined, clean plates behind them, throws in order."""

from __future__ import annotations

import io

import numpy as np
import pytest
from PIL import Image
from tests.stages.conftest import SQUARE, ended, png

from roofline.errors import Conflict, NotFound, PlateError
from roofline.model.plates import Outline, Throw, ThrowChange
from roofline.model.steps import Loop
from roofline.stages import clean as clean_plates
from roofline.stages import photo, plates, stepping
from roofline.stages.massing import arranging


def worked(desk, shot_id, plate_id):
    shot = desk.store.load(shot_id)
    return desk.engines.worked(shot, shot.plate(plate_id))


def matte(desk, shot_id, plate_id) -> np.ndarray:
    return worked(desk, shot_id, plate_id).full_matte


def pixels(desk, shot_id, plate_id) -> np.ndarray:
    return worked(desk, shot_id, plate_id).pixels


@pytest.fixture
def noisy(desk, wall) -> str:
    """The shot with a second photo of noise, on which each pixel can be told from the others."""
    photo.bring(desk, wall, "noise.png", png(240, 160, seed=8))
    return wall


def test_an_outline_cuts_its_own_pixels_out(desk, noisy):
    made = plates.outline(desk, noisy, "noise", SQUARE, "Crate")
    shot = desk.store.load(noisy)
    plate = shot.plate(made)
    assert (plate.name, plate.role, made) == ("Crate", "foreground", "crate")
    x0, y0, w, h = map(int, plate.canvas)
    whole = pixels(desk, noisy, "noise")
    assert (pixels(desk, noisy, made) == whole[y0 : y0 + h, x0 : x0 + w]).all()
    got = matte(desk, noisy, made)
    assert got.shape == (h, w)
    assert got[51 - y0 : 109 - y0, 61 - x0 : 109 - x0].min() > 0.99  # within, away from the border
    assert got.sum() == pytest.approx(50 * 60, rel=0.002)
    assert shot.throws[0].plate == made and shot.throws[0].targets == []  # before everything else


def test_a_new_outline_keeps_the_plate_and_its_throws(desk, noisy):
    made = plates.outline(desk, noisy, "noise", SQUARE, "Crate")
    plates.set_throws(desk, noisy, [Throw(plate=made, targets=["w"])], None)
    other = Outline(points=[(10, 10), (40, 12), (22, 60)], feather_px=0)
    [step] = desk.store.load(noisy).plate(made).steps
    stepping.set_parts(desk, noisy, made, step.id, {"loops": [Loop(points=other.points)], "feather_px": 0})
    shot = desk.store.load(noisy)
    [step] = shot.plate(made).steps
    assert [tuple(p) for p in step.loops[0].points] == other.points and step.feather_px == 0
    assert shot.plate(made).name == "Crate"
    assert shot.plate(made).photo == "noise" and shot.throws == [Throw(plate=made, targets=["w"])]
    assert matte(desk, noisy, made).sum() == pytest.approx(0.5 * abs(30 * 50 - 12 * 2), rel=1e-4)


@pytest.mark.parametrize(
    ("points", "says"),
    [
        ([(300, 10), (400, 10), (400, 90)], "no part of the photo"),
        ([(20, 20), (90, 20), (50, 20)], "encloses no area"),
    ],
)
def test_outlines_of_nothing_are_refused(desk, wall, points, says):
    before = desk.store.load(wall)
    with pytest.raises(PlateError, match=says):
        plates.outline(desk, wall, "a", Outline(points=points, feather_px=0), None)
    assert desk.store.load(wall) == before


def test_a_clean_plate_is_filled_where_the_matte_was_and_nowhere_else(desk, noisy):
    front = plates.outline(desk, noisy, "noise", SQUARE, "Crate")
    job = ended(desk, clean_plates.order_clean(desk, noisy, front, 4.0))
    assert job.state == "done"
    shot = desk.store.load(noisy)
    clean = shot.plate(job.result["plate"])
    assert (clean.role, clean.clean_of, clean.name) == ("clean", front, "Clean behind Crate")
    assert clean.steps[0].grow_px == 4.0 and [s.do for s in clean.steps] == ["fill", "plate"]
    x0, y0, w, h = map(int, clean.canvas)
    source, made = pixels(desk, noisy, "noise")[y0 : y0 + h, x0 : x0 + w], pixels(desk, noisy, clean.id)
    ys, xs = np.mgrid[y0 : y0 + h, x0 : x0 + w] + 0.5
    away = np.hypot(np.maximum(np.abs(xs - 85) - 25, 0), np.maximum(np.abs(ys - 80) - 30, 0))
    assert (made == source)[away > 6].all()
    assert (made != source)[away < 2].any(axis=-1).mean() > 0.95
    hole = matte(desk, noisy, clean.id) > 0.5
    assert hole.sum() == job.result["filled_px"] and hole[away == 0].mean() > 0.98 and not hole[away > 0].any()
    # thrown right before its photo, made again in its own place
    order = [t.plate for t in shot.throws]
    assert order.index(clean.id) == order.index("noise") - 1
    again = ended(desk, clean_plates.order_clean(desk, noisy, front, 0.0))
    assert again.result["plate"] == clean.id and again.result["filled_px"] == job.result["filled_px"]


@pytest.mark.parametrize(
    ("plate", "grow", "says"),
    [
        ("p", 2.0, "behind a foreground plate"),
        ("crate", -1.0, "0 to 500 px"),
        ("crate", 501.0, "0 to 500"),
        ("none", 1.0, "no plate 'none'"),
    ],
)
def test_clean_plates_that_cannot_be_say_why(desk, wall, plate, grow, says):
    plates.outline(desk, wall, "a", SQUARE, "Crate")
    before = desk.store.load(wall)
    job = ended(desk, clean_plates.order_clean(desk, wall, plate, grow))
    assert job.state == "failed" and says in job.error
    assert desk.store.load(wall) == before


def test_a_foreground_goes_with_its_clean_plate_and_their_throws(desk, wall):
    front = plates.outline(desk, wall, "a", SQUARE, "Crate")
    clean = ended(desk, clean_plates.order_clean(desk, wall, front, 2.0)).result["plate"]
    before = desk.store.load(wall)
    plates.remove(desk, wall, front)
    shot = desk.store.load(wall)
    assert [p.id for p in shot.plates] == ["p"] and [t.plate for t in shot.throws] == ["p"]
    desk.store.undo(wall)
    assert desk.store.load(wall) == before
    plates.remove(desk, wall, clean)  # the clean plate alone
    assert {p.id for p in desk.store.load(wall).plates} == {"p", front}
    with pytest.raises(PlateError, match="remove the photo"):
        plates.remove(desk, wall, "p")
    with pytest.raises(NotFound):
        plates.remove(desk, wall, clean)


def test_a_clean_plate_sees_through_what_its_foreground_is_thrown_on(desk, wall):
    front = plates.outline(desk, wall, "a", SQUARE, "Crate")
    clean = ended(desk, clean_plates.order_clean(desk, wall, front, 2.0)).result["plate"]
    made = arranging.arranged(desk, wall, arranging.Repeat(ids=["w"], step=(0, 0, 5)))[0]
    throws = [Throw(plate=front, targets=[made]), Throw(plate=clean, targets=["w"]), Throw(plate="p", targets=["w"])]
    plates.set_throws(desk, wall, throws, None)
    shot = desk.store.load(wall)
    assert shot.plate(clean).without == [made] and shot.plate("p").without == []
    assert shot.throws == throws
    plates.set_throws(desk, wall, throws[1:], None)
    assert desk.store.load(wall).plate(clean).without == []


def test_throws_from_an_older_list_go_over_nothing(desk, wall):
    revision = desk.store.revision(wall)
    plates.set_throws(desk, wall, [Throw(plate="p", targets=[])], revision)
    with pytest.raises(Conflict):
        plates.set_throws(desk, wall, [Throw(plate="p", targets=["w"])], revision)
    assert desk.store.load(wall).throws == [Throw(plate="p", targets=[])]
    plates.rename(desk, wall, "p", "Photo of the wall")  # what changes no throw does not stand in the way
    plates.set_throws(desk, wall, [Throw(plate="p", targets=["w"])], revision + 1)
    assert desk.store.load(wall).throws[0].targets == ["w"]


def test_one_throw_is_changed_and_the_others_stay(desk, wall):
    front = plates.outline(desk, wall, "a", SQUARE, "Crate")
    made = arranging.arranged(desk, wall, arranging.Repeat(ids=["w"], step=(0, 0, 5)))[0]
    plates.change_throw(desk, wall, front, ThrowChange(add=[made, "gone", made]))
    plates.change_throw(desk, wall, "p", ThrowChange(drop=["w/front"], occlusion=False))  # as from another page
    plates.change_throw(desk, wall, front, ThrowChange(place=9))
    told = [(t.plate, t.targets, t.occlusion) for t in desk.store.load(wall).throws]
    assert told == [("p", [f"{made}/front"], False), (front, [made], True)]
    plates.change_throw(desk, wall, front, ThrowChange(place=0, drop=[made, "gone"]))
    assert [(t.plate, t.targets) for t in desk.store.load(wall).throws] == [(front, []), ("p", [f"{made}/front"])]
    plates.remove(desk, wall, front)
    with pytest.raises(NotFound, match="no throw any more"):
        plates.change_throw(desk, wall, front, ThrowChange(occlusion=False))


def test_a_plate_for_the_browser_has_its_matte_as_alpha(desk, noisy):
    front = plates.outline(desk, noisy, "noise", SQUARE, "Crate")
    plate = desk.store.load(noisy).plate(front)
    data, kind, canvas = stepping.texture(desk, noisy, front, 4000)
    got = np.asarray(Image.open(io.BytesIO(data)))
    assert kind == "image/png" and got.shape[-1] == 4
    x0, y0, w, h = map(int, np.array(canvas) - [*plate.canvas[:2], 0, 0])
    assert np.abs(got[..., 3] / 255.0 - matte(desk, noisy, front)[y0 : y0 + h, x0 : x0 + w]).max() < 0.004
    there = got[..., 3] > 0  # beside it, the colours go on
    assert (got[..., :3] == pixels(desk, noisy, front)[y0 : y0 + h, x0 : x0 + w])[there].all()
    assert there.any() and not there.all()
    data, kind, _ = stepping.texture(desk, noisy, "noise", 60)
    assert kind == "image/jpeg" and Image.open(io.BytesIO(data)).size == (60, 40)


def test_the_rail_names_a_plate_that_is_thrown_on_nothing(desk, wall):
    assert plates.telling(desk.store.load(wall)) == ("1 plate · 1 thrown", None)
    plates.outline(desk, wall, "a", SQUARE, "Crate")
    assert plates.telling(desk.store.load(wall)) == ("2 plates · 1 thrown", "Crate is thrown on nothing")


def test_an_order_by_merit_is_refused_where_no_surface_has_two_plates_that_can_be_thrown(desk, wall):
    def alter(shot):
        first, target = shot.photos[0], shot.throws[0].targets
        shot.photos.append(first.model_copy(update={"id": "apart", "camera": None}))
        shot.plates.append(shot.plates[0].model_copy(update={"id": "second", "photo": "apart", "steps": []}))
        shot.throws.append(Throw(plate="second", targets=list(target)))
        return shot

    desk.store.change(wall, "Throw a photo without a camera", alter)
    with pytest.raises(PlateError, match="no order to be found"):
        plates.order_merit(desk, wall)

    def found(shot):
        shot.photos[-1].camera = shot.photos[0].camera
        return shot

    desk.store.change(wall, "Survey it", found)
    job = ended(desk, plates.order_merit(desk, wall))
    assert job.state == "done" and {"before", "after", "surfaces"} <= job.result.keys()
