"""Steady-state response to a periodic signal, distortion included, while the circuit stays nearly linear.

The whole record is solved at once. Everything linear is solved exactly at each frequency; what the junctions do beyond
their small-signal behaviour is put back as currents, found at every sample in one array operation, and the two are
repeated until they agree (a Picard iteration on the harmonic-balance equations: S. Maas, *Nonlinear Microwave and RF
Circuits*, 2nd ed., chapter 3). It converges while distortion is a few per cent, which is where it is used: to find how
hard a stage may be driven, and to let the simulated bench play audio through a unit.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nuvlo.arrays import Array
from nuvlo.circuit.operating_point import OperatingPoint
from nuvlo.circuit.small_signal import Complex, LinearisedCircuit

WILD = 100.0  # V across a junction: the iteration is running away


class TooNonlinear(ArithmeticError):
    """The signal drives the circuit too far from its operating point for this method."""


@dataclass(frozen=True)
class PeriodicSolver:
    """Solver for one member: ``outputs`` are the nodes whose waveforms are wanted, ``samples`` per period at ``rate`` Hz."""

    point: OperatingPoint
    outputs: tuple[str, ...]
    from_source: Complex  # (B + outputs, F) V/V
    from_branch: Complex  # (B + outputs, B, F) V/A
    rate: float
    samples: int

    @classmethod
    def prepare(
        cls, point: OperatingPoint, source: str, outputs: tuple[str, ...], samples: int, rate: float
    ) -> PeriodicSolver:
        """Solve the linear part at all harmonics of ``rate / samples``."""
        eq = point.equations
        branches = eq.devices.count
        right = np.zeros((eq.size, 1 + branches))
        right[:, 0] = eq.unit_source(source)
        for k, (plus, minus) in enumerate(eq.devices.injections):
            eq.inject(right[:, k + 1], (plus, minus), -1.0)
        frequency = np.asarray(np.fft.rfftfreq(samples, 1.0 / rate), float)
        solved = LinearisedCircuit(point).solve(frequency, right)[:, :, 0]
        full = np.concatenate([solved, np.zeros_like(solved[:1])])
        plus_nodes, minus_nodes = eq.branch_nodes()
        numbers = [eq.circuit.node(n) for n in outputs]
        ports = np.concatenate([full[plus_nodes] - full[minus_nodes], full[numbers]])
        return cls(point, outputs, ports[:, 0], ports[:, 1:], rate, samples)

    def solve(self, signal: Array, iterations: int = 60) -> Array:
        """Waveforms (outputs, samples) V about the operating point, for the source's ``signal`` (samples,) V.

        Raises :class:`TooNonlinear` where the iteration does not settle.
        """
        eq, point = self.point.equations, self.point
        branches = eq.devices.count
        rest_v = eq.branch_voltages(point.x)
        rest = point.evaluation
        omega = 2j * np.pi * np.fft.rfftfreq(self.samples, 1.0 / self.rate)
        drive = self.from_source * np.fft.rfft(signal)
        spectrum = drive
        previous, best = None, np.inf
        rows, columns = eq.devices.rows, eq.devices.columns
        for _ in range(iterations):
            swing = np.fft.irfft(spectrum[:branches], self.samples)
            if not np.abs(swing).max() < WILD:
                break
            found = eq.devices.evaluate(rest_v + swing, point.tolerances.gmin, charges=True)
            current, charge = found.current - rest.current, found.charge - rest.charge
            for e, (row, column) in enumerate(zip(rows, columns, strict=True)):
                current[row] -= rest.conductance[e] * swing[column]
                charge[row] -= rest.capacitance[e] * swing[column]
            excess = np.fft.rfft(current) + omega * np.fft.rfft(charge)
            spectrum = drive + np.einsum("obf,bf->of", self.from_branch, excess)
            if previous is not None:
                change = float(np.abs(swing - previous).max())
                if change < 1e-10 + 1e-6 * float(np.abs(swing).max()):
                    return np.asarray(np.fft.irfft(spectrum[branches:], self.samples))
                if not np.isfinite(change) or change > 1e3 * best:
                    break
                best = min(best, change)
            previous = swing
        raise TooNonlinear("the signal is too large for a nearly linear solution")


def harmonic_distortion(wave: Array) -> Array:
    """(…) total harmonic distortion of whole periods (…, samples), one period long: √Σ h² / fundamental.

    Source: IEC 60268-3:2018, 14.12.3 (total harmonic distortion referred to the fundamental here).
    """
    spectrum = np.abs(np.fft.rfft(wave))
    with np.errstate(divide="ignore", invalid="ignore"):
        out: Array = np.sqrt((spectrum[..., 2:] ** 2).sum(axis=-1)) / spectrum[..., 1]
    return out


def largest_clean_level(
    point: OperatingPoint, source: str, nodes: tuple[str, ...], limit: float, frequency: float, levels: Array
) -> float:
    """The largest of ``levels`` (V peak, rising) that keeps distortion at every one of ``nodes`` below ``limit``.

    Distortion rises with level here, so the levels are halved between clean and not. Returns 0.0 when even the
    smallest is too much.
    """
    samples = 64
    solver = PeriodicSolver.prepare(point, source, nodes, samples, samples * frequency)
    sine = np.sin(2.0 * np.pi * np.arange(samples) / samples)
    clean, soiled = -1, levels.size
    while soiled - clean > 1:
        middle = (clean + soiled) // 2
        try:
            good = bool((harmonic_distortion(solver.solve(levels[middle] * sine)) < limit).all())
        except TooNonlinear:
            good = False
        clean, soiled = (middle, soiled) if good else (clean, middle)
    return float(levels[clean]) if clean >= 0 else 0.0
