"""What an instrument can be asked. Real ones, simulated ones and the keyboard answer the same questions."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Protocol

from nuvlo.arrays import Array
from nuvlo.circuit.loaded import METER_OHMS
from nuvlo.circuit.ohms import Ohmmeter
from nuvlo.measurement import Observable
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


class Meter(Protocol):
    """A multimeter. Nodes are named as in the kit's circuit."""

    @property
    def name(self) -> str: ...

    def part(self, ref: str) -> Measured:
        """A loose part between the clips: Ω or F."""

    def volts(self, red: str, black: str = "0", *, setup: str = "") -> Measured:
        """Volts between two nodes of the powered unit, in the kit's ``setup`` of this name, else in its first."""

    def tone(self, of: Observable) -> Measured:
        """Volts r.m.s. of one of the kit's tones at its node, its level set where it is fed in; or of the ripple of a supply, or at a heater."""

    def ohms(self, red: str, black: str = "0", *, throw: str = "") -> Measured:
        """Ohms between two nodes with the supply off, a switch in another ``throw`` where one is named; leads not yet taken off."""

    def farads(self, name: str) -> Measured:
        """One of the kit's cold readings of capacitance, with a bridge."""

    def leads(self) -> Measured:
        """Ohms with the leads held together."""

    def supply_current(self, supply: str, *, setup: str = "") -> Measured:
        """Amperes drawn from a supply of the kit, in its ``setup`` of this name, else in its first."""


class AudioInterface(Protocol):
    """Plays into the unit's input and records its output, both calibrated in volts."""

    @property
    def name(self) -> str: ...

    def play_and_record(self, signal: Array, rate: float) -> Recording: ...


class Hand(Protocol):
    """Something that can turn a trimmer when told to: for the simulated bench, the builder's own hand."""

    def turn(self, ref: str, degrees: float) -> None: ...
