"""What an ohmmeter, or a capacitance meter, reads between two nodes of a circuit with its supply off.

The meter drives its test current and reads the voltage; where that would pass its compliance it can only hold the
compliance voltage and read the current. Capacitors are charged, junctions included: a reading in circuit is of all
the paths in parallel, not of one part.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from nuvlo.arrays import Array
from nuvlo.circuit.circuit import Circuit, Element, Overrides
from nuvlo.circuit.equations import Equations
from nuvlo.circuit.operating_point import DEFAULT, OperatingPoint, Tolerances, rest_of, solve
from nuvlo.circuit.small_signal import LinearisedCircuit

LEAK = 1e-12  # S from each node to ground: a part of the circuit may float while it is being measured
STIFF = (1.0, 1e3, 1e-2)  # S of the source that holds volts, tried in this order where a solution is lost
FEW_TURNS = 50  # of Newton, where another way is known: who has not converged by then seldom does
AGAIN = (1.005, 0.995)  # times the current, where a member is lost
HELD_TURNS, HELD_S, NEAR_ENOUGH = 24, 1.0, 1e-4  # steps towards the volts at which the test current flows, with what they are held, and to what share of it
TINY = 1e-9  # of a branch that nothing lies beside, by which it falls short of being all there is
STRAIGHT = 1e-3  # of the test current, by which what junctions let through may differ from a straight line
FLOATS_V = 1e-5  # to which what floats is found while volts are held across the leads
OPEN_ABOVE = 60e6  # Ω: beyond the highest range of a hand-held meter, so it shows "open"


@dataclass(frozen=True)
class Ohmmeter:
    """Test current in A, compliance in V."""

    test_current: float = 1e-3
    compliance: float = 2.0


# Many a meter gives less than a junction needs on its ohms ranges, so that it does not see what lies behind one; on a high range any of them drives
# some microamperes only, or lays next to no volts across a leak; one with two fresh cells behind its leads gives all of 3.2 V (common practice, no source).
STRONG, GENTLE, FAINT, SLIGHT = Ohmmeter(compliance=3.2), Ohmmeter(0.1e-3, 0.4), Ohmmeter(test_current=10e-6), Ohmmeter(1e-6, 0.05)


@dataclass(frozen=True)
class Resistance:
    """``ohms`` (N,), infinite where open; ``volts`` (N,) across the leads."""

    ohms: Array
    volts: Array


def resistance(
    circuit: Circuit, red: str, black: str, meter: Ohmmeter | None = None, overrides: Overrides | None = None,
    keep: tuple[str, ...] = (), tolerances: Tolerances = DEFAULT,
) -> Resistance:  # fmt: skip
    """Resistance between ``red`` and ``black``, all independent sources but ``keep`` taken out (open).

    A source of 0 V within a subcircuit is no source: it carries the current that a model senses, and stays.
    """
    return Unpowered(circuit, overrides, keep, tolerances).between(red, black, meter)


class Unpowered:
    """A circuit with its sources taken out, to be measured between any of its nodes. As :func:`resistance`, for many pairs of nodes."""

    def __init__(self, circuit: Circuit, overrides: Overrides | None = None, keep: tuple[str, ...] = (), tolerances: Tolerances = DEFAULT) -> None:
        self.circuit, self.overrides, self.tolerances = circuit, overrides, tolerances
        self.kept = bool(keep)
        self.sources = _taken_out(circuit, overrides) - {k.lower() for k in keep}
        self.members = max((np.size(value) for value in (overrides or {}).values()), default=1)
        self.ready: dict[tuple[int, int], Array] = {}

    def get_ready(self, pairs: Sequence[tuple[str, str]]) -> None:
        """Find at once how all stands while next to nothing is driven between each of many ``pairs``: what :meth:`between` asks first."""
        ends = [(self.circuit.node(red), self.circuit.node(black)) for red, black in pairs]
        x = self._driven_gently(ends)
        self.ready = {pair: x[:, k] for k, pair in enumerate(ends)}

    def _driven_gently(self, ends: Sequence[tuple[int, int]]) -> Array:
        """(n, pairs, N) V for each ampere, as if all were straight from where it rests."""
        unit = np.zeros((self._still.point.equations.size, len(ends)))
        for k, pair in enumerate(ends):
            self._still.point.equations.inject(unit[:, k], pair, 1.0)
        return self._still.solve(np.zeros(1), unit)[..., 0].real

    @cached_property
    def equations(self) -> Equations:
        return Equations(self.circuit, self.overrides, open_sources=self.sources, leak=LEAK)

    def between(self, red: str, black: str, meter: Ohmmeter | None = None) -> Resistance:
        """Resistance between ``red`` and ``black``."""
        meter = meter or Ohmmeter()
        ends = self.circuit.node(red), self.circuit.node(black)
        if ends[0] == ends[1]:
            return Resistance(np.zeros(self.members), np.zeros(self.members))
        # Driven through gigaohms a junction sees kilovolts and Newton gets lost: such members are past compliance nearly always,
        # and what flows at that, which is always found, tells for certain. Whether it is asked first is for the first member to say.
        straight = self._straight(ends, meter)
        every, few = np.flatnonzero(np.isnan(straight)), replace(self.tolerances, iterations=FEW_TURNS)
        if not every.size:
            return _shown(straight, np.minimum(straight * meter.test_current, meter.compliance))
        volts, limited, held = (np.full(self.members, np.nan) for _ in range(3))
        if every.size > 1 and not abs(self._driven(ends, every[:1], meter, few, stubborn=False)[0]) <= meter.compliance:
            limited[every], held[every] = self._at_compliance(ends, every, meter)
            rest = every[~(limited[every] < meter.test_current)]
            volts[rest] = self._driven(ends, rest, meter, few, stubborn=False)
            lost = rest[np.isnan(volts[rest])]
        else:
            volts[every] = self._driven(ends, every, meter, few, stubborn=False)
            rest = every[~(np.abs(volts[every]) <= meter.compliance)]
            limited[rest], held[rest] = self._at_compliance(ends, rest, meter)
            lost = rest[np.isnan(volts[rest]) & ~(limited[rest] < meter.test_current)]
        # Which members Newton loses hangs on the last digit of the current, which nobody's meter holds to.
        for times in AGAIN:
            volts[lost] = self._driven(ends, lost, meter, few, times, stubborn=False)
            lost = lost[np.isnan(volts[lost])]
        volts[lost] = self._held(ends, lost, meter)
        lost = lost[np.isnan(volts[lost])]
        volts[lost] = self._driven(ends, lost, meter, self.tolerances, stubborn=True)
        over = ~(np.abs(volts) <= meter.compliance)
        with np.errstate(divide="ignore", over="ignore"):
            ohms = np.where(over, held / np.maximum(limited, 1e-300), volts / meter.test_current)
        bent = np.isnan(straight)
        volts = np.where(bent, np.where(over, meter.compliance, volts), np.minimum(straight * meter.test_current, meter.compliance))
        return _shown(np.where(bent, ohms, straight), volts)

    def _straight(self, ends: tuple[int, int], meter: Ohmmeter) -> Array:
        """Ω of members in which the meter finds but what is there at rest: no junction lets through what it would not at a few microvolts. NaN of
        the others."""
        if self.kept:
            return np.full(self.members, np.nan)
        point, equations = self._still.point, self._still.point.equations
        x = self.ready[ends] if ends in self.ready else self._driven_gently([ends])[:, 0]
        ohms = _across(x, *ends)
        with np.errstate(all="ignore"):
            amps = np.minimum(meter.test_current, meter.compliance / ohms)
            more = equations.branch_voltages(amps * x)
            found = equations.devices.evaluate(equations.branch_voltages(point.x) + more, self.tolerances.gmin, charges=False).current
            line = point.evaluation.current.copy()
            np.add.at(line, equations.devices.rows, point.evaluation.conductance * more[equations.devices.columns])
            bent = np.abs(found - line).max(axis=0, initial=0.0)
        out: Array = np.where((ohms >= 0) & (bent <= STRAIGHT * amps), ohms, np.nan)
        return out

    @cached_property
    def _still(self) -> LinearisedCircuit:
        """All at rest, with nothing driven."""
        return LinearisedCircuit(solve(self.equations, self.tolerances, np.zeros((self.equations.size, 1))))

    def bridged(self, red: str, black: str, hertz: float) -> Array:
        """(N,) F, as :func:`capacitance`."""
        a, b = self.circuit.node(red), self.circuit.node(black)
        equations = self._still.point.equations
        drive = np.zeros((equations.size, 1))
        equations.inject(drive, (a, b), 1.0)
        found = self._still.solve(np.array([hertz]), drive, (a, b))[:, 0, :, 0]
        out: Array = (1.0 / (found[0] - found[1])).imag / (2.0 * np.pi * hertz)
        return out

    def _driven(self, ends: tuple[int, int], some: NDArray[np.intp], meter: Ohmmeter, limits: Tolerances, times: float = 1.0, *, stubborn: bool) -> Array:
        """Volts of ``some`` members at so many times the test current, over that; NaN of those that are lost."""
        if not some.size:
            return np.zeros(0)
        drive = np.zeros((self.equations.size, 1)) + self.equations.right_side()
        self.equations.inject(drive, ends, times * meter.test_current)
        return _across(rest_of(self.equations, some, limits, drive, stubborn=stubborn)[0], *ends) / times

    def _held(self, ends: tuple[int, int], some: NDArray[np.intp], meter: Ohmmeter) -> Array:
        """Volts of ``some`` members at the test current, found by holding volts until it flows: what is held is found where what is driven is not.
        By regula falsi with the end that stays halved (M. Dowell, P. Jarratt, "A modified regula falsi method", BIT 11, 1971)."""
        out = np.full(some.size, np.nan)
        if not some.size:
            return out
        equations = self.equations.tied(*ends, HELD_S)
        low, high = np.zeros(some.size), np.full(some.size, meter.compliance)
        below, above = np.full(some.size, -meter.test_current), np.full(some.size, np.nan)
        side, start, going = np.zeros(some.size), None, np.ones(some.size, dtype=bool)
        for turn in range(HELD_TURNS):
            asked = high if turn == 0 else np.where(np.isnan(above), high, low - below * (high - low) / (above - below))
            drive = np.zeros((equations.size, self.members)) + equations.right_side()
            every = np.zeros(self.members)
            every[some] = HELD_S * asked
            equations.inject(drive, ends, every)
            start, _ = rest_of(equations, some, replace(self.tolerances, iterations=FEW_TURNS), drive, stubborn=False, start=start)
            volts = _across(start, *ends)
            more = HELD_S * (asked - volts) - meter.test_current
            there = going & (np.abs(more) <= NEAR_ENOUGH * meter.test_current)
            out[there] = volts[there]
            going &= ~(there | np.isnan(more)) & (above > 0 if turn else True)
            if not going.any():
                break
            up, down = going & (more > 0), going & (more <= 0)
            below[up & (side > 0)] /= 2
            above[down & (side < 0)] /= 2
            high[up], above[up], low[down], below[down] = asked[up], more[up], asked[down], more[down]
            side[up], side[down] = 1, -1
        return out

    def _at_compliance(self, ends: tuple[int, int], some: NDArray[np.intp], meter: Ohmmeter) -> tuple[Array, Array]:
        """Current in A of ``some`` members with the compliance voltage held across the leads, by a stiff Norton source, and the volts there: a little
        less, but a stiffer source would drown in its rounding what holds a part that floats."""
        amps, held = np.full(some.size, np.nan), np.full(some.size, np.nan)
        for k, stiff in enumerate(STIFF):
            lost = np.flatnonzero(np.isnan(held))
            if not lost.size:
                break
            equations = self.equations.tied(*ends, stiff)
            drive = np.zeros((equations.size, 1)) + equations.right_side()
            equations.inject(drive, ends, stiff * meter.compliance)
            # Rounding of that source's amperes moves what only a leak and a junction at rest tie down by some microvolts.
            last = k == len(STIFF) - 1
            turns = self.tolerances.iterations if last else FEW_TURNS
            fine = replace(self.tolerances, vntol=max(self.tolerances.vntol, FLOATS_V), iterations=turns)
            volts = _across(rest_of(equations, some[lost], fine, drive, stubborn=last)[0], *ends)
            # No unit without sources shows more than what is held across it, nor gives anything back: that is no solution.
            sane = (np.abs(volts) <= meter.compliance * (1 + FLOATS_V)) & (volts >= 0)
            amps[lost[sane]], held[lost[sane]] = stiff * (meter.compliance - volts[sane]), volts[sane]
        return amps, held


def _shown(ohms: Array, volts: Array) -> Resistance:
    """What the display shows."""
    return Resistance(np.where(ohms > OPEN_ABOVE, np.inf, ohms), volts)


CURRENTS = 1e-3 * 10.0 ** (-np.arange(9) / 2)  # A at which the volts are looked at, from a meter's test current downwards


def each_resistance(circuit: Circuit, pairs: Sequence[tuple[str, str]], overrides: Overrides) -> Array:
    """(N,) Ω, of member k between the nodes of ``pairs[k]``, all solved at once; infinite where open, NaN where there is no
    solution. As :func:`resistance` reads them with the usual meter, but that the current at its compliance is interpolated
    between some currents."""
    equations, ends, unit = _between_each(circuit, pairs, overrides)
    out, before, limit = np.full(len(pairs), np.nan), np.full(len(pairs), np.nan), Ohmmeter.compliance
    for k, amps in enumerate(CURRENTS):
        x = solve(equations, drive=amps * unit, stubborn=k == len(CURRENTS) - 1).x
        volts = np.abs(_across_each(x, ends))
        fits = np.isnan(out) & (volts <= limit)
        with np.errstate(all="ignore"):
            at_limit = amps + (CURRENTS[k - 1] - amps) * (limit - volts) / (before - volts)
        held = np.where((k > 0) & np.isfinite(at_limit), limit / at_limit, volts / amps)
        out[fits] = held[fits]
        before = volts
        if not np.isnan(out).any():
            break
    out[np.isnan(out) & ~np.isnan(before)] = np.inf
    out[out > OPEN_ABOVE] = np.inf
    return out


@dataclass(frozen=True)
class Driven:
    """What a meter does between some pairs of nodes of one unit: ``amps`` (P,) that it drives, NaN where nothing flows, at ``volts`` (P,) between
    its ``ends`` (P, 2), and how all else stands then, of every pair a member."""

    amps: Array
    volts: Array
    ends: NDArray[np.int_]
    point: OperatingPoint

    def changes(self, bridges: Sequence[tuple[int, int]]) -> tuple[Array, Callable[[str, float], Array | None]]:
        """By what share of itself each reading changes, (bridges, P) where two nodes touch; and a function of an element, or a block, and of
        how many times its siemens become, (P,), None where it lets nothing through. As if all were straight: where a branch of g S lets i A through, the
        rest is seen from it as R and it from the meter by Rₜ, another of g′ shifts the meter's volts by −Rₜ(i/g)(g′ − g)/(1 + (g′ − g)R) (J. Sherman,
        W. J. Morrison, "Adjustment of an inverse matrix corresponding to a change in one element of a given matrix", Ann. Math. Stat. 21, 1950)."""
        eq, point = self.point.equations, self.point
        full = np.concatenate([point.x, np.zeros((1, point.x.shape[1]))])
        names, nodes, amps, siemens = [], list(bridges), [], []
        for name, entry in eq.resistor_entry.items():
            a, b, g = eq.conductors[entry]
            names.append(name)
            nodes.append((a, b))
            amps.append((full[a] - full[b]) * g)
            siemens.append(np.broadcast_to(g, full[a].shape))
        across = {int(row): entry for entry, (row, column) in enumerate(zip(eq.devices.rows, eq.devices.columns, strict=True)) if row == column}
        for name, (first, last) in eq.devices.spans_by_name().items():
            for branch in (k for k in range(first, last) if k in across):  # what a formula gives hangs on others
                names.append(name)
                nodes.append(eq.devices.pairs[branch])
                amps.append(point.evaluation.current[branch])
                siemens.append(point.evaluation.conductance[across[branch]])
        seen, transfer = self._seen_from(nodes)
        held, many = np.array([full[a] - full[b] for a, b in bridges]).reshape(-1, self.volts.size), len(bridges)
        touching: Array = -transfer[:many] * held / seen[:many] / self.volts
        of_part: dict[str, list[int]] = {}
        for k, name in enumerate(names):
            of_part.setdefault(name.partition(".")[0], []).append(k)

        def changed(part: str, times: float) -> Array | None:
            rows = of_part.get(part)
            if rows is None:
                return None
            i, g = np.array([amps[k] for k in rows]), np.array([siemens[k] for k in rows])
            at = many + np.array(rows)
            shift = -transfer[at] * i * (times - 1.0) / (1.0 + (times - 1.0) * np.minimum(g * seen[at], 1.0 - TINY))
            out: Array = np.abs(np.nan_to_num(shift)).max(axis=0) / np.abs(self.volts)
            return out

        return touching, changed

    def _seen_from(self, nodes: Sequence[tuple[int, int]]) -> tuple[Array, Array]:
        """(K, P) Ω that are seen from each of some pairs of ``nodes``, and V at the meter for each ampere there."""
        unit = np.zeros((self.point.equations.size, len(nodes)))
        for k, pair in enumerate(nodes):
            self.point.equations.inject(unit[:, k], pair, 1.0)
        seen, transfer = np.empty((len(nodes), self.volts.size)), np.empty((len(nodes), self.volts.size))
        for members, _, x in LinearisedCircuit(self.point).pieces(np.zeros(1), unit):
            full = np.concatenate([x[..., 0].real, np.zeros((1, *x.shape[1:3]))])
            every = np.arange(len(nodes))
            a, b = np.array(nodes).T
            seen[:, members] = full[a, every] - full[b, every]
            red, black = self.ends[members].T
            some = np.arange(red.size)
            transfer[:, members] = (full[red, :, some] - full[black, :, some]).T
        return seen, transfer


def driven_each(circuit: Circuit, pairs: Sequence[tuple[str, str]]) -> Driven:
    """A meter between all ``pairs`` of nodes of one unit, each at the largest of some currents that keeps within its compliance."""
    equations, ends, unit = _between_each(circuit, pairs, None)
    x, amps, volts = np.full((equations.size, len(pairs)), np.nan), np.full(len(pairs), np.nan), np.full(len(pairs), np.nan)
    for current in CURRENTS:
        left = np.flatnonzero(np.isnan(amps))
        if not left.size:
            break
        found = solve(equations, drive=current * unit[:, left], stubborn=False).x
        shown = _across_each(found, ends[left])
        fits = np.abs(shown) <= Ohmmeter.compliance
        x[:, left[fits]], amps[left[fits]], volts[left[fits]] = found[:, fits], current, shown[fits]
    return Driven(amps, volts, ends, OperatingPoint(equations, x, np.isfinite(amps), DEFAULT))


def _between_each(circuit: Circuit, pairs: Sequence[tuple[str, str]], overrides: Overrides | None) -> tuple[Equations, NDArray[np.int_], Array]:
    """The equations without sources, both nodes (P, 2) of each pair, and what one ampere drives between them (n, P)."""
    equations = Equations(circuit, overrides, open_sources=_taken_out(circuit, overrides), leak=LEAK)
    ends = np.array([[circuit.node(red), circuit.node(black)] for red, black in pairs])
    unit = np.zeros((equations.size + 1, len(pairs)))  # the last row is ground
    every = np.arange(len(pairs))
    np.add.at(unit, (ends[:, 0], every), 1.0)
    np.add.at(unit, (ends[:, 1], every), -1.0)
    return equations, ends, unit[:-1]


def _across_each(x: Array, ends: NDArray[np.int_]) -> Array:
    """(P,) V of each member of x (n, P) between its own nodes (P, 2)."""
    full, every = np.concatenate([x, np.zeros((1, x.shape[1]))]), np.arange(x.shape[1])
    out: Array = full[ends[:, 0], every] - full[ends[:, 1], every]
    return out


def capacitance(circuit: Circuit, red: str, black: str, hertz: float, overrides: Overrides | None = None) -> Array:
    """(N,) F between ``red`` and ``black``, in parallel with what leaks, at ``hertz`` and next to no volts: Im(Y)/2πf, all
    independent sources taken out (open). Negative where a coil outweighs it."""
    return Unpowered(circuit, overrides).bridged(red, black, hertz)


def _taken_out(circuit: Circuit, overrides: Overrides | None) -> frozenset[str]:
    return frozenset(e.name for e in circuit.elements if e.kind in "vi" and not _senses(circuit, e, overrides))


def _senses(circuit: Circuit, element: Element, overrides: Overrides | None) -> bool:
    """Whether a source is but the ammeter of a model."""
    within = element.kind == "v" and "." in element.name
    return within and not np.any(np.asarray(circuit.parameter(element, "dc", overrides or {}), float))


def _across(x: Array, a: int, b: int) -> Array:
    return (x[a] if a >= 0 else 0.0) - (x[b] if b >= 0 else np.zeros(x.shape[1]))
