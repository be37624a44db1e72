from __future__ import annotations

from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field

from roofline.core.camera import View
from roofline.core.massing.kinds.base import Boxed, OnFeet, Point, pulled_height, rectangle
from roofline.core.massing.solids import Faces, Meshes, turned

STEP = 0.17  # metres: how high a step is taken to be


class Steps(OnFeet, Boxed):
    """A flight of steps in a box: rising away from its front."""

    kind: Literal["steps"] = "steps"
    count: Annotated[int, Field(ge=1, le=200)] = 3
    turn_deg: float = 0.0

    def shape(self, meshes: Meshes) -> Faces:
        w, h, d = self.size
        n = self.count
        profile = [(0.0, 0.0), (d, 0.0)]  # return, rise; the front is at d
        for i in range(n):
            profile += [(d - i * d / n, (i + 1) * h / n), (d - (i + 1) * d / n, (i + 1) * h / n)]
        m = len(profile)
        v = np.array([[x, y, z] for x in (0.0, w) for z, y in profile])
        names, loops = ["base"], [[0, m, m + 1, 1]]
        for i in range(1, m - 1):
            names.append(f"riser{(i + 1) // 2}" if i % 2 else f"tread{i // 2}")
            loops.append([i, m + i, m + i + 1, i + 1])
        names += ["back", "left", "right"]
        loops += [[m - 1, 2 * m - 1, m, 0], list(range(m)), [m + i for i in range(m)][::-1]]
        return Faces(turned(v, self.corner, self.turn_deg), names, loops)

    @classmethod
    def through(
        cls, view: View, ident: str, name: str, a: Point, b: Point, top: Point | None, level: float = 0.0
    ) -> Self:
        """A flight of steps on the rectangle between two foot points, rising away from the side that faces the
        camera."""
        low, high, q = rectangle(view, a, b, level, "steps")
        height = pulled_height(view, q, top, 3 * STEP)
        (w, d), eye = (high - low)[[0, 2]], view.position - (low + high) / 2
        corners = {0: (low[0], low[2]), 90: (low[0], high[2]), 180: (high[0], high[2]), 270: (high[0], low[2])}

        def towards(turn: int) -> float:
            angle = np.radians(turn)
            return float(eye @ np.array([np.sin(angle), 0, np.cos(angle)]))

        turn = max(corners, key=towards)
        size = (w, height, d) if turn in (0, 180) else (d, height, w)
        return cls(
            id=ident,
            name=name,
            corner=(float(corners[turn][0]), level, float(corners[turn][1])),
            size=(float(size[0]), height, float(size[2])),
            count=max(1, round(height / STEP)),
            turn_deg=float(turn),
        )
