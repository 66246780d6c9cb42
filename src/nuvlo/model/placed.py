"""Where the leads lie for an observable of a kit, and how the unit stands meanwhile. Solver, bench and diagnosis all ask here."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

from nuvlo.kit import Kit
from nuvlo.kit.kit import SOCKETS_EMPTY
from nuvlo.kit.schema import Cold, Heater, Supply, Tone, Trim
from nuvlo.measurement import Observable, volts_at
from nuvlo.model.bonds import shell_bonds
from nuvlo.model.rectifier import rippling
from nuvlo.model.tones import at_node, followable
from nuvlo.model.wired import probes
from nuvlo.problems import NuvloError, Problem

UNITS = {"voltage": "V", "tone": "V", "current": "A", "resistance": "Ω", "capacitance": "F", "gain": "dB"}
GROUND = "ground"


class NoPlace(NuvloError):
    """The kit has no such place, or nothing of this quantity is read there."""


@dataclass(frozen=True)
class Placed:
    """An observable on a kit: the ``nodes`` of the red and the black lead; the ``setup`` that the unit stands in, the usual one where it is not named;
    of a current, of ripple and of a short that is looked for the ``supply``; how a ``tone`` is fed in; how it is read ``cold``, where the kit says so. A
    ``heater`` is in no circuit, so that nothing of it can be foretold."""

    of: Observable
    unit: str
    nodes: tuple[str, str] = ("", "")
    setup: str = ""
    supply: Supply | None = None
    tone: Tone | None = None
    cold: Cold | None = None
    heater: Heater | None = None
    throw: str = ""  # how a switch is thrown meanwhile, as the kit names it
    lugs: bool = False  # whether the nodes are those of lugs, of the unit with its wires as elements (:func:`~nuvlo.model.wired.wired`)

    @property
    def quantity(self) -> str:
        return self.of.quantity

    @property
    def short(self) -> bool:
        """Whether a short across a supply is looked for, and nothing else told."""
        return self.quantity == "resistance" and self.supply is not None


def placed(kit: Kit, of: Observable) -> Placed:
    """Where ``of`` is read on ``kit``. Raises :class:`NoPlace`."""
    if of.setup:
        return replace(placed(kit, replace(of, setup="")), of=of, setup=of.setup)
    found = known(kit).get(of) or next(_elsewhere(kit, of), None)
    if found is None:
        raise NoPlace(Problem(f"there is no place '{of.name}' in {kit.name} at which {of.quantity} is read.", "Check the name.", ref=of.name))
    return found


def known(kit: Kit) -> dict[Observable, Placed]:
    """All that the kit itself speaks of, found once."""
    if "placed" not in kit.memory:
        out: dict[Observable, Placed] = {}
        for one in _spoken_of(kit):
            out.setdefault(one.of, one)
        kit.memory["placed"] = out
    found: dict[Observable, Placed] = kit.memory["placed"]
    return found


def _spoken_of(kit: Kit) -> Iterator[Placed]:
    """Supplies, test points, cold readings, tones and sockets; lugs and pads of the ring-out. Of two of one name the first counts."""
    info = kit.info
    for supply in info.supply:
        for empty in (False, True):
            yield Placed(Observable(supply.name, "current", empty=empty), "A", (supply.node, "0"), SOCKETS_EMPTY * empty, supply)
        if supply.point:
            yield Placed(Observable(supply.point, "resistance"), "Ω", (supply.node, "0"), supply=supply)
            yield Placed(Observable(supply.point, "resistance", exchanged=True), "Ω", ("0", supply.node), supply=supply)
    for of, supply in rippling(kit).items():
        yield Placed(of, "V", (supply.node, "0"), supply=supply)
    for cold in info.cold:
        yield Placed(Observable(cold.name, cold.quantity), cold.unit, (cold.node, cold.reference), cold=cold)
    for heater in info.heater:
        yield Placed(Observable(heater.name, "tone"), "V", heater=heater)
        yield Placed(Observable(f"{heater.name}-{GROUND}", "resistance"), "Ω", heater=heater)
    for tone in info.tone:
        yield Placed(Observable(tone.name, "tone"), "V", (tone.node, tone.reference), tone.setup, tone=tone)
    for point in info.point:
        yield Placed(Observable(point.name, "voltage"), "V", (point.node, point.reference), point.setup)
        yield Placed(Observable(point.name, "voltage", unplugged=True), "V", (point.node, point.reference), point.setup)
        if kit.passive:
            yield Placed(Observable(point.name, "resistance"), "Ω", (point.node, point.reference))
    if kit.unit is None:
        return
    for place, node in kit.at_sockets:
        yield Placed(Observable(place, "voltage", empty=True), "V", (node, "0"), SOCKETS_EMPTY)
    rung = [*((end, w.net) for w in kit.ringing.to_black for end in (w.end, w.start)), *((b.other, b.net) for b in shell_bonds(kit))]
    for place, net in rung:
        yield Placed(Observable(place, "resistance"), "Ω", (net, kit.ringing.black))
    for probe in probes(kit):
        yield Placed(probe.of, "Ω", probe.nodes, throw=probe.state)


def _elsewhere(kit: Kit, of: Observable) -> Iterator[Placed]:
    """A pad or a pin of the board, two places with a stroke between them, two cold readings in series, a tone followed to another place."""
    unit = UNITS.get(of.quantity, "")
    if of.follows:
        yield from _followed(kit, of)
        return
    if of.quantity == "tone":
        yield from (Placed(of, unit, (t.node, t.reference), t.setup, tone=t) for t in followable(kit) if t.name == of.place)
    if of.quantity == "voltage" and (node := net_of(kit, of.place)):
        yield Placed(of, unit, (node, "0"), SOCKETS_EMPTY * of.empty)
    for one, other in _halves(of.place):
        a, b = (known(kit).get(of.to(place)) for place in (one, other))
        if of.quantity in ("resistance", "capacitance") and a and b:
            ends = sorted(set(a.nodes) ^ set(b.nodes), key=(*a.nodes, *b.nodes).index)
            if len(ends) == 2:
                cold = a.cold
                series = cold.model_copy(update={"name": of.place, "node": ends[0], "reference": ends[1], "read": ""}) if cold else None
                yield Placed(of, unit, (ends[0], ends[1]), cold=series)
        red, black = net_of(kit, one), net_of(kit, other)
        if of.quantity in ("voltage", "resistance") and red and black:
            yield Placed(of, unit, (red, black))


def _followed(kit: Kit, of: Observable) -> Iterator[Placed]:
    """A tone read elsewhere than at its own place."""
    node = net_of(kit, of.place)
    for tone in followable(kit):
        if tone.name == of.follows and node:
            one = at_node(tone, node)
            yield Placed(of, "V", (node, one.reference), one.setup, tone=one)


def watched_at(kit: Kit, trim: Trim) -> Observable:
    """What is read while a trimmer is turned: its point, in the set-up of the trim."""
    return volts_at(trim.watch, setup="" if trim.setup.lower() in ("", kit.point(trim.watch).setup.lower()) else trim.setup)


def _halves(place: str) -> Iterator[tuple[str, str]]:
    """Both sides of each stroke in a name, for names may have strokes of their own."""
    for at, letter in enumerate(place):
        if letter == "-":
            yield place[:at], place[at + 1 :]


def net_of(kit: Kit, place: str) -> str:
    """The net of a test point, a pad, a pin written as ``R1.2``, or of ground; empty where there is none."""
    if place == GROUND:
        return "0"
    point = next((p for p in kit.info.point if p.name == place), None)
    if point is not None:
        return point.node
    ref, _, pin = place.partition(".")
    pads = kit.board.pads_by_ref.get(ref, ()) if kit.board else ()
    return next((p.net.lower() for p in pads if str(p.pin) == pin or not pin), "")
