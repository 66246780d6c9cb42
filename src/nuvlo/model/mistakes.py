"""Every single mistake that a builder may have made in a kit, as overrides of its circuit, with how likely each is before anything is read.

The weights are common practice without a source: what restorers and kit makers say they meet. They are shares of each other, not of units.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import combinations, permutations

from nuvlo.circuit.faults import LEGS, Bridge, Missing, Reversed, Turned
from nuvlo.craft.look_alikes import look_alikes
from nuvlo.kit import Kit
from nuvlo.kit.kit import override_of_element
from nuvlo.kit.parts import Part
from nuvlo.quantity import format_value

SHORT_OHMS, LEAKY_OHMS, COLD_OHMS = 0.3, 1e3, 10e3  # of a bridge, of an electrolytic the wrong way round, of a cold joint
NEIGHBOURS_MM = 2.6  # between edges of pads that a careless iron joins
WEIGHT = {
    "decade": 1.5, "look-alike": 3.0, "exchanged": 2.0, "open": 2.0, "cold": 1.0, "short": 0.4, "reversed": 3.0, "turned": 1.0, "bridge": 1.0,
    "leaky": 1.0, "supply": 1.0, "trimmer": 0.7,
}  # fmt: skip


@dataclass(frozen=True)
class Mistake:
    """What is wrong, in words; the parts it concerns; overrides of the circuit; and its weight."""

    text: str
    refs: tuple[str, ...]
    kind: str
    overrides: tuple[tuple[str, float], ...]

    @property
    def weight(self) -> float:
        return WEIGHT[self.kind]


def single_mistakes(kit: Kit) -> list[Mistake]:
    """All of them, each once: what two rules come to is the first."""
    out: dict[tuple[tuple[str, float], ...], Mistake] = {}
    for one in _all(kit):
        out.setdefault(one.overrides, one)
    return list(out.values())


def _all(kit: Kit) -> Iterator[Mistake]:
    for part in kit.parts.values():
        yield from _of_part(kit, part)
    yield from _mixed_up(kit)
    yield from _bridges(kit)
    for supply in kit.info.supply:
        if supply.running:
            for share, says in ((0.6, "is far too low"), (0.0, "is not there")):
                yield Mistake(f"the {supply.name} {says}", (), "supply", ((supply.element, share * supply.running),))
    for trim in kit.info.trim:
        if kit.element_of(trim.trimmer):
            for at, says in ((0.0, "anticlockwise"), (1.0, "clockwise")):
                yield Mistake(f"{trim.trimmer} stands at its end, {says}", (trim.trimmer,), "trimmer", ((kit.position_of(trim.trimmer), at),))


def _of_part(kit: Kit, part: Part) -> Iterator[Mistake]:
    unit = kit.unit
    assert unit is not None
    names = ["0", *unit.nodes]
    for element in kit.elements_of(part.ref):
        if element.startswith("x"):
            continue
        e, ref = unit.element(element), part.ref
        if e.kind in "rc" and part.value:
            for by in (10.0, 0.1, 100.0, 0.01, 1000.0, 1e-3):
                said = f"{format_value(part.value * by, part.unit)} in place of {format_value(part.value, part.unit)}"
                yield Mistake(f"{ref} is {said}", (ref,), "decade", ((override_of_element(element), part.value * by),))
        if e.kind in "rcldqj":
            yield Mistake(f"{ref} is missing, or one of its joints is open", (ref,), "open", ((Missing(element).key, 1.0),))
        if e.kind == "r" and part.value:
            yield Mistake(f"a joint of {ref} is cold", (ref,), "cold", ((override_of_element(element), part.value + COLD_OHMS),))
        if e.kind in "rcld":
            a, b = (names[n + 1] for n in e.nodes[:2])
            if a != b:
                yield Mistake(f"{ref} is shorted", (ref,), "short", ((Bridge(a, b).key, SHORT_OHMS),))
                if e.kind == "c" and part.polarised:
                    yield Mistake(f"{ref} is the wrong way round, or leaks", (ref,), "leaky", ((Bridge(a, b).key, LEAKY_OHMS),))
        if e.kind == "d":
            yield Mistake(f"{ref} is the wrong way round", (ref,), "reversed", ((Reversed(element).key, 1.0),))
        if e.kind in "qj":
            own = LEGS[e.kind]
            for legs in ("".join(p) for p in permutations(own)):
                if legs != own:
                    yield Mistake(f"{ref} stands in other holes: legs {legs} where {own} belong", (ref,), "turned", ((Turned(element, legs).key, 1.0),))


def _mixed_up(kit: Kit) -> Iterator[Mistake]:
    """Parts that are taken for each other: one in the place of the other, and both exchanged."""
    for pair in look_alikes(kit):
        for a, b in ((kit.part(x), kit.part(y)) for x in pair.first for y in pair.second):
            first, second = kit.element_of(a.ref), kit.element_of(b.ref)
            if not (first and second and a.value and b.value and a.unit == b.unit) or math.isclose(a.value, b.value):
                continue
            here, there = override_of_element(first), override_of_element(second)
            yield Mistake(f"{a.ref} is {format_value(b.value, b.unit)}, as {b.ref}", (a.ref,), "look-alike", ((here, b.value),))
            yield Mistake(f"{b.ref} is {format_value(a.value, a.unit)}, as {a.ref}", (b.ref,), "look-alike", ((there, a.value),))
            yield Mistake(f"{a.ref} and {b.ref} are exchanged", (a.ref, b.ref), "exchanged", ((here, b.value), (there, a.value)))


def _bridges(kit: Kit) -> Iterator[Mistake]:
    """Solder between pads of different nets that lie side by side."""
    if kit.board is None or kit.unit is None:
        return
    known = {"0", *kit.unit.nodes}
    seen: set[frozenset[str]] = set()
    for a, b in combinations(kit.board.pads, 2):
        nets = frozenset({a.net.lower(), b.net.lower()})
        if len(nets) < 2 or not nets <= known or nets in seen:
            continue
        if math.hypot(a.x_mm - b.x_mm, a.y_mm - b.y_mm) - (a.pad_mm + b.pad_mm) / 2 < NEIGHBOURS_MM:
            seen.add(nets)
            where = f"{a.ref}.{a.pin} and {b.ref}.{b.pin}"
            yield Mistake(f"solder joins {where}", (a.ref, b.ref), "bridge", ((Bridge(*sorted(nets)).key, SHORT_OHMS),))
