from __future__ import annotations

from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import Field

from roofline.core.camera import Array, View
from roofline.core.massing.kinds.base import SMALLEST, Axis, Drawing, Placing, Solid
from roofline.core.massing.solids import Faces, Meshes, heading
from roofline.errors import MassingError
from roofline.model.base import Positive, Vec3

FAR = 120.0  # metres to a backdrop, until it has been said


class Backdrop(Solid):
    """A far upright screen facing `heading_deg` reversed; bent about the viewer when `arc_deg` is above zero.

    `dome_deg` above zero closes it overhead: a part of a sphere about the viewer's foot, up to that elevation.
    """

    kind: Literal["backdrop"] = "backdrop"
    own: ClassVar[frozenset[str]] = frozenset({"viewer", "heading_deg", "distance", "width", "base", "height"})
    feet: ClassVar[int | None] = 0
    snaps: ClassVar[bool] = False
    viewer: Vec3
    heading_deg: float
    distance: Positive
    width: Positive
    base: float
    height: Positive
    arc_deg: Annotated[float, Field(ge=0, le=360)] = 0.0
    dome_deg: Annotated[float, Field(ge=0, le=90)] = 0.0

    def shape(self, meshes: Meshes) -> Faces:
        ahead, right = heading(self.heading_deg)
        viewer = np.array(self.viewer)
        up = np.array([0, 1.0, 0])
        if self.dome_deg > 0:
            return self._dome(ahead, right)
        base = np.array([viewer[0], self.base, viewer[2]])
        if self.arc_deg <= 0:
            middle = base + ahead * self.distance
            feet = [middle - right * self.width / 2, middle + right * self.width / 2]
        else:
            n = max(2, int(np.ceil(self.arc_deg / 6)) + 1)
            angles = np.radians(np.linspace(-self.arc_deg / 2, self.arc_deg / 2, n))
            feet = [base + self.distance * (np.cos(a) * ahead + np.sin(a) * right) for a in angles]
        v = np.array(feet + [f + up * self.height for f in feet])
        m = len(feet)
        loops = [[i, i + 1, m + i + 1, m + i] for i in range(m - 1)]
        return Faces(v, ["front"] if m == 2 else [f"panel{i + 1}" for i in range(m - 1)], loops)

    def _dome(self, ahead: Array, right: Array) -> Faces:
        """A part of a sphere about the viewer's foot, seen from inside: rings at every ten degrees or so of
        elevation."""
        rings = max(1, int(np.ceil(self.dome_deg / 10)))
        arc = self.arc_deg if self.arc_deg > 0 else 180.0
        n = max(3, int(np.ceil(arc / 10)) + 1)
        centre = np.array([self.viewer[0], self.base, self.viewer[2]])
        turns = np.radians(np.linspace(-arc / 2, arc / 2, n))
        tilts = np.radians(np.linspace(0, self.dome_deg, rings + 1))
        closed = self.dome_deg >= 90 - 1e-9
        up = np.array([0, 1.0, 0])
        v = [
            centre + self.distance * (np.cos(e) * (np.cos(a) * ahead + np.sin(a) * right) + np.sin(e) * up)
            for e in (tilts[:-1] if closed else tilts)
            for a in turns
        ]
        names, loops = [], []
        for r in range(rings):
            for i in range(n - 1):
                low = [r * n + i, r * n + i + 1]
                top = [len(v)] if closed and r == rings - 1 else [(r + 1) * n + i + 1, (r + 1) * n + i]
                names.append(f"panel{i + 1}" if r == 0 else f"ring{r + 1}-{i + 1}")
                loops.append([*low, *top])
        if closed:
            v.append(centre + np.array([0, self.distance, 0]))
        return Faces(np.array(v), names, loops)

    def placed(self, to: Placing) -> Self:
        return self.with_(
            viewer=to.p3(self.viewer),
            base=to.y(self.base),
            distance=self.distance * to.scale,
            width=self.width * to.scale,
            height=self.height * to.scale,
            heading_deg=self.heading_deg - to.turn_deg,
        )

    def mirrored(self, at: float) -> Self:
        x, y, z = self.viewer
        return self.with_(viewer=(2 * at - x, y, z), heading_deg=-self.heading_deg)

    def pulled(self, corner: int, start: Array, axis: Axis, by: float) -> Self:
        if axis != "rise" or self.dome_deg != 0:
            raise MassingError("A backdrop is set by its distance and heading; drag its top or foot along rise.")
        if start[1] > self.base + self.height / 2:
            return self.with_(height=max(self.height + by, SMALLEST))
        by = min(by, self.height - SMALLEST)
        return self.with_(base=self.base + by, height=self.height - by)

    def shoved(self, face: str, normal: Array, by: float) -> Self:
        return self.with_(distance=max(self.distance - by, SMALLEST))

    @classmethod
    def drawn(cls, d: Drawing) -> Self:
        return cls.through(d.view, *d.called("backdrop"), d.distance if d.distance is not None else FAR)

    @classmethod
    def through(cls, view: View, ident: str, name: str, distance: float, margin: float = 0.6) -> Self:
        """An upright screen `distance` metres away that covers the whole photo and a margin (of its size) around it."""
        if distance <= 0:
            raise MassingError(f"A backdrop must stand some metres away, not {distance:g}.")
        ahead = view.rotation[2]
        turn = float(np.degrees(np.arctan2(ahead[0], -ahead[2])))
        out, right = heading(turn)
        m = margin
        w, h = view.width, view.height
        pixels = np.array([(-m * w, -m * h), (w + m * w, -m * h), (w + m * w, h + m * h), (-m * w, h + m * h)])
        rays = view.rays(pixels)
        along = rays @ out
        if np.any(along < 0.05):
            raise MassingError("The camera looks too steeply for an upright backdrop.")
        spots = rays * (distance / along)[:, None]
        top = float(view.position[1] + spots[:, 1].max())
        base = min(0.0, float(view.position[1]) - 2.0)
        return cls(
            id=ident,
            name=name,
            viewer=(float(view.position[0]), 0.0, float(view.position[2])),
            heading_deg=turn,
            distance=distance,
            width=2 * float(np.abs(spots @ right).max()),
            base=base,
            height=max(top - base, 1.0),
        )
