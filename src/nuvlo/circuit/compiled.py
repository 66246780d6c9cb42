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

from nuvlo.circuit.expression import FUNCTIONS, OPERATORS, ExpressionError, Tree, from_below, tree
from nuvlo.progress import pause

MOST_LINES = 100_000  # of code; beyond, Python takes long to compile it and much memory
STEEPEST = 1e12  # at the foot of a root the slope is infinite; a large one leads Newton on where that would stop it
Function = Callable[[Any, Sequence[Any]], tuple[tuple[Any, ...], tuple[Any, ...]]]
_ZERO, _ONE = tree("number", 0.0), tree("number", 1.0)
_COMPARISONS = ("||", "&&", "==", "!=", "<", "<=", ">", ">=", "sgn", "u", "floor", "ceil", "int", "nint", "not")


def derivative(whole: Tree, by: Tree) -> Tree:
    """The tree of the derivative of ``whole`` by the leaf ``by``."""
    slopes: dict[Tree, Tree] = {}
    for one in from_below(whole):
        slopes[one] = _ONE if one is by else _slope(one, [slopes[part] for part in one.operands])
    return slopes[whole]


def _slope(one: Tree, slopes: list[Tree]) -> Tree:
    """Derivative of a tree whose operands have ``slopes``."""
    head, parts = one.head, one.parts
    if head in _COMPARISONS or all(s is _ZERO for s in slopes):
        return _ZERO
    if head == "?:":
        return tree("?:", parts[0], slopes[1], slopes[2])
    if head == "+":
        return _add(*slopes)
    if head == "-":
        return _add(slopes[0], _neg(slopes[1]))
    if head == "neg":
        return _neg(slopes[0])
    if head in ("min", "max"):
        return tree("?:", tree("<=" if head == "min" else ">=", *parts), *slopes)
    if head == "limit":  # the least of the higher bound and the most of x and the lower one
        x, a, b = parts
        low, high = tree("min", a, b), tree("max", a, b)
        by_low, by_high = _slope(low, slopes[1:]), _slope(high, slopes[1:])
        raised = tree("max", x, low)
        return _slope(tree("min", raised, high), [_slope(raised, [slopes[0], by_low]), by_high])
    out = _ZERO
    for slope, partial in zip(slopes, _PARTIALS[head](one, *parts), strict=True):
        out = _add(out, _times(partial, slope))
    return out


def _add(a: Tree, b: Tree) -> Tree:
    return b if a is _ZERO else a if b is _ZERO else tree("+", a, b)


def _neg(a: Tree) -> Tree:
    return a if a is _ZERO else tree("neg", a)


def _times(a: Tree, b: Tree) -> Tree:
    if a is _ZERO or b is _ZERO:
        return _ZERO
    return b if a is _ONE else a if b is _ONE else tree("*", a, b)


def _power(whole: Tree, a: Tree, b: Tree) -> list[Tree]:
    safe = tree("?:", tree(">", a, _ZERO), a, _ONE)
    by_base = tree("steep", _times(b, tree("**", a, tree("-", b, _ONE))))
    return [by_base, tree("?:", tree(">", a, _ZERO), tree("*", whole, tree("ln", safe)), _ZERO)]


def _signed_power(whole: Tree, a: Tree, b: Tree) -> list[Tree]:
    size = tree("abs", a)
    safe = tree("?:", tree(">", size, _ZERO), size, _ONE)
    return [
        tree("least", _times(b, tree("**", size, tree("-", b, _ONE))), tree("number", STEEPEST)),
        tree("*", whole, tree("ln", safe)),
    ]


# Partial derivatives of each function: given its own tree and its operands.
_PARTIALS: dict[str, Callable[..., list[Tree]]] = {
    "*": lambda y, a, b: [b, a],
    "/": lambda y, a, b: [tree("/", _ONE, b), tree("neg", tree("/", y, b))],
    "**": _power, "pow": _power, "pwr": _signed_power,
    "exp": lambda y, x: [y],
    "ln": lambda y, x: [tree("/", _ONE, x)],
    "log": lambda y, x: [tree("/", _ONE, x)],
    "log10": lambda y, x: [tree("/", tree("number", 1.0 / math.log(10.0)), x)],
    "sqrt": lambda y, x: [tree("/", tree("number", 0.5), tree("max", y, tree("number", 0.5 / STEEPEST)))],
    "tanh": lambda y, x: [tree("-", _ONE, tree("*", y, y))],
    "atan": lambda y, x: [tree("/", _ONE, tree("+", _ONE, tree("*", x, x)))],
    "sin": lambda y, x: [tree("cos", x)],
    "cos": lambda y, x: [tree("neg", tree("sin", x))],
    "abs": lambda y, x: [tree("sgn", x)],
    "sinh": lambda y, x: [tree("cosh", x)],
    "cosh": lambda y, x: [tree("sinh", x)],
    "tan": lambda y, x: [tree("+", _ONE, tree("*", y, y))],
    "asin": lambda y, x: [tree("steep", tree("/", _ONE, tree("sqrt", tree("-", _ONE, tree("*", x, x)))))],
    "acos": lambda y, x: [tree("neg", tree("steep", tree("/", _ONE, tree("sqrt", tree("-", _ONE, tree("*", x, x))))))],
    "asinh": lambda y, x: [tree("/", _ONE, tree("sqrt", tree("+", _ONE, tree("*", x, x))))],
    "acosh": lambda y, x: [tree("steep", tree("/", _ONE, tree("sqrt", tree("-", tree("*", x, x), _ONE))))],
    "atanh": lambda y, x: [tree("/", _ONE, tree("-", _ONE, tree("*", x, x)))],
    "%": lambda y, a, b: [_ONE, tree("neg", tree("int", tree("/", a, b)))],
    "uramp": lambda y, x: [tree("?:", tree(">", x, _ZERO), _ONE, _ZERO)],
}  # fmt: skip


@lru_cache(maxsize=64)
def compiled(trees: tuple[Tree, ...], inputs: tuple[tuple[Tree, ...], ...]) -> tuple[Function, Function]:
    """Two functions of (inputs, parameters): one for arrays, one for plain numbers.

    Leaves are ``input`` k and ``parameter`` k. Each gives the values of ``trees`` and, one after the other, the
    derivatives of each tree by its ``inputs``.
    """
    lines: list[str] = []
    known: dict[Tree, str] = {}
    wanted: list[Tree] = []
    for whole, mine in zip(trees, inputs, strict=True):
        pause()
        wanted += [derivative(whole, by) for by in mine]
    constants: dict[Tree, float] = {}
    for one in from_below(*trees, *wanted):
        if one.head == "number" or (one.operands and all(part in constants for part in one.operands)):
            constants[one] = _constant(one, constants)
            known[one] = _literal(constants[one])
        else:
            known[one] = _emit(one, lines, known)
    if len(lines) > MOST_LINES:
        raise ExpressionError("together the formulas of this circuit are too large to be solved", 1)
    values, slopes = [known[one] for one in trees], [known[one] for one in wanted]
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


def _constant(one: Tree, constants: dict[Tree, float]) -> float:
    """What a tree of numbers alone comes to; no number where it has none, as ``1/0``."""
    if one.head == "number":
        return float(one.parts[0])
    apply = _ARRAYS.get(_SPELLED.get(one.head, one.head)) or OPERATORS[one.head]
    with np.errstate(all="ignore"):
        return float(apply(*(np.float64(constants[part]) for part in one.operands)))


def _literal(value: float) -> str:
    return repr(value) if math.isfinite(value) else f"float('{value}')"


def _emit(one: Tree, lines: list[str], known: dict[Tree, str]) -> str:
    """The name that holds a tree whose operands are ``known``, with the line that computes it added."""
    head, parts = one.head, one.parts
    if head == "input":
        text = f"x[{parts[0]}]"
    elif head == "parameter":
        text = f"p[{parts[0]}]"
    else:
        operands = [known[part] for part in parts]
        if head in ("+", "-", "*", "/"):
            text = f"{operands[0]} {head} {operands[1]}"
        elif head == "neg":
            text = f"-{operands[0]}"
        else:
            text = f"{_SPELLED.get(head, head)}({', '.join(operands)})"
    lines.append(f"t{len(lines)} = {text}")
    return f"t{len(lines) - 1}"


_SPELLED = {
    "least": "least", "**": "power", "pow": "power", "?:": "choose", "||": "either", "&&": "both", "==": "equal", "!=": "differ", "<": "less",
    "<=": "less_equal", ">": "greater", ">=": "greater_equal", "abs": "size", "min": "least", "max": "most", "%": "rest", "not": "negated",
    "int": "whole",
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
    "sinh": math.sinh, "cosh": math.cosh, "tan": math.tan, "asin": math.asin, "acos": math.acos, "asinh": math.asinh,
    "acosh": math.acosh, "atanh": math.atanh, "floor": math.floor, "ceil": math.ceil, "whole": math.trunc, "nint": round,
    "rest": math.fmod, "negated": lambda x: 0.0 if x else 1.0,
    "sgn": lambda x: (x > 0.0) - (x < 0.0), "least": min, "most": max, "power": _raise,
    "pwr": lambda x, y: math.copysign(_raise(abs(x), y), x) if x else (0.0 if y > 0 else math.inf),
    "limit": lambda x, a, b: min(max(x, min(a, b)), max(a, b)),
    "u": lambda x: 1.0 if x > 0.0 else 0.0, "uramp": lambda x: x if x > 0.0 else 0.0,
    "choose": lambda c, a, b: a if c else b, "either": lambda a, b: bool(a) or bool(b), "both": lambda a, b: bool(a) and bool(b),
    "equal": lambda a, b: a == b, "differ": lambda a, b: a != b, "less": lambda a, b: a < b,
    "less_equal": lambda a, b: a <= b, "greater": lambda a, b: a > b, "greater_equal": lambda a, b: a >= b,
    "steep": lambda x: max(min(x, STEEPEST), -STEEPEST) if x == x else 0.0,
}  # fmt: skip
