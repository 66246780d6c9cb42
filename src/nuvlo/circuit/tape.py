"""Laws of devices recorded as a straight line of operations, for the compiled kernel to run.

A law is called once with voltages that are no numbers but remember what is done to them. What is done to parameters alone is done at once,
by NumPy; so of a law only what hangs on voltages is left, and no law is written down twice.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.lib.mixins import NDArrayOperatorsMixin
from numpy.typing import NDArray

from nuvlo.arrays import Array

OPERATIONS = (
    "add", "subtract", "multiply", "divide", "negative", "absolute", "minimum", "maximum", "exp", "log", "log10", "sqrt", "power", "tan",
    "tanh", "arctan", "sin", "cos", "sinh", "cosh", "arcsin", "arccos", "arcsinh", "arccosh", "arctanh", "floor", "ceil", "trunc", "rint",
    "fmod", "sign", "less", "less_equal", "greater", "greater_equal", "equal", "not_equal", "logical_and", "logical_or", "logical_not",
    "where", "steep",
)  # fmt: skip
NUMBER = {name: k for k, name in enumerate(OPERATIONS)}
SAME = {"bitwise_and": "logical_and", "bitwise_or": "logical_or", "invert": "logical_not"}
NOTHING: Array = np.zeros((1, 1))
ALIKE = 64  # items of constants that are looked at for being the same


class UnrecordedError(Exception):
    """A law does something that cannot be recorded."""


class Traced(NDArrayOperatorsMixin):
    """A number that is not known yet: the result of operation ``number`` of a tape, or one of its inputs."""

    __slots__ = ("number", "tape")

    def __init__(self, tape: Tape, number: int) -> None:
        self.tape, self.number = tape, number

    def __array_ufunc__(self, ufunc: Any, method: str, *inputs: Any, **options: Any) -> Any:
        if method != "__call__" or options:
            raise UnrecordedError(f"{ufunc.__name__} {method}")
        return self.tape.apply(ufunc.__name__, inputs)

    def __array_function__(self, function: Any, types: Any, inputs: Any, options: Any) -> Any:
        if function is np.where:
            return self.tape.apply("where", inputs)
        if function is np.nan_to_num:
            return self.tape.apply("steep", inputs[:1])
        raise UnrecordedError(function.__name__)

    def any(self) -> bool:
        """It may be: work is never spared by what is not known."""
        return True


class Tape:
    """What is done to ``inputs`` numbers, besides the conductance ``gmin`` and the ``time``."""

    def __init__(self, inputs: int) -> None:
        self.gmin, self.time, *self.inputs = (Traced(self, k) for k in range(2 + inputs))
        self.operations: list[tuple[int, tuple[int, ...]]] = []  # number and operands; operands < 0 are constants
        self.constants: list[Array] = []
        self._known: dict[tuple[Any, ...], Traced] = {}
        self._constant: dict[tuple[Any, ...], int] = {}

    def apply(self, name: str, inputs: Sequence[Any]) -> Traced | Array:
        """The result of a function of NumPy, as far as it is simpler than to do it."""
        name = SAME.get(name, name)
        given = [one if isinstance(one, Traced) else np.asarray(one, float) for one in inputs]
        simple = _simpler(self, name, given)
        if simple is not None:
            return simple
        if name not in NUMBER:
            raise UnrecordedError(name)
        key = (NUMBER[name], *(self._operand(one) for one in given))
        found = self._known.get(key)
        if found is None:
            found = self._known[key] = Traced(self, 2 + len(self.inputs) + len(self.operations))
            self.operations.append((key[0], key[1:]))
        return found

    def _operand(self, one: Traced | Array) -> int:
        if isinstance(one, Traced):
            return one.number
        key = (one.shape, one.tobytes()) if one.size <= ALIKE else (id(one),)
        if key not in self._constant:
            self._constant[key] = len(self.constants)
            self.constants.append(one)
        return -1 - self._constant[key]

    def program(self, outputs: Sequence[tuple[Traced | Array, int, Sequence[int]]], rows: NDArray[np.int32]) -> Program:
        """What computes ``outputs``: each a number, of which kind it is (current, conductance, charge, capacitance), and the row it goes
        to, for each device. ``rows`` (inputs, devices) are the branches that the inputs are the voltages of."""
        lanes = rows.shape[1]
        wanted = [(self._operand(one if isinstance(one, Traced) else np.asarray(one, float)), kind, where) for one, kind, where in outputs]
        first = 2 + len(self.inputs)
        needed, stack = set(), [number for number, _, _ in wanted]
        while stack:
            number = stack.pop()
            if number in needed:
                continue
            needed.add(number)
            if number >= first:
                stack += self.operations[number - first][1]
        constants = [(k, np.broadcast_to(np.atleast_2d(one), (lanes, max(1, np.atleast_2d(one).shape[1])))) for k, one in enumerate(self.constants) if -1 - k in needed]
        fixed = [(k, one) for k, one in constants if one.shape[1] == 1]
        varying = [(k, one) for k, one in constants if one.shape[1] > 1]
        register = {k: k for k in range(first)}
        for k, _ in fixed + varying:
            register[-1 - k] = len(register)
        code = []
        for k, (operation, operands) in enumerate(self.operations):
            if first + k in needed:
                register[first + k] = len(register)
                of = [register[one] for one in operands]
                code.append([operation, register[first + k], *of, *[of[0]] * (3 - len(of))])
        out = [[register[number], kind, *where] for number, kind, where in wanted]
        return Program(
            rows, len(register), np.array(code, dtype=np.int32).reshape(-1, 5), np.array(out, dtype=np.int32).reshape(-1, 2 + lanes),
            np.array([one[:, 0] for _, one in fixed]).reshape(-1, lanes),
            np.ascontiguousarray(np.array([one for _, one in varying]).reshape(len(varying), lanes, -1).transpose(2, 0, 1)) if varying else np.zeros((1, 0, lanes)),
        )  # fmt: skip


@dataclass(frozen=True)
class Program:
    """``code`` (operations, 5): what, into which register, of which three; ``out`` (outputs, 2 + devices): register, kind, rows.
    ``fixed`` (constants, devices) and ``varying`` (members, constants, devices) are what parameters come to."""

    rows: NDArray[np.int32]
    registers: int
    code: NDArray[np.int32]
    out: NDArray[np.int32]
    fixed: Array
    varying: Array

    def packed(self) -> tuple[Any, ...]:
        """As the kernel takes it."""
        inputs, lanes = self.rows.shape
        sizes = (lanes, inputs, len(self.fixed), self.varying.shape[1], len(self.code), len(self.out), self.registers)
        return (*sizes, np.ascontiguousarray(self.rows), self.code, self.out, self.fixed, self.varying)


def _is(one: Traced | Array, value: float) -> bool:
    return not isinstance(one, Traced) and one.flat[0] == value and bool((one == value).all())


def _simpler(tape: Tape, name: str, given: list[Traced | Array]) -> Traced | Array | None:
    """What needs no operation, or another one that costs less; None where there is nothing simpler."""
    a, b = given[0], given[-1]
    match name:
        case "add" if _is(a, 0.0) or _is(b, 0.0):
            return b if _is(a, 0.0) else a
        case "subtract" if _is(b, 0.0):
            return a
        case "multiply" if _is(a, 0.0) or _is(b, 0.0):
            return NOTHING
        case "multiply" if _is(a, 1.0) or _is(b, 1.0):
            return b if _is(a, 1.0) else a
        case "divide" if _is(a, 0.0):
            return NOTHING
        case "divide" if not isinstance(b, Traced):
            with np.errstate(divide="ignore"):
                return tape.apply("multiply", (a, 1.0 / b))
        case "square":
            return tape.apply("multiply", (a, a))
        case "power" if _is(b, 1.0):
            return a
        case "power" if _is(b, 2.0):
            return tape.apply("multiply", (a, a))
        case "power" if _is(b, 0.5):
            return tape.apply("sqrt", (a,))
        case "power" if _is(b, -0.5):
            return tape.apply("divide", (1.0, tape.apply("sqrt", (a,))))
        case "where" if not isinstance(a, Traced) and (_is(a, 0.0) or a.all()):
            return given[2] if _is(a, 0.0) else given[1]
        case "minimum" if _is(a, np.inf) or _is(b, np.inf):
            return b if _is(a, np.inf) else a
    return None
