"""Arrays lent to compiled loops.

Numba counts references to an array's owner wherever the array is read through a tuple or handed to an inlined function.
The counts are atomic, so that two threads in their inner loops wait for one another for longer than they compute. A
lent array is laid out and indexed like any other (not sliced), but has no owner to count; who lends it keeps it alive.
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


def _kind(given: Any) -> Any:
    """Type of what is lent; what is no array stays what it is."""
    return Lent(given) if isinstance(given, types.Array) and not isinstance(given, Lent) else given


def _value(context: Any, builder: Any, given: Any, value: Any) -> Any:
    """The lent value of one of a given type."""
    kind = _kind(given)
    if kind is given:  # counted: it has two holders from now on
        context.nrt.incref(builder, given, value)
        return value
    owned = cgutils.create_struct_proxy(given)(context, builder, value)
    out = cgutils.create_struct_proxy(kind)(context, builder)
    for name in ("nitems", "itemsize", "data", "shape", "strides"):
        setattr(out, name, getattr(owned, name))
    return out._getvalue()


def _lent(_typing: Any, given: Any) -> Any:
    """Lend an array, or the arrays of a named tuple; tuples within it, and all else, are left alone."""
    if not isinstance(given, (types.NamedTuple, types.NamedUniTuple)):  # the latter when all members are of one type
        return _kind(given)(given), lambda context, builder, _, args: _value(context, builder, given, args[0])
    kind = types.BaseTuple.from_types([_kind(t) for t in given.types], given.instance_class)

    def build(context: Any, builder: Any, _: Any, args: Any) -> Any:
        parts = cgutils.unpack_tuple(builder, args[0])
        made = [_value(context, builder, t, v) for t, v in zip(given.types, parts, strict=True)]
        return context.make_tuple(builder, kind, made)

    return kind(given), build


lent: Any = intrinsic(_lent)
