"""What all pieces of massing share, and the register of their kinds. Metres; `run`, `rise`, `return` are x, y, z.

Pieces with a `corner` are set at it and turned about it by `turn_deg`, about the rise; their sizes and cuts are along
their own run, rise and return. The kinds themselves, data and shape of each in one module, are in
`roofline.core.massing.kinds`; `AnySolid` (see `solids`) is any of them.
"""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field, field_validator, model_validator

from roofline.model.base import Eased, Id, Model, Name, Quaternion, Vec3

ONLY_FLATS = "only flats can fade: other pieces have an inside that would be seen"
KINDS: dict[str, type[SolidBase]] = {}


class MotionKey(Eased):
    """Where a piece is at a frame, from where it rests: set off in metres, turned and scaled about its pivot."""

    frame: int
    offset: Vec3 = (0.0, 0.0, 0.0)
    rotation: Quaternion = (1.0, 0.0, 0.0, 0.0)  # w, x, y, z
    scale: Annotated[float, Field(gt=0, le=1000)] = 1.0
    opacity: Annotated[float, Field(ge=0, le=1)] = 1.0  # of flats only; a group's is of its flats


class Motion(Model):
    """How a piece, or a group, moves. Its picture goes with it: plates are thrown with everything at rest.

    ``drift``: metres a second, besides the keys. ``faces_lens``: it keeps the side to the lens that it has at rest to
    the move's first frame, turned about Rise or wholly. ``rides``: on the camera's carrier.
    """

    keys: list[MotionKey] = []
    pivot: Vec3 | None = None  # none: the middle of its foot
    drift: Vec3 = (0.0, 0.0, 0.0)
    faces_lens: Literal["no", "rise", "full"] = "no"
    rides: bool = False

    @field_validator("keys")
    @classmethod
    def _ordered(cls, value: list[MotionKey]) -> list[MotionKey]:
        if len({key.frame for key in value}) != len(value):
            raise ValueError("two keys of a piece stand on the same frame")
        return sorted(value, key=lambda key: key.frame)

    @property
    def fades(self) -> bool:
        return any(key.opacity < 1 for key in self.keys)

    @property
    def still(self) -> bool:
        return not self.keys and not any(self.drift) and self.faces_lens == "no" and not self.rides


class SolidBase(Model):
    """`in_set`: false for a piece that is gone from pictures, verdicts, shadows and deliveries until it is shown.
    `hidden` pieces are not drawn on the board; those that are in the set stay in it. `true_size`: depth moves keep the
    size, not the picture.

    A class below with a `kind` is known to the register from the moment it is made.
    """

    own: ClassVar[frozenset[str]]
    can_fade: ClassVar[bool] = False
    kind: str
    id: Id
    name: Name
    locked: bool = False
    hidden: bool = False
    in_set: bool = True
    true_size: bool = False
    group: Name | None = None
    tags: Annotated[list[Name], Field(max_length=20)] = []
    motion: Motion | None = None

    @field_validator("motion")
    @classmethod
    def _solid(cls, value: Motion | None) -> Motion | None:
        if value is not None and value.fades and not cls.can_fade:
            raise ValueError(ONLY_FLATS)
        return value

    def amiss(self) -> str | None:
        """Why it is no shape, though something could be shown of it; None where nothing is amiss."""
        return None

    @classmethod
    def __pydantic_init_subclass__(cls, **more: Any) -> None:
        super().__pydantic_init_subclass__(**more)
        kind = cls.model_fields["kind"].default
        if isinstance(kind, str):
            KINDS[kind] = cls


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


class MeshFace(Model):
    name: str
    loop: Annotated[list[Annotated[int, Field(ge=0)]], Field(min_length=3)]
