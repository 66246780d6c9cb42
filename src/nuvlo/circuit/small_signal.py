"""Small-signal response about the operating point, for every member and every frequency at once."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nuvlo.arrays import Array
from nuvlo.circuit.elimination import FEW, Elimination
from nuvlo.circuit.kernel import Values
from nuvlo.circuit.operating_point import OperatingPoint
from nuvlo.circuit.poles import Poles, poles
from nuvlo.circuit.sparse import LARGE, Pattern
from nuvlo.progress import pause

Complex = NDArray[np.complex128]
MANY_FREQUENCIES, MANY_COMPILED = 24, 80  # from here on poles pay; where single solutions are compiled
SPOT_CHECKS = 5  # frequencies at which what the poles say is solved outright
DISAGREEMENT = 1e-7  # as a share, that a member may show there
ROUNDED = 1e-13  # of a member's longest time constant: a shorter one is nothing but rounding
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
        eq.add_alternating(self.conductance)
        self.capacitance = eq.capacitive(point.evaluation)
        self.members = point.x.shape[1]
        self.kernel = eq.kernel

    def pieces(
        self, frequency: Array, right: Array, rows: Sequence[int] | None = None, *, transposed: bool = False
    ) -> Iterator[tuple[slice, slice, Complex]]:
        """Solutions for right sides (n, m), the same at every frequency and for every member, piece by piece.

        Each is (members, frequencies, x) with x (rows, m, members, frequencies), small enough to stay in the cache; all
        together would not fit the memory for a large ensemble. All rows unless some are named, −1 being ground. ``transposed`` solves the adjoint circuit: for a right
        side that picks one node, the answer holds the transfer from a current into any node to that one (S. W. Director,
        R. A. Rohrer, "The generalized adjoint network and network sensitivities", IEEE Trans. Circuit Theory 16, 1969).
        """
        frequency = np.atleast_1d(np.asarray(frequency, float))
        wanted = list(range(self.point.equations.size)) if rows is None else list(rows)
        middle = float(np.sqrt(max(frequency[0], 1e-3) * max(frequency[-1], 1e-3)))
        found = self._swept(frequency, right, wanted, middle, transposed) if self.kernel is not None else self._whole(frequency, right, middle, transposed)
        for members, some, x in found:
            if self.kernel is None and rows is not None:
                x = np.stack([x[row] if row >= 0 else np.zeros_like(x[0]) for row in wanted])
            yield members, some, x

    def _swept(self, frequency: Array, right: Array, rows: list[int], middle: float, transposed: bool) -> Iterator[tuple[slice, slice, Complex]]:
        """By the compiled part, one member and frequency after the other."""
        assert self.kernel is not None
        plan = self.kernel.plan(self._nominal(middle), transposed=transposed)
        still, moving = Values(self.conductance), Values(self.capacitance)
        block = max(1, SLICE // frequency.size)
        for m in range(0, self.members, block):
            pause()
            members = slice(m, min(m + block, self.members))
            for f in range(0, frequency.size, SLICE):
                some = slice(f, min(f + SLICE, frequency.size))
                yield members, some, self.kernel.sweep(plan, still, moving, members, 2.0 * np.pi * frequency[some], right, rows)

    def _whole(self, frequency: Array, right: Array, middle: float, transposed: bool) -> Iterator[tuple[slice, slice, Complex]]:
        """All rows, many members and frequencies in each step."""
        if self.members < FEW and self.point.equations.size >= LARGE:
            for m in range(self.members):
                for f in range(0, frequency.size, SLICE):
                    some = slice(f, min(f + SLICE, frequency.size))
                    yield slice(m, m + 1), some, self._sparsely(m, 2.0 * np.pi * frequency[some], right, transposed)
            return
        plan = self._plan(middle, transposed)
        # Members in blocks that fill a slice with all frequencies; very long sweeps are cut along frequency too.
        block = max(1, SLICE // min(frequency.size, SLICE))
        for m in range(0, self.members, block):
            members = slice(m, min(m + block, self.members))
            for f in range(0, frequency.size, SLICE):
                some = slice(f, min(f + SLICE, frequency.size))
                omega = 2.0 * np.pi * frequency[some]
                yield members, some, self._piece(plan, members, omega, right)

    def _sparsely(self, member: int, omega: Array, right: Array, transposed: bool) -> Complex:
        """(n, m, 1, frequencies) of one member of a large circuit, frequency by frequency."""
        eq = self.point.equations
        pattern = Pattern(eq.size, eq.slots)
        g, c = (np.array([v[member] if v.size > 1 else v[0] for v in values]) for values in (self.conductance, self.capacitance))
        x = np.empty((*right.shape, 1, omega.size), dtype=complex)
        for k, w in enumerate(omega):
            x[:, :, 0, k] = pattern.solve(g + 1j * w * c, right, transposed)
        return x

    def _piece(self, plan: Elimination, members: slice, omega: Array, right: Array) -> Complex:
        """(n, m, members, frequencies). What does not change along frequency is not computed again along it."""
        conductance, capacitance = (
            [self._column(v, members)[:, None] for v in values] for values in (self.conductance, self.capacitance)
        )
        values = [
            g + 1j * (omega * c) if slot in plan.moving else g
            for slot, (g, c) in enumerate(zip(conductance, capacitance, strict=True))
        ]
        shape = (members.stop - members.start, omega.size)
        x = np.empty((*right.shape, *shape), dtype=complex)
        wrong = np.ones(shape, dtype=bool)
        if plan.planned and wrong.size >= FEW:
            rows = [row[:, None, None] if row.any() else None for row in right]
            for column, found in enumerate(plan.run(values, rows)):
                x[column] = found
            wrong = plan.missed(values, list(right[:, 0]), list(x[:, 0]))
        if wrong.any():
            flat = [np.broadcast_to(v, shape)[wrong] for v in values]
            b = np.broadcast_to(right[:, :, None], (*right.shape, flat[0].size)).astype(complex)
            x[:, :, wrong] = plan.exactly(flat, b)
        return x

    def solve(self, frequency: Array, right: Array, rows: Sequence[int] | None = None) -> Complex:
        """(rows, m, N, F) of the solutions of :meth:`pieces`; all rows unless some are named, −1 being ground."""
        wanted = range(self.point.equations.size) if rows is None else rows
        out = np.zeros((len(wanted), right.shape[1], self.members, np.size(frequency)), dtype=complex)
        for members, some, x in self.pieces(frequency, right, wanted):
            out[:, :, members, some] = x
        return out

    def transfers(self, frequency: Array, drive: Array, rows: Sequence[int]) -> Complex:
        """(rows, N, F) as :meth:`solve` for one ``drive`` (n,); for many members and frequencies by way of poles."""
        if self.members < FEW or not self._poles_pay(frequency.size):
            return self.solve(frequency, drive[:, None], rows)[:, 0]
        found = np.zeros((len(rows), self.members, frequency.size), dtype=complex)
        good = np.zeros(found.shape, dtype=bool)
        for m in range(0, self.members, SLICE):
            some = slice(m, min(m + SLICE, self.members))
            with suppress(np.linalg.LinAlgError):
                found[:, some], good[:, some] = self.poles(drive, rows, some).response(frequency)
        # A few frequencies are solved outright: members that disagree there are not trusted anywhere.
        places = np.linspace(0, frequency.size - 1, SPOT_CHECKS).astype(int)
        exact = self.solve(frequency[places], drive[:, None], rows)[:, 0]
        off = np.abs(found[..., places] - exact) > DISAGREEMENT * np.abs(exact) + 1e-300
        doubtful = ~np.isfinite(found).all(axis=(0, 2)) | (off & good[..., places]).any(axis=(0, 2))
        good[:, doubtful] = False
        member, place = np.nonzero(~good.all(axis=0))
        for k in range(0, member.size, SLICE):
            some = slice(k, k + SLICE)
            solved = self._scattered(member[some], frequency[place[some]], drive)
            for row, number in zip(found, rows, strict=True):
                if number >= 0:
                    row[member[some], place[some]] = solved[number]
        return found

    def _poles_pay(self, frequencies: int) -> bool:
        """Whether poles, whose cost grows with the cube of what stores, are quicker than one solution for each frequency."""
        storing = len({row for (row, _), c in zip(self.point.equations.slots, self.capacitance, strict=True) if c.any()})
        least = MANY_FREQUENCIES if self.kernel is None else max(MANY_COMPILED, storing**2 / 12)
        return storing > 0 and frequencies >= least

    def poles(self, drive: Array, rows: Sequence[int], members: slice) -> Poles:
        """Poles of some members, and what each adds to ``rows`` for one ``drive`` (n,)."""
        with np.errstate(all="ignore"):
            return poles(self.point, self._plan(0.0, False), self.conductance, drive, list(rows), members)

    def _scattered(self, member: NDArray[np.int_], frequency: Array, drive: Array) -> Complex:
        """(n, K): solutions for ``drive`` (n,) of ``member`` (K,), each at a ``frequency`` (K,) of its own."""
        omega = 2.0 * np.pi * frequency
        values = [
            np.broadcast_to(g[member] if g.size > 1 else g, omega.shape) + 1j * omega * (c[member] if c.size > 1 else c)
            for g, c in zip(self.conductance, self.capacitance, strict=True)
        ]
        right = np.broadcast_to(drive[:, None], (drive.size, omega.size)).astype(complex)
        out: Complex = self._plan(float(frequency[0]), False).solve(values, right)
        return out

    @staticmethod
    def _column(values: Array, members: slice) -> Array:
        return values[members] if values.size > 1 else values

    def _nominal(self, frequency: float) -> list[complex]:
        """Values of the slots of a member that has a solution: one without must not spoil the plan for the others."""
        omega, k = 2.0 * np.pi * frequency, int(np.argmax(self.point.converged))
        return [complex(g[k % g.size], omega * c[k % c.size]) for g, c in zip(self.conductance, self.capacitance, strict=True)]

    def _plan(self, frequency: float, transposed: bool) -> Elimination:
        eq, nominal = self.point.equations, self._nominal(frequency)
        slots = {(c, r): s for (r, c), s in eq.slots.items()} if transposed else eq.slots
        return Elimination(eq.size, slots, nominal, frozenset(k for k, c in enumerate(self.capacitance) if c.any()))


def natural_frequencies(point: OperatingPoint) -> Complex:
    """(N, r) rad/s at which a disturbed circuit rings or decays: decays where the real part is negative.

    What holds no charge or flux of its own stands at infinity. Raises ``numpy.linalg.LinAlgError`` where the eigenvalues
    of a member are not found.
    """
    linear = LinearisedCircuit(point)
    time = linear.poles(np.zeros(point.equations.size), [-1], slice(0, linear.members)).time
    size = np.abs(time)
    with np.errstate(all="ignore"):
        out: Complex = np.where(size > ROUNDED * size.max(axis=1, keepdims=True), -1.0 / time, -np.inf)
    return out


def response(point: OperatingPoint, source: str, node: str, frequency: Array) -> Response:
    """Transfer from ``source`` (1 V or 1 A, all others 0) to ``node`` at ``frequency`` (F,) Hz."""
    return responses(point, source, [node], frequency)[node]


def responses(point: OperatingPoint, source: str, nodes: list[str], frequency: Array) -> dict[str, Response]:
    """As :func:`response`, for several nodes of one solution."""
    eq = point.equations
    numbers = [eq.circuit.node(n) for n in nodes]
    f = np.atleast_1d(np.asarray(frequency, float))
    solved = LinearisedCircuit(point).transfers(f, eq.unit_source(source), numbers)
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
