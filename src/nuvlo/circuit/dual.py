"""Numbers that carry their derivatives: forward differentiation through the array functions of NumPy.

A :class:`Dual` holds a value (K,) and its derivatives (P, K) by P inputs. Every rule is exact, so a Newton step through
an expression is as good as one through equations written by hand (A. Griewank, A. Walther, *Evaluating Derivatives*,
2nd ed., chapter 3).
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from nuvlo.circuit.circuit import Array

_operate: Any = np  # NumPy hands these on to __array_ufunc__, which its type stubs do not know
_UNARY: dict[np.ufunc, Callable[[Array, Array], Array]] = {
    # derivative of each by its argument x, given x and the function's own value y
    np.negative: lambda x, y: np.full_like(x, -1.0), np.positive: lambda x, y: np.ones_like(x), np.exp: lambda x, y: y,
    np.log: lambda x, y: 1 / x, np.log10: lambda x, y: 1 / (x * np.log(10.0)), np.sqrt: lambda x, y: 0.5 / np.maximum(y, 1e-150),
    np.tanh: lambda x, y: 1 - y * y, np.arctan: lambda x, y: 1 / (1 + x * x), np.sin: lambda x, y: np.cos(x),
    np.cos: lambda x, y: -np.sin(x), np.absolute: lambda x, y: np.sign(x), np.sign: lambda x, y: np.zeros_like(x),
}  # fmt: skip
_COMPARISONS = (
    np.less, np.less_equal, np.greater, np.greater_equal, np.equal, np.not_equal, np.logical_or, np.logical_and,
)  # fmt: skip


class Dual:
    """A value with derivatives. Works with NumPy's ufuncs and ``where``."""

    __array_priority__ = 1000
    __slots__ = ("slope", "value")

    def __init__(self, value: Array, slope: Array) -> None:
        self.value, self.slope = value, slope

    @classmethod
    def inputs(cls, values: Array) -> list[Dual]:
        """One for each row of (P, K), each its own input."""
        count, width = values.shape
        unit = np.eye(count)[:, :, None] * np.ones(width)
        return [cls(values[k], unit[k]) for k in range(count)]

    def __array_ufunc__(self, ufunc: np.ufunc, method: str, *inputs: Any, **_: Any) -> Any:
        values = [i.value if isinstance(i, Dual) else np.asarray(i) for i in inputs]
        if ufunc in _COMPARISONS:
            return ufunc(*values)
        result = ufunc(*values)
        if ufunc in _UNARY:
            return Dual(result, _UNARY[ufunc](values[0], result) * inputs[0].slope)
        a, b = values
        by_a, by_b = _binary(ufunc, a, b, result)
        slope: Any = 0.0
        for given, factor in zip(inputs, (by_a, by_b), strict=True):
            if isinstance(given, Dual):
                slope = slope + factor * given.slope
        return Dual(result, slope)

    def __array_function__(self, function: Any, types: Any, arguments: Any, keywords: Any) -> Any:
        if function is np.where:
            condition, yes, no = arguments
            value = np.where(truth(condition), plain(yes), plain(no))
            return Dual(value, np.where(truth(condition), slope_of(yes), slope_of(no)))
        return NotImplemented

    def __add__(self, other: Any) -> Any:
        return _operate.add(self, other)

    def __radd__(self, other: Any) -> Any:
        return _operate.add(other, self)

    def __sub__(self, other: Any) -> Any:
        return _operate.subtract(self, other)

    def __rsub__(self, other: Any) -> Any:
        return _operate.subtract(other, self)

    def __mul__(self, other: Any) -> Any:
        return _operate.multiply(self, other)

    def __rmul__(self, other: Any) -> Any:
        return _operate.multiply(other, self)

    def __truediv__(self, other: Any) -> Any:
        return _operate.divide(self, other)

    def __rtruediv__(self, other: Any) -> Any:
        return _operate.divide(other, self)

    def __pow__(self, other: Any) -> Any:
        return _operate.power(self, other)

    def __rpow__(self, other: Any) -> Any:
        return _operate.power(other, self)

    def __neg__(self) -> Any:
        return _operate.negative(self)


def _binary(ufunc: np.ufunc, a: Array, b: Array, result: Array) -> tuple[Any, Any]:
    if ufunc is np.add:
        return 1.0, 1.0
    if ufunc is np.subtract:
        return 1.0, -1.0
    if ufunc is np.multiply:
        return b, a
    if ufunc is np.divide:
        return 1.0 / b, -result / b
    if ufunc is np.power:
        with np.errstate(divide="ignore", invalid="ignore"):
            by_base = np.where(b == 0, 0.0, b * np.power(a, b - 1.0))
            by_exponent = np.where(a > 0, result * np.log(np.where(a > 0, a, 1.0)), 0.0)
        # At the foot of a root the slope is infinite; a large one leads Newton on where an infinite one stops it.
        return np.nan_to_num(by_base, nan=0.0, posinf=1e12, neginf=-1e12), by_exponent
    if ufunc in (np.minimum, np.maximum):
        first = (a <= b) if ufunc is np.minimum else (a >= b)
        return 1.0 * first, 1.0 * ~first
    raise TypeError(f"no derivative of {ufunc.__name__} is known")


def plain(x: Any) -> Any:
    """The value of a number, with or without derivatives."""
    return x.value if isinstance(x, Dual) else x


def slope_of(x: Any) -> Any:
    """Derivatives (P, K), or 0.0 for a constant."""
    return x.slope if isinstance(x, Dual) else 0.0


def truth(x: Any) -> Any:
    """Which members a condition holds for."""
    return np.asarray(plain(x)) != 0
