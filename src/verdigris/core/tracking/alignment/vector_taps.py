"""Cubic B-splines of two neighbouring pictures at once, four taps to an instruction.

This is where a comparison spends most of its time. A compiler that is given the sixteen taps one by one does them one by one;
told in its own terms to take a row of four at a time, it needs less than half the time for the same numbers.

References
----------
Unser, Splines: a perfect fit for signal and image processing, IEEE Signal Processing Magazine 16(6), 1999 (cubic B-splines).
"""

from typing import Any

import numpy as np
from numba import types
from numba.core import cgutils
from numba.extending import intrinsic

# What numba itself writes code with.
ir = cgutils.ir
_FLOAT, _INT = ir.FloatType(), ir.IntType(32)
_FOUR = ir.VectorType(_FLOAT, 4)
_FAST = ("fast",)
# Weights of the taps at -1, 0, 1 and 2 as polynomials of the place f between 0 and 1: coefficients of 1, f, f^2 and f^3.
_WEIGHTS = np.array([[1.0, 4.0, 1.0, 0.0], [-3.0, 0.0, 3.0, 0.0], [3.0, -6.0, 3.0, 0.0], [-1.0, 3.0, -3.0, 1.0]]) / 6.0


class _Lanes:
    """Arithmetic on four numbers at once."""

    def __init__(self, builder: Any) -> None:
        self._builder = builder

    def constant(self, values: Any) -> Any:
        return ir.Constant(_FOUR, [ir.Constant(_FLOAT, float(np.float32(v))) for v in values])

    def add(self, a: Any, b: Any) -> Any:
        return self._builder.fadd(a, b, flags=_FAST)

    def less(self, a: Any, b: Any) -> Any:
        return self._builder.fsub(a, b, flags=_FAST)

    def times(self, a: Any, b: Any) -> Any:
        return self._builder.fmul(a, b, flags=_FAST)

    def same(self, number: Any) -> Any:
        """One number four times."""
        return self.lane(self._builder.insert_element(ir.Constant(_FOUR, ir.Undefined), number, ir.Constant(_INT, 0)), 0)

    def lane(self, vector: Any, which: int) -> Any:
        """One of four numbers four times."""
        mask = ir.Constant(ir.VectorType(_INT, 4), [which] * 4)
        return self._builder.shuffle_vector(vector, ir.Constant(_FOUR, ir.Undefined), mask)

    def load(self, data: Any, at: Any) -> Any:
        """Four neighbouring numbers of an array."""
        row = self._builder.load(self._builder.bitcast(self._builder.gep(data, [at]), _FOUR.as_pointer()))
        row.align = 4
        return row

    def total(self, vector: Any) -> Any:
        """Sum of the four."""
        kind = ir.FunctionType(_FLOAT, [_FLOAT, _FOUR])
        add_up = cgutils.get_or_insert_function(self._builder.module, kind, "llvm.vector.reduce.fadd.v4f32")
        return self._builder.call(add_up, [ir.Constant(_FLOAT, -0.0), vector], fastmath=_FAST)

    def polynomial(self, at: Any, coefficients: Any) -> Any:
        """Four polynomials at one place, from rows of coefficients of 1, f, f^2, ..."""
        *rest, value = (self.constant(c) for c in coefficients)
        for c in reversed(rest):
            value = self.add(c, self.times(at, value))
        return value


@intrinsic
def cubic_pair(typingctx, splines, k, y, x, fu, fv, blend):  # type: ignore[no-untyped-def]
    """Value, its derivatives by u and v, and what the next level has more, of level k's B-spline blended with the next level's.

    For compiled code: (value, du, dv, change), float32.

    Parameters
    ----------
    splines : (levels, h, w) float32, contiguous, B-spline coefficients
    k : the level
    y, x : row and column of the first of the 4 x 4 taps; all of them must lie within the picture
    fu, fv : float32, place between the second and the third tap, 0..1
    blend : float32, share of level k + 1
    """
    signature = types.UniTuple(types.float32, 4)(splines, types.intp, types.intp, types.intp, types.float32, types.float32, types.float32)

    def generate(context: Any, builder: Any, sig: Any, args: Any) -> Any:
        array, k, y, x, fu, fv, blend = args
        four = _Lanes(builder)
        made = context.make_array(sig.args[0])(context, builder, array)
        _, height, width = cgutils.unpack_tuple(builder, made.shape)
        slopes = _WEIGHTS[1:] * np.array([[1.0], [2.0], [3.0]])
        across, along = four.same(fu), four.same(fv)
        a, d = four.polynomial(across, _WEIGHTS), four.polynomial(across, slopes)
        b, e = four.polynomial(along, _WEIGHTS), four.polynomial(along, slopes)
        rows = [(four.lane(b, j), four.lane(e, j)) for j in range(4)]

        def columns(first: Any) -> tuple[Any, Any]:
            """Each column's sum over the rows, and the derivative of that."""
            value = slope = four.constant([0.0] * 4)
            for j, (weight, by_v) in enumerate(rows):
                row = four.load(made.data, builder.add(first, builder.mul(ir.Constant(width.type, j), width)))
                value, slope = four.add(value, four.times(weight, row)), four.add(slope, four.times(by_v, row))
            return value, slope

        first = builder.add(builder.mul(builder.add(builder.mul(k, height), y), width), x)
        (low, low_v), (high, high_v) = columns(first), columns(builder.add(first, builder.mul(height, width)))
        share, more = four.same(blend), four.less(high, low)
        value, by_v = four.add(low, four.times(share, more)), four.add(low_v, four.times(share, four.less(high_v, low_v)))
        found = [four.total(four.times(weight, c)) for weight, c in ((a, value), (d, value), (a, by_v), (a, more))]
        return context.make_tuple(builder, sig.return_type, found)

    return signature, generate
