"""Arithmetic in netlists: ``{r*(1-pos)}``, evaluated on scalars or on whole arrays of ensemble members."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from threading import Lock
from typing import Any
from weakref import WeakValueDictionary

import numpy as np

from nuvlo.circuit.number import BadNumber, spice_number

_TOKEN = re.compile(
    r"\s*(?:(?P<number>(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?[a-z0-9_]*)|(?P<name>[a-z_][a-z0-9_.]*)"
    r"|(?P<op>\*\*|==|!=|<=|>=|&&|\|\||[-+*/^<>?:(),]))"
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
    "u": (1, lambda x: 1.0 * np.greater(x, 0.0)), "uramp": (1, lambda x: np.maximum(x, 0.0)),
}  # fmt: skip
LEVELS = {
    "||": 1, "&&": 2, "==": 3, "!=": 3, "<": 4, "<=": 4, ">": 4, ">=": 4, "+": 5, "-": 5, "*": 6, "/": 6, "^": 8, "**": 8,
}  # fmt: skip
OPERATORS: dict[str, Callable[..., Any]] = {
    "||": lambda a, b: 1.0 * np.logical_or(a, b), "&&": lambda a, b: 1.0 * np.logical_and(a, b),
    "==": lambda a, b: 1.0 * np.equal(a, b), "!=": lambda a, b: 1.0 * np.not_equal(a, b),
    "<": lambda a, b: 1.0 * np.less(a, b), "<=": lambda a, b: 1.0 * np.less_equal(a, b),
    ">": lambda a, b: 1.0 * np.greater(a, b), ">=": lambda a, b: 1.0 * np.greater_equal(a, b),
    "+": lambda a, b: a + b, "-": lambda a, b: a - b, "*": lambda a, b: a * b, "/": _divided, "**": np.power,
    "neg": lambda a: -a, "?:": lambda c, a, b: np.where(np.not_equal(c, 0.0), a, b),
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


def parse_expression(text: str) -> Expression:
    """Parse lower-case ``text`` (without braces). Raises :class:`ExpressionError` with the column.

    At most :data:`LONGEST` characters, :data:`DEEPEST` levels of nesting and :data:`MOST_SENSES` voltages and currents.
    """
    if len(text) > LONGEST:
        raise ExpressionError(f"it is longer than {LONGEST:,} characters", 1)
    return _Parser(text).parse()


class _Parser:
    def __init__(self, text: str) -> None:
        self.text = text
        self.names: set[str] = set()
        self.senses: dict[str, Sense] = {}
        self.tokens: list[tuple[str, str, int]] = []
        position = 0
        while position < len(text.rstrip()):
            match = _TOKEN.match(text, position)
            if not match:
                raise ExpressionError(f"'{text[position:].strip()[:1]}' has no meaning here", position + 1)
            kind = match.lastgroup or ""
            self.tokens.append((kind, match[kind], match.start(kind) + 1))
            position = match.end()
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
            operator = self.take()[1].replace("^", "**")
            # Powers lean right, everything else left.
            left = tree(operator, left, self.binary(level - 1 if level == 8 else level))
        self.depth -= 1
        return left

    def unary(self) -> Tree:
        kind, token, column = self.take()
        if token == "-":
            return tree("neg", self.binary(_UNARY_LEVEL))
        if token == "+":
            return self.binary(_UNARY_LEVEL)
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
        """``v(a)``, ``v(a,b)`` or ``i(vsource)``."""
        self.take("(")
        given = [self.take()]
        while self.peek()[1] == ",":
            self.take()
            given.append(self.take())
        self.take(")")
        if len(given) > (2 if token == "v" else 1) or any(kind not in ("name", "number") for kind, _, _ in given):
            raise ExpressionError(f"'{token}' takes {'one or two nodes' if token == 'v' else 'one source'}", column)
        names = tuple(text for _, text, _ in given)
        label = f"{token}({','.join(names)})"
        self.senses[label] = Sense(label, token, names)
        return tree("name", label)

    def call(self, token: str, column: int) -> Tree:
        if token in ("v", "i"):
            return self.sense(token, column)
        if token not in FUNCTIONS:
            raise ExpressionError(f"there is no function '{token}'", column)
        count, _ = FUNCTIONS[token]
        self.take("(")
        arguments = [self.ternary()]
        while self.peek()[1] == ",":
            self.take()
            arguments.append(self.ternary())
        self.take(")")
        if len(arguments) != count:
            raise ExpressionError(f"'{token}' takes {count} value(s), not {len(arguments)}", column)
        return tree(token, *arguments)
