"""What is written on parts: colour bands, and codes of letters and digits, both ways: value → marking and back.

Bands, tolerance letters and the R-K-M way of writing after IEC 60062:2016; the three-digit capacitor and chip codes and
the ninety-six two-digit ones are EIA's. What only the trade knows says so.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cache

from nuvlo.quantity.value import UnreadableValue, format_value, parse_value

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
    "0J": 6.3, "1A": 10, "1C": 16, "1E": 25, "1V": 35, "1H": 50, "1J": 63, "1K": 80, "2A": 100, "2C": 160, "2D": 200,
    "2E": 250, "2G": 400, "2W": 450, "2J": 630, "3A": 1000,
}  # fmt: skip
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
    found = [m for way, words in ways if (m := _from_bands(way, words)) is not None]
    return sorted(found, key=_strangeness)


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


def _strangeness(m: Marking) -> tuple[bool, bool, float]:
    """What nobody makes comes last: each tolerance has its series (IEC 60063), then usual tolerances, then middling values."""
    tolerance = m.tolerance[1] if m.tolerance else 0.0
    series = preferred(m.value, 96 if tolerance < 0.05 else 24 if tolerance < 0.1 else 12 if tolerance < 0.2 else 6)
    usual = tolerance in (0.01, 0.02, 0.05, 0.1, 0.001, 0.005)
    return not series, not usual, abs(math.log10(max(m.value, 1e-12) / 1e4))


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
    places = _e96()
    letters = {round(math.log10(v)): c for c, v in reversed(EIA_96.items())}
    if mantissa not in places or exponent not in letters:
        raise ValueError(f"no code of E96 shows {ohms:g} Ω")
    return f"{places.index(mantissa) + 1:02d}{letters[exponent]}"


@cache
def _e96() -> tuple[int, ...]:
    import eseries

    return tuple(round(v) for v in eseries.series(eseries.E96))


def read_code(text: str) -> list[Marking]:
    """Everything that a code of letters and digits can mean, likeliest first; empty where it means nothing."""
    clean = text.strip().replace("µ", "u").replace("μ", "u").replace("Ω", "").replace(",", ".").strip()
    out: list[Marking] = []
    for reader in (_e96_code, _capacitor, _potentiometer, _chip, _inductor, _plain):
        out += [m for m in reader(clean) if not any(_same(m, other) for other in out)]
    return out


def _same(a: Marking, b: Marking) -> bool:
    return a.kind == b.kind and math.isclose(a.value, b.value, rel_tol=1e-9)


def _capacitor(text: str) -> Iterable[Marking]:
    """``104``, ``104K``, ``2A104J``, ``104K100``, ``4n7``, ``u22J63``, and ``.1`` or ``0.47`` in microfarads."""
    upper = text.upper()
    coded = re.fullmatch(r"([0-3][A-Z])?(\d\d)(\d)([A-Z])?(\d{2,4})?V?", upper)
    if (
        coded
        and text[-1] not in "pnu"
        and (coded[1] is None or coded[1] in VOLTS)
        and coded[2] != "00"
        and (coded[4] or not coded[5])
    ):
        zeros = int(coded[3])
        power = {8: -2, 9: -1}.get(zeros, zeros)
        picofarads = float(f"{coded[2]}e{power}")
        yield from _with_letter(picofarads * 1e-12, coded[4], _volts(coded[1], coded[5]), "two digits and zeros, in pF")
    lettered = re.fullmatch(r"(\d*)([pnu])(\d*)([A-Z])?(\d{2,4})?V?", text) or re.fullmatch(
        r"(\d*)([PNU])(\d*)([A-Z])?(\d{2,4})?V?", upper
    )
    if lettered and (lettered[1] or lettered[3]):
        scale = {"p": 1e-12, "n": 1e-9, "u": 1e-6}[lettered[2].lower()]
        value = float(f"{lettered[1] or 0}.{lettered[3] or 0}")
        yield from _with_letter(
            value * scale, lettered[4], _volts(None, lettered[5]), "the letter is the decimal point"
        )
    point = re.fullmatch(r"(0?\.\d+)([A-Z])?(\d{2,4})?V?", upper)
    if point:
        yield from _with_letter(
            float(point[1]) * 1e-6, point[2], _volts(None, point[3]), "a fraction on a film capacitor is in µF"
        )


def _volts(code: str | None, plain: str | None) -> str:
    return f"{VOLTS[code]:g} V" if code else f"{plain} V" if plain else ""


def _with_letter(farads: float, letter: str | None, rating: str, how: str) -> Iterable[Marking]:
    farads = float(f"{farads:.6g}")
    if farads <= 0 or farads > 1:
        return
    if letter is None:
        yield Marking("capacitor", farads, "F", None, how, rating)
    elif farads < 10e-12 and letter in SMALL_CAPACITORS:
        share = SMALL_CAPACITORS[letter] / farads
        yield Marking("capacitor", farads, "F", (-share, share), how, rating)
    elif letter in LETTERS:
        yield Marking("capacitor", farads, "F", LETTERS[letter], how, rating)


def _potentiometer(text: str) -> Iterable[Marking]:
    """``B102``, ``A100K``, ``503``: a taper letter and two digits with zeros, or the value."""
    found = re.fullmatch(r"([ABC])?(\d\d)(\d)([ABC])?", text.upper())
    if found and found[2] != "00" and int(found[3]) <= 6:
        letter = found[1] or found[4]
        kind = "potentiometer" if letter else "trimmer"
        yield Marking(kind, float(f"{found[2]}e{found[3]}"), "Ω", None, "two digits and zeros, in Ω", "", TAPERS.get(letter or "", ""))  # fmt: skip
    found = re.fullmatch(r"([ABC])?(\d+(?:\.\d+)?[KM]\d*)([ABC])?", text.upper())
    if found and (found[1] is None) != (found[3] is None):
        letter = found[1] or found[3]
        yield Marking("potentiometer", _ohms(found[2]), "Ω", None, "the letter is the taper", "", TAPERS[letter])


def _ohms(text: str) -> float:
    return parse_value(text.replace("K", "k"), "Ω")


def _chip(text: str) -> Iterable[Marking]:
    """``103``, ``1002``, ``4R7``, ``R47``, ``0`` of a surface-mount resistor."""
    upper = text.upper()
    if re.fullmatch(r"0{1,4}", upper):
        yield Marking("link", 0.0, "Ω", None, "a chip marked 0 is a link")
    elif re.fullmatch(r"[1-9]\d\d", upper):
        yield Marking(
            "resistor", float(f"{upper[:2]}e{upper[2]}"), "Ω", (-0.05, 0.05), "surface mount: two digits and zeros"
        )
    elif re.fullmatch(r"[1-9]\d\d\d", upper):
        yield Marking("resistor", float(f"{upper[:3]}e{upper[3]}"), "Ω", (-0.01, 0.01), "surface mount: three digits and zeros")  # fmt: skip
    elif re.fullmatch(r"\d*R\d+", upper):
        yield Marking("resistor", float(upper.replace("R", ".") if upper[0] != "R" else "0" + upper.replace("R", ".")), "Ω", None, "R is the decimal point")  # fmt: skip


def _e96_code(text: str) -> Iterable[Marking]:
    found = re.fullmatch(r"(\d\d)([A-Z])", text.upper())
    if found and 1 <= int(found[1]) <= 96 and found[2] in EIA_96:
        value = float(f"{_e96()[int(found[1]) - 1] * EIA_96[found[2]]:.6g}")
        yield Marking("resistor", value, "Ω", (-0.01, 0.01), "surface mount, EIA-96: place in E96 and a power of ten")


def _inductor(text: str) -> Iterable[Marking]:
    """``101`` and ``4R7`` in microhenries."""
    upper = text.upper()
    coded = re.fullmatch(r"([1-9]\d)([0-6])([JKM])?", upper)
    if coded:
        yield Marking("inductor", float(f"{coded[1]}e{int(coded[2]) - 6}"), "H", LETTERS.get(coded[3] or ""), "two digits and zeros, in µH")  # fmt: skip
    point = re.fullmatch(r"(\d+)R(\d+)([JKM])?", upper)
    if point:
        yield Marking("inductor", float(f"{point[1]}.{point[2]}e-6"), "H", LETTERS.get(point[3] or ""), "R is the decimal point, in µH")  # fmt: skip


def _plain(text: str) -> Iterable[Marking]:
    """``4k7``, ``4k7J``, ``100n``, ``10mH``: a value as builders and IEC 60062 write it, perhaps with its letter."""
    for body, letter in ((text, None), (text[:-1], text[-1:].upper())):
        if letter is not None and letter not in LETTERS:
            continue
        for kind, unit, needed in (("resistor", "Ω", r"[rRkKMGE\d.]+"), ("capacitor", "F", r".*[pnuF].*"), ("inductor", "H", r".*H")):  # fmt: skip
            if not re.fullmatch(needed, body) or (kind == "resistor" and not re.search(r"[rRkKMGE]", body)):
                continue
            try:
                value = parse_value(body, unit)
            except UnreadableValue:
                continue
            if value > 0:
                yield Marking(kind, value, unit, LETTERS[letter] if letter else None, "as written")
