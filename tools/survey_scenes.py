"""Synthetic survey scenes and the statistical limit (Cramér–Rao) of what their edges can tell."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from roofline.core.camera import Array, View, bend, from_pan_tilt_roll, rotation_vector, straighten
from roofline.model.base import Family
from roofline.model.survey import Edge, FocalPrior, SurveyInput

W, H = 3000, 2000
AXIS = {"run": np.array([1.0, 0, 0]), "return": np.array([0, 0, 1.0]), "rise": np.array([0, 1.0, 0])}


@dataclass
class Scene:
    """A true camera, the true pixels of its edges (bent, when the lens bends), and what is known beforehand."""

    view: View
    lens: Array
    edges: list[tuple[str, Array]]
    known: dict[str, object]
    rng: np.random.Generator

    def given(self, sigma: float = 1.0, outliers: float = 0.0) -> tuple[SurveyInput, list[int]]:
        """The survey with noise, and which of its edges are gross outliers: turned at random by 5 to 60 degrees."""
        wrong = sorted(self.rng.choice(len(self.edges), round(outliers * len(self.edges)), replace=False).tolist())
        edges = []
        for n, (family, p) in enumerate(self.edges):
            q = p + self.rng.normal(0, sigma, p.shape)
            if n in wrong:
                a = np.radians(self.rng.uniform(5, 60)) * self.rng.choice([-1, 1])
                q = (q - q.mean(0)) @ np.array([[np.cos(a), -np.sin(a)], [np.sin(a), np.cos(a)]]) + q.mean(0)
            edges.append(Edge(family=family, points=[(float(x), float(y)) for x, y in q]))  # type: ignore[arg-type]
        told = {"width": W, "height": H, "edges": edges, "edge_sigma_px": sigma, **self.known}
        return SurveyInput.model_validate(told), wrong


def scene(
    seed: int,
    count: int = 15,
    families: tuple[Family, ...] = ("run", "return", "rise"),
    points: int = 2,
    lens: tuple[float, float] = (0.0, 0.0),
    off_centre: bool = False,
    view: View | None = None,
    **known: object,
) -> Scene:
    """A random camera (or the one given) in a place with edges all around it."""
    rng = np.random.default_rng(seed)
    pan = np.radians(rng.uniform(20, 63) * rng.choice([-1, 1]))
    rotation = from_pan_tilt_roll(pan, np.radians(rng.uniform(-14, 14)), np.radians(rng.uniform(-3, 3)))
    centre = np.array([W / 2, H / 2])
    if off_centre:
        centre = centre + rng.normal(0, 0.04 * np.hypot(W, H), 2)
    focal = float(rng.uniform(0.6, 2.0) * W)
    view = view or View(W, H, focal, (float(centre[0]), float(centre[1])), rotation, np.array([0, 1.6, 0]))
    focal, centre = view.focal, np.array(view.centre)
    bends = np.array([*lens, 0, 0, 0])
    edges: list[tuple[str, Array]] = []
    while len(edges) < count:
        family = families[len(edges) % len(families)]
        middle = view.position + view.rays(rng.uniform([200, 200], [W - 200, H - 200])) * rng.uniform(5, 20)
        reach = np.linspace(-1, 1, points)[:, None] * AXIS[family] * rng.uniform(1, 4)
        p = view.project(middle + reach)
        if np.isnan(p).any():
            continue
        p = bend((p - centre) / focal, bends) * focal + centre
        if (p < 0).any() or (p > [W, H]).any() or np.linalg.norm(p[0] - p[-1]) < 150:
            continue
        edges.append((family, p))
    return Scene(view, bends, edges, dict(known), rng)


def information_of(s: Scene, sigma: float = 1.0, without: list[int] | None = None) -> Array:
    """Information matrix: rotation (3), log focal length, centre (2), k1 and k2 where solved, then each edge's shift.

    The unknowns are those that the scene's survey solves for, and the place of every edge as a nuisance; derivatives
    by differences of the edges' bent points. What is known beforehand enters as information.
    """
    view, known = s.view, s.known
    solve_centre, solve_lens = known.get("principal_point") == "solve", known.get("distortion") == "solve"
    edges = [e for n, e in enumerate(s.edges) if n not in (without or [])]
    free = 4 + 2 * solve_centre + 2 * solve_lens

    def observed(theta: Array) -> Array:
        r = rotation_vector(theta[:3]) @ view.rotation
        f = view.focal * np.exp(theta[3])
        c = np.array(view.centre) + (theta[4:6] if solve_centre else 0)
        lens = s.lens.copy()
        if solve_lens:
            lens[:2] += theta[free - 2 : free]
        k = np.array([[f, 0, c[0]], [0, f, c[1]], [0, 0, 1]])
        out = []
        for n, (family, p) in enumerate(edges):
            # the edge's straight line: through a middle that may shift across, towards the vanishing point
            straight = _straight(s, p)
            middle, ends = straight.mean(0), straight[-1] - straight[0]
            across = np.array([-ends[1], ends[0]]) / np.linalg.norm(ends)
            line = np.cross(np.r_[middle + theta[free + n] * across, 1], k @ r @ AXIS[family])
            line /= np.hypot(*line[:2]) * np.sign(line[:2] @ across)
            # a point of the true edge is moved across onto the line, and bent
            at = straight - (straight @ line[:2] + line[2])[:, None] * line[:2]
            q = bend((at - c) / f, lens) * f + c
            step = bend((straight + 1e-4 * ends - view.centre) / view.focal, s.lens)
            step -= bend((straight - 1e-4 * ends - view.centre) / view.focal, s.lens)
            normal = np.stack([-step[:, 1], step[:, 0]], axis=1) / np.linalg.norm(step, axis=1)[:, None]
            out.append(((q - p) * normal).sum(1))
        return np.concatenate(out)

    steps = np.r_[
        np.full(4, 1e-6), np.full(2 * solve_centre, 1e-2), np.full(2 * solve_lens, 1e-5), np.full(len(edges), 1e-3)
    ]
    eye = np.diag(steps)
    j = np.stack([(observed(e) - observed(-e)) / (2 * h) for e, h in zip(eye, steps, strict=True)], axis=1) / sigma
    information = j.T @ j
    prior = known.get("focal_px")
    if isinstance(prior, FocalPrior):
        information[3, 3] += (view.focal / prior.sigma) ** 2
    if solve_centre:
        information[[4, 5], [4, 5]] += 1 / (0.04 * np.hypot(W, H)) ** 2
    return information


def limit(s: Scene, sigma: float = 1.0, without: list[int] | None = None) -> dict[str, float]:
    """One-sigma limits: relative focal length, rotation (radians, all three axes together), centre, k1."""
    solve_centre, solve_lens = s.known.get("principal_point") == "solve", s.known.get("distortion") == "solve"
    free = 4 + 2 * solve_centre + 2 * solve_lens
    covariance = np.linalg.pinv(information_of(s, sigma, without))[:free, :free]
    out = {"focal": float(np.sqrt(covariance[3, 3])), "rotation": float(np.sqrt(np.trace(covariance[:3, :3])))}
    if solve_centre:
        out["centre"] = float(np.sqrt(np.trace(covariance[4:6, 4:6])))
    if solve_lens:
        out["k1"] = float(np.sqrt(covariance[free - 2, free - 2]))
    return out


def _straight(s: Scene, p: Array) -> Array:
    if not np.any(s.lens):
        return p
    return straighten((p - s.view.centre) / s.view.focal, s.lens) * s.view.focal + s.view.centre
