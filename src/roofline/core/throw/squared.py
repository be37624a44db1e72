"""A face's own picture: what is thrown on it, composited on its plane, squared up."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from roofline.core.camera import Array, View
from roofline.core.moment import still
from roofline.core.throw.cast import open_cast
from roofline.core.throw.engine import Engine
from roofline.core.throw.footprint import SPACE
from roofline.core.throw.lent import lent, write_table
from roofline.core.throw.sample import cut_colour, shade
from roofline.core.throw.threads import ALONE, side_by_side


@dataclass(frozen=True)
class Plane:
    """A face's plane with directions of its own: level first, then up, as seen from its front."""

    origin: Array  # (3,) a point of it
    along: Array  # (3,) unit
    up: Array  # (3,) unit

    @staticmethod
    def of(normal: Array, origin: Array) -> Plane:
        """The plane through a point with a unit normal; one that lies level counts return as up."""
        level = np.cross([0.0, 1.0, 0.0], normal)
        size = float(np.linalg.norm(level))
        along = level / size if size > 1e-6 else np.array([1.0, 0.0, 0.0])
        return Plane(np.asarray(origin), along, np.cross(normal, along))

    def flat(self, points: Array) -> Array:
        """World points (…, 3) → metres along and up (…, 2)."""
        return np.stack([(points - self.origin) @ self.along, (points - self.origin) @ self.up], axis=-1)

    def world(self, flat: Array) -> Array:
        """Metres along and up (…, 2) → world points (…, 3)."""
        return np.asarray(self.origin + flat[..., :1] * self.along + flat[..., 1:] * self.up)


@dataclass(frozen=True)
class Grid:
    """Texels over a rectangle of a plane: the first lies at its upper left, as in any picture."""

    low: Array  # (2,) metres
    high: Array  # (2,)
    size: tuple[int, int]  # texels along, up

    @property
    def step(self) -> Array:
        """Metres of a texel along and up."""
        return (self.high - self.low) / self.size

    def place(self, flat: Array) -> Array:
        """Metres (…, 2) → continuous texels (…, 2), y downwards."""
        off = (flat - self.low) / self.step
        return np.stack([off[..., 0], self.size[1] - off[..., 1]], axis=-1)


@njit(cache=True, nogil=True, error_model="numpy")
def _paint_rows(cast, tex, face, asked, begin, end, out):  # type: ignore[no-untyped-def]
    """Rows [begin, end) of `Squared.picture`."""
    acc, one = np.zeros(4, dtype=np.float32), np.zeros(4, dtype=np.float32)
    words, room = np.empty(len(cast), np.int64), np.empty(SPACE, np.float32)
    write_table(lent(cast), words)
    table, tex, lent_acc, lent_one, lent_room = lent(words), lent(tex), lent(acc), lent(one), lent(room)
    cut = open_cast(table).cutout[face]
    for row in range(begin, end):
        for col in range(out.shape[1]):
            if not asked[row, col]:
                continue
            if cut:
                cut_colour(table, tex, face, col + 0.5, row + 0.5, lent_room, lent_acc)
            else:
                shade(table, tex, face, col + 0.5, row + 0.5, 0.0, 0.0, lent_room, lent_acc, lent_one)
            for i in range(4):
                out[row, col, i] = acc[i]
    return len(words) + len(room) + len(acc) + len(one)  # what is lent is let go of after its last mention


class Squared:
    """Pictures of an engine's faces."""

    def __init__(self, engine: Engine):
        self.engine = engine
        t = engine.throws
        nowhere = View(1, 1, 1.0, (0.5, 0.5), np.eye(3), np.zeros(3))
        self._cast = engine.cast(still(nowhere))
        self._maps, self._boxes = np.zeros((len(t.pair_plate), 9)), np.zeros((len(t.pair_plate), 4))
        self._boxes[:] = (-np.inf, -np.inf, np.inf, np.inf)
        self._cast = self._cast._replace(maps=self._maps.reshape(-1), boxes=self._boxes.reshape(-1))

    def picture(self, face: int, plane: Plane, grid: Grid, asked: NDArray[np.bool_]) -> NDArray[np.float32]:
        """What is thrown on a face, (H, W, 4) float32, linear and premultiplied, at the texels (H, W) asked for.

        ``plane``: the face's. Texels off the face are answered for its plane, if they are asked for.
        """
        t, e = self.engine.throws, self.engine
        corner = plane.world(np.array([grid.low[0], grid.high[1]]))
        columns = np.stack([plane.along * grid.step[0], -plane.up * grid.step[1]], axis=1)
        for n in range(t.pair_start[face], t.pair_start[face + 1]):
            p = t.pair_plate[n]
            to_world = np.column_stack([columns, corner - t.standpoints[p]])
            self._maps[n] = (t.fronts[p] @ to_world).ravel()
        out = np.zeros((grid.size[1], grid.size[0], 4), dtype=np.float32)
        tex = e.textures.textures
        side_by_side(
            lambda begin, end: _paint_rows(self._cast, tex, np.int64(face), asked, begin, end, out),
            grid.size[1],
            out.shape[0] * out.shape[1] > ALONE // 4,
        )
        return out
