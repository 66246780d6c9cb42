"""What a unit is fed, and what is taken over a whole axis at once."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Sweep:
    """A sine that glides from ``from_hz`` to ``to_hz`` with ``level`` V peak, fed in where the kit is proved."""

    from_hz: float
    to_hz: float
    level: float

    @property
    def name(self) -> str:
        """Its text form."""
        return f"sweep {self.from_hz:g} to {self.to_hz:g} Hz, {self.level:.3g} V peak"


Stimulus = Sweep


@dataclass(frozen=True)
class Trace:
    """Values in ``unit`` over an ``axis`` in ``axis_unit``, each ``uncertainty`` (expanded, k = 2) in doubt."""

    axis: tuple[float, ...]
    values: tuple[float, ...]
    axis_unit: str = "Hz"
    unit: str = "dB"
    uncertainty: float = 0.0
