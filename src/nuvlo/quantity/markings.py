"""Markings on parts. Colour bands after IEC 60062:2016, table 1 and 2."""

from __future__ import annotations

import math

DIGITS = ("black", "brown", "red", "orange", "yellow", "green", "blue", "violet", "grey", "white")
MULTIPLIERS = {-3: "pink", -2: "silver", -1: "gold", **dict(enumerate(DIGITS))}
TOLERANCES = {
    0.0005: "grey", 0.001: "violet", 0.0025: "blue", 0.005: "green", 0.01: "brown", 0.02: "red", 0.05: "gold",
    0.1: "silver", 0.2: "",
}  # fmt: skip


def resistor_bands(ohms: float, tolerance: float) -> tuple[str, ...]:
    """Colours of a fixed resistor's bands, first digit first.

    Two digits serve where the value has no third one and the tolerance is 5 % or wider, three digits elsewhere.
    A single black band is a 0 Ω link. Raises ``ValueError`` for a value that bands cannot show.

    >>> resistor_bands(100e3, 0.01)
    ('brown', 'black', 'black', 'orange', 'brown')
    """
    if ohms == 0:
        return ("black",)
    if ohms < 0 or not math.isfinite(ohms):
        raise ValueError(f"no bands show {ohms} Ω")
    digits = 3 if tolerance < 0.05 else 2
    exponent = math.floor(math.log10(ohms)) - digits + 1
    mantissa = round(ohms / 10.0**exponent)
    if mantissa == 10**digits:
        mantissa, exponent = mantissa // 10, exponent + 1
    if exponent not in MULTIPLIERS or not math.isclose(mantissa * 10.0**exponent, ohms, rel_tol=1e-6):
        raise ValueError(f"{digits} digits and a multiplier cannot show {ohms} Ω")
    colours = [DIGITS[int(d)] for d in str(mantissa)] + [MULTIPLIERS[exponent]]
    band = TOLERANCES.get(tolerance)
    if band is None:
        raise ValueError(f"no band stands for a tolerance of {tolerance:g}")
    return (*colours, band) if band else tuple(colours)
