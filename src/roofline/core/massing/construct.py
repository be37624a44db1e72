"""Constructions through the photo: pixels of the straightened picture in, solids out."""

from __future__ import annotations

import numpy as np

from roofline.core.camera import Array, View
from roofline.core.massing.planes import plane_of
from roofline.core.massing.solids import faces_of, heading, turned
from roofline.core.survey.scale import along_line, ground_point
from roofline.errors import MassingError, SurveyError
from roofline.model.massing import Backdrop, Block, Column, Cut, Flat, Gable, Ground, Panel, Room, Slab, Steps, Wall

UP = np.array([0, 1.0, 0])
STEP = 0.17  # metres: how high a step is taken to be
FAR = 120.0  # metres to a backdrop, until it has been said
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
    return along_line(view, np.array(pixel), base, UP)


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
    normal = np.cross(q - p, UP)
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


def _rectangle(view: View, a: Point, b: Point, level: float, what: str) -> tuple[Array, Array, Array]:
    """Low and high corners (3,) of the foot between two pixels on a level, and the second pixel's own point."""
    p, q = foot(view, a, level), foot(view, b, level)
    low, high = np.minimum(p, q), np.maximum(p, q)
    if high[0] - low[0] < SMALLEST or high[2] - low[2] < SMALLEST:
        raise MassingError(f"The foot of {what} needs a width and a depth: drag to the corner opposite.")
    return low, high, q


def _height(view: View, base: Array, top: Point | None, otherwise: float) -> float:
    height = otherwise if top is None else height_over(view, base, top)
    if height < SMALLEST:
        raise MassingError("Pull the height up from the foot.")
    return height


def column(
    view: View, ident: str, name: str, left: Point, right: Point, top: Point | None, level: float = 0.0, sides: int = 24
) -> Column:
    """A round column, from the left and the right border of its foot as the picture shows them, and its height.

    The two pixels' rays touch the foot's circle, so its middle lies between them, at the mean of their distances.
    """
    p, q = foot(view, left, level), foot(view, right, level)
    eye = view.position * [1, 0, 1] + [0, level, 0]
    to_p, to_q = p - eye, q - eye
    far = 0.5 * float(np.linalg.norm(to_p) + np.linalg.norm(to_q))
    u, v = to_p / np.linalg.norm(to_p), to_q / np.linalg.norm(to_q)
    middle = (u + v) / np.linalg.norm(u + v)
    half = float(np.arccos(np.clip(u @ middle, -1, 1)))
    radius = far * float(np.tan(half))
    if radius < SMALLEST / 2:
        raise MassingError("The foot of a column needs a width: drag across it from side to side.")
    centre = eye + middle * far / np.cos(half)
    height = _height(view, centre, top, NEW_HEIGHT)
    return Column(
        id=ident,
        name=name,
        foot=(float(centre[0]), level, float(centre[2])),
        radius_foot=radius,
        radius_top=radius,
        height=height,
        sides=sides,
    )


def slab(view: View, ident: str, name: str, points: list[Point], top: Point | None, level: float = 0.0) -> Slab:
    """A slab whose underside has its corners at pixels on a level; `top` shows its upper side over the last one."""
    spots = [foot(view, p, level) for p in points]
    if len(spots) < 3:
        raise MassingError("A slab needs three corners or more: click them one after another.")
    thickness = _height(view, spots[-1], top, 0.2)
    return Slab(
        id=ident,
        name=name,
        outline=[(float(s[0]), float(s[2])) for s in spots],
        level=level + thickness,
        thickness=thickness,
    )


def gable(view: View, ident: str, name: str, on: Block | Room, top: Point | None) -> Gable:
    """A roof on a block, its ridge along the longer side; `top` shows the ridge's height over one of its ends."""
    w, h, d = on.size
    ridge = "run" if w >= d else "return"
    ends = [(0.0, h, d / 2), (w, h, d / 2)] if ridge == "run" else [(w / 2, h, d), (w / 2, h, 0.0)]
    bases = [turned(np.array(e), on.corner, on.turn_deg) for e in ends]
    height = 0.4 * min(w, d)
    if top is not None:
        off = [abs(float(view.project(b)[0]) - top[0]) for b in bases]
        height = _height(view, bases[int(np.nanargmin(off))], top, height)
    corner = turned(np.array([0.0, h, 0.0]), on.corner, on.turn_deg)
    return Gable(
        id=ident,
        name=name,
        corner=(float(corner[0]), float(corner[1]), float(corner[2])),
        size=(w, height, d),
        ridge=ridge,  # type: ignore[arg-type]
        turn_deg=on.turn_deg,
    )


def steps(view: View, ident: str, name: str, a: Point, b: Point, top: Point | None, level: float = 0.0) -> Steps:
    """A flight of steps on the rectangle between two foot points, rising away from the side that faces the camera."""
    low, high, q = _rectangle(view, a, b, level, "steps")
    height = _height(view, q, top, 3 * STEP)
    (w, d), eye = (high - low)[[0, 2]], view.position - (low + high) / 2
    corners = {0: (low[0], low[2]), 90: (low[0], high[2]), 180: (high[0], high[2]), 270: (high[0], low[2])}

    def towards(turn: int) -> float:
        a = np.radians(turn)
        return float(eye @ np.array([np.sin(a), 0, np.cos(a)]))

    turn = max(corners, key=towards)
    size = (w, height, d) if turn in (0, 180) else (d, height, w)
    return Steps(
        id=ident,
        name=name,
        corner=(float(corners[turn][0]), level, float(corners[turn][1])),
        size=(float(size[0]), height, float(size[2])),
        count=max(1, round(height / STEP)),
        turn_deg=float(turn),
    )


def panel(view: View, ident: str, name: str, points: list[Point], plane: tuple[Array, float]) -> Panel:
    """A polygon whose corners are where pixels' rays meet a plane n·x = d, with its front towards the camera."""
    normal, offset = plane
    spots = []
    for pixel in points:
        ray = view.rays(np.array(pixel))
        slope = float(normal @ ray)
        k = (offset - float(normal @ view.position)) / slope if abs(slope) > 1e-12 else -1.0
        if k <= 0:
            raise MassingError("That corner does not lie on the panel's plane as the camera sees it.")
        spots.append(view.position + k * ray)
    if len(spots) < 3:
        raise MassingError("A panel needs three corners or more: click them one after another.")
    p = np.array(spots)
    front = plane_of(p)[0]
    if not np.any(front):
        raise MassingError("These corners enclose no area: click them farther apart, and not all on one line.")
    if front @ (view.position - p[0]) < 0:
        p = p[::-1]
    return Panel(id=ident, name=name, points=[(float(x), float(y), float(z)) for x, y, z in p])


def upright_plane(view: View, at: Array) -> tuple[Array, float]:
    """The upright plane through a point that is square to run or return, whichever faces the camera more."""
    eye = view.position - at
    normal = np.array([np.sign(eye[0]), 0, 0.0]) if abs(eye[0]) > abs(eye[2]) else np.array([0, 0, np.sign(eye[2])])
    return normal, float(normal @ at)


def room(view: View, ident: str, name: str, a: Point, b: Point, level: float = 0.0) -> Room:
    """A room by its far wall: one of its lower corners, on the floor, and the corner opposite of it in the picture.

    The far wall stands across Return; floor, ceiling and side walls come forward past the camera.
    """
    p = foot(view, a, level)
    ray = view.rays(np.array(b))
    k = (p[2] - view.position[2]) / ray[2] if abs(ray[2]) > 1e-12 else -1.0
    if k <= 0:
        raise MassingError("The far wall stands across Return, in front of the camera: drag over it in the picture.")
    q = view.position + k * ray
    width, height = abs(float(q[0] - p[0])), float(q[1]) - level
    if width < SMALLEST or height < SMALLEST:
        raise MassingError("Drag from a lower corner of the far wall to the upper one opposite.")
    ahead = -1.0 if p[2] < view.position[2] else 1.0
    depth = abs(float(view.position[2] - p[2])) + 0.5
    if ahead > 0:
        raise MassingError("Return points away from the camera here: exchange Run and Return in Survey first.")
    return Room(
        id=ident,
        name=name,
        corner=(float(min(p[0], q[0])), level, float(p[2])),
        size=(width, height, depth),
        open=["front"],
    )


def fold(view: View, at: Point, level: float = 0.0) -> tuple[float, float]:
    """Distance in metres, along the view's level heading, of the ground under a pixel: where a backdrop would meet it."""
    spot = foot(view, at, level)
    ahead = view.rotation[2] * [1, 0, 1]
    ahead = ahead / np.linalg.norm(ahead)
    return float((spot - view.position) @ ahead), level


def recess(
    view: View, solid: Block | Wall | Room, face: str, a: Point, b: Point, depth: float, name: str
) -> Block | Wall | Room:
    """The solid with an opening cut into one of its faces, between two pixels on that face; into a wall, right through.

    Raises
    ------
    MassingError
        When the pixels do not show the face, or the opening has no size.
    """
    faces = faces_of(solid)
    if face not in faces.names:
        raise MassingError(f"{solid.name} has no face '{face}' any more.")
    normal, offset = plane_of(faces.vertices[faces.loops[faces.names.index(face)]])
    spots = []
    for pixel in (a, b):
        ray = view.rays(np.array(pixel))
        slope = float(normal @ ray)
        k = (offset - float(normal @ view.position)) / slope if abs(slope) > 1e-12 else -1.0
        if k <= 0:
            raise MassingError("Drag over the face into which the opening is to be cut.")
        spots.append(view.position + k * ray)
    if isinstance(solid, Wall):
        length = float(np.hypot(solid.b[0] - solid.a[0], solid.b[1] - solid.a[1]))
        along = np.array([solid.b[0] - solid.a[0], 0, solid.b[1] - solid.a[1]]) / length
        start = np.array([solid.a[0], solid.base, solid.a[1]])
        own = np.array([[float((s - start) @ along), float(s[1] - solid.base), 0.0] for s in spots])
        low, high = own.min(0), own.max(0)
    else:
        if "-" in face:
            raise MassingError("Openings are cut into the piece's own faces, not into those of another opening.")
        own = np.array([turned(s - np.array(solid.corner), (0.0, 0.0, 0.0), -solid.turn_deg) for s in spots])
        inwards = turned(normal, (0.0, 0.0, 0.0), -solid.turn_deg)
        axis = int(np.argmax(np.abs(inwards)))
        low, high = own.min(0), own.max(0)
        # a block is cut inwards, a room built on outwards: either way against the face's front
        if inwards[axis] > 0:
            low[axis] = high[axis] - depth
        else:
            high[axis] = low[axis] + depth
        if depth < SMALLEST:
            raise MassingError("An opening needs a depth above zero.")
    flat = [k for k in range(3) if isinstance(solid, Wall) and k < 2 or not isinstance(solid, Wall) and k != axis]
    if any(high[k] - low[k] < SMALLEST for k in flat):
        raise MassingError("The opening needs a width and a height: drag to the corner opposite.")
    taken = {c.name for c in solid.cuts}
    number, wanted = 2, name
    while wanted in taken:
        wanted, number = f"{name} {number}", number + 1
    cut = Cut(name=wanted, low=tuple(float(v) for v in low), high=tuple(float(v) for v in high))  # type: ignore[arg-type]
    return solid.model_copy(update={"cuts": [*solid.cuts, cut]})
