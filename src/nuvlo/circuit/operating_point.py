"""D.c. operating point of every member of an ensemble: solved by :mod:`~nuvlo.circuit.newton`, told in volts, amperes and watts."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from nuvlo.arrays import Array
from nuvlo.circuit.circuit import Circuit, Overrides
from nuvlo.circuit.devices import Evaluation
from nuvlo.circuit.equations import Equations
from nuvlo.circuit.newton import BETWEEN, DEFAULT, FIRST_HOLD, NEAR_RAIL, PLAIN, WAYS, Newton, Tolerances, solution

__all__ = ["DEFAULT", "OperatingPoint", "Tolerances", "followed", "let_go", "mirrored", "operating_point", "rest_of", "solve"]


@dataclass(frozen=True)
class OperatingPoint:
    """Solution ``x`` (n, N) in V and A; ``converged`` (N,). Members that failed hold NaN."""

    equations: Equations
    x: Array
    converged: NDArray[np.bool_]
    tolerances: Tolerances
    ways: NDArray[np.uint8] | None = None  # by which each was found, of WAYS; None where there was nothing to look for

    def found_by(self, member: int = 0) -> str:
        """In words, by which way a member was found."""
        return WAYS[int(self.ways[member])] if self.ways is not None else WAYS[PLAIN]

    @property
    def failed(self) -> list[int]:
        """Indices of members without a solution."""
        return [int(k) for k in np.flatnonzero(~self.converged)]

    def voltage(self, node: str, reference: str = "0") -> Array:
        """(N,) V at ``node`` against ``reference``."""
        return self._at(node) - self._at(reference)

    def _at(self, node: str) -> Array:
        k = self.equations.circuit.node(node)
        return np.zeros(self.x.shape[1]) if k < 0 else self.x[k]

    @cached_property
    def evaluation(self) -> Evaluation:
        """Junction currents, conductances, charges and capacitances at this point."""
        eq = self.equations
        return eq.devices.evaluate(eq.branch_voltages(self.x), self.tolerances.gmin, charges=True)

    def currents(self) -> dict[str, Array]:
        """(N,) A through every element: into the first terminal; of a transistor, into collector or drain."""
        eq, full = self.equations, np.concatenate([self.x, np.zeros((1, self.x.shape[1]))])
        out: dict[str, Array] = {}
        junction = self.evaluation.current
        spans = eq.devices.spans_by_name()
        for element in eq.circuit.elements:
            if element.kind == "r":
                a, b, siemens = eq.conductors[eq.resistor_entry[element.name]]
                out[element.name] = (full[a] - full[b]) * siemens
            elif element.kind == "c":
                out[element.name] = np.zeros(self.x.shape[1])
            elif element.kind == "i":
                dead = element.name in eq.open_sources
                out[element.name] = np.zeros(self.x.shape[1]) + (0.0 if dead else eq.sources[element.name])
            elif element.kind == "g":
                c, d = element.nodes[2:]
                out[element.name] = (full[c] - full[d]) * eq.gains[element.name]
            elif element.kind == "f":
                out[element.name] = self.x[eq.branch[element.controls[0]]] * eq.gains[element.name]
            elif element.kind in "qj":
                out[element.name] = -junction[spans[element.name][0] + 1]
            elif element.kind == "m":
                out[element.name] = junction[spans[element.name][0]] - junction[spans[element.name][0] + 3]
            elif element.kind == "d" or (element.kind == "b" and not element.gives_volts):
                out[element.name] = junction[spans[element.name][0]]
            elif element.name in eq.branch:
                out[element.name] = self.x[eq.branch[element.name]]
        return {e.name: out[e.name] for e in eq.circuit.elements if e.name in out}

    def absorbed(self) -> dict[str, Array]:
        """(N,) W that goes into every element, negative where it gives. Summed over a subcircuit it is the heat of the whole
        part, whatever its model is made of (B. D. H. Tellegen, "A general network theorem", Philips Research Reports 7, 1952).
        """
        full = np.concatenate([self.x, np.zeros((1, self.x.shape[1]))])
        heat, amps = self.dissipation(), self.currents()
        out = {}
        for element in self.equations.circuit.elements:
            name = element.name
            if element.kind in "qjm" and name in heat:
                out[name] = heat[name]
            elif name in amps:
                a, b = element.nodes[:2]
                out[name] = (full[a] - full[b]) * amps[name]
        return out

    def dissipation(self) -> dict[str, Array]:
        """(N,) W turned into heat in every resistor and junction device, series resistances included."""
        eq, full = self.equations, np.concatenate([self.x, np.zeros((1, self.x.shape[1]))])
        entries = {entry: name for name, entry in eq.resistor_entry.items()}
        heat: dict[str, Array] = {}
        for k, (a, b, siemens) in enumerate(eq.conductors):
            inner = next((eq.names[n].partition("#")[0] for n in (b, a) if n >= 0 and "#" in eq.names[n]), "")
            name = entries.get(k, inner)
            if name:
                heat[name] = heat.get(name, 0.0) + (full[a] - full[b]) ** 2 * siemens
        volts = eq.branch_voltages(self.x)
        for name, (first, last) in eq.devices.spans_by_name().items():
            if eq.circuit.element(name).kind == "b":
                continue  # an expression is a source: it gives or takes, but is no part that grows warm
            own = (volts[first:last] * self.evaluation.current[first:last]).sum(axis=0)
            heat[name] = heat.get(name, 0.0) + own
        return {e.name: heat[e.name] for e in eq.circuit.elements if e.name in heat}


def operating_point(
    circuit: Circuit, overrides: Overrides | None = None, tolerances: Tolerances = DEFAULT, start: Array | None = None
) -> OperatingPoint:
    """Solve ``circuit`` for every member that ``overrides`` (name → value or (N,) array) describe. ``start`` (n, N) is where each is looked
    for first, of the same circuit and the same names overridden; NaN where nothing is known.

    >>> c = Circuit.from_text("divider\\nv1 a 0 9\\nr1 a m 1k\\nr2 m 0 2k")
    >>> float(operating_point(c).voltage("m")[0])
    6.0
    """
    return solve(Equations(circuit, overrides), tolerances, start=start)


def solve(
    equations: Equations, tolerances: Tolerances = DEFAULT, drive: Array | None = None, *, stubborn: bool = True, start: Array | None = None
) -> OperatingPoint:
    """Operating point of ready-made equations; ``drive`` replaces what the sources drive, (n, 1 or N). Unless ``stubborn``,
    members that plain Newton loses are given up at once: for a caller who knows another way."""
    x, converged, ways = solution(equations, tolerances, drive, stubborn=stubborn, start=start)
    return OperatingPoint(equations, x, converged, tolerances, ways)


def followed(equations: Equations, tolerances: Tolerances = DEFAULT) -> tuple[Array, NDArray[np.bool_]]:
    """(n, N) each member as it is followed to from the values of the first, in steps as small as it needs, or else as the sources are raised;
    and whether that led there."""
    newton = Newton(equations, equations.linear(), equations.right_side(), equations.members, tolerances, at_rest=True)
    newton.take_lead()
    x, there = np.full((equations.size, equations.members), np.nan), np.zeros(equations.members, dtype=bool)
    with np.errstate(over="ignore", invalid="ignore", divide="ignore"):
        nominal, ok = newton.nominal(*newton.begin(), True)
        if ok.all():
            x, there = newton.follow(np.arange(equations.members), nominal)
        lost = np.flatnonzero(~there)
        if lost.size:
            x[:, lost], there[lost] = newton.source_steps(lost)
    x[:, ~there] = np.nan
    return x, there


def rest_of(
    equations: Equations, some: NDArray[np.intp], tolerances: Tolerances = DEFAULT, drive: Array | None = None, *, stubborn: bool = True,
    start: Array | None = None,
) -> tuple[Array, NDArray[np.bool_]]:  # fmt: skip
    """Where ``some`` members come to rest (n, K), NaN of those that are lost, and which were found. As :func:`solve`."""
    x, there, _ = solution(equations, tolerances, drive, stubborn=stubborn, start=start, some=some)
    return x, there


def let_go(
    equations: Equations, target: Array, tolerances: Tolerances = DEFAULT, some: NDArray[np.intp] | None = None
) -> tuple[Array, NDArray[np.bool_]]:
    """Where each member, or each of ``some``, comes to rest near ``target`` (n, K), and whether that was found: what makes gain is held there, and
    let go by and by. It holds where plain steps are thrown from rail to rail. Where nothing makes gain nothing is found."""
    newton = Newton(equations, equations.linear(), equations.right_side(), equations.members, tolerances, at_rest=True)
    gains = newton.gain_nodes(within=True)
    if not gains:
        return np.full(target.shape, np.nan), np.zeros(target.shape[1], dtype=bool)
    with np.errstate(over="ignore", invalid="ignore", divide="ignore"):
        return newton.loosened(np.arange(equations.members) if some is None else some, FIRST_HOLD, 0.0, np.nan_to_num(target), gains)


def mirrored(
    eq: Equations, x: Array, tolerances: Tolerances = DEFAULT, some: NDArray[np.intp] | None = None
) -> tuple[Array, NDArray[np.bool_]]:
    """Where else each member, or each of ``some``, that rests at ``x`` (n, K) may come to rest, and whether that was found: what makes gain is held
    near the other rail, near the upper one where it stood between them, and let go. A loop that hangs at one rail may as well hang at the
    other; all else comes back to where it was."""
    goal = np.nan_to_num(x)
    volts = goal[: len(eq.names)]
    upper, lower = np.maximum(volts.max(axis=0), 0.0), np.minimum(volts.min(axis=0), 0.0)
    middle, half = (upper + lower) / 2, (upper - lower) / 2
    gains = Newton(eq, eq.linear(), eq.right_side(), eq.members, tolerances, at_rest=True).gain_nodes(within=True)
    goal[gains] = middle + NEAR_RAIL * half * np.where(goal[gains] > middle + BETWEEN * half, -1.0, 1.0)
    return let_go(eq, goal, tolerances, some)
