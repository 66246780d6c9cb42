"""The unit with each of its wires an element of its own: what lugs read when a wire is missing, exchanged or on the wrong lug."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
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
    return in_wires(kit, kit.unpowered(*(w.net for w in kit.ringing.wires)))


def in_wires(kit: Kit, circuit: Circuit) -> Circuit:
    """The same of any ``circuit`` of the kit: what stands round the unit at the bench is at the lugs of its jacks and terminals."""
    key = "in wires", id(circuit)  # held beside what is made of it, so that its id stays its own
    if key not in kit.memory:
        found = _made(kit, circuit)
        kit.memory[key] = circuit, found
        kit.memory["in wires", id(found)] = found, found  # it has its wires
    made: Circuit = kit.memory[key][1]
    return made


def _made(kit: Kit, base: Circuit) -> Circuit:
    lugs, sockets, plugs = _lugs(kit), _in_sockets(kit), _plugs(kit, base)
    shells = {element for bond in _contacts(kit) for element in kit.elements_of(bond.other)}  # what joins them is the contact, in their place
    cards = [replace(c, nodes=plugs[c.name]) if c.name in plugs else _moved(kit, c, lugs, sockets) for c in base.netlist.top.cards if c.name not in shells]
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


def _plugs(kit: Kit, circuit: Circuit) -> dict[str, tuple[str, ...]]:
    """The nodes of what stands round the unit, by element: those of the sockets and terminals that it is plugged into."""
    assert kit.unit is not None
    own = {c.name for c in kit.unit.netlist.top.cards}
    nets = {*GROUND_NAMES, *kit.unit.nodes}
    out: dict[str, tuple[str, ...]] = {}
    for some in _joined([c for c in circuit.netlist.top.cards if c.name not in own], nets):
        into = _sockets(kit, [n for c in some for n in c.nodes if n in nets])
        out |= {c.name: tuple(kit.ringing.socket(n, into) or n if n in nets else n for n in c.nodes) for c in some}
    return out


def _joined(cards: Sequence[Card], nets: Collection[str]) -> list[list[Card]]:
    """What stands round the unit, by what is joined outside it: a source with what is in series with it."""
    out: list[list[Card]] = []
    for card in cards:
        mine = [some for some in out if any({*c.nodes} & {*card.nodes} - {*nets} for c in some)]
        out = [some for some in out if some not in mine] + [[c for some in mine for c in some] + [card]]
    return out


def _sockets(kit: Kit, nets: Sequence[str]) -> list[str]:
    """The parts that nets lead out of the unit by; for ground, and for what leads out by several, that of the others first."""
    by_net = {net: kit.ringing.sockets(net) for net in nets if net not in GROUND_NAMES}
    sure = [refs[0] for refs in by_net.values() if len(refs) == 1]
    return list(dict.fromkeys([*sure, *(ref for refs in by_net.values() for ref in refs)]))


def leads_at(kit: Kit, place: str, net: str) -> str:
    """The node on which a lead lies at a named place on a net: the board's at one of its pads; at what has none the terminal or lug of that net."""
    on_board = kit.board is not None and (place in kit.board.pads_by_ref or place.partition(".")[0] in kit.board.pads_by_ref)
    return on_the_board(kit, net) if on_board else off_board(kit, net)


def on_the_board(kit: Kit, net: str) -> str:
    """The node of the board's copper on a net; where the net has none, that of a lug."""
    return net if _in_copper(kit, net) else off_board(kit, net)


def off_board(kit: Kit, net: str) -> str:
    """The node at which a net leads out of the unit, or else lies on a lug off the board; of ground, and of what does neither, the board's own."""
    if net in GROUND_NAMES:
        return net if _in_copper(kit, net) or kit.ringing.black not in GROUND_NAMES else black_node(kit)
    lugs = [kit.ringing.node(end, w.net) for w in kit.ringing.wires if w.net == net for end in w.ends if end not in kit.wire_ends]
    return kit.ringing.socket(net, kit.ringing.sockets(net)) or next(iter(lugs), "") or _shells(kit).get(net, net)


def _shells(kit: Kit) -> dict[str, str]:
    """The node of each case or panel that a lug touches, by the net that is its own in the circuit."""
    assert kit.unit is not None
    out: dict[str, str] = {}
    for bond in _contacts(kit):
        cards = [c for c in kit.unit.netlist.top.cards if c.name in kit.elements_of(bond.other)]
        out |= {net: kit.ringing.node(bond.other, bond.net) for c in cards for net in c.nodes if net != bond.net and net not in GROUND_NAMES}
    return out


def _in_copper(kit: Kit, net: str) -> bool:
    """Whether the board has a pad on a net."""
    if "copper" not in kit.memory:
        nets = {p.net.lower() for p in (kit.board.pads if kit.board else ())}
        kit.memory["copper"] = nets | ({*GROUND_NAMES} if nets & {*GROUND_NAMES} else set())
    return net in kit.memory["copper"]


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


def _moved(kit: Kit, card: Card, lugs: Mapping[tuple[str, str], list[str]], sockets: Mapping[str, str]) -> Card:
    """An element of a part off the board, its terminals at the lugs: its own, or those of the socket that it sits in or on whose tags it hangs. Of two
    gangs each has its own: L and R, or a and b."""
    part = kit.part_of(card.name)
    if part is None:
        return replace(card, nodes=tuple(on_the_board(kit, net) for net in card.nodes))
    if part.ref in sockets:
        return replace(card, nodes=tuple(kit.ringing.socket(net, (sockets[part.ref],)) or net for net in card.nodes))
    if part.on_board and kit.board and kit.board.pads_of(part.ref):
        return card
    nodes = []
    for net in card.nodes:
        mine = lugs.get((part.ref, "0" if net in GROUND_NAMES else net), [])
        own = [lug for lug in mine if lug.partition(".")[2][:1].lower() == card.name[-1:]] or mine
        nodes.append(kit.ringing.node(own[0], net) if own else on_the_board(kit, net))
    return replace(card, nodes=tuple(nodes))


def _in_sockets(kit: Kit) -> dict[str, str]:
    """The socket off the board of each part that hangs on the tags of one, or sits in one: of those the one that shares most nets with it."""
    assert kit.unit is not None
    out = dict(kit.on_tags)
    nets: dict[str, set[str]] = {}
    for w in kit.ringing.wires:
        for ref in {end.partition(".")[0] for end in w.ends}:
            if ref in kit.parts and kit.parts[ref].kind == "socket":
                nets.setdefault(ref, set()).add(w.net)
    for part in kit.plugged:
        own = {net for card in kit.unit.netlist.top.cards if card.name in kit.elements_of(part.ref) for net in card.nodes}
        best = max(nets, key=lambda ref: len(nets[ref] & own - {*GROUND_NAMES}), default="")
        if best and nets[best] & own - {*GROUND_NAMES}:
            out[part.ref] = best
    return out


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
        out.append(WireMistake("missing", f"{bond.other} is not bonded at {bond.one}: {paint}", ((Missing(_contact(bond)).key, 1.0),), (bond.other,)))
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
