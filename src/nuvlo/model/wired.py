"""The unit with each of its wires an element of its own: what lugs read when a wire is missing, exchanged or on the wrong lug."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import combinations
from typing import NamedTuple

from nuvlo.circuit.cards import Card
from nuvlo.circuit.circuit import Circuit, Overrides
from nuvlo.circuit.expression import constant
from nuvlo.circuit.faults import Bridge, Missing
from nuvlo.circuit.ohms import resistance
from nuvlo.kit import Kit, Wire
from nuvlo.kit.nets import GROUND_NAMES
from nuvlo.kit.schema import Switch, Throw
from nuvlo.measurement import Observable, ohms_at
from nuvlo.model.bonds import Link, shell_bonds
from nuvlo.model.ensemble import known_to

WIRE_OHMS = 0.02  # of one wire with its joints
CASE_OHMS = 0.1
APART_OHMS = 1e12  # of a contact that is open


@dataclass(frozen=True)
class WireMistake:
    """One thing done wrong with wires: its ``kind``, the words for it, the faults that stand for it in the circuit, and the ``ends`` it concerns."""

    kind: str
    words: str
    overrides: tuple[tuple[str, float], ...]
    ends: tuple[str, ...] = ()


class Leads(NamedTuple):
    """The nodes of the red and of the black lead, and how a switch is thrown meanwhile."""

    red: str
    black: str
    throw: str = ""


@dataclass(frozen=True)
class Probe:
    """One reading of the ring-out between two places, a switch in another throw than the circuit's. ``nodes`` are those of :func:`wired`."""

    of: Observable
    nodes: tuple[str, str]
    red: str
    black: str
    switch: Switch
    throw: Throw

    @property
    def state(self) -> str:
        """How the switch is thrown, as :func:`thrown` reads it."""
        return f"{self.switch.part}.{self.throw.name}"


def probes(kit: Kit) -> list[Probe]:
    """All that is read in the other throws of switches, jacks and straps, throw by throw."""
    nets = _nets(kit)
    out = []
    for switch in kit.info.switch:
        for throw in switch.throws:
            state = f"{switch.part}.{throw.name}"
            for red, black in throw.reads:
                of = ohms_at(f"{red}-{black}".replace(" ", "-"), throw=state.replace(" ", "-"))  # it is typed as one word
                out.append(Probe(of, (kit.ringing.node(red, nets[red]), kit.ringing.node(black, nets[black])), red, black, switch, throw))
    return out


def thrown(kit: Kit, state: str) -> dict[str, float]:
    """The values of :func:`wired` with a switch in another throw, named as ``SW1.bypass``."""
    ref, _, name = state.partition(".")
    switch = next(s for s in kit.info.switch if s.part == ref)
    throw = next(t for t in switch.throws if t.name == name)
    out = {f"{element}.{key}": value for element in kit.elements_of(ref) for key, value in throw.sets.items()}
    return out | {_touch(ref, pair): WIRE_OHMS if pair in throw.joins else APART_OHMS for pair in kit.ringing.contacts.get(ref, ())}


def _touch(ref: str, pair: tuple[str, str]) -> str:
    return f"rtouch_{ref.lower()}_{'_'.join(pair).lower()}"


def wired(kit: Kit) -> Circuit:
    """The unit, sockets empty, with a node for each lug and a resistor for each wire that is rung out, ``rwire_3``, and for each
    contact of a switch that is no element, in the throw in which the circuit stands."""
    assert kit.unit is not None
    if "wired" not in kit.memory:
        kit.memory["wired"] = _made(kit)
    found: Circuit = kit.memory["wired"]
    return found


def _made(kit: Kit) -> Circuit:
    base = kit.unpowered(*(w.net for w in kit.ringing.wires))
    lugs = _lugs(kit)
    cards = [_moved(kit, card, lugs) for card in base.netlist.top.cards]
    token = cards[0].token
    for w in kit.ringing.wires:
        ends = tuple(kit.ringing.node(end, w.net) for end in w.ends)
        cards.append(Card(element_of(w), "r", ends, {"value": constant(WIRE_OHMS)}, None, token))
    for bond in _contacts(kit):
        ends = kit.ringing.node(bond.one, bond.net), kit.ringing.node(bond.other, bond.net)
        cards.append(Card(_contact(bond), "r", ends, {"value": constant(WIRE_OHMS)}, None, token))
    for switch in kit.info.switch:
        for pair in kit.ringing.contacts.get(switch.part, ()):
            nodes = tuple(kit.ringing.node(f"{switch.part}.{lug}", "") for lug in pair)
            ohms = WIRE_OHMS if pair in switch.throws[0].joins else APART_OHMS
            cards.append(Card(_touch(switch.part, pair), "r", nodes, {"value": constant(ohms)}, None, token))
    return Circuit(replace(base.netlist, top=replace(base.netlist.top, cards=cards)), check=False)


def _contacts(kit: Kit) -> list[Link]:
    """Bonds of case and panel by a lug that touches them; a wire is an element already."""
    return [b for b in shell_bonds(kit) if "." in b.one and not b.by.startswith("wire ")]


def _contact(bond: Link) -> str:
    return f"rbond_{bond.other.lower()}_{bond.one.lower().replace('.', '_')}"


def element_of(wire: Wire) -> str:
    """The name of a wire's resistor."""
    return f"rwire_{wire.name.lower()}"


def black_node(kit: Kit) -> str:
    """The node on which the meter's black lead lies."""
    return kit.ringing.node(kit.ringing.black_at, kit.ringing.black) if kit.ringing.black_at else kit.ringing.black


def _lugs(kit: Kit) -> dict[tuple[str, str], list[str]]:
    """Lugs that wires go to, by part and net."""
    out: dict[tuple[str, str], list[str]] = {}
    for w in kit.ringing.wires:
        for end in w.ends:
            ref, dot, _ = end.partition(".")
            if dot and end not in out.setdefault((ref, w.net), []):
                out[ref, w.net].append(end)
    return out


def _moved(kit: Kit, card: Card, lugs: Mapping[tuple[str, str], list[str]]) -> Card:
    """An element of a part off the board, its terminals at the lugs. Of two gangs each has its own: L and R, or a and b."""
    part = kit.part_of(card.name)
    if part is None or part.ref in kit.on_tags or (part.on_board and kit.board and kit.board.pads_of(part.ref)):
        return card
    nodes = []
    for net in card.nodes:
        mine = lugs.get((part.ref, "0" if net in GROUND_NAMES else net), [])
        own = [lug for lug in mine if lug.partition(".")[2][:1].lower() == card.name[-1:]] or mine
        nodes.append(kit.ringing.node(own[0], net) if own else net)
    return replace(card, nodes=tuple(nodes))


def mistakes(kit: Kit) -> list[WireMistake]:
    """Each wire missing or touching the case, each on a lug beside its own, and each two of one part or of neighbouring pads
    exchanged."""
    wires = kit.ringing.wires
    out = []
    for w in wires:
        out.append(WireMistake("missing", f"wire {w.name} ({w.start} to {w.end}) is missing or does not conduct",
                               ((Missing(element_of(w)).key, 1.0),), w.ends))  # fmt: skip
        if w.net != kit.ringing.black:
            out.append(WireMistake("case", f"wire {w.name} or its lug touches ground ({w.start} to {w.end})",
                                   ((Bridge(kit.ringing.node(w.start, w.net), black_node(kit)).key, CASE_OHMS),), w.ends))  # fmt: skip
    for bond in _contacts(kit):
        paint = "there is paint under it" if bond.scrape else "it does not touch"
        out.append(WireMistake("missing", f"{bond.other} is not bonded at {bond.one}: {paint}", ((Missing(_contact(bond)).key, 1.0),)))
    for switch in (s for s in kit.info.switch if s.strap):
        lifted = thrown(kit, f"{switch.part}.{switch.throws[-1].name}")
        out.append(WireMistake("missing", f"{switch.part} is {switch.throws[-1].name}, or does not conduct", tuple(lifted.items())))
    nets = {end: w.net for w in wires for end in w.ends}
    for w in wires:
        for end, far in (w.ends, (w.end, w.start)):
            for beside in _beside(end, nets):
                if nets[beside] == w.net and end.partition(".")[0] not in kit.ringing.contacts:
                    continue
                words = f"wire {w.name} is on {beside}, not on {end}"
                far_end, there = kit.ringing.node(far, w.net), kit.ringing.node(beside, nets[beside])
                out.append(WireMistake("beside", words, ((Missing(element_of(w)).key, 1.0), (Bridge(far_end, there).key, WIRE_OHMS)), (end, far, beside)))
    pads = [p.ref for p in kit.board.pads if p.ref in kit.wire_ends] if kit.board else []
    for a, b in combinations(wires, 2):
        if ends := _near(a, b, pads):
            (end_a, far_a), (end_b, far_b) = ends
            if a.net == b.net and end_a.partition(".")[0] not in kit.ringing.contacts:
                continue
            keys = (
                (Missing(element_of(a)).key, 1.0), (Missing(element_of(b)).key, 1.0),
                (Bridge(kit.ringing.node(far_a, a.net), kit.ringing.node(end_b, b.net)).key, WIRE_OHMS),
                (Bridge(kit.ringing.node(far_b, b.net), kit.ringing.node(end_a, a.net)).key, WIRE_OHMS),
            )  # fmt: skip
            out.append(WireMistake("exchanged", f"wires {a.name} and {b.name} are exchanged, at {end_a} and {end_b}", keys, (end_a, end_b)))
    return out


def _near(a: Wire, b: Wire, pads: Sequence[str]) -> tuple[tuple[str, str], tuple[str, str]] | None:
    """The ends of two wires that lie on one part, else on neighbouring pads, each with its far end. Exchanged at the other ends
    they read the same."""
    found = None
    for end_a, far_a in ((a.start, a.end), (a.end, a.start)):
        for end_b, far_b in ((b.start, b.end), (b.end, b.start)):
            if end_a == end_b:
                continue
            if "." in end_a and end_a.partition(".")[0] == end_b.partition(".")[0]:
                return (end_a, far_a), (end_b, far_b)
            if end_a in pads and end_b in pads and abs(pads.index(end_a) - pads.index(end_b)) == 1:
                found = (end_a, far_a), (end_b, far_b)
    return found


def _beside(end: str, nets: Mapping[str, str]) -> list[str]:
    """The other lugs of its part that wires go to."""
    ref, dot, _ = end.partition(".")
    return [o for o in nets if dot and o != end and o.startswith(ref + ".")]


def shown_at(kit: Kit, places: Sequence[Observable], values: Overrides) -> dict[Observable, float]:
    """Ω that a meter shows at each of the ``places`` of one unit, read one after the other; infinite where open."""
    circuit, at = wired(kit), leads(kit)
    known = known_to(circuit, values)
    return {p: float(resistance(circuit, at[p].red, at[p].black, None, {**known, **_set_so(kit, at[p])}).ohms[0]) for p in places}


def leads(kit: Kit) -> dict[Observable, Leads]:
    """Where the meter's leads lie for each reading of the ring-out."""
    black = black_node(kit)
    return {ohms_at(p): Leads(kit.ringing.node(p, net), black) for p, net in _nets(kit).items()} | {p.of: Leads(*p.nodes, p.state) for p in probes(kit)}


def usual_of(circuit: Circuit, key: str) -> float:
    """What a value that a throw sets is in the circuit."""
    element, _, parameter = key.partition(".")
    return circuit.given(element, parameter) if parameter else float(circuit.parameter(circuit.element(element), "value", {}))


def _set_so(kit: Kit, leads: Leads) -> dict[str, float]:
    return thrown(kit, leads.throw) if leads.throw else {}


def _nets(kit: Kit) -> dict[str, str]:
    """The net of every place that wires or bonds lead to."""
    return {b.other: b.net for b in shell_bonds(kit)} | {end: w.net for w in kit.ringing.wires for end in w.ends}
