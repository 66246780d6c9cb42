"""Every single mistake that a builder may have made in a kit, as overrides of its circuit.

How often each kind is made, and how well it shows to the eye, stands in a table (:mod:`nuvlo.files.mistakes`). Ohms of a short, of a
cold joint and of what leaks, and how near pads must be for an iron to join them, are common practice without a source.
"""

from __future__ import annotations

import math
import re
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from itertools import combinations, permutations

import numpy as np

from nuvlo.arrays import Array
from nuvlo.catalogue import Type, find
from nuvlo.circuit.faults import LEGS, Bridge, Missing, Moved, Reversed, Turned, fault_named
from nuvlo.craft.look_alikes import look_alikes
from nuvlo.kit import Kit
from nuvlo.kit.kinds import kind_of
from nuvlo.kit.kit import override_of_element
from nuvlo.kit.parts import Part
from nuvlo.model.rectifier import rectifiers
from nuvlo.quantity import format_value, parse_value

SHORT_OHMS, COLD_OHMS = 0.3, 10e3  # of a bridge, of a cold joint
ANOTHER = (0.5, 0.7, 0.83, 1.2, 1.45, 2.0, 0.2, 5.0, 1e-2, 1e2, 1e-4, 1e4)  # times what it should be, that a value is which is another
MOST_PAIRS, BESIDE_MM = 80, 12.0  # of resistors that may be exchanged; between such, from middle to middle
MOST_OTHERS, OFF_VOLTS = 20, 2.0  # such values, those of the kit first; times more or less that the volts of a supply are
FILM_LEAKS, HELD_FARADS = 220e3, 1e-9  # Ω of a film capacitor that leaks; from where one holds DC off anything
OTHER_WIPER = 0.3  # as often as a pot's leads, that a trimmer has its legs in another order (common practice, no source)
REVERSED_OHMS, LEAKY_OHMS = 1e3, 10e3  # of an electrolytic the wrong way round, and of one that leaks
WEAK_GAIN = 15.0  # of a transistor that has suffered
STUCK_OHMS, SUBSTRATE_OHMS = 20.0, 5.0  # of an output that has failed to a rail; of a chip whose supply is the wrong way round
NEIGHBOURS_MM, LEAD_MM = 2.6, 4.5  # between edges of pads that a careless iron joins, and that a bent lead reaches
DECADES = ((10.0, 0.3), (0.1, 0.3), (1000.0, 0.15), (1e-3, 0.15), (100.0, 0.05), (0.01, 0.05))  # factors, and how many of a hundred wrong ones
MADE = {"Ω": (0.5, 30e6), "F": (5e-12, 5e-6)}  # values that are made
MADE_ELECTROLYTIC = (0.3e-6, 30e-3)


@dataclass(frozen=True)
class Mistake:
    """What is wrong, in words; the parts it concerns; its kind in the table; overrides of the circuit. Of a bridge the ``pads``, of a wire the places of its ends; of a part that is
    taken for another without a circuit, which that is ``like``. It is known by its :attr:`id`, however it is told.

    ``share`` of its kind's weight. ``asleep`` while the sockets are empty, of what is plugged. ``hurts`` says what does not survive
    being powered so; what is read after that may no longer be what this mistake alone would read. What it comes to is seldom known: it may be
    ``loose`` times more or less than its overrides say, counted from what is ``above``; or any of ``amounts``, from the least to the most. Of one with a
    wire or a contact, the overrides are of the unit with its wires as elements (``wired``, :mod:`~nuvlo.model.wired`). What stands round the unit makes
    ``besides`` of it: more overrides, by which it is not known.
    """

    text: str
    refs: tuple[str, ...]
    kind: str
    overrides: tuple[tuple[str, float], ...]
    share: float = 1.0
    asleep: bool = False
    hurts: str = ""
    loose: float = 1.0
    above: float = 0.0
    amounts: tuple[float, ...] = ()
    pads: tuple[str, ...] = ()
    like: str = ""
    wired: bool = False
    besides: tuple[tuple[str, float], ...] = ()

    @cached_property
    def id(self) -> str:
        """Its kind, and what of the circuit it changes to what; without a circuit the parts or pads: ``open r1.missing=1``."""
        return f"{self.kind} {self.changes or ' '.join([*(self.pads or self.refs), *([self.like] if self.like else [])])}"

    @property
    def changes(self) -> str:
        """What of the circuit it changes to what."""
        return " ".join(f"{key}={value:.6g}" for key, value in self.overrides)

    @property
    def varies(self) -> bool:
        """Whether it comes to more or less."""
        return self.loose != 1.0 or bool(self.amounts)

    def made(self, share: float) -> tuple[tuple[str, float], ...]:
        """Its overrides as it happens to be made, ``share`` 0 to 1 of the way from the mildest to the worst."""
        return tuple((key, float(amounts[0])) for key, amounts in self.each_made(np.array([share])).items())

    def each_made(self, shares: Array) -> dict[str, Array]:
        """What each of its overrides comes to, for ``shares`` (N,) of that way."""
        if self.amounts:  # of as many shares as there are amounts, one each
            place = np.argsort(np.argsort(shares)) if shares.size > 1 else shares * (len(self.amounts) - 1)
            at = np.minimum(place * len(self.amounts) // shares.size if shares.size > 1 else place.astype(int), len(self.amounts) - 1)
            return {key: np.array(self.amounts)[at] for key, _ in self.overrides}
        by = self.loose ** (2.0 * shares - 1.0)
        besides = {key: np.full(shares.shape, value) for key, value in self.besides}
        return besides | {key: self.above + (value - self.above) * by if self.loose != 1.0 else np.full(shares.shape, value) for key, value in self.overrides}


@dataclass(frozen=True)
class Flaw:
    """What a look through a lens shows of a mistake at one part: it is ``turned``, ``missing``, of another ``value``, of the ``type`` of the part
    ``like`` which it is; its joint is ``cold`` or ``open``; or solder or a lead goes from one of its ``pads`` to another's (``bridge``)."""

    ref: str
    kind: str
    value: float = 0.0
    pads: tuple[str, ...] = ()
    like: str = ""


SERIES = {"d": {"rs": "a leg"}, "q": {"rc": "the collector", "rb": "the base", "re": "the emitter"}, "j": {"rd": "the drain", "rs": "the source"}}  # Ω that a model has in a leg
LEAKED = re.compile(r"(?P<ref>\S+) is the wrong way round, or leaks")  # as it was told once
OTHER_HOLES = re.compile(r"(?P<ref>\S+) stands in other holes: legs (?P<legs>\w+) where \w+ belong")
AS_TURNED = ("reversed", "turned", "backwards", "crossed")
AS_VALUE = ("decade", "strip", "look-alike", "exchanged", "variant")


def flaws_of(mistake: Mistake) -> tuple[Flaw, ...]:
    """How it looks; nothing where an eye finds nothing."""
    if mistake.kind in ("bridge", "lead"):
        return tuple(Flaw(ref, "bridge", pads=mistake.pads) for ref in mistake.refs)
    if mistake.kind in AS_VALUE:
        types = [fault.like if isinstance(fault := fault_named(key), Turned) else "" for key, _ in mistake.overrides]
        return tuple(
            Flaw(ref, "type", like=like) if like else Flaw(ref, "value", value)
            for ref, (_, value), like in zip(mistake.refs, mistake.overrides, types, strict=False)
        )  # fmt: skip
    kind = "turned" if mistake.kind in AS_TURNED else {"cold": "cold", "open": "open", "absent": "missing"}.get(mistake.kind, "")
    return tuple(Flaw(ref, kind) for ref in mistake.refs) if kind else ()


def ids_of(mistakes: Iterable[Mistake], told: Iterable[tuple[str, str]]) -> set[str]:
    """The ids of mistakes that a log speaks of: by the id beside the words it was told in, or, in logs of before, by these words alone."""
    every = list(mistakes)
    by_text = {m.text: m.id for m in every}
    return {known or by_text.get(text) or _told_before(every, text) for known, text in told} - {""}


def _told_before(mistakes: Sequence[Mistake], text: str) -> str:
    """The id of one whose words have changed since."""
    if found := LEAKED.fullmatch(text):
        return next((m.id for m in mistakes if m.kind == "leaky" and m.refs == (found["ref"],)), "")
    if found := OTHER_HOLES.fullmatch(text):
        turned = (m for m in mistakes if m.kind == "turned" and m.refs == (found["ref"],))
        return next((m.id for m in turned if isinstance(fault := fault_named(m.overrides[0][0]), Turned) and fault.legs == found["legs"]), "")
    return ""


def single_mistakes(kit: Kit) -> list[Mistake]:
    """All of them, each once: what two rules come to is the first."""
    if kit.unit is None:
        return list({one.id: one for one in _on_paper(kit)}.values())
    out: dict[str, Mistake] = {}
    for one in _all(kit):
        for rectifier in rectifiers(kit):
            more, hurts = rectifier.beside(one.overrides)
            one = replace(one, overrides=(*one.overrides, *more), hurts=one.hurts or hurts)
        out.setdefault(one.changes, one)
    return list(out.values())


def _on_paper(kit: Kit) -> Iterator[Mistake]:
    """What a parts list and a board tell of without a circuit: only looking finds these."""
    for part in kit.parts.values():
        if part.on_board and kind_of(part.kind).bent:
            yield Mistake(f"{part.ref} is missing, or one of its joints is open", (part.ref,), "open", ())
        if part.polarised or kind_of(part.kind).one_way_round:
            yield Mistake(f"{part.ref} is the wrong way round", (part.ref,), "reversed", ())
    for pair in look_alikes(kit):
        for mine, other in ((pair.first, pair.second), (pair.second, pair.first)):
            for ref in mine:
                yield Mistake(f"{ref} is {kit.part(other[0]).text}, as {other[0]}", (ref,), "look-alike", (), like=other[0])
    yield from _bridges(kit)


def _all(kit: Kit) -> Iterator[Mistake]:
    for part in kit.parts.values():
        yield from _of_part(kit, part)
        yield from _of_blocks(kit, part)
    yield from _mixed_up(kit)
    yield from _side_by_side(kit)
    yield from _strips(kit)
    yield from _bridges(kit)
    yield from _supplies(kit)
    yield from _variants(kit)
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
            yield from _other_decades(part, override_of_element(element))
        if e.kind in "rcldqj":
            yield Mistake(f"{ref} is missing, or one of its joints is open", (ref,), "open", ((Missing(element).key, 1.0),))
        if e.kind == "r" and part.value:
            yield Mistake(f"a joint of {ref} is cold", (ref,), "cold", ((override_of_element(element), part.value + COLD_OHMS),), loose=10.0, above=part.value)
        if e.kind in "rc" and part.value:
            said = f"{ref} is of another value than {format_value(part.value, part.unit)}"
            yield Mistake(said, (ref,), "value", ((override_of_element(element), part.value),), amounts=_other_values(kit, part))
        for leg, which in SERIES.get(e.kind, {}).items():
            if unit.has_parameter(f"{element}.{leg}"):
                yield Mistake(f"{which} of {ref} has a cold joint", (ref,), "cold", ((f"{element}.{leg}", COLD_OHMS),), 1.0 / len(SERIES[e.kind]), loose=10.0)
        if e.kind in "rcld":
            a, b = (names[n + 1] for n in e.nodes[:2])
            if a != b:
                yield Mistake(f"{ref} is shorted", (ref,), "short", ((Bridge(a, b).key, SHORT_OHMS),))
                if e.kind == "c" and part.polarised:
                    yield Mistake(
                        f"{ref} is the wrong way round", (ref,), "reversed", ((Bridge(a, b).key, REVERSED_OHMS),),
                        hurts=f"{ref} does not survive it: off at once, and a new one goes in. It may burst.", loose=4.0,
                    )  # fmt: skip
                    yield Mistake(f"{ref} leaks", (ref,), "leaky", ((Bridge(a, b).key, LEAKY_OHMS),), loose=6.0)
                elif e.kind == "c" and part.value and part.value >= HELD_FARADS:
                    yield Mistake(f"{ref} leaks", (ref,), "leaky", ((Bridge(a, b).key, FILM_LEAKS),), 0.3, loose=5.0)
        if e.kind == "d":
            yield Mistake(f"{ref} is the wrong way round", (ref,), "reversed", ((Reversed(element).key, 1.0),))
        if e.kind == "q":
            yield Mistake(f"{ref} has next to no gain: overheated, or not what is printed on it", (ref,), "weak", ((f"{element}.bf", WEAK_GAIN),), loose=3.0)
        if e.kind in "qj":
            yield from _in_other_holes(kit, part, element, e.kind)


def _other_values(kit: Kit, part: Part) -> tuple[float, ...]:
    """What it may be in place of its own value, from the least to the most: mostly that of others of its kind in the kit, since these are at hand."""
    assert part.value
    others = Counter(p.value for p in kit.parts.values() if p.kind == part.kind and p.value and p.unit == part.unit and not math.isclose(p.value, part.value))
    near = [part.value * by for by in ANOTHER[:6]]
    own = [value for value, _ in others.most_common(MOST_OTHERS - len(ANOTHER))]
    found = [*near, *own, *(part.value * by for by in ANOTHER[6:]), *(v for v, _ in others.most_common()[len(own) :])]
    return tuple(sorted(list(dict.fromkeys(found))[:MOST_OTHERS]))


def _other_decades(part: Part, override: str, kind: str = "decade") -> Iterator[Mistake]:
    assert part.value
    low, high = MADE_ELECTROLYTIC if part.polarised and part.unit == "F" else MADE.get(part.unit, (0.0, math.inf))
    for by, share in DECADES:
        if low <= part.value * by <= high:
            said = f"{format_value(part.value * by, part.unit)} in place of {format_value(part.value, part.unit)}"
            yield Mistake(f"{part.ref} is {said}", (part.ref,), kind, ((override, part.value * by),), share)


def _in_other_holes(kit: Kit, part: Part, element: str, kind: str) -> Iterator[Mistake]:
    """A transistor turned half round, one whose legs come in the order of another type, and legs that were crossed."""
    own, ref = LEGS[kind], part.ref
    known = find(part.text)
    order = known.order.lower() if known else ""
    likely: dict[str, tuple[str, float]] = {}
    if sorted(order) == sorted(own):
        known_as = {other.order.lower(): other.name for other in _taken_for(kit, part)}
        same = f", or a {known_as[order[::-1]]} with its legs mirrored" if order[::-1] != order and order[::-1] in known_as else ""
        likely["".join(order[::-1][order.index(leg)] for leg in own)] = (f"{ref} is turned half round{same}", 1.0)
        others = {other.order.lower() for other in _taken_for(kit, part) if sorted(other.order.lower()) == sorted(own)}
        for other in sorted(others - {order}):
            legs = "".join(other[order.index(leg)] for leg in own)
            said = f"{ref} is of another type, with its legs in the order {other.upper()} in place of {order.upper()}"
            likely.setdefault(legs, (said, 0.7))
    for legs in ("".join(p) for p in permutations(own)):
        if legs != own:
            said, share = likely.get(legs, (f"{ref} has its legs crossed: {_listed(legs)} where {_listed(own)} belong", 0.15 if likely else 0.4))
            yield Mistake(said, (ref,), "turned", ((Turned(element, legs).key, 1.0),), share)


def _listed(legs: str) -> str:
    return ", ".join(legs)


def _taken_for(kit: Kit, part: Part) -> list[Type]:
    """Types that a builder may have put in its place: look-alikes of the kit, and what the catalogue lets stand in for it."""
    known = find(part.text)
    refs = [r for pair in look_alikes(kit) for a, b in ((pair.first, pair.second), (pair.second, pair.first)) if part.ref in a for r in b]
    names = [kit.part(r).text for r in refs] + [name for name, _ in (known.instead if known else ())]
    return [other for name in names if (other := find(name))]


def _of_blocks(kit: Kit, part: Part) -> Iterator[Mistake]:
    """Chips, valves, transformers, drivers, pots, straps: what the netlist has as blocks."""
    unit, ref = kit.unit, part.ref
    blocks = [e for e in kit.elements_of(ref) if e.startswith("x")]
    if unit is None or not blocks:
        return
    asleep = any(p.ref == ref for p in kit.plugged)
    pins = [unit.pins(e) for e in blocks]
    gone = tuple((Missing(e).key, 1.0) for e in blocks)
    if unit.has_parameter(f"{blocks[0]}.on"):
        yield Mistake(f"the strap {ref} is open", (ref,), "strap", ((f"{blocks[0]}.on", 0.0),))
        return
    if unit.has_parameter(f"{blocks[0]}.pos"):
        yield Mistake(f"{ref} has an open lug, or its track is broken", (ref,), "open", gone)
        yield from _crossed(part, blocks, pins)
        if part.value:
            for one in _other_decades(part, override_of_element(blocks[0])):
                yield Mistake(one.text, one.refs, one.kind, tuple((override_of_element(e), one.overrides[0][1]) for e in blocks), one.share)
        return
    if part.kind in ("jack", "switch", "socket"):
        return
    socketed = part.kind in ("chip", "valve")
    yield Mistake(f"{ref} is not in its place, or makes no contact", (ref,), "absent" if socketed else "open", gone, asleep=asleep)
    rails = [(p["vp"], p["vn"]) for p in pins if {"vp", "vn"} <= p.keys() and p["vp"] != p["vn"]]
    if rails:
        joined = (Bridge(*rails[0]).key, SUBSTRATE_OHMS)
        yield Mistake(f"{ref} is in backwards", (ref,), "backwards", (*gone, joined), asleep=asleep,
                      hurts=f"{ref} seldom survives a supply the wrong way round: it gets hot at once; fit a new one.")  # fmt: skip
    for element, at in zip(blocks, pins, strict=True):
        half = f" ({element[1 + len(ref):].upper()})" if len(blocks) > 1 else ""
        out = at.get("o") or at.get("out")
        if len(blocks) > 1:
            yield Mistake(f"one half of {ref}{half} is dead", (ref,), "dead", ((Missing(element).key, 1.0),), asleep=asleep)
        if out and {"vp", "vn"} <= at.keys():
            for rail, says in (("vp", "upper"), ("vn", "lower")):
                if at[rail] != out:
                    bridge = Bridge(out, at[rail])
                    yield Mistake(f"the output of {ref}{half} is stuck at its {says} rail", (ref,), "dead", ((bridge.key, STUCK_OHMS),), 0.5, asleep)


def _crossed(part: Part, blocks: Sequence[str], pins: Sequence[Mapping[str, str]]) -> Iterator[Mistake]:
    """The wiper's lead and that of an end on each other's lugs: the half of the track between the wiper and the other end then lies between the ends.
    A trimmer of another type has its wiper elsewhere."""
    lug, share = ("leg", OTHER_WIPER) if part.kind == "trimmer" else ("lug", 1.0)
    for end, other, half in (("1", "3", "r2"), ("3", "1", "r1")):
        if all(at.keys() >= {"1", "2", "3"} and at["2"] not in (at[end], at[other]) and at[end] != at[other] for at in pins):
            stands = tuple((Moved(f"{block}.{half}", at[end], at[other]).key, 1.0) for block, at in zip(blocks, pins, strict=True))
            yield Mistake(f"{lug}s {min(end, '2')} and {max(end, '2')} of {part.ref} are exchanged", (part.ref,), "crossed", stands, share)


def _mixed_up(kit: Kit) -> Iterator[Mistake]:
    """Parts that are taken for each other: one in the place of the other, both exchanged, and all of one sort in the places of another."""
    for pair in look_alikes(kit):
        for a, b in ((kit.part(x), kit.part(y)) for x in pair.first for y in pair.second):
            first, second = kit.element_of(a.ref), kit.element_of(b.ref)
            share = 1.0 / max(len(pair.first), len(pair.second))
            if here_b := _as_other(kit, a, b):
                yield Mistake(f"{a.ref} is a {b.text}, as {b.ref}", (a.ref,), "look-alike", (here_b,))
            if there_a := _as_other(kit, b, a):
                yield Mistake(f"{b.ref} is a {a.text}, as {a.ref}", (b.ref,), "look-alike", (there_a,))
            if here_b and there_a:
                yield Mistake(f"{a.ref} and {b.ref} are exchanged", (a.ref, b.ref), "exchanged", (here_b, there_a), share)
            if not (first and second and a.value and b.value and a.unit == b.unit) or math.isclose(a.value, b.value):
                continue
            here, there = override_of_element(first), override_of_element(second)
            yield Mistake(f"{a.ref} is {format_value(b.value, b.unit)}, as {b.ref}", (a.ref,), "look-alike", ((here, b.value),))
            yield Mistake(f"{b.ref} is {format_value(a.value, a.unit)}, as {a.ref}", (b.ref,), "look-alike", ((there, a.value),))
            yield Mistake(f"{a.ref} and {b.ref} are exchanged", (a.ref, b.ref), "exchanged", ((here, b.value), (there, a.value)), share)


def _side_by_side(kit: Kit) -> Iterator[Mistake]:
    """Resistors of different values in each other's places: any two of a small kit, else such as lie side by side."""
    parts = [p for p in kit.parts.values() if p.kind == "resistor" and p.value and (element := kit.element_of(p.ref)) and not element.startswith("x")]
    pairs = [(a, b) for a, b in combinations(parts, 2) if a.value and b.value and not math.isclose(a.value, b.value) and a.package == b.package]
    if len(pairs) > MOST_PAIRS and kit.board:
        near = {p.ref: kit.board.near(p.ref, BESIDE_MM) for p in parts}
        pairs = [(a, b) for a, b in pairs if b.ref in near[a.ref]]
    for a, b in pairs[:MOST_PAIRS]:
        here, there = (override_of_element(str(kit.element_of(p.ref))) for p in (a, b))
        yield Mistake(f"{a.ref} and {b.ref} are exchanged", (a.ref, b.ref), "exchanged", ((here, float(b.value or 0)), (there, float(a.value or 0))), 0.2)


def _as_other(kit: Kit, part: Part, other: Part) -> tuple[str, float] | None:
    """A transistor of another type of the kit, and perhaps of another polarity, in the holes of ``part``, turned as it should be; nothing where
    they are of one type, or it is not known in which order their legs come."""
    unit = kit.unit
    alike = next(p for p in kit.parts.values() if p.text == other.text and kit.element_of(p.ref))  # one for all of them
    mine, theirs = kit.element_of(part.ref), kit.element_of(alike.ref)
    if unit is None or not mine or not theirs or part.text == other.text:
        return None
    own, its = (LEGS.get(unit.element(e).kind, "")[:3] if not e.startswith("x") else "" for e in (mine, theirs))
    orders = [known.order.lower() if (known := find(p.text)) else "" for p in (part, other)]
    if not own or not its or [sorted(o) for o in orders] != [sorted(own), sorted(its)]:
        return None
    legs = "".join(orders[1][orders[0].index(hole)] for hole in own)
    return Turned(mine, legs, theirs).key, 1.0


def _strips(kit: Kit) -> Iterator[Mistake]:
    """A strip that is not what its bag says: every place of one value has another."""
    alike: dict[tuple[str, float, str], list[Part]] = {}
    for part in kit.parts.values():
        if part.kind in ("resistor", "capacitor") and part.value and kit.element_of(part.ref):
            alike.setdefault((part.kind, part.value, part.package), []).append(part)
    for (_, value, _), parts in alike.items():
        if len(parts) < 2:
            continue
        low, high = MADE[parts[0].unit]
        others = {value * by: share for by, share in DECADES if low <= value * by <= high}
        for pair in look_alikes(kit):
            for mine, other in ((pair.first, pair.second), (pair.second, pair.first)):
                if parts[0].ref in mine and (wrong := kit.part(other[0]).value) and not math.isclose(wrong, value):
                    others.setdefault(wrong, 0.5)
        refs = tuple(p.ref for p in parts)
        for wrong, share in others.items():
            said = f"every {format_value(value, parts[0].unit)} is {format_value(wrong, parts[0].unit)}: {', '.join(refs)}"
            places = tuple((override_of_element(e), wrong) for p in parts for e in kit.elements_of(p.ref))
            yield Mistake(said, refs, "strip", places, share)


def _bridges(kit: Kit) -> Iterator[Mistake]:
    """Solder between pads of different nets that lie side by side, and leads that were bent over another pad."""
    if kit.board is None:
        return
    known = {"0", *(kit.unit.nodes if kit.unit else (p.net.lower() for p in kit.board.pads))}
    nearest: dict[frozenset[str], tuple[float, tuple[str, str], tuple[str, str]]] = {}
    for a, b in combinations(kit.board.pads, 2):
        nets = frozenset({a.net.lower(), b.net.lower()})
        if len(nets) < 2 or not nets <= known:
            continue
        gap = math.hypot(a.x_mm - b.x_mm, a.y_mm - b.y_mm) - (a.pad_mm + b.pad_mm) / 2
        if gap < LEAD_MM and gap < nearest.get(nets, (math.inf,))[0]:
            nearest[nets] = gap, (f"{a.ref}.{a.pin}", f"{b.ref}.{b.pin}"), (a.ref, b.ref)
    for nets, (gap, pads, refs) in nearest.items():
        kind, what = ("bridge", "solder") if gap < NEIGHBOURS_MM else ("lead", "a bent lead")
        yield Mistake(f"{what} joins {' and '.join(pads)}", refs, kind, ((Bridge(*sorted(nets)).key, SHORT_OHMS),), pads=pads)


def _supplies(kit: Kit) -> Iterator[Mistake]:
    live = [s for s in kit.info.supply if s.running]
    for supply in live:
        for share, says in ((0.6, "is far too low"), (0.0, "is not there")):
            yield Mistake(f"the {supply.name} {says}", (), "supply", ((supply.element, share * supply.running),))
        yield Mistake(f"the {supply.name} is not at {format_value(abs(supply.volts), 'V')}", (), "supply", ((supply.element, supply.running),), loose=OFF_VOLTS)
    direct = [s for s in live if not s.mains_hz]
    for supply in direct if len(direct) == 1 else ():
        yield Mistake(f"the {supply.name} is the wrong way round", (), "plug", ((supply.element, -supply.running),))
    if len(direct) == 2:
        said = f"the plug of the {direct[0].name} and the {direct[1].name} is the wrong way round"
        yield Mistake(said, (), "plug", tuple((s.element, -s.running) for s in direct))


def _variants(kit: Kit) -> Iterator[Mistake]:
    """Parts that belong to another variant of the kit."""
    for variant in kit.info.variant:
        for change in variant.change:
            part = kit.find_part(change.part)
            element = kit.element_of(change.part) if part and part.unit else None
            if part is None or element is None:
                continue
            value = parse_value(change.to, part.unit)
            if part.value and not math.isclose(value, part.value):
                said = f"{part.ref} is {format_value(value, part.unit)}, as in the variant '{variant.title}'"
                yield Mistake(said, (part.ref,), "variant", ((override_of_element(element), value),))
