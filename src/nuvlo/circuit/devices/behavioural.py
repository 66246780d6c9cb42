"""B sources, and E and G with expressions: the value of an expression over all members, with exact derivatives."""

from __future__ import annotations

from collections.abc import Hashable
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from nuvlo.arrays import Array
from nuvlo.circuit.circuit import Circuit, Element, Overrides
from nuvlo.circuit.compiled import Function, compiled
from nuvlo.circuit.devices.group import FEW_MEMBERS, Group, Parts
from nuvlo.circuit.devices.junction import ZERO_CELSIUS, thermal_voltage
from nuvlo.circuit.expression import ExpressionError, Tree, replaced, tree
from nuvlo.circuit.netlist import NetlistError
from nuvlo.problems import Problem


class Behavioural(Group):
    """B sources: the first branch of each puts its expression in; every branch brings one of its inputs."""

    kind, branches, emission, by_area, charging = "b", 0, (), (), ()
    defaults: ClassVar[dict[str, float]] = {}

    def __init__(self, circuit: Circuit, overrides: Overrides, temperature: Array, branch: dict[str, int]) -> None:
        self.elements = circuit.of_kind("b")
        self.branch = branch
        self.p = {"vt": thermal_voltage(temperature)[None, :]}
        self.values: list[Array] = []
        self.timed: list[int] = []  # values that are the time
        for element in self.elements:
            for name in element.card.parameters["value"].names:
                if name == "time":
                    self.timed.append(len(self.values))
                self.values.append(np.atleast_1d(np.asarray(self._known(element, name, overrides, temperature), float)))
        if circuit.formulas is None:
            circuit.formulas = self._compiled()
        self.on_arrays, self.on_numbers = circuit.formulas
        self.numbers = [float(value[0]) for value in self.values]
        # Where each slope stands: an expression that senses nothing has a branch all the same.
        senses = [[True] * len(e.senses) or [False] for e in self.elements]
        self.filled = np.flatnonzero([there for one in senses for there in one])
        self.firsts = np.cumsum([0, *self.widths()])[:-1]
        self.guessed = np.zeros((len(self.elements), 1), dtype=bool)  # where the last evaluation stood in for one without value

    def content(self) -> tuple[Hashable, ...] | None:
        own = super().content()
        few = own and all(value.size <= FEW_MEMBERS for value in self.values)
        return (*own, self.on_arrays, *(value.tobytes() for value in self.values)) if own and few else None

    def _compiled(self) -> tuple[Function, Function]:
        """All expressions as code; they are the same whatever their parameters come to."""
        trees: list[Tree] = []
        inputs: list[tuple[Tree, ...]] = []
        at = parameter = 0
        for element, width in zip(self.elements, self.widths(), strict=True):
            expression = element.card.parameters["value"]
            leaves = {label: tree("input", at + k) for k, (label, _) in enumerate(element.senses)}
            leaves |= {name: tree("parameter", parameter + k) for k, name in enumerate(expression.names)}
            trees.append(replaced(expression.tree, leaves))
            inputs.append(tuple(leaves[label] for label, _ in element.senses))
            at, parameter = at + width, parameter + len(expression.names)
        try:
            return compiled(tuple(trees), tuple(inputs))
        except ExpressionError as too_large:
            raise NetlistError(Problem(f"{too_large}.", "Simplify the largest of them.")) from too_large

    @staticmethod
    def _known(element: Element, name: str, overrides: Overrides, temperature: Array) -> float | Array:
        if name == "time":
            return 0.0
        return temperature - ZERO_CELSIUS if name == "temper" else element.scope.value(name, overrides)

    def at_time(self, seconds: float) -> None:
        """From now on ``time`` is so many seconds."""
        for k in self.timed:
            self.values[k], self.numbers[k] = np.array([seconds]), seconds

    def members(self, chosen: NDArray[np.int_]) -> Group:
        out = super().members(chosen)
        assert isinstance(out, Behavioural)
        out.values = [v[chosen] if v.size > 1 else v for v in self.values]
        out.numbers = [float(value[0]) for value in out.values]
        return out

    def warm(self, temperature: Array) -> None:
        """Expressions know the temperature by its name, ``temper``."""

    def widths(self) -> list[int]:
        return [max(1, len(e.senses)) for e in self.elements]

    def entries(self) -> list[list[tuple[int, int]]]:
        return [[(0, c) for c in range(width)] for width in self.widths()]

    def steps(self) -> tuple[Array, Array]:
        rows = sum(self.widths())
        return np.ones((rows, 1)), np.zeros((rows, 1))

    def pairs(self, inner: dict[tuple[str, str], int]) -> list[tuple[int, int]]:
        out: list[tuple[int, int]] = []
        for element in self.elements:
            mine = [(self.branch.get(of, -1), -1) if isinstance(of, str) else of for _, of in element.senses]
            out += mine or [(-1, -1)]
        return out

    def injections(self, inner: dict[tuple[str, str], int]) -> list[tuple[int, int]]:
        out: list[tuple[int, int]] = []
        for element, width in zip(self.elements, self.widths(), strict=True):
            # A voltage stands in the equation of its own branch, taken off the difference of its ends.
            first = (-1, self.branch[element.name]) if element.gives_volts else (element.nodes[0], element.nodes[1])
            out += [first] + [(-1, -1)] * (width - 1)
        return out

    def starting_voltages(self, critical: Array) -> Array:
        return np.zeros_like(critical)

    def evaluate(self, v: Array, gmin: float, charges: bool) -> Parts:
        current, conductance = np.zeros(v.shape), np.zeros(v.shape)
        if v.shape[1] != 1 or not self._lone(v, current, conductance):
            self._on_arrays(v, current, conductance)
        self.guessed = self._without_value(current, conductance)
        if self.guessed.any():
            self._from_beside(v, current, conductance)
        return current, conductance, np.zeros(v.shape), np.zeros(v.shape)

    def _on_arrays(self, v: Array, current: Array, conductance: Array) -> None:
        with np.errstate(all="ignore"):
            values, slopes = self.on_arrays(v, self.values)
        for row, value in zip(self.firsts, values, strict=True):
            current[row] = value
        for row, slope in zip(self.filled, slopes, strict=True):
            conductance[row] = slope

    def _without_value(self, current: Array, conductance: Array) -> NDArray[np.bool_]:
        """(elements, K): where an expression or one of its slopes is no number."""
        bad = ~(np.isfinite(current) & np.isfinite(conductance))
        return np.logical_or.reduceat(bad, self.firsts, axis=0)

    def _from_beside(self, v: Array, current: Array, conductance: Array) -> None:
        """Where an expression has no value, as ``v(a)/v(b)`` before anything is known, its straight line from the nearest place tried
        at which it has one."""
        for beside in (v + 1e-3, v + 0.1, v + 1.0, np.abs(v) + 1e-3, np.ones(v.shape)):
            left = self._without_value(current, conductance)
            if not left.any():
                return
            there, slopes = np.zeros(v.shape), np.zeros(v.shape)
            self._on_arrays(beside, there, slopes)
            good = left & ~self._without_value(there, slopes)
            for k, (first, width) in enumerate(zip(self.firsts, self.widths(), strict=True)):
                rows = slice(first, first + width)
                line = there[first] + (slopes[rows] * (v[rows] - beside[rows])).sum(axis=0)
                current[first] = np.where(good[k], line, current[first])
                conductance[rows] = np.where(good[k], slopes[rows], conductance[rows])

    def _lone(self, v: Array, current: Array, conductance: Array) -> bool:
        """A single member by plain numbers; False where one of them leaves what plain numbers can say."""
        try:
            values, slopes = self.on_numbers(v[:, 0].tolist(), self.numbers)
        except (ArithmeticError, ValueError):
            return False
        current[self.firsts, 0] = values
        conductance[self.filled, 0] = slopes
        return True
