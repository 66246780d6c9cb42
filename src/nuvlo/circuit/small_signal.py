"""Small-signal response about the operating point, for every member and every frequency at once."""

from __future__ import annotations

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

    def solve(self, frequency: Array, right: Array, *, transposed: bool = False) -> Complex:
        """(n, m, N, F) for right sides (n, m), the same at every frequency and for every member.

        ``transposed`` solves the adjoint circuit: for a right side that picks one node, the answer holds the transfer
        from a current into any node to that one (S. W. Director, R. A. Rohrer, "The generalized adjoint network and
        network sensitivities", IEEE Trans. Circuit Theory 16, 1969).
        """
        eq = self.point.equations
        frequency = np.atleast_1d(np.asarray(frequency, float))
        out = np.empty((eq.size, right.shape[1], self.members, frequency.size), dtype=complex)
        middle = float(np.sqrt(max(frequency[0], 1e-3) * max(frequency[-1], 1e-3)))
        plan = self._plan(middle, transposed)
        # Members in blocks that fill a slice with all frequencies; very long sweeps are cut along frequency too.
        block = max(1, SLICE // min(frequency.size, SLICE))
        for m in range(0, self.members, block):
            members = slice(m, min(m + block, self.members))
            count = members.stop - members.start
            for f in range(0, frequency.size, SLICE):
                omega = 2.0 * np.pi * frequency[f : f + SLICE]
                values = [
                    self._column(g, members)[:, None] + 1j * omega * self._column(c, members)[:, None]
                    for g, c in zip(self.conductance, self.capacitance, strict=True)
                ]
                flat = [np.broadcast_to(v, (count, omega.size)).ravel() for v in values]
                b = np.broadcast_to(right[:, :, None], (*right.shape, flat[0].size)).astype(complex)
                solved = plan.solve(flat, b)
                out[:, :, members, f : f + SLICE] = solved.reshape(*right.shape, count, omega.size)
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
    solved = LinearisedCircuit(point).solve(frequency, eq.unit_source(source)[:, None])[:, 0]
    silent = np.zeros_like(solved[0])
    f = np.atleast_1d(np.asarray(frequency, float))
    return {n: Response(f, silent if k < 0 else solved[k]) for n, k in zip(nodes, numbers, strict=True)}
