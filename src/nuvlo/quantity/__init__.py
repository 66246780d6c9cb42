"""Numbers with units: how builders write them, how parts are marked, and how far an instrument may be off."""

from nuvlo.quantity.markings import resistor_bands
from nuvlo.quantity.uncertainty import Measured, Verdict, judge
from nuvlo.quantity.value import UnreadableValue, format_span, format_value, parse_value, sentence

__all__ = [
    "Measured",
    "UnreadableValue",
    "Verdict",
    "format_span",
    "format_value",
    "judge",
    "parse_value",
    "resistor_bands",
    "sentence",
]
