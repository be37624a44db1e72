"""Several photos: shared lenses, joined worlds, a tripod; against synthetic truth."""

from __future__ import annotations

import numpy as np
import pytest
from tests.conftest import looking
from tools.survey_scenes import AXIS, H, W

from roofline.core.camera import View, bend, from_pan_tilt_roll
from roofline.core.survey.joint import Member, solve_together
from roofline.errors import SurveyError
from roofline.model.survey import Edge, FocalPrior, Length, SurveyInput, Tie

FIRST = View(W, H, 2300.0, (W / 2, H / 2), from_pan_tilt_roll(0.43, 0.05, -0.01), np.array([-7.0, 1.7, 14.0]))
SECOND = View(W, H, 2500.0, (W / 2, H / 2), from_pan_tilt_roll(-0.5, 0.03, 0.02), np.array([11.0, 1.5, 13.0]))
CORNERS = np.array([[x, y, z] for x in (-3.0, 5.0) for y in (0.0, 3.5) for z in (-6.0, -1.0)])


def edges(view: View, rng: np.random.Generator, sigma: float, per: int = 5) -> list[Edge]:
    out: list[Edge] = []
    while len(out) < 3 * per:
        family = ("run", "return", "rise")[len(out) % 3]
        middle = view.position + view.rays(rng.uniform([200, 200], [W - 200, H - 200])) * rng.uniform(8, 20)
        half = AXIS[family] * rng.uniform(1, 3)
        p = view.project(np.stack([middle - half, middle + half]))
        if np.isnan(p).any() or (p < 0).any() or (p > [W, H]).any() or np.linalg.norm(p[0] - p[1]) < 150:
            continue
        out.append(Edge(family=family, points=[(float(x), float(y)) for x, y in p + rng.normal(0, sigma, (2, 2))]))
    return out


def survey(view: View, rng: np.random.Generator, sigma: float, scaled: bool = True, per: int = 5) -> SurveyInput:
    foot, head, datum = view.project(np.array([[0, 0, 0], [0, 2.5, 0], [0, 0, 0]], float)).tolist()
    lengths = [Length(a=foot, b=head, direction="rise", metres=2.5)] if scaled else []
    return SurveyInput(
        width=W, height=H, edges=edges(view, rng, sigma, per), lengths=lengths, datum=datum if scaled else None
    )


def tie(n: int, point: np.ndarray, rng: np.random.Generator, sigma: float, surface: str | None = None) -> Tie:
    seen = {
        name: tuple((v.project(point) + rng.normal(0, sigma, 2)).tolist()) for name, v in (("a", FIRST), ("b", SECOND))
    }
    return Tie(id=f"t{n}", name=f"point {n}", seen=seen, surface=surface)


def held_back(got, sigma_points=CORNERS) -> np.ndarray:
    """How far the corners, known in the world, are from where the solved second camera sees them, in pixels."""
    c = got.results["b"].camera
    view = View(W, H, c.focal_px, c.principal_point, np.array(c.rotation), np.array(c.position))
    return np.linalg.norm(view.project(sigma_points) - SECOND.project(sigma_points), axis=1)


@pytest.mark.parametrize("surface", ["ground", "wall"])
def test_a_second_photo_joins_the_first_ones_world(surface):
    rng = np.random.default_rng(3)
    a, b = survey(FIRST, rng, 0.3), survey(SECOND, rng, 0.3, scaled=False)
    if surface == "ground":
        on = [tie(n, p, rng, 0.3, "ground" if p[1] == 0 else None) for n, p in enumerate(CORNERS)]
    else:  # two points on a standing wall, z = −1 m, and nothing else
        on = [
            tie(n, np.array(p), rng, 0.3, "house/front")
            for n, p in enumerate([(-3, 0.3, -1), (5, 3.5, -1), (1, 2.0, -1)])
        ]
    got = solve_together(
        [Member("a", "first", a), Member("b", "second", b)],
        on,
        lambda name: (np.array([0, 0, 1.0]), -1.0) if name == "house/front" else None,
    )
    position = np.array(got.results["b"].camera.position)
    sigma = np.array(got.results["b"].position_sigma_m)
    assert np.linalg.norm(position - SECOND.position) < 0.3
    assert np.all(np.abs(position - SECOND.position) < 4 * sigma + 0.05)
    assert held_back(got).mean() < 6
    if surface == "ground":
        assert held_back(got).mean() < 3
        for t, p in zip(on, CORNERS, strict=True):
            assert np.linalg.norm(np.array(got.points[t.id]) - p) < 0.15
    assert all(v < 3 for off in got.off_px.values() for v in off.values())


def test_without_noise_the_joint_solution_is_exact():
    rng = np.random.default_rng(8)
    a, b = survey(FIRST, rng, 0.0), survey(SECOND, rng, 0.0, scaled=False)
    got = solve_together(
        [Member("a", "first", a), Member("b", "second", b)],
        [tie(n, p, rng, 0.0, "ground" if p[1] == 0 else None) for n, p in enumerate(CORNERS[:4])],
    )
    assert np.allclose(got.results["b"].camera.position, SECOND.position, atol=1e-3)
    assert held_back(got).max() < 0.02


def test_a_photo_from_the_other_side_is_turned_half_round_about_rise():
    """Seen from behind, Run points left: the second photo alone would take it to point right."""
    rng = np.random.default_rng(5)
    behind = looking(W, H, 2400, 180 + 20, 0, (4.0, 1.6, -22.0))
    a, b = survey(FIRST, rng, 0.2), survey(behind, rng, 0.2, scaled=False)
    points = np.array([[x, y, z] for x in (-3.0, 1.0) for y in (0.0, 3.0) for z in (-6.0, -4.0)])
    ties = [
        Tie(
            id=f"t{n}",
            name=f"{n}",
            seen={"a": tuple(FIRST.project(p).tolist()), "b": tuple(behind.project(p).tolist())},
            surface="ground" if p[1] == 0 else None,
        )
        for n, p in enumerate(points)
    ]
    got = solve_together([Member("a", "first", a), Member("b", "second", b)], ties)
    assert np.linalg.norm(np.array(got.results["b"].camera.position) - behind.position) < 0.3
    assert np.array(got.results["b"].camera.rotation)[0, 0] < 0


def test_one_standpoint_is_kept_and_distant_points_tie_the_directions():
    rng = np.random.default_rng(2)
    other = View(W, H, 2300.0, (W / 2, H / 2), from_pan_tilt_roll(0.1, 0.02, 0.0), FIRST.position)
    a, b = survey(FIRST, rng, 0.3), survey(other, rng, 0.3, scaled=False, per=2)
    points = np.array([[-3, 3, -6.0], [0, 1, -8], [2, 5, -4.0]])
    ties = [
        Tie(
            id=f"t{n}", name=f"{n}", seen={"a": tuple(FIRST.project(p).tolist()), "b": tuple(other.project(p).tolist())}
        )
        for n, p in enumerate(points)
    ]
    got = solve_together(
        [Member("a", "first", a, lens="one"), Member("b", "second", b, lens="one", standpoint="a")], ties
    )
    first, second = got.results["a"].camera, got.results["b"].camera
    assert np.allclose(first.position, second.position)
    assert first.focal_px == second.focal_px
    turn = np.array(second.rotation) @ other.rotation.T
    assert np.degrees(np.arccos(min(1, (np.trace(turn) - 1) / 2))) < 0.1


def board(rng: np.random.Generator, lens: np.ndarray, focal: float, sigma: float) -> SurveyInput:
    """A chart of 9 by 6 corners seen at a slant, 640 × 480: its rows and columns as edges of many points."""
    while True:
        turn = from_pan_tilt_roll(*rng.uniform([-0.6, -0.6, -0.3], [0.6, 0.6, 0.3]))
        grid = np.stack(np.meshgrid(np.arange(9) - 4.0, np.arange(6) - 2.5), axis=-1) * 0.03
        world = np.concatenate([grid, np.zeros((6, 9, 1))], axis=-1)
        c = world @ (np.diag([1, -1, -1]) @ turn).T + [*rng.uniform(-0.05, 0.05, 2), rng.uniform(0.28, 0.4)]
        p = bend(c[..., :2] / c[..., 2:], lens) * focal + [326.0, 236.0]
        if (p > 8).all() and (p < [632, 472]).all() and abs(turn[2, 0]) + abs(turn[2, 1]) > 0.3:
            break
    p = p + rng.normal(0, sigma, p.shape)
    lines = [("run", row) for row in p] + [("return", p[:, n]) for n in range(9)]
    return SurveyInput(
        width=640,
        height=480,
        edges=[Edge(family=f, points=[(float(x), float(y)) for x, y in q]) for f, q in lines],
        distortion="solve",
        edge_sigma_px=0.3,
    )


def test_photos_of_one_lens_share_it_though_it_bends_strongly():
    lens = np.array([-0.27, 0.06, 0, 0, 0])
    rng = np.random.default_rng(11)
    given = [board(rng, lens, 534.0, 0.2) for _ in range(8)]
    got = solve_together([Member(str(n), f"board {n}", g, lens="same") for n, g in enumerate(given)], [])
    focal = {round(r.camera.focal_px, 6) for r in got.results.values()}
    assert len(focal) == 1
    assert focal.pop() == pytest.approx(534.0, rel=0.02)
    assert got.results["0"].camera.distortion[0] == pytest.approx(-0.27, abs=0.03)


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda t: [], "shares no point"),
        (lambda t: t[:1], "shares one point only"),
        (lambda t: [x.model_copy(update={"surface": None}) for x in t], "how far"),
        (lambda t: [t[0].model_copy(update={"surface": "hut/door"}), *t[1:]], "not there any more"),
    ],
)
def test_what_does_not_join_is_explained(change, says):
    rng = np.random.default_rng(3)
    a, b = survey(FIRST, rng, 0.3), survey(SECOND, rng, 0.3, scaled=False)
    ties = change([tie(n, p, rng, 0.3, "ground") for n, p in enumerate(CORNERS[CORNERS[:, 1] == 0])])
    members = [
        Member("a", "first", a),
        Member("b", "second", b),
    ]
    if not ties:  # a third photo that shares points with the first makes the second one the odd one out
        members.append(Member("c", "third", survey(SECOND, rng, 0.3, scaled=False)))
        ties = [
            t.model_copy(update={"seen": {"a": t.seen["a"], "c": t.seen["b"]}})
            for t in [tie(n, p, rng, 0.3, "ground") for n, p in enumerate(CORNERS[CORNERS[:, 1] == 0])]
        ]
    with pytest.raises(SurveyError, match=says):
        solve_together(members, ties)


def test_a_lens_is_not_shared_between_pictures_of_different_size():
    rng = np.random.default_rng(3)
    a = survey(FIRST, rng, 0.3)
    b = a.model_copy(update={"width": W // 2})
    with pytest.raises(SurveyError, match="differ in size"):
        solve_together([Member("a", "first", a, lens="x"), Member("b", "second", b, lens="x")], [])


def test_a_photo_with_few_edges_borrows_the_lens():
    rng = np.random.default_rng(6)
    a = survey(FIRST, rng, 0.3)
    poor = survey(FIRST, rng, 0.3)
    poor.edges = [e for e in poor.edges if e.family == "rise"][:3]
    got = solve_together([Member("a", "first", a, lens="x"), Member("b", "second", poor, lens="x")], [])
    assert got.results["b"].camera.focal_px == got.results["a"].camera.focal_px
    assert FocalPrior(value=got.results["a"].camera.focal_px, sigma=1).value == pytest.approx(2300, rel=0.02)


def test_a_drag_is_answered_from_the_cameras_that_stand_as_by_the_whole_search():
    """From cameras that are nearly right the solution is the same, though one edge has moved since."""
    rng = np.random.default_rng(3)
    a, b = survey(FIRST, rng, 0.3), survey(SECOND, rng, 0.3, scaled=False)
    on = [tie(n, p, rng, 0.3, "ground" if p[1] == 0 else None) for n, p in enumerate(CORNERS)]

    def members(second):
        return [Member("a", "first", a), Member("b", "second", second)]

    before = solve_together(members(b), on)
    moved = b.model_copy(deep=True)
    (x, y), (u, v) = moved.edges[1].points
    along = np.array([u - x, v - y]) / np.hypot(u - x, v - y)
    moved.edges[1].points = [(x - 0.7 * along[1], y + 0.7 * along[0]), (u, v)]
    whole = solve_together(members(moved), on).results["b"]
    near = {p: r.camera for p, r in before.results.items()}
    quick = solve_together(members(moved), on, near=near, only="b")
    assert list(quick.results) == ["b"]
    assert quick.results["b"].camera.focal_px == pytest.approx(whole.camera.focal_px, rel=1e-6)
    assert np.allclose(quick.results["b"].camera.position, whole.camera.position, atol=1e-4)
    assert quick.results["b"].sigma.focal_px == pytest.approx(whole.sigma.focal_px, rel=1e-4)
    assert abs(whole.camera.focal_px - before.results["b"].camera.focal_px) > 0.05  # the drag did change it


@pytest.mark.parametrize("seed", range(4))
def test_walls_that_were_drawn_through_the_first_photo_do_not_pull_the_cameras(seed):
    """Each of three walls stands up to a hundredth of its distance off, as walls drawn through one photo do; points
    that are said to lie on them leave focal length and standpoint within what is stated."""
    rng = np.random.default_rng(40 + seed)
    a, b = survey(FIRST, rng, 0.4, per=6), survey(SECOND, rng, 0.4, scaled=False, per=6)
    walls = {f"wall-{z}/front": z * 1.0 for z in (-1, -4, -6)}
    off = {name: z + 0.01 * (FIRST.position[2] - z) * rng.uniform(-1, 1) for name, z in walls.items()}
    spots = [(np.array([x, y, z]), name) for name, z in walls.items() for x in (-3.0, 1.0, 4.0) for y in (0.6, 3.0)]
    ties = [tie(n, p, rng, 0.4, name) for n, (p, name) in enumerate(spots)]
    got = solve_together(
        [Member("a", "first", a), Member("b", "second", b)], ties, lambda name: (np.array([0, 0, 1.0]), off[name])
    )
    one, two = got.results["a"], got.results["b"]
    for result, true in ((one, FIRST), (two, SECOND)):
        assert abs(result.camera.focal_px - true.focal) < 2.5 * result.sigma.focal_px
    away = np.abs(np.array(two.camera.position) - SECOND.position)
    assert (away < 2.5 * np.array(two.position_sigma_m)).all()
