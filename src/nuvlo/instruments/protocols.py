"""What instruments are known by: the limits of a meter, what comes back from an audio interface, what one cannot tell."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

from nuvlo.arrays import Array
from nuvlo.circuit.loaded import METER_OHMS
from nuvlo.circuit.ohms import Ohmmeter
from nuvlo.problems import NuvloError
from nuvlo.quantity import Measured
from nuvlo.quantity.uncertainty import COUNTS, DIGITS, expanded_from_limits, resolution

GAIN_DB = 0.2  # two volt readings of about 1 % each (common practice, no source)


class InstrumentError(NuvloError):
    """The instrument cannot answer; says why and what to do."""


@dataclass(frozen=True)
class MeterSpec:
    """Limits of a hand-held meter: ± (``percent`` % + ``digits`` of the last place), ``counts`` per range.

    Ranges autoswitch in decades: 6, 60, 600 … of the unit for 6000 counts.
    """

    name: str = "6000-count meter"
    counts: int = COUNTS
    percent: float = 0.5
    digits: float = DIGITS
    capacitance_percent: float = 2.0
    lead_ohms: float = 0.2
    volts_ohms: float = METER_OHMS  # between its leads on volts
    ohmmeter: Ohmmeter = field(default_factory=Ohmmeter)

    def resolution(self, value: float) -> float:
        """Size of the last digit on the range that shows ``value``."""
        return resolution(value, self.counts)

    def limits(self, value: float, unit: str) -> float:
        """Half-width of the rectangular limits of a reading; of a gain worked out from two of them, ``GAIN_DB``."""
        if unit == "dB":
            return GAIN_DB
        percent = self.capacitance_percent if unit == "F" else self.percent
        # No hand-held meter resolves below these.
        floor = {"V": 1e-4, "Ω": 0.1, "A": 1e-6, "F": 1e-11}.get(unit, 0.0)
        return abs(value) * percent / 100 + self.digits * max(self.resolution(value), floor)

    def measured(self, value: float, unit: str) -> Measured:
        """``value`` as a reading of this meter, with its expanded uncertainty."""
        if not math.isfinite(value):
            return Measured(value, 0.0, unit)
        return Measured(value, expanded_from_limits(self.limits(value, unit)), unit)


@dataclass(frozen=True)
class Recording:
    """What came back from the unit: ``signal`` (T,) V at ``rate`` Hz; ``uncertainty_db`` of its level."""

    signal: Array
    rate: float
    uncertainty_db: float
