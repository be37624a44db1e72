"""Plates worked out again: what has changed alone, a stroke more alone, a small part once for every look."""

from __future__ import annotations

import numpy as np
import pytest
from tests.work.conftest import BRICK, FACE, made

from roofline.core.plates import partly, taking
from roofline.core.plates import strokes as strokes_module
from roofline.model.plates import Plate


def test_only_what_changed_is_worked_out_anew(set_):
    outline = {"do": "outline", "loops": [{"points": [[50, 50], [150, 50], [150, 120], [50, 120]]}]}
    _, shot, engines = made(set_, [{"do": "grade", "exposure": 1}, outline, {"do": "grow", "px": 3}])
    before = engines.kept.made["worked"]
    plate = shot.plate("made")
    steps = [*plate.steps[:2], plate.steps[2].model_copy(update={"px": 5.0})]
    changed = plate.model_copy(update={"steps": steps})
    after = shot.model_copy(update={"plates": [shot.plates[0], changed]})
    engines.worked(after, changed)
    assert engines.kept.made["worked"] == before + 1
    renamed = shot.model_copy(update={"plates": [shot.plates[0], plate.model_copy(update={"name": "Other"})]})
    engines.worked(renamed, renamed.plate("made"))
    assert engines.kept.made["worked"] == before + 1


def test_a_part_of_the_photo_is_worked_out_once_for_looks_that_show_all_of_it(set_):
    outline = {"do": "outline", "loops": [{"points": [[50, 50], [150, 50], [150, 120], [50, 120]]}]}
    _, shot, engines = made(set_, [outline, {"do": "grow", "px": 3}], canvas=(30, 30, 200, 120))
    plate, before = shot.plate("made"), engines.kept.made["worked"]
    assert engines.worked(shot, plate, 400) is engines.worked(shot, plate) is engines.worked(shot, plate, 201)
    assert engines.kept.made["worked"] == before
    assert engines.worked(shot, plate, 100).canvas.size == (100, 60)


@pytest.mark.parametrize(
    "step",
    [
        {"do": "clone", "offset": [31, 7]},
        {"do": "clone", "on": FACE, "offset_m": [BRICK, 0]},
        {"do": "heal", "offset": [-40, 0]},
        {"do": "brush", "mode": "add"},
        {"do": "brush", "mode": "cut"},
        {"do": "brush", "mode": "keep"},
    ],
)
def test_a_stroke_more_is_worked_out_alone_and_looks_as_if_all_were_drawn_at_once(set_, step, monkeypatch):
    """Strokes cross one another, so that what one leaves is taken from and drawn over by the next."""
    size = {"radius_m": 0.2} if step.get("on") else {"radius_px": 22}
    lines = [[[300 + 9 * n, 150 + 8 * n], [360 - 6 * n, 170 + 5 * n]] for n in range(6)]
    strokes = [{"id": f"k{n}", "points": line, "hardness": 0.3, **size} for n, line in enumerate(lines)]
    outline = {"do": "outline", "loops": [{"points": [[200, 60], [400, 60], [400, 300], [200, 300]]}]}
    steps = [outline, {**step, "id": "drawn", "strokes": strokes[:1]}, {"do": "feather", "px": 2}]
    _, shot, engines = made(set_, steps)
    drawn: list[int] = []
    laid = strokes_module.laid
    for module in (strokes_module, taking):
        monkeypatch.setattr(module, "laid", lambda of, *size: (drawn.append(len(of := list(of))), laid(of, *size))[1])
    for many in (2, 3, 6):  # one more, one more, then three that came while nobody looked
        drawn.clear()
        plate = made(set_, [outline, {**step, "id": "drawn", "strokes": strokes[:many]}, steps[2]])[1].plate("made")
        total, fresh = sum(drawn), many - {2: 1, 3: 2, 6: 3}[many]
        drawn.clear()
        got = engines.worked(shot.model_copy(update={"plates": [shot.plates[0], plate]}), plate)
        at_once = made(set_, [s.model_dump() for s in plate.steps])[0]
        assert (got.pixels == at_once.pixels).all() and (got.full_matte == at_once.full_matte).all()
        assert sum(drawn) - total == (many if step.get("mode") == "keep" else fresh)


def test_a_fill_on_a_face_is_worked_out_again_when_what_is_cut_out_before_it_changes(set_):
    """It takes nothing from where a cut-out stands: another outline of that is another fill."""
    shot, _, _, _ = set_
    where = [{"do": "outline", "loops": [{"points": [[300, 150], [340, 150], [340, 180], [300, 180]]}]}]
    fill = {"do": "fill", "on": FACE, "how": "texture", "where": where}
    _, with_fill, engines = made(set_, [fill])
    given = {"id": "front", "name": "F", "photo": "photo", "file": "photo.png", "canvas": (0, 0, 640, 400)}
    given |= {"role": "foreground"}

    def key(right: int) -> str:
        outline = {"do": "outline", "loops": [{"points": [[200, 90], [right, 90], [right, 120]]}]}
        front = Plate.model_validate({**given, "steps": [outline]})
        now = with_fill.model_copy(update={"plates": [*with_fill.plates, front]})
        return engines.picture_key(now, now.plate("made"))

    assert key(260) != key(280) and key(260) == key(260)


def test_where_a_point_was_moved_alone_is_worked_out_through_all_steps(set_, monkeypatch):
    """Point after point, through steps before and after it; the same as by one who has never seen it otherwise."""
    loop = [[150.0, 100.0], [450.0, 110.0], [440.0, 330.0], [160.0, 320.0]]
    first = {"do": "outline", "loops": [{"points": [[90, 60], [200, 60], [150, 200]]}], "id": "first"}
    tail = [{"do": "grow", "px": 3, "id": "more"}, {"do": "feather", "px": 4, "id": "soft"}]

    def steps(points):
        outline = {"do": "outline", "loops": [{"points": points}], "feather_px": 2, "id": "drawn"}
        return [first, outline, *tail, {"do": "grade", "exposure": 0.5, "id": "lighter"}]

    _, shot, engines = made(set_, steps(loop))
    sizes = []
    real = partly.step_done
    monkeypatch.setattr(partly, "step_done", lambda part, *rest: (sizes.append(part.canvas.size), real(part, *rest))[1])
    for moved in ([455.0, 112.0], [470.0, 130.0]):
        loop[1] = moved
        fresh, now, _ = made(set_, steps(loop))
        worked = engines.worked(now, now.plate("made"))
        assert np.abs(worked.full_matte - fresh.full_matte).max() < 1e-5
        np.testing.assert_allclose(worked.pixels, fresh.pixels, atol=1e-5)
    assert len(sizes) >= 6  # the outline, what is grown and what is feathered, twice
    whole = worked.canvas.size[0] * worked.canvas.size[1]
    assert all(w * h < 0.5 * whole for w, h in sizes)
