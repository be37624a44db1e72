"""The pieces that massing is made of, as typed models. Metres; `run`, `rise`, `return` are x, y, z.

Pieces with a `corner` are set at it and turned about it by `turn_deg`, about the rise; their sizes and cuts are along
their own run, rise and return. Core code makes faces of them (`roofline.core.massing`).
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, field_validator, model_validator

from roofline.model.base import Id, Model, Name, Positive, Vec2, Vec3, Vec4


class SolidBase(Model):
    """`hidden` pieces are not drawn on the board; they stay in the set. `true_size`: depth moves keep the size, not the picture."""

    id: Id
    name: Name
    locked: bool = False
    hidden: bool = False
    true_size: bool = False
    group: Name | None = None
    tags: Annotated[list[Name], Field(max_length=20)] = []


class Cut(Model):
    """A box taken out of a block, a hole in a wall, or a bay added to a room: from `low` to `high`, from the corner.

    On a wall: from its foot a along it and up from its base; what lies across it does not count.
    """

    name: Name
    low: Vec3
    high: Vec3

    @model_validator(mode="after")
    def _size(self) -> Cut:
        if any(h - low < 1e-6 for low, h in zip(self.low[:2], self.high[:2], strict=True)):
            raise ValueError(f"the cut '{self.name}' needs a width and a height above zero")
        return self


class Ground(SolidBase):
    """A rectangle, `centre` (run, return); level, or following a `profile` of (along, rise) over its height."""

    kind: Literal["ground"] = "ground"
    centre: Vec2 = (0.0, 0.0)
    size: tuple[Positive, Positive] = (200.0, 200.0)
    height: float = 0.0
    profile: Annotated[list[Vec2], Field(max_length=200)] = []
    along: Literal["run", "return"] = "return"

    @field_validator("profile")
    @classmethod
    def _profile(cls, value: list[Vec2]) -> list[Vec2]:
        if len(value) == 1:
            raise ValueError("a ground's profile needs two points or more")
        if any(b[0] < a[0] or (b[0] == a[0] and b[1] == a[1]) for a, b in zip(value, value[1:], strict=False)):
            raise ValueError("a ground's profile runs one way: no point may lie before the one ahead of it")
        return value


class Block(SolidBase):
    """An upright box: its foot's corner, its size along run, rise and return, and its turn about the corner."""

    kind: Literal["block"] = "block"
    corner: Vec3
    size: tuple[Positive, Positive, Positive]
    turn_deg: float = 0.0
    cuts: Annotated[list[Cut], Field(max_length=64)] = []


class Gable(SolidBase):
    """A ridged roof on the rectangle of a block: `size` is that rectangle and the ridge's height over the eaves.

    `overhang` is how far the slopes reach out beyond the rectangle; `hip` how far the ridge's ends stand in from it
    (0: upright ends; half the length: a tent).
    """

    kind: Literal["gable"] = "gable"
    corner: Vec3
    size: tuple[Positive, Positive, Positive]
    ridge: Literal["run", "return"] = "run"
    turn_deg: float = 0.0
    overhang: Annotated[float, Field(ge=0)] = 0.0
    hip: Annotated[float, Field(ge=0)] = 0.0


class Column(SolidBase):
    """An upright n-sided column, tapered when the radii differ."""

    kind: Literal["column"] = "column"
    foot: Vec3
    radius_foot: Positive
    radius_top: Positive
    height: Positive
    sides: Annotated[int, Field(ge=3, le=128)] = 24
    turn_deg: float = 0.0


class Wall(SolidBase):
    """An upright rectangle from foot a to foot b (run, return), in front when seen from its left-hand side."""

    kind: Literal["wall"] = "wall"
    a: Vec2
    b: Vec2
    base: float = 0.0
    height: Positive
    cuts: Annotated[list[Cut], Field(max_length=64)] = []


class Slab(SolidBase):
    """A level plate of any outline (run, return): its top at `level`, `thickness` below it. A ceiling is one seen from below."""

    kind: Literal["slab"] = "slab"
    outline: Annotated[list[Vec2], Field(min_length=3, max_length=400)]
    level: float
    thickness: Positive

    @field_validator("outline")
    @classmethod
    def _outline(cls, value: list[Vec2]) -> list[Vec2]:
        area = sum(a[0] * b[1] - b[0] * a[1] for a, b in zip(value, [*value[1:], value[0]], strict=True)) / 2
        if abs(area) < 1e-9:
            raise ValueError("a slab's outline must enclose an area")
        return value


class Room(SolidBase):
    """A box seen from inside; `open` names the sides that are left away. A cut is a bay built on."""

    kind: Literal["room"] = "room"
    corner: Vec3
    size: tuple[Positive, Positive, Positive]
    turn_deg: float = 0.0
    open: list[Literal["front", "right", "back", "left", "top", "base"]] = ["front"]
    cuts: Annotated[list[Cut], Field(max_length=64)] = []


class Steps(SolidBase):
    """A flight of steps in a box: rising away from its front."""

    kind: Literal["steps"] = "steps"
    corner: Vec3
    size: tuple[Positive, Positive, Positive]
    count: Annotated[int, Field(ge=1, le=200)] = 3
    turn_deg: float = 0.0


class Panel(SolidBase):
    """A polygon on any plane, counter-clockwise seen from its front."""

    kind: Literal["panel"] = "panel"
    points: Annotated[list[Vec3], Field(min_length=3, max_length=400)]

    @field_validator("points")
    @classmethod
    def _flat(cls, value: list[Vec3]) -> list[Vec3]:
        n = [0.0, 0.0, 0.0]
        for a, b in zip(value, [*value[1:], value[0]], strict=True):
            n = [n[0] + a[1] * b[2] - a[2] * b[1], n[1] + a[2] * b[0] - a[0] * b[2], n[2] + a[0] * b[1] - a[1] * b[0]]
        size = sum(v * v for v in n) ** 0.5
        if size < 1e-9:
            raise ValueError("a panel must enclose an area")
        middle = [sum(p[k] for p in value) / len(value) for k in range(3)]
        off = max(abs(sum(n[k] / size * (p[k] - middle[k]) for k in range(3))) for p in value)
        if off > 1e-6 * (1 + size**0.5):
            raise ValueError("a panel's points must lie on one plane")
        return value


class Flat(SolidBase):
    """An upright cut-out: a rectangle through `foot`, square to `heading_deg`; its plate's matte shapes it.

    `extent` is (left, right, bottom, top) in metres from the foot, in the plane of the flat.
    """

    kind: Literal["flat"] = "flat"
    foot: Vec3
    heading_deg: float
    extent: Vec4

    @field_validator("extent")
    @classmethod
    def _extent(cls, value: Vec4) -> Vec4:
        if value[1] <= value[0] or value[3] <= value[2]:
            raise ValueError("a flat needs a width and a height above zero")
        return value


class Backdrop(SolidBase):
    """A far upright screen facing `heading_deg` reversed; bent about the viewer when `arc_deg` is above zero.

    `dome_deg` above zero closes it overhead: a part of a sphere about the viewer's foot, up to that elevation.
    """

    kind: Literal["backdrop"] = "backdrop"
    viewer: Vec3
    heading_deg: float
    distance: Positive
    width: Positive
    base: float
    height: Positive
    arc_deg: Annotated[float, Field(ge=0, le=360)] = 0.0
    dome_deg: Annotated[float, Field(ge=0, le=90)] = 0.0


class MeshFace(Model):
    name: str
    loop: Annotated[list[Annotated[int, Field(ge=0)]], Field(min_length=3)]


class Mesh(SolidBase):
    """Planar faces on vertices; loops counter-clockwise seen from the front."""

    kind: Literal["mesh"] = "mesh"
    vertices: Annotated[list[Vec3], Field(min_length=3)]
    faces: Annotated[list[MeshFace], Field(min_length=1)]
    cutout: bool = False

    @model_validator(mode="after")
    def _loops(self) -> Mesh:
        n = len(self.vertices)
        seen: set[str] = set()
        for face in self.faces:
            if max(face.loop) >= n:
                raise ValueError(f"face '{face.name}' of '{self.id}' names vertex {max(face.loop)}, there are {n}")
            if face.name in seen:
                raise ValueError(f"two faces of '{self.id}' are called '{face.name}'")
            seen.add(face.name)
        return self


class Imported(SolidBase):
    """Triangles of a file that was brought in, set at `position`, turned about the rise and scaled."""

    kind: Literal["imported"] = "imported"
    file: str
    triangles: Annotated[int, Field(ge=1)]
    low: Vec3  # the file's own extent, before it is placed
    high: Vec3
    position: Vec3 = (0.0, 0.0, 0.0)
    turn_deg: float = 0.0
    scale: Positive = 1.0


AnySolid = Annotated[
    Ground | Block | Gable | Column | Wall | Slab | Room | Steps | Panel | Flat | Backdrop | Mesh | Imported,
    Field(discriminator="kind"),
]


# what a solid must say of itself to be rebuilt from its own measures rather than from vertices and faces
OWN_MEASURES: dict[str, set[str]] = {
    "ground": {"size"},
    "block": {"corner", "size"},
    "gable": {"corner", "size"},
    "column": {"foot", "radius_foot", "radius_top", "height"},
    "wall": {"a", "b", "height"},
    "slab": {"outline", "level", "thickness"},
    "room": {"corner", "size"},
    "steps": {"corner", "size"},
    "panel": {"points"},
    "flat": {"foot", "heading_deg", "extent"},
    "backdrop": {"viewer", "heading_deg", "distance", "width", "base", "height"},
    "mesh": {"vertices"},
    "imported": {"file", "triangles"},
}
