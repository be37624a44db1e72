"""What every kind of solid says of itself: the protocol, and what several kinds share.

A new kind is one new module in this package, and one entry in the front end (web/src/stages/massing/kinds.ts): a
subclass of `Solid` with a `kind` of its own. It is known to the shot's model, to packages and to the server by being
there.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Annotated, Any, ClassVar, Literal, Self

import numpy as np
from pydantic import Field

from roofline.core.camera import Array, View
from roofline.core.massing.solids import Faces, Meshes, turned
from roofline.core.survey.scale import along_line, ground_point
from roofline.errors import MassingError, SurveyError
from roofline.model.base import Positive, Vec2, Vec3
from roofline.model.massing import Cut, SolidBase

Axis = Literal["run", "rise", "return"]
Point = tuple[float, float]
AXES: dict[Axis, Array] = {"run": np.array([1.0, 0, 0]), "rise": np.array([0, 1.0, 0]), "return": np.array([0, 0, 1.0])}
NUMBER: dict[Axis, int] = {"run": 0, "rise": 1, "return": 2}
UP = AXES["rise"]
SMALLEST = 0.01  # metres
NEW_HEIGHT = 2.5  # metres, until the height has been pulled


def vec3(v: Array) -> Vec3:
    return float(v[0]), float(v[1]), float(v[2])


@dataclass(frozen=True)
class Placing:
    """A point p goes to ``scale · R p + shift``, R turning about the rise."""

    scale: float
    turn_deg: float
    shift: Array

    def p3(self, v: Vec3) -> Vec3:
        return vec3(turned(self.scale * np.array(v), (0.0, 0.0, 0.0), self.turn_deg) + self.shift)

    def p2(self, v: Vec2) -> Vec2:
        x = self.p3((v[0], 0.0, v[1]))
        return x[0], x[2]

    def y(self, v: float) -> float:
        return float(self.scale * v + self.shift[1])

    def by(self, v: Any) -> Any:
        return tuple(self.scale * x for x in v)

    def cuts(self, old: list[Cut]) -> list[Cut]:
        return [c.model_copy(update={"low": self.by(c.low), "high": self.by(c.high)}) for c in old]


@dataclass
class Drawing:
    """What was drawn through a photo, for a kind to be built from. Pixels are those of the straightened photo."""

    view: View
    called: Callable[[str], tuple[str, str]]  # the id and name of a new piece of a kind
    points: list[Point] = field(default_factory=list)  # after snapping, their feet on `level`
    pixels: list[Point] = field(default_factory=list)  # as they were clicked
    level: float = 0.0
    top: Point | None = None
    distance: float | None = None
    on: SolidBase | None = None
    canvas: tuple[float, float, float, float] | None = None  # of the plate that a cut-out shows
    plane: Callable[[], tuple[Array, float]] | None = None


class Solid(SolidBase):
    """A kind of solid. What a kind does not say is refused in words, or done to the piece as a whole."""

    own: ClassVar[frozenset[str]] = frozenset()  # what it must say to be rebuilt from its own measures
    feet: ClassVar[int | None] = (
        None  # points on the ground that it is drawn with; None: it is not drawn over the ground
    )
    snaps: ClassVar[bool] = True  # its corners and edges are worth snapping to
    sections: ClassVar[bool] = False  # openings are cut into its faces

    def shape(self, meshes: Meshes) -> Faces:
        """Vertices (V, 3) in metres and named loops, counter-clockwise seen from the front."""
        raise NotImplementedError

    def placed(self, to: Placing) -> Self:
        """The same piece elsewhere."""
        raise NotImplementedError

    def mirrored(self, at: float) -> Self:
        """The piece mirrored in the upright plane across run at a coordinate in metres."""
        raise NotImplementedError

    def mirrored_along(self, axis: Axis, at: float) -> Self:
        """The piece mirrored in the upright plane across run or return: along return, half a turn before is the
        same."""
        if axis == "run":
            return self.mirrored(at)
        pivot = np.array([0.0, 0.0, at])
        half = self.placed(Placing(1.0, 180.0, pivot - turned(pivot, (0.0, 0.0, 0.0), 180.0)))
        return half.mirrored(0.0)

    def own_axis(self, axis: Axis) -> Array:
        """World direction (3,) of one of its own axes."""
        return turned(AXES[axis], (0.0, 0.0, 0.0), getattr(self, "turn_deg", 0.0))

    def pulled(self, corner: int, start: Array, axis: Axis, by: float) -> Self:
        """The piece with a corner, which stands at start (3,), dragged some metres along one of its axes."""
        raise NotImplementedError

    def shoved(self, face: str, normal: Array, by: float) -> Self:
        """The piece with a face moved outwards by some metres; moved whole, where it has no side to give."""
        return self.moved(by * normal)

    def moved(self, by: Array) -> Self:
        """The piece moved by (3,) metres."""
        return self.placed(Placing(1.0, 0.0, np.asarray(by, dtype=np.float64)))

    def measures(self) -> tuple[Array, Callable[[Array], SolidBase]]:
        """The measures that are fitted to a picture's edges, of about the same weight, and the piece of changed
        ones."""
        raise MassingError(f"A {self.kind} has no measures that its outline in the picture could settle.")

    @classmethod
    def drawn(cls, d: Drawing) -> Self:
        """The piece that a drawing gives."""
        kind = cls.model_fields["kind"].default
        raise MassingError(f"There is no way to draw a {kind} through the photo.")

    @property
    def kind_name(self) -> str:
        return str(self.kind)

    def with_(self, **update: object) -> Self:
        """A copy with some measures changed."""
        return self.model_copy(update=update)


# ---------------------------------------------------------------- drawing over the ground


def foot(view: View, pixel: Point, level: float = 0.0) -> Array:
    """World point (3,) on the ground (or another level, metres) behind a pixel; raises MassingError."""
    try:
        return ground_point(view, np.array(pixel), level)
    except SurveyError as error:
        raise MassingError(str(error)) from None


def height_over(view: View, base: Array, pixel: Point) -> float:
    """Height in metres over `base` of the point of its plumb line that a pixel shows."""
    return along_line(view, np.array(pixel), base, UP)


def pulled_height(view: View, base: Array, top: Point | None, otherwise: float) -> float:
    """Height in metres over a base, as pulled; another one until it has been."""
    height = otherwise if top is None else height_over(view, base, top)
    if height < SMALLEST:
        raise MassingError("Pull the height up from the foot.")
    return height


def rectangle(view: View, a: Point, b: Point, level: float, what: str) -> tuple[Array, Array, Array]:
    """Low and high corners (3,) of the foot between two pixels on a level, and the second pixel's own point."""
    p, q = foot(view, a, level), foot(view, b, level)
    low, high = np.minimum(p, q), np.maximum(p, q)
    if high[0] - low[0] < SMALLEST or high[2] - low[2] < SMALLEST:
        raise MassingError(f"The foot of {what} needs a width and a depth: drag to the corner opposite.")
    return low, high, q


# ---------------------------------------------------------------- boxes


LEAST_SIZE = 1e-3  # metres, while a piece is being settled
SIDE_OF = {
    "left": (0, False),
    "right": (0, True),
    "base": (1, False),
    "top": (1, True),
    "back": (2, False),
    "front": (2, True),
}


class OnFeet(Solid):
    """A piece drawn from one foot point to another, and then pulled up."""

    feet: ClassVar[int | None] = 2

    @classmethod
    def through(
        cls, view: View, ident: str, name: str, a: Point, b: Point, top: Point | None, level: float = 0.0
    ) -> Self:
        """The piece whose foot is where two pixels show a level; `top` shows its height."""
        raise NotImplementedError

    @classmethod
    def drawn(cls, d: Drawing) -> Self:
        kind = cls.model_fields["kind"].default
        return cls.through(d.view, *d.called(kind), d.points[0], d.points[1], d.top, d.level)


class Boxed(Solid):
    """A piece in an upright box: its foot's corner, its size along run, rise and return, and its turn about the
    corner."""

    own: ClassVar[frozenset[str]] = frozenset({"corner", "size"})
    corner: Vec3
    size: tuple[Positive, Positive, Positive]

    def placed(self, to: Placing) -> Self:
        turn = self.turn_deg + to.turn_deg
        return self.with_(corner=to.p3(self.corner), size=to.by(self.size), turn_deg=turn)

    def mirrored(self, at: float) -> Self:
        x, y, z = turned(np.array([self.size[0], 0.0, 0.0]), self.corner, self.turn_deg)
        return self.with_(corner=vec3(np.array([2 * at - x, y, z])), turn_deg=-self.turn_deg)

    def inside(self, point: Array) -> Array:
        """A world point (3,) along the piece's own run, rise and return, from its corner."""
        return turned(point - np.array(self.corner), (0.0, 0.0, 0.0), -self.turn_deg)

    def pulled(self, corner: int, start: Array, axis: Axis, by: float) -> Self:
        i = NUMBER[axis]
        return self.grown(i, bool(self.inside(start)[i] > self.size[i] / 2), by)

    def grown(self, i: int, far: bool, by: float) -> Self:
        """The box grown by some metres at one of its sides; the side opposite stays."""
        size, origin = list(self.size), np.array(self.corner)
        if far:
            size[i] = max(size[i] + by, SMALLEST)
        else:
            by = min(by, size[i] - SMALLEST)
            size[i] -= by
            origin = origin + by * self.own_axis(("run", "rise", "return")[i])  # type: ignore[arg-type]
        return self.with_(size=tuple(size), corner=vec3(origin))

    def shoved(self, face: str, normal: Array, by: float) -> Self:
        side = face.rstrip("0123456789")
        if side not in SIDE_OF:
            return super().shoved(face, normal, by)
        i, far = SIDE_OF[side]
        return self.grown(i, far, by if far else -by)

    def measures(self) -> tuple[Array, Callable[[Array], SolidBase]]:
        x, y, z = self.corner

        def made(m: Array) -> SolidBase:
            return self.with_(
                corner=(float(m[0]), y, float(m[1])),
                size=tuple(float(max(v, LEAST_SIZE)) for v in m[2:5]),
                turn_deg=float(10 * m[5]),
            )

        return np.array([x, z, *self.size, self.turn_deg / 10]), made

    turn_deg: float = 0.0


Cuts = Annotated[list[Cut], Field(max_length=64)]


def swapped(cuts: list[Cut], width: float) -> list[Cut]:
    """Cuts mirrored along their own run, within so many metres."""
    return [
        c.model_copy(update={"low": (width - c.high[0], *c.low[1:]), "high": (width - c.low[0], *c.high[1:])})
        for c in cuts
    ]
