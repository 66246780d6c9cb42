"""Course over time of every member of an ensemble: trapezoidal rule, started stiffly, its step set by its own error.

All members share one time step, the one that the most demanding member needs. Charges and fluxes are carried as such,
so that none is lost when a capacitance changes (Nagel 1975, chapter 4: trapezoidal rule, local truncation error, and
breakpoints at the corners of sources, each followed by one step of backward Euler).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from nuvlo import progress
from nuvlo.arrays import Array
from nuvlo.circuit.circuit import Circuit, Overrides
from nuvlo.circuit.devices import Evaluation
from nuvlo.circuit.equations import Equations
from nuvlo.circuit.kernel import HELP, Kernel, Limits, Rules, Values
from nuvlo.circuit.newton import ABSURD, FIRST_HOLD, HOLD_STEP, LEAST_HOLD, MOST_HOLD, MOST_TURNS, Tolerances
from nuvlo.circuit.operating_point import OperatingPoint, solve
from nuvlo.circuit.systems import system
from nuvlo.circuit.unsolved import explain
from nuvlo.problems import NuvloError, Problem

TOLERANCES = Tolerances(reltol=1e-6, vntol=1e-8, abstol=1e-12)
ERROR_SHARE = 1e-4  # of a node's largest swing so far that one step may add as error
ERROR_FLOOR = 1e-6  # V
FORETOLD = 1e-5  # of its current, by which a device may differ from its straight line when a step is taken as solved
NEGLIGIBLE = 1e-8  # of its largest current so far
MOST_STEPS, MOST_SAMPLES, MOST_PERIODS = 2_000_000, 2_000_000, 100_000  # inside; even ones; of the fastest source
MOST_KEPT = 2**26  # voltages that are given back, over all members and nodes
AT_ONCE = 4096  # steps of the compiled part, over all members, between looks at whether the answer is still wanted
NEWTON_STEPS = 30
AFTER_JUMP = 1e-3  # of the largest step: how soon after a jump it goes on
MOST_UNPLANNED = 20  # steps of Newton that an order of elimination may fail before another is made
RINGING = 6  # steps in a row that were refused at first
MOST_BYTES = 2**29  # that the kept voltages of one slice of members may take
Signal = Callable[[float], "float | Array"]


def _number(k: int) -> Any:
    """One of the numbers of a state, by its name."""

    def read(of: _State) -> float:
        return float(of.numbers[k])

    def write(of: _State, value: float) -> None:
        of.numbers[k] = value

    return property(read, write)


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
    tolerances: Tolerances = TOLERANCES, signals: Mapping[str, Signal] | None = None,
) -> Course:  # fmt: skip
    """Follow ``circuit`` from its operating point to ``stop`` s; voltages at ``nodes`` every ``step`` s.

    ``signals`` replace the course of the sources they name: each a function of the time in s, for all members or (N,).
    An ensemble whose voltages would not fit half a gigabyte is followed in slices of itself. The caller's :class:`Progress` may stop it.
    Raises :class:`TransientError` where even the smallest step does not converge, or a bound is passed (``docs/kit-format.md``);
    ``ValueError`` for a step that is not between 0 and ``stop``.
    """
    if not 0 < step <= stop:
        raise ValueError("the step must lie between 0 and the stop time")
    if stop / step > MOST_SAMPLES:
        raise TransientError(Problem(f"this asks for {stop / step:.3g} moments; at most {MOST_SAMPLES:,} are worked out.", "Take a longer step, or stop sooner."))
    whole = Equations(circuit, overrides)
    if whole.members * len(nodes) * stop / step > MOST_KEPT:
        told = f"{whole.members:,} builds at {stop / step:,.0f} moments are more than fit"
        raise TransientError(Problem(f"{told}: at most {MOST_KEPT:,} voltages in all.", "Take fewer builds, a longer step, or stop sooner."))
    overrides = overrides or {}
    members = max(1, int(MOST_BYTES / (8 * 2 * len(nodes) * (stop / step + 1))))
    if whole.members <= members or signals:
        with np.errstate(over="ignore", invalid="ignore", divide="ignore"):  # a wild step is seen by what it gives
            return _Stepper(whole, step, stop, nodes, tolerances, signals or {}).run()
    courses = []
    for first in range(0, whole.members, members):
        some = {k: v[first : first + members] if isinstance(v, np.ndarray) else v for k, v in overrides.items()}
        courses.append(transient(circuit, step, stop, nodes, some, tolerances))
    voltage = {n: np.concatenate([c.voltage[n] for c in courses]) for n in nodes}
    return Course(courses[0].time, voltage, sum(c.steps for c in courses))


class _State:
    """Where a course is: tables (K, n), kept so that the compiled part can go on from them. ``since`` counts points since the start or the
    last jump: no parabola goes across it. ``ringing`` counts steps in a row that were refused at first."""

    def __init__(self, x: Array, z: Array, step: float) -> None:
        self.numbers = np.array([0.0, step, 1.0, 1.0, 0.0, 0.0])
        self.x, self.z = np.ascontiguousarray(x.T), np.ascontiguousarray(z.T)
        self.slope = np.zeros_like(self.x)
        self.kept, self.times = np.stack([self.x] * 3), np.zeros(3)  # the last points whole, newest last
        self.largest = np.abs(self.x).max(axis=0)

    time, step, stiff, since, ringing, refused = (_number(k) for k in range(6))

    def packed(self) -> tuple[Array, ...]:
        return self.numbers, self.x, self.z, self.slope, self.kept, self.times, self.largest

    def foreseen(self, time: float) -> Array:
        """x (n, K) at ``time`` on the parabola through the last three points."""
        (t3, t2, t1), (x3, x2, x1) = self.times, self.kept
        d12, d23 = (x1 - x2) / (t1 - t2), (x2 - x3) / (t2 - t3)
        curve = (d12 - d23) / (t1 - t3)
        out: Array = x1 + (time - t1) * (d12 + (time - t2) * curve)
        return out.T

    def take(self, x: Array, stored: Array, h: float) -> None:
        """Go on by ``h`` s to x (n, K), which stores ``stored``."""
        rise = (stored.T - self.z) / h
        self.slope[:] = rise if self.stiff else 2.0 * rise - self.slope
        self.time += h
        self.x[:], self.z[:] = x.T, stored.T
        self.kept[:-1] = self.kept[1:].copy()
        self.kept[-1] = self.x
        self.times[:-1] = self.times[1:].copy()
        self.times[-1] = self.time
        np.maximum(self.largest, np.abs(self.x).max(axis=0), out=self.largest)


class _Stepper:
    def __init__(
        self, eq: Equations, step: float, stop: float, nodes: list[str], tolerances: Tolerances,
        signals: Mapping[str, Signal],
    ) -> None:  # fmt: skip
        self.eq, self.step, self.stop, self.tol = eq, step, stop, tolerances
        self.nodes = {name: eq.circuit.node(name) for name in nodes}
        waves = eq.waveforms(step, stop)
        for name, wave in waves.items():
            if name not in signals and (periods := wave.periods()) > MOST_PERIODS:
                said = f"'{name}' goes through {periods:.3g} periods or corners in this time; at most {MOST_PERIODS:,} are followed."
                raise TransientError(Problem(said, "Stop sooner, or make it slower.", ref=name))
        courses: dict[str, Signal] = {**waves, **signals}
        self.courses = [(eq.unit_source(name)[:, None] * eq.strength[name], course) for name, course in courses.items()]
        corners = {t for name, w in waves.items() if name not in signals for t in w.corners()}
        self.corners = [*sorted(t for t in corners if 0 < t < stop), stop]
        self.steady = eq.right_side_without(courses)
        self.largest_step = min(step, stop / 50)
        self.smallest_step = 1e-9 * self.largest_step
        devices = eq.devices
        self.gather = np.zeros((devices.count, len(devices.rows)))  # adds entries up by the branch they belong to
        self.gather[devices.rows, np.arange(len(devices.rows))] = 1.0
        self.floor = np.full((eq.size, 1), tolerances.vntol)
        self.floor[eq.first_branch :] = tolerances.abstol

    def drive(self, time: float) -> Array:
        """(n, 1 or N): what the sources drive at ``time`` s."""
        out = self.steady
        for unit, course in self.courses:
            out = out + unit * course(time)
        return out

    def run(self) -> Course:
        eq = self.eq
        eq.devices.at_time(0.0)
        start = self.start()
        if start.failed:
            raise TransientError(explain(start, start.failed[0]))
        linear, dynamic = eq.linear(), eq.capacitive()
        self.system = system(eq, start.x.shape[1], linear, dynamic)
        at = _State(start.x, self.stored(start.x), self.largest_step / 10)
        self.peak = np.zeros((at.x.shape[0], eq.devices.count))  # the largest current of each branch so far
        picked = [k for k in self.nodes.values() if k >= 0]
        times, taken = [np.zeros(1)], [at.x.T[picked][None]]  # of all points what was asked for
        kernel = eq.kernel
        compiled = None if kernel is None else self.compiled(kernel, linear, dynamic, at.x.shape[0], picked)
        room = max(16, AT_ONCE // at.x.shape[0])
        steps = kept = 0
        while at.time < self.stop * (1 - 1e-12):
            progress.pause(f"at {at.time:.4g} s of {self.stop:.4g} s")
            if steps > MOST_STEPS or kept > 2 * MOST_BYTES:
                raise TransientError(
                    Problem(f"the course is given up at {at.time:.4g} s, after {steps:,} steps.", "Stop sooner, take fewer builds, or look for what swings so fast.")
                )
            if kernel is not None:
                some, what = np.empty(room), np.empty((room, len(picked), at.x.shape[0]))
                why, count = kernel.follow(compiled, (*at.packed(), self.peak), some, what)
                times.append(some[:count].copy())
                taken.append(what[:count].copy())
                steps, kept = steps + count, kept + taken[-1].nbytes
                if why != HELP:
                    continue
            steps += 1
            if self.advance(at):
                times.append(np.array([at.time]))
                taken.append(at.x.T[picked][None].copy())
                kept += taken[-1].nbytes
        return self.course(np.concatenate(times), np.concatenate(taken))

    def compiled(self, kernel: Kernel, linear: list[Array], dynamic: list[Array], members: int, picked: list[int]) -> Any:
        """The same course as the compiled part follows it."""
        tol = self.tol
        rules = Rules(self.floor, tol.reltol, FORETOLD, NEGLIGIBLE, turns=NEWTON_STEPS, gmin=tol.gmin, abstol=tol.abstol, absurd=ABSURD)
        limits = Limits(self.stop, self.largest_step, self.smallest_step, ERROR_SHARE, ERROR_FLOOR, RINGING, MOST_UNPLANNED)
        return kernel.course(Values(linear), Values(dynamic), members, self.courses, self.steady, self.corners, picked, rules, limits)

    def advance(self, at: _State) -> bool:
        """Try one step, and say whether it was taken; a smaller one is next where it was not."""
        t, x = at.time, at.x.T
        corner = next(c for c in self.corners if c > t * (1 + 1e-12) + 1e-18 or c == self.stop)
        h = min(at.step, self.largest_step)
        # Rather two even steps to a corner than one long and one tiny.
        left = corner - t
        h = left if h >= left else (left / 2 if h > left / 2 else h)
        foreseen = at.since > 3 and not at.stiff
        guess = at.foreseen(t + h) if foreseen else x
        jumped = False
        found = self.newton(x, guess, at.z.T, at.slope.T, t + h, h, at.stiff)
        if found is None:
            h /= 8
            if h < self.smallest_step:
                h = self.smallest_step
                found = self.jump(x, at.z.T, at.slope.T, t + h, h)
                jumped = True
            if found is None and h <= self.smallest_step:
                raise TransientError(
                    Problem(f"the course cannot be followed beyond {t:.6g} s.", "Look for a jump without resistance.")
                )
            at.stiff, at.step = True, h
            if found is None:
                return False
            foreseen = False
        new, stored = found
        error = self.error(at, new, guess, t + h) if foreseen else 0.5
        if error > 1 and h > self.smallest_step * 8:
            at.step, at.refused = h * max(0.2, 0.9 * error ** (-1 / 3)), True
            return False
        at.take(new, stored, h)
        # What the trapezoidal rule rings at after a junction has shut is refused step after step; Euler's rule damps it.
        at.ringing, at.refused = (at.ringing + 1 if at.refused else 0), False
        damp = at.ringing >= RINGING
        at.ringing = 0 if damp else at.ringing
        at_corner = abs(at.time - corner) < 1e-12 * self.stop
        at.stiff = at_corner or damp or jumped
        at.since = 1 if jumped else at.since + 1
        if jumped:
            at.step = AFTER_JUMP * self.largest_step
        elif at_corner:
            at.step = min(h, self.largest_step / 10)
        else:
            at.step = h * min(2.0, 0.9 * max(error, 1e-3) ** (-1 / 3))
        return True

    def start(self) -> OperatingPoint:
        """Where the course begins: at rest; with nodes held where ``.ic`` states them; with ``uic`` from stated values alone."""
        eq, netlist = self.eq, self.eq.circuit.netlist
        if not netlist.holds and not netlist.from_stated:
            return solve(eq, self.tol, self.drive(0.0))
        held = Equations(eq.given, eq.overrides, clamps=netlist.holds, stated=netlist.from_stated)
        return solve(held, self.tol, held.add_stated(self.drive(0.0)))

    def stored(self, x: Array) -> Array:
        """(n, N): charge or flux that each equation differentiates."""
        eq = self.eq
        found = eq.devices.evaluate(eq.branch_voltages(x), self.tol.gmin, charges=eq.devices.store)
        return self.system.stored(x, found.charge)

    def jump(self, x: Array, z: Array, slope: Array, time: float, h: float) -> tuple[Array, Array] | None:
        """Where a loop that drives itself goes when the state it was in is no more: nodes are held where they were, ever more loosely,
        while what is stored stays. As :meth:`~nuvlo.circuit.newton.Newton.come_to_rest`, of a moment."""
        eq, usual = self.eq, self.system
        linear, dynamic = eq.linear(), eq.capacitive()
        nodes = [(k, eq.slots[k, k]) for k in range(eq.first_branch) if (k, k) in eq.slots]
        y, hold = x, FIRST_HOLD
        try:
            for _ in range(MOST_TURNS):
                held, extra = list(linear), np.zeros_like(y)
                for k, slot in nodes if hold >= LEAST_HOLD else ():
                    held[slot] = held[slot] + hold
                    extra[k] = hold * y[k]
                self.system = system(eq, x.shape[1], held, dynamic)
                found = self.newton(y, y, z, slope, time, h, True, extra)
                if found is not None and hold < LEAST_HOLD:
                    return found
                hold = hold / HOLD_STEP if found is not None else hold * HOLD_STEP**2
                if hold > MOST_HOLD:
                    return None
                y = found[0] if found is not None else y
        finally:
            self.system = usual
        return None

    def newton(
        self, x: Array, guess: Array, z: Array, slope: Array, time: float, h: float, stiff: bool, extra: Array | float = 0.0
    ) -> tuple[Array, Array] | None:
        """x at ``time`` and what it stores, from a first ``guess`` of x; None where a member does not converge. ``extra`` is driven
        besides."""
        eq, tol = self.eq, self.tol
        rate = (1.0 if stiff else 2.0) / h
        drive = self.drive(time) + rate * z + (0.0 if stiff else 1.0) * slope + extra
        eq.devices.at_time(time)
        self.system.prepare(rate)
        everyone = np.arange(x.shape[1])
        now, old = guess, eq.branch_voltages(guess)
        found = eq.devices.evaluate(old, tol.gmin, charges=eq.devices.store)
        for _ in range(NEWTON_STEPS):
            entries, current = self.at_rate(found, rate)
            new = self.system.solve(entries, current, old, drive)
            if not np.isfinite(new).all():
                return None
            volts = eq.branch_voltages(new)
            limited, held = eq.devices.limited(volts, old)
            after = eq.devices.evaluate(limited, tol.gmin, charges=eq.devices.store)
            if not held.any():
                settled = (np.abs(new - now) <= tol.reltol * np.abs(new) + self.floor).all()
                if settled or self.foretold(
                    current + self.gather @ (entries * (volts - old)[eq.devices.columns]), after, rate
                ):
                    return self.system.mend(new, everyone), self.system.stored(new, after.charge)
            now, old, found = new, limited, after
        return None

    def at_rate(self, found: Evaluation, rate: float) -> tuple[Array, Array]:
        """Conductances (E, N) and currents (B, N) of the devices with what they store, at ``rate`` 1/s."""
        if not self.eq.devices.store:
            return found.conductance, found.current
        return found.conductance + rate * found.capacitance, found.current + rate * found.charge

    def foretold(self, expected: Array, after: Evaluation, rate: float) -> bool:
        """Whether every device carries what its straight line foretold: then no further step would move anything.

        The test of currents of Nagel 1975, 4.2.2, which spares a solution that only confirms the one before.
        """
        current = self.at_rate(after, rate)[1]
        size = np.abs(current)
        good = (np.abs(current - expected) <= FORETOLD * size + NEGLIGIBLE * self.peak.T + self.tol.abstol).all()
        good = good and (size < ABSURD).all()
        if good:  # a guess on the way there may carry any current
            np.maximum(self.peak, size.T, out=self.peak)
        return bool(good)

    def error(self, at: _State, new: Array, foreseen: Array, time: float) -> float:
        """Largest local error over what is allowed, from the distance to the parabola through the last three points.

        For the trapezoidal rule the truncation error is h³x‴/12, and the parabola misses by (h·h₁₂·h₁₃)x‴/6 with the
        distances to the three points behind (the divided-difference form of Nagel 1975, 4.5).
        """
        h = time - at.times[2]
        share = h**2 / (2 * (time - at.times[1]) * (time - at.times[0]))
        nodes = slice(0, self.eq.first_branch)
        off = share * np.abs(new - foreseen)[nodes]
        allowed = ERROR_SHARE * np.maximum(at.largest[:, None], np.abs(new))[nodes] + ERROR_FLOOR
        return float((off / allowed).max())

    def course(self, times: Array, taken: Array) -> Course:
        """Even samples, by monotone cubics between the steps taken: smooth along a wave, no overshoot at a corner."""
        from scipy.interpolate import PchipInterpolator

        later = np.concatenate([[True], np.diff(times) > 0])  # a jump may take less time than a number can hold
        times, taken = times[later], taken[later]
        even = np.linspace(0.0, self.stop, round(self.stop / self.step) + 1)
        rows = {k: row for row, k in enumerate(k for k in self.nodes.values() if k >= 0)}
        out = {}
        for name, k in self.nodes.items():
            volts = taken[:, rows[k]].T if k >= 0 else np.zeros((taken.shape[2], times.size))
            out[name] = PchipInterpolator(times, volts, axis=1)(even)
        return Course(even, out, times.size - 1)
