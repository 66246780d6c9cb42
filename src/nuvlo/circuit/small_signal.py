"""Small-signal response about the operating point, for every member and every frequency at once."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nuvlo.circuit.circuit import Array
from nuvlo.circuit.elimination import Elimination
from nuvlo.circuit.operating_point import OperatingPoint

Complex = NDArray[np.complex128]
SLICE = 4096  # systems solved together: keeps the working set of one step inside the cache


@dataclass(frozen=True)
class Response:
    """Transfer from one source to one node. ``frequency`` (F,) Hz; ``transfer`` (N, F), V/V or V/A."""

    frequency: Array
    transfer: Complex

    @property
    def magnitude_db(self) -> Array:
        """(N, F) dB."""
        with np.errstate(divide="ignore"):
            out: Array = 20.0 * np.log10(np.abs(self.transfer))
        return out

    @property
    def phase_deg(self) -> Array:
        """(N, F) degrees, −180 to 180."""
        out: Array = np.degrees(np.angle(self.transfer))
        return out


def log_frequencies(start: float, stop: float, points: int) -> Array:
    """(points,) Hz, even in log frequency, both ends included and exact."""
    out = np.geomspace(start, stop, points)
    return np.asarray(out, float)


class LinearisedCircuit:
    """G + jωC of every member about its operating point, ready to be driven from any source."""

    def __init__(self, point: OperatingPoint) -> None:
        self.point = point
        eq = point.equations
        self.conductance = eq.linear()
        eq.add_devices(self.conductance, point.evaluation.conductance)
        self.capacitance = eq.capacitive(point.evaluation)
        self.members = point.x.shape[1]

    def pieces(
        self, frequency: Array, right: Array, *, transposed: bool = False
    ) -> Iterator[tuple[slice, slice, Complex]]:
        """Solutions for right sides (n, m), the same at every frequency and for every member, piece by piece.

        Each is (members, frequencies, x) with x (n, m, members, frequencies), small enough to stay in the cache; all
        together would not fit the memory for a large ensemble. ``transposed`` solves the adjoint circuit: for a right
        side that picks one node, the answer holds the transfer from a current into any node to that one (S. W. Director,
        R. A. Rohrer, "The generalized adjoint network and network sensitivities", IEEE Trans. Circuit Theory 16, 1969).
        """
        frequency = np.atleast_1d(np.asarray(frequency, float))
        middle = float(np.sqrt(max(frequency[0], 1e-3) * max(frequency[-1], 1e-3)))
        plan = self._plan(middle, transposed)
        # Members in blocks that fill a slice with all frequencies; very long sweeps are cut along frequency too.
        block = max(1, SLICE // min(frequency.size, SLICE))
        for m in range(0, self.members, block):
            members = slice(m, min(m + block, self.members))
            count = members.stop - members.start
            for f in range(0, frequency.size, SLICE):
                some = slice(f, min(f + SLICE, frequency.size))
                omega = 2.0 * np.pi * frequency[some]
                values = [
                    self._column(g, members)[:, None] + 1j * omega * self._column(c, members)[:, None]
                    for g, c in zip(self.conductance, self.capacitance, strict=True)
                ]
                flat = [np.broadcast_to(v, (count, omega.size)).ravel() for v in values]
                b = np.broadcast_to(right[:, :, None], (*right.shape, flat[0].size)).astype(complex)
                yield members, some, plan.solve(flat, b).reshape(*right.shape, count, omega.size)

    def solve(self, frequency: Array, right: Array, rows: Sequence[int] | None = None) -> Complex:
        """(rows, m, N, F) of the solutions of :meth:`pieces`; all rows unless some are named, −1 being ground."""
        wanted = range(self.point.equations.size) if rows is None else rows
        out = np.zeros((len(wanted), right.shape[1], self.members, np.size(frequency)), dtype=complex)
        for members, some, x in self.pieces(frequency, right):
            for k, row in enumerate(wanted):
                if row >= 0:
                    out[k, :, members, some] = x[row]
        return out

    @staticmethod
    def _column(values: Array, members: slice) -> Array:
        return values[members] if values.size > 1 else values

    def _plan(self, frequency: float, transposed: bool) -> Elimination:
        omega = 2.0 * np.pi * frequency
        eq = self.point.equations
        # A member without a solution must not spoil the plan for the others.
        k = int(np.argmax(self.point.converged))
        nominal = [
            complex(g[k % g.size], omega * c[k % c.size])
            for g, c in zip(self.conductance, self.capacitance, strict=True)
        ]
        slots = {(c, r): s for (r, c), s in eq.slots.items()} if transposed else eq.slots
        return Elimination(eq.size, slots, nominal)


def response(point: OperatingPoint, source: str, node: str, frequency: Array) -> Response:
    """Transfer from ``source`` (1 V or 1 A, all others 0) to ``node`` at ``frequency`` (F,) Hz."""
    return responses(point, source, [node], frequency)[node]


def responses(point: OperatingPoint, source: str, nodes: list[str], frequency: Array) -> dict[str, Response]:
    """As :func:`response`, for several nodes of one solution."""
    eq = point.equations
    numbers = [eq.circuit.node(n) for n in nodes]
    solved = LinearisedCircuit(point).solve(frequency, eq.unit_source(source)[:, None], numbers)[:, 0]
    f = np.atleast_1d(np.asarray(frequency, float))
    return {n: Response(f, transfer) for n, transfer in zip(nodes, solved, strict=True)}


Port = tuple[str, str]


def impedances(point: OperatingPoint, ports: Sequence[Port], frequency: Array) -> Complex:
    """(N, F, P, P) Ω: volts across port i for one ampere into port j, all sources at rest (open-circuit parameters).

    A port is a pair of nodes; its own entry is the impedance that it shows, loads and sources in place.
    """
    eq = point.equations
    drive = np.zeros((eq.size, len(ports)))
    numbers = [(eq.circuit.node(a), eq.circuit.node(b)) for a, b in ports]
    for k, pair in enumerate(numbers):
        eq.inject(drive[:, k], pair, 1.0)
    flat = [n for pair in numbers for n in pair]
    solved = LinearisedCircuit(point).solve(frequency, drive, flat)
    across = solved[0::2] - solved[1::2]
    return np.moveaxis(across, (2, 3), (0, 1))


def impedance(point: OperatingPoint, node: str, frequency: Array, reference: str = "0") -> Complex:
    """(N, F) Ω between two nodes as they stand: what is joined to them counts."""
    out: Complex = impedances(point, [(node, reference)], frequency)[:, :, 0, 0]
    return out


def load_on(point: OperatingPoint, source: str, frequency: Array) -> Complex:
    """(N, F) Ω that a voltage source looks into: an input impedance, with what stands between."""
    eq = point.equations
    branch = eq.branch[eq.circuit.element(source).name]
    current = LinearisedCircuit(point).solve(frequency, eq.unit_source(source)[:, None], [branch])[0, 0]
    out: Complex = -1.0 / current
    return out
