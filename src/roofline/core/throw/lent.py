"""Arrays lent to compiled loops.

Numba counts references to an array's owner wherever the array is read through a tuple or handed to an inlined function.
The counts are atomic, so that two threads in their inner loops wait for one another for longer than they compute. A
lent array is laid out and indexed like any other, but has no owner to count; who lends it keeps it alive.
"""

from __future__ import annotations

from typing import Any

from numba import types
from numba.core import cgutils
from numba.extending import intrinsic, models, register_model


class Lent(types.Array):
    """Type of a lent array."""

    def __init__(self, array: types.Array):
        super().__init__(array.dtype, array.ndim, array.layout, name=f"lent_{array.name}")


@register_model(Lent)
class LentModel(models.StructModel):
    """An array's members, in Numba's order, with plain pointers in place of the owners."""

    def __init__(self, manager: Any, kind: Any):
        members = [
            ("meminfo", types.voidptr),
            ("parent", types.voidptr),
            ("nitems", types.intp),
            ("itemsize", types.intp),
            ("data", types.CPointer(kind.dtype)),
            ("shape", types.UniTuple(types.intp, kind.ndim)),
            ("strides", types.UniTuple(types.intp, kind.ndim)),
        ]
        super().__init__(manager, kind, members)


def _lent(_typing: Any, array: Any) -> Any:
    """Lend an array."""
    kind = Lent(array)

    def build(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        owned = cgutils.create_struct_proxy(signature.args[0])(context, builder, args[0])
        out = cgutils.create_struct_proxy(kind)(context, builder)
        for name in ("nitems", "itemsize", "data", "shape", "strides"):
            setattr(out, name, getattr(owned, name))
        return out._getvalue()

    return kind(array), build


lent: Any = intrinsic(_lent)
