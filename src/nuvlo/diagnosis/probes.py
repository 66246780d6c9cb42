"""Every reading that a kit can be asked: at its points and pads, of its cold pairs, of a tone that is followed, of a part with one leg
lifted, a look through a lens, one over the whole board or closely at all of it, and a finger on what gets hot.

Minutes that each takes are common practice without a source.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.loaded import seen_from
from nuvlo.circuit.operating_point import operating_point
from nuvlo.craft.high_voltage import is_high
from nuvlo.diagnosis.across import telling_pairs
from nuvlo.electrics.heat import kelvins_per_watt
from nuvlo.kit import Kit
from nuvlo.kit.nets import GROUND_NAMES
from nuvlo.kit.schema import Point, Tone
from nuvlo.measurement import Observable, amps_of, farads_at, ohms_at, tone_at, volts_at
from nuvlo.model.asked import at_empty_sockets
from nuvlo.model.placed import GROUND, Placed, placed
from nuvlo.model.rectifier import rippling
from nuvlo.model.running import swinging
from nuvlo.model.tones import followable, tones_at
from nuvlo.words import listed

CHANGED = 0.3  # more, to switch on, off, or to feed a tone in elsewhere
OVER, CLOSE = "look-over", "look-close"
WHOLE = (OVER, CLOSE)  # looks at the whole board: over it in passing, and through a lens at one part after the other
BOARD = "board"  # where such a look is
TOUCH = "touch"
SENSES = ("look", *WHOLE, TOUCH)  # what is read without a meter
MINUTES = {"voltage": 1.8, "current": 2.1, "resistance": 2.0, "capacitance": 2.0, "tone": 2.0, "lifted": 5.8, "look": 1.8, OVER: 0.5, CLOSE: 1.0, TOUCH: 2.5}  # with finding the place and entering it, which the whole board wants none of
BESIDE = 10 / 60  # more for each part with its joints that is looked at through the lens beside the first
EACH_PART = {OVER: 5 / 60, CLOSE: BESIDE}  # more for each part of the whole board
FIELD_MM, MOST_LOOKED = 13.0, 4  # from the middle of what a lens shows to its edge; parts that are kept in mind at one look
MOST_SEEN = 1e6  # Ω of a place where a meter of 10 MΩ is still asked for volts: it pulls them down by a tenth
AT_A_PAD = 0.3  # more: a pad is harder to find than a point, and two points take longer than one and the ground that is clipped to
MOST_IN_SERIES = 24  # readings that go through two of the kit's own
MOST_BETWEEN = 40  # readings from point to point
NAMED = {"voltage": "volts", "resistance": "ohms", "capacitance": "capacitance"}
SMALL_V, CONDUCTS_V = 0.05, 0.35  # swing that is small for a junction no more, where it comes near conducting
STIFF_OHMS = 1e3  # from a net to one that moves with it
COLD = ("resistance", "capacitance", "lifted", "look", *WHOLE)  # read with the power off


@dataclass(frozen=True)
class Reading(Placed):
    """One that could be taken, with the ``minutes`` that it takes more than others of its kind; of a look the parts that are seen ``beside`` it, in the
    same field of the lens; of volts and ohms from point to point the two places they are ``between``; of ohms and farads that go ``through`` two of
    the kit's own, these."""

    minutes: float = 0.0
    beside: tuple[str, ...] = ()
    between: tuple[str, str] | None = None
    through: tuple[str, str] | None = None

    @property
    def part(self) -> str:
        """The part that is looked at, touched or measured by itself, if it is that."""
        return self.of.place if self.quantity in ("look", TOUCH, "lifted") else ""

    @property
    def looked(self) -> tuple[str, ...]:
        """The parts that are looked at, or touched, if it is that."""
        return (self.part, *self.beside) if self.quantity in ("look", TOUCH) else ()

    @property
    def alone(self) -> tuple[Reading, ...]:
        """What it tells, one by one: of a look each part by itself."""
        return tuple(replace(self, of=self.of.to(ref), beside=()) for ref in self.looked) or (self,)

    @property
    def state(self) -> str:
        """How the unit stands while it is taken: off, on, or on with a tone fed in somewhere."""
        if self.quantity in COLD:
            return "off"
        if self.of.empty:
            return "on, sockets empty"
        return f"tone at {self.tone.source}, {self.tone.hertz:g} Hz" if self.tone else "on"

    @property
    def words(self) -> str:
        """What is done, in a few words."""
        match self.quantity:
            case "look":
                return f"a look through a lens at {listed(self.looked)} and {'their' if self.beside else 'its'} joints"
            case "touch":
                return f"a finger on {listed(self.looked)}"
            case "look-over":
                return "a look over the whole board"
            case "look-close":
                return "a look through a lens at every part and joint"
            case "lifted":
                return f"{self.of.place} measured by itself, one leg lifted"
            case "tone" if self.supply:
                return f"the ripple of the {self.supply.name}"
            case "tone":
                return f"the tone {self.of.follows}, followed to {self.of.place}" if self.of.follows else f"the tone {self.of.place}"
            case "current":
                return f"the current of the {self.of.words}"
        if self.between:
            return f"{NAMED[self.quantity]} between {listed(self.between)}"
        if self.through:
            return f"{NAMED[self.quantity]} of {listed(self.through)} in series"
        return f"{NAMED[self.quantity]} at {self.of.words}"

    def takes(self, before: Reading | None = None) -> float:
        """Minutes of trouble, after the reading ``before``."""
        return MINUTES[self.quantity] + self.minutes + BESIDE * len(self.beside) + (CHANGED if before is None or before.state != self.state else 0.0)


def readings_of(kit: Kit) -> list[Reading]:
    """All of them. Where a voltage can kill, volts are read at the kit's own points only, which are clipped on with the power off."""
    out = list(looks_of(kit))
    out += looked_over(out)
    if kit.unit is None:
        return out
    runs = {p.name for p in kit.info.point if p.running}
    points = [p for p in kit.info.point if p.name not in runs]
    supplied = [s.point for s in kit.info.supply if s.point]
    found = [_reading(kit, amps_of(s.name)) for s in kit.info.supply]
    found += [_reading(kit, volts_at(p.name)) for p in points] if kit.info.supply else []
    places = [*supplied, *(c.name for c in kit.info.cold if c.kind == "ohms"), *(p.name for p in points if kit.passive)]
    ohms = [_reading(kit, ohms_at(place)) for place in dict.fromkeys(places)]
    found += [_reading(kit, ohms_at(place, exchanged=True)) for place in supplied]
    bridged = [_reading(kit, farads_at(c.name)) for c in kit.info.cold if c.kind == "capacitance"]
    found += [*ohms, *bridged, *_in_series(kit, bridged)]
    found += [_reading(kit, tone_at(t.name)) for t in kit.info.tone]
    found += [_reading(kit, of) for of in rippling(kit)]
    found += _across(kit, [r for r in found if r.quantity == "resistance"], _in_series(kit, ohms))
    found += _at_pads(kit)
    found += _from_point_to_point(kit, points)
    found += [_reading(kit, of) for of in at_empty_sockets(kit)] if kit.at_sockets else []
    return _that_a_meter_tells(kit, found) + list(_lifted(kit)) + list(touched_of(kit)) + out


def _reading(kit: Kit, of: Observable, minutes: float = 0.0, between: tuple[str, str] | None = None, through: tuple[str, str] | None = None) -> Reading:
    """What is asked of a kit, as a reading that takes so long."""
    return Reading(**vars(placed(kit, of)), minutes=minutes, between=between, through=through)


def _that_a_meter_tells(kit: Kit, found: Sequence[Reading]) -> list[Reading]:
    """Without the volts at places of our own choice where the meter itself would decide what is read."""
    groups: dict[tuple[int, float], tuple[Circuit, list[Reading]]] = {}
    for r in found:
        if r.minutes == AT_A_PAD and (r.quantity == "voltage" or (r.quantity == "tone" and r.tone)):
            circuit, hertz = (kit.tone_setup(r.tone), r.tone.hertz) if r.tone else (kit.setup(r.setup), 0.0)
            groups.setdefault((id(circuit), hertz), (circuit, []))[1].append(r)
    dropped = set()
    for (_, hertz), (circuit, some) in groups.items():
        point = operating_point(circuit)
        seen = np.abs(seen_from(point, [r.nodes for r in some], hertz)[:, 0])
        dropped |= {r.of for r, ohms in zip(some, seen, strict=True) if not ohms <= MOST_SEEN}
        if hertz:  # nor where a good unit gives less than the meter reads of AC
            volts = [tones_at(point, r.tone, [r.nodes], kit.reach.ohms)[0, 0] for r in some if r.tone]
            dropped |= {r.of for r, shown in zip(some, volts, strict=True) if not shown >= kit.reach.volts}
    return [r for r in found if r.of not in dropped]


def _in_series(kit: Kit, readings: Sequence[Reading]) -> list[Reading]:
    """Of each two readings that share a place the one between their other ends, which goes through both: what is open or much too large in
    either shows."""
    out: dict[frozenset[str], Reading] = {}
    taken = {frozenset(r.nodes) for r in readings}
    for k, one in enumerate(readings):
        for other in readings[k + 1 :]:
            ends = sorted(set(one.nodes) ^ set(other.nodes), key=(*one.nodes, *other.nodes).index)
            if len(ends) == 2 and frozenset(ends) not in taken | out.keys():
                both = (one.of.place, other.of.place)
                out[frozenset(ends)] = _reading(kit, one.of.to("-".join(both)), AT_A_PAD, through=both)
    return list(out.values())[:MOST_IN_SERIES]


def _across(kit: Kit, ohms: Sequence[Reading], series: Sequence[Reading]) -> Iterator[Reading]:
    """Ohms through two of the kit's own, or between pads, where a meter sees most that ``ohms`` by themselves do not. They are read with the
    power off, where a charge can kill after it is gone, as all ohms are."""
    through = {r.nodes: r for r in series}
    for pair in telling_pairs(kit, {frozenset(r.nodes) for r in ohms}, list(through)):
        red, black = (_place(kit, node) for node in pair)
        yield through.get(pair) or _reading(kit, ohms_at(f"{red}-{black}"), AT_A_PAD, between=(red, black))


def _place(kit: Kit, node: str) -> str:
    """A point or a pin on a net, as it is typed."""
    name, pin = kit.lead_on(node) if node not in GROUND_NAMES else (GROUND, "")
    return f"{name}.{pin}" if pin else name


def _from_point_to_point(kit: Kit, points: Sequence[Point]) -> Iterator[Reading]:
    """Volts between points that read much the same in a good unit, as those of two channels do: there a meter shows on a fine range
    what drowns in the tolerances of either."""
    if not kit.info.supply:
        return
    own = [p for p in points if p.reference in GROUND_NAMES and not p.setup]
    rest = operating_point(kit.setup())
    volts = {p.name: float(rest.voltage(p.node, p.reference)[0]) for p in own}
    pairs = [(a, b) for k, a in enumerate(own) for b in own[k + 1 :] if a.node != b.node]
    for a, b in sorted(pairs, key=lambda two: abs(volts[two[0].name] - volts[two[1].name]))[:MOST_BETWEEN]:
        yield _reading(kit, volts_at(f"{a.name}-{b.name}"), AT_A_PAD, between=(a.name, b.name))


def _at_pads(kit: Kit) -> list[Reading]:
    """Volts of every net that no point stands on and that comes to rest, and tones followed through them, at a pad of each."""
    if is_high(kit) or kit.board is None:
        return []
    known = {p.node for p in kit.info.point if p.reference in GROUND_NAMES and not p.setup} | set(GROUND_NAMES)
    spots = {}
    for node in dict.fromkeys(p.net.lower() for p in kit.board.pads):
        name, pin = kit.lead_on(node)
        if name and kit.unit and node in kit.unit.nodes:
            spots[node] = f"{name}.{pin}" if pin else name
    rest, moving = kit.setup(), swinging(kit)
    out = []
    if kit.info.supply:
        out = [_reading(kit, volts_at(at), AT_A_PAD) for n, at in spots.items() if n in rest.nodes and n not in known | moving]
    for tone in followable(kit):
        if not kit.info.tone:
            out.append(_reading(kit, tone_at(tone.name)))
        bent = _bent(kit, tone)
        if tone.reference in bent:  # then all that is read against it moves with it
            continue
        there = kit.tone_setup(tone).nodes
        read = {t.node for t in kit.info.tone if (t.source, t.hertz) == (tone.source, tone.hertz)}
        for node, at in spots.items():
            if node in there and node not in read and node != tone.at and node not in bent:
                out.append(_reading(kit, tone_at(tone.name, at), AT_A_PAD))
    return out


def _bent(kit: Kit, tone: Tone) -> set[str]:
    """The nets about junctions that a tone swings so far that it is no longer small for them: what is read there is no sine, and not what a circuit
    that is straight about its rest would give. Those behind a diode or few ohms from one are with it."""
    circuit = kit.tone_setup(tone)
    point, names = operating_point(circuit), ["0", *circuit.nodes]
    nets = {e.name: [names[n + 1] for n in e.nodes] for e in circuit.elements if "." not in e.name}
    pairs = {e.name: (nets[e.name][0], nets[e.name][1]) if e.kind == "d" else (nets[e.name][1], nets[e.name][2]) for e in circuit.elements if e.name in nets and e.kind in "dq"}
    if not pairs:
        return set()
    peaks = np.sqrt(2.0) * tones_at(point, tone, list(pairs.values()), np.inf)[:, 0]
    rests = [float(point.voltage(*pair)[0]) for pair in pairs.values()]
    far = [name for name, peak, rest in zip(pairs, peaks, rests, strict=True) if peak > SMALL_V and (rest if name.startswith("d") else abs(rest)) + peak > CONDUCTS_V]
    out = {net for name in far for net in nets[name]}
    ground = {*GROUND_NAMES, *tone.fed_at}
    stiff = [n for e in circuit.elements if (n := e.name) in nets and (e.kind == "d" or (e.kind == "r" and circuit.parameter(e, "value", {}) <= STIFF_OHMS))]
    return out | {net for name in stiff if (out - ground) & set(nets[name]) for net in nets[name]}


def _lifted(kit: Kit) -> Iterator[Reading]:
    """Resistors and capacitors by themselves, one leg out of the board."""
    for part in kit.parts.values():
        element = kit.element_of(part.ref)
        if part.on_board and part.value and part.unit in ("Ω", "F") and element and not element.startswith("x") and not kit.reach.beyond(part.value, part.unit):
            yield Reading(Observable(part.ref, "lifted"), part.unit)


def looks_of(kit: Kit) -> Iterator[Reading]:
    """Of each part that can be looked at by itself, through a lens: on the board, in a socket, or wherever it is wired."""
    for part in kit.parts.values():
        if lies_on_board(kit, part.ref) or (kit.unit is not None and kit.element_of(part.ref)):
            yield Reading(Observable(part.ref, "look"), "")


def touched_of(kit: Kit) -> Iterator[Reading]:
    """A finger on each part whose warmth can be told; none where a voltage can kill."""
    if kit.info.supply and not is_high(kit):
        for part in kit.parts.values():
            if kelvins_per_watt(part) and lies_on_board(kit, part.ref) and kit.element_of(part.ref):
                yield Reading(Observable(part.ref, TOUCH), "")


def lies_on_board(kit: Kit, ref: str) -> bool:
    """Whether a part has its place on the board, or in a socket there; of a kit without one, whether it belongs on it."""
    if any(p.ref == ref for p in kit.plugged):
        return True
    return kit.part(ref).on_board and (kit.board is None or bool(kit.board.pads_of(ref)))


def looked_over(looks: Sequence[Reading]) -> list[Reading]:
    """The looks at the whole board, which go over what all these ``looks`` go over."""
    return [Reading(Observable(BOARD, how), "", minutes=each * len(looks)) for how, each in EACH_PART.items()] if len(looks) > MOST_LOOKED else []
