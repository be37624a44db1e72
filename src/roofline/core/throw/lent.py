"""Arrays lent to compiled loops.

Numba counts references to an array's owner wherever the array is read through a tuple or handed to an inlined function.
The counts are atomic, so that two threads in their inner loops wait for one another for longer than they compute. What
is lent has no owner to count; who lends it keeps it alive. A flat array is lent as a bare pointer: it is indexed like
any other, but knows no length, and counts nothing from its end. One argument in place of seven makes a function that
takes forty arrays cheap to call and quick to compile.
"""

from __future__ import annotations

from typing import Any

from llvmlite import ir
from numba import types
from numba.core import cgutils
from numba.extending import intrinsic, models, register_model


class Lent(types.Array):
    """Type of a lent array of two dimensions or more."""

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
    if not isinstance(given, types.Array) or isinstance(given, Lent):
        return given
    # Numba reads a boolean behind a pointer as the byte that it is
    flat = given.ndim == 1 and given.layout == "C" and given.dtype != types.boolean
    return types.CPointer(given.dtype) if flat else Lent(given)


def _value(context: Any, builder: Any, given: Any, value: Any) -> Any:
    """The lent value of one of a given type."""
    kind = _kind(given)
    if kind is given:  # counted: it has two holders from now on
        context.nrt.incref(builder, given, value)
        return value
    owned = cgutils.create_struct_proxy(given)(context, builder, value)
    if isinstance(kind, types.CPointer):
        return owned.data
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


# A tuple of forty arrays is forty arguments wherever it is handed on: a function takes longer to call than to run,
# and a
# parallel loop longer to compile than to write. A table is one: the addresses and numbers of what is lent. Whoever is
# handed a table opens it, and reads of it what it uses.

KINDS = {
    "f8": types.CPointer(types.float64),
    "f4": types.CPointer(types.float32),
    "i8": types.CPointer(types.int64),
    "i4": types.CPointer(types.int32),
    "u1": types.CPointer(types.uint8),
    "whole": types.int64,
    "real": types.float64,
}
WORD = ir.IntType(64)


def _write_table(_typing: Any, given: Any, table: Any) -> Any:
    def build(context: Any, builder: Any, _: Any, args: Any) -> Any:
        room = cgutils.create_struct_proxy(table)(context, builder, args[1]).data
        for i, (kind, value) in enumerate(zip(given.types, cgutils.unpack_tuple(builder, args[0]), strict=True)):
            if isinstance(kind, types.CPointer):
                word = builder.ptrtoint(value, WORD)
            elif isinstance(kind, types.Float):
                word = builder.bitcast(value, WORD)
            else:
                word = context.cast(builder, value, kind, types.int64)
            builder.store(word, builder.gep(room, [WORD(i)]))
        return context.get_dummy_value()

    return types.void(given, table), build


write_table: Any = intrinsic(_write_table)
"""Write a lent named tuple to a table (n,) int64. Whoever reads it must have an end before what is lent has."""


def reader_of(cls: Any, **fields: str) -> Any:
    """What opens a named tuple that is handed on as its table, lent or not; one that is handed on as it is stays so.

    ``fields``: the `KINDS` of its members, in their order.
    """
    if tuple(fields) != cls._fields:
        raise TypeError(f"the fields of a {cls.__name__} are {', '.join(cls._fields)}")
    kind = types.BaseTuple.from_types([KINDS[f] for f in fields.values()], cls)

    def read(_typing: Any, given: Any) -> Any:
        def build(context: Any, builder: Any, _: Any, args: Any) -> Any:
            room = args[0]
            if isinstance(given, types.Array):
                room = cgutils.create_struct_proxy(given)(context, builder, room).data
            parts = []
            for i, member in enumerate(kind.types):
                word = builder.load(builder.gep(room, [WORD(i)]))
                if isinstance(member, types.CPointer):
                    parts.append(builder.inttoptr(word, context.get_value_type(member)))
                else:
                    parts.append(builder.bitcast(word, context.get_value_type(member)))
            return context.make_tuple(builder, kind, parts)

        def same(context: Any, builder: Any, _: Any, args: Any) -> Any:
            context.nrt.incref(builder, given, args[0])
            return args[0]

        return (given(given), same) if isinstance(given, types.BaseTuple) else (kind(given), build)

    return intrinsic(read)
