"""The borders of mattes over a move: where they come to lie over something else than they did in the photograph."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import Array, View
from roofline.core.moment import Moment, still
from roofline.core.move.rest import rest_of, standing
from roofline.core.throw.engine import Engine
from roofline.model.reports import EdgeShown
from roofline.model.shot import Shot
from roofline.model.steps import FringeStep

ACROSS = 1200  # pixels of the photograph in which what lies behind is looked for
SAMPLES = 240  # points of a border that are followed
NEAR = 0.02  # of the depth: no other surface


@dataclass(frozen=True)
class Border:
    """The border of a plate's matte on one piece: N points at rest, what lay behind each, and where the matte ends."""

    plate: str
    solid: int
    face: NDArray[np.int32]  # (N,)
    point: Array  # (N, 3)
    outer: Array  # (N, 3): a feather's width on
    behind: Array  # (N, 3)
    behind_face: NDArray[np.int32]  # (N,)


def cleaned(shot: Shot) -> set[str]:
    """Ids of plates whose border's colours are estimated anew: nothing of the old background stays in them."""
    return {p.id for p in shot.plates if any(isinstance(s, FringeStep) and not s.off for s in p.steps)}


def crossings(matte: NDArray[np.float32]) -> tuple[Array, Array]:
    """Pixels (N, 2) at which a matte goes through one half, and the step (N, 2) in which it goes from full to clear."""
    a = matte.astype(np.float64)
    y, x = np.nonzero((a[1:-1, 1:-1] >= 0.5) & ((a[1:-1, 2:] < 0.5) | (a[2:, 1:-1] < 0.5) | (a[:-2, 1:-1] < 0.5)))
    y, x = y + 1, x + 1
    picked = np.linspace(0, len(x) - 1, min(SAMPLES, len(x))).round().astype(int)
    x, y = x[picked], y[picked]
    run = np.stack([a[y, x + 1] - a[y, x - 1], a[y + 1, x] - a[y - 1, x]], axis=-1) / 2
    steep = np.linalg.norm(run, axis=1)
    good = steep > 1e-3
    step = -run[good] / steep[good, None] ** 2  # from full to clear along the steepest way
    return np.stack([x, y], axis=-1)[good] + 0.5, step


def borders_of(shot: Shot, engine: Engine) -> list[Border]:
    """The borders of all mattes on cut-outs that may show; those whose colours are estimated anew do not."""
    clean = cleaned(shot)
    g, t = engine.geometry, engine.throws
    views: dict[int, tuple[View, NDArray[np.int32]]] = {}
    out = []
    for plate, picture in enumerate(t.pictures):
        faces = [int(t.pair_face[n]) for n in np.flatnonzero(t.pair_plate == plate)]
        faces = [f for f in faces if g.cutout[f]]
        if picture.matte is None or t.plates[plate] in clean or not faces:
            continue
        at, step = crossings(picture.matte)
        if not len(at):
            continue
        x0, y0, w, h, pw, ph = t.canvas[plate]
        k = np.array([w / pw, h / ph])
        view = t.views[plate]
        if id(view) not in views:
            small = view.across(ACROSS)
            views[id(view)] = small, engine.nearest(still(small), behind=True)
        for face in faces:
            border = _on(engine, plate, face, views[id(view)], view, ([x0, y0] + at * k, step * k))
            if border is not None:
                out.append(border)
    return out


def _on(
    engine: Engine,
    plate: int,
    face: int,
    looked: tuple[View, NDArray[np.int32]],
    view: View,
    border: tuple[Array, Array],
) -> Border | None:
    small, nearest = looked
    at, step = border
    cell = np.floor(at * small.width / view.width).astype(int)
    inside = np.all((cell >= 0) & (cell < [small.width, small.height]), axis=1)
    at, step, cell = at[inside], step[inside], cell[inside]
    back = nearest[cell[:, 1], cell[:, 0]]
    at, step, back = at[back >= 0], step[back >= 0], back[back >= 0]
    if not len(at):
        return None
    g, here, faces = engine.geometry, still(view), np.full(len(at), face)
    point, depth = rest_of(g, here, at, faces)
    outer, _ = rest_of(g, here, at + step, faces)
    behind, farther = rest_of(g, here, at, back)
    good = (depth > 0) & (farther > depth * (1 + NEAR))
    if not good.any():
        return None
    name, solid = engine.throws.plates[plate], int(g.solid[face])
    return Border(name, solid, faces[good], point[good], outer[good], behind[good], back[good])


def seen_borders(engine: Engine, moment: Moment, face: NDArray, borders: list[Border]) -> list[EdgeShown]:
    """Where a border lies farther from what was behind it than it is soft: the worst spot of each.

    ``face``: (H, W) what a moment shows; a border counts where its own face is seen beside it.
    """
    g, view, out = engine.geometry, moment.view, []
    for border in borders:
        on = view.project(standing(g, moment, border.point, border.face))
        was = view.project(standing(g, moment, border.behind, border.behind_face))
        ends = view.project(standing(g, moment, border.outer, border.face))
        slip = np.linalg.norm(on - was, axis=1) * view.unit
        feather = np.linalg.norm(on - ends, axis=1) * view.unit
        over = np.where(_shown(on, face, border.face), slip - feather, np.nan)
        if not np.isfinite(over).any() or np.nanmax(over) <= 0:
            continue
        worst = int(np.nanargmax(over))
        out.append(
            EdgeShown(
                plate=border.plate,
                solid=g.solid_ids[border.solid],
                slip_px=float(slip[worst]),
                feather_px=float(feather[worst]),
                frame=int(moment.frame),
                at=(float(on[worst, 0] * view.unit), float(on[worst, 1] * view.unit)),
                frames=1,
            )
        )
    return out


def worst_borders(shown: list[EdgeShown]) -> list[EdgeShown]:
    """Of each plate the worst spot of all frames, with the number of frames that show any; worst first."""
    out = []
    for plate in {e.plate for e in shown}:
        mine = [e for e in shown if e.plate == plate]
        worst = max(mine, key=lambda e: e.slip_px - e.feather_px)
        out.append(worst.model_copy(update={"frames": len({e.frame for e in mine})}))
    return sorted(out, key=lambda e: (e.feather_px - e.slip_px, e.plate))


def _shown(on: Array, face: NDArray, own: NDArray) -> NDArray[np.bool_]:
    """Whether points of a frame (N, 2) lie beside a pixel that shows their face."""
    h, w = face.shape
    cell = np.floor(np.nan_to_num(on, nan=-9.0, posinf=-9.0, neginf=-9.0).clip(-9, 1e6)).astype(int)
    out = np.zeros(len(on), dtype=bool)
    for dy in (-1, 0, 1):
        for dx in (-1, 0, 1):
            x, y = cell[:, 0] + dx, cell[:, 1] + dy
            inside = (x >= 0) & (y >= 0) & (x < w) & (y < h)
            out[inside] |= face[y[inside], x[inside]] == own[inside]
    return out & (cell[:, 0] >= 0) & (cell[:, 1] >= 0) & (cell[:, 0] < w) & (cell[:, 1] < h)
