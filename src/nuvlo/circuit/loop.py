"""How far a feedback loop stands from oscillating, measured at a link in it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nuvlo.arrays import Array
from nuvlo.circuit.operating_point import OperatingPoint
from nuvlo.circuit.small_signal import Complex, responses


@dataclass(frozen=True)
class Margins:
    """(N,) each: where the loop gain is 1 with the least phase to spare, in Hz; that phase in degrees; and the least
    gain to spare in dB where the phase has run out. NaN where that lies outside the sweep."""

    crossover: Array
    phase_deg: Array
    gain_db: Array


def loop_gain(point: OperatingPoint, link: str, frequency: Array) -> Complex:
    """(N, F) return ratio at ``link``: a voltage source of 0 V in the loop, its first node at the low-impedance end.

    Source: R. D. Middlebrook, "Measurement of loop gain in feedback systems", Int. J. Electronics 38, 1975: voltage
    injection, exact as far as the driving end's impedance is small beside the driven one's.
    """
    names = [point.equations.circuit.nodes[n] for n in point.equations.circuit.element(link).nodes]
    found = responses(point, link, names, frequency)
    out: Complex = -found[names[0]].transfer / found[names[1]].transfer
    return out


def margins(frequency: Array, loop: Complex) -> Margins:
    """How near a loop gain (N, F) over rising frequencies (F,) Hz comes to −1, by straight lines between logarithms.

    Margins are distances: that the closed loop decays at all is told by its :func:`natural frequencies
    <nuvlo.circuit.small_signal.natural_frequencies>`, whatever other loops stand inside this one.
    """
    x = np.log10(frequency)
    size, turned = 20.0 * np.log10(np.abs(loop)), np.degrees(np.unwrap(np.angle(-loop), axis=-1))  # 0° is −1
    crossover, left, gain = np.full((3, len(loop)), np.nan)
    for k, (db, degrees) in enumerate(zip(size, turned, strict=True)):
        at = [_crossing(x, db, n, 0.0) for n in np.flatnonzero((db[:-1] >= 0) != (db[1:] >= 0)).tolist()]
        spare = [abs((np.interp(one, x, degrees) + 180.0) % 360.0 - 180.0) for one in at]
        if at:
            least = int(np.argmin(spare))
            crossover[k], left[k] = 10.0 ** at[least], spare[least]
        turns = np.floor(degrees / 360.0)
        ends = np.flatnonzero(turns[:-1] != turns[1:]).tolist()
        levels = [360.0 * max(turns[n], turns[n + 1]) for n in ends]
        if ends:
            gain[k] = min(
                abs(np.interp(_crossing(x, degrees, n, one), x, db)) for n, one in zip(ends, levels, strict=True)
            )
    return Margins(crossover, left, gain)


def _crossing(x: Array, y: Array, at: int, level: float) -> float:
    """Where the straight line between two samples passes ``level``."""
    return float(x[at] + (level - y[at]) / (y[at + 1] - y[at]) * (x[at + 1] - x[at]))
