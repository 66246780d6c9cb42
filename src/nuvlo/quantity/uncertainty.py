"""A reading, its uncertainty, and what it says about a window.

Sources: JCGM 100:2008 (rectangular limits: standard uncertainty = half-width / √3, expanded with k = 2) and
JCGM 106:2012, clause 8.3 (guarded acceptance and guarded rejection).
"""

from __future__ import annotations

import math
import statistics
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from nuvlo.quantity.value import format_value

COVERAGE_FACTOR = 2.0
COUNTS = 6000  # that the usual hand-held meter shows
DIGITS = 2.0  # of the last place, by which it may be off beside its percentage (common practice, no source)
OVER_RANGE = "over range"


class Verdict(StrEnum):
    """What a reading says about a window."""

    IN = "in"
    NEAR = "near"  # too close to tell: the reading's own uncertainty straddles an edge
    OUT = "out"
    NOT_TAKEN = "not_taken"
    MISSING = "missing"  # the part itself is not there

    @property
    def words(self) -> str:
        """How it is said."""
        return {
            Verdict.IN: "in window", Verdict.NEAR: "too close to tell", Verdict.OUT: "out of window",
            Verdict.NOT_TAKEN: "not taken", Verdict.MISSING: "missing",
        }[self]  # fmt: skip


def resolution(value: float, counts: int = COUNTS) -> float:
    """Size of the last digit on the range that shows ``value``, where ranges go in decades: 6, 60, 600 … for 6000 counts. Of
    nothing at all it is nothing: the lowest range of a meter sets that, and it differs by unit."""
    if value == 0 or not math.isfinite(value):
        return 0.0
    full = counts / 10.0 ** math.floor(math.log10(counts))
    decade = math.ceil(math.log10(abs(value) / full) - 1e-12)
    return float(full * 10.0**decade / counts)


def expanded_from_limits(half_width: float) -> float:
    """Expanded uncertainty (k = 2) of a reading whose error lies anywhere within ± ``half_width``."""
    return COVERAGE_FACTOR * half_width / math.sqrt(3.0)


def doubt_of_difference(value: float) -> float:
    """Expanded uncertainty, as a fraction, of the difference of two readings near ``value`` by one meter on one range: its gain
    error is in both and cancels, and the rounding of each to the last digit is left (JCGM 100:2008, F.2.2.1)."""
    digit = resolution(value)
    return math.sqrt(2.0) * expanded_from_limits(digit / 2) / abs(value) if value else math.inf


@dataclass(frozen=True, slots=True)
class Measured:
    """A value with its expanded uncertainty (k = 2), both in ``unit``."""

    value: float
    uncertainty: float
    unit: str = ""

    @property
    def over_range(self) -> bool:
        """The display shows no number: at least as much as its highest range, or an open circuit."""
        return math.isinf(self.value)

    def __str__(self) -> str:
        if self.over_range:
            return OVER_RANGE
        return format_value(self.value, self.unit, 4)

    @property
    def standard_uncertainty(self) -> float:
        return self.uncertainty / COVERAGE_FACTOR

    @property
    def limits(self) -> tuple[float, float]:
        """The rectangular limits this uncertainty stands for."""
        half = self.standard_uncertainty * math.sqrt(3.0)
        return self.value - half, self.value + half


def agreeing(readings: Sequence[Measured]) -> list[Measured]:
    """Those readings of one thing that agree with the newest within both uncertainties, itself too."""
    newest = readings[-1]
    return [m for m in readings if m is newest or abs(m.value - newest.value) <= m.uncertainty + newest.uncertainty]


def mean_of_repeats(readings: Sequence[Measured]) -> tuple[Measured | None, float]:
    """Mean of the readings of one thing that agree with the newest, and their standard deviation, both in their unit.

    An earlier one that does not agree was a slip of the clips or of the keys. The meter's limits do
    not average out; only what scatters does (JCGM 100:2008, 4.2 and 4.3.7).
    """
    if not readings:
        return None, 0.0
    newest, those = readings[-1], agreeing(readings)
    if len(those) == 1:
        return newest, 0.0
    values = [m.value for m in those]
    spread = statistics.stdev(values)
    doubt = max(max(m.uncertainty for m in those), COVERAGE_FACTOR * spread / math.sqrt(len(values)))
    return Measured(statistics.fmean(values), doubt, newest.unit), spread


def judge(reading: Measured | None, low: float, high: float) -> Verdict:
    """Guard-banded verdict of ``reading`` on the window [``low``, ``high``].

    In: the reading lies inside the window by at least its expanded uncertainty. Out: it lies outside by at least
    as much. Anything else is too close to tell. (JCGM 106:2012, 8.3.2 and 8.3.3, guard band = U.)
    A reading of infinity (an open circuit) is in when the window's upper edge is open too.
    """
    if reading is None or math.isnan(reading.value):
        return Verdict.NOT_TAKEN
    value, guard = reading.value, reading.uncertainty
    if math.isinf(value):
        return Verdict.IN if math.isinf(high) and value > 0 else Verdict.OUT
    if low + guard <= value <= high - guard:
        return Verdict.IN
    if value < low - guard or value > high + guard:
        return Verdict.OUT
    return Verdict.NEAR


def fits(reading: Measured | None, low: float, high: float) -> Verdict:
    """Verdict of a loose part's ``reading`` on what is printed on it, [``low``, ``high``].

    In: it reads inside, for a part is no safety limit and its maker has measured it already (JCGM 106:2012, 8.2, simple
    acceptance). Near: outside by less than the meter's doubt. Out: beyond that (8.3.3, guarded rejection).
    """
    verdict = judge(reading, low, high)
    return Verdict.IN if reading is not None and low <= reading.value <= high and verdict is Verdict.NEAR else verdict


def distance_in_words(reading: Measured, low: float, high: float) -> str:
    """How far outside the window, as a builder says it: ``0.31 V low``; empty when inside."""
    if low <= reading.value <= high:
        return ""
    if math.isinf(reading.value):
        return "no end to it" if reading.value > 0 else "below all ranges"
    short = low - reading.value if reading.value < low else reading.value - high
    return f"{format_value(short, reading.unit, 2)} {'low' if reading.value < low else 'high'}"
