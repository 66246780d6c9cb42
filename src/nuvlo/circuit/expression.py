"""Arithmetic in netlists: ``{r*(1-pos)}``, evaluated on scalars or on whole arrays of ensemble members."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cached_property
from threading import Lock
from typing import Any
from weakref import WeakValueDictionary

import numpy as np

from nuvlo.circuit.number import BadNumber, spice_number

_TOKEN = re.compile(
    r"\s*(?:(?P<sense>[vi]\s*\()|(?P<number>(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?[a-z0-9_]*)|(?P<name>[a-z_][a-z0-9_.#]*)"
    r"|(?P<op>\*\*|==|!=|<>|<=|>=|&&|\|\||[-+*/^<>?:(),%|&!~]))"
)


def _divided(a: Any, b: Any) -> Any:
    """As arrays divide: by zero there is no number, and no error either."""
    return a / b if np.ndim(a) or np.ndim(b) or b else np.divide(a, b)


def _limit(x: Any, a: Any, b: Any) -> Any:
    return np.minimum(np.maximum(x, np.minimum(a, b)), np.maximum(a, b))


FUNCTIONS: dict[str, tuple[int, Callable[..., Any]]] = {
    "abs": (1, np.abs), "sqrt": (1, np.sqrt), "exp": (1, np.exp), "ln": (1, np.log), "log": (1, np.log),
    "log10": (1, np.log10), "tanh": (1, np.tanh), "atan": (1, np.arctan), "sin": (1, np.sin), "cos": (1, np.cos),
    "sgn": (1, np.sign), "min": (2, np.minimum), "max": (2, np.maximum), "pow": (2, np.power),
    "pwr": (2, lambda x, y: np.sign(x) * np.power(np.abs(x), y)), "limit": (3, _limit),
    "sinh": (1, np.sinh), "cosh": (1, np.cosh), "tan": (1, np.tan), "asin": (1, np.arcsin), "acos": (1, np.arccos),
    "asinh": (1, np.arcsinh), "acosh": (1, np.arccosh), "atanh": (1, np.arctanh), "floor": (1, np.floor), "ceil": (1, np.ceil),
    "int": (1, np.trunc), "nint": (1, np.rint), "not": (1, lambda x: 1.0 * np.equal(x, 0.0)),
    "u": (1, lambda x: 1.0 * np.greater(x, 0.0)), "uramp": (1, lambda x: np.maximum(x, 0.0)),
}  # fmt: skip
SAME = {"arctan": "atan", "arcsin": "asin", "arccos": "acos", "stp": "u", "sign": "sgn", "sqr": "square", "round": "nint", "trunc": "int"}
PIECES = ("pwl", "table")  # (x, x₁, y₁, x₂, y₂ …)
OVER_TIME = ("ddt", "idt")  # what the reader of a netlist turns into elements
LEVELS = {
    "||": 1, "|": 1, "&&": 2, "&": 2, "<>": 3, "%": 6, "==": 3, "!=": 3, "<": 4, "<=": 4, ">": 4, ">=": 4, "+": 5, "-": 5, "*": 6, "/": 6, "^": 8, "**": 8,
}  # fmt: skip
OPERATORS: dict[str, Callable[..., Any]] = {
    "||": lambda a, b: 1.0 * np.logical_or(a, b), "&&": lambda a, b: 1.0 * np.logical_and(a, b),
    "==": lambda a, b: 1.0 * np.equal(a, b), "!=": lambda a, b: 1.0 * np.not_equal(a, b),
    "<": lambda a, b: 1.0 * np.less(a, b), "<=": lambda a, b: 1.0 * np.less_equal(a, b),
    ">": lambda a, b: 1.0 * np.greater(a, b), ">=": lambda a, b: 1.0 * np.greater_equal(a, b),
    "+": lambda a, b: a + b, "-": lambda a, b: a - b, "*": lambda a, b: a * b, "/": _divided, "**": np.power,
    "%": np.fmod, "neg": lambda a: -a, "?:": lambda c, a, b: np.where(np.not_equal(c, 0.0), a, b),
}  # fmt: skip
_UNARY_LEVEL = 7
LONGEST, DEEPEST, MOST_SENSES = 10_000, 100, 100


class ExpressionError(ValueError):
    """The expression cannot be read; ``column`` counts from 1 within it."""

    def __init__(self, message: str, column: int) -> None:
        self.column = column
        super().__init__(message)


class Tree:
    """``number`` 4.7, ``name`` r or v(a), or an operator or function with its operands. Made by :func:`tree` alone: equal
    trees are the same one, so that what occurs a million times is kept, compared and worked out once."""

    __slots__ = ("__weakref__", "head", "parts")

    def __init__(self, head: str, parts: tuple[Any, ...]) -> None:
        self.head, self.parts = head, parts

    @property
    def operands(self) -> tuple[Tree, ...]:
        """Its parts, where these are trees."""
        return self.parts if self.parts and isinstance(self.parts[0], Tree) else ()


_trees: WeakValueDictionary[tuple[Any, ...], Tree] = WeakValueDictionary()
_growing = Lock()


def tree(head: str, *parts: Any) -> Tree:
    """The tree of ``head`` and ``parts``."""
    key = (head, *(repr(part) if isinstance(part, float) else part for part in parts))  # 0.0 and −0.0 are not the same
    with _growing:
        found = _trees.get(key)
        if found is None:
            found = _trees[key] = Tree(head, parts)
        return found


def from_below(*roots: Tree) -> list[Tree]:
    """All trees in ``roots``, each once and after its operands."""
    out: list[Tree] = []
    seen: set[Tree] = set()
    stack = [(root, False) for root in reversed(roots)]
    while stack:
        one, ready = stack.pop()
        if one in seen:
            continue
        if ready or not one.operands:
            seen.add(one)
            out.append(one)
        else:
            stack.append((one, True))
            stack += [(part, False) for part in reversed(one.operands)]
    return out


@dataclass(frozen=True)
class Sense:
    """A voltage or current that an expression speaks of: ``kind`` v or i, and the nodes or the source it names."""

    label: str
    kind: str
    names: tuple[str, ...]


@dataclass(frozen=True)
class Function:
    """One that a netlist defines with ``.func``: the names of its values, and what it comes to."""

    names: tuple[str, ...]
    body: Expression


@dataclass(frozen=True)
class Expression:
    """A parsed expression: its text, the names it uses, what it senses, and its tree."""

    text: str
    names: frozenset[str]
    senses: tuple[Sense, ...]
    tree: Tree

    def __call__(self, look_up: Callable[[str], Any]) -> Any:
        """Value with every name replaced by what ``look_up`` gives (float or array); not finite where it has none."""
        if not self.names and not self.senses:
            return self._constant
        return self._value(look_up)

    @cached_property
    def _constant(self) -> Any:
        return self._value(str)

    @cached_property
    def _steps(self) -> list[Tree]:
        return from_below(self.tree)

    def _value(self, look_up: Callable[[str], Any]) -> Any:
        known: dict[Tree, Any] = {}
        with np.errstate(all="ignore"):
            for one in self._steps:
                if one.head == "number":
                    known[one] = one.parts[0]
                elif one.head == "name":
                    known[one] = look_up(one.parts[0])
                else:
                    apply = OPERATORS.get(one.head) or FUNCTIONS[one.head][1]
                    known[one] = apply(*(known[part] for part in one.parts))
        return known[self.tree]


def constant(value: float) -> Expression:
    return Expression(f"{value:g}", frozenset(), (), tree("number", value))


def joined(head: str, *parts: Expression) -> Expression:
    """An operator or function of whole expressions."""
    text = f"{head}({', '.join(p.text for p in parts)})"
    senses = tuple(dict.fromkeys(s for p in parts for s in p.senses))
    return Expression(text, frozenset().union(*(p.names for p in parts)), senses, tree(head, *(p.tree for p in parts)))


def sensed(kind: str, *names: str) -> Expression:
    """The voltage or current itself, as ``v(a,b)``."""
    label = f"{kind}({','.join(names)})"
    return Expression(label, frozenset(), (Sense(label, kind, names),), tree("name", label))


def replaced(whole: Tree, leaves: Mapping[str, Tree]) -> Tree:
    """The tree with the names that ``leaves`` knows replaced by what stands there."""
    known: dict[Tree, Tree] = {}
    for one in from_below(whole):
        if one.head == "name":
            known[one] = leaves.get(one.parts[0], one)
        else:
            known[one] = tree(one.head, *(known[part] for part in one.operands)) if one.operands else one
    return known[whole]


def parse_expression(text: str, functions: Mapping[str, Function] | None = None) -> Expression:
    """Parse lower-case ``text`` (without braces); ``functions`` are those that a netlist defines. Raises :class:`ExpressionError`
    with the column.

    At most :data:`LONGEST` characters, :data:`DEEPEST` levels of nesting and :data:`MOST_SENSES` voltages and currents.
    """
    if len(text) > LONGEST:
        raise ExpressionError(f"it is longer than {LONGEST:,} characters", 1)
    return _Parser(text.translate(BRACES), functions or {}).parse()


class _Parser:
    def __init__(self, text: str, functions: Mapping[str, Function]) -> None:
        self.text = text
        self.functions = functions
        self.names: set[str] = set()
        self.senses: dict[str, Sense] = {}
        self.tokens: list[tuple[str, str, int]] = []
        position = 0
        while position < len(text.rstrip()):
            match = _TOKEN.match(text, position)
            if not match:
                raise ExpressionError(f"'{text[position:].strip()[:1]}' has no meaning here", position + 1)
            kind = match.lastgroup or ""
            found, end = match[kind], match.end()
            if kind == "sense":  # a node may be called anything: its name is taken as it stands
                end = _closing(text, end)
                found = f"{found[0]}({text[match.end() : end - 1]})"
            self.tokens.append((kind, found, match.start(kind) + 1))
            position = end
        self.tokens.append(("end", "", len(text) + 1))
        self.at = self.depth = 0

    def parse(self) -> Expression:
        whole = self.ternary()
        if self.peek()[0] != "end":
            raise ExpressionError(f"'{self.peek()[1]}' is not expected here", self.peek()[2])
        if len(self.senses) > MOST_SENSES:
            raise ExpressionError(f"it speaks of more than {MOST_SENSES} voltages and currents", 1)
        return Expression(self.text, frozenset(self.names), tuple(self.senses.values()), whole)

    def peek(self) -> tuple[str, str, int]:
        return self.tokens[self.at]

    def take(self, wanted: str | None = None) -> tuple[str, str, int]:
        token = self.tokens[self.at]
        if wanted is not None and token[1] != wanted:
            raise ExpressionError(f"'{wanted}' is missing", token[2])
        self.at = min(self.at + 1, len(self.tokens) - 1)
        return token

    def ternary(self) -> Tree:
        condition = self.binary(0)
        if self.peek()[1] != "?":
            return condition
        self.take()
        self.depth += 1
        yes = self.ternary()
        self.take(":")
        no = self.ternary()
        self.depth -= 1
        return tree("?:", condition, yes, no)

    def binary(self, lowest: int) -> Tree:
        self.depth += 1
        if self.depth > DEEPEST:
            raise ExpressionError(f"it is nested more than {DEEPEST} deep", self.peek()[2])
        left = self.unary()
        while self.peek()[0] == "op" and (level := LEVELS.get(self.peek()[1], 0)) > lowest:
            # Powers lean left as everything else: 2^3^2 is 64 to SPICE.
            operator = SPELLED.get(token := self.take()[1], token)
            left = tree(operator, left, self.binary(level))
        self.depth -= 1
        return left

    def unary(self) -> Tree:
        kind, token, column = self.take()
        if token == "-":
            return tree("neg", self.binary(_UNARY_LEVEL))
        if token == "+":
            return self.binary(_UNARY_LEVEL)
        if token in ("!", "~"):
            return tree("not", self.binary(_UNARY_LEVEL))
        if kind == "sense":
            return self.sense(token, column)
        if token == "(":
            inner = self.ternary()
            self.take(")")
            return inner
        if kind == "number":
            try:
                value = spice_number(token)
            except BadNumber as bad:
                raise ExpressionError(str(bad), column) from bad
            return tree("number", value)
        if kind == "name":
            return self.call(token, column) if self.peek()[1] == "(" else self.name(token)
        raise ExpressionError("a value is missing" if kind == "end" else f"'{token}' is not expected here", column)

    def name(self, token: str) -> Tree:
        if token == "pi":
            return tree("number", float(np.pi))
        self.names.add(token)
        return tree("name", token)

    def sense(self, token: str, column: int) -> Tree:
        """``v(a)``, ``v(a,b)`` or ``i(vsource)``; inside a block, ``i(v.x1.vs)`` too."""
        kind = token[0]
        names = tuple(part.strip() for part in _parts(token[2:-1]))
        if len(names) > (2 if kind == "v" else 1) or not all(names) or any(re.search(r"\s", n) for n in names):
            raise ExpressionError(f"'{kind}' takes {'one or two nodes' if kind == 'v' else 'one source'}", column)
        if kind == "i":
            names = (re.sub(r"^[a-z]\.(?=x)", "", names[0]),)
        label = f"{kind}({','.join(names)})"
        self.senses[label] = Sense(label, kind, names)
        return tree("name", label)

    def call(self, token: str, column: int) -> Tree:
        token = SAME.get(token, token)
        mine = self.functions.get(token)
        known = mine is not None or token in FUNCTIONS or token in (*PIECES, *OVER_TIME, "if", "square", "u2")
        if not known:
            hint = "; an integral is idt(…)" if token == "sdt" else ""
            raise ExpressionError(f"there is no function '{token}'{hint}", column)
        self.take("(")
        arguments = [self.ternary()]
        while self.peek()[1] == ",":
            self.take()
            arguments.append(self.ternary())
        self.take(")")
        if mine is not None:
            self.count(token, len(arguments), len(mine.names), column)
            self.names |= mine.body.names - set(mine.names)
            self.senses |= {s.label: s for s in mine.body.senses}
            return replaced(mine.body.tree, dict(zip(mine.names, arguments, strict=True)))
        if token in PIECES:
            return self.pieces(token, arguments, column)
        self.count(token, len(arguments), {"if": 3, "square": 1, "ddt": 1, "idt": 1, "u2": 1}.get(token) or FUNCTIONS[token][0], column)
        if token == "square":
            return tree("*", arguments[0], arguments[0])
        if token == "u2":  # a ramp from 0 to 1
            return tree("limit", arguments[0], tree("number", 0.0), tree("number", 1.0))
        return tree("?:" if token == "if" else token, *arguments)

    @staticmethod
    def count(token: str, given: int, wanted: int, column: int) -> None:
        if given != wanted:
            raise ExpressionError(f"'{token}' takes {wanted} value(s), not {given}", column)

    def pieces(self, token: str, arguments: list[Tree], column: int) -> Tree:
        """Straight lines from point to point, made of what is known: each piece is a share of its rise, limited to 0 and 1."""
        x, *points = arguments
        if len(points) < 2 or len(points) % 2:
            raise ExpressionError(f"'{token}' takes a value and then pairs of numbers", column)
        zero, one = tree("number", 0.0), tree("number", 1.0)
        out = points[1]
        for k in range(0, len(points) - 2, 2):
            x0, y0, x1, y1 = points[k : k + 4]
            if x0.head == x1.head == "number" and not x1.parts[0] > x0.parts[0]:
                raise ExpressionError(f"the points of '{token}' do not go from left to right", column)
            share = tree("limit", tree("/", tree("-", x, x0), tree("-", x1, x0)), zero, one)
            out = tree("+", out, tree("*", share, tree("-", y1, y0)))
        return out


BRACES = str.maketrans("{}", "()")  # within a formula they are brackets
SPELLED = {"^": "**", "|": "||", "&": "&&", "<>": "!="}


def _closing(text: str, at: int) -> int:
    """Behind the bracket that closes the one opened before ``at``."""
    depth = 1
    for k in range(at, len(text)):
        depth += {"(": 1, ")": -1}.get(text[k], 0)
        if not depth:
            return k + 1
    raise ExpressionError("')' is missing", len(text) + 1)


def _parts(text: str) -> list[str]:
    """Cut at the commas that stand in no brackets."""
    out, depth = [""], 0
    for letter in text:
        depth += {"(": 1, ")": -1}.get(letter, 0)
        if letter == "," and not depth:
            out.append("")
        else:
            out[-1] += letter
    return out
