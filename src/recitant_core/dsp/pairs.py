"""Two numbers side by side in compiled code: one fused multiply-and-add for both channels of a frame at once.

A pair is a tuple of two floats; the compiler keeps it in one register. The sum is rounded once, as IEEE 754's
fusedMultiplyAdd, so the bits are the same whether the processor has the instruction or not.
"""

from typing import Any

from llvmlite import ir
from numba import types
from numba.extending import intrinsic

PAIR = types.UniTuple(types.float64, 2)
_VECTOR = ir.VectorType(ir.DoubleType(), 2)
_INDEX = ir.IntType(32)


def _packed(builder: Any, pair: Any) -> Any:
    vector = ir.Constant(_VECTOR, ir.Undefined)
    for i in range(2):
        vector = builder.insert_element(vector, builder.extract_value(pair, i), _INDEX(i))
    return vector


def _both(builder: Any, number: Any) -> Any:
    vector = ir.Constant(_VECTOR, ir.Undefined)
    for i in range(2):
        vector = builder.insert_element(vector, number, _INDEX(i))
    return vector


@intrinsic  # type: ignore[untyped-decorator]
def _times_plus(_context: Any, pair: Any, number: Any, plus: Any) -> Any:  # noqa: ARG001  # what is typed by name
    """``pair * number + plus`` for both values, for compiled code only.

    Args:
        pair, plus: tuples of two floats. number: one float.
    """
    signature = PAIR(PAIR, types.float64, PAIR)

    def generate(context, builder, _signature, arguments):  # type: ignore[no-untyped-def]
        pair, number, plus = arguments
        name = "llvm.fma.v2f64"
        known = builder.module.globals.get(name)
        fma = known or ir.Function(builder.module, ir.FunctionType(_VECTOR, [_VECTOR] * 3), name)
        made = builder.call(fma, [_packed(builder, pair), _both(builder, number), _packed(builder, plus)])
        out = ir.Constant(context.get_value_type(PAIR), ir.Undefined)
        for i in range(2):
            out = builder.insert_value(out, builder.extract_element(made, _INDEX(i)), i)
        return out

    return signature, generate


times_plus: Any = _times_plus
