"""What all pieces of massing share, and the register of their kinds. Metres; `run`, `rise`, `return` are x, y, z.

Pieces with a `corner` are set at it and turned about it by `turn_deg`, about the rise; their sizes and cuts are along
their own run, rise and return. The kinds themselves, data and shape of each in one module, are in
`roofline.core.massing.kinds`; `AnySolid` (see `solids`) is any of them.
"""

from __future__ import annotations

from typing import Annotated, Any, ClassVar

from pydantic import Field, model_validator

from roofline.model.base import Id, Model, Name, Vec3

KINDS: dict[str, type[SolidBase]] = {}


class SolidBase(Model):
    """`hidden` pieces are not drawn on the board; they stay in the set. `true_size`: depth moves keep the size, not
    the picture.

    A class below with a `kind` is known to the register from the moment it is made.
    """

    own: ClassVar[frozenset[str]]
    kind: str
    id: Id
    name: Name
    locked: bool = False
    hidden: bool = False
    true_size: bool = False
    group: Name | None = None
    tags: Annotated[list[Name], Field(max_length=20)] = []

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
