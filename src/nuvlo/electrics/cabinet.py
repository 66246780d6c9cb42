"""Loudspeakers of one cabinet: every way to wire them in series and parallel, and what each way does.

A wiring is a network in which drivers stand in series or parallel and such groups again; two that differ only in the order of
equals are one. Their number for equal drivers is the sequence 1, 2, 4, 10, 24, 66, 180, 522 … (P. A. MacMahon, "The combinations of
resistances", The Electrician 28, 1892).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from itertools import product

from nuvlo.problems import NuvloError, Problem
from nuvlo.quantity import UnreadableValue, parse_value

MOST_DRIVERS = 8  # 522 wirings of equal ones, some thousands of different ones
LEAST_SHARE = 0.8  # of the nominal impedance, that the modulus may fall to (IEC 60268-5)
DC_SHARE = 0.84  # of the nominal impedance, that a driver measures where it was not (common practice, no source)
ABOVE_DC = 1.05  # by which the least modulus of a moving coil lies above its resistance (common practice, no source)


class CabinetError(NuvloError):
    """Drivers that cannot be read, or too many of them."""


@dataclass(frozen=True)
class Driver:
    """One driver: ``nominal`` Ω as printed, ``dc`` Ω as measured (or as usual), the least modulus Ω."""

    nominal: float
    dc: float
    least: float

    @classmethod
    def printed(cls, nominal: float, dc: float | None = None) -> Driver:
        ohms = DC_SHARE * nominal if dc is None else dc
        return cls(nominal, ohms, ABOVE_DC * ohms)


@dataclass(frozen=True, order=True)
class Group:
    """Drivers, by number, or groups in series (``+``) or parallel (``|``); one alone has no sign."""

    sign: str
    members: tuple[Group, ...] = ()
    driver: int = -1

    def said(self, names: Sequence[str], inside: str = "") -> str:
        """As it is written: ``(8 + 8) | (8 + 8)``."""
        if not self.sign:
            return names[self.driver]
        text = f" {self.sign} ".join(m.said(names, self.sign) for m in self.members)
        return f"({text})" if inside else text

    def drivers(self) -> list[int]:
        return [self.driver] if not self.sign else [d for m in self.members for d in m.drivers()]


@dataclass(frozen=True)
class Wiring:
    """What one wiring does. Ω; ``share`` and ``behind`` are by driver: its part of the power, and Ω it is damped through by an
    amplifier without resistance."""

    group: Group
    expression: str
    nominal: float
    minimum: float
    dc: float
    share: tuple[float, ...]
    behind: tuple[float, ...]
    allowed: bool

    @property
    def even(self) -> float:
        """How evenly the power is shared: 1 where all bear the same."""
        return min(self.share) / max(self.share)

    def as_json(self) -> dict[str, object]:
        return {
            "expression": self.expression, "nominal": self.nominal, "minimum": self.minimum, "dc": self.dc,
            "share": list(self.share), "behind": list(self.behind), "allowed": self.allowed,
        }  # fmt: skip


def drivers_of(text: str, dc: Sequence[float] = ()) -> list[Driver]:
    """``6x8``, or ``2x16+2x8``, with their resistances in Ω where they were measured. Raises :class:`CabinetError`."""
    out: list[float] = []
    for word in text.lower().replace("×", "x").split("+"):
        many, _, ohms = word.strip().rpartition("x")
        try:
            out += [parse_value(ohms, "Ω")] * min(int(many or 1), MOST_DRIVERS + 1)
        except (UnreadableValue, ValueError) as bad:
            raise CabinetError(Problem(f"'{word}' is no number of drivers and their impedance.", "For example: 4x16, or 2x16+2x8.")) from bad
    if not 1 <= len(out) <= MOST_DRIVERS or min(out) <= 0:
        raise CabinetError(Problem(f"{'no' if not out else 'so many' if len(out) > MOST_DRIVERS else 'such'} drivers are not wired here.", f"One to {MOST_DRIVERS}, each of some ohms."))
    if dc and len(dc) != len(out):
        raise CabinetError(Problem(f"{len(dc)} resistances for {len(out)} drivers.", "Give one for each driver, in their order, or none."))
    return [Driver.printed(z, r) for z, r in zip(out, dc, strict=True)] if dc else [Driver.printed(z) for z in out]


def wirings(drivers: Sequence[Driver], amp_min: float | None = None) -> list[Wiring]:
    """Every distinct wiring: those an amplifier that may be loaded with ``amp_min`` Ω allows first, of these the most evenly
    shared, the lowest impedance first among equals (it takes most of the power)."""
    kinds = sorted(set(drivers), key=lambda d: (d.nominal, d.dc))
    counts = tuple(sum(d == k for d in drivers) for k in kinds)
    found = [_judged(_numbered(g, kinds, drivers), drivers, amp_min) for g in (*_groups("+", counts), *_groups("|", counts))]
    return sorted(found, key=lambda w: (not w.allowed, -round(w.even, 6), w.nominal, len(w.expression)))


@cache
def _groups(sign: str, counts: tuple[int, ...]) -> tuple[Group, ...]:
    """Groups of exactly these drivers, by kind, with ``sign`` outermost; one alone counts as in series."""
    if sum(counts) == 1:
        return (Group("", (), counts.index(1)),) if sign == "+" else ()
    other = "|" if sign == "+" else "+"
    inner: list[tuple[Group, tuple[int, ...]]] = []
    for some in product(*(range(c + 1) for c in counts)):
        if 0 < sum(some) < sum(counts):
            single = _groups("+", some) if sum(some) == 1 else _groups(other, some)
            inner += [(g, some) for g in single]
    inner.sort()
    out: list[Group] = []

    def extend(chosen: tuple[Group, ...], start: int, left: tuple[int, ...]) -> None:
        if not any(left):
            out.append(Group(sign, chosen))
            return
        for k in range(start, len(inner)):
            group, uses = inner[k]
            rest = tuple(a - b for a, b in zip(left, uses, strict=True))
            if min(rest) >= 0:
                extend((*chosen, group), k, rest)

    extend((), 0, counts)
    return tuple(g for g in out if len(g.members) > 1)


def _numbered(group: Group, kinds: Sequence[Driver], drivers: Sequence[Driver]) -> Group:
    """The same with real drivers in the places of their kinds, in order."""
    waiting = {k: [n for n, d in enumerate(drivers) if d == kind] for k, kind in enumerate(kinds)}

    def fill(g: Group) -> Group:
        return Group("", (), waiting[g.driver].pop(0)) if not g.sign else Group(g.sign, tuple(fill(m) for m in g.members))

    return fill(group)


def _judged(group: Group, drivers: Sequence[Driver], amp_min: float | None) -> Wiring:
    nominal, least, dc = (ohms_of(group, [getattr(d, what) for d in drivers]) for what in ("nominal", "least", "dc"))
    share, behind = [0.0] * len(drivers), [0.0] * len(drivers)
    each = [d.nominal for d in drivers]
    for driver, part, through in _loads(group, each, 1.0, 0.0):
        share[driver], behind[driver] = part, through
    allowed = amp_min is None or (nominal >= amp_min * (1 - 1e-9) and least >= LEAST_SHARE * amp_min)
    return Wiring(group, group.said([f"{d.nominal:g}" for d in drivers]), nominal, least, dc, tuple(share), tuple(behind), allowed)


def ohms_of(group: Group, ohms: Sequence[float]) -> float:
    """Ω of a group whose drivers have these ``ohms``."""
    if not group.sign:
        return ohms[group.driver]
    inner = [ohms_of(m, ohms) for m in group.members]
    return sum(inner) if group.sign == "+" else 1.0 / sum(1.0 / z for z in inner)


def _loads(group: Group, ohms: Sequence[float], power: float, behind: float) -> list[tuple[int, float, float]]:
    """(driver, its share of the power, Ω it looks back into) where the whole takes ``power`` and looks back into ``behind``."""
    if not group.sign:
        return [(group.driver, power, behind)]
    inner = [ohms_of(m, ohms) for m in group.members]
    out = []
    for k, (member, z) in enumerate(zip(group.members, inner, strict=True)):
        rest = [other for j, other in enumerate(inner) if j != k]
        if group.sign == "+":
            part, back = z / sum(inner), behind + sum(rest)
        else:
            part = (1 / z) / sum(1 / other for other in inner)
            back = 0.0 if behind == 0 else 1.0 / (1.0 / behind + sum(1.0 / other for other in rest))
        out += _loads(member, ohms, power * part, back)
    return out


# -- polarity by battery -------------------------------------------------------------------------------------------

OUT, IN, STILL = "out", "in", "still"


def dead_by(group: Group, faulty: int, sign: str) -> frozenset[int]:
    """Drivers without current where one is open (``sign`` ``+``) or shorted (``|``): an open one stops all that is in series with
    it, a short one all that is in parallel."""
    if not group.sign:
        return frozenset({group.driver} if group.driver == faulty else ())
    dead = [dead_by(m, faulty, sign) for m in group.members]
    if group.sign == sign and any(d == set(m.drivers()) for d, m in zip(dead, group.members, strict=True)):
        return frozenset(group.drivers())
    return frozenset().union(*dead)


def polarity(group: Group, moved: Sequence[str]) -> list[str]:
    """What cones say with plus of a battery on the red terminal: ``moved`` is ``out``, ``in`` or ``still`` for each driver. A
    sentence for each single mistake; none where all move out. Raises :class:`CabinetError` where there are too few words."""
    count = len(group.drivers())
    if odd := [m for m in moved if m not in (OUT, IN, STILL)]:
        raise CabinetError(Problem(f"'{odd[0]}' is no way for a cone to move.", "Say out, in or still for each of them, in their order."))
    if len(moved) != count:
        raise CabinetError(Problem(f"{len(moved)} words for {count} cones.", "For each of them out, in or still, in their order."))
    names = [f"D{k + 1}" for k in range(count)]
    still, inwards = [k for k, m in enumerate(moved) if m == STILL], [k for k, m in enumerate(moved) if m == IN]
    out = []
    if len(still) == count:
        return ["Nothing moves: the battery is flat, or a lead to the terminals is open."]
    if inwards and len(inwards) + len(still) == count:
        return ["All move in: the two leads of the terminals are exchanged, or the battery is turned."]
    for k in inwards:
        out.append(f"{names[k]} moves in: exchange the two leads on its tags.")
    left = set(still)
    for words, sign in (("stand still: one of them is open, or the lead between them", "+"), ("stand still: one of them is shorted", "|")):
        for k in still:
            dead = dead_by(group, k, sign)
            if len(dead) > 1 and dead == left:
                out.append(f"{' and '.join(names[m] for m in sorted(dead))} {words}.")
                left -= dead
    return out + [f"{names[k]} stands still: its coil is open or shorted, or a lead is off." for k in sorted(left)]
