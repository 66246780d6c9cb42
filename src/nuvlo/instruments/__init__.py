"""Meters, audio interfaces and hands: one small protocol each; typed in, simulated, and later real ones."""

from nuvlo.instruments.protocols import AudioInterface, Hand, InstrumentError, Meter, MeterSpec, Recording
from nuvlo.instruments.typed import typed_reading

__all__ = ["AudioInterface", "Hand", "InstrumentError", "Meter", "MeterSpec", "Recording", "typed_reading"]
