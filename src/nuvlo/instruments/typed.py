"""The keyboard as an instrument: a value read off a display, with that meter's uncertainty."""

from __future__ import annotations

import math

from nuvlo.instruments.protocols import MeterSpec
from nuvlo.quantity import Measured, parse_value

OPEN_WORDS = ("ol", "open", "inf")
METERED = ("Ω", "V", "A", "F", "H")  # units whose ranges end


def typed_reading(text: str, unit: str, spec: MeterSpec | None = None) -> Measured:
    """The reading that ``text`` stands for; ``OL`` or ``open`` is over range: at least as much as the meter can show.

    Raises :class:`~nuvlo.quantity.UnreadableValue`.
    """
    spec = spec or MeterSpec()
    if unit in METERED and text.strip().lower() in OPEN_WORDS:
        return Measured(math.inf, 0.0, unit)
    return spec.measured(parse_value(text, unit), unit)
