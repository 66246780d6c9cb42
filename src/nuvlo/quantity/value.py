"""Read and print values the way builders write them: ``4k7``, ``100n``, ``10,5 mV``, ``0R1``."""

from __future__ import annotations

import math
import re
from functools import lru_cache

from nuvlo.problems import NuvloError, Problem

THIN_SPACE = "\u202f"  # narrow and no-break, so that a value never parts from its unit
MINUS = "\u2212"

# Every spelling of a unit seen on parts lists and meters, and the one spelling used inside.
UNITS = {
    "": "", "Ω": "Ω", "ω": "Ω", "ohm": "Ω", "ohms": "Ω", "r": "Ω", "f": "F", "farad": "F", "h": "H", "henry": "H",
    "v": "V", "volt": "V", "volts": "V", "vdc": "V", "vac": "V", "a": "A", "amp": "A", "amps": "A", "w": "W",
    "hz": "Hz", "s": "s", "%": "%", "db": "dB", "°c": "°C", "°": "°", "deg": "°",
}  # fmt: skip
PREFIXES = {"T": 1e12, "G": 1e9, "M": 1e6, "k": 1e3, "K": 1e3, "": 1.0, "m": 1e-3, "u": 1e-6, "n": 1e-9, "p": 1e-12}
EXPECTED = "write it as 4k7, 4.7 kΩ, 100n, 0R1 or 10,5 mV"

_PLAIN = re.compile(r"([+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?)\s*([A-Za-zΩω%°]*)", re.ASCII)
_RKM = re.compile(r"([+-]?)(\d*)([RrEGMkKmunpFHVA])(\d+)\s*([A-Za-zΩω]*)", re.ASCII)
LEAST, MOST = 1e-18, 1e15  # of a value that is not 0, in SI units
MOST_CHARACTERS = 60  # of a value: patterns are tried only on what may be one
_COMMA_GROUP = re.compile(r"[1-9]\d{0,2},\d{3}(?!\d)", re.ASCII)


class UnreadableValue(NuvloError, ValueError):
    """A text that is no value. ``text`` is what was given."""

    def __init__(self, text: str, why: str = "is no value I can read") -> None:
        self.text = text
        super().__init__(Problem(f"'{text}' {why};", f"{EXPECTED}."))


def parse_value(text: str, unit: str = "") -> float:
    """The number in SI units that ``text`` stands for.

    ``unit`` is the unit the place wants (``"Ω"``, ``"F"``, ``"V"``; ``""`` takes any): a text may leave it out but
    may not contradict it. ``M`` is mega and ``m`` milli; a decimal comma is a decimal point.

    >>> parse_value("4k7"), parse_value("10,5 mV", "V"), parse_value("0R1", "Ω")
    (4700.0, 0.0105, 0.1)

    Raises :class:`UnreadableValue`, saying what was expected.
    """
    if len(text) > MOST_CHARACTERS:
        raise UnreadableValue(f"{text[:20]}…", "is too long to be a value")
    clean = text.strip().translate({0x2212: "-", 0xB5: "u", 0x3BC: "u", 0x2126: "Ω", 0x202F: " ", 0xA0: " "})
    if "," in clean:
        if "." in clean or clean.count(",") > 1:
            raise UnreadableValue(text, "has more than one decimal mark")
        if _COMMA_GROUP.match(clean):
            whole, _, rest = clean.partition(",")
            raise UnreadableValue(text, f"may mean {whole}{rest} or {whole}.{rest}: leave the comma out")
        clean = clean.replace(",", ".")
    plain = _PLAIN.fullmatch(clean)
    if plain:
        scale, found = _prefix_and_unit(plain[2], text)
        number = _to_float(plain[1], scale)
    elif rkm := _RKM.fullmatch(clean):
        number, found = _from_rkm(rkm, text)
    else:
        raise UnreadableValue(text)
    if not math.isfinite(number):
        raise UnreadableValue(text, "is too large to be a value")
    if number and not LEAST <= abs(number) <= MOST:
        raise UnreadableValue(text, "is not the size of anything on a bench")
    if unit and found and found != unit:
        raise UnreadableValue(text, f"is in {found} where {unit} is wanted")
    return number


def _to_float(digits: str, scale: float) -> float:
    if scale == 1.0:
        return float(digits)
    from quantiphy import Quantity

    # quantiphy scales in decimal text, so "4.7" with "k" is exactly 4700.0 and not 4700.000000000001.
    symbol = {v: k for k, v in PREFIXES.items() if k != "K"}[scale]
    if "e" in digits.lower():
        return float(digits) * scale
    return float(Quantity(digits + symbol))


def _from_rkm(match: re.Match[str], text: str) -> tuple[float, str]:
    from rkm_codes import from_rkm

    sign, whole, letter, fraction, tail = match.groups()
    quantity = from_rkm(f"{whole or '0'}{'R' if letter in 'Er' else letter}{fraction}")
    if quantity is None:
        raise UnreadableValue(text)
    found = {"R": "Ω", "r": "Ω", "E": "Ω", "F": "F", "H": "H", "V": "V", "A": "A"}.get(letter, "")
    tail_unit = UNITS.get(tail.lower())
    if tail_unit is None:
        raise UnreadableValue(text, f"has a unit I do not know, '{tail}'")
    return (-1.0 if sign == "-" else 1.0) * float(quantity), tail_unit or found


def _prefix_and_unit(letters: str, text: str) -> tuple[float, str]:
    if letters.lower() in UNITS and letters not in ("m", "M"):
        return 1.0, UNITS[letters.lower()]
    for length, prefix in ((3, "meg"), (1, letters[:1])):
        scale = 1e6 if prefix == "meg" and letters.lower().startswith("meg") else PREFIXES.get(prefix)
        if prefix == "meg" and not letters.lower().startswith("meg"):
            continue
        unit = UNITS.get(letters[length:].lower())
        if scale is not None and prefix and unit is not None:
            return scale, unit
    raise UnreadableValue(text, f"has a unit I do not know, '{letters}'")


@lru_cache(maxsize=8192)  # the same few values are shown at every step
def format_span(low: float, high: float, unit: str = "", digits: int = 3) -> str:
    """``4.12 V to 4.29 V``; ``at least 2 MΩ`` where there is no upper end, ``open`` where there is nothing below that either."""
    if low == math.inf:
        return "open"
    if high == math.inf:
        return f"at least {format_value(low, unit, digits)}"
    return f"{format_value(low, unit, digits)} to {format_value(high, unit, digits)}"


def format_value(value: float, unit: str = "", digits: int = 3) -> str:
    """Engineering notation with a thin space and a true minus: ``4.7 kΩ``, ``−17.7 dB``.

    ``digits`` counts significant digits. Decibels, degrees and per cent take no prefix. Large capacitors stay in
    microfarads, as they are marked and sold (``mF`` on an old one means that too).
    """
    if not math.isfinite(value):
        return "open" if unit == "Ω" and value > 0 else "—"
    if abs(value) < LEAST:  # what rounding leaves of nothing
        return f"0{THIN_SPACE}{unit}" if unit else "0"
    if unit in ("dB", "°", "°C", "%", ""):
        text = f"{value:.{max(0, digits - 1 - _decade(value))}f}"
        text = text if text.strip("-0.") else text.lstrip("-")
        return (text + (THIN_SPACE + unit if unit else "")).replace("-", MINUS)
    from quantiphy import Quantity

    if unit == "F" and 1e-3 <= abs(value) < 0.1:
        # Large ones are not in millifarads, nor small ones in femtofarads.
        return f"{value * 1e6:.{max(0, digits - 1 - _decade(value * 1e6))}f}{THIN_SPACE}µF".replace("-", MINUS)
    if unit == "F" and 1e-15 <= abs(value) < 1e-12:
        return (
            f"{value * 1e12:.{digits - 1 - _decade(value * 1e12)}f}".rstrip("0").replace("-", MINUS) + f"{THIN_SPACE}pF"
        )
    rendered: str = Quantity(value, unit).render(form="si", prec=digits - 1, strip_zeros=True)
    return rendered.replace(" ", THIN_SPACE).replace("-", MINUS).replace("u", "µ", 1 if unit != "u" else 0)


def sentence(text: str) -> str:
    """``text`` with its first letter large, the rest as it was: ``emitter of Q2`` keeps its Q."""
    return text[:1].upper() + text[1:]


def _decade(value: float) -> int:
    return math.floor(math.log10(abs(value))) if value else 0
