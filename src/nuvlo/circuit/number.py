"""Numbers as SPICE writes them, which is not as builders do: ``1m`` and ``1M`` are both milli, ``1meg`` is mega."""

from __future__ import annotations

import math
import re

_NUMBER = re.compile(r"([+-]?(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?)([a-zµ]*)(.*)", re.IGNORECASE | re.DOTALL | re.ASCII)
SUFFIXES = (
    ("meg", 1e6), ("mil", 25.4e-6), ("t", 1e12), ("g", 1e9), ("k", 1e3), ("m", 1e-3), ("u", 1e-6), ("µ", 1e-6),
    ("n", 1e-9), ("p", 1e-12), ("f", 1e-15),
)  # fmt: skip


class BadNumber(ValueError):
    """A text that SPICE would not read as the number it seems to be."""


def spice_number(text: str) -> float:
    """Value of ``text`` by SPICE's rules: suffixes in either case, letters after the suffix ignored.

    A digit after the suffix (``4k7``) is refused: simulators read it as 4k and say nothing.
    """
    match = _NUMBER.fullmatch(text.strip())
    if not match:
        raise BadNumber(f"'{text}' is not a number")
    digits, letters, rest = match.groups()
    if rest:
        hint = ""
        if letters and rest.isdigit():
            hint = f": in a .cir file write {digits}.{rest}{letters}"
        raise BadNumber(f"'{text}' is not a number SPICE can read{hint}")
    for suffix, scale in SUFFIXES:
        if letters.lower().startswith(suffix):
            return _scaled(digits, scale)
    return float(digits)


def _scaled(digits: str, scale: float) -> float:
    # Scaling in decimal text keeps 4.7k exactly 4700, where a product would be off in the last place.
    if "e" in digits.lower() or scale == 25.4e-6:
        return float(digits) * scale
    return float(f"{digits}e{round(math.log10(scale))}")
