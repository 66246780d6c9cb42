"""What an ohmmeter, or a capacitance meter, reads between two nodes of a circuit with its supply off.

The meter drives its test current and reads the voltage; where that would pass its compliance it can only hold the
compliance voltage and read the current. Capacitors are charged, junctions included: a reading in circuit is of all
the paths in parallel, not of one part.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from nuvlo.arrays import Array
from nuvlo.circuit.circuit import Circuit, Element, Overrides
from nuvlo.circuit.equations import Equations
from nuvlo.circuit.operating_point import DEFAULT, Tolerances, solve
from nuvlo.circuit.overrides import of_members
from nuvlo.circuit.small_signal import LinearisedCircuit

LEAK = 1e-12  # S from each node to ground: a part of the circuit may float while it is being measured
STIFF = (1.0, 1e3, 1e-2)  # S of the source that holds volts, tried in this order where a solution is lost
FEW_TURNS = 50  # of Newton, where another way is known: who has not converged by then seldom does
AGAIN = (1.0, 1.03, 0.97, 1.1)  # times the current, where a member is lost
FLOATS_V = 1e-5  # to which what floats is found while volts are held across the leads
OPEN_ABOVE = 60e6  # Ω: beyond the highest range of a hand-held meter, so it shows "open"


@dataclass(frozen=True)
class Ohmmeter:
    """Test current in A, compliance in V."""

    test_current: float = 1e-3
    compliance: float = 2.0


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
    meter = meter or Ohmmeter()
    a, b = circuit.node(red), circuit.node(black)
    sources = _taken_out(circuit, overrides) - {k.lower() for k in keep}
    equations = Equations(circuit, overrides, open_sources=sources, leak=LEAK)
    if a == b:
        nothing = np.zeros(equations.members)
        return Resistance(nothing, nothing)
    drive = equations.right_side()
    equations.inject(drive, (a, b), meter.test_current)
    # Driven through gigaohms a junction sees kilovolts and Newton gets lost: such members are past compliance nearly always,
    # and what flows at that, which is always found, tells for certain.
    volts = _across(solve(equations, replace(tolerances, iterations=FEW_TURNS), drive, stubborn=False).x, a, b)
    over = ~(np.abs(volts) <= meter.compliance)
    if not over.any():
        return Resistance(volts / meter.test_current, volts)
    limited, held = _at_compliance(circuit, a, b, meter, overrides, sources, tolerances)
    lost = np.flatnonzero(np.isnan(volts) & ~(limited < meter.test_current))
    # Which members Newton loses hangs on the last digit of the current, which nobody's meter holds to.
    for other in AGAIN:
        if not lost.size:
            break
        some = Equations(circuit, of_members(overrides, lost, equations.members), open_sources=sources, leak=LEAK)
        own = drive if drive.shape[1] == 1 else drive[:, lost]
        volts[lost] = _across(solve(some, tolerances, other * own).x, a, b) / other
        lost = lost[np.isnan(volts[lost])]
    over = ~(np.abs(volts) <= meter.compliance)
    with np.errstate(divide="ignore", over="ignore"):
        ohms = np.where(over, held / np.maximum(limited, 1e-300), volts / meter.test_current)
    ohms[ohms > OPEN_ABOVE] = np.inf
    return Resistance(ohms, np.where(over, meter.compliance, volts))


CURRENTS = 1e-3 * 10.0 ** (-np.arange(9) / 2)  # A at which the volts are looked at, from a meter's test current downwards


def each_resistance(circuit: Circuit, pairs: Sequence[tuple[str, str]], overrides: Overrides) -> Array:
    """(N,) Ω, of member k between the nodes of ``pairs[k]``, all solved at once; infinite where open, NaN where there is no
    solution. As :func:`resistance` reads them with the usual meter, but that the current at its compliance is interpolated
    between some currents."""
    equations = Equations(circuit, overrides, open_sources=_taken_out(circuit, overrides), leak=LEAK)
    ends = np.array([[circuit.node(red), circuit.node(black)] for red, black in pairs])
    unit = np.zeros((equations.size + 1, len(pairs)))  # the last row is ground
    every = np.arange(len(pairs))
    np.add.at(unit, (ends[:, 0], every), 1.0)
    np.add.at(unit, (ends[:, 1], every), -1.0)
    out, before, limit = np.full(len(pairs), np.nan), np.full(len(pairs), np.nan), Ohmmeter.compliance
    for k, amps in enumerate(CURRENTS):
        x = solve(equations, drive=amps * unit[:-1], stubborn=k == len(CURRENTS) - 1).x
        full = np.concatenate([x, np.zeros((1, len(pairs)))])
        volts = np.abs(full[ends[:, 0], every] - full[ends[:, 1], every])
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


def capacitance(circuit: Circuit, red: str, black: str, hertz: float, overrides: Overrides | None = None) -> Array:
    """(N,) F between ``red`` and ``black``, in parallel with what leaks, at ``hertz`` and next to no volts: Im(Y)/2πf, all
    independent sources taken out (open). Negative where a coil outweighs it."""
    a, b = circuit.node(red), circuit.node(black)
    equations = Equations(circuit, overrides, open_sources=_taken_out(circuit, overrides), leak=LEAK)
    still = solve(equations, drive=np.zeros((equations.size, 1)))
    drive = np.zeros((equations.size, 1))
    equations.inject(drive, (a, b), 1.0)
    found = LinearisedCircuit(still).solve(np.array([hertz]), drive, (a, b))[:, 0, :, 0]
    out: Array = (1.0 / (found[0] - found[1])).imag / (2.0 * np.pi * hertz)
    return out


def _taken_out(circuit: Circuit, overrides: Overrides | None) -> frozenset[str]:
    return frozenset(e.name for e in circuit.elements if e.kind in "vi" and not _senses(circuit, e, overrides))


def _senses(circuit: Circuit, element: Element, overrides: Overrides | None) -> bool:
    """Whether a source is but the ammeter of a model."""
    within = element.kind == "v" and "." in element.name
    return within and not np.any(np.asarray(circuit.parameter(element, "dc", overrides or {}), float))


def _across(x: Array, a: int, b: int) -> Array:
    return (x[a] if a >= 0 else 0.0) - (x[b] if b >= 0 else np.zeros(x.shape[1]))


def _at_compliance(
    circuit: Circuit, a: int, b: int, meter: Ohmmeter, overrides: Overrides | None, sources: frozenset[str],
    tolerances: Tolerances,
) -> tuple[Array, Array]:  # fmt: skip
    """Current in A with the compliance voltage held across the leads, by a stiff Norton source, and the volts there: a little
    less, but a stiffer source would drown in its rounding what holds a part that floats."""
    members = max((np.size(value) for value in (overrides or {}).values()), default=1)
    amps, held = np.full(members, np.nan), np.full(members, np.nan)
    for k, stiff in enumerate(STIFF):
        lost = np.flatnonzero(np.isnan(held))
        equations = Equations(circuit, of_members(overrides, lost, members), open_sources=sources, leak=LEAK)
        equations.conductors.append((a, b, np.array([stiff])))
        equations.lay_out()
        drive = equations.right_side()
        equations.inject(drive, (a, b), stiff * meter.compliance)
        # Rounding of that source's amperes moves what only a leak and a junction at rest tie down by some microvolts.
        last = k == len(STIFF) - 1
        fine = replace(tolerances, vntol=max(tolerances.vntol, FLOATS_V), iterations=tolerances.iterations if last else FEW_TURNS)
        volts = _across(solve(equations, fine, drive, stubborn=last).x, a, b)
        # No unit without sources shows more than what is held across it, nor gives anything back: that is no solution.
        sane = (np.abs(volts) <= meter.compliance * (1 + FLOATS_V)) & (volts >= 0)
        amps[lost[sane]], held[lost[sane]] = stiff * (meter.compliance - volts[sane]), volts[sane]
        if sane.all():
            break
    return amps, held
