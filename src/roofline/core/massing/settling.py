"""Settling a piece to what pictures show: edges are looked for along its sides again until it stays."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import Array, View
from roofline.core.massing.settle import Settled, Side, rms_misses, seen_sides, settle
from roofline.core.massing.solids import faces_of
from roofline.core.massing.touch import Place
from roofline.core.survey.snap import APART, Laid, lying_along
from roofline.errors import MassingError
from roofline.model.solids import AnySolid

REACH = 0.007  # of the photo's width: how far beside a side its edge is looked for
LEAST = 4.0  # pixels
AWAY = 2.0  # of that: the farthest that a corner may go
SIGMA = 0.5  # pixels: how well single places of an edge of the picture are known
BIAS = 0.5  # pixels: how far an edge of the picture usually lies beside the side that it is taken for
HAND = 8.0  # pixels: how far off a side is usually drawn
AGREES = 3.0  # pixels: how near to the others' fit the edge that is meant lies
EDGES = 4  # along a side
DOUBTED = 0.1  # how likely an edge along a side is that counts as its rival
SPARE = 6  # places that sides fix beyond the measures: with fewer, one wrong side is not told
STRETCHES = 6  # places along a side
ROUNDS = 8
STAYS = 0.05  # pixels


@dataclass(frozen=True, eq=False)
class Found:
    """Edges of a picture that lie along a side: the photo by number, the side's vertices by number, points (N, 2) on
    each edge, and how likely each is meant."""

    view: int
    ends: tuple[int, int]
    edges: list[Array]
    likely: list[float]

    def taken(self, off: list[float]) -> Side:
        """The side on the edge that is meant, if a fit lies so many pixels off each; the others are its doubt."""
        weight = np.log(self.likely) - 0.5 * (np.array(off) / AGREES) ** 2
        best = int(np.argmax(weight))
        apart = [_beside(e, self.edges[best]) for e in self.edges]
        return Side(self.view, self.ends, self.edges[best], float(np.sqrt(np.dot(self.likely, np.square(apart)))))


def _beside(edge: Array, of: Array) -> float:
    """How far (px) the middle of an edge lies beside another one."""
    along = of[-1] - of[0]
    return abs(float((edge.mean(0) - of.mean(0)) @ np.array([-along[1], along[0]]) / np.linalg.norm(along)))


def settled_to(place: Place, number: int, views: list[View], greys: Sequence[NDArray[np.uint8]]) -> Settled:
    """Fit a solid of a place to the edges of pictures (H, W) along its sides, which are looked for until it stays.

    Raises
    ------
    MassingError
        When no edge is found, none agrees, or those that do show fewer measures than the sides in sight would.
    """
    start = place.solids[number]
    now, drawn = start, [dict(s) for s in _edges_along(place, number, views, greys)]
    for turn in range(ROUNDS):
        near = _edges_along(_with(place, number, now), number, views, greys)
        found = _found(views, start, near, drawn)
        off = [[0.0] * len(f.edges) if not turn else _off(views, now, f.view, f.ends, f.edges) for f in found]
        got = settle(now, views, [f.taken(o) for f, o in zip(found, off, strict=True)], SIGMA, BIAS)
        stays = _moved(views, now, got.solid, got.corners) < STAYS
        now = got.solid
        if stays and turn:
            break
    _enough(place, number, views, got)
    got = replace(got, corner_m=float(np.hypot(got.corner_m, _rival_m(views, found, got))))
    reach = max(max(LEAST, REACH * v.width) for v in views)
    farther = float(rms_misses(views, start, got.sides).max()) > reach
    _near(views, start, got, reach)
    return replace(got, farther=farther, alone=_spare(got) < SPARE)


def _rival_m(views: list[View], found: list[Found], got: Settled) -> float:
    """How far (m, one sigma) the corners lie from readings in which sides are the next likely of their edges.

    A trim runs around all of a piece: its edges are rivals together, which each side's own doubt does not say. Where
    few sides are seen beyond what the measures need, each is tried singly as well: one wrong side is not told then.
    """
    other: dict[int, tuple[Side, float]] = {}  # of the sides used, by number: the rival, and how likely it is
    for n, side in enumerate(got.sides):
        f = next(f for f in found if (f.view, f.ends) == (side.view, side.ends))
        rivals = [(p, e) for p, e in zip(f.likely, f.edges, strict=True) if e is not side.pixels and p > DOUBTED]
        if rivals:
            p, edge = max(rivals, key=lambda r: r[0])
            other[n] = replace(side, pixels=edge, doubt_px=0.0), p
    readings = [list(other)] if other else []
    if _spare(got) < SPARE:
        readings += [[n] for n in other if len(other) > 1]
    return max((_apart(views, got, other, r) for r in readings), default=0.0)


def _spare(got: Settled) -> int:
    return 2 * got.used - got.shown


def _apart(views: list[View], got: Settled, other: dict[int, tuple[Side, float]], which: list[int]) -> float:
    """How far (m) the corners lie from a reading with the rivals of some sides, by how likely these are."""
    sides = [other[n][0] if n in which else replace(s, doubt_px=0.0) for n, s in enumerate(got.sides)]
    try:
        there = settle(got.solid, views, sides, SIGMA, BIAS)
    except MassingError:
        return 0.0
    apart = faces_of(there.solid).vertices[got.corners] - faces_of(got.solid).vertices[got.corners]
    share = float(np.mean([other[n][1] for n in which]))
    return float(np.linalg.norm(apart, axis=1).max() * np.sqrt(share * (1 - share)))


def _with(place: Place, number: int, solid: AnySolid) -> Place:
    return Place([solid if n == number else s for n, s in enumerate(place.solids)], place.meshes)


Along = list[tuple[tuple[int, int], list[Laid]]]  # sides by their ends, and the edges along each


def _edges_along(place: Place, number: int, views: list[View], greys: Sequence[NDArray[np.uint8]]) -> list[Along]:
    """For every picture the sides of a solid that it shows, and the picture's edges along each."""
    return [
        [
            (ends, lying_along(grey, a, b, max(LEAST, REACH * view.width), STRETCHES, EDGES))
            for ends, (a, b) in seen_sides(place, number, view)
        ]
        for view, grey in zip(views, greys, strict=True)
    ]


def _found(
    views: list[View], start: AnySolid, near: list[Along], drawn: list[dict[tuple[int, int], list[Laid]]]
) -> list[Found]:
    """The edges near a solid's sides, and those near where they were drawn, which may still be meant; the nearer one
    lies to where its side was drawn, the likelier."""
    found = []
    for n, sides in enumerate(near):
        for ends, laid in sides:
            more = [m for m in drawn[n].get(ends, []) if all(_beside(m.points, k.points) >= APART for k in laid)]
            edges = [x.points for x in (*laid, *more)]
            if not edges:
                continue
            off = np.array(_off(views, start, n, ends, edges))
            likely = np.array([x.strength for x in (*laid, *more)]) * np.exp(-0.5 * (off / HAND) ** 2) + 1e-12
            found.append(Found(n, ends, edges, list(likely / likely.sum())))
    return found


def _off(views: list[View], solid: AnySolid, view: int, ends: tuple[int, int], edges: list[Array]) -> list[float]:
    """How far (px) each of some edges lies off a solid's side."""
    return list(rms_misses(views, solid, [Side(view, ends, e) for e in edges]))


def _moved(views: list[View], was: AnySolid, now: AnySolid, corners: list[int]) -> float:
    """How far corners went in the pictures, in pixels: the farthest."""
    return float(max(_gone(v, was, now, corners).max() for v in views))


def _gone(view: View, was: AnySolid, now: AnySolid, corners: list[int]) -> Array:
    """How far (px) each of some corners went in a picture; endlessly far where it shows one no more."""
    a, b = (view.project(faces_of(s).vertices[corners]) for s in (was, now))
    return np.nan_to_num(np.linalg.norm(a - b, axis=1), nan=np.inf)  # type: ignore[no-any-return]


def _near(views: list[View], start: AnySolid, got: Settled, reach: float) -> None:
    """Refuse what is nowhere near where it was drawn: edges of other things were taken for its sides."""
    name = got.solid.name
    if got.rms_px > reach:
        raise MassingError(f"The edges near {name} do not agree with any shape of it: draw it nearer to them.")
    far = 0.0
    for n, view in enumerate(views):
        ends = sorted({i for s in got.sides if s.view == n for i in s.ends})
        at = view.project(faces_of(start).vertices[ends])
        inside = ((at >= 0) & (at <= [view.width, view.height])).all(axis=1)
        far = max(far, float(_gone(view, start, got.solid, ends)[inside].max(initial=0.0)))
    if far > AWAY * reach:
        raise MassingError(
            f"The edges that lie along {name} would take it {far:.0f} px from where it was drawn: they belong to "
            "something else, or it has to be drawn nearer to its own."
        )


def _enough(place: Place, number: int, views: list[View], got: Settled) -> None:
    """Refuse what rests on fewer sides than those that are in sight would determine."""
    there = _with(place, number, got.solid)
    asked = [
        Side(n, ends, _spread(pixels))
        for n, view in enumerate(views)
        for ends, pixels in seen_sides(there, number, view)
    ]
    could = settle(got.solid, views, asked, SIGMA, BIAS).shown
    shown = settle(got.solid, views, [replace(s, doubt_px=0.0) for s in got.sides], SIGMA, BIAS).shown
    if shown < could:
        raise MassingError(
            f"The edges that lie along {got.solid.name} show {shown} of the {could} measures that are in sight: "
            "draw it nearer to its edges."
        )


def _spread(pixels: Array) -> Array:
    return pixels[0] + np.linspace(0, 1, STRETCHES)[:, None] * (pixels[1] - pixels[0])
