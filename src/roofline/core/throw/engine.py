"""The engine: a set and what is thrown on it, asked for measures, single pixels or pictures at any moment.

It has four parts, each of which is worked out when what it is made of has changed, and by itself: the geometry, the
plates' sight of it, the plates' pictures, and the limits, which are an argument.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import Array, View
from roofline.core.light import coded, linear_of
from roofline.core.massing.solids import NO_MESHES, Meshes, faces_of
from roofline.core.moment import Moment
from roofline.core.throw import measure as m
from roofline.core.throw.cast import Cast
from roofline.core.throw.geometry import Geometry, geometry_of, part_of
from roofline.core.throw.memory import keep_freed_memory
from roofline.core.throw.pictures import Held, pyramid_of, textures_of
from roofline.core.throw.projection import Projection, project
from roofline.core.throw.raster import rasterise
from roofline.core.throw.sample import paint
from roofline.core.throw.sight import NOTHING_SEEN, Sight, resting, sight_of
from roofline.core.throw.throws import PlatePicture, Throws, throws_of
from roofline.model.base import VERDICTS
from roofline.model.move import Limits
from roofline.model.reports import ProbeReport, Rejected
from roofline.model.shot import Shot

keep_freed_memory()
CLEAR = 1 / 512  # opacity below which nothing of a piece is seen
BEFORE, UNIT = len(Projection._fields), Cast._fields.index("unit")  # what of a cast is each view's own
REASONS: tuple[Any, ...] = ("outside", "matte", "hidden", "back")


@dataclass
class Measures:
    """Measures of a view, all (H, W), their rows not end to end.

    Verdicts index `roofline.model.base.VERDICTS`; face and pair −1 where none.
    """

    face: NDArray[np.int32]
    pair: NDArray[np.int32]
    verdict: NDArray[np.uint8]
    stretch: NDArray[np.float32]
    magnification: NDArray[np.float32]


def limits_of(geometry: Geometry, limits: Limits) -> Array:
    """Stretch and magnification that each face may have, (F, 2)."""
    out = np.full((len(geometry.names), 2), (limits.stretch, limits.magnification), dtype=np.float64)
    for f, name in enumerate(geometry.names) if limits.surfaces else ():
        own = limits.surfaces.get(name) or limits.surfaces.get(geometry.solid_ids[geometry.solid[f]])
        if own is not None:
            out[f] = own.stretch or limits.stretch, own.magnification or limits.magnification
    return out


@dataclass(frozen=True)
class Running:
    """What of an engine follows the frame, since plates are videos: the engine of a frame, and whether mattes change
    with it; where they do not, measures are the same on every frame."""

    engine: Callable[[float], Engine]
    mattes: bool


class Engine:
    """Measures and pictures of one set. Sight and pictures are worked out when they are first needed.

    Parameters
    ----------
    geometry, throws
        The set, and what is thrown on it.
    sight, textures
        Called once each, when the plates' visibility and their colours are first needed.
    running
        Where plates are videos.
    painted
        Whether the textures hold display values, so that layers are laid over one another as a painter's are.
    """

    def __init__(
        self,
        geometry: Geometry,
        throws: Throws,
        sight: Callable[[], Sight],
        textures: Callable[[], Held],
        running: Running | None = None,
        painted: bool = False,
    ):
        self.geometry, self.throws = geometry, throws
        self._sight, self._textures, self.running, self.painted = sight, textures, running, painted

    @cached_property
    def sight(self) -> Sight:
        return self._sight()

    @cached_property
    def textures(self) -> Held:
        """Pyramids of all plates."""
        return self._textures()

    @cached_property
    def _counts(self) -> tuple[Any, ...]:
        return resting(self.geometry, self.throws, NOTHING_SEEN)[BEFORE:UNIT]

    @cached_property
    def _arrays(self) -> tuple[Any, ...]:
        return resting(self.geometry, self.throws, self.sight.seen)[UNIT + 2 :]

    @cached_property
    def _standard(self) -> Array:
        return limits_of(self.geometry, Limits())

    def cast(self, moment: Moment, limits: Array | None = None) -> Cast:
        """The arrays of a moment for the compiled loops; ``limits``: see `limits_of`, those of a new shot by
        default."""
        projection = self._projection(moment)
        given = self._standard if limits is None else limits
        return Cast._make((*projection, *self._counts, float(moment.view.unit), given.ravel(), *self._arrays))

    def measure(self, moment: Moment, limits: Array | None = None) -> Measures:
        """Verdict, surface, plate, stretch and magnification at every pixel centre.

        Through a piece that fades what lies behind is seen as well: the worse of the two verdicts counts, with its
        surface.
        """
        if self.running and self.running.mattes:
            return self.running.engine(moment.frame).measure(moment, limits)
        view = moment.view
        got = Measures(*m.measure(self.cast(moment, limits), self.sight.shadows, view.width, view.height))
        if all(pose.opacity == 1 for pose in moment.poses.values()):
            return got
        through = (self._opacity(moment) < 1)[got.face] & (got.face >= 0)
        if not through.any():
            return got
        gone = {s: replace(p, opacity=0.0 if p.opacity < 1 else 1.0) for s, p in moment.poses.items()}
        behind = self.measure(replace(moment, poses=gone), limits)
        worse = through & (behind.verdict > got.verdict)
        for mine, theirs in zip(vars(got).values(), vars(behind).values(), strict=True):
            mine[worse] = theirs[worse]
        return got

    def _opacity(self, moment: Moment) -> NDArray[np.float32]:
        """How opaque every face is, (F,)."""
        by_solid = [moment.poses[s].opacity if s in moment.poses else 1.0 for s in self.geometry.solid_ids]
        return np.array(by_solid, dtype=np.float32)[self.geometry.solid]

    def _projection(self, moment: Moment) -> Projection:
        """A moment's projection; of what is quite clear nothing is seen."""
        found = project(self.geometry, self.throws, moment)
        if any(pose.opacity < CLEAR for pose in moment.poses.values()):
            clear = self._opacity(moment) < CLEAR
            found.piece_boxes.reshape(-1, 4)[clear[self.geometry.pieces.face]] = 0
        return found

    def _nearest(self, moment: Moment) -> tuple[Cast, NDArray[np.int32]]:
        """The nearest face (H, W) at every pixel centre, and the cast that it was found in; no plate's sight is
        needed."""
        cast = self.nearest_cast(moment)
        return cast, rasterise(cast, self.geometry.pieces.face, moment.view.width, moment.view.height)

    def nearest_cast(self, moment: Moment) -> Cast:
        """The arrays of a moment for finding what is nearest; no plate's sight is needed."""
        rest = resting(self.geometry, self.throws, NOTHING_SEEN)
        return rest._replace(**self._projection(moment)._asdict())

    def nearest(self, moment: Moment, behind: bool = False) -> NDArray[np.int32]:
        """The nearest face (H, W) at every pixel centre, −1 where there is none; ``behind``: cut-outs not counted."""
        q = self.geometry.pieces
        if not behind:
            return self._nearest(moment)[1]
        opaque = np.where(self.geometry.cutout[q.face], np.int32(-1), q.face)
        return rasterise(self.nearest_cast(moment), opaque, moment.view.width, moment.view.height)

    def order(self, moment: Moment, solid: str) -> tuple[dict[str, float], dict[str, float]]:
        """What hides a cut-out and which cut-outs it hides, by id: shares 0…1 of what each would show by itself."""
        g, view = self.geometry, moment.view
        cast, seen = self._nearest(moment)
        owner = np.append(g.solid, np.int32(-1))[seen]
        cut = np.unique(g.solid[g.cutout])

        def alone(number: int) -> NDArray[np.bool_]:
            label = np.where(g.solid[g.pieces.face] == number, np.int32(0), np.int32(-1))
            return rasterise(cast, label, view.width, view.height) == 0

        me = g.solid_ids.index(solid) if solid in g.solid_ids else -1
        mine = alone(me)
        by = {g.solid_ids[s]: float((owner[mine] == s).mean()) for s in np.unique(owner[mine]) if s not in (me, -1)}
        shown, others = owner == me, [(s, alone(s)) for s in cut[cut != me]]
        hides = {g.solid_ids[s]: float(shown[theirs].mean()) for s, theirs in others if theirs[shown].any()}
        return by, hides

    def covered(self, moment: Moment) -> float:
        """The share, 0…1, of a view in which there is any surface."""
        return float((self._nearest(moment)[1] >= 0).mean())

    def depth(self, moment: Moment) -> NDArray[np.float32]:
        """Depth (H, W) in metres of the nearest surface at every pixel centre; infinite where there is none."""
        cast, face = self._nearest(moment)
        out = np.full(face.shape, np.inf, dtype=np.float32)
        y, x = np.nonzero(face >= 0)
        form = cast.depths.reshape(-1, 3)[face[y, x]]
        inverse = form[:, 0] * (x + 0.5) + form[:, 1] * (y + 0.5) + form[:, 2]
        out[y, x] = 1 / np.maximum(inverse, 1e-12)
        return out

    def probe(self, moment: Moment, pixel: tuple[float, float], limits: Array | None = None) -> ProbeReport:
        """The whole story of a continuous pixel of a view."""
        if self.running and self.running.mattes:
            return self.running.engine(moment.frame).probe(moment, pixel, limits)
        x, y = pixel
        view = moment.view
        centre = (view.centre[0] - x + 0.5, view.centre[1] - y + 0.5)
        one = moment.seen(View(1, 1, view.focal, centre, view.rotation, view.position))
        seen = self.measure(one, limits)
        face, n = int(seen.face[0, 0]), int(seen.pair[0, 0])
        if face < 0:
            return ProbeReport(
                surface=None,
                plate=None,
                verdict="void",
                world=None,
                depth_m=None,
                plate_pixel=None,
                stretch=None,
                magnification=None,
            )
        cast, t = self.cast(one, limits), self.throws
        depth = 1.0 / float(cast.depths[3 * face : 3 * face + 3] @ [0.5, 0.5, 1.0])
        world = view.position + view.rays(np.array([x, y])) * depth
        rejected = []
        for i in range(t.pair_start[face], t.pair_start[face + 1]):
            if i == n:
                break
            status = m.reach_at(cast, i, 0.5, 0.5)[0]
            rejected.append(Rejected(plate=t.plates[t.pair_plate[i]], reason=REASONS[status]))
        found = n >= 0
        u, v = m.reach_at(cast, n, 0.5, 0.5)[1:3] if found else (0.0, 0.0)
        return ProbeReport(
            surface=self.geometry.names[face],
            plate=t.plates[t.pair_plate[n]] if found else None,
            verdict=VERDICTS[seen.verdict[0, 0]],
            world=(float(world[0]), float(world[1]), float(world[2])),
            depth_m=depth,
            plate_pixel=(float(u), float(v)) if found else None,
            stretch=float(seen.stretch[0, 0]) if found else None,
            magnification=float(seen.magnification[0, 0]) if found else None,
            rejected=rejected,
        )

    def picture(self, moment: Moment) -> NDArray[np.float32]:
        """Picture (H, W, 4): linear light, premultiplied; transparent where there is nothing to show."""
        if self.running:
            return self.running.engine(moment.frame).picture(moment)
        fine = moment.resized(moment.view.width * 2, moment.view.height * 2)
        q = self.geometry.pieces
        cut = self.geometry.cutout[q.face]
        opaque = np.where(cut, np.int32(-1), q.face)
        nearest = rasterise(self.cast(fine), opaque, fine.view.width, fine.view.height)
        got = paint(nearest, np.flatnonzero(cut), self._opacity(moment), self.cast(moment), self.textures.textures)
        return _in_light(got) if self.painted else got

    def cut_out_cover(self, moment: Moment, solid: str) -> NDArray[np.float32]:
        """How much of every pixel (H, W) a cut-out covers by itself, 0…1."""
        if self.running:
            return self.running.engine(moment.frame).cut_out_cover(moment, solid)
        g = self.geometry
        mine = g.cutout & (g.solid == g.solid_ids.index(solid))
        cut = np.flatnonzero(mine[g.pieces.face])
        nothing = np.full((2 * moment.view.height, 2 * moment.view.width), -1, dtype=np.int32)
        got = paint(nothing, cut, self._opacity(moment), self.cast(moment), self.textures.textures)
        return np.asarray(got[..., 3])


def _in_light(painted: NDArray[np.float32]) -> NDArray[np.float32]:
    """A premultiplied picture (H, W, 4) of display values, as linear light."""
    alpha = painted[..., 3:]
    colour = linear_of(painted[..., :3] / np.maximum(alpha, 1e-6))
    return np.concatenate([colour * alpha, alpha], axis=2).astype(np.float32)


def engine_of(shot: Shot, pictures: dict[str, PlatePicture], meshes: Meshes = NO_MESHES) -> Engine:
    """The engine of a shot, none of it kept from before.

    ``pictures``: the pixels of every plate, by id; ``meshes``: what the files of imported pieces contain, by file.
    """
    geometry = geometry_of([(s.id, part_of(faces_of(s, meshes))) for s in shot.set_pieces])
    throws, painted = throws_of(shot, geometry, pictures), shot.delivery.blend == "as_painted"
    return Engine(
        geometry,
        throws,
        lambda: sight_of(geometry, throws),
        lambda: textures_of(
            [pyramid_of(coded(p.colour()) if painted else p.colour(), p.matte) for p in throws.pictures]
        ),
        painted=painted,
    )
