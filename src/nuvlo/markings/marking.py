"""What is written on parts: colour bands both ways, and codes as they are made of a value; :mod:`codes` reads them.

Bands, tolerance letters and the R-K-M way of writing after IEC 60062:2016; the three-digit capacitor and chip codes and
the ninety-six two-digit ones are EIA's. What only the trade knows says so.
"""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache

from nuvlo.quantity.value import format_value

DIGITS = ("black", "brown", "red", "orange", "yellow", "green", "blue", "violet", "grey", "white")
MULTIPLIERS = {-3: "pink", -2: "silver", -1: "gold", **dict(enumerate(DIGITS))}
TOLERANCES = {
    0.0001: "grey", 0.0002: "yellow", 0.0005: "orange", 0.001: "violet", 0.0025: "blue", 0.005: "green", 0.01: "brown",
    0.02: "red", 0.05: "gold", 0.1: "silver", 0.2: "",
}  # fmt: skip
TEMPERATURE_COEFFICIENTS = {
    "black": 250, "brown": 100, "red": 50, "orange": 15, "yellow": 25, "green": 20, "blue": 10, "violet": 5, "grey": 1,
}  # fmt: skip  # ppm/K
# As written on parts lists and said at the bench.
COLOUR_NAMES = {
    **{name: name for name in (*DIGITS, "gold", "silver", "pink")}, "gray": "grey", "purple": "violet", "bk": "black",
    "bn": "brown", "rd": "red", "og": "orange", "ye": "yellow", "gn": "green", "bu": "blue", "vt": "violet", "gy": "grey",
    "wh": "white", "gd": "gold", "sr": "silver", "pk": "pink",
}  # fmt: skip
LETTERS: dict[str, tuple[float, float]] = {
    **{c: (-t, t) for c, t in zip("ELPWBCDFGHJKMN", (5e-5, 1e-4, 2e-4, 5e-4, 1e-3, 2.5e-3, 5e-3, 0.01, 0.02, 0.03, 0.05,
                                                       0.1, 0.2, 0.3), strict=True)},
    "Q": (-0.1, 0.3), "T": (-0.1, 0.5), "S": (-0.2, 0.5), "Z": (-0.2, 0.8),
}  # fmt: skip
SMALL_CAPACITORS = {"B": 0.1e-12, "C": 0.25e-12, "D": 0.5e-12, "F": 1e-12, "G": 2e-12}  # F, below 10 pF
# Rated volts, EIA: a digit for the power of ten and a letter for the rest.
VOLTS = {
    "0G": 4, "0L": 5.5, "0J": 6.3, "1A": 10, "1C": 16, "1E": 25, "1V": 35, "1H": 50, "1J": 63, "1K": 80, "2A": 100, "2Q": 110,
    "2B": 125, "2C": 160, "2Z": 180, "2D": 200, "2P": 220, "2E": 250, "2F": 315, "2V": 350, "2G": 400, "2W": 450, "2H": 500,
    "2J": 630, "2K": 800, "3A": 1000, "3C": 1600, "3D": 2000, "3F": 3150,
}  # fmt: skip
CAPACITOR_LETTERS = "FGHJKMNQTSZ"  # those of resistors alone are left out
# EIA-198, from memory: two digits by a letter.
CHIP_LETTERS = dict(zip(
    "ABCDEFGHJKLMNPQRSTUVWXYZabdefmnty",
    (1.0, 1.1, 1.2, 1.3, 1.5, 1.6, 1.8, 2.0, 2.2, 2.4, 2.7, 3.0, 3.3, 3.6, 3.9, 4.3, 4.7, 5.1, 5.6, 6.2, 6.8, 7.5, 8.2, 9.1,
     2.5, 3.5, 4.0, 4.5, 5.0, 6.0, 7.0, 8.0, 9.0), strict=True))  # fmt: skip
EIA_96 = {
    "Z": 1e-3, "Y": 1e-2, "R": 1e-2, "X": 0.1, "S": 0.1, "A": 1.0, "B": 10.0, "H": 10.0, "C": 1e2, "D": 1e3, "E": 1e4,
    "F": 1e5,
}  # fmt: skip
TAPERS = {"A": "audio", "B": "linear", "C": "reverse audio"}  # common practice, no source; older parts swap A and B


@dataclass(frozen=True)
class Marking:
    """One thing that a marking can mean. ``tolerance`` as fractions; ``how`` says in words how it was read."""

    kind: str
    value: float
    unit: str
    tolerance: tuple[float, float] | None = None
    how: str = ""
    rating: str = ""
    taper: str = ""

    def __str__(self) -> str:
        more = " ".join(w for w in (self.taper, self.rating) if w)
        return f"{self.kind} {format_value(self.value, self.unit)}{' ' + more if more else ''}"


# -- colour bands -------------------------------------------------------------------------------------------------


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
    mantissa, exponent = _digits(ohms, 3 if tolerance < 0.05 else 2)
    if exponent not in MULTIPLIERS:
        raise ValueError(f"no multiplier band can show {ohms} Ω")
    colours = [DIGITS[int(d)] for d in str(mantissa)] + [MULTIPLIERS[exponent]]
    band = TOLERANCES.get(tolerance)
    if band is None:
        raise ValueError(f"no band stands for a tolerance of {tolerance:g}")
    return (*colours, band) if band else tuple(colours)


def _digits(value: float, count: int) -> tuple[int, int]:
    """``count`` digits and the power of ten after them. Raises ``ValueError`` where more digits are needed."""
    exponent = math.floor(math.log10(value)) - count + 1
    mantissa = round(value / 10.0**exponent)
    if mantissa == 10**count:
        mantissa, exponent = mantissa // 10, exponent + 1
    if not math.isclose(mantissa * 10.0**exponent, value, rel_tol=1e-6):
        raise ValueError(f"{count} digits and a multiplier cannot show {value:g}")
    return mantissa, exponent


def colours_in(text: str) -> tuple[str, ...] | None:
    """The colours that ``text`` lists, or None where any of its words is none."""
    words = [w for w in re.split(r"[\s,/–-]+", text.strip().lower()) if w]
    found = tuple(COLOUR_NAMES.get(w, "") for w in words)
    return found if found and all(found) else None


def read_bands(colours: Sequence[str]) -> list[Marking]:
    """What 1 or 3 to 6 bands can mean, from the left and from the right, likeliest first; empty where they mean nothing.

    A value of a preferred series with a usual tolerance goes before one that nobody makes.
    """
    names = [COLOUR_NAMES.get(c.lower(), c.lower()) for c in colours]
    if names == ["black"]:
        return [Marking("link", 0.0, "Ω", None, "a single black band is a link")]
    ways = [(names, "from the left")]
    if names != names[::-1]:
        ways.append((names[::-1], "from the right"))
    found = sorted((m for way, words in ways if (m := _from_bands(way, words)) is not None), key=_strangeness)
    return found + [coil for m in found if (coil := _coil(m, len(names))) is not None]


def _coil(m: Marking, bands: int) -> Marking | None:
    """The same bands on a thicker, often green body: microhenries (common practice, no source)."""
    if (
        bands not in (3, 4)
        or m.tolerance not in ((-0.05, 0.05), (-0.1, 0.1), (-0.2, 0.2))
        or not 0.05 <= m.value <= 1e5
    ):
        return None
    how = f"{m.how}, on an inductor in µH"
    return Marking("inductor", float(f"{m.value * 1e-6:.6g}"), "H", m.tolerance, how)


def _from_bands(names: Sequence[str], words: str) -> Marking | None:
    count = {3: 2, 4: 2, 5: 3, 6: 3}.get(len(names), 0)
    digits, rest = names[:count], list(names[count:])
    if not count or any(d not in DIGITS for d in digits) or digits[0] == "black":
        return None
    powers = {name: power for power, name in MULTIPLIERS.items()}
    tolerances = {name: t for t, name in TOLERANCES.items() if name}
    multiplier = rest.pop(0)
    band = rest.pop(0) if rest else None
    if multiplier not in powers or (band is not None and band not in tolerances):
        return None
    drift = rest.pop(0) if rest else None
    if drift is not None and drift not in TEMPERATURE_COEFFICIENTS:
        return None
    number = int("".join(str(DIGITS.index(d)) for d in digits))
    value = float(f"{number}e{powers[multiplier]}")
    share = 0.2 if band is None else tolerances[band]
    how = f"bands {words}" + (f", {TEMPERATURE_COEFFICIENTS[drift]} ppm/K" if drift else "")
    return Marking("resistor", value, "Ω", (-share, share), how)


USUAL = (0.01, 0.05, 0.1, 0.2, 0.001, 0.02, 0.005)  # tolerances by how often they are met (common practice, no source)


def _strangeness(m: Marking) -> tuple[bool, int, float]:
    """What nobody makes comes last: each tolerance has its series (IEC 60063), then usual tolerances, then middling values."""
    tolerance = m.tolerance[1] if m.tolerance else 0.0
    series = preferred(m.value, 96 if tolerance < 0.05 else 24 if tolerance < 0.1 else 12 if tolerance < 0.2 else 6)
    usual = USUAL.index(tolerance) if tolerance in USUAL else len(USUAL)
    return not series, usual, abs(math.log10(max(m.value, 1e-12) / 1e4))


@cache
def mantissas(series: int) -> frozenset[int]:
    """The values of an E series (IEC 60063) from 100 to 999; E96 holds E24 as well, since both are sold."""
    import eseries

    names = {3: "E3", 6: "E6", 12: "E12", 24: "E24", 48: "E48", 96: "E96", 192: "E192"}
    out = {round(v * 10 if v < 100 else v) for v in eseries.series(getattr(eseries, names[series]))}
    return frozenset(out | mantissas(24)) if series > 24 else frozenset(out)


def preferred(value: float, series: int = 24) -> bool:
    """Whether ``value`` stands in an E series, in any decade."""
    if value <= 0 or not math.isfinite(value):
        return False
    try:
        mantissa, _ = _digits(value, 3)
    except ValueError:
        return False
    return mantissa in mantissas(series)


# -- codes --------------------------------------------------------------------------------------------------------


def capacitor_code(farads: float, tolerance: tuple[float, float] | None = None) -> str:
    """``104K``: two digits and the zeros after them, in pF, and the tolerance letter. Raises ``ValueError``.

    >>> capacitor_code(100e-9, (-0.1, 0.1))
    '104K'
    """
    picofarads = farads * 1e12
    mantissa, exponent = _digits(picofarads, 2)
    letter = next((c for c, t in LETTERS.items() if tolerance and t == tolerance), "")
    zeros = {-2: 8, -1: 9}.get(exponent, exponent)
    if not 0 <= zeros <= 9 or (zeros in (8, 9) and exponent > 0):
        raise ValueError(f"no three digits show {farads:g} F")
    return f"{mantissa}{zeros}{letter}"


def chip_code(ohms: float) -> str:
    """``473`` or ``4R7``: a surface-mount resistor of 5 %. Raises ``ValueError``."""
    if ohms == 0:
        return "0"
    mantissa, exponent = _digits(ohms, 2)
    if not -2 <= exponent <= 7:
        raise ValueError(f"no code shows {ohms:g} Ω")
    tens, ones = divmod(mantissa, 10)
    return {-2: f"R{mantissa}", -1: f"{tens}R{ones}"}.get(exponent, f"{mantissa}{exponent}")


def eia96_code(ohms: float) -> str:
    """``01C`` for 10 kΩ: the place in E96 and a letter for the power of ten. Raises ``ValueError``."""
    mantissa, exponent = _digits(ohms, 3)
    places = e96()
    letters = {round(math.log10(v)): c for c, v in reversed(EIA_96.items())}
    if mantissa not in places or exponent not in letters:
        raise ValueError(f"no code of E96 shows {ohms:g} Ω")
    return f"{places.index(mantissa) + 1:02d}{letters[exponent]}"


@cache
def e96() -> tuple[int, ...]:
    import eseries

    return tuple(round(v) for v in eseries.series(eseries.E96))
