"""What the readings of loose parts tell of the meter: its gain error on a range, taken out before a part is judged.

A hand-held meter shows all values of one range too large or too small by one share. Parts of several values, each as likely
above as below what is printed, give it away; so does one reference part. What was known beforehand (the meter's limits) and
what is learnt are weighted by their variances, as in any fit of one unknown.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from nuvlo.kit import Kit
from nuvlo.logbook.build import Build, Reference
from nuvlo.quantity import Measured, format_value
from nuvlo.quantity.uncertainty import (
    COUNTS,
    COVERAGE_FACTOR,
    DIGITS,
    expanded_from_limits,
    mean_of_repeats,
    resolution,
)

TIGHT = 0.0101  # printed tolerances that tell something of a meter of half a per cent
LEAST_PARTS, LEAST_VALUES = 6, 3  # from which the meter is learnt without a reference (common practice, no source)
MEDIAN = math.pi / 2  # variance of a median over that of a mean, for many normal values

Range = tuple[str, float]  # unit, and what the range ends at in it


@dataclass(frozen=True)
class Gain:
    """A meter on one range shows ``ratio`` times the true value; ``doubt`` is that ratio's expanded uncertainty (k = 2)."""

    ratio: float
    doubt: float
    by: str

    @property
    def words(self) -> str:
        """``The meter shows 0.31 % too much on this range, by 14 parts of 6 values: that is taken off.``"""
        off = 100 * (self.ratio - 1)
        if abs(off) < 0.05:
            return f"The meter is right on this range, by {self.by}."
        return f"The meter shows {abs(off):.2g} % too {'much' if off > 0 else 'little'} on this range, by {self.by}: that is taken off."


@dataclass(frozen=True)
class Meter:
    """What was learnt, by range."""

    gains: Mapping[Range, Gain]

    def gain(self, value: float, unit: str) -> Gain | None:
        """What is known of the range that shows ``value``."""
        return self.gains.get(_range(value, unit)) if self.gains and math.isfinite(value) and value else None

    def corrected(self, reading: Measured) -> Measured:
        """``reading`` without the gain error, as far as that is known. One whose own uncertainty is no more than the last
        digits say is left as it is: its meter is better than what other parts could tell of it."""
        known, share = self.gain(reading.value, reading.unit), _gain_share(reading)
        if known is None or share <= known.doubt:
            return reading
        left = reading.uncertainty - (share - known.doubt) * reading.value
        return Measured(reading.value / known.ratio, left, reading.unit)


NOTHING_LEARNT = Meter({})


def learnt(kit: Kit, measured: Mapping[str, Sequence[Measured]], references: Sequence[Reference] = ()) -> Meter:
    """The meter's gain error on every range about which enough is known.

    ``measured`` are the readings of loose parts; those with a printed tolerance of 1 % or better count, unless they are
    clearly another part.
    """
    seen: dict[Range, dict[float, list[float]]] = {}
    shares: dict[Range, float] = {}
    widest: dict[Range, float] = {}
    for ref, readings in measured.items():
        part, reading = kit.find_part(ref), mean_of_repeats(readings)[0]
        if part is None or not part.value or part.tolerance is None or reading is None or not reading.value > 0:
            continue
        low, high = part.tolerance
        at, share = _range(reading.value, reading.unit), _gain_share(reading)
        ratio = reading.value / part.value
        if -low != high or high > TIGHT or share <= 0 or abs(ratio - 1) > high + reading.uncertainty / part.value:
            continue
        seen.setdefault(at, {}).setdefault(part.value, []).append(ratio)
        shares[at] = share
        widest[at] = max(widest.get(at, 0.0), high)
    out: dict[Range, Gain] = {}
    named: dict[Range, list[Reference]] = {}
    for reference in references:
        named.setdefault(_range(reference.shown.value, reference.shown.unit), []).append(reference)
        shares.setdefault(_range(reference.shown.value, reference.shown.unit), _gain_share(reference.shown))
    for at, share in shares.items():
        told = [(1.0, share / COVERAGE_FACTOR)]  # before anything is measured
        by = []
        ratios = seen.get(at, {})
        count = sum(len(r) for r in ratios.values())
        if count >= LEAST_PARTS and len(ratios) >= LEAST_VALUES:
            told.append(_of_parts(ratios, widest[at]))
            by.append(f"{count} parts of {len(ratios)} values")
        for reference in named.get(at, ()):
            digits = _digits(reference.shown) / COVERAGE_FACTOR
            told.append((reference.shown.value / reference.value,
                         math.hypot(reference.tolerance / math.sqrt(3.0), digits / reference.value)))  # fmt: skip
            by.append(f"a reference of {format_value(reference.value, reference.shown.unit)}")
        if by:
            weights = np.array([1.0 / u**2 for _, u in told])
            ratio = float(np.dot(weights, [r for r, _ in told]) / weights.sum())
            out[at] = Gain(ratio, COVERAGE_FACTOR / math.sqrt(weights.sum()), " and ".join(by))
    return Meter(out)


def meter_of(kit: Kit, build: Build) -> Meter:
    """What the readings of a build tell of its meter."""
    measured = {ref: m for ref, m in build.measured.items() if ref not in build.chosen_values}
    return learnt(kit, measured, build.references)


def _of_parts(ratios: Mapping[float, Sequence[float]], tolerance: float) -> tuple[float, float]:
    """Middle of what parts of several values tell, and its standard uncertainty.

    Parts of one value are of one batch, and count as one. How values scatter is taken from their tolerance as if it were two
    more of them, so that three that happen to agree prove little.
    """
    values = np.array([np.median(r) for r in ratios.values()])
    printed = tolerance / math.sqrt(3.0)
    scatter = (2 * printed**2 + (values.size - 1) * float(np.var(values, ddof=1))) / (values.size + 1)
    return float(np.median(values)), math.sqrt(MEDIAN * scatter / values.size)


def _range(value: float, unit: str) -> Range:
    return unit, resolution(value) * COUNTS


def _digits(reading: Measured) -> float:
    """Expanded uncertainty that the last digits of the usual meter leave."""
    return expanded_from_limits(DIGITS * resolution(reading.value))


def _gain_share(reading: Measured) -> float:
    """Expanded uncertainty of a reading, as a fraction of it, but for what its last digits leave."""
    return max(0.0, reading.uncertainty - _digits(reading)) / reading.value if reading.value > 0 else 0.0
