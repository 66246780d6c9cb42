"""B sources, and E and G with expressions: the value of an expression over all members, with exact derivatives."""

from __future__ import annotations

from typing import Any, ClassVar

import numpy as np

from nuvlo.circuit.circuit import Array, Circuit, Overrides
from nuvlo.circuit.devices.group import Group, Parts
from nuvlo.circuit.devices.junction import ZERO_CELSIUS, thermal_voltage
from nuvlo.circuit.dual import Dual, plain, slope_of


class Behavioural(Group):
    """B sources: the first branch of each puts its expression in; every branch brings one of its inputs."""

    kind, branches, emission, by_area = "b", 0, (), ()
    defaults: ClassVar[dict[str, float]] = {}

    def __init__(self, circuit: Circuit, overrides: Overrides, temperature: Array, branch: dict[str, int]) -> None:
        self.elements = circuit.of_kind("b")
        self.branch = branch
        self.p = {"vt": thermal_voltage(temperature)[None, :]}
        for element in self.elements:
            for name in element.card.parameters["value"].names:
                if name == "time":
                    found: float | Array = 0.0
                elif name == "temper":
                    found = temperature - ZERO_CELSIUS
                else:
                    found = element.scope.value(name, overrides)
                self.p[f"{element.name}:{name}"] = np.atleast_1d(np.asarray(found, float))[None, :]

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
        current, slopes = np.zeros_like(v), []
        at = 0
        for element, width in zip(self.elements, self.widths(), strict=True):
            inputs = dict(zip((label for label, _ in element.senses), Dual.inputs(v[at : at + width]), strict=False))

            def look_up(name: str, inputs: dict[str, Dual] = inputs, owner: str = element.name) -> Any:
                return inputs[name] if name in inputs else self.p[f"{owner}:{name}"][0]

            with np.errstate(all="ignore"):
                found = element.card.parameters["value"](look_up)
            current[at] = plain(found)
            slope = np.zeros((width, v.shape[1]))
            slope[: len(element.senses)] = slope_of(found)
            slopes.append(slope)
            at += width
        conductance = np.concatenate(slopes)
        return current, conductance, np.zeros_like(current), np.zeros_like(conductance)
