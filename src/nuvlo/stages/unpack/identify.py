"""What is this part, and where does it belong? From bands, a code or a reading."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from math import inf, isclose, log

from nuvlo.catalogue import Type, find, printed
from nuvlo.catalogue.words import SORTS
from nuvlo.catalogue.zeners import TOLERANCE
from nuvlo.instruments.protocols import MeterSpec
from nuvlo.kit import Kit, Part
from nuvlo.kit.kinds import kind_of
from nuvlo.markings.codes import read_code
from nuvlo.markings.marking import Marking, colours_in, read_bands
from nuvlo.problems import NuvloError, Problem
from nuvlo.quantity import Measured, UnreadableValue, format_value, parse_value

LOOSE = 0.25  # a reading this far from every part fits none
NEAR, TIMES = 0.04, 2.0  # share from its value, and times its tolerance, within which a part is told beside one that fits


@dataclass(frozen=True)
class Candidate:
    """A thing the part may be, and the references it would fit, those still to be found first."""

    kind: str
    value: float | None
    unit: str
    tolerance: tuple[float, float] | None
    refs: tuple[str, ...]
    how: str
    more: str = ""  # rating or taper, where the marking tells it

    @property
    def words(self) -> str:
        """``capacitor 47 nF ± 5 %, 100 V``."""
        if self.value is None:
            return f"{self.kind} {self.more}"
        spread = ""
        if self.tolerance:
            low, high = (100 * t for t in self.tolerance)
            spread = f" ± {high:g} %" if low == -high else f" −{-low:g}/+{high:g} %"
        what = f"{self.kind} {format_value(self.value, self.unit, 4)}{spread}"
        return f"{what}, {self.more}" if self.more else what


def identify(text: str, kit: Kit | None = None, found: Collection[str] = ()) -> list[Candidate]:
    """Everything that bands (``brown black orange gold``) or a code (``104K``) can mean, likeliest first.

    With a ``kit`` what it holds comes first, and of that what is not ``found`` yet. Raises :class:`NuvloError` where the
    text means nothing.
    """
    colours = colours_in(text)
    known = find(text) if not colours else None
    if known is not None and known.sort != "zener":
        return [_typed(known, kit, found)]
    short = [t for t in printed(text) if t.sort != "zener"] if known is None and not colours else []
    if known is not None:
        volts = _volts_of(known) or 0.0
        marks = [
            Marking(
                "zener", volts, "V", (-TOLERANCE, TOLERANCE), f"{known.package}, {known.ratings}. {known.way_round}"
            )
        ]
    else:
        marks = read_bands(colours) if colours else read_code(text)
    if not marks and not short:
        what = "These bands make no value" if colours else f"'{text}' is not a code I know"
        raise NuvloError(
            Problem(f"{what}.", "Type colours from one end to the other, or a code such as 104K, 4k7 or 01C.")
        )
    out = [_typed(t, kit, found) for t in short] + [
        Candidate(m.kind, m.value, m.unit, m.tolerance, _fitting(m, kit, found), m.how, m.rating or m.taper)
        for m in marks
    ]
    return sorted(out, key=lambda c: (not c.refs, not set(c.refs) - set(found)))


def _typed(t: Type, kit: Kit | None, found: Collection[str]) -> Candidate:
    refs = [p.ref for p in (kit.parts.values() if kit else ()) if not p.unit and find(p.text) is t]
    how = " ".join(w for w in (f"{t.package}.", t.legs, t.way_round) if w)
    return Candidate(SORTS[t.sort], None, "", None, tuple(sorted(refs, key=lambda r: r in found)), how, t.name)


def _fitting(mark: Marking, kit: Kit | None, found: Collection[str]) -> tuple[str, ...]:
    if mark.kind == "zener":
        refs = [p.ref for p in (kit.parts.values() if kit else ()) if _zener_volts(p) == mark.value]
        return tuple(sorted(refs, key=lambda r: r in found))
    refs = [
        p.ref for p in (kit.parts.values() if kit else ())
        if p.value is not None and p.unit == mark.unit and isclose(p.value, mark.value, rel_tol=1e-3)
        and _marked_as(p.kind) == _marked_as(mark.kind)
    ]  # fmt: skip
    return tuple(sorted(refs, key=lambda r: r in found))


def _zener_volts(part: Part) -> float | None:
    """Volts of a part that is a zener, by its type."""
    known = find(part.text) if not part.unit else None
    return _volts_of(known) if known else None


def _volts_of(known: Type) -> float | None:
    return next((p.value for p in known.published if p.what == "vz"), None)


def identify_reading(text: str, kit: Kit, found: Collection[str] = ()) -> list[Candidate]:
    """Parts of the kit that a meter reading may be, likeliest first: inside their tolerance, then near it.

    A part that is in circuit reads otherwise; this is for loose ones. Raises :class:`NuvloError` for what is no reading.
    """
    try:
        value = parse_value(text)
    except UnreadableValue as bad:
        raise NuvloError(bad.problems) from bad
    unit = (
        "F"
        if text.strip().rstrip("F")[-1:] in "pnuµμ" or text.strip().endswith("F")
        else "H"
        if text.strip().endswith("H")
        else "Ω"
    )
    reading = MeterSpec().measured(value, unit)
    groups: dict[tuple[str, float], list[Part]] = {}
    for part in kit.parts.values():
        if part.value and part.unit == unit:
            groups.setdefault((part.kind, part.value), []).append(part)
    ranked = sorted((_distance(parts[0], reading), key, parts) for key, parts in groups.items())
    fits = bool(ranked) and ranked[0][0] <= 1
    out = []
    for distance, (kind, nominal), parts in ranked:
        if distance > 1 and abs(log(max(value, 1e-30) / nominal)) > _reach(parts[0], fits):
            continue
        refs = tuple(sorted((p.ref for p in parts), key=lambda r: r in found))
        how = "inside its tolerance" if distance <= 1 else f"{100 * (value / nominal - 1):+.1f} % from its value"
        out.append(Candidate(kind, nominal, unit, parts[0].tolerance, refs, how))
    return sorted(out, key=lambda c: "inside" in c.how and not set(c.refs) - set(found))


def _reach(part: Part, fits: bool) -> float:
    """How far a reading may be from a part's value that it may still be, in nepers: where another one fits no further than a meter or a drift may
    make of it, where none does whatever is not far."""
    widest = max(abs(t) for t in part.tolerance) if part.tolerance else LOOSE
    return min(LOOSE, max(NEAR, TIMES * widest)) if fits else LOOSE


def _distance(part: Part, reading: Measured) -> float:
    """How far a reading lies from a part's value, in half-widths of its tolerance and the meter's doubt together."""
    assert part.value is not None
    low, high = part.limits or (part.value, part.value)
    edge = part.value - low if reading.value < part.value else high - part.value
    room = edge + reading.uncertainty
    return abs(reading.value - part.value) / room if room else inf


def _marked_as(kind: str) -> str:
    """The kind whose markings a kind bears."""
    return kind_of(kind).marked_as or kind
