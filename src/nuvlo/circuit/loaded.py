"""What a voltmeter shows: its own resistance lies across what it measures."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from nuvlo.arrays import Array
from nuvlo.circuit.equations import Equations
from nuvlo.circuit.faults import Bridge
from nuvlo.circuit.operating_point import OperatingPoint, rest_of, solve
from nuvlo.circuit.small_signal import Complex, LinearisedCircuit

METER_OHMS = 10e6  # Ω between the leads of a hand-held digital multimeter on volts (common practice, no source)
BENDS_SHARE, BENDS_V = 0.01, 5e-3  # of a reading, and V, that a meter may pull before the circuit bends under it


def shown(point: OperatingPoint, pairs: Sequence[tuple[str, str]], ohms: float = METER_OHMS) -> Array:
    """(P, N) V that a meter of ``ohms`` shows between each pair of nodes, red and black, one after the other.

    Where it draws little, by the resistance that the circuit shows there (Thévenin's theorem about the operating point); where it
    draws more, the circuit is solved anew with the meter in it. An infinite one draws nothing.
    """
    bare = np.array([point.voltage(*pair) for pair in pairs]).reshape(len(pairs), point.x.shape[1])
    if not pairs or not np.isfinite(ohms):
        return bare
    seen = seen_from(point, pairs).real
    with np.errstate(invalid="ignore", divide="ignore"):
        out: Array = bare * ohms / (ohms + seen)
        pulls = (np.abs(seen) > BENDS_SHARE * ohms) & (np.abs(bare - out) > BENDS_V)
    again = (pulls | ~np.isfinite(out)) & point.converged
    for k, pair in enumerate(pairs):
        some = np.flatnonzero(again[k])
        if some.size:
            out[k, some] = _with_meter(point, pair, ohms, some, np.nan_to_num(out[k, some]))
    return out


def seen_from(point: OperatingPoint, pairs: Sequence[tuple[str, str]], hertz: float = 0.0) -> Complex:
    """(P, N) Ω that the circuit shows at each pair of nodes, about its operating point."""
    eq = point.equations
    nodes = [(eq.circuit.node(red), eq.circuit.node(black)) for red, black in pairs]
    drive = np.zeros((eq.size, len(pairs)))
    for k, pair in enumerate(nodes):
        eq.inject(drive[:, k], pair, 1.0)
    out = np.full((len(pairs), point.x.shape[1]), np.nan, dtype=complex)
    at = np.arange(len(pairs))
    for members, _, x in LinearisedCircuit(point).pieces(np.array([hertz]), drive, [n for pair in nodes for n in pair]):
        across = x[0::2] - x[1::2]
        out[:, members] = across[at, at, :, 0]
    return out


def _with_meter(point: OperatingPoint, pair: tuple[str, str], ohms: float, some: NDArray[np.intp], about: Array) -> Array:
    """(K,) V between two nodes of ``some`` members with the meter there; ``about`` that, where it is not found."""
    eq = point.equations
    overrides: dict[str, float | Array] = {}
    for name, value in eq.overrides.items():
        each = np.asarray(value, float)
        overrides[name] = each[some] if each.ndim and each.size > 1 else value
    key = Bridge(*pair).key
    other = overrides.get(key, np.inf)
    overrides[key] = np.broadcast_to(1.0 / (1.0 / ohms + 1.0 / np.asarray(other, float)), some.size).copy()
    eq = Equations(eq.given, overrides)
    found = solve(eq, point.tolerances, stubborn=False, start=point.x[:, some])
    volts, lost = found.voltage(*pair), np.flatnonzero(~found.converged)
    if lost.size:  # the meter took them far from where they were: as from nothing known
        x, there = rest_of(eq, lost, point.tolerances)
        anew = np.concatenate([x, np.zeros((1, lost.size))])
        red, black = (eq.circuit.node(n) for n in pair)
        volts[lost] = np.where(there, anew[red] - anew[black], about[lost])
    return volts
