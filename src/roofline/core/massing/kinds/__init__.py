"""The kinds of solid, one module each. Whichever module lies here is known everywhere: see `base.Solid`."""

from importlib import import_module
from pkgutil import iter_modules

from roofline.core.massing.kinds.backdrop import Backdrop
from roofline.core.massing.kinds.base import Solid
from roofline.core.massing.kinds.block import Block
from roofline.core.massing.kinds.column import Column
from roofline.core.massing.kinds.flat import Flat
from roofline.core.massing.kinds.gable import Gable
from roofline.core.massing.kinds.ground import Ground
from roofline.core.massing.kinds.imported import Imported
from roofline.core.massing.kinds.mesh import Mesh
from roofline.core.massing.kinds.panel import Panel
from roofline.core.massing.kinds.room import Room
from roofline.core.massing.kinds.slab import Slab
from roofline.core.massing.kinds.steps import Steps
from roofline.core.massing.kinds.wall import Wall
from roofline.model.massing import KINDS, SolidBase

for _module in iter_modules(__path__):
    import_module(f"{__name__}.{_module.name}")


def kind_of(name: str) -> type[Solid] | None:
    """The kind of solid with this name."""
    found = KINDS.get(name)
    return found if found is not None and issubclass(found, Solid) else None


def known(solid: SolidBase) -> Solid:
    """A solid as what it is: every one is of a kind."""
    assert isinstance(solid, Solid)
    return solid


__all__ = [
    "Backdrop",
    "Block",
    "Column",
    "Flat",
    "Gable",
    "Ground",
    "Imported",
    "Mesh",
    "Panel",
    "Room",
    "Slab",
    "Solid",
    "Steps",
    "Wall",
    "kind_of",
    "known",
]
