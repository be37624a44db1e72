"""Takes of one camera: three exposures, and one without what stands in the way."""

from __future__ import annotations

import json

import numpy as np
import pytest
from tests.core.test_steady import a_place, moved, photographed
from tests.formats.by_hand import document
from tests.stages.conftest import ended

from roofline.core.massing.kinds import Flat
from roofline.core.plates.takes import exposed_as
from roofline.errors import PlateError, SurveyError
from roofline.formats import pictures
from roofline.model.plates import Plate, Throw
from roofline.model.shot import Shot
from roofline.model.steps import FillStep
from roofline.model.survey import Assumption, Survey
from roofline.stages import clean, photo, plates, shots, survey
from roofline.stages.shots import take_in
from roofline.stages.stepping import told

W, H = 240, 160
BOX = np.s_[70:100, 100:140]


def taken(light: np.ndarray, stops: float = 0.0, seed: int = 0) -> bytes:
    return pictures.png(np.dstack([photographed(light, stops, seed)] * 3))


@pytest.fixture
def shot(desk, tmp_path) -> str:
    """One photo with a camera, of a wall with a crate before it, which is cut out; and a flat that bears it."""
    light = a_place(size=(H, W))
    crate = light.copy()
    crate[BOX] = 0.9
    folder = tmp_path / "pack"
    folder.mkdir()
    (folder / "a.png").write_bytes(taken(crate))
    (folder / "shot.json").write_text(json.dumps(document()))
    ident = take_in(desk, folder)
    loop = [[99, 69], [141, 69], [141, 101], [99, 101]]

    def alter(s):
        own = s.plates[0].model_dump()
        front = {
            **own,
            "id": "cut",
            "name": "Cut",
            "role": "foreground",
            "steps": [{"do": "outline", "loops": [{"points": loop}]}],
        }
        s.solids.append(Flat(id="flat", name="Flat", foot=(0, 0, -5.0), heading_deg=0.0, extent=(-0.5, 0.5, 0, 1)))
        s.plates.append(Plate.model_validate(front))
        s.throws.insert(0, Throw(plate="cut", targets=["flat"]))
        return s

    desk.store.change(ident, "Cut out", alter)
    return ident


def bracket(desk, shot: str) -> list[str]:
    light = a_place(size=(H, W))
    out = []
    for n, stops in enumerate((-1.5, 1.0)):
        ident = photo.bring(desk, shot, f"Take {n}.png", taken(light, stops, n + 1))
        survey.join(desk, shot, ident, None, "a", True)
        out.append(ident)
    return out


def test_a_bracket_has_one_camera_and_follows_it(desk, shot):
    dark, light = bracket(desk, shot)
    there = desk.store.load(shot)
    for ident in (dark, light):
        one = there.photo(ident)
        assert one.camera == there.photo("a").camera and one.problem is None
        assert one.steady_px is not None and one.steady_px < 0.5
        assert "Nothing moved" in one.assumed[-1]
    for refused in (
        lambda: survey.keep(desk, shot, dark, Survey(camera_height_m=2.0), "Height"),
        lambda: survey.attempt(desk, shot, dark, Survey(camera_height_m=2.0)),
    ):
        with pytest.raises(SurveyError, match="has the camera of"):
            refused()
    survey.join(desk, shot, dark, None, None)
    assert desk.store.load(shot).photo(dark).camera is None  # nothing of its own is known
    desk.store.undo(shot)
    assert desk.store.load(shot).photo(dark).camera == there.photo("a").camera
    photo.remove(desk, shot, "a")
    left = desk.store.load(shot).photo(dark)
    assert left.standpoint is None and left.steady_px is None and left.camera is None


def test_a_bracket_of_a_surveyed_photo_follows_its_edges(desk):
    from tests.stages.test_stage_survey import SIZE, TRUTH, edges

    ident = shots.begin(desk, "Bracket")
    place = a_place(size=(SIZE[1], SIZE[0]))
    one, two = (photo.bring(desk, ident, f"{n}.png", taken(place, 0.7 * n, n)) for n in (0, 1))
    survey.join(desk, ident, two, None, one, True)
    assert desk.store.load(ident).photo(two).camera is None  # as long as the first one has none
    survey.keep(desk, ident, one, Survey(edges=edges(), camera_height_m=1.6), "Trace")
    got = [desk.store.load(ident).photo(p) for p in (one, two)]
    assert got[0].camera is not None and got[0].camera == got[1].camera
    assert got[1].camera.focal_px == pytest.approx(TRUTH.focal, rel=0.02)
    assert got[1].result.edges == [] and got[1].result.sigma == got[0].result.sigma


def test_what_was_moved_is_said_or_refused(desk, shot):
    light = a_place(size=(H, W))
    near = photo.bring(desk, shot, "Nudged.png", taken(moved(light, 1.5, 0), 0, 5))
    survey.join(desk, shot, near, None, "a", True)
    nudged = desk.store.load(shot).photo(near)
    assert nudged.steady_px == pytest.approx(1.5, abs=0.3)
    assert f"lies {nudged.steady_px:.1f} px beside it" in nudged.assumed[-1]
    far = photo.bring(desk, shot, "Moved.png", taken(moved(light, 9, 3), 0, 6))
    with pytest.raises(SurveyError, match="9 px beside 'A': the camera moved"):
        survey.join(desk, shot, far, None, "a", True)
    own = photo.bring(desk, shot, "Own.png", taken(light, 0, 7))
    survey.keep(desk, shot, own, Survey(camera_height_m=1.2), "Height")
    with pytest.raises(SurveyError, match="survey of its own"):
        survey.join(desk, shot, own, None, "a", True)
    assert desk.store.load(shot).photo(own).standpoint is None


@pytest.mark.parametrize(("which", "stops"), [(0, -1.5), (1, 1.0)])
def test_exposures_of_a_bracket_are_found(desk, shot, which, stops):
    ident = bracket(desk, shot)[which]
    there = desk.store.load(shot)

    def alter(s):
        s.throws.append(Throw(plate=next(p.id for p in s.plates if p.photo == ident), targets=[s.solids[0].id]))
        return s

    desk.store.change(shot, "Throw", alter)
    own = next(p.id for p in there.plates if p.photo == ident)
    assert plates.matched(desk, shot, own, "p").grade.exposure == pytest.approx(-stops, abs=0.05)


def test_clean_plates_show_what_another_take_does(desk, shot):
    take = bracket(desk, shot)[0]
    job = ended(desk, clean.order_clean(desk, shot, "cut", 2.0, take=take))
    assert job.state == "done", job.error
    there = desk.store.load(shot)
    made = there.plate(job.result["plate"])
    [fill] = [s for s in made.steps if isinstance(s, FillStep)]
    assert (fill.how, fill.photo) == ("photo", take)
    worked = desk.engines.worked(there, made)
    x0, y0 = (int(v) for v in made.canvas[:2])
    ys, xs = BOX
    got = worked.pixels[ys.start - y0 : ys.stop - y0, xs.start - x0 : xs.stop - x0]
    true = np.dstack([photographed(a_place(size=(H, W)), 0, 3)] * 3)[BOX]
    assert np.abs(got.astype(float) - true).mean() < 8  # grain of both
    assert np.corrcoef(got[..., 0].ravel(), true[..., 0].ravel())[0, 1] > 0.97
    assert not told(desk, shot, made.id, 240).notes
    job = ended(desk, clean.order_all(desk, shot, "a", 2.0, "smooth", take))
    assert job.state == "done", job.error
    with pytest.raises(PlateError, match="not of the same camera"):
        clean.order_all(desk, shot, "a", 2.0, "smooth", "a")


def test_another_takes_exposure_is_found_beside_a_shadow_that_only_one_has():
    """A film's curve between the two, and a third of what both show in shade in one of them alone."""
    rng = np.random.default_rng(3)
    other = rng.uniform(0.01, 0.6, (5000, 3))
    stops = np.log2(other)
    own = other * 2.0 ** (-0.6 + 0.05 * (stops + 3) ** 2 - 0.1 * np.arange(3))
    shaded = own.copy()
    shaded[:1500] *= 0.35
    got = exposed_as(shaded * rng.normal(1, 0.01, own.shape), other, other)
    assert np.median(np.abs(np.log2(got / own))) < 0.03
    inner = (other > np.percentile(other, 3)) & (other < np.percentile(other, 97))
    assert np.abs(np.log2(got / own))[inner].max() < 0.05
    few = exposed_as(own[:20], other[:20], other)  # a gain for each colour, where too little is seen for a curve
    assert np.allclose(few / other, np.median(few / other, axis=0), rtol=1e-5)


def test_edges_of_a_photo_with_takes_are_tried_as_they_are_kept(desk):
    """Its takes are not photos that it has to be joined with."""
    from tests.stages.test_stage_survey import SIZE, edges

    ident = shots.begin(desk, "Bracket")
    place = a_place(size=(SIZE[1], SIZE[0]))
    one, two, three = (photo.bring(desk, ident, f"{n}.png", taken(place, 0.5 * n, n)) for n in range(3))
    assumed = Survey(assumption=Assumption(lens_mm35=35.0, eye_m=1.6))
    alone = survey.attempt(desk, ident, one, assumed)
    survey.join(desk, ident, two, None, one, True)
    assert survey.attempt(desk, ident, one, assumed).camera == alone.camera
    traced = Survey(edges=edges(), camera_height_m=1.6)
    tried = survey.attempt(desk, ident, one, traced)
    survey.keep(desk, ident, one, traced, "Trace")
    assert tried.camera == desk.store.load(ident).photo(two).camera
    with pytest.raises(SurveyError, match="stands for itself"):  # what others stand for has a place of its own
        survey.join(desk, ident, one, None, three)


def test_a_package_whose_camera_is_not_there_is_refused(desk, shot):
    bracket(desk, shot)
    there = desk.store.load(shot)
    gone = there.model_dump(mode="json") | {"photos": [p.model_dump(mode="json") for p in there.photos if p.id != "a"]}
    gone["plates"], gone["throws"] = [], []
    with pytest.raises(ValueError, match="has the camera of 'a', which is not there"):
        Shot.model_validate(gone)
