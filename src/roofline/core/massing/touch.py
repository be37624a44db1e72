"""What lies under the pointer: faces that a pixel's ray hits, and corners, edges, heights and traced edges to snap
to."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import Array, View
from roofline.core.massing.kinds import known
from roofline.core.massing.planes import plane_of, triangles_of
from roofline.core.massing.solids import NO_MESHES, Faces, Meshes, faces_of
from roofline.model.solids import AnySolid

Mode = Literal["foot", "face", "height"]
LEVEL = 0.95  # a face whose normal rises more than this can be stood on


@dataclass(frozen=True)
class Hit:
    """A ray's nearest face."""

    solid: str
    face: str
    world: Array
    normal: Array


@dataclass(frozen=True)
class Touch:
    """Where a click lands: the pixel after snapping, its place, what it stuck to in words, and the face it lies on."""

    pixel: tuple[float, float]
    world: Array | None
    to: str | None = None
    surface: str | None = None
    ends: Array | None = None  # (2, 3) of the edge that it stuck to


@dataclass
class Place:
    """The pieces of a shot, ready to be asked about. Cut-outs are looked through."""

    solids: list[AnySolid]
    meshes: Meshes = field(default_factory=lambda: NO_MESHES)

    @cached_property
    def faces(self) -> list[Faces]:
        return [faces_of(s, self.meshes) for s in self.solids]

    @cached_property
    def triangles(self) -> tuple[Array, NDArray[np.int64], NDArray[np.int64]]:
        """Corners (T, 3, 3) of all triangles, and each one's solid and face by number."""
        corners, solid, face = [], [], []
        for s, f in enumerate(self.faces):
            if f.cutout:
                continue
            for n, loop in enumerate(f.loops):
                p = f.vertices[loop]
                t = np.array([[0, 1, 2]]) if len(loop) == 3 else triangles_of(p)
                corners.append(p[t])
                solid.append(np.full(len(t), s))
                face.append(np.full(len(t), n))
        if not corners:
            return np.zeros((0, 3, 3)), np.zeros(0, np.int64), np.zeros(0, np.int64)
        return np.concatenate(corners), np.concatenate(solid), np.concatenate(face)

    @cached_property
    def corners(self) -> tuple[Array, NDArray[np.int64]]:
        """Vertices (V, 3) to snap to, and each one's solid. Backdrops have none worth it."""
        parts = [(f.vertices, s) for s, f in enumerate(self.faces) if known(self.solids[s]).snaps]
        if not parts:
            return np.zeros((0, 3)), np.zeros(0, np.int64)
        return np.concatenate([v for v, _ in parts]), np.concatenate([np.full(len(v), s) for v, s in parts])

    @cached_property
    def edges(self) -> tuple[Array, NDArray[np.int64]]:
        """Ends (E, 2, 3) of the faces' sides, once each, and each one's solid; ways to a hole and back are none."""
        ends, solid = [], []
        for s, f in enumerate(self.faces):
            if not known(self.solids[s]).snaps or len(f.loops) > 5000:
                continue
            seen = set()
            for loop in f.loops:
                own = list(zip(loop, [*loop[1:], loop[0]], strict=True))
                both = set(own)
                for a, b in own:
                    if (b, a) in both or (min(a, b), max(a, b)) in seen:
                        continue
                    seen.add((min(a, b), max(a, b)))
                    ends.append(f.vertices[[a, b]])
                    solid.append(s)
        return np.array(ends).reshape(-1, 2, 3), np.array(solid, dtype=np.int64)

    def hits(self, origin: Array, ray: Array) -> list[Hit]:
        """All faces that a ray meets, nearest first (Möller and Trumbore, Journal of Graphics Tools 2, 1997)."""
        p, solid, face = self.triangles
        if not len(p):
            return []
        e1, e2 = p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]
        h = np.cross(ray, e2)
        det = np.einsum("ij,ij->i", e1, h)
        with np.errstate(divide="ignore", invalid="ignore"):
            s = origin - p[:, 0]
            u = np.einsum("ij,ij->i", s, h) / det
            q = np.cross(s, e1)
            v = np.einsum("j,ij->i", ray, q) / det
            k = np.einsum("ij,ij->i", e2, q) / det
            inside = (u >= -1e-9) & (v >= -1e-9) & (u + v <= 1 + 1e-9) & (k > 1e-6) & np.isfinite(k)
        out = []
        seen = set()
        for t in np.flatnonzero(inside)[np.argsort(k[inside])]:
            key = (int(solid[t]), int(face[t]))
            if key in seen:
                continue
            seen.add(key)
            f = self.faces[key[0]]
            normal, _ = plane_of(f.vertices[f.loops[key[1]]])
            out.append(Hit(self.solids[key[0]].id, f.names[key[1]], origin + k[t] * ray, normal))
        return out

    def name(self, solid: int) -> str:
        return self.solids[solid].name

    # ------------------------------------------------------------ landing

    def land(self, view: View, pixel: tuple[float, float], mode: Mode, level: float | None) -> Touch:
        """Where a pixel lands, without snapping.

        ``face``: on the nearest face. ``foot``: on a given level; without one on the nearest face when it can be stood
        on, else on the ground (y = 0).
        """
        ray = view.rays(np.array(pixel))
        found = self.hits(view.position, ray) if mode == "face" or level is None else []
        if mode == "face":
            return (
                Touch(pixel, found[0].world, None, f"{found[0].solid}/{found[0].face}") if found else Touch(pixel, None)
            )
        if level is None and found and found[0].normal[1] > LEVEL:
            return Touch(pixel, found[0].world, None, f"{found[0].solid}/{found[0].face}")
        at = 0.0 if level is None else level
        drop = at - float(view.position[1])
        if abs(ray[1]) < 1e-12 or drop / ray[1] <= 0:
            return Touch(pixel, None)
        return Touch(pixel, view.position + ray * (drop / ray[1]), None, "ground" if level is None else None)

    def touch(
        self,
        view: View,
        pixel: tuple[float, float],
        mode: Mode = "foot",
        level: float | None = None,
        reach: float = 0.0,
        lines: list[tuple[Array, Array]] | None = None,
        base: Array | None = None,
    ) -> Touch:
        """Where a pixel lands, drawn to what lies within `reach` pixels of it; a reach of zero snaps to nothing.

        Corners come before edges and those before edges traced in the photo (``lines``, as pixels). On a given level
        only what lies on it counts. ``height`` is asked for over a ``base`` (3,): other corners' heights draw it.
        """
        if mode == "height" and base is not None:
            return self._height(view, pixel, base, reach)
        landed = self.land(view, pixel, mode, level)
        if reach <= 0:
            return landed
        at = np.array(pixel)
        corner = self._corner(view, at, level, reach)
        if corner is not None:
            return corner
        edge = self._edge(view, at, level, reach)
        if edge is not None:
            return edge
        traced = _traced(at, lines or [], reach)
        if traced is not None:
            there = self.land(view, (float(traced[0][0]), float(traced[0][1])), mode, level)
            return Touch(there.pixel, there.world, traced[1], there.surface)
        return landed

    def _corner(self, view: View, at: Array, level: float | None, reach: float) -> Touch | None:
        vertices, solid = self.corners
        if not len(vertices):
            return None
        p = view.project(vertices)
        off = np.where(np.isnan(p[:, 0]), np.inf, np.linalg.norm(p - at, axis=1))
        if level is not None:
            off = np.where(np.abs(vertices[:, 1] - level) < 1e-6, off, np.inf)
        near = np.flatnonzero(off < reach)
        if not len(near):
            return None
        # of corners behind one another the one in front
        best = near[np.argmin(off[near] + 1e-3 * np.linalg.norm(vertices[near] - view.position, axis=1))]
        return Touch(_pixel(p[best]), vertices[best], f"corner of {self.name(int(solid[best]))}", None)

    def _edge(self, view: View, at: Array, level: float | None, reach: float) -> Touch | None:
        ends, solid = self.edges
        if level is not None and len(ends):
            keep = np.all(np.abs(ends[:, :, 1] - level) < 1e-6, axis=1)
            ends, solid = ends[keep], solid[keep]
        if not len(ends):
            return None
        p = view.project(ends)
        d = p[:, 1] - p[:, 0]
        with np.errstate(divide="ignore", invalid="ignore"):
            t = np.clip(np.einsum("ij,ij->i", at - p[:, 0], d) / np.einsum("ij,ij->i", d, d), 0, 1)
        foot = p[:, 0] + t[:, None] * d
        off = np.linalg.norm(foot - at, axis=1)
        off = np.where(np.isnan(off), np.inf, off)
        best = int(np.argmin(off))
        if not off[best] < reach:
            return None
        # the point of the edge that the pixel's ray passes: the picture of an even division is not even
        ray = view.rays(foot[best])
        a, b = ends[best]
        along = b - a
        n = np.cross(ray, np.cross(along, ray))
        world = a + along * float(n @ (view.position - a)) / float(n @ along)
        return Touch(_pixel(foot[best]), world, f"edge of {self.name(int(solid[best]))}", None, ends[best])

    def _height(self, view: View, pixel: tuple[float, float], base: Array, reach: float) -> Touch:
        """A height over a base point: the point of its plumb line nearest to the pixel, or at another corner's
        height."""
        vertices, solid = self.corners
        at = np.array(pixel)
        if reach > 0 and len(vertices):
            levels, first = np.unique(np.round(vertices[:, 1], 6), return_index=True)
            spots = np.stack([np.full(len(levels), base[0]), levels, np.full(len(levels), base[2])], axis=1)
            p = view.project(spots)
            # only the height counts: how far aside the pointer is does not
            line = view.project(np.stack([base, base + [0, 1.0, 0]]))
            up = (line[1] - line[0]) / max(float(np.linalg.norm(line[1] - line[0])), 1e-12)
            off = np.where(np.isnan(p[:, 0]), np.inf, np.abs((p - at) @ up))
            off = np.where(levels > base[1] + 1e-3, off, np.inf)
            best = int(np.argmin(off))
            if off[best] < reach:
                return Touch(_pixel(p[best]), spots[best], f"height of {self.name(int(solid[first[best]]))}", None)
        return Touch(pixel, None)


def _pixel(p: Array) -> tuple[float, float]:
    return float(p[0]), float(p[1])


def _traced(at: Array, lines: list[tuple[Array, Array]], reach: float) -> tuple[Array, str] | None:
    """The crossing of two traced edges near a pixel, or else its foot on the nearest one."""
    near = []
    for a, b in lines:
        d = b - a
        size = float(np.linalg.norm(d))
        if size < 1e-9:
            continue
        t = float((at - a) @ d) / size**2
        off = abs(float(d[0] * (at - a)[1] - d[1] * (at - a)[0])) / size
        # an edge is carried on a little beyond its ends: that is where corners are
        if off < reach and -0.15 < t < 1.15:
            near.append((off, a, d / size))
    if not near:
        return None
    near.sort(key=lambda x: x[0])
    _, a, d = near[0]
    for _, c, e in near[1:]:
        cross = float(d[0] * e[1] - d[1] * e[0])
        if abs(cross) < 0.1:
            continue
        k = float((c - a)[0] * e[1] - (c - a)[1] * e[0]) / cross
        crossing = a + k * d
        if np.linalg.norm(crossing - at) < 1.5 * reach:
            return crossing, "where two traced edges cross"
    return a + d * float((at - a) @ d), "traced edge"
