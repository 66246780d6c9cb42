"""Which of a kit's wires are rung out, from where, and against what."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from functools import cached_property

from nuvlo.circuit.circuit import Circuit
from nuvlo.kit.nets import GROUND_NAMES
from nuvlo.kit.parts import Part
from nuvlo.kit.schema import Switch
from nuvlo.kit.wiring import Wire

TOO_HIGH = 100e6  # Ω from where on a net is not to be touched
HOLDS = 2


class Ringing:
    """The wires of a kit as a meter finds them with the power off.

    ``pads`` are those of the board at which wires end, ``elements`` of the circuit by the reference of their part in lower case; ``tags`` says of the parts
    that hang on those of a socket, on which.
    """

    def __init__(
        self, wires: Sequence[Wire], pads: Collection[str], circuit: Circuit | None, parts: Mapping[str, Part],
        elements: Mapping[str, tuple[str, ...]], switches: Sequence[Switch], tags: Mapping[str, str] | None = None,
    ):  # fmt: skip
        self._wires, self._pads, self._circuit, self._elements, self._switches = wires, pads, circuit, elements, switches
        self._tags = tags or {}
        self._value = {name: parts[ref].value for ref in parts for name in elements.get(ref.lower(), ())}
        self._known = {*GROUND_NAMES, *(circuit.nodes if circuit else ())}

    @cached_property
    def contacts(self) -> dict[str, tuple[tuple[str, str], ...]]:
        """Each switch that is no element of the circuit, with every two of its lugs that one of its throws joins."""
        apart = [s for s in self._switches if s.part.lower() not in self._elements]
        return {s.part: tuple(dict.fromkeys(pair for t in s.throws for pair in t.joins)) for s in apart}

    @cached_property
    def wires(self) -> tuple[Wire, ...]:
        """Those on nets of the circuit, and those of switches that are known by their contacts: heaters and the mains side are in none."""
        switched = set(self.contacts)
        return tuple(w for w in self._wires if w.net.lower() in self._known or {e.partition(".")[0] for e in w.ends} & switched)

    @cached_property
    def heaters(self) -> tuple[Wire, ...]:
        """The others, on nets that are in no circuit."""
        return tuple(w for w in self._wires if self._circuit is not None and w not in self.wires)

    @cached_property
    def to_black(self) -> tuple[Wire, ...]:
        """Those on nets of the circuit: their ohms to its ground can be told."""
        return tuple(w for w in self.wires if w.net.lower() in self._known and w.net.lower() not in self.untouchable)

    @cached_property
    def untouchable(self) -> frozenset[str]:
        """Nets that no probe goes to: what a finger leaves there, and the meter itself, are less than what stands there."""
        cards = self._circuit.netlist.top.cards if self._circuit is not None else []
        high = [c for c in cards if c.kind == "r" and (self._value.get(c.name) or 0.0) >= TOO_HIGH]
        # Of the two ends of such a resistor it is the one that nothing lower holds.
        held = {n for c in cards if c.kind == "r" and c not in high for n in c.nodes[:2]} | {*GROUND_NAMES}
        return frozenset(n for c in high for n in c.nodes[:2] if n not in held)

    @cached_property
    def black(self) -> str:
        """The net on which the meter's black lead lies: ground, or where the unit has none of its own the net that most wires are on,
        of two such the one with a pad."""
        cards = self._circuit.netlist.top.cards if self._circuit else ()
        if any(n in GROUND_NAMES for c in cards for n in c.nodes) or not self.wires:
            return "0"
        padded = {w.net for w in self.wires if {*w.ends} & set(self._pads)}  # a clip holds on one better than on a lug
        return max(Counter(w.net for w in self.wires).items(), key=lambda one: (one[1], one[0] in padded))[0]

    @cached_property
    def black_at(self) -> str:
        """Where it lies: on the pad of the first wire of that net, else on its first lug; empty where no wire is on it."""
        ends = [end for w in self.wires if w.net == self.black for end in (w.end, w.start)]
        return next((e for e in ends if e in self._pads), min(ends, key=lambda e: "." not in e, default=""))

    def node(self, end: str, net: str) -> str:
        """The node of a wire's end where each wire is an element: that of the board for a pad, one of its own for a lug. Lugs of one net
        join in a part that is no element and whose contacts are not known (a socket, a jack)."""
        if end in self._pads:
            return net
        ref = end.partition(".")[0]
        return f"lug#{end.lower()}" if ref.lower() in self._elements or ref in self.contacts else f"lug#{ref.lower()}@{net}"

    def sockets(self, net: str) -> tuple[str, ...]:
        """The parts by which a net leads out of the unit: jacks, terminals, a battery's clip, at which nothing of the unit itself lies."""
        found = (end.partition(".")[0] for w in self.wires if w.net.lower() == net for end in w.ends if "." in end and not self._rank(end))
        return tuple(dict.fromkeys(found))

    def socket(self, net: str, refs: Sequence[str]) -> str:
        """The node of a net at the first of some parts that it has a wire to; empty where it has to none."""
        own = "0" if net in GROUND_NAMES else net
        ends = [end for w in self.wires if w.net.lower() == own for end in w.ends]
        return next((self.node(end, own) for ref in refs for end in ends if end.partition(".")[0] == ref), "")

    def _rank(self, end: str) -> int:
        """How much lies at an end beside its wire: 0 for nothing, 1 for a contact, ``HOLDS`` for what reads without the wire."""
        ref = end.partition(".")[0]
        if end in self._pads or ref.lower() in self._elements or end in self._on_tags:
            return HOLDS
        return 1 if ref in self.contacts else 0

    @cached_property
    def _on_tags(self) -> set[str]:
        """The ends at which parts hang on the tags of a socket."""
        cards = self._circuit.netlist.top.cards if self._circuit is not None else []
        held = {(to, net) for ref, to in self._tags.items() for c in cards if c.name in self._elements.get(ref.lower(), ()) for net in c.nodes}
        return {end for w in self._wires for end in w.ends if (end.partition(".")[0], w.net.lower()) in held}

    @cached_property
    def _conducting(self) -> set[str]:
        """Nets at which more than capacitors lies: a meter reads something there."""
        cards = self._circuit.netlist.top.cards if self._circuit is not None else []
        return {net for c in cards if c.kind != "c" for net in c.nodes}

    @cached_property
    def places(self) -> tuple[tuple[str, str], ...]:
        """Where wires are rung out against black, and on which net: so that none can be missing or on the wrong lug unseen.

        On the net of black every lug. Of other wires that meet, the ends that none goes on from: at a part of its own (a pot, a coil) that
        part is read though its wire is missing, and the rest at the other end. At one where nothing lies, all that the wire leads to is read;
        where that is capacitors alone, both ends are open until a wire is on the wrong lug.
        """
        out: dict[str, str] = {}
        for wires in self._met():
            net = wires[0].net
            for end in self._on_black(wires) if net == self.black else self._last(wires):
                out.setdefault(end, net)
        return tuple(out.items())

    def _met(self) -> list[list[Wire]]:
        """Wires by the net and by where they meet: a switch parts those of one net."""
        out: list[list[Wire]] = []
        for wire in self.to_black:
            ends = {self.node(end, wire.net) for end in wire.ends}
            meets = [ws for ws in out if ws[0].net == wire.net and (wire.net == self.black or ends & {self.node(e, w.net) for w in ws for e in w.ends})]
            for other in meets[1:]:
                meets[0].extend(other)
                out.remove(other)
            if meets:
                meets[0].append(wire)
            else:
                out.append([wire])
        return out

    @staticmethod
    def _on_black(wires: Sequence[Wire]) -> list[str]:
        return [end for w in wires for end in w.ends if end == w.start or "." in end]

    def _last(self, wires: Sequence[Wire]) -> list[str]:
        """The ends that are read of wires that meet."""
        at: dict[str, list[str]] = {}
        for w in wires:
            for end in w.ends:
                at.setdefault(self.node(end, w.net), []).append(end)
        last = [ends[0] for ends in at.values() if len(ends) == 1] or [wires[0].start]
        inside = [ends[0] for ends in at.values() if len(ends) > 1]
        barest = min(last, key=self._rank)
        plain = self._rank(barest) < HOLDS and not any(self._rank(end) for end in inside)
        return [barest] if len(last) == 2 and plain and wires[0].net.lower() in self._conducting else last
