"""Course over time of every member of an ensemble: trapezoidal rule, started stiffly, its step set by its own error.

All members share one time step, the one that the most demanding member needs. Charges and fluxes are carried as such,
so that none is lost when a capacitance changes (Nagel 1975, chapter 4: trapezoidal rule, local truncation error, and
breakpoints at the corners of sources, each followed by one step of backward Euler).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nuvlo.circuit.circuit import Array, Circuit, Overrides
from nuvlo.circuit.elimination import Elimination
from nuvlo.circuit.equations import Equations
from nuvlo.circuit.operating_point import Tolerances, solve
from nuvlo.problems import NuvloError, Problem

TOLERANCES = Tolerances(reltol=1e-6, vntol=1e-8, abstol=1e-12)
ERROR_SHARE = 1e-4  # of a node's largest swing so far that one step may add as error
ERROR_FLOOR = 1e-6  # V
MOST_STEPS = 2_000_000
NEWTON_STEPS = 30


class TransientError(NuvloError):
    """The course could not be followed; says from when on, and for which members."""


@dataclass(frozen=True)
class Course:
    """``time`` (T,) s, even; ``voltage`` of each node asked for, (N, T) V; ``steps`` taken inside."""

    time: Array
    voltage: dict[str, Array]
    steps: int


def transient(
    circuit: Circuit, step: float, stop: float, nodes: list[str], overrides: Overrides | None = None,
    tolerances: Tolerances = TOLERANCES,
) -> Course:  # fmt: skip
    """Follow ``circuit`` from its operating point to ``stop`` s; voltages at ``nodes`` every ``step`` s.

    Raises :class:`TransientError` where even the smallest step does not converge, ``ValueError`` for a step that is not
    between 0 and ``stop``.
    """
    if not 0 < step <= stop:
        raise ValueError("the step must lie between 0 and the stop time")
    return _Stepper(Equations(circuit, overrides), step, stop, nodes, tolerances).run()


class _Stepper:
    def __init__(self, eq: Equations, step: float, stop: float, nodes: list[str], tolerances: Tolerances) -> None:
        self.eq, self.step, self.stop, self.tol = eq, step, stop, tolerances
        self.nodes = {name: eq.circuit.node(name) for name in nodes}
        self.waveforms = eq.waveforms(step, stop)
        self.static, self.dynamic = eq.linear(), eq.capacitive()
        self.plans: dict[int, Elimination] = {}
        self.largest_step = min(step, stop / 50)
        self.smallest_step = 1e-9 * self.largest_step

    def run(self) -> Course:
        eq = self.eq
        start = solve(eq, self.tol, eq.right_side_at(self.waveforms, 0.0))
        if start.failed:
            raise TransientError(Problem("there is no operating point to start from.", f"Members: {start.failed[:5]}."))
        x = start.x
        z, slope = self.stored(x), np.zeros_like(x)
        times, kept = [0.0], [x]
        corners = sorted({t for w in self.waveforms.values() for t in w.corners() if 0 < t < self.stop} | {self.stop})
        t, h, stiff = 0.0, self.largest_step / 10, True
        largest = np.abs(x).max(axis=1, keepdims=True)
        for _ in range(MOST_STEPS):
            if t >= self.stop * (1 - 1e-12):
                break
            corner = next(c for c in corners if c > t * (1 + 1e-12) + 1e-18)
            h = min(h, self.largest_step)
            # Rather two even steps to a corner than one long and one tiny.
            left = corner - t
            h = left if h >= left else (left / 2 if h > left / 2 else h)
            new = self.newton(x, z, slope, t + h, h, stiff)
            if new is None:
                h /= 8
                if h < self.smallest_step:
                    raise TransientError(
                        Problem(
                            f"the course cannot be followed beyond {t:.6g} s.", "Look for a jump without resistance."
                        )
                    )
                stiff = True
                continue
            error = self.error(times, kept, new, t + h, largest) if not stiff else 0.5
            if error > 1 and h > self.smallest_step * 8:
                h *= max(0.2, 0.9 * error ** (-1 / 3))
                continue
            z_new = self.stored(new)
            slope = (z_new - z) / h if stiff else 2 * (z_new - z) / h - slope
            t, x, z = t + h, new, z_new
            largest = np.maximum(largest, np.abs(x).max(axis=1, keepdims=True))
            times.append(t)
            kept.append(x)
            stiff = abs(t - corner) < 1e-12 * self.stop
            h = h * min(2.0, 0.9 * max(error, 1e-3) ** (-1 / 3)) if not stiff else min(h, self.largest_step / 10)
        return self.course(np.array(times), kept)

    def stored(self, x: Array) -> Array:
        """(n, N): charge or flux that each equation differentiates."""
        out = self.eq.apply(self.dynamic, x)
        if self.eq.devices.count:
            found = self.eq.devices.evaluate(self.eq.branch_voltages(x), self.tol.gmin, charges=True)
            out = -self.eq.add_branch_currents(-out, found.charge)
        return out

    def newton(self, x: Array, z: Array, slope: Array, time: float, h: float, stiff: bool) -> Array | None:
        """x at ``time``; None where a member does not converge."""
        eq, tol = self.eq, self.tol
        rate = (1.0 if stiff else 2.0) / h
        drive = eq.right_side_at(self.waveforms, time) + rate * z + (0.0 if stiff else 1.0) * slope
        base = [g + rate * c for g, c in zip(self.static, self.dynamic, strict=True)]
        plan = self.plan(base, rate)
        if not eq.devices.count:
            return plan.solve(base, np.broadcast_to(drive, x.shape))
        now, old = x, eq.branch_voltages(x)
        floor = np.full((eq.size, 1), tol.vntol)
        floor[eq.first_branch :] = tol.abstol
        for _ in range(NEWTON_STEPS):
            found = eq.devices.evaluate(old, tol.gmin, charges=True)
            entries = found.conductance + rate * found.capacitance
            values = list(base)
            eq.add_devices(values, entries)
            equivalent = found.current + rate * found.charge
            for e, (row, column) in enumerate(zip(eq.devices.rows, eq.devices.columns, strict=True)):
                equivalent[row] -= entries[e] * old[column]
            b = eq.add_branch_currents(np.broadcast_to(drive, x.shape).copy(), equivalent)
            new = plan.solve(values, b)
            old, held = eq.devices.limited(eq.branch_voltages(new), old)
            if not np.isfinite(new).all():
                return None
            if not held.any() and (np.abs(new - now) <= tol.reltol * np.abs(new) + floor).all():
                return new
            now = new
        return None

    def plan(self, base: list[Array], rate: float) -> Elimination:
        """An elimination order for this size of step; LAPACK alone for few members."""
        if self.eq.members < 2:
            return self.eq.unplanned()
        size = round(np.log10(rate))
        if size not in self.plans:
            values = list(base)
            if self.eq.devices.count:
                eq = self.eq
                ones = np.full((eq.devices.rows.size, 1), 1e-3)
                eq.add_devices(values, ones)
            self.plans[size] = self.eq.plan(values)
        return self.plans[size]

    def error(self, times: list[float], kept: list[Array], new: Array, time: float, largest: Array) -> float:
        """Largest local error over what is allowed, from the distance to the parabola through the last three points.

        For the trapezoidal rule the truncation error is h³x‴/12, and the parabola misses by (h·h₁₂·h₁₃)x‴/6 with the
        distances to the three points behind (the divided-difference form of Nagel 1975, 4.5).
        """
        if len(times) < 3:
            return 0.5
        t1, t2, t3 = times[-1], times[-2], times[-3]
        x1, x2, x3 = kept[-1], kept[-2], kept[-3]
        d12, d23 = (x1 - x2) / (t1 - t2), (x2 - x3) / (t2 - t3)
        curve = (d12 - d23) / (t1 - t3)
        foreseen = x1 + (time - t1) * (d12 + (time - t2) * curve)
        h = time - t1
        share = h**2 / (2 * (time - t2) * (time - t3))
        nodes = slice(0, self.eq.first_branch)
        off = share * np.abs(new - foreseen)[nodes]
        allowed = ERROR_SHARE * np.maximum(largest, np.abs(new))[nodes] + ERROR_FLOOR
        return float((off / allowed).max())

    def course(self, times: Array, kept: list[Array]) -> Course:
        """Even samples, by monotone cubics between the steps taken: smooth along a wave, no overshoot at a corner."""
        from scipy.interpolate import PchipInterpolator

        even = np.linspace(0.0, self.stop, round(self.stop / self.step) + 1)
        out = {}
        for name, k in self.nodes.items():
            taken = np.array([x[k] for x in kept]).T if k >= 0 else np.zeros((kept[0].shape[1], times.size))
            out[name] = PchipInterpolator(times, taken, axis=1)(even)
        return Course(even, out, times.size - 1)
