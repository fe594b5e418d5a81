"""Eight pixels at a time: the two inner loops that the compiler does not turn into vector instructions by itself.

They are written in LLVM's own vector types, so they are the same for every kind of processor and give the same bits. Numbers are single
precision.
"""

from collections.abc import Callable
from typing import Any

from llvmlite import ir
from numba import types
from numba.core import cgutils
from numba.extending import intrinsic

_vector: Callable[..., Callable[..., Any]] = intrinsic
LANE = 8
FLOATS, WHOLES, BITS = ir.VectorType(ir.FloatType(), LANE), ir.VectorType(ir.IntType(32), LANE), ir.VectorType(ir.IntType(1), LANE)


class _Lane:
    """A vector value with the operators that the loops need."""

    def __init__(self, builder: Any, value: Any) -> None:
        self.builder, self.value = builder, value

    def _both(self, how: str, other: "_Lane") -> "_Lane":
        return _Lane(self.builder, getattr(self.builder, how)(self.value, other.value))

    def __add__(self, other: "_Lane") -> "_Lane":
        return self._both("fadd", other)

    def __sub__(self, other: "_Lane") -> "_Lane":
        return self._both("fsub", other)

    def __mul__(self, other: "_Lane") -> "_Lane":
        return self._both("fmul", other)

    def __and__(self, other: "_Lane") -> "_Lane":
        return self._both("and_", other)

    def __lt__(self, other: "_Lane") -> "_Lane":
        return _Lane(self.builder, self.builder.fcmp_ordered("<", self.value, other.value))

    def __le__(self, other: "_Lane") -> "_Lane":
        return _Lane(self.builder, self.builder.fcmp_ordered("<=", self.value, other.value))

    def pick(self, yes: "_Lane", no: "_Lane") -> "_Lane":
        return _Lane(self.builder, self.builder.select(self.value, yes.value, no.value))

    def least(self, other: "_Lane") -> "_Lane":
        return (self < other).pick(self, other)

    def most(self, other: "_Lane") -> "_Lane":
        return (other < self).pick(self, other)

    def root(self) -> "_Lane":
        function = cgutils.get_or_insert_function(self.builder.module, ir.FunctionType(FLOATS, [FLOATS]), f"llvm.sqrt.v{LANE}f32")
        return _Lane(self.builder, self.builder.call(function, [self.value]))


def _constant(builder: Any, values: list[float]) -> _Lane:
    return _Lane(builder, ir.Constant(FLOATS, values))


def _spread(builder: Any, value: Any, kind: Any = FLOATS) -> _Lane:
    """One number in every place."""
    one = builder.insert_element(ir.Constant(kind, ir.Undefined), value, ir.Constant(ir.IntType(32), 0))
    return _Lane(builder, builder.shuffle_vector(one, ir.Constant(kind, ir.Undefined), ir.Constant(WHOLES, [0] * LANE)))


def _pointer(context: Any, builder: Any, kind: Any, array: Any, slot: Any, vector: Any) -> Any:
    data = context.make_array(kind)(context, builder, array).data
    return builder.bitcast(cgutils.gep(builder, data, slot), vector.as_pointer())


def _from_bits(builder: Any, bits: Any) -> _Lane:
    """A condition from the lowest LANE bits of a whole number."""
    low = builder.trunc(bits, ir.IntType(32))
    each = builder.and_(_spread(builder, low, WHOLES).value, ir.Constant(WHOLES, [1 << i for i in range(LANE)]))
    return _Lane(builder, builder.icmp_signed("!=", each, ir.Constant(WHOLES, [0] * LANE)))


@_vector
def note_nearer(typing: Any, square: Any, near: Any, slot: Any, px: Any, py: Any, ux: Any, uy: Any, long: Any, which: Any) -> Any:
    """Note a side in LANE pixels from `slot` on, where it is nearer than what was noted there before.

    square: float32, squared distance so far; near: int32, whose it is. (px, py): from the side's start to the first pixel's centre,
    (ux, uy): the side's direction, long: its length, all float32; which: int32, the side.
    """
    signature = types.void(square, near, types.intp, *[types.float32] * 5, types.int32)

    def build(context: Any, builder: Any, signature: Any, given: Any) -> Any:
        squares = _pointer(context, builder, signature.args[0], given[0], given[2], FLOATS)
        sides = _pointer(context, builder, signature.args[1], given[1], given[2], WHOLES)
        px, py, ux, uy, top = (_spread(builder, v) for v in given[3:8])
        x = px + _constant(builder, [float(i) for i in range(LANE)])
        t = (x * ux + py * uy).most(_constant(builder, [0.0] * LANE)).least(top)
        ex, ey = x - t * ux, py - t * uy
        found, before = ex * ex + ey * ey, _Lane(builder, builder.load(squares, align=4))
        nearer = found < before
        builder.store(nearer.pick(found, before).value, squares, align=4)
        side = nearer.pick(_spread(builder, given[8], WHOLES), _Lane(builder, builder.load(sides, align=4)))
        builder.store(side.value, sides, align=4)
        return context.get_dummy_value()

    return signature, build


@_vector
def even_alpha(
    typing: Any, square0: Any, inside0: Any, square1: Any, inside1: Any, slot: Any, add: Any, margin: Any, whole: Any, per_px: Any,
    c0: Any, c1: Any, c2: Any, c3: Any, mean: Any, change: Any, into: Any,
) -> Any:  # fmt: skip
    """Mean alpha over a step, of LANE pixels that no end of the reach passes through, and how alpha changes in the step.

    square0, square1: squared distances at the step's begin and end; inside0, inside1: a bit per pixel. add: outer reach plus edge shift,
    margin: half a pixel's diagonal, whole: the reach, per_px: one over that, c0..c3: the profile, all float32. mean, change: float32,
    written from `slot` on; the change leaves the pixel's own size out. into: float32 (2 LANE), how far the pixels lie within the reach at
    either moment, cut at its ends. Returns a bit per pixel that an end of the reach does pass.
    """
    signature = types.int64(
        square0, types.int64, square1, types.int64, types.intp, *[types.float32] * 8, mean, change, into
    )  # fmt: skip

    def build(context: Any, builder: Any, signature: Any, given: Any) -> Any:
        def spread(number: float) -> _Lane:
            return _constant(builder, [number] * LANE)

        slot = given[4]
        add, margin, whole, per_px, c0, c1, c2, c3 = (_spread(builder, v) for v in given[5:13])
        zero, one = spread(0.0), spread(1.0)
        ends = []
        for at in (0, 2):
            squares = _pointer(context, builder, signature.args[at], given[at], slot, FLOATS)
            away = _Lane(builder, builder.load(squares, align=4)).root()
            into = add + _from_bits(builder, given[at + 1]).pick(away, zero - away)
            ends.append(into.most(zero - margin - one).least(whole + margin + one))
            place = ir.Constant(ir.IntType(64), at // 2 * LANE)
            builder.store(ends[-1].value, _pointer(context, builder, signature.args[15], given[15], place, FLOATS), align=4)
        a, b = ends
        low, high, step, t = a.least(b), a.most(b), b - a, spread(0.5) * (a + b) * per_px
        ripple = per_px * per_px * spread(1.0 / 12.0)
        even = c0 + t * (c1 + t * (c2 + t * c3)) + (c2 + spread(3.0) * c3 * t) * ripple * (one + step * step)
        full, empty = whole + margin <= low, high <= zero - margin
        value = full.pick(one, empty.pick(zero, even))
        builder.store(value.value, _pointer(context, builder, signature.args[13], given[13], slot, FLOATS), align=4)
        t, u = (a * per_px).most(zero).least(one), (b * per_px).most(zero).least(one)
        turn = u * (c1 + u * (c2 + u * c3)) - t * (c1 + t * (c2 + t * c3))
        builder.store(turn.value, _pointer(context, builder, signature.args[14], given[14], slot, FLOATS), align=4)
        settled = builder.or_(builder.or_(full.value, empty.value), ((margin <= low) & (high <= whole - margin)).value)
        bits = builder.bitcast(builder.not_(settled), ir.IntType(LANE))
        return builder.zext(bits, ir.IntType(64))

    return signature, build


@_vector
def lowest_bit(typing: Any, bits: Any) -> Any:
    """Which is the lowest bit set of a whole number that is not 0."""

    def build(context: Any, builder: Any, signature: Any, given: Any) -> Any:
        return builder.cttz(given[0], ir.Constant(ir.IntType(1), 1))

    return types.int64(types.int64), build
