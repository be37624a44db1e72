"""The solver against the statistical limit, closed forms and refusals."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.conftest import looking

from roofline.core.camera import bend, from_pan_tilt_roll, rotation_vector, straighten
from roofline.core.survey.edges import EdgeSet, residuals
from roofline.core.survey.solve import solve
from roofline.errors import SurveyError
from roofline.model.survey import Edge, FocalPrior, Length, SurveyInput

AXIS = {"run": np.array([1.0, 0, 0]), "return": np.array([0, 0, 1.0]), "rise": np.array([0, 1.0, 0])}
W, H = 3000, 2000


def place(seed: int, count: int = 15, families=("run", "return", "rise")):
    """A random camera and the true pictures of edges around it."""
    rng = np.random.default_rng(seed)
    view = looking(
        W,
        H,
        rng.uniform(0.6, 2.0) * W,
        float(rng.uniform(20, 63) * rng.choice([-1, 1])),
        float(rng.uniform(-14, 14)),
        (0, 1.6, 0),
        float(rng.uniform(-3, 3)),
    )
    true = []
    while len(true) < count:
        family = families[len(true) % len(families)]
        middle = view.position + view.rays(rng.uniform([200, 200], [W - 200, H - 200])) * rng.uniform(5, 20)
        half = AXIS[family] * rng.uniform(1, 4)
        p = view.project(np.stack([middle - half, middle + half]))
        if np.isnan(p).any() or (p < 0).any() or (p > [W, H]).any() or np.linalg.norm(p[0] - p[1]) < 150:
            continue
        true.append((family, p))
    return view, true, rng


def noisy(true, rng, sigma):
    return [Edge(family=f, points=[tuple(q) for q in (p + rng.normal(0, sigma, p.shape)).tolist()]) for f, p in true]


def cramer_rao(view, true, sigma: float) -> np.ndarray:
    """Covariance limit (4, 4) of rotation and log focal length, every edge's place a free nuisance; by differences."""

    def observed(theta):
        r = rotation_vector(theta[:3]) @ view.rotation
        f = view.focal * np.exp(theta[3])
        k = np.array([[f, 0, W / 2], [0, f, H / 2], [0, 0, 1]])
        out = []
        for (family, p), shift in zip(true, theta[4:], strict=True):
            along = p[1] - p[0]
            across = np.array([-along[1], along[0]]) / np.linalg.norm(along)
            line = np.cross(np.r_[p.mean(0) + shift * across, 1], k @ r @ AXIS[family])
            line /= np.hypot(*line[:2]) * np.sign(line[:2] @ across)
            out += [line[:2] @ q + line[2] for q in p]
        return np.array(out)

    steps = np.r_[np.full(4, 1e-6), np.full(len(true), 1e-4)]
    j = np.stack(
        [
            (observed(np.eye(len(steps))[i] * s) - observed(-np.eye(len(steps))[i] * s)) / (2 * s)
            for i, s in enumerate(steps)
        ],
        axis=1,
    )
    return (np.linalg.inv(j.T @ j) * sigma**2)[:4, :4]


@pytest.mark.slow
def test_reaches_the_cramer_rao_limit_and_states_honest_errors():
    """100 scenes, 15 edges, 1 px: root mean square at most 1.2 of the limit; 90 % inside the stated 2 sigma."""
    focal, turn, inside_f, inside_r = [], [], 0, 0
    for seed in range(100):
        view, true, rng = place(seed)
        limit = cramer_rao(view, true, 1.0)
        got = solve(SurveyInput(width=W, height=H, edges=noisy(true, rng, 1.0)))
        off = np.arccos(np.clip((np.trace(np.array(got.camera.rotation) @ view.rotation.T) - 1) / 2, -1, 1))
        focal.append(np.log(got.camera.focal_px / view.focal) / np.sqrt(limit[3, 3]))
        turn.append(off / np.sqrt(np.trace(limit[:3, :3])))
        inside_f += abs(got.camera.focal_px - view.focal) < 2 * got.sigma.focal_px
        inside_r += np.degrees(off) < 2 * got.sigma.rotation_deg
    assert np.sqrt(np.mean(np.square(focal))) <= 1.2
    assert np.sqrt(np.mean(np.square(turn))) <= 1.2
    assert inside_f >= 90
    assert inside_r >= 90


def test_exact_edges_give_the_exact_camera_scale_and_origin():
    view, true, rng = place(4)
    view = looking(W, H, 2400, 31, -6, (0, 1.0, 0))
    view = type(view)(W, H, 2400.0, (W / 2, H / 2), view.rotation, np.array([3.0, 1.75, 7.0]))
    edges = []
    for family, p in [
        ("run", ((-1, 0, 0), (4, 0, 0))),
        ("run", ((-1, 2, 0), (4, 2, 0))),
        ("return", ((0, 0, 2), (0, 0, -6))),
        ("return", ((4, 2, 1), (4, 2, -5))),
        ("rise", ((0, 0, 0), (0, 2, 0))),
        ("rise", ((4, 0, 0), (4, 2, 0))),
    ]:
        edges.append(Edge(family=family, points=[tuple(q) for q in view.project(np.array(p, float)).tolist()]))
    foot, head, origin = view.project(np.array([(1.0, 0, 0), (1.0, 1.3, 0), (0, 0, 0)])).tolist()
    got = solve(
        SurveyInput(
            width=W, height=H, edges=edges, datum=origin, lengths=[Length(a=foot, b=head, direction="rise", metres=1.3)]
        )
    )
    assert got.camera.focal_px == pytest.approx(2400, rel=1e-6)
    assert np.allclose(got.camera.rotation, view.rotation, atol=1e-6)
    assert np.allclose(got.camera.position, view.position, atol=1e-5)
    horizon = np.array(got.horizon)
    for name in ("run", "return"):
        v = np.array(got.vanishing_points[name])
        assert abs(horizon @ v) / np.linalg.norm(v) < 1e-6
        beyond = view.project(view.position + AXIS[name] * np.sign((view.rotation @ AXIS[name])[2]) * 1e7)
        assert np.allclose(v[:2] / v[2], beyond, rtol=1e-4)


@pytest.mark.parametrize("families", [("run", "rise"), ("return", "rise"), ("run", "return")])
def test_two_directions_are_enough(families):
    view, true, rng = place(11, 12, families)
    got = solve(SurveyInput(width=W, height=H, edges=noisy(true, rng, 0.2)))
    assert abs(got.camera.focal_px - view.focal) < 4 * got.sigma.focal_px
    assert np.allclose(got.camera.rotation, view.rotation, atol=0.03)


def test_one_direction_and_a_typed_focal_length():
    view, true, rng = place(21, 6, ("rise",))
    got = solve(
        SurveyInput(width=W, height=H, edges=noisy(true, rng, 0.2), focal_px=FocalPrior(value=view.focal, sigma=20))
    )
    rise = np.array(got.camera.rotation)[:, 1]
    assert np.degrees(np.arccos(np.clip(rise @ view.rotation[:, 1], -1, 1))) < 0.3
    assert any("turn about rise" in a for a in got.assumed)


def test_a_bent_lens_is_solved_with_its_error():
    view = looking(W, H, 2200, 33, 3, (0, 1.6, 0))
    lens = (-0.08, 0.01, 0.0, 0.0, 0.0)
    rng = np.random.default_rng(5)
    edges = []
    for k in range(24):
        family = ("run", "return", "rise")[k % 3]
        middle = view.position + view.rays(rng.uniform([100, 100], [W - 100, H - 100])) * 9
        p = view.project(middle + np.linspace(-2, 2, 12)[:, None] * AXIS[family])
        p = p[(p > 0).all(1) & (p < [W, H]).all(1)]
        if len(p) >= 4:
            bent = bend((p - view.centre) / view.focal, lens) * view.focal + view.centre
            edges.append(
                Edge(family=family, points=[tuple(q) for q in (bent + rng.normal(0, 0.3, bent.shape)).tolist()])
            )
    got = solve(SurveyInput(width=W, height=H, edges=edges, distortion="solve", edge_sigma_px=0.3))
    assert abs(got.camera.distortion[0] - lens[0]) < 4 * got.sigma.distortion[0]
    assert got.sigma.distortion[0] < 0.01
    assert got.camera.focal_px == pytest.approx(2200, rel=0.01)


@given(st.floats(-0.15, 0.15), st.floats(-0.03, 0.03), st.floats(-0.002, 0.002), st.integers(0, 1000))
@settings(max_examples=60, deadline=None)
def test_straighten_is_the_inverse_of_bend(k1, k2, p1, seed):
    p = np.random.default_rng(seed).uniform(-0.7, 0.7, (20, 2))
    lens = (k1, k2, p1, -p1, 0.0)
    assert np.allclose(straighten(bend(p, lens), lens), p, atol=1e-9)


@given(st.integers(0, 10_000))
@settings(max_examples=40, deadline=None)
def test_residuals_vanish_on_true_edges_wherever_the_vanishing_point_is(seed):
    """At infinity as well: the first camera looks square on, so Run's vanishing point is there."""
    rng = np.random.default_rng(seed)
    rotation = np.eye(3) * [1, -1, -1] if seed % 2 else from_pan_tilt_roll(*rng.uniform(-1, 1, 3))
    f = 1800.0
    k = np.array([[f, 0, W / 2], [0, f, H / 2], [0, 0, 1]])
    vanishing = np.array([[1.0, 0, 0], [0, 0, 1.0], [0, 1.0, 0]]) @ (k @ rotation).T
    edges = []
    for i, family in enumerate(("run", "return", "rise")):
        a = np.r_[rng.uniform([0, 0], [W, H]), 1.0]
        line = np.cross(a, vanishing[i])
        d = np.array([line[1], -line[0]]) / max(np.hypot(line[0], line[1]), 1e-12)
        edges.append(Edge(family=family, points=[tuple(a[:2]), tuple(a[:2] + 300 * d)]))
    packed = EdgeSet.of(edges)
    r = residuals(packed, f, np.array([W / 2, H / 2]), np.zeros(5), vanishing)
    assert np.abs(r).max() < 1e-5


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"edges": [Edge(family="run", points=[(5, 5), (5, 5)])]}, "has no length"),
        ({"edges": []}, "Two edges of one direction"),
        (
            {
                "edges": [
                    Edge(family="rise", points=[(100, 100), (110, 900)]),
                    Edge(family="rise", points=[(900, 100), (880, 900)]),
                ]
            },
            "does not give a focal length",
        ),
        (
            {
                "edges": [
                    Edge(family="run", points=[(100, 300), (900, 300)]),
                    Edge(family="run", points=[(100, 700), (900, 700)]),
                    Edge(family="rise", points=[(200, 100), (200, 900)]),
                    Edge(family="rise", points=[(800, 100), (800, 900)]),
                ]
            },
            "give no focal length",
        ),
    ],
)
def test_refusals_say_what_is_wanted(change, says):
    with pytest.raises(SurveyError, match=says):
        solve(SurveyInput(width=1000, height=1000, **change))


@pytest.mark.parametrize("metres", [0.0, -1.0])
def test_a_tape_of_nothing_is_refused(metres):
    _, true, rng = place(3)
    with pytest.raises(SurveyError, match="longer than zero"):
        solve(
            SurveyInput(
                width=W,
                height=H,
                edges=noisy(true, rng, 0.5),
                lengths=[Length(a=(1500, 1800), b=(1500, 1200), direction="rise", metres=metres)],
            )
        )
