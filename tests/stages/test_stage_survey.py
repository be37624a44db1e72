"""The Survey stage on a desk, without a browser: edges, tapes, shared points, and the camera that follows them."""

from __future__ import annotations

import io

import numpy as np
import pytest
from PIL import Image
from tests.conftest import looking
from tests.stages.conftest import png

from roofline.errors import Conflict, NotFound, SurveyError
from roofline.model.changes import Items, SurveyChange
from roofline.model.survey import Edge, Length, Survey, Tie
from roofline.stages import photo, shots, survey

SIZE = (1200, 800)
TRUTH = looking(*SIZE, 1100, 32, -4, (0, 1.6, 0))
OTHER = looking(*SIZE, 1100, 12, -6, (2.5, 1.7, 1.0))
LINES = [
    ("run", (-3, 0, -9), (3, 0, -9)),
    ("run", (-3, 3, -9), (3, 3, -9)),
    ("run", (-2, 1.5, -12), (5, 1.5, -12)),
    ("return", (3, 0, -9), (3, 0, -14)),
    ("return", (3, 3, -9), (3, 3, -14)),
    ("return", (-1, 0, -6), (-1, 0, -12)),
    ("rise", (3, 0, -9), (3, 3, -9)),
    ("rise", (-1, 0, -9), (-1, 3, -9)),
    ("rise", (6, 0, -14), (6, 4, -14)),
]
CORNERS = [(3, 0, -9), (3, 3, -9), (-1, 3, -9), (6, 0, -14), (6, 4, -14), (0, 0, -7)]


def seen(point, view=TRUTH) -> tuple[float, float]:
    x, y = view.project(np.array(point, float))
    return float(x), float(y)


def edges(view=TRUTH, skip: int = 0) -> list[Edge]:
    return [Edge(family=f, points=[seen(a, view), seen(b, view)]) for f, a, b in LINES[skip:]]  # type: ignore[arg-type]


def tape(metres: float = 3.0, view=TRUTH) -> Length:
    return Length(a=seen((3, 0, -9), view), b=seen((3, 3, -9), view), direction="rise", metres=metres)


@pytest.fixture
def place(desk):
    """A shot with two photos of one place, neither of them surveyed."""
    shot = shots.begin(desk, "Place")
    first = photo.bring(desk, shot, "first.png", png(*SIZE))
    second = photo.bring(desk, shot, "second.png", png(*SIZE, seed=1))
    return shot, first, second


def camera(desk, shot, ident):
    return next(p for p in desk.store.load(shot).photos if p.id == ident).camera


def photo_in(desk, shot, ident):
    return next(p for p in desk.store.load(shot).photos if p.id == ident)


def test_the_camera_follows_the_edges_and_its_scale_the_tape(desk, place):
    shot, first, _ = place
    survey.keep(desk, shot, first, Survey(edges=edges()), "Trace")
    got = camera(desk, shot, first)
    assert got.focal_px == pytest.approx(1100, rel=1e-4) and got.position is None
    assert np.allclose(got.rotation, TRUTH.rotation, atol=1e-4)
    survey.keep(desk, shot, first, Survey(edges=edges(), lengths=[tape()]), "Lay a tape")
    assert camera(desk, shot, first).position[1] == pytest.approx(1.6, abs=1e-3)
    survey.keep(desk, shot, first, Survey(edges=edges(), lengths=[tape(6.0)]), "Twice as long")
    assert camera(desk, shot, first).position[1] == pytest.approx(3.2, abs=2e-3)
    desk.store.undo(shot)
    assert camera(desk, shot, first).position[1] == pytest.approx(1.6, abs=1e-3)


def test_what_is_only_tried_is_not_kept(desk, place):
    shot, first, _ = place
    revision = desk.store.revision(shot)
    result = survey.attempt(desk, shot, first, Survey(edges=edges()))
    assert result.camera.focal_px == pytest.approx(1100, rel=1e-4)
    assert desk.store.revision(shot) == revision and camera(desk, shot, first) is None
    with pytest.raises(NotFound):
        survey.attempt(desk, shot, "nobody", Survey(edges=edges()))


@pytest.mark.parametrize("metres", [0.0, -2.0])
def test_a_tape_that_cannot_be_is_refused_and_one_that_is_short_of_edges_is_kept_with_a_reason(desk, place, metres):
    shot, first, _ = place
    with pytest.raises(SurveyError):
        survey.keep(desk, shot, first, Survey(edges=edges(), lengths=[tape(metres)]), "Wrong")
    assert photo_in(desk, shot, first).survey.edges == []
    survey.keep(desk, shot, first, Survey(edges=edges()[6:]), "Upright ones only")
    kept = photo_in(desk, shot, first)
    assert kept.camera is None and kept.problem and len(kept.survey.edges) == 3


def test_changes_name_what_they_change(desk, place):
    shot, first, _ = place
    survey.keep(desk, shot, first, Survey(edges=edges()), "Trace")
    idents = [e.id for e in photo_in(desk, shot, first).survey.edges]
    added = Edge(id="mine", family="rise", points=[seen((0, 0, -9)), seen((0, 3, -9))])
    moved = {"id": idents[0], "points": [(10.0, 20.0), (30.0, 40.0)]}
    change = SurveyChange(
        edges=Items(added=[added], changed=[moved], removed=[idents[8]]), given={"camera_height_m": 1.6}
    )
    survey.change(desk, shot, first, change, "Much at once")
    now = photo_in(desk, shot, first).survey
    assert [e.id for e in now.edges] == [*idents[:8], "mine"]
    assert now.edges[0].points[0] == (10, 20) and now.edges[1].points == edges()[1].points
    assert now.camera_height_m == 1.6
    with pytest.raises(Conflict):
        survey.change(
            desk, shot, first, SurveyChange(edges=Items(changed=[{"id": idents[8], "family": "run"}])), "Gone"
        )
    assert photo_in(desk, shot, first).survey == now


def test_an_edge_that_pulls_is_found_and_counts_no_more(desk, place):
    shot, first, _ = place
    more = [("run", (-3, y, z), (4, y, z)) for y, z in ((0.5, -9), (1, -9), (2, -9), (2.5, -9), (0, -7), (0, -15))]
    wrong = [*edges(), *(Edge(family="run", points=[seen(a), seen(b)]) for _, a, b in more)]
    a, b = wrong[0].points
    wrong[0] = Edge(family="run", points=[a, (b[0], b[1] + 60)])
    survey.keep(desk, shot, first, Survey(edges=wrong), "One is wrong")
    result = photo_in(desk, shot, first).result
    assert result.edges[0].weight < 0.05 and min(e.weight for e in result.edges[1:]) > 0.3
    assert result.camera.focal_px == pytest.approx(1100, rel=0.01)


def test_lengths_are_measured_on_planes_with_their_error(desk, place):
    shot, first, second = place
    survey.keep(desk, shot, first, Survey(edges=edges(), lengths=[tape()]), "Trace")
    got, sigma = survey.measured(desk, shot, first, "ground", seen((0, 0, -8)), seen((2, 0, -8)))
    assert got == pytest.approx(2, abs=2e-3) and 0 < sigma < 0.2
    # a tape of whatever lies 2.5 m up is as long as on the ground below it
    high, _ = survey.measured(desk, shot, first, "ceiling", seen((0, 2.5, -8)), seen((2, 2.5, -8)), 2.5)
    assert high == pytest.approx(2, abs=5e-3)
    with pytest.raises(SurveyError, match="no camera"):
        survey.measured(desk, shot, second, "ground", (1, 1), (2, 2))


def joined(desk, place, count: int = 6):
    """The second photo joined to the first by shared points, with too few edges to scale it itself."""
    shot, first, second = place
    survey.keep(desk, shot, first, Survey(edges=edges(), lengths=[tape()], datum=seen((0, 0, -7))), "Trace")
    survey.keep(desk, shot, second, Survey(edges=edges(OTHER)), "Trace the other")
    ties = [
        Tie(
            id=f"p{n}",
            name=f"P {n}",
            seen={first: seen(c), second: seen(c, OTHER)},
            surface="ground" if c[1] == 0 else None,
        )
        for n, c in enumerate(CORNERS[:count])
    ]
    survey.tie(desk, shot, ties, "Tie", None)
    return shot, first, second


def test_a_photo_joined_by_points_stands_where_it_stood(desk, place):
    shot, first, second = joined(desk, place)
    a, b = camera(desk, shot, first), camera(desk, shot, second)
    assert np.allclose(np.subtract(b.position, a.position), OTHER.position - TRUTH.position, atol=0.02)
    assert max(max(t.off_px.values()) for t in desk.store.load(shot).ties) < 0.5


def test_shared_points_are_changed_by_identity_and_not_over_those_of_others(desk, place):
    shot, first, second = joined(desk, place)
    revision = desk.store.revision(shot)
    before = camera(desk, shot, second)
    survey.change_ties(desk, shot, Items(changed=[{"id": "p1", "name": "Eaves"}]), "Rename")
    now = {t.id: t for t in desk.store.load(shot).ties}
    assert now["p1"].name == "Eaves" and len(now) == 6 and camera(desk, shot, second) == before
    with pytest.raises(Conflict):  # a whole list that was made before
        survey.tie(desk, shot, [], "Untie", revision)
    with pytest.raises(SurveyError, match="same id"):
        survey.tie(desk, shot, [now["p0"], now["p0"]], "Twice", None)
    with pytest.raises(NotFound):
        survey.change_ties(desk, shot, Items(added=[Tie(id="q", name="Q", seen={"nobody": (1, 2)})]), "Stray")
    survey.change_ties(desk, shot, Items(removed=[f"p{n}" for n in range(6)]), "Remove all")
    assert desk.store.load(shot).ties == []
    assert camera(desk, shot, second).position is None


def test_photos_of_one_lens_are_solved_with_one_focal_length(desk, place):
    shot, first, second = place
    survey.keep(desk, shot, first, Survey(edges=edges()), "Trace")
    shaky = [
        Edge(
            family=e.family,
            points=[(e.points[0][0] + 1.5 * (-1) ** n, e.points[0][1]), (e.points[1][0], e.points[1][1] - 1.0)],
        )
        for n, e in enumerate(edges(OTHER))
    ]
    survey.keep(desk, shot, second, Survey(edges=shaky), "Trace badly")
    alone = camera(desk, shot, second).focal_px
    for ident in (first, second):
        survey.join(desk, shot, ident, "One lens", None)
    a, b = camera(desk, shot, first).focal_px, camera(desk, shot, second).focal_px
    assert a == pytest.approx(b, rel=1e-9) and abs(b - 1100) < abs(alone - 1100)
    with pytest.raises(SurveyError, match="standpoint"):
        survey.join(desk, shot, first, None, first)


def test_an_edge_is_laid_onto_the_pictures_own_border(desk):
    shot = shots.begin(desk, "Border")
    picture = np.full((300, 400, 3), 60, np.uint8)
    xs = np.arange(400)
    for x in xs:
        picture[int(100 + 0.1 * x) :, x] = 200
    out = io.BytesIO()
    Image.fromarray(picture).save(out, "PNG")
    ident = photo.bring(desk, shot, "border.png", out.getvalue())
    laid = survey.snapped(desk, shot, ident, [(40.0, 101.0), (360.0, 139.0)], 8.0)
    assert laid is not None
    for x, y in laid:
        assert y == pytest.approx(100 + 0.1 * x, abs=1.2)
    assert survey.snapped(desk, shot, ident, [(40.0, 250.0), (360.0, 250.0)], 8.0) is None


def test_the_stage_tells_its_one_figure(desk, place):
    shot, first, _ = place
    assert survey.telling(desk.store.load(shot))[0] != "–"
    survey.keep(desk, shot, first, Survey(edges=edges()), "Trace")
    figure, wrong = survey.telling(desk.store.load(shot))
    assert f"{1100 * 36 / 1200:.1f}" in figure
    survey.keep(desk, shot, first, Survey(edges=edges(), lengths=[tape()]), "Scale")
    assert survey.telling(desk.store.load(shot))[1] is None or wrong is None
