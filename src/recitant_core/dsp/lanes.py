"""Vectors of N doubles in one register, for compiled loops: N / 2 stereo signals side by side.

Every operation acts on each lane alone and is rounded as IEEE 754 says (sums of products once, as fusedMultiplyAdd),
so a lane holds the same bits whatever N is and whatever the other lanes carry. N is 2, 4 or 8; a compiled function
takes it from the type of its ``like``, a tuple of N zeros (see width).
"""

from functools import lru_cache
from typing import Any, Final

from llvmlite import binding, ir
from numba import types
from numba.extending import intrinsic, models, register_model

_DOUBLE: Final = ir.DoubleType()
_LONG: Final = ir.IntType(64)
_INT: Final = ir.IntType(32)
WIDTHS: Final = (2, 4, 8)


class Lanes(types.Type):  # type: ignore[misc]
    """The compiler's type of a vector of doubles."""

    def __init__(self, n: int) -> None:
        self.n = n
        super().__init__(name=f"Lanes({n})")


@register_model(Lanes)
class _LanesModel(models.PrimitiveModel):  # type: ignore[misc]
    def __init__(self, manager: Any, lanes: Lanes) -> None:
        super().__init__(manager, lanes, ir.VectorType(_DOUBLE, lanes.n))


def like(n_lanes: int) -> tuple[int, ...]:
    """Tuple of zeros whose length tells a compiled function its number of lanes."""
    return (0,) * n_lanes


@lru_cache(maxsize=1)
def widest() -> int:
    """Number of lanes for this machine's registers: 8 where they hold 512 bits, else 4."""
    return 8 if binding.get_host_cpu_features().get("avx512f") else 4


def _vector(n: int) -> Any:
    return ir.VectorType(_DOUBLE, n)


def _constant(n: int, value: float) -> Any:
    return ir.Constant(_vector(n), [value] * n)


def _whole(n: int, value: int) -> Any:
    return ir.Constant(ir.VectorType(_LONG, n), [value] * n)


def _called(builder: Any, name: str, n: int, arguments: list[Any]) -> Any:
    full = f"llvm.{name}.v{n}f64"
    kind = ir.FunctionType(_vector(n), [_vector(n)] * len(arguments))
    function = builder.module.globals.get(full) or ir.Function(builder.module, kind, full)
    return builder.call(function, arguments)


def _shuffled(builder: Any, a: Any, b: Any, order: list[int]) -> Any:
    return builder.shuffle_vector(a, b, ir.Constant(ir.VectorType(_INT, len(order)), order))


def _pointer(context: Any, builder: Any, array_type: Any, array: Any, offset: Any, kind: Any) -> Any:
    made = context.make_array(array_type)(context, builder, array)
    return builder.bitcast(builder.gep(made.data, [offset]), kind.as_pointer())


def _taken(name: str, operation: Any, n_arguments: int) -> Any:
    """An intrinsic over lanes alone: ``operation(builder, n, arguments)`` makes the value."""

    def typed(_context, *arguments):  # type: ignore[no-untyped-def]
        lanes = arguments[0]

        def generate(_target, builder, _signature, values):  # type: ignore[no-untyped-def]
            return operation(builder, lanes.n, list(values))

        return lanes(*[lanes] * n_arguments), generate

    # The compiler counts the arguments of what it is given.
    forms = {
        1: lambda context, a: typed(context, a),  # noqa: PLW0108
        2: lambda context, a, b: typed(context, a, b),  # noqa: PLW0108
        3: lambda context, a, b, c: typed(context, a, b, c),  # noqa: PLW0108
        4: lambda context, a, b, c, d: typed(context, a, b, c, d),  # noqa: PLW0108
    }
    form = forms[n_arguments]
    form.__name__ = form.__qualname__ = name
    return intrinsic(form)


# Lanes in, lanes out: a + b, a - b, a * b, a * b + c rounded once, the larger, the smaller, |a|.
add: Any = _taken("add", lambda builder, _n, v: builder.fadd(*v), 2)
less: Any = _taken("less", lambda builder, _n, v: builder.fsub(*v), 2)
times: Any = _taken("times", lambda builder, _n, v: builder.fmul(*v), 2)
times_plus: Any = _taken("times_plus", lambda builder, n, v: _called(builder, "fma", n, v), 3)
larger: Any = _taken("larger", lambda b, _n, v: b.select(b.fcmp_ordered(">", *v), *v), 2)
smaller: Any = _taken("smaller", lambda b, _n, v: b.select(b.fcmp_ordered("<", *v), *v), 2)
absolute: Any = _taken("absolute", lambda builder, n, v: _called(builder, "fabs", n, v), 1)
# a > b ? c : d in each lane.
where_more: Any = _taken("where_more", lambda b, _n, v: b.select(b.fcmp_ordered(">", v[0], v[1]), v[2], v[3]), 4)
# Neighbours change places: left is where right was.
swapped: Any = _taken("swapped", lambda builder, n, v: _shuffled(builder, v[0], v[0], [i ^ 1 for i in range(n)]), 1)
# The left of one, the right of the other.
where_first: Any = _taken(
    "where_first",
    lambda builder, n, v: _shuffled(builder, v[0], v[1], [i if i % 2 == 0 else n + i for i in range(n)]),
    2,
)


def _exponent(builder: Any, n: int, values: list[Any]) -> Any:
    # Into the mantissa of 2**52, from where it is subtracted: no conversion from whole numbers, which few CPUs have.
    bits = builder.bitcast(values[0], ir.VectorType(_LONG, n))
    high = builder.or_(builder.lshr(bits, _whole(n, 52)), _whole(n, 0x4330000000000000))
    return builder.fsub(builder.bitcast(high, _vector(n)), _constant(n, 2.0**52 + 1023.0))


def _mantissa(builder: Any, n: int, values: list[Any]) -> Any:
    bits = builder.bitcast(values[0], ir.VectorType(_LONG, n))
    kept = builder.and_(bits, _whole(n, 0x000FFFFFFFFFFFFF))
    return builder.bitcast(builder.or_(kept, _whole(n, 0x3FF0000000000000)), _vector(n))


def _scaled(builder: Any, n: int, values: list[Any]) -> Any:
    # values[1] is a whole number plus 1.5 * 2**52: its low bits, moved up, are added to the exponent.
    kind = ir.VectorType(_LONG, n)
    whole = builder.shl(builder.bitcast(values[1], kind), _whole(n, 52))
    return builder.bitcast(builder.add(builder.bitcast(values[0], kind), whole), _vector(n))


exponent: Any = _taken("exponent", _exponent, 1)
mantissa: Any = _taken("mantissa", _mantissa, 1)
scaled: Any = _taken("scaled", _scaled, 2)


@intrinsic  # type: ignore[untyped-decorator]
def _every(_context: Any, number: Any, like: Any) -> Any:  # noqa: ARG001
    """Lanes that all hold ``number``."""
    lanes = Lanes(len(like))

    def generate(_target, builder, _signature, arguments):  # type: ignore[no-untyped-def]
        vector = ir.Constant(_vector(lanes.n), ir.Undefined)
        vector = builder.insert_element(vector, arguments[0], _INT(0))
        return _shuffled(builder, vector, vector, [0] * lanes.n)

    return lanes(types.float64, like), generate


@intrinsic  # type: ignore[untyped-decorator]
def _load(_context: Any, rows: Any, offset: Any, like: Any) -> Any:  # noqa: ARG001
    """The N doubles of a flat array from ``offset`` on."""
    lanes = Lanes(len(like))

    def generate(context, builder, signature, arguments):  # type: ignore[no-untyped-def]
        at = _pointer(context, builder, signature.args[0], arguments[0], arguments[1], _vector(lanes.n))
        return builder.load(at, align=8)

    return lanes(rows, types.intp, like), generate


@intrinsic  # type: ignore[untyped-decorator]
def _store(_context: Any, rows: Any, offset: Any, lanes: Any) -> Any:  # noqa: ARG001
    """Put lanes into a flat array of doubles from ``offset`` on."""

    def generate(context, builder, signature, arguments):  # type: ignore[no-untyped-def]
        at = _pointer(context, builder, signature.args[0], arguments[0], arguments[1], _vector(lanes.n))
        builder.store(arguments[2], at, align=8)
        return context.get_dummy_value()

    return types.void(rows, types.intp, lanes), generate


@intrinsic  # type: ignore[untyped-decorator]
def _load_frames(_context: Any, audio: Any, offset: Any, stride: Any, like: Any) -> Any:  # noqa: ARG001
    """One stereo frame of each of N / 2 signals, as doubles: those at ``offset``, ``offset + stride`` and so on.

    Args:
        audio: flat float32; offset, stride: whole numbers of its values, even.
    """
    lanes = Lanes(len(like))
    pairs = ir.VectorType(_LONG, lanes.n // 2)

    def generate(context, builder, signature, arguments):  # type: ignore[no-untyped-def]
        found = ir.Constant(pairs, ir.Undefined)
        for i in range(lanes.n // 2):
            place = builder.add(arguments[1], builder.mul(arguments[2], ir.Constant(arguments[2].type, i)))
            at = _pointer(context, builder, signature.args[0], arguments[0], place, _LONG)
            found = builder.insert_element(found, builder.load(at, align=4), _INT(i))
        return builder.fpext(builder.bitcast(found, ir.VectorType(ir.FloatType(), lanes.n)), _vector(lanes.n))

    return lanes(audio, types.intp, types.intp, like), generate


@intrinsic  # type: ignore[untyped-decorator]
def _store_frames(_context: Any, audio: Any, offset: Any, stride: Any, lanes: Any) -> Any:  # noqa: ARG001
    """Put lanes, rounded to float32, where load_frames takes them from."""
    pairs = ir.VectorType(_LONG, lanes.n // 2)

    def generate(context, builder, signature, arguments):  # type: ignore[no-untyped-def]
        rounded = builder.fptrunc(arguments[3], ir.VectorType(ir.FloatType(), lanes.n))
        made = builder.bitcast(rounded, pairs)
        for i in range(lanes.n // 2):
            place = builder.add(arguments[1], builder.mul(arguments[2], ir.Constant(arguments[2].type, i)))
            at = _pointer(context, builder, signature.args[0], arguments[0], place, _LONG)
            builder.store(builder.extract_element(made, _INT(i)), at, align=4)
        return context.get_dummy_value()

    return types.void(audio, types.intp, types.intp, lanes), generate


def _turned(builder: Any, rows: list[Any]) -> list[Any]:
    """Four columns of rows of four 64-bit values each, as many rows as there are: one, two or four."""
    if len(rows) == 1:
        one = ir.VectorType(_LONG, 1)
        empty = ir.Constant(one, ir.Undefined)
        return [builder.insert_element(empty, builder.extract_element(rows[0], _INT(k)), _INT(0)) for k in range(4)]
    even = [_shuffled(builder, rows[i], rows[i + 1], [0, 4, 2, 6]) for i in range(0, len(rows), 2)]
    odd = [_shuffled(builder, rows[i], rows[i + 1], [1, 5, 3, 7]) for i in range(0, len(rows), 2)]
    if len(rows) == 2:
        return [_shuffled(builder, side[0], side[0], half) for half in ([0, 1], [2, 3]) for side in (even, odd)]
    return [_shuffled(builder, a, b, half) for half in ([0, 1, 4, 5], [2, 3, 6, 7]) for a, b in (even, odd)]


_FOUR_FRAMES: Final = ir.VectorType(_LONG, 4)


def _as_lanes(context: Any, builder: Any, lanes: Lanes, rows: list[Any]) -> Any:
    """A tuple of four frames as lanes, from four frames of each signal."""
    floats = ir.VectorType(ir.FloatType(), lanes.n)
    frames = [builder.fpext(builder.bitcast(one, floats), _vector(lanes.n)) for one in _turned(builder, rows)]
    return context.make_tuple(builder, types.UniTuple(lanes, 4), frames)


@intrinsic  # type: ignore[untyped-decorator]
def _load_four_frames(_context: Any, audio: Any, offset: Any, stride: Any, like: Any) -> Any:
    """Four frames as load_frames gives one, in a tuple."""
    lanes = Lanes(len(like))

    def generate(context, builder, signature, arguments):  # type: ignore[no-untyped-def]
        rows = []
        for i in range(lanes.n // 2):
            place = builder.add(arguments[1], builder.mul(arguments[2], ir.Constant(arguments[2].type, i)))
            at = _pointer(context, builder, signature.args[0], arguments[0], place, _FOUR_FRAMES)
            rows.append(builder.load(at, align=4))
        return _as_lanes(context, builder, lanes, rows)

    return types.UniTuple(lanes, 4)(audio, offset, stride, like), generate


@intrinsic  # type: ignore[untyped-decorator]
def _load_four_frames_from(_context: Any, audio: Any, starts: Any, offset: Any, like: Any) -> Any:
    """Four frames of each signal, read from its own place: ``starts[i] + offset``; see load_four_frames.

    Args:
        audio: flat float32; starts: int64 (N / 2,), and offset, in its values, even.
    """
    lanes = Lanes(len(like))

    def generate(context, builder, signature, arguments):  # type: ignore[no-untyped-def]
        places = context.make_array(signature.args[1])(context, builder, arguments[1]).data
        rows = []
        for i in range(lanes.n // 2):
            place = builder.add(builder.load(builder.gep(places, [_INT(i)])), arguments[2])
            at = _pointer(context, builder, signature.args[0], arguments[0], place, _FOUR_FRAMES)
            rows.append(builder.load(at, align=4))
        return _as_lanes(context, builder, lanes, rows)

    return types.UniTuple(lanes, 4)(audio, starts, offset, like), generate


@intrinsic  # type: ignore[untyped-decorator]
def _load_frames_from(_context: Any, audio: Any, starts: Any, offset: Any, like: Any) -> Any:
    """One frame as load_four_frames_from gives four."""
    lanes = Lanes(len(like))
    pairs = ir.VectorType(_LONG, lanes.n // 2)

    def generate(context, builder, signature, arguments):  # type: ignore[no-untyped-def]
        places = context.make_array(signature.args[1])(context, builder, arguments[1]).data
        found = ir.Constant(pairs, ir.Undefined)
        for i in range(lanes.n // 2):
            place = builder.add(builder.load(builder.gep(places, [_INT(i)])), arguments[2])
            at = _pointer(context, builder, signature.args[0], arguments[0], place, _LONG)
            found = builder.insert_element(found, builder.load(at, align=4), _INT(i))
        return builder.fpext(builder.bitcast(found, ir.VectorType(ir.FloatType(), lanes.n)), _vector(lanes.n))

    return lanes(audio, starts, offset, like), generate


@intrinsic  # type: ignore[untyped-decorator]
def _store_four_frames(_context: Any, audio: Any, offset: Any, stride: Any, frames: Any) -> Any:
    """Put a tuple of four frames, rounded to float32, where load_four_frames takes them from."""
    lanes = frames.dtype

    def generate(context, builder, signature, arguments):  # type: ignore[no-untyped-def]
        floats, pairs = ir.VectorType(ir.FloatType(), lanes.n), ir.VectorType(_LONG, lanes.n // 2)
        made = [
            builder.bitcast(builder.fptrunc(builder.extract_value(arguments[3], k), floats), pairs) for k in range(4)
        ]
        for i, row in enumerate(_rows_of_frames(builder, made)):
            place = builder.add(arguments[1], builder.mul(arguments[2], ir.Constant(arguments[2].type, i)))
            at = _pointer(context, builder, signature.args[0], arguments[0], place, _FOUR_FRAMES)
            builder.store(row, at, align=4)
        return context.get_dummy_value()

    return types.void(audio, offset, stride, frames), generate


def _rows_of_frames(builder: Any, frames: list[Any]) -> list[Any]:
    """The other way round: of each signal its four frames."""
    n = frames[0].type.count
    if n == 4:
        return _turned(builder, frames)
    pairs = [_shuffled(builder, frames[k], frames[k + 1], list(range(2 * n))) for k in (0, 2)]
    return [_shuffled(builder, pairs[0], pairs[1], [i + n * k for k in range(4)]) for i in range(n)]


every: Any = _every
load: Any = _load
store: Any = _store
load_frames: Any = _load_frames
store_frames: Any = _store_frames
load_four_frames: Any = _load_four_frames
load_four_frames_from: Any = _load_four_frames_from
load_frames_from: Any = _load_frames_from
store_four_frames: Any = _store_four_frames
