"""Constructions through the photo: pixels of the straightened picture in, solids out."""

from __future__ import annotations

from typing import Literal

import numpy as np

from roofline.core.camera import Array, View
from roofline.core.massing.solids import faces_of, heading, turned
from roofline.core.survey.scale import along_line, ground_point
from roofline.errors import MassingError, SurveyError
from roofline.shot import AnySolid, Backdrop, Block, Column, Flat, Gable, Ground, Mesh, Wall

Axis = Literal["run", "rise", "return"]
AXES: dict[Axis, Array] = {"run": np.array([1.0, 0, 0]), "rise": np.array([0, 1.0, 0]), "return": np.array([0, 0, 1.0])}
SMALLEST = 0.01  # metres
NEW_HEIGHT = 2.5  # metres, until the height has been pulled
Point = tuple[float, float]


def foot(view: View, pixel: Point, level: float = 0.0) -> Array:
    """World point (3,) on the ground (or another level, metres) behind a pixel; raises MassingError."""
    try:
        return ground_point(view, np.array(pixel), level)
    except SurveyError as error:
        raise MassingError(str(error)) from None


def height_over(view: View, base: Array, pixel: Point) -> float:
    """Height in metres over `base` of the point of its plumb line that a pixel shows."""
    return along_line(view, np.array(pixel), base, AXES["rise"])


def ground(view: View, ident: str, name: str) -> Ground:
    """A ground around what the camera sees, 400 m wide."""
    ahead = view.rotation[2]
    return Ground(
        id=ident,
        name=name,
        centre=(float(view.position[0] + 100 * ahead[0]), float(view.position[2] + 100 * ahead[2])),
        size=(400.0, 400.0),
    )


def block(view: View, ident: str, name: str, a: Point, b: Point, top: Point | None, level: float = 0.0) -> Block:
    """A block on the rectangle between two foot points; `top` shows its height over the second."""
    p, q = foot(view, a, level), foot(view, b, level)
    low, high = np.minimum(p, q), np.maximum(p, q)
    if high[0] - low[0] < SMALLEST or high[2] - low[2] < SMALLEST:
        raise MassingError("The foot of a block needs a width and a depth: drag to the corner opposite.")
    height = NEW_HEIGHT if top is None else height_over(view, q, top)
    if height < SMALLEST:
        raise MassingError("Pull the height up from the foot.")
    return Block(
        id=ident,
        name=name,
        corner=(float(low[0]), level, float(low[2])),
        size=(float(high[0] - low[0]), height, float(high[2] - low[2])),
    )


def wall(view: View, ident: str, name: str, a: Point, b: Point, top: Point | None, level: float = 0.0) -> Wall:
    """A wall from foot to foot, facing the camera; `top` shows its height over the second foot."""
    p, q = foot(view, a, level), foot(view, b, level)
    if float(np.hypot(q[0] - p[0], q[2] - p[2])) < SMALLEST:
        raise MassingError("The foot of a wall needs a length: drag along where it meets the ground.")
    height = NEW_HEIGHT if top is None else height_over(view, q, top)
    if height < SMALLEST:
        raise MassingError("Pull the height up from the foot.")
    normal = np.cross(q - p, AXES["rise"])
    if normal @ (view.position - p) < 0:
        p, q = q, p
    return Wall(
        id=ident, name=name, a=(float(p[0]), float(p[2])), b=(float(q[0]), float(q[2])), base=level, height=height
    )


def flat(
    view: View, ident: str, name: str, at: Point, canvas: tuple[float, float, float, float], level: float = 0.0
) -> Flat:
    """An upright flat at a foot point, square to the view's heading, that shows all of a plate's canvas."""
    base = foot(view, at, level)
    ahead = view.rotation[2]
    turn = float(np.degrees(np.arctan2(ahead[0], -ahead[2])))
    out, right = heading(turn)
    x0, y0, w, h = canvas
    spots = []
    for pixel in ((x0, y0), (x0 + w, y0), (x0 + w, y0 + h), (x0, y0 + h)):
        ray = view.rays(np.array(pixel))
        along = float(ray @ out)
        if along <= 1e-6:
            raise MassingError("The plate reaches too far up or down for an upright flat there.")
        spot = view.position + ray * (float((base - view.position) @ out) / along) - base
        spots.append((float(spot @ right), float(spot[1])))
    s = np.array(spots)
    return Flat(
        id=ident,
        name=name,
        foot=(float(base[0]), float(base[1]), float(base[2])),
        heading_deg=turn,
        extent=(float(s[:, 0].min()), float(s[:, 0].max()), float(s[:, 1].min()), float(s[:, 1].max())),
    )


def backdrop(view: View, ident: str, name: str, distance: float, margin: float = 0.6) -> Backdrop:
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
    half = float(np.abs(spots @ right).max())
    top = float(view.position[1] + spots[:, 1].max())
    base = min(0.0, float(view.position[1]) - 2.0)
    return Backdrop(
        id=ident,
        name=name,
        viewer=(float(view.position[0]), 0.0, float(view.position[2])),
        heading_deg=turn,
        distance=distance,
        width=2 * half,
        base=base,
        height=max(top - base, 1.0),
    )


def pushed(solid: AnySolid, centre: Array, factor: float) -> AnySolid:
    """The solid moved in depth by a factor, scaled about home: from there its picture stays the same exactly."""
    if not 1e-3 <= factor <= 1e3:
        raise MassingError("A depth move goes from a thousandth to a thousand times the distance.")
    c = np.asarray(centre)

    def p3(v: tuple[float, float, float]) -> tuple[float, float, float]:
        x = c + factor * (np.array(v) - c)
        return float(x[0]), float(x[1]), float(x[2])

    def p2(v: tuple[float, float]) -> tuple[float, float]:
        x = p3((v[0], 0.0, v[1]))
        return x[0], x[2]

    def y(v: float) -> float:
        return float(c[1] + factor * (v - c[1]))

    f = factor
    match solid:
        case Ground():
            return solid.model_copy(
                update={
                    "centre": p2(solid.centre),
                    "height": y(solid.height),
                    "size": (solid.size[0] * f, solid.size[1] * f),
                }
            )
        case Block() | Gable():
            return solid.model_copy(update={"corner": p3(solid.corner), "size": tuple(s * f for s in solid.size)})
        case Column():
            return solid.model_copy(
                update={
                    "foot": p3(solid.foot),
                    "radius_foot": solid.radius_foot * f,
                    "radius_top": solid.radius_top * f,
                    "height": solid.height * f,
                }
            )
        case Wall():
            return solid.model_copy(
                update={"a": p2(solid.a), "b": p2(solid.b), "base": y(solid.base), "height": solid.height * f}
            )
        case Flat():
            return solid.model_copy(update={"foot": p3(solid.foot), "extent": tuple(e * f for e in solid.extent)})
        case Backdrop():
            return solid.model_copy(
                update={
                    "viewer": p3(solid.viewer),
                    "base": y(solid.base),
                    "distance": solid.distance * f,
                    "width": solid.width * f,
                    "height": solid.height * f,
                }
            )
        case Mesh():
            return solid.model_copy(update={"vertices": [p3(v) for v in solid.vertices]})


def pulled(solid: AnySolid, view: View, corner: int, axis: Axis, pixel: Point) -> AnySolid:
    """The solid with one corner dragged along one of its axes to where a pixel shows that axis line.

    ``corner`` indexes `faces_of(solid).vertices`. Sides opposite the corner stay where they are.
    """
    vertices = faces_of(solid).vertices
    if not 0 <= corner < len(vertices):
        raise MassingError("That corner is not there any more.")
    start = vertices[corner]
    direction = AXES[axis]
    turn = getattr(solid, "turn_deg", 0.0)
    if turn:
        direction = turned(direction, (0, 0, 0), turn)
    if isinstance(solid, Flat):
        direction = AXES["rise"] if axis == "rise" else heading(solid.heading_deg)[1]
    by = along_line(view, np.array(pixel), start, direction)
    match solid:
        case Block():
            return _pull_box(solid, corner, axis, by, direction)
        case Gable():
            if corner >= 4 and axis == "rise":
                return solid.model_copy(
                    update={"size": (solid.size[0], max(solid.size[1] + by, SMALLEST), solid.size[2])}
                )
            return _pull_box(solid, (0, 1, 5, 4)[corner % 4] if axis != "rise" else 0, axis, by, direction)
        case Wall():
            if axis == "rise":
                if corner >= 2:
                    return solid.model_copy(update={"height": max(solid.height + by, SMALLEST)})
                return solid.model_copy(update={"base": solid.base + by, "height": max(solid.height - by, SMALLEST)})
            end = "a" if corner in (0, 3) else "b"
            old = np.array(getattr(solid, end))
            new = old + by * direction[[0, 2]]
            return solid.model_copy(update={end: (float(new[0]), float(new[1]))})
        case Column():
            if axis == "rise":
                return solid.model_copy(update={"height": max(solid.height + by, SMALLEST)})
            away = start - np.array(solid.foot)
            which = "radius_foot" if corner < solid.sides else "radius_top"
            grown = by * float(np.sign(away @ direction) or 1.0)
            return solid.model_copy(update={which: max(getattr(solid, which) + grown, SMALLEST)})
        case Flat():
            left, right, bottom, top = solid.extent
            if axis == "rise":
                if corner >= 2:
                    top = max(top + by, bottom + SMALLEST)
                else:
                    bottom = min(bottom + by, top - SMALLEST)
            elif corner in (0, 3):
                left = min(left + by, right - SMALLEST)
            else:
                right = max(right + by, left + SMALLEST)
            return solid.model_copy(update={"extent": (left, right, bottom, top)})
        case Ground():
            if axis == "rise":
                return solid.model_copy(update={"height": solid.height + by})
            i = 0 if axis == "run" else 1
            sign = float(np.sign(start[0 if i == 0 else 2] - solid.centre[i]))
            size, centre = list(solid.size), list(solid.centre)
            size[i] = max(size[i] + sign * by, SMALLEST)
            centre[i] += by / 2
            return solid.model_copy(update={"size": tuple(size), "centre": tuple(centre)})
        case Backdrop():
            if axis == "rise":
                half = len(vertices) // 2
                if corner >= half:
                    return solid.model_copy(update={"height": max(solid.height + by, SMALLEST)})
                return solid.model_copy(update={"base": solid.base + by, "height": max(solid.height - by, SMALLEST)})
            raise MassingError("A backdrop is set by its distance and heading; drag its top or foot along rise.")
        case Mesh():
            moved = [list(v) for v in solid.vertices]
            moved[corner] = [float(v) for v in start + by * direction]
            return solid.model_copy(update={"vertices": [tuple(v) for v in moved]})


def _pull_box(solid: Block | Gable, corner: int, axis: Axis, by: float, direction: Array) -> Block | Gable:
    """Grow a box at the side a corner belongs to; corners as in a block's vertices."""
    i = {"run": 0, "rise": 1, "return": 2}[axis]
    far = {"run": corner in (1, 2, 5, 6), "rise": corner in (2, 3, 6, 7), "return": corner >= 4}[axis]
    size, origin = list(solid.size), np.array(solid.corner)
    if far:
        size[i] = max(size[i] + by, SMALLEST)
    else:
        by = min(by, size[i] - SMALLEST)
        size[i] -= by
        origin = origin + by * direction
    return solid.model_copy(update={"size": tuple(size), "corner": tuple(float(v) for v in origin)})
