"""How far a feedback loop stands from oscillating, measured at a link in it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nuvlo.circuit.circuit import Array
from nuvlo.circuit.operating_point import OperatingPoint
from nuvlo.circuit.small_signal import Complex, responses


@dataclass(frozen=True)
class Margins:
    """(N,) each: where the loop gain is 1 in Hz, the phase left there in degrees, the gain left in dB where the phase
    has run out; NaN where that lies outside the sweep."""

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
    """Margins of a loop gain (N, F) over rising frequencies (F,) Hz, by straight lines between logarithms."""
    size, phase = 20.0 * np.log10(np.abs(loop)), np.degrees(np.unwrap(np.angle(loop), axis=-1))
    # Phase starts from the sign of the loop at its strongest, where feedback is negative.
    top = np.argmax(size, axis=-1)
    phase = phase - 360.0 * np.round(np.take_along_axis(phase, top[:, None], -1) / 360.0)
    x = np.log10(frequency)
    crossover, left, gain = np.full((3, len(loop)), np.nan)
    for k, (db, degrees, start) in enumerate(zip(size, phase, top, strict=True)):
        falls = np.flatnonzero((db[start:-1] >= 0) & (db[start + 1 :] < 0)) + start
        if falls.size:
            at = _crossing(x, db, falls[-1], 0.0)
            crossover[k], left[k] = 10.0**at, 180.0 + np.interp(at, x, degrees)
        ends = np.flatnonzero((degrees[start:-1] > -180) & (degrees[start + 1 :] <= -180)) + start
        if ends.size:
            gain[k] = -np.interp(_crossing(x, degrees, ends[0], -180.0), x, db)
    return Margins(crossover, left, gain)


def _crossing(x: Array, y: Array, at: int, level: float) -> float:
    """Where the straight line between two samples passes ``level``."""
    return float(x[at] + (level - y[at]) / (y[at + 1] - y[at]) * (x[at + 1] - x[at]))
