"""The unknowns and residuals of one survey or of several that hang together, and their robust least squares.

Unknown are, for every photo, the rotation (a vector about the current estimate) and, beside the first, the position;
for every lens the logarithm of its focal length and, where asked for, principal point and k1, k2; and the points seen
in several photos. The first photo stands one unit above the ground; scale comes later. Priors hold what is not told."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial

import numpy as np

from roofline.core.camera import Array, rotation_vector
from roofline.core.survey.edges import EdgeSet, residuals, seen_pixel
from roofline.core.survey.second import SECOND, along, heading_of
from roofline.core.survey.state import Block, Lens, State, TiedPoint
from roofline.model.survey import SurveyInput

AXES = np.array([[1.0, 0, 0], [0, 0, 1.0], [0, 1.0, 0]])  # run, return, rise in the world
CENTRE_PRIOR = 0.10  # principal point, when solved: one sigma, as a part of the picture's diagonal
CENTRE_TRUST = 0.005  # the same, when it is taken to be the centre: lenses are not mounted better than that
LENS_PRIOR = (0.3, 0.3)  # k1, k2, when solved
TURN_PRIOR = 0.5  # radians about an axis that nothing determines
FULL, NOTHING = 2.5, 4.5  # sigmas: within the one an observation counts fully, from the other on not at all
ROUNDS = 12


class System:
    """Residuals, in sigmas, of photos that share lenses and points."""

    def __init__(
        self,
        photos: list[SurveyInput],
        lens_of: list[int] | None = None,
        ties: list[TiedPoint] | None = None,
        standpoint_of: list[int] | None = None,
        heights: dict[int, float] | None = None,
    ):
        self.photos, self.ties = photos, ties or []
        self.lens_of = lens_of or [0] * len(photos)
        self.standpoint_of = standpoint_of or list(range(len(photos)))
        self.heights = heights or {}  # known heights of further photos, in units of the first one's
        self.edges = [EdgeSet.of(p.edges) for p in photos]
        self.middle = [np.array([p.width / 2, p.height / 2]) for p in photos]
        self.diagonal = [float(np.hypot(p.width, p.height)) for p in photos]
        self.slices: dict[str, slice] = {}
        self.size = 0
        self.moves = bool(self.ties)
        for i in range(len(photos)):
            self._add(f"rotation{i}", 3)
            if self.lens_of.index(self.lens_of[i]) == i:
                self._lens(i)
            if (self.edges[i].family == SECOND).any():
                self._add(f"heading{i}", 1)
            if self.moves and i > 0 and self.standpoint_of[i] == i:
                self._add(f"position{i}", 3)
        for t in range(len(self.ties)):
            self._add(f"point{t}", 3)  # the last ones
        # not solved for, but not known exactly either: it widens what is said of the rest
        unsure = [n for n in sorted(set(self.lens_of)) if photos[self.first_of(n)].principal_point == "centre"]
        self.hidden = {f"centre{n}": slice(self.size + 2 * k, self.size + 2 * k + 2) for k, n in enumerate(unsure)}
        self.held = [self._held_axis(i) for i in range(len(photos))]
        self.blocks = self._blocks()
        owners = [b.owner for b in self.blocks]
        self.owner = np.concatenate(owners) if owners else np.zeros(0, dtype=np.int64)
        self.observations = int(self.owner.max(initial=-1)) + 1
        self.first_tie = self.observations - len(self.ties)  # ties are the last observations

    def _add(self, name: str, count: int) -> None:
        self.slices[name] = slice(self.size, self.size + count)
        self.size += count

    def _lens(self, i: int) -> None:
        given, lens = self.photos[i], self.lens_of[i]
        if given.focal_px is None or given.focal_px.sigma > 0:
            self._add(f"focal{lens}", 1)
        if given.principal_point == "solve":
            self._add(f"centre{lens}", 2)
        if given.distortion == "solve":
            self._add(f"bend{lens}", 2)

    def _held_axis(self, i: int) -> int | None:
        """The axis about which nothing determines a photo's turn."""
        if i > 0 and any(i in t.seen for t in self.ties):
            return None
        used = {int(f) for f in self.edges[i].family if 0 <= f < len(AXES)}
        if self.photos[i].horizon is not None:
            used.add(2)
        return used.pop() if len(used) == 1 else None

    def first_of(self, lens: int) -> int:
        return self.lens_of.index(lens)

    def lens_at(self, i: int, focal: float) -> Lens:
        """A lens to start from, as far as it is given."""
        given = self.photos[i]
        centre, distortion = given.principal_point, given.distortion
        return Lens(
            float(np.log(focal)),
            self.middle[i].copy() if isinstance(centre, str) else np.array(centre, dtype=np.float64),
            np.zeros(5) if isinstance(distortion, str) else np.array(distortion, dtype=np.float64),
        )

    def moved(self, state: State, step: Array) -> State:
        """The state after a step."""
        rotation, position, lenses = list(state.rotation), list(state.position), list(state.lens)
        heading = self.headings(state)
        for i in range(len(self.photos)):
            heading[i] += float(step[self.slices.get(f"heading{i}", slice(0))].sum())
            rotation[i] = rotation_vector(step[self.slices[f"rotation{i}"]]) @ rotation[i]
            if f"position{i}" in self.slices:
                position[i] = position[i] + step[self.slices[f"position{i}"]]
            elif self.standpoint_of[i] != i:
                position[i] = position[self.standpoint_of[i]]
        for number in set(self.lens_of):
            lens = state.lens[self.first_of(number)]
            if (at := self.slices.get(f"focal{number}")) is not None:
                lens = replace(lens, log_f=lens.log_f + float(step[at][0]))
            if (at := self.slices.get(f"centre{number}")) is not None:
                lens = replace(lens, centre=lens.centre + step[at])
            if (at := self.slices.get(f"bend{number}")) is not None:
                lens = replace(lens, bend=np.r_[lens.bend[:2] + step[at], lens.bend[2:]])
            for i in range(len(self.photos)):
                if self.lens_of[i] == number:
                    lenses[i] = lens
        points = state.points
        if len(self.ties):
            points = points + step[self.slices["point0"].start : self.size].reshape(-1, 3)
        return State(rotation, position, lenses, points, heading)

    def headings(self, state: State) -> list[float]:
        """The angle of every photo's second run; where a state has none yet, the one that its edges agree on."""
        return list(state.heading) or [
            heading_of(self.edges[i], state.lens[i], state.rotation[i]) if f"heading{i}" in self.slices else 0.0
            for i in range(len(self.photos))
        ]

    def vanishing(self, state: State, i: int) -> Array:
        """Homogeneous vanishing points of run, return, rise and the second run as rows, (4, 3)."""
        ways = np.vstack([AXES, along(self.headings(state)[i])])
        return np.asarray(ways @ (state.lens[i].matrix @ state.rotation[i]).T)

    # ------------------------------------------------------------ residuals

    def edge_residuals(self, state: State, i: int) -> Array:
        """(P,) pixels of photo i's edge points in the picture as taken."""
        lens = state.lens[i]
        return residuals(self.edges[i], lens.focal, lens.centre, lens.bend, self.vanishing(state, i))

    def horizon_residuals(self, i: int, state: State, step: Array) -> Array:
        """(2,) sigmas by which the seen horizon's two pixels are off the solved one."""
        v = self.vanishing(state, i)
        line = np.cross(v[0], v[1])
        lens = state.lens[i]
        seen = np.array(self.photos[i].horizon, dtype=np.float64)
        pixels = EdgeSet(seen, np.zeros(2, dtype=np.int64), np.array([-1])).straightened(
            lens.focal, lens.centre, lens.bend
        )
        off = (pixels @ line[:2] + line[2]) / max(float(np.hypot(line[0], line[1])), 1e-300)
        return np.asarray(off / self.photos[i].edge_sigma_px)

    def seen_at(self, state: State, i: int, point: Array, far: bool) -> Array:
        """Pixel (2,) of a point in photo i as taken."""
        lens = state.lens[i]
        p = point if far else point - state.position[i]
        r, (cx, cy) = np.ascontiguousarray(state.rotation[i]), lens.centre
        return seen_pixel(r, p, lens.focal, float(cx), float(cy), lens.bend)  # type: ignore[no-any-return]

    def _tie(self, t: int, i: int) -> Callable[[State, Array], Array]:
        tie, sigma = self.ties[t], self.photos[i].edge_sigma_px
        pixel = np.array(tie.seen[i])
        return lambda state, step: (self.seen_at(state, i, state.points[t], tie.far) - pixel) / sigma

    def _priors(self, i: int) -> tuple[Callable[[State, Array], Array], int]:
        """Priors on photo i's lens (when it is the lens's first photo) and turn."""
        given, lens = self.photos[i], self.lens_of[i]
        parts: list[Callable[[State, Array], list[float]]] = []
        if self.first_of(lens) == i:
            prior = given.focal_px
            if prior is not None and prior.sigma > 0:
                parts.append(lambda s, step: [(s.lens[i].focal - prior.value) / prior.sigma])
            if given.principal_point == "solve":
                width = CENTRE_PRIOR * self.diagonal[i]
                parts.append(lambda s, step: list((s.lens[i].centre - self.middle[i]) / width))
            if given.distortion == "solve":
                parts.append(lambda s, step: list(s.lens[i].bend[:2] / np.array(LENS_PRIOR)))
        if (axis := self.held[i]) is not None:
            parts.append(
                lambda s, step: [float(step[self.slices[f"rotation{i}"]] @ (s.rotation[i] @ AXES[axis])) / TURN_PRIOR]
            )
        if i in self.heights and f"position{i}" in self.slices:
            parts.append(lambda s, step: [(s.position[i][1] - self.heights[i]) / 0.01])
        count = sum(len(p(self._probe(), np.zeros(self.size))) for p in parts)
        return (lambda s, step: np.array([v for p in parts for v in p(s, step)])), count

    def _probe(self) -> State:
        n = len(self.photos)
        lenses = [self.lens_at(i, self.photos[i].width) for i in range(n)]
        return State([np.eye(3)] * n, [np.array([0.0, 1, 0])] * n, lenses, np.ones((len(self.ties), 3)))

    def lens_names(self, i: int) -> set[str]:
        """Names of the unknowns of photo i's lens."""
        return {f"{kind}{self.lens_of[i]}" for kind in ("focal", "centre", "bend")}

    def _blocks(self) -> list[Block]:
        out: list[Block] = []
        seen = 0
        for i, given in enumerate(self.photos):
            names = {f"rotation{i}", f"heading{i}"} | self.lens_names(i)
            sigma = given.edge_sigma_px
            if given.edges:
                out.append(
                    Block(
                        lambda s, step, i=i, sigma=sigma: self.edge_residuals(s, i) / sigma,  # type: ignore[misc]
                        names,
                        self.edges[i].owner + seen,
                    )
                )
                seen += len(given.edges)
            if given.horizon is not None:
                out.append(Block(partial(self.horizon_residuals, i), names, np.full(2, -1)))
            priors, count = self._priors(i)
            if count:
                out.append(Block(priors, names | {f"position{i}"}, np.full(count, -1)))
        for t, tie in enumerate(self.ties):
            for i in tie.seen:
                names = {f"rotation{i}", f"position{self.standpoint_of[i]}", f"point{t}"} | self.lens_names(i)
                out.append(Block(self._tie(t, i), names, np.full(2, seen)))
            if tie.far or tie.plane is not None:
                out.append(Block(partial(tie.held, t), {f"point{t}"}, np.array([-1])))
            seen += 1
        return out

    def residuals(self, state: State, step: Array | None = None) -> Array:
        """All residuals, in sigmas."""
        step = np.zeros(self.size) if step is None else step
        return np.concatenate([b.value(state, step) for b in self.blocks])

    def nudged(self, state: State, name: str, k: int, by: float) -> State:
        """The state with one unknown moved a little: what a single step would do, without the rest."""
        out = State(list(state.rotation), list(state.position), list(state.lens), state.points, self.headings(state))
        kind = name.rstrip("0123456789")
        i = int(name[len(kind) :])
        if kind == "rotation":
            r, (p, q) = state.rotation[i].copy(), ((k + 1) % 3, (k + 2) % 3)
            r[p] -= by * state.rotation[i][q]
            r[q] += by * state.rotation[i][p]
            out.rotation[i] = r
        elif kind == "position":
            moved = state.position[i].copy()
            moved[k] += by
            for j in range(len(self.photos)):
                if self.standpoint_of[j] == i:
                    out.position[j] = moved
        elif kind == "heading":
            out.heading[i] += by
        elif kind == "point":
            out.points = state.points.copy()
            out.points[i, k] += by
        else:
            lens = state.lens[self.first_of(i)].nudged(kind, k, by)
            out.lens = [lens if of == i else was for of, was in zip(self.lens_of, out.lens, strict=True)]
        return out

    def jacobian(self, state: State, hidden: bool = False) -> Array:
        """Derivatives of all residuals by a step from a state, by central differences; what does not depend is left.

        With ``hidden`` the columns of what is not solved for, but not known exactly, follow.
        """
        columns = {**self.slices, **self.hidden} if hidden else self.slices
        out = np.zeros((len(self.owner), self.size + 2 * len(self.hidden) * hidden))
        starts = np.cumsum([0] + [len(b.owner) for b in self.blocks])
        step = np.zeros(out.shape[1])
        for name, at in columns.items():
            mine = [(k, b) for k, b in enumerate(self.blocks) if name in b.depends]
            width = 0.5 if name.startswith("centre") else 1e-6
            for column in range(at.start, at.stop):
                ends = []
                for sign in (width, -width):
                    step[column] = sign
                    there = self.nudged(state, name, column - at.start, sign)
                    ends.append([block.value(there, step) for _, block in mine])
                step[column] = 0.0
                for (k, _), forward, backward in zip(mine, *ends, strict=True):
                    out[starts[k] : starts[k + 1], column] = (forward - backward) / (2 * width)
        return out

    def misses(self, r: Array) -> Array:
        """How far each observation is off in sigmas, by its degrees of freedom, (O,)."""
        count = np.bincount(self.owner[self.owner >= 0], minlength=self.observations)
        return np.sqrt(self.squares(r) / np.maximum(count - 1, 1))  # type: ignore[no-any-return]

    def squares(self, r: Array) -> Array:
        """Each observation's sum of squares (O,) of residuals."""
        own = self.owner >= 0
        return np.asarray(np.bincount(self.owner[own], r[own] ** 2, minlength=self.observations), dtype=np.float64)

    def root(self, weight: Array) -> Array:
        """Square roots of the observations' weights (O,), one for every residual; priors count fully."""
        if not self.observations:
            return np.ones(len(self.owner))
        return np.where(self.owner >= 0, np.sqrt(weight)[np.maximum(self.owner, 0)], 1.0)

    def fit(self, state: State, weight: Array, most: int = 30) -> State:
        """Least squares with fixed weights (O,), by Levenberg and Marquardt's steps.

        Our own few lines: every step starts from the state it reached, so that rotations never wind up, and small
        surveys are answered several times faster than through a general solver, while a hand is dragging.
        """
        root = self.root(weight)
        r = root * self.residuals(state)
        damping = 1e-4
        for _ in range(most):
            j = root[:, None] * self.jacobian(state)
            normal, gradient = j.T @ j, j.T @ r
            diagonal = np.maximum(np.diag(normal), 1e-12)
            better = False
            while damping < 1e8:
                try:
                    step: Array = np.asarray(-np.linalg.solve(normal + np.diag(damping * diagonal), gradient))
                except np.linalg.LinAlgError:
                    damping *= 10
                    continue
                there = self.moved(state, step)
                fresh = root * self.residuals(there, step)
                if np.all(np.isfinite(fresh)) and fresh @ fresh <= r @ r:
                    better = True
                    break
                damping *= 10
            if not better:
                break
            gain = float(r @ r - fresh @ fresh)
            state, r = there, root * self.residuals(there)
            damping = max(damping / 10, 1e-10)
            if gain <= 1e-9 * float(r @ r) + 1e-12:
                break
        return state

    def weights(self, state: State, least: float = 1.0) -> Array:
        """Redescending weights (O,) of the observations: full to 2.5, none from 4.5 of the spread on.

        The spread is the stated error, or what the observations themselves show when it is more (by their median).
        """
        miss = self.misses(self.residuals(state))
        spread = max(least, 1.4826 * float(np.median(miss))) if len(miss) else 1.0
        x = np.clip((miss / spread - FULL) / (NOTHING - FULL), 0, 1)
        return 0.5 * (1 + np.cos(np.pi * x))  # type: ignore[no-any-return]

    def robust(self, state: State, wide: bool = True) -> tuple[State, Array]:
        """Robust least squares from a start, by reweighting: a wide, slowly narrowing start, then the weights
        proper."""
        weight = np.ones(self.observations)
        for pull in (8.0, 4.0, 2.5) if wide else ():
            miss = self.misses(self.residuals(state))
            spread = max(1.0, 1.4826 * float(np.median(miss))) if len(miss) else 1.0
            state = self.fit(state, 1 / (1 + (miss / (pull * spread)) ** 2), 8)
        for _ in range(ROUNDS):
            fresh = self._kept_alive(self.weights(state))
            settled = np.allclose(fresh, weight, atol=1e-3)
            weight = fresh
            state = self.fit(state, weight, 20)
            if settled:
                break
        return state, weight

    def _kept_alive(self, weight: Array) -> Array:
        """Weights that leave every family of every photo at least the two edges that it cannot do without."""
        at = 0
        for edges in self.edges:
            for family in range(SECOND + 1):
                mine = at + np.flatnonzero(edges.family == family)
                if len(mine) and (weight[mine] > 0.05).sum() < min(2, len(mine)):
                    weight[mine] = np.maximum(weight[mine], 0.5)
            at += len(edges.family)
        return weight

    def full_information(self, state: State, weight: Array) -> Array:
        """Information matrix at a state, with the hidden unknowns' rows and columns last."""
        j = self.root(weight)[:, None] * self.jacobian(state, hidden=True)
        out = j.T @ j
        for name, at in self.hidden.items():
            width = CENTRE_TRUST * self.diagonal[self.first_of(int(name[6:]))]
            out[at, at] += np.eye(2) / width**2
        points = np.arange(self.size - 3 * len(self.ties), self.size)
        out[points, points] += 1e-6  # one that is left out lies anywhere within a thousand heights
        return out  # type: ignore[no-any-return]

    def marginal(self, full: Array) -> Array:
        """The information on the unknowns that are solved for, (size, size): Schur's complement of the hidden ones."""
        n = self.size
        if not self.hidden:
            return full
        return full[:n, :n] - full[:n, n:] @ np.linalg.solve(full[n:, n:], full[n:, :n])  # type: ignore[no-any-return]

    def information(self, state: State, weight: Array) -> Array:
        """Information matrix at a state, (size, size)."""
        return self.marginal(self.full_information(state, weight))
