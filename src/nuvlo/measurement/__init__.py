"""What is measured, as values: what can be read of a unit, wherever that is asked for, foretold, taken or told."""

from nuvlo.measurement.observable import (
    LEADS,
    Observable,
    amps_of,
    farads_at,
    gain_read,
    loose,
    ohms_at,
    read_stored,
    ripple_at,
    tone_at,
    volts_at,
)

__all__ = ["LEADS", "Observable", "amps_of", "farads_at", "gain_read", "loose", "ohms_at", "read_stored", "ripple_at", "tone_at", "volts_at"]
