"""Expressions compiled to code: values and exact derivatives, for whole arrays of members or for a single one.

Each expression is differentiated by the rules of calculus on its tree, and all expressions of a circuit become one Python
function in which what occurs twice is computed once. The same text runs on NumPy arrays, or, where there is but one
member, on plain numbers, which spares the cost of a call into NumPy for each operation.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from functools import lru_cache
from types import SimpleNamespace
from typing import Any

import numpy as np

from nuvlo.circuit.expression import FUNCTIONS, OPERATORS, Tree

STEEPEST = 1e12  # at the foot of a root the slope is infinite; a large one leads Newton on where that would stop it
Function = Callable[[Any, Sequence[Any]], tuple[tuple[Any, ...], tuple[Any, ...]]]
_ZERO, _ONE, _TWO = ("number", 0.0), ("number", 1.0), ("number", 2.0)
_COMPARISONS = ("||", "&&", "==", "!=", "<", "<=", ">", ">=", "sgn", "u")


def derivative(tree: Tree, by: Tree) -> Tree:
    """The tree of the derivative of ``tree`` by the leaf ``by``."""
    if tree == by:
        return _ONE
    head, *parts = tree
    if head in ("number", "name", "input", "parameter") or head in _COMPARISONS:
        return _ZERO
    slopes = [derivative(p, by) for p in parts]
    if all(s == _ZERO for s in slopes):
        return _ZERO
    if head == "?:":
        return ("?:", parts[0], slopes[1], slopes[2])
    if head == "+":
        return _add(*slopes)
    if head == "-":
        return _add(slopes[0], _neg(slopes[1]))
    if head == "neg":
        return _neg(slopes[0])
    if head in ("min", "max"):
        first = ("<=" if head == "min" else ">=", *parts)
        return ("?:", first, *slopes)
    if head == "limit":
        x, a, b = parts
        return derivative(("min", ("max", x, ("min", a, b)), ("max", a, b)), by)
    out = _ZERO
    for slope, partial in zip(slopes, _PARTIALS[head](tree, *parts), strict=True):
        out = _add(out, _times(partial, slope))
    return out


def _add(a: Tree, b: Tree) -> Tree:
    return b if a == _ZERO else a if b == _ZERO else ("+", a, b)


def _neg(a: Tree) -> Tree:
    return a if a == _ZERO else ("neg", a)


def _times(a: Tree, b: Tree) -> Tree:
    if _ZERO in (a, b):
        return _ZERO
    return b if a == _ONE else a if b == _ONE else ("*", a, b)


def _power(whole: Tree, a: Tree, b: Tree) -> list[Tree]:
    safe = ("?:", (">", a, _ZERO), a, _ONE)
    by_base = ("steep", _times(b, ("**", a, ("-", b, _ONE))))
    return [by_base, ("?:", (">", a, _ZERO), ("*", whole, ("ln", safe)), _ZERO)]


def _signed_power(whole: Tree, a: Tree, b: Tree) -> list[Tree]:
    size = ("abs", a)
    safe = ("?:", (">", size, _ZERO), size, _ONE)
    return [("least", _times(b, ("**", size, ("-", b, _ONE))), ("number", STEEPEST)), ("*", whole, ("ln", safe))]


# Partial derivatives of each function: given its own tree and its operands.
_PARTIALS: dict[str, Callable[..., list[Tree]]] = {
    "*": lambda y, a, b: [b, a],
    "/": lambda y, a, b: [("/", _ONE, b), ("neg", ("/", y, b))],
    "**": _power, "pow": _power, "pwr": _signed_power,
    "exp": lambda y, x: [y],
    "ln": lambda y, x: [("/", _ONE, x)],
    "log": lambda y, x: [("/", _ONE, x)],
    "log10": lambda y, x: [("/", ("number", 1.0 / math.log(10.0)), x)],
    "sqrt": lambda y, x: [("/", ("number", 0.5), ("max", y, ("number", 1e-150)))],
    "tanh": lambda y, x: [("-", _ONE, ("*", y, y))],
    "atan": lambda y, x: [("/", _ONE, ("+", _ONE, ("*", x, x)))],
    "sin": lambda y, x: [("cos", x)],
    "cos": lambda y, x: [("neg", ("sin", x))],
    "abs": lambda y, x: [("sgn", x)],
    "uramp": lambda y, x: [("?:", (">", x, _ZERO), _ONE, _ZERO)],
}  # fmt: skip


@lru_cache(maxsize=64)
def compiled(trees: tuple[Tree, ...], inputs: tuple[tuple[Tree, ...], ...]) -> tuple[Function, Function]:
    """Two functions of (inputs, parameters): one for arrays, one for plain numbers.

    Leaves are ``("input", k)`` and ``("parameter", k)``. Each gives the values of ``trees`` and, one after the other, the
    derivatives of each tree by its ``inputs``.
    """
    lines: list[str] = []
    known: dict[Tree, str] = {}
    values = [_emit(tree, lines, known) for tree in trees]
    slopes = [
        _emit(derivative(tree, by), lines, known) for tree, mine in zip(trees, inputs, strict=True) for by in mine
    ]
    body = "\n    ".join([*lines, f"return ({_listed(values)}), ({_listed(slopes)})"])
    code = compile(f"def function(x, p):\n    {body}\n", "<expressions>", "exec")
    out = []
    for names in (_ARRAYS, _NUMBERS):
        space: dict[str, Any] = {"f": SimpleNamespace(**names), **names}
        exec(code, space)
        out.append(space["function"])
    return out[0], out[1]


def _listed(names: list[str]) -> str:
    return "".join(f"{n}, " for n in names)


def _emit(tree: Tree, lines: list[str], known: dict[Tree, str]) -> str:
    """The name or number that holds ``tree``, with the lines that compute it added before."""
    if tree in known:
        return known[tree]
    head, *parts = tree
    if head == "number":
        return repr(float(parts[0])) if math.isfinite(parts[0]) else f"float('{parts[0]}')"
    if head == "input":
        text = f"x[{parts[0]}]"
    elif head == "parameter":
        text = f"p[{parts[0]}]"
    else:
        operands = [_emit(p, lines, known) for p in parts]
        if head in ("+", "-", "*", "/"):
            text = f"{operands[0]} {head} {operands[1]}"
        elif head == "neg":
            text = f"-{operands[0]}"
        else:
            text = f"{_SPELLED.get(head, head)}({', '.join(operands)})"
    name = f"t{len(lines)}"
    lines.append(f"{name} = {text}")
    known[tree] = name
    return name


_SPELLED = {
    "least": "least", "**": "power", "pow": "power", "?:": "choose", "||": "either", "&&": "both", "==": "equal", "!=": "differ", "<": "less",
    "<=": "less_equal", ">": "greater", ">=": "greater_equal", "abs": "size", "min": "least", "max": "most",
}  # fmt: skip
_ARRAYS: dict[str, Any] = {
    _SPELLED.get(name, name): function
    for name, function in [*OPERATORS.items(), *((n, f) for n, (_, f) in FUNCTIONS.items())]
    if name not in ("+", "-", "*", "/", "neg")
}
_ARRAYS["steep"] = lambda x: np.nan_to_num(x, nan=0.0, posinf=STEEPEST, neginf=-STEEPEST)


def _exponential(x: float) -> float:
    return math.exp(x) if x < 709.0 else math.inf


def _raise(x: float, y: float) -> float:
    if x == 0.0 and y < 0.0:
        return math.inf
    return math.pow(x, y)


_NUMBERS: dict[str, Any] = {
    "size": abs, "sqrt": math.sqrt, "exp": _exponential, "ln": math.log, "log": math.log, "log10": math.log10,
    "tanh": math.tanh, "atan": math.atan, "sin": math.sin, "cos": math.cos,
    "sgn": lambda x: (x > 0.0) - (x < 0.0), "least": min, "most": max, "power": _raise,
    "pwr": lambda x, y: math.copysign(_raise(abs(x), y), x) if x else (0.0 if y > 0 else math.inf),
    "limit": lambda x, a, b: min(max(x, min(a, b)), max(a, b)),
    "u": lambda x: 1.0 if x > 0.0 else 0.0, "uramp": lambda x: x if x > 0.0 else 0.0,
    "choose": lambda c, a, b: a if c else b, "either": lambda a, b: bool(a) or bool(b), "both": lambda a, b: bool(a) and bool(b),
    "equal": lambda a, b: a == b, "differ": lambda a, b: a != b, "less": lambda a, b: a < b,
    "less_equal": lambda a, b: a <= b, "greater": lambda a, b: a > b, "greater_equal": lambda a, b: a >= b,
    "steep": lambda x: max(min(x, STEEPEST), -STEEPEST) if x == x else 0.0,
}  # fmt: skip
