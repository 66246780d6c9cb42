"""What a part is and what it is worth, from the words and figures that describe it."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass

from nuvlo.kit.kinds import VALUED
from nuvlo.markings.codes import read_code
from nuvlo.markings.marking import Marking, colours_in, preferred, read_bands
from nuvlo.quantity import UnreadableValue, format_value, parse_value
from nuvlo.quantity.tolerance import parse_tolerance

# Words that tell a kind, the more telling first, in the languages lists come in.
KIND_WORDS: tuple[tuple[str, str], ...] = (
    ("transformer", r"transformer|übertrager|trafo|transfo|\btransf\b|\bxfmr\b"),
    ("resistor", r"metal film|carbon film|metallschicht|wirewound|resist|\bres\b|widerst|résist|weerstand|\bres[_:]|r_axial"),
    ("electrolytic", r"electrol[yií]|électrol|elettrol|chimique|elko|\balum\b|\belyt|tantal|cp_radial|cp_axial|polari[sz]ed cap|\belectro\b"),
    ("trimmer", r"\btrim|preset"),
    ("potentiometer", r"\bpot\b|\bpoti|potentio|potmeter|\bpots\b"),
    ("capacitor", r"capac|\bcaps?\b|\bcer\b|kondens|condens|kerko|\bfilm\b|folie|ceram|keram|céram|\bmkt\b|\bmkp\b|\bmica\b|c_disc|cap_"),
    ("inductor", r"induct|choke|\bcoils?\b|spule|drossel"),
    ("valve", r"\bvalves?\b|\btubes?\b|röhre|triode|pentode"),
    ("socket", r"\b(?:ic|dip|dil|valve|tube|transistor|noval|octal)[- ]?\d*\W*(?:pin\W*)?(?:socket|base)|\bpin\W+(?:ic|dip|dil)?\W*socket|\bfassung"),
    ("jack", r"\bdc\b.{0,6}(?:socket|inlet)|\bjack\b.?socket|klinke|netzbuchse"),
    ("chip", r"op-?amp|\bics?\b|regulator|\bchips?\b|integrated"),
    ("lamp", r"\bleds?\b|\blamps?\b|leucht"),
    ("diode", r"diode|rectifier|zener"),
    ("transistor", r"transist|\btrans\b|\bnpn\b|\bpnp\b|\bj?fets?\b|mosfet"),
    ("socket", r"\bsockets?\b|\bdip-?\d*.?socket"),
    ("jack", r"\bjacks?\b|connector|stecker|buchse|\bxlr\b|header|\bconn[_ ]|terminal"),
    ("switch", r"switch|schalter|footswitch"),
    ("fuse", r"\bfuses?\b|sicherung"), ("relay", r"relay|relais"), ("knob", r"\bknobs?\b|knopf"),
    ("battery", r"\bbatter(?:y|ie)|\bpp3\b"), ("case", r"\bcase\b|enclosure|gehäuse|die-?cast"), ("wire", r"\bwires?\b|\bcable\b|litze|kabel"),
    ("hardware", r"screw|standoff|spacer|\bnuts?\b|washer|feet|hardware|schraube"),
)  # fmt: skip
KIND_OF_LETTERS = {
    "R": "resistor", "RV": "trimmer", "VR": "potentiometer", "TRIM": "trimmer", "P": "potentiometer", "POT": "potentiometer",
    "C": "capacitor", "L": "inductor", "D": "diode", "LED": "lamp", "Q": "transistor", "T": "transistor", "TR": "transistor",
    "U": "chip", "IC": "chip", "V": "valve", "SW": "switch", "S": "switch", "J": "jack", "X": "jack", "F": "fuse", "K": "relay",
}  # fmt: skip
LETTERS_OF_KIND = {
    "resistor": "R", "trimmer": "RV", "potentiometer": "VR", "capacitor": "C", "electrolytic": "C", "inductor": "L", "diode": "D",
    "lamp": "LED", "transistor": "Q", "chip": "U", "valve": "V", "switch": "SW", "jack": "J", "fuse": "F", "relay": "K",
    "transformer": "T", "link": "LINK", "socket": "SKT", "knob": "KNOB", "case": "CASE", "wire": "W", "hardware": "HW", "battery": "BAT",
}  # fmt: skip
NOT_FITTED = re.compile(
    r"dnp|dnf|dni|n\.?\s?c\.?|not fitted|nicht bestückt|no fit|do not fit|unpopulated", re.IGNORECASE
)
SURFACE_MOUNT = re.compile(r"\bsmd\b|\bsmt\b|\bchip res|0402|0603|0805|1206", re.IGNORECASE)
_TOLERANCE = re.compile(r"(-\s?\d+\s?/\s?\+\s?\d+|(?:±|\+/-|\+-)?\s?\d+(?:[.,]\d+)?)\s?%")
_RATING = re.compile(
    r"(?:(?<![\w.,/])|(?<=[A-Za-zµμΩ]/))(\d+/\d+|\d+(?:[.,]\d+)?)\s?(kV|mW|mA|V|W|A)(?:DC|AC)?(?![\w])", re.IGNORECASE
)
_NUMBER = re.compile(r"(?<![\w.,/%])(\d+(?:[.,]\d+)?)\s+((?:meg|[TGMkKmunpµμ])?\s?(?:Ω|ohms?|[FHR])?)(?![\w])")


# A type as makers print it: letters and figures together; not a package, a size or a pin count.
_TYPE = re.compile(r"(?=[\w/-]*\d)(?=[\w/-]*[A-Za-z])[A-Za-z0-9][\w/-]*")
_NO_TYPE = re.compile(
    r"(?:dip|dil|to|so|soic|sot|do|sip|qfn|tssop)-?\d+\w*|\d+(?:[.,]\d+)?(?:mm|v|w|a|ma|mw|hz|mcd|p|pin)|\d+x\d*|\d+-pin",
    re.IGNORECASE,
)
SUM = re.compile(
    r"(?:sub|grand )?total\w*|sum|summe|gesamt\w*|somme|shipping|postage|versand\w*|porto|vat|mwst\.?|tva",
    re.IGNORECASE,
)


class NoValue(ValueError):
    """The text holds no value of this kind; says why."""


@dataclass(frozen=True)
class Found:
    """What a description says. ``text`` is how the value is written afterwards."""

    value: float
    tolerance: tuple[float, float] | None = None
    rating: str = ""
    taper: str = ""


def kind_in(text: str) -> str | None:
    """The kind that the words of ``text`` tell, or None."""
    low = text.lower()
    return next((kind for kind, words in KIND_WORDS if re.search(words, low)), None)


def without_kind(text: str) -> str:
    """``text`` without the word that tells its kind, where anything is left: ``transistor BC549C`` → ``BC549C``."""
    kind = kind_in(text)
    pattern = next((words for name, words in KIND_WORDS if name == kind), "$^")
    rest = re.sub(rf"\w*(?:{pattern})\w*", "", text, count=1, flags=re.IGNORECASE).strip(" ,;:-")
    return rest if len(rest) > 1 else text


def kind_by_value(text: str) -> str | None:
    """The kind that a bare value tells: ``4k7`` is a resistor, ``100n`` a capacitor (common practice, no source)."""
    clean = text.strip()
    for kind, written in (("resistor", r"\d*[.,]?\d+\s?[kKMR]\d*\s?(?:Ω|ohms?)?|\d+\s?(?:Ω|ohms?)"), ("capacitor", r"\d*[.,]?\d+\s?[pnuµμ]\d*F?"),
                          ("inductor", r"\d*[.,]?\d+\s?[mnuµμ]H")):  # fmt: skip
        if re.fullmatch(written, clean):
            return kind
    return None


def type_in(text: str) -> str:
    """The type that a description names: ``Op-amp NE5532P DIP8`` → ``NE5532P``. Empty where no word looks like one."""
    words = (w.strip("()[],;:.?\"'") for w in text.split())
    return next((w for w in words if _TYPE.fullmatch(w) and not _NO_TYPE.fullmatch(w)), "")


def kind_by_letters(ref: str) -> str | None:
    """The kind that a reference's letters usually stand for (common practice, no source)."""
    letters = re.match(r"[A-Z]+", ref.upper())
    return KIND_OF_LETTERS.get(letters[0]) if letters else None


def tolerance_in(text: str) -> tuple[float, float] | None:
    found = _TOLERANCE.search(text)
    if not found:
        return None
    try:
        return parse_tolerance(found[1].replace("+/-", "").replace("+-", ""))
    except ValueError:
        return None


def rating_in(text: str) -> str:
    """``25 V``, ``0.25 W``: the first rating that stands in ``text``."""
    found = _RATING.search(text)
    if not found:
        return ""
    number, unit = found[1].replace(",", "."), found[2]
    if "/" in number:
        top, bottom = (float(n) for n in number.split("/"))
        number = f"{top / bottom:g}" if bottom else number
    proper = {"kv": "kV", "mw": "mW", "ma": "mA"}.get(unit.lower(), unit.upper())
    return f"{number} {proper}"


def value_in(kind: str, text: str, *, surface_mount: bool = False) -> Found:
    """The value that ``text`` gives for a part of ``kind``. Raises :class:`NoValue`."""
    unit = VALUED[kind]
    text = _RATING.sub(" ", re.sub(r"^\s*\d\s?[x×]\s?(?=\d)", "", text)).strip(" /,;") if unit else text  # two ganged; and a rating is no value
    colours = colours_in(text)
    if colours and kind == "resistor" and (bands := read_bands(colours)):
        return Found(bands[0].value, bands[0].tolerance)
    why = f"'{text}' holds no value in {unit}" if text else "the value is empty"
    for candidate in _candidates(re.sub(r"(?<=\d)\s?([UNP])([FH])\b", lambda m: m[1].lower() + m[2], text)):
        if re.fullmatch(r"\d{2,4}[A-Za-z]?", candidate) and (coded := _coded(kind, candidate, surface_mount)):
            return coded
        try:
            value = parse_value(candidate, unit)
        except UnreadableValue as bad:
            if "may mean" in str(bad):
                why = bad.problems[0].message.rstrip(";.")
            marks = [m for m in read_code(candidate) if _fits(m, kind)]
            if marks and not re.fullmatch(r"\d+", candidate):
                return Found(marks[0].value, marks[0].tolerance, marks[0].rating, marks[0].taper)
            continue
        if kind in ("capacitor", "electrolytic") and re.fullmatch(r"0?[.,]\d+", candidate):
            value *= 1e-6  # a bare fraction on a capacitor is in microfarads
        if value < 0 or not math.isfinite(value) or (unit == "F" and value > 1):
            continue
        return Found(value)
    raise NoValue(why)


def _fits(mark: Marking, kind: str) -> bool:
    alike = {"electrolytic": ("capacitor",), "trimmer": ("trimmer", "potentiometer"), "potentiometer": ("potentiometer", "trimmer")}  # fmt: skip
    return mark.kind in alike.get(kind, (kind,))


def _coded(kind: str, text: str, surface_mount: bool) -> Found | None:
    """A bare number: digits with zeros, or the value itself. Raises :class:`NoValue` where it may well be either."""
    marks = [m for m in read_code(text) if _fits(m, kind) and "zeros" in m.how]
    bare = float(text) if text.isdecimal() else math.nan
    if kind == "resistor" and not surface_mount:
        if text.isdecimal() and not preferred(bare, 192) and marks and preferred(marks[0].value, 192):
            raise _either(marks[0].value, bare, "Ω")
        return None
    if not marks:
        return None
    mark = marks[0]
    if (
        kind in ("capacitor", "electrolytic")
        and text.isdecimal()
        and preferred(bare, 24)
        and not text.endswith(("3", "4", "5"))
    ):
        raise _either(mark.value, bare * 1e-12, "F")
    return Found(mark.value, mark.tolerance, mark.rating, mark.taper)


def _either(code: float, bare: float, unit: str) -> NoValue:
    return NoValue(f"may be {format_value(bare, unit)}, or {format_value(code, unit, 4)} by its code: write the unit")


def _candidates(text: str) -> list[str]:
    """Pieces of ``text`` that may be the value: all of it, a number with its parted unit, then each word."""
    clean = text.strip()
    joined, rest = [], clean
    for parted in _NUMBER.finditer(clean):
        if parted[2]:  # the bare number alone would lose its unit
            joined.append("".join(parted.groups()).replace(" ", ""))
            rest = rest.replace(parted[0], " ")
    words = [
        w.strip("()[],;?")
        for w in re.split(r"\s+|/(?=\s|\d)|\bwith\b", rest)
        if w and not re.fullmatch(r"[\d.,/]+\s?(%|k?V|m?W|m?A)(DC|AC)?", w.strip("()[],;?"), re.IGNORECASE)
    ]
    return [c for c in dict.fromkeys([clean, *joined, *words]) if c]
