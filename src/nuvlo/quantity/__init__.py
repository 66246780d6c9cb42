"""Numbers with units: how builders write them, and how far an instrument may be off."""

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
    "sentence",
]
