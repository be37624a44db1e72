"""Two texels at once in compiled loops: eight float32 are loaded, weighted and compared as a whole.

The compiler does not find this by itself in loops that it cannot prove to be free of overlaps.
"""

from __future__ import annotations

from typing import Any

from llvmlite import ir
from numba import types
from numba.extending import intrinsic, models, register_model

WIDE = 8
FLOAT, PLACE = ir.FloatType(), ir.IntType(32)
VECTOR, HALF = ir.VectorType(FLOAT, WIDE), ir.VectorType(FLOAT, WIDE // 2)
ANY = ir.Constant(VECTOR, ir.Undefined)


class PairType(types.Type):
    """Type of two texels of four float32."""


@register_model(PairType)
class PairModel(models.PrimitiveModel):
    """A vector of the machine's."""

    def __init__(self, manager: Any, kind: Any):
        super().__init__(manager, kind, VECTOR)


PAIR = PairType("pair of texels")


def _turned(*places: int) -> Any:
    return ir.Constant(ir.VectorType(PLACE, len(places)), list(places))


def _at(context: Any, builder: Any, signature: Any, args: Any, kind: Any) -> Any:
    index = context.cast(builder, args[1], signature.args[1], types.intp)
    return builder.bitcast(builder.gep(args[0], [index]), kind.as_pointer())


def _alike(context: Any, builder: Any, value: Any, kind: Any) -> Any:
    one = builder.insert_element(ANY, context.cast(builder, value, kind, types.float32), PLACE(0))
    return builder.shuffle_vector(one, ANY, _turned(*[0] * WIDE))


def _load(_typing: Any, array: Any, index: Any) -> Any:
    def build(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        return builder.load(_at(context, builder, signature, args, VECTOR), align=4)

    return PAIR(array, index), build


def _one(_typing: Any, array: Any, index: Any) -> Any:
    def build(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        half = builder.load(_at(context, builder, signature, args, HALF), align=4)
        return builder.shuffle_vector(half, ir.Constant(HALF, ir.Undefined), _turned(0, 1, 2, 3, 0, 1, 2, 3))

    return PAIR(array, index), build


def _two(_typing: Any, array: Any, index: Any) -> Any:
    def build(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        kind = ir.VectorType(FLOAT, 2)
        both = builder.load(_at(context, builder, signature, args, kind), align=4)
        return builder.shuffle_vector(both, ir.Constant(kind, ir.Undefined), _turned(0, 0, 0, 0, 1, 1, 1, 1))

    return PAIR(array, index), build


def _store(_typing: Any, array: Any, index: Any, pair: Any) -> Any:
    def build(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        half = builder.shuffle_vector(args[2], ANY, _turned(0, 1, 2, 3))
        builder.store(half, _at(context, builder, signature, args, HALF), align=4)
        return context.get_dummy_value()

    return types.void(array, index, pair), build


def _same(_typing: Any, value: Any) -> Any:
    def build(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        return _alike(context, builder, args[0], signature.args[0])

    return PAIR(value), build


def _add(_typing: Any, total: Any, weight: Any, pair: Any) -> Any:
    def build(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        by = args[1] if signature.args[1] is PAIR else _alike(context, builder, args[1], signature.args[1])
        return builder.fadd(args[0], builder.fmul(by, args[2], flags=("contract",)), flags=("contract",))

    return PAIR(total, weight, pair), build


def _ramp(_typing: Any, start: Any, step: Any) -> Any:
    def build(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        first, each = (_alike(context, builder, *both) for both in zip(args, signature.args, strict=True))
        steps = ir.Constant(VECTOR, [float(k) for k in range(WIDE)])
        return builder.fadd(first, builder.fmul(each, steps, flags=("contract",)), flags=("contract",))

    return PAIR(start, step), build


def _total(_typing: Any, pair: Any) -> Any:
    def build(_context: Any, builder: Any, _signature: Any, args: Any) -> Any:
        value, width = args[0], WIDE
        while width > 1:  # halves are added until one is left
            width //= 2
            places = [*range(width, 2 * width), *range(width, WIDE)]
            value = builder.fadd(value, builder.shuffle_vector(value, ANY, _turned(*places)))
        return builder.extract_element(value, PLACE(0))

    return types.float32(pair), build


def _store_all(_typing: Any, array: Any, index: Any, pair: Any) -> Any:
    def build(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        builder.store(args[2], _at(context, builder, signature, args, VECTOR), align=4)
        return context.get_dummy_value()

    return types.void(array, index, pair), build


def _swapped(_typing: Any, pair: Any) -> Any:
    def build(_context: Any, builder: Any, _signature: Any, args: Any) -> Any:
        return builder.shuffle_vector(args[0], ANY, _turned(4, 5, 6, 7, 0, 1, 2, 3))

    return PAIR(pair), build


def _picked(order: str) -> Any:
    def pick(_typing: Any, a: Any, b: Any) -> Any:
        def build(_context: Any, builder: Any, _signature: Any, args: Any) -> Any:
            return builder.select(builder.fcmp_ordered(order, args[0], args[1]), args[0], args[1])

        return PAIR(a, b), build

    return pick


ramp: Any = intrinsic(_ramp)
"""start, start + step, … up to start + 7 step."""
total_of: Any = intrinsic(_total)
"""The sum of all eight numbers."""
store_all: Any = intrinsic(_store_all)
"""Write all eight numbers to a lent array from an index on."""
load: Any = intrinsic(_load)
"""Two texels of a lent array, from an index on."""
load_one: Any = intrinsic(_one)
"""One texel of a lent array, from an index on, twice."""
load_weights: Any = intrinsic(_two)
"""Two numbers of a lent array, from an index on: each for the four channels of its texel."""
store: Any = intrinsic(_store)
"""Write the first of two texels to a lent array from an index on."""
same: Any = intrinsic(_same)
"""Two texels of the same value."""
add: Any = intrinsic(_add)
"""total + weight × pair; the weight is a number, or a pair."""
swapped: Any = intrinsic(_swapped)
"""The second texel, and the first."""
least: Any = intrinsic(_picked("<"))
"""The smaller of each of two."""
most: Any = intrinsic(_picked(">"))
"""The larger of each of two."""
