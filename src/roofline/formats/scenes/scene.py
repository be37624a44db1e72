"""What a scene file holds, whatever its format."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from itertools import product
from pathlib import Path
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import Array, View, matrix_to_quaternion
from roofline.core.moment import Moment, Pose
from roofline.formats.package import slug
from roofline.model.shot import Shot

FLIP = np.diag([1.0, -1.0, -1.0])  # our camera axes → those of glTF, OBJ viewers and USD
Alpha = Literal["opaque", "mask", "blend"]


@dataclass
class Image:
    """A picture on faces: a file's bytes, what they are, and what its alpha means."""

    name: str
    data: bytes
    suffix: str
    alpha: Alpha
    #: display values, which readers turn into linear light, or linear values
    display: bool = True

    @property
    def mime(self) -> str:
        return "image/jpeg" if self.suffix == ".jpg" else "image/png"


@dataclass
class Surface:
    """One face, or a part of one: corners shared by its triangles."""

    name: str
    points: Array  # (V, 3) world, metres
    triangles: NDArray[np.int64]  # (T, 3), to the left as seen from the front
    normal: Array | None  # (3,) or None where it is not flat
    uv: Array | None  # (V, 2), 0…1 from the picture's top left corner
    image: str | None  # key of `SceneOut.images`; None: nothing is thrown on it


@dataclass
class Piece:
    """A solid with its surfaces; its pivot is at its foot."""

    id: str
    name: str
    group: str | None
    hidden: bool
    surfaces: list[Surface] = field(default_factory=list)

    @property
    def pivot(self) -> Array:
        """World point (3,): the middle of its ground plan, at its lowest height."""
        points = np.concatenate([s.points for s in self.surfaces])
        low, high = points.min(0), points.max(0)
        return np.array([(low[0] + high[0]) / 2, low[1], (low[2] + high[2]) / 2])


@dataclass(frozen=True, eq=False)
class Tracks:
    """How a piece moves, by frame: where its pivot is (N, 3), its turns as quaternions x, y, z, w (N, 4), its scales
    (N,) and how opaque it is (N,)."""

    positions: Array
    turns: Array
    scales: Array
    opacities: Array

    @property
    def fades(self) -> bool:
        return bool((self.opacities < 1).any())


@dataclass
class SceneOut:
    """All that a scene file holds."""

    shot: Shot
    pieces: list[Piece]
    images: dict[str, Image]
    frames: list[Moment]
    photographers: dict[str, View]  # by the photos' names

    def clipping(self) -> tuple[float, float]:
        """Near and far planes, metres, between which all of the set lies in every frame."""
        eyes = np.array([m.view.position for m in self.frames])
        far = 0.0
        for piece in self.pieces:
            points = np.concatenate([s.points for s in piece.surfaces])
            corners = np.array(list(product(*zip(points.min(0), points.max(0), strict=True))))
            poses = [m.poses.get(piece.id) for m in self.frames]
            there = [corners if p is None else p.shift + p.scale * corners @ p.rotation.T for p in poses]
            far = max(far, float(np.linalg.norm(np.array(there) - eyes[:, None], axis=-1).max()))
        return max(min(0.05, far / 1e5), 1e-3), max(1.05 * far, 1.0)

    def tracks(self, piece: Piece) -> Tracks | None:
        """How a piece moves; None for one that stands."""
        poses = [m.poses.get(piece.id) for m in self.frames]
        if all(p is None for p in poses):
            return None
        there, pivot = [Pose() if p is None else p for p in poses], piece.pivot
        positions = np.array([p.shift + p.scale * p.rotation @ pivot for p in there])
        turns = steady([matrix_to_quaternion(p.rotation)[[1, 2, 3, 0]] for p in there])
        return Tracks(positions, turns, np.array([p.scale for p in there]), np.array([p.opacity for p in there]))

    def times(self) -> Array:
        """Seconds (N,) of the frames, from the first on."""
        return np.array([m.frame - self.frames[0].frame for m in self.frames]) / self.shot.delivery.fps

    def camera_tracks(self) -> tuple[Array, Array]:
        """Positions (N, 3) and quaternions x, y, z, w (N, 4) of a camera that looks along −Z."""
        positions = np.array([m.view.position for m in self.frames])
        return positions, steady([quaternion_of(m.view) for m in self.frames])


def steady(turns: list[Array]) -> Array:
    """Quaternions (N, 4), each of the sign that is nearer to the one before: readers go the short way between."""
    out: list[Array] = []
    for turn in turns:
        out.append(-turn if out and turn @ out[-1] < 0 else turn)
    return np.array(out)


def quaternion_of(view: View) -> Array:
    """Quaternion x, y, z, w of a camera that looks along −Z."""
    w, x, y, z = matrix_to_quaternion(view.rotation.T @ FLIP)
    return np.array([x, y, z, w])


def centred(view: View) -> tuple[float, float, tuple[float, float]]:
    """Width and height of the least frame about the lens's axis that holds a view's, and where that lies in it.

    Readers that know no principal point draw this frame, and cut the view's out of it.
    """
    (cx, cy), w, h = view.centre, view.width, view.height
    wide, tall = 2 * max(cx, w - cx), 2 * max(cy, h - cy)
    return wide, tall, (wide / 2 - cx, tall / 2 - cy)


def image_files(scene: SceneOut, out: Path) -> dict[str, Path]:
    """Names for the pictures that lie beside a scene file, by key.

    They are plain: what a name may hold (``@``, quotes), a path in a scene file may not.
    """
    taken: set[str] = set()
    return {
        key: out.with_name(slug(f"{out.stem}-{image.name}", taken, image.suffix)) for key, image in scene.images.items()
    }


def one_line(name: str) -> str:
    """A name without what ends a line."""
    return " ".join(name.split()) or "unnamed"


def prim_names(names: Iterable[str]) -> dict[str, str]:
    """USD identifiers for names: letters, digits and underscores, not beginning with a digit, no two alike."""
    found: dict[str, str] = {}
    taken: set[str] = set()
    for name in dict.fromkeys(names):
        plain = "".join(c if c.isalnum() and c.isascii() else "_" for c in name)
        base = plain if plain and not plain[0].isdigit() else f"_{plain}"
        ident, n = base, 2
        while ident in taken:
            ident, n = f"{base}_{n}", n + 1
        taken.add(ident)
        found[name] = ident
    return found
