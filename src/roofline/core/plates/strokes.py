"""Strokes of a brush as coverage."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numba import njit
from numpy.typing import NDArray

from roofline.core.camera import Array


@njit(cache=True, nogil=True, error_model="numpy")
def _dab(points, radius, hardness, out):  # type: ignore[no-untyped-def]
    """Lay one stroke on (H, W): in full within its hard core, then falling off smoothly to its rim; the most counts."""
    height, width = out.shape
    core = radius * hardness
    soft = max(radius - core, 1.0)  # a hard brush is antialiased over a pixel
    rim = core + soft if radius - core >= 1.0 else radius + 0.5
    core = rim - soft
    for i in range(max(1, len(points) - 1)):
        ax, ay = points[i, 0], points[i, 1]
        bx, by = (points[i + 1, 0], points[i + 1, 1]) if len(points) > 1 else (ax, ay)
        dx, dy = bx - ax, by - ay
        size = dx * dx + dy * dy
        x0, x1 = max(0, int(min(ax, bx) - rim)), min(width, int(max(ax, bx) + rim) + 2)
        y0, y1 = max(0, int(min(ay, by) - rim)), min(height, int(max(ay, by) + rim) + 2)
        for y in range(y0, y1):
            for x in range(x0, x1):
                px, py = x + 0.5 - ax, y + 0.5 - ay
                t = min(1.0, max(0.0, (px * dx + py * dy) / size)) if size > 0 else 0.0
                away = np.sqrt((px - t * dx) ** 2 + (py - t * dy) ** 2)
                if away >= rim:
                    continue
                value = 1.0
                if away > core:
                    s = (rim - away) / soft
                    value = s if soft <= 1.0 else s * s * (3 - 2 * s)
                out[y, x] = max(out[y, x], value)


def laid(strokes: Iterable[tuple[Array, float, float]], width: int, height: int) -> NDArray[np.float32]:
    """What strokes cover, (H, W) float32: each has points (N, 2) in pixels from the corner, a radius and a hardness."""
    out = np.zeros((height, width), dtype=np.float32)
    for points, radius, hardness in strokes:
        _dab(np.ascontiguousarray(points, dtype=np.float64).reshape(-1, 2), float(radius), float(hardness), out)
    return out
