"""What formulas say of time, as elements: a derivative is the current of so many volts into 1 F, an integral the volts of so many amperes."""

from __future__ import annotations

from nuvlo.circuit.cards import Block, Card, Token
from nuvlo.circuit.expression import OVER_TIME, Expression, Tree, constant, from_below, sensed, tree

ONE = constant(1.0)
INTEGRAL_OHMS = 1e9  # beside the 1 F of an integral


class OverTime:
    """Puts the elements that derivatives and integrals need into ``block``."""

    block: Block

    def without_derivatives(self, expression: Expression, head: Token) -> Expression:
        """``ddt(x)`` as the current of x volts into 1 F, ``idt(x)`` as the volts of x amperes into it."""
        senses = {s.label: s for s in expression.senses}
        body = expression.tree
        while (inner := next((t for t in from_below(body) if t.head in OVER_TIME), None)) is not None:
            mine = {one.parts[0] for one in from_below(inner.operands[0]) if one.head == "name"}
            operand = Expression("", frozenset(mine - set(senses)), tuple(s for label, s in senses.items() if label in mine), inner.operands[0])
            made = self.over_time(operand, head) if inner.head == "ddt" else self.integral(operand, head)
            senses |= {s.label: s for s in made.senses}
            body = _swapped(body, inner, made.tree)
        left = {one.parts[0] for one in from_below(body) if one.head == "name"}
        return Expression(expression.text, frozenset(left - set(senses)), tuple(s for label, s in senses.items() if label in left), body)

    def over_time(self, operand: Expression, head: Token) -> Expression:
        """The derivative of ``operand`` over time: a source of its volts drives 1 F, and what flows is measured."""
        drive = self.helper(head, "ddt")
        measured = f"{drive}v"
        self.help(head, drive, "b", (drive, "0"), operand, "volts")
        self.help(head, f"{drive}c", "c", (measured, "0"), ONE)
        self.help(head, measured, "v", (drive, measured), constant(0.0))
        return sensed("i", measured)

    def integral(self, operand: Expression, head: Token) -> Expression:
        """The integral of ``operand`` over time, from where it is at rest: as many amperes into 1 F. What is something at rest has no
        integral there; the leak makes it a very large one."""
        sum_ = self.helper(head, "idt")
        self.help(head, sum_, "b", ("0", sum_), operand, "amps")
        self.help(head, f"{sum_}c", "c", (sum_, "0"), ONE)
        self.help(head, f"{sum_}r", "r", (sum_, "0"), constant(INTEGRAL_OHMS))
        return sensed("v", sum_)

    def helper(self, head: Token, what: str) -> str:
        """A name for the next element that an element needs beside it."""
        taken = {c.name for c in self.block.cards}
        return next(name for k in range(len(taken) + 1) if (name := f"{head.text}#{what}{k}") not in taken)

    def help(self, head: Token, name: str, kind: str, nodes: tuple[str, ...], value: Expression, model: str | None = None) -> None:
        own = Token(name, head.file, head.line, head.column)
        self.block.cards.append(Card(name, kind, nodes, {"dc" if kind == "v" else "value": value}, model, own))


def _swapped(body: Tree, inner: Tree, by: Tree) -> Tree:
    """The tree with one of its branches replaced."""
    known: dict[Tree, Tree] = {}
    for one in from_below(body):
        known[one] = by if one is inner else tree(one.head, *(known[p] for p in one.operands)) if one.operands else one
    return known[body]
