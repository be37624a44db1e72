"""How honest joined photos are: python -m tools.joined_table [SCENES] [SEED] prints one line for each kind of scene.

Places with points in them are drawn, photos taken from around, edges and points disturbed; the survey's places of the
further photos are held against the truth, in units of the error that it states itself.
"""

from __future__ import annotations

import sys
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass

import numpy as np
from tools.survey_scenes import AXIS, H, W

from roofline.core.camera import Array, View, from_pan_tilt_roll
from roofline.core.survey.joint import Member, solve_together
from roofline.errors import SurveyError
from roofline.model.survey import Edge, Length, SurveyInput, Tie


@dataclass
class Place:
    """Cameras by photo, points (N, 3) with what they lie on, and the generator that disturbs them."""

    views: list[View]
    points: Array
    on: list[str | None]
    rng: np.random.Generator


def taken(rng: np.random.Generator, bearing: float, away: float) -> View:
    """A camera so far from the middle of the place, in a direction in degrees, looking there, more or less."""
    a = np.radians(bearing)
    position = np.array([away * np.sin(a), rng.uniform(1.4, 1.9), away * np.cos(a)])
    pan = -a + np.radians(rng.uniform(-8, 8))
    rotation = from_pan_tilt_roll(pan, np.radians(rng.uniform(-4, 4)), np.radians(rng.uniform(-2, 2)))
    return View(W, H, float(rng.uniform(0.7, 1.1) * W), (W / 2, H / 2), rotation, position)


def off_axis(rng: np.random.Generator, quadrant: int) -> float:
    return 90.0 * quadrant + float(rng.uniform(20, 70))


def inside(view: View, points: Array) -> Array:
    p = view.project(points)
    depth = (points - view.position) @ view.rotation[2]
    return (depth > 1) & (p > 20).all(1) & (p < [W - 20, H - 20]).all(1)  # type: ignore[no-any-return]


def place(rng: np.random.Generator, bearings: list[float], ground: int, free: int, line: bool = False) -> Place:
    views = [taken(rng, b, float(rng.uniform(14, 22))) for b in bearings]
    points: list[Array] = []
    on: list[str | None] = []
    at = rng.uniform(-4, 4, 2)
    while len(points) < ground + free:
        low = len(points) < ground
        x, z = at if line else rng.uniform(-5, 5, 2)
        p = np.array([x, 0.0 if low else rng.uniform(0.4, 4.5), z])
        if inside_all(views, p) or line:
            points.append(p)
            on.append("ground" if low else None)
    return Place(views, np.array(points), on, rng)


def inside_all(views: list[View], p: Array) -> bool:
    return all(bool(inside(v, p[None])[0]) for v in views)


def edges(view: View, rng: np.random.Generator, count: int = 15) -> list[Edge]:
    out: list[Edge] = []
    while len(out) < count:
        family = ("run", "return", "rise")[len(out) % 3]
        middle = view.position + view.rays(rng.uniform([200, 200], [W - 200, H - 200])) * rng.uniform(8, 20)
        p = view.project(np.stack([middle - AXIS[family] * 2, middle + AXIS[family] * 2]))
        if np.isnan(p).any() or (p < 0).any() or (p > [W, H]).any() or np.linalg.norm(p[0] - p[1]) < 150:
            continue
        points = (p + rng.normal(0, 1, (2, 2))).tolist()
        out.append(Edge.model_validate({"family": family, "points": points}))
    return out


def ways(rng: np.random.Generator, spread: float = 90) -> list[float]:
    """Two bearings; the first photo has Run pointing right, as its survey takes it."""
    first = float(rng.uniform(20, 70) * rng.choice([-1, 1]))
    return [first, first + float(rng.uniform(20, spread) * rng.choice([-1, 1]))]


def all_round(rng: np.random.Generator) -> list[float]:
    """Five: three from one side, one from beside it, the last from the far side."""
    return [off_axis(rng, 0) + d for d in (0, 12, -12)] + [off_axis(rng, 1), off_axis(rng, 2)]


KINDS: dict[str, tuple[Callable[[np.random.Generator], Place], int]] = {
    # name: the place, and how many of its points are wrong in the last photo
    "six points": (lambda r: place(r, ways(r), 2, 4), 0),
    "six points, one wrong": (lambda r: place(r, ways(r), 2, 4), 1),
    "three points on the ground": (lambda r: place(r, ways(r), 3, 0), 0),
    "three points, one wrong": (lambda r: place(r, ways(r), 3, 0), 1),
    "two points on the ground": (lambda r: place(r, ways(r), 2, 0), 0),
    "two points on an upright line": (lambda r: place(r, ways(r), 1, 1, line=True), 0),
    "from the far side": (lambda r: place(r, ways(r, 180), 2, 4), 0),
    "five photos, the last from behind": (lambda r: place(r, all_round(r), 3, 4), 0),
}


def given(view: View, rng: np.random.Generator, scaled: bool) -> SurveyInput:
    foot, head = view.project(np.array([[0, 0, 0], [0, 2.5, 0]], float)).tolist()
    lengths = [Length(a=foot, b=head, direction="rise", metres=2.5)] if scaled else []
    return SurveyInput(width=W, height=H, edges=edges(view, rng), lengths=lengths, datum=foot if scaled else None)


def one(job: tuple[str, int]) -> tuple[list[float], list[str]] | str:
    """How far the last photo's place is off, by axis, in its own sigmas (the nearest of best and rivals counts as
    known when there are rivals), and what is said of it; or why it was refused."""
    kind, seed = job
    make, wrong = KINDS[kind]
    rng = np.random.default_rng([seed, sum(map(ord, kind))])
    p = make(rng)
    ids = [f"p{i}" for i in range(len(p.views))]
    members = [Member(n, n, given(v, rng, i == 0)) for i, (n, v) in enumerate(zip(ids, p.views, strict=True))]
    ties = []
    for t, (point, on) in enumerate(zip(p.points, p.on, strict=True)):
        seen = {n: v.project(point) + rng.normal(0, 1, 2) for n, v in zip(ids, p.views, strict=True)}
        if t >= len(p.points) - wrong:
            a = rng.uniform(0, 2 * np.pi)
            seen[ids[-1]] = seen[ids[-1]] + rng.uniform(15, 120) * np.array([np.cos(a), np.sin(a)])
        ties.append(
            Tie(id=f"t{t}", name=f"{t}", seen={n: (float(x), float(y)) for n, (x, y) in seen.items()}, surface=on)
        )
    try:
        got = solve_together(members, ties).results[ids[-1]]
    except SurveyError as error:
        return str(error)
    off = np.abs(np.array([got.camera.position, *got.rivals]) - p.views[-1].position) / np.array(got.position_sigma_m)
    return off[off.max(1).argmin()].tolist(), [w for w in got.warnings if "oint" in w or "known" in w]


def main() -> None:
    count, seed = (int(v) for v in (sys.argv[1:] + ["40", "1"][len(sys.argv) - 1 :]))
    with ProcessPoolExecutor(2) as pool:
        for kind in KINDS:
            answers = list(pool.map(one, [(kind, seed * 1000 + n) for n in range(count)]))
            told = [a for a in answers if not isinstance(a, str)]
            off = np.array([a[0] for a in told]).reshape(-1, 3)
            silent = sum(max(o) > 4 and not said for o, said in told)
            spoken = sum(max(o) > 4 and bool(said) for o, said in told)
            alone = sum(max(o) <= 4 and bool(said) for o, said in told)
            print(
                f"{kind:36} {100 * (off <= 2).mean():4.0f} % of values within 2 sigma; beyond 4: {silent} without a "
                f"word, {spoken} with; {alone} doubted though near; {count - len(told)} refused"
            )


if __name__ == "__main__":
    main()
