"""What a source does over time: SIN, PULSE, PWL, EXP, SFFM and AM (ngspice 39 manual, chapter 4.1)."""

from __future__ import annotations

import math
from bisect import bisect_left
from collections.abc import Sequence

import numpy as np

from nuvlo.circuit.expression import Expression, constant, joined

KINDS = {"sin": (2, 6), "pulse": (2, 7), "pwl": (2, 1_000_000), "exp": (2, 6), "sffm": (2, 7), "am": (3, 7)}  # fewest and most values


def at_rest(kind: str, values: Sequence[Expression]) -> Expression:
    """What a source with this course gives at its start."""
    if kind == "pwl":
        return values[1]
    if kind == "sin" and len(values) > 5:
        phase = joined("sin", joined("*", values[5], constant(math.pi / 180)))
        return joined("+", values[0], joined("*", values[1], phase))
    if kind == "am":
        return constant(0.0)
    return values[0]


class Waveform:
    """One source's course. ``values`` as in the netlist, left-out ones filled in by SPICE's defaults."""

    def __init__(self, kind: str, values: Sequence[float], step: float = 1e-9, stop: float = 1.0) -> None:
        self.kind, self.stop = kind, stop
        v = list(values)
        if kind == "sin":
            defaults = [0.0, 0.0, 1.0 / stop, 0.0, 0.0, 0.0]
        elif kind == "pulse":
            defaults = [0.0, 0.0, 0.0, step, step, stop, math.inf]
        elif kind == "sffm":
            defaults = [0.0, 0.0, 1.0 / stop, 0.0, 1.0 / stop, 0.0, 0.0]
        elif kind == "am":
            defaults = [0.0, 0.0, 1.0 / stop, 0.0, 0.0, 0.0, 0.0]
        elif kind == "exp":
            defaults = [0.0, 0.0, 0.0, step, (v[2] if len(v) > 2 else 0.0) + step, step]
        else:
            defaults = []
        self.v = v + defaults[len(v) :]
        if kind == "pwl":
            self._times, self._levels = np.array(self.v[0::2]), np.array(self.v[1::2])
        if kind == "pulse":  # edges of no length would be jumps
            self.v[3], self.v[4] = self.v[3] or step, self.v[4] or step
            # What is nothing is left out, as SPICE has it: it stays up to the end, and comes once.
            self.v[5], self.v[6] = self.v[5] or stop, self.v[6] or math.inf

    def __call__(self, t: float) -> float:
        """Value at ``t`` s."""
        v = self.v
        if self.kind == "sin":
            late = t - v[3]
            phase = math.radians(v[5])
            if late < 0:
                return v[0] + v[1] * math.sin(phase)
            return v[0] + v[1] * math.sin(2 * math.pi * v[2] * late + phase) * math.exp(-late * v[4])
        if self.kind == "pulse":
            late = t - v[2]
            if late < 0:
                return v[0]
            late = late % v[6] if math.isfinite(v[6]) else late
            return float(np.interp(late, np.cumsum([0.0, v[3], v[5], v[4]]), [v[0], v[1], v[1], v[0]]))
        if self.kind == "sffm":
            swing = v[3] * math.sin(2 * math.pi * v[4] * t + math.radians(v[6]))
            return v[0] + v[1] * math.sin(2 * math.pi * v[2] * t + math.radians(v[5]) + swing)
        if self.kind == "am":  # amplitude, offset, modulating frequency, carrier, delay
            late = t - v[4]
            if late < 0:
                return 0.0
            return v[0] * (v[1] + math.sin(2 * math.pi * v[2] * late)) * math.sin(2 * math.pi * v[3] * late)
        if self.kind == "pwl":
            return float(np.interp(t, self._times, self._levels))
        rise = 1 - math.exp(-(t - v[2]) / v[3]) if t > v[2] else 0.0
        fall = 1 - math.exp(-(t - v[4]) / v[5]) if t > v[4] else 0.0
        return v[0] + (v[1] - v[0]) * (rise - fall)

    def periods(self) -> float:
        """How often it swings up to its ``stop``, or how many corners it has: what makes a course long."""
        v = self.v
        if self.kind == "pulse":
            return self.stop / v[6] if math.isfinite(v[6]) else 1.0
        if self.kind == "pwl":
            return float(bisect_left(v[0::2], self.stop))
        hertz = {"sin": lambda: abs(v[2]), "sffm": lambda: abs(v[2]) + abs(v[3] * v[4]), "am": lambda: abs(v[2]) + abs(v[3])}
        return hertz[self.kind]() * self.stop if self.kind in hertz else 1.0

    def corners(self) -> list[float]:
        """Times at which the course has a corner: a step of the solution should end there."""
        v = self.v
        if self.kind == "pulse":
            one = v[2] + np.cumsum([0.0, v[3], v[5], v[4]])
            periods = np.arange(0.0, self.stop, v[6]) if math.isfinite(v[6]) else np.zeros(1)
            return [float(t + p) for p in periods for t in one]
        if self.kind == "pwl":
            return list(v[0::2])
        if self.kind in ("sffm", "am"):
            return [v[4]] if self.kind == "am" else []
        return [v[2], v[4]] if self.kind == "exp" else [v[3]]
