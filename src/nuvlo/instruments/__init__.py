"""The bench round a unit: typed in, simulated, recorded, and later real; one small protocol (:mod:`nuvlo.instruments.bench`)."""

from nuvlo.instruments.protocols import InstrumentError, MeterSpec, Recording
from nuvlo.instruments.typed import typed_reading

__all__ = ["InstrumentError", "MeterSpec", "Recording", "typed_reading"]
