"""How far each varying quantity moves a node, and what share of the node's variance it makes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.operating_point import operating_point
from nuvlo.circuit.unsolved import explain
from nuvlo.circuit.variation import Law
from nuvlo.problems import NuvloError, Problem

EVEN_TOLERANCE = 0.01  # where nothing else is said, every resistor is taken to be ± 1 %
STEP = 0.02  # of a law's half-width, for the difference quotient


@dataclass(frozen=True)
class Sensitivity:
    """``slope`` in V per unit of the quantity; ``share`` of the variance, 0 to 1."""

    slope: float
    share: float


def even_laws(circuit: Circuit) -> dict[str, Law]:
    """Every resistor at ± 1 %, those inside subcircuits left to their parameters."""
    out = {}
    for element in circuit.of_kind("r"):
        if "." not in element.name:
            value = float(circuit.parameter(element, "value", {}))
            out[element.name] = Law(value, value * (1 - EVEN_TOLERANCE), value * (1 + EVEN_TOLERANCE))
    return out


def sensitivity(circuit: Circuit, node: str, laws: dict[str, Law]) -> dict[str, Sensitivity]:
    """Slope and share of variance of the d.c. voltage at ``node`` for each of ``laws``.

    Central differences, two members a law, all in one ensemble; variances of uniform laws, w²/12, added as for
    independent small deviations (JCGM 100:2008, 5.1.2). Raises :class:`NuvloError` where nothing varies.
    """
    varying = {name: law for name, law in laws.items() if law.width > 0}
    if not varying:
        raise NuvloError(Problem("nothing varies.", "Name laws with --vary, such as r1=4k7:5%."))
    count = 2 * len(varying)
    values = {name: np.full(count, law.nominal) for name, law in laws.items()}
    step = {name: STEP * law.width / 2 for name, law in varying.items()}
    for k, name in enumerate(varying):
        values[name][2 * k] += step[name]
        values[name][2 * k + 1] -= step[name]
    point = operating_point(circuit, values)
    if point.failed:
        raise NuvloError(explain(point, point.failed[0]))
    volts = point.voltage(node)
    slopes = {name: float(volts[2 * k] - volts[2 * k + 1]) / (2 * step[name]) for k, name in enumerate(varying)}
    variance = {name: (slopes[name] * law.width) ** 2 / 12 for name, law in varying.items()}
    total = sum(variance.values())
    return {name: Sensitivity(slopes[name], variance[name] / total if total else 0.0) for name in varying}
