"""What a move shows that no verdict says: how fast the picture runs, how near the frame comes to the end of the
pictures, where flat pieces will look flat, and where cut-outs will show their borders."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import Array, View
from roofline.core.moment import Moment, spread
from roofline.core.move.borders import borders_of, seen_borders, worst_borders
from roofline.core.move.rest import rest_of, slip_between, standing
from roofline.core.throw.engine import Engine
from roofline.model.base import VERDICTS
from roofline.model.reports import Along, AlongFrame, EdgeShown, Stray
from roofline.model.shot import Shot

ACROSS = 192  # pixels of the frames that are looked at
MOST = 121  # frames that are looked at, spread over the move
ROOM = 0.25  # of the frame's width and height that is looked at beyond each side
NEAR, FAR = 2.0, 98.0  # percentiles of depth between which everything is neither near nor far
RUSHED = 1 / 30  # of the frame's width per frame: faster looks rushed, or strobes
RELIEF = 0.1  # metres that a surface is taken to stand out by
SAMPLES = 40  # pixels of a piece that are followed in one frame
GAP = VERDICTS.index("spilled")  # and beyond: nothing that belongs there is shown


Told = Callable[[float], None]


@dataclass(frozen=True)
class Seen:
    """What N pixels of a frame show: where they lie, the face, and its point with everything at rest."""

    pixels: Array  # (N, 2) of the frame that was looked at
    face: NDArray[np.int32]
    pair: NDArray[np.int32]
    point: Array  # (N, 3) at rest
    depth: Array  # (N,) metres, as it is seen


def widened(view: View) -> tuple[View, int, int]:
    """A view with room beyond every side, and how many of its pixels that is along x and y."""
    mx, my = round(ROOM * view.width), round(ROOM * view.height)
    centre = (view.centre[0] + mx, view.centre[1] + my)
    wide = View(view.width + 2 * mx, view.height + 2 * my, view.focal, centre, view.rotation, view.position, view.unit)
    return wide, mx, my


def _seen(engine: Engine, moment: Moment, face: NDArray, pair: NDArray) -> Seen:
    """Every pixel of a frame that shows a surface."""
    y, x = np.nonzero(face >= 0)
    pixels = np.stack([x, y], axis=-1).astype(np.float64) + 0.5
    f = face[y, x]
    point, depth = rest_of(engine.geometry, moment, pixels, f)
    good = np.isfinite(depth) & (depth > 0)
    return Seen(pixels[good], f[good], pair[y, x][good], point[good], depth[good])


def _speeds(engine: Engine, seen: Seen, now: Moment, then: Moment) -> tuple[float, float] | None:
    """How far the nearest and the farthest that is seen go until another frame, in delivered pixels."""
    if not len(seen.depth):
        return None
    low, high = np.percentile(seen.depth, (NEAR, FAR))
    out = []
    for picked in (seen.depth <= low, seen.depth >= high):
        where = np.flatnonzero(picked)[:: max(1, int(picked.sum()) // 400)]
        goes = then.view.project(standing(engine.geometry, then, seen.point[where], seen.face[where]))
        gone = np.linalg.norm(goes - seen.pixels[where], axis=1)
        gone = gone[np.isfinite(gone)]
        out.append(float(np.median(gone)) * now.view.unit if len(gone) else 0.0)
    return out[0], out[1]


def room_beyond(gap: NDArray[np.bool_], mx: int, my: int) -> list[float | None]:
    """How far the picture goes on beyond the frame's left, right, top and bottom, in pixels.

    ``gap``: (H, W) where nothing is shown, ``mx`` and ``my`` pixels wider than the frame on each side. Negative where
    the gap reaches into the frame; None where it ends nowhere in what was looked at. Specks of one pixel do not count.
    """
    solid = gap[1:, :] & gap[:-1, :]
    solid = solid[:, 1:] & solid[:, :-1]  # 2 × 2 pixels
    cleaned = np.zeros_like(gap)
    for dy in (0, 1):
        for dx in (0, 1):
            cleaned[dy : dy + solid.shape[0], dx : dx + solid.shape[1]] |= solid
    h, w = gap.shape
    inner, upright = cleaned[my : h - my], cleaned[:, mx : w - mx].T
    return [
        _beyond(inner, mx),
        _beyond(inner[:, ::-1], mx),
        _beyond(upright, my),
        _beyond(upright[:, ::-1], my),
    ]


def _beyond(rows: NDArray[np.bool_], edge: int) -> float | None:
    """Of rows that begin `edge` pixels before the frame does: the least room before it, over all rows."""
    outward, inward = rows[:, :edge][:, ::-1], rows[:, edge:]
    into = np.where(inward.all(1), inward.shape[1], np.argmin(inward, axis=1))
    if into.max(initial=0) > 0:
        return -float(into.max())
    ends = outward.any(axis=1)
    return float(np.argmax(outward[ends], axis=1).min()) if ends.any() else None


def hidden_by(engine: Engine, face: NDArray, pair: NDArray) -> str | None:
    """The cut-out that covers every pixel of a frame with its picture; None where there is none."""
    g, first = engine.geometry, int(face.flat[0])
    if first < 0 or not g.cutout[first] or (pair < 0).any() or (face < 0).any():
        return None
    return g.solid_ids[g.solid[first]] if (g.solid[face] == g.solid[first]).all() else None


def _strays(engine: Engine, seen: Seen, moment: Moment, found: dict[int, Stray]) -> None:
    """Take note of where a point in front of each piece would slip most."""
    g, t = engine.geometry, engine.throws
    thrown = np.flatnonzero(seen.pair >= 0)
    solids = g.solid[seen.face[thrown]]
    for solid in np.unique(solids):
        mine = thrown[solids == solid]
        mine = mine[:: max(1, len(mine) // SAMPLES)]
        eyes = t.standpoints[t.pair_plate[seen.pair[mine]]]
        slips = slip_between(g, moment, seen.point[mine], seen.face[mine], eyes, RELIEF)
        if not np.isfinite(slips).any():
            continue
        worst = int(np.nanargmax(slips))
        px = float(slips[worst])
        if int(solid) in found and found[int(solid)].slip_px >= px:
            continue
        k = moment.view.unit
        at = seen.pixels[mine[worst]] * k
        found[int(solid)] = Stray(
            solid=g.solid_ids[solid],
            surface=g.names[seen.face[mine[worst]]],
            slip_px=px,
            relief_m=_relief(engine, moment, seen, mine[worst], eyes[worst], px),
            frame=int(moment.frame),
            at=(float(at[0]), float(at[1])),
        )


def _relief(engine: Engine, moment: Moment, seen: Seen, one: int, eye: Array, slip: float) -> float | None:
    """The relief in metres whose slip would just be seen: one delivered pixel."""
    high = RELIEF
    for _ in range(4):  # the slip is nearly as its relief
        if not slip > 1e-6 or high > 1e3:
            return None
        high = high / slip
        given = (seen.point[one][None], seen.face[one][None], eye[None])
        slip = float(slip_between(engine.geometry, moment, *given, high)[0])
    return high


def along(shot: Shot, engine: Engine, moments: Sequence[Moment], told: Told | None = None) -> Along:
    """Look along a move; every frame of it where there are not too many. Widths and places are in delivered pixels."""
    picked = spread(moments, MOST)
    frames: list[AlongFrame] = []
    strays: dict[int, Stray] = {}
    edges: list[EdgeShown] = []
    borders = borders_of(shot, engine)
    room = (0.0, 0.0)
    for done, i in enumerate(picked):
        if told:
            told(done / len(picked))
        moment = moments[i].across(ACROSS)
        wide, mx, my = widened(moment.view)
        got = engine.measure(moment.seen(wide))
        k, (h, w) = moment.view.unit, (moment.view.height, moment.view.width)
        room = (mx * k, my * k)
        inner = (slice(my, my + h), slice(mx, mx + w))
        seen = _seen(engine, moment, got.face[inner], got.pair[inner])
        other = moments[i + 1 if i + 1 < len(moments) else max(i - 1, 0)].across(ACROSS)
        speed = _speeds(engine, seen, moment, other)
        sides = [None if v is None else v * k for v in room_beyond(got.verdict >= GAP, mx, my)]
        frames.append(
            AlongFrame(
                frame=int(moment.frame),
                speed_m_s=float(np.linalg.norm(other.view.position - moment.view.position) * shot.delivery.fps),
                near_px=speed[0] if speed else None,
                far_px=speed[1] if speed else None,
                left_px=sides[0],
                right_px=sides[1],
                top_px=sides[2],
                bottom_px=sides[3],
                hidden_by=hidden_by(engine, got.face[inner], got.pair[inner]),
            )
        )
        _strays(engine, seen, moment, strays)
        edges += seen_borders(engine, moment, got.face[inner], borders)
    width = moments[0].view.width * moments[0].view.unit
    return Along(
        frames=frames,
        strays=sorted(strays.values(), key=lambda s: -s.slip_px),
        edges=worst_borders(edges),
        rushed_px=width * RUSHED,
        room_px=room,
    )
