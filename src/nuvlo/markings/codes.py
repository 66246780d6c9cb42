"""Codes of letters and digits on parts: everything that one can mean, likeliest first.

A code is taken apart first: rated volts and watts, a tolerance in per cent, a taper and a unit written out are words of their
own, before or behind. What is left goes to a reader for each way of marking. A unit that is written is believed. Sources: IEC
60062:2016 (R-K-M, tolerance letters), EIA codes of capacitors and chips and Pro Electron's of zeners (from memory).
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterable
from dataclasses import dataclass, replace

from nuvlo.markings.marking import (
    CAPACITOR_LETTERS,
    CHIP_LETTERS,
    EIA_96,
    LETTERS,
    SMALL_CAPACITORS,
    TAPERS,
    VOLTS,
    Marking,
    e96,
    preferred,
)

_WORDS = {
    "ohm": "Ω", "ohms": "Ω", "kohm": "kΩ", "kohms": "kΩ", "mohm": "MΩ", "megohm": "MΩ", "pf": "pF", "nf": "nF", "uf": "uF",
    "mfd": "mfd", "mmfd": "mmfd", "mmf": "mmfd", "uh": "uH", "mh": "mH", "nh": "nH", "h": "H",
}  # fmt: skip
_TAPER_WORDS = {
    "lin": "linear", "linear": "linear", "log": "audio", "audio": "audio", "rev": "reverse audio", "reverse": "reverse audio",
    "antilog": "reverse audio",
}  # fmt: skip
# What a capacitor is made of, written before or behind its value (DIN 41379 and EIA-198; from memory).
_MADE_OF = ("mkt", "mkp", "mks", "mkc", "mki", "fkp", "fks", "fkc", "ks", "kp", "kt", "pet", "pp", "ps", "c0g", "cog", "np0", "npo", "x7r", "x5r", "y5v", "z5u")
_NUMBER = r"\d+(?:\.\d*)?|\.\d+"
_LETTER = f"([{''.join(LETTERS)}])?"
ZENER_LETTERS = {"A": 0.01, "B": 0.02, "C": 0.05, "D": 0.1}
TANTALUM_VOLTS = {"G": 4, "J": 6.3, "A": 10, "C": 16, "D": 20, "E": 25, "V": 35, "H": 50}
WATTS = (0.125, 0.25, 0.5, 0.6, 1, 2, 3, 4, 5, 7, 10, 15, 20, 25, 50)
RATED = (4, 6.3, 10, 16, 20, 25, 35, 40, 50, 63, 80, 100, 160, 200, 250, 350, 400, 450, 500, 630, 1000)
LARGEST = 0.1  # F: what is larger is no capacitor of a kit, unless it says so
SMALLEST_SUPER, LARGEST_SUPER = 0.01, 10.0


@dataclass(frozen=True)
class _Apart:
    """A marking taken apart: its ``core``, and what was written around it."""

    core: str
    tolerance: tuple[float, float] | None = None
    volts: str = ""
    watts: str = ""
    taper: str = ""


def read_code(text: str) -> list[Marking]:
    """Everything that a code of letters and digits can mean, likeliest first; empty where it means nothing."""
    apart = _taken_apart(text)
    believed = list(_with_unit(apart.core))
    readers = (
        _zener,
        _tapered,
        _resistor,
        _capacitor,
        _numbered,
        _trimmer,
        _chip,
        _inductor,
        _tantalum,
        _letter_and_digit,
        _supercapacitor,
        _small_m,
    )
    out: list[Marking] = []
    for m in believed or (m for reader in readers for m in reader(apart.core)):
        whole = _whole(m, apart)
        if whole is not None and not any(_same(whole, other) for other in out):
            out.append(whole)
    return _electrolytic_first(out) if apart.volts else out


def _same(a: Marking, b: Marking) -> bool:
    return a.kind == b.kind and math.isclose(a.value, b.value, rel_tol=1e-9)


def _taken_apart(text: str) -> _Apart:
    clean = text.strip().translate({0xB5: "u", 0x3BC: "u", 0x2126: "Ω", 0xB1: "", 0x202F: " ", 0xA0: " "})
    clean = re.sub(r"(?<=\d),(?=\d)", ".", clean)
    if not re.search(r"\b1/[248](?!\d)", clean):
        clean = clean.replace("/", " ")  # ``220uF/25V``, ``33/16``
    out = _Apart("")
    core: list[str] = []
    made_of = False
    for word in re.sub(r"(?<=\d)\s+%", "%", clean).split():
        low = word.lower()
        if low in _MADE_OF:
            made_of = True
            continue
        if found := re.fullmatch(rf"({_NUMBER})%", word, re.ASCII):
            share = float(found[1]) / 100
            out = replace(out, tolerance=(-share, share))
        elif core and (found := re.fullmatch(rf"({_NUMBER})v(?:dc|ac)?~?", low, re.ASCII)):
            out = replace(out, volts=f"{float(found[1]):g} V")
        elif core and word.upper() in VOLTS:
            out = replace(out, volts=f"{VOLTS[word.upper()]:g} V")  # ``104J 2A``
        elif found := re.fullmatch(rf"({_NUMBER}|1/[248])w", low, re.ASCII):
            out = replace(out, watts=f"{_share(found[1]):g} W")
        elif low in _TAPER_WORDS and core:
            out = replace(out, taper=_TAPER_WORDS[low])
        elif low in _WORDS and core:
            core[-1] += _WORDS[low]
        elif (
            core
            and low in ("r", "k", "m")
            and re.fullmatch(_NUMBER, core[-1], re.ASCII)
            and (low != "m" or word == "M")
        ):
            core[-1] += word.upper()  # ``47 R``, ``100 k``
        elif core and word in TAPERS and re.fullmatch(r"\d+(\.\d+)?[kKM]\d*", core[-1], re.ASCII):
            out = replace(out, taper=TAPERS[word])
        elif core and word in LETTERS and out.tolerance is None:
            out = replace(out, tolerance=LETTERS[word])
        elif (
            core
            and len(core) == 1
            and word.isascii()
            and word.isdigit()
            and float(word) in RATED
            and (out.tolerance or made_of or "/" in text or re.fullmatch(_NUMBER, core[0], re.ASCII))
        ):
            out = replace(out, volts=f"{word} V")  # ``33 16`` on an electrolytic
        else:
            core.append(word)
    joined = " ".join(core)
    before = re.fullmatch(rf"({_NUMBER})W([\dR].+)", joined, re.ASCII | re.IGNORECASE)
    if (
        before and float(before[1]) in WATTS and not re.fullmatch(r"2W\d\d\d[JKM]", joined.upper())
    ):  # ``5W220RJ`` on a cement body
        joined, out = before[2], replace(out, watts=f"{float(before[1]):g} W")
    behind = re.fullmatch(rf"(.*[pnu]F)({_NUMBER})V", joined, re.ASCII | re.IGNORECASE)
    if behind:  # ``47uF16V``
        joined, out = behind[1], replace(out, volts=f"{float(behind[2]):g} V")
    return replace(out, core=joined)


def _share(text: str) -> float:
    above, _, below = text.partition("/")
    return float(above) / float(below or 1)


def _whole(m: Marking, apart: _Apart) -> Marking | None:
    """A reading with what was written around it; None where they do not go together."""
    if apart.volts:
        if m.unit != "F":
            return None
        m = replace(m, rating=apart.volts)
    if apart.watts:
        if m.kind != "resistor":
            return None
        m = replace(m, rating=apart.watts)
    if apart.taper:
        if m.unit != "Ω" or m.kind not in ("resistor", "potentiometer"):
            return None
        m = replace(m, kind="potentiometer", taper=apart.taper)
    return replace(m, tolerance=apart.tolerance) if apart.tolerance and m.unit != "V" else m


def _electrolytic_first(found: list[Marking]) -> list[Marking]:
    return sorted(found, key=lambda m: "in µF" not in m.how)


# -- a unit is written --------------------------------------------------------------------------------------------


def _with_unit(text: str) -> Iterable[Marking]:
    """``330uH``, ``22pF``, ``100nFJ``, ``0.1mfd``, ``4k7Ω``: what cannot be anything else."""
    found = re.fullmatch(rf"({_NUMBER})\s*([pnuPNU])F{_LETTER}", text, re.ASCII | re.IGNORECASE)
    if found:
        scale = {"p": 1e-12, "n": 1e-9, "u": 1e-6}[found[2].lower()]
        yield from _farads(float(found[1]) * scale, _upper(found[3]), "", "as written")
        return
    old = re.fullmatch(rf"({_NUMBER})\s*(m{{1,2}})fd?", text, re.ASCII | re.IGNORECASE)
    if old:
        scale = 1e-6 if len(old[2]) == 1 else 1e-12
        how = "mF or MFD on an old part is µF" if scale == 1e-6 else "MMF on an old part is pF"
        yield from _farads(float(old[1]) * scale, None, "", how)
        if text.endswith("mF"):
            yield from _farads(float(old[1]) * 1e-3, None, "", "or thousandths of a farad, on a new one")
        return
    point = re.fullmatch(r"(\d+)([pnum])(\d+)([FH])", text, re.ASCII | re.IGNORECASE)
    if point:  # ``2m2H``, ``4n7F``
        value = float(f"{point[1]}.{point[3]}") * {"p": 1e-12, "n": 1e-9, "u": 1e-6, "m": 1e-3}[point[2].lower()]
        unit = point[4].upper()
        yield _marking("inductor" if unit == "H" else "capacitor", value, unit, None, "the letter is the decimal point")
        return
    coil = re.fullmatch(rf"({_NUMBER})\s*([num])H{_LETTER}", text, re.ASCII | re.IGNORECASE)
    if coil:
        scale = {"n": 1e-9, "u": 1e-6, "m": 1e-3}[coil[2].lower()]
        yield _marking("inductor", float(coil[1]) * scale, "H", LETTERS.get(_upper(coil[3]) or ""), "as written")
        return
    ohms = re.fullmatch(r"(.+?)\s*Ω", text)
    if ohms:
        if re.fullmatch(_NUMBER, ohms[1], re.ASCII):
            yield from _ohms(float(ohms[1]), None, "as written")
        else:
            yield from _resistor(ohms[1].replace(" ", ""))


def _upper(letter: str | None) -> str | None:
    return letter.upper() if letter else None


# -- readers, one for each way of marking -------------------------------------------------------------------------


def _zener(text: str) -> Iterable[Marking]:
    """``5V1``, ``C5V1``, ``BZX85C12``, ``BZY88C5V1``."""
    found = re.fullmatch(r"(?:(BZ[A-Z]\d\d)[-/ ]?)?([ABCD])?(\d{1,3})(?:V(\d?))?", text.upper(), re.ASCII)
    if found and ((found[1] and found[2]) or "V" in text.upper()):
        volts = float(f"{found[3]}.{found[4] or 0}")
        share = ZENER_LETTERS[found[2] or "C"]
        if 1.8 <= volts <= 200:
            yield Marking("zener", volts, "V", (-share, share), "V is the decimal point of a zener's volts")


def _resistor(text: str) -> Iterable[Marking]:
    """``4k7``, ``4K7J``, ``R47``, ``10R0F``, ``220R``, ``33E``, ``0R``: R-K-M, and E for R as some print it."""
    found = re.fullmatch(rf"(\d*)(\.\d+)?([RKMGE])(\d*){_LETTER}", text.upper(), re.ASCII)
    if not found or not (found[1] or found[4]) or (found[2] and found[4]) or (found[3] == "M" and text[-1:] == "m"):
        return
    if re.fullmatch(r"\d\d[ER]", text.upper(), re.ASCII) and not preferred(float(text[:2]), 24):
        return  # a place in E96 and a power of ten
    if re.fullmatch(r"\d\d\d[KMG]", text.upper()) and not preferred(float(text[:3]), 96):
        return  # a capacitor's digits, zeros and tolerance
    if (
        re.match(r"0\d", text)
        or (found[3] == "E" and len(found[4]) > 2)
        or (found[3] not in "RE" and not text.strip("0.kKmMgG"))
    ):
        return
    scale = {"R": 1.0, "E": 1.0, "K": 1e3, "M": 1e6, "G": 1e9}[found[3]]
    number = float(f"{found[1] or 0}{found[2] or ''}") if found[2] else float(f"{found[1] or 0}.{found[4] or 0}")
    how = "as written" if found[3] in "KMG" else f"{found[3]} is the decimal point"
    if re.fullmatch(r"\d{2}[1-6][KM]", text.upper()):  # likelier a capacitor's
        return
    yield from _ohms(number * scale, found[5], how)


def _ohms(ohms: float, letter: str | None, how: str) -> Iterable[Marking]:
    if ohms == 0:
        yield Marking("link", 0.0, "Ω", None, "no ohms at all is a link")
    else:
        yield _marking("resistor", ohms, "Ω", LETTERS.get(letter or ""), how)


def _capacitor(text: str) -> Iterable[Marking]:
    """``104``, ``104K``, ``2A104J``, ``104K100``, ``4n7``, ``u22J63``, and ``.1`` or ``0.47`` in microfarads."""
    upper = text.upper()
    coded = re.fullmatch(rf"([0-3][A-Z])?(\d\d)(\d){_LETTER}(\d{{2,4}})?V?", upper, re.ASCII)
    if (
        coded
        and text[-1] not in "pnuN"
        and coded[1] in (None, *VOLTS)
        and coded[2] != "00"
        and (coded[4] or not coded[5])
    ):
        power = {8: -2, 9: -1}.get(int(coded[3]), int(coded[3]))
        tantalum = " (a tantalum's, in µF it is as large)" if power > 5 else ""
        yield from _farads(float(f"{coded[2]}e{power - 12}"), coded[4], _volts(coded[1], coded[5]),
                           f"two digits and zeros, in pF{tantalum}")  # fmt: skip
    lettered = re.fullmatch(rf"(\d{{0,4}})([PNU])(\d{{0,2}}){_LETTER}(\d{{2,4}})?V?", upper, re.ASCII)
    value = float(f"{lettered[1] or 0}.{lettered[3] or 0}") if lettered else 0.0
    if lettered and (not lettered[3] or preferred(value, 24)) and (not lettered[5] or float(lettered[5]) in RATED):
        scale = {"P": 1e-12, "N": 1e-9, "U": 1e-6}[lettered[2]]
        how = "the letter is the decimal point" if lettered[3] else "as written"
        yield from _farads(value * scale, lettered[4], _volts(None, lettered[5]), how)
    point = re.fullmatch(rf"(0?\.\d+|\d{{1,2}}\.\d){_LETTER}(\d{{2,4}})?V?", upper, re.ASCII)
    if point and not (float(point[1]) >= 1 and text[-1:] in ("k", "m", "K", "M", "G")):
        how = "a number with a point, on a film capacitor or a tantalum, is in µF"
        yield from _farads(float(point[1]) * 1e-6, point[2], _volts(None, point[3]), how)
        if float(point[1]) >= 1:
            yield from _farads(float(point[1]) * 1e-12, point[2], "", "on a small ceramic it is in pF")


def _numbered(text: str) -> Iterable[Marking]:
    """``47`` and ``22J`` on a disc, in pF; ``100`` with its volts on an electrolytic, in µF."""
    found = re.fullmatch(rf"([1-9]\d?){_LETTER}", text.upper(), re.ASCII)
    if found:
        yield from _e96_code(text)
        if found[2] == "N" or (found[2] in ("K", "M", "G") and (len(text) == 2 or text[-1:].islower())):
            return  # nanofarads; kilohms and more
        if len(text) == 2 and found[2] and found[2] not in "BCD":
            return
        yield from _farads(float(found[1]) * 1e-12, found[2], "", "two digits alone on a disc are pF")
    plain = re.fullmatch(r"[1-9]\d{0,4}", text, re.ASCII)
    if plain and (preferred(float(text), 12) or float(text) in (50, 500, 20, 200, 5, 2)):
        yield from _farads(float(text) * 1e-6, None, "", "on an electrolytic it is in µF")
    if not found:
        yield from _e96_code(text)


def _volts(code: str | None, plain: str | None) -> str:
    return f"{VOLTS[code]:g} V" if code else f"{plain} V" if plain else ""


def _farads(farads: float, letter: str | None, rating: str, how: str) -> Iterable[Marking]:
    farads = float(f"{farads:.6g}")
    if not 0 < farads <= LARGEST:
        return
    if letter is None:
        yield Marking("capacitor", farads, "F", None, how, rating)
    elif farads < 10e-12 and letter in SMALL_CAPACITORS:
        share = SMALL_CAPACITORS[letter] / farads
        yield Marking("capacitor", farads, "F", (-share, share), how, rating)
    elif letter in CAPACITOR_LETTERS:
        yield Marking("capacitor", farads, "F", LETTERS[letter], how, rating)


def _trimmer(text: str) -> Iterable[Marking]:
    """``B102``, ``503``, ``W103``: two digits and zeros, with the letter of a taper on a potentiometer."""
    upper = text.upper()
    found = re.fullmatch(r"([ABCW])?(\d\d)(\d)([ABC])?", upper, re.ASCII)
    if found and found[2] != "00" and int(found[3]) <= 5:
        letter = found[1] or found[4] or ""
        kind = "potentiometer" if letter in TAPERS else "trimmer"
        yield _marking(
            kind, float(f"{found[2]}e{found[3]}"), "Ω", None, "two digits and zeros, in Ω", TAPERS.get(letter, "")
        )


def _tapered(text: str) -> Iterable[Marking]:
    """``A100K``, ``100KB``, ``10KL``: the value and the letter of the taper."""
    found = re.fullmatch(r"([ABC])?(\d+(?:\.\d+)?)([KM])(\d*)([ABCL])?", text.upper(), re.ASCII)
    if found and (found[1] is None) != (found[5] is None):
        number = float(f"{found[2]}.{found[4] or 0}") if "." not in found[2] else float(found[2])
        ohms = number * {"K": 1e3, "M": 1e6}[found[3]]
        yield _marking("potentiometer", ohms, "Ω", None, "the letter is the taper", (TAPERS | {"L": "linear"})[found[1] or found[5]])


def _chip(text: str) -> Iterable[Marking]:
    """``103``, ``1002``, ``4702F``, ``0`` of a surface-mount resistor."""
    upper = text.upper()
    if re.fullmatch(r"0{1,4}", upper):
        yield Marking("link", 0.0, "Ω", None, "a chip marked 0 is a link")
    elif re.fullmatch(r"[1-9]\d\d", upper):
        yield _marking(
            "resistor", float(f"{upper[:2]}e{upper[2]}"), "Ω", (-0.05, 0.05), "surface mount: two digits and zeros"
        )
    elif found := re.fullmatch(rf"([1-9]\d\d)(\d){_LETTER}", upper):
        share = LETTERS.get(found[3] or "", (-0.01, 0.01))
        yield _marking("resistor", float(f"{found[1]}e{found[2]}"), "Ω", share, "surface mount: three digits and zeros")


def _e96_code(text: str) -> Iterable[Marking]:
    found = re.fullmatch(r"(\d\d)([A-Z])", text.upper(), re.ASCII)
    if found and 1 <= int(found[1]) <= 96 and found[2] in EIA_96:
        ohms = e96()[int(found[1]) - 1] * EIA_96[found[2]]
        yield _marking("resistor", ohms, "Ω", (-0.01, 0.01), "surface mount, EIA-96: place in E96 and a power of ten")


def _inductor(text: str) -> Iterable[Marking]:
    """``101``, ``4R7`` and ``R22M`` in microhenries, ``10H`` of a choke."""
    upper = text.upper()
    coded = re.fullmatch(r"([1-9]\d)([0-6])([JKM])?", upper, re.ASCII)
    if coded:
        yield _marking("inductor", float(f"{coded[1]}e{int(coded[2]) - 6}"), "H", LETTERS.get(coded[3] or ""), "two digits and zeros, in µH")  # fmt: skip
    point = re.fullmatch(r"(\d*)R(\d+)([JKM])?", upper, re.ASCII)
    if point:
        yield _marking("inductor", float(f"{point[1] or 0}.{point[2]}e-6"), "H", LETTERS.get(point[3] or ""), "R is the decimal point, in µH")  # fmt: skip
    choke = re.fullmatch(rf"({_NUMBER})H", upper, re.ASCII)
    if choke and 0.1 <= float(choke[1]) <= 30:
        yield _marking("inductor", float(choke[1]), "H", None, "a choke, in henries")


def _tantalum(text: str) -> Iterable[Marking]:
    """``A106``, ``106C``: rated volts by their letter, two digits and zeros in pF."""
    found = re.fullmatch(r"([GJACDEVH])?(\d\d)([4-7])([GJACDEVH])?", text.upper(), re.ASCII)
    if found and (found[1] is None) != (found[4] is None):
        rating = f"{TANTALUM_VOLTS[found[1] or found[4]]:g} V"
        yield from _farads(
            float(f"{found[2]}e{int(found[3]) - 12}"), None, rating, "a tantalum: its volts by their letter, and pF"
        )


def _letter_and_digit(text: str) -> Iterable[Marking]:
    """``A5``, ``S3``: a ceramic chip capacitor, a letter for two digits and a power of ten in pF (EIA-198)."""
    found = re.fullmatch(r"([A-Za-z])(\d)", text, re.ASCII)
    if found and found[1] in CHIP_LETTERS:
        power = {9: -1}.get(int(found[2]), int(found[2]))
        yield from _farads(
            CHIP_LETTERS[found[1]] * 10.0**power * 1e-12, None, "", "a ceramic chip: a letter and a power of ten, in pF"
        )


def _supercapacitor(text: str) -> Iterable[Marking]:
    """``1F``, ``0.47F``: said to be what it would be."""
    found = re.fullmatch(rf"({_NUMBER})F", text, re.ASCII)
    if found and SMALLEST_SUPER <= float(found[1]) <= LARGEST_SUPER and preferred(float(found[1]), 12):
        yield Marking(
            "capacitor",
            float(found[1]),
            "F",
            None,
            "a supercapacitor, in whole farads: of a few volts, and for no signal",
        )


def _small_m(text: str) -> Iterable[Marking]:
    """``1m``, ``2m2``: nobody prints milliohms, so it is a careless megohm, or thousandths of a henry or a farad."""
    found = re.fullmatch(r"(\d+)(?:\.(\d+))?m(\d*)", text, re.ASCII)
    if found and not (found[2] and found[3]):
        number = float(f"{found[1]}.{found[2] or found[3] or 0}")
        yield _marking("resistor", number * 1e6, "Ω", None, "m written for M")
        yield _marking("inductor", number * 1e-3, "H", None, "thousandths of a henry")
        yield from _farads(number * 1e-3, None, "", "thousandths of a farad, which is as many thousand µF")


def _marking(
    kind: str, value: float, unit: str, tolerance: tuple[float, float] | None, how: str, taper: str = ""
) -> Marking:
    return Marking(kind, float(f"{value:.6g}"), unit, tolerance, how, "", taper)
