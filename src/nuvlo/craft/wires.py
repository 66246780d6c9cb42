"""The ledger of wires: in which order they are run, which are twisted, which share a lug, and what their labels say."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection
from dataclasses import dataclass

from nuvlo.kit import Kit, Stage, Wire
from nuvlo.kit.nets import GROUND_NAMES
from nuvlo.kit.step_id import board_step, wire_step

LONG_MM = 100.0  # from here on a wire goes in while the case is still empty (common practice, no source)
POWER, LONG, SHORT, JACK, DELICATE = "power", "long", "short", "jack", "delicate"
WHY = {
    POWER: "Power first: it lies lowest, along the edge, and all else hangs on it.",
    LONG: "Long ones while the case is still empty.",
    SHORT: "Short ones last, over the long.",
    JACK: "Jacks after all else: what their pads read is known before, and they are hard to get off again.",
    DELICATE: "What is delicate at the very last, the iron earthed and quick: nothing else is soldered near it afterwards.",
}
LATE = ("jack",)  # kinds that are hard to get off again
ROW = tuple(WHY)


@dataclass(frozen=True)
class Run:
    """One wire of the ledger: its ``turn`` and why, the wires it is twisted with, those that share a lug or pad with it (by
    name), and the words for the labels of its two ends."""

    wire: Wire
    turn: str
    why: str
    twisted: tuple[str, ...]
    shares: dict[str, tuple[str, ...]]

    @property
    def labels(self) -> tuple[str, str]:
        """What stands on each end: where the other one goes."""
        return f"{self.wire.start} ▸ {self.wire.end}", f"{self.wire.end} ▸ {self.wire.start}"


def ticked(kit: Kit, done: Collection[str]) -> set[str]:
    """Names of wires that are in: by their own steps, or heater wires by the step that comes before all that hangs on tags."""
    early = {w.name for w in kit.ringing.heaters} if board_step(Stage.FIT, "heaters", ()) in done else set()
    return early | {w.name for w in kit.wires if wire_step(w.name) in done}


def ledger(kit: Kit) -> list[Run]:
    """Every wire in the order to run it: power, then long ones, short ones, and jacks, and what is delicate last. Those of one twist go together."""
    powered = _powered(kit)
    turns = {w.name: _turn(kit, w, powered) for w in kit.wires}
    at = Counter(end for w in kit.wires for end in w.ends)
    twists: dict[str, list[Wire]] = {}
    for w in kit.wires:
        if w.twist:
            twists.setdefault(w.twist, []).append(w)

    def place(w: Wire) -> tuple[int, float, int, int]:
        first = twists[w.twist][0] if w.twist else w
        return ROW.index(turns[first.name]), -(first.length_mm or 0.0), kit.wires.index(first), kit.wires.index(w)

    out = []
    for w in sorted(kit.wires, key=place):
        turn = turns[twists[w.twist][0].name if w.twist else w.name]
        twisted = tuple(o.name for o in twists.get(w.twist, []) if o is not w)
        shares = {
            end: tuple(o.name for o in kit.wires if o is not w and end in (o.start, o.end))
            for end in w.ends if at[end] > 1
        }  # fmt: skip
        out.append(Run(w, turn, WHY[turn], twisted, shares))
    return out


def _powered(kit: Kit) -> set[str]:
    """Nets by which power comes in: the supplies', what a diode stands between them and, and what is in no circuit (heaters)."""
    supplied = {s.node.lower() for s in kit.info.supply}
    out = {w.net for w in kit.wires} - {*GROUND_NAMES, *(kit.unit.nodes if kit.unit else ())} | supplied
    names = ["0", *(kit.unit.nodes if kit.unit else ())]
    for e in kit.unit.elements if kit.unit else ():
        ends = {names[n + 1] for n in e.nodes[:2]}
        if e.kind == "d" and ends & supplied:
            out |= ends - set(GROUND_NAMES)
    return out


def _turn(kit: Kit, wire: Wire, powered: set[str]) -> str:
    heads = {end.partition(".")[0] for end in wire.ends if "." in end}
    parts = [p for h in heads if (p := kit.find_part(h)) is not None]
    if any(p.kind == "capsule" or (p.static_sensitive and not p.on_board) for p in parts):
        return DELICATE
    if any(p.kind in LATE for p in parts):
        return JACK
    connectors = {end.partition(".")[0] for w in kit.wires if w.net in powered for end in w.ends if "." in end}
    if wire.net in powered or (wire.net in GROUND_NAMES and heads & connectors):
        return POWER
    return LONG if (wire.length_mm or 0.0) >= LONG_MM else SHORT
