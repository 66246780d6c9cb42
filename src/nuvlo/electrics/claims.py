"""What the lists and sentences of a kit claim, held against its own circuit and against what its types are: parts nobody can wire, a tab that is
another leg, volts that a text states and no unit has."""

from __future__ import annotations

import re
from collections.abc import Iterator

from nuvlo.catalogue import Type, find
from nuvlo.circuit.operating_point import OperatingPoint, operating_point
from nuvlo.electrics.stress import rated
from nuvlo.kit import Kit
from nuvlo.kit.nets import GROUND_NAMES
from nuvlo.kit.schema import Craft
from nuvlo.problems import Problem
from nuvlo.quantity import format_value

WIRED = ("jack", "switch", "potentiometer", "lamp", "capsule", "driver", "transformer", "fuse", "battery")  # what is of no use without wires
PHANTOM, PHANTOM_MOST = (44.0, 52.0), 52.0  # V of a phantom supply, and the most that it may be (IEC 61938: 48 V, 4 V either way)
STATED = re.compile(r"(?<![\w.])([-−]?\d+(?:\.\d+)?)\s?V\b")
STATED_SHARE, STATED_V = 0.15, 0.1  # by which a reading may lie off the volts that a text states
TAB = re.compile(r"tab of (\w+) is (?:its |the )?([a-z]+)", re.IGNORECASE)
LEG = {"adjusting": "adjust", "adjustment": "adjust", "in": "input", "out": "output", "earth": "ground", "common": "ground"}


def claims(kit: Kit) -> list[Problem]:
    """Everything of that sort, of a kit with a circuit."""
    return [*_unwired(kit), *_tabs(kit), *_on_phantom(kit), *_untrimmed(kit), *_stated(kit), *_played(kit), *_heated(kit)]


def _unwired(kit: Kit) -> Iterator[Problem]:
    """Parts off the board that no wire goes to, and pads for wires that no wire goes to, in a kit that lists its wires."""
    if not kit.wires:
        return
    ends = {end.partition(".")[0] for w in kit.wires for end in w.ends}
    on_board = {p.ref for p in kit.board.pads} if kit.board else set()
    for part in kit.parts.values():
        if part.kind in WIRED and not part.on_board and part.ref not in ends | on_board and kit.elements_of(part.ref):
            yield Problem(f"'{part.ref}' is off the board, and no wire goes to it.", "Add its wires to wiring.csv.", "wiring.csv", ref=part.ref)
    for ref in sorted(on_board - ends - set(kit.parts)):
        if ref not in {h.ref for h in kit.panel} | {p.name for p in kit.info.point}:
            yield Problem(f"'{ref}' is a pad for a wire, and no wire goes to it.", "Add the wire to wiring.csv, or take the pad out.", "pads.csv", ref=ref, severity="warning")


def tab_of(known: Type | None) -> str:
    """The leg that the tab of a type is; empty where that is not known."""
    found = re.search(r"tab is (?:the )?(negative rail|[a-z]+)", known.says) if known else None
    return found[1] if found else ""


def _tabs(kit: Kit) -> Iterator[Problem]:
    """What a kit says of a tab, and a tab on metal that is another net than ground."""
    insulated = {r.part for r in kit.info.relation if r.how == "insulate"}
    for i, relation in enumerate(kit.info.relation):
        said = TAB.search(relation.why or "")
        tab = tab_of(find(kit.parts[said[1]].text)) if said and said[1] in kit.parts else ""
        claimed = said[2].lower() if said else ""
        if said and tab and LEG.get(claimed, claimed) not in tab:
            yield Problem(f"the tab of a {kit.parts[said[1]].text} is its {tab}, not its {claimed}.", "Mend the sentence.", "kit.toml", ref=said[1])
        part = kit.parts.get(relation.part)
        if relation.how != "sink" or part is None or part.ref in insulated:
            continue
        tab = tab_of(find(part.text))
        if tab and tab != "ground":
            yield Problem(
                f"its tab is its {tab}, and stands on {relation.to or 'metal'} without insulation (relation {i + 1}).", "Add a relation 'insulate': washer and sleeve.",
                "kit.toml", ref=part.ref
            )  # fmt: skip


def _on_phantom(kit: Kit) -> Iterator[Problem]:
    """Capacitors from the legs of a line that carries phantom power to ground: with nothing joined on they stand at all of it."""
    stated, mine = {s.element for s in kit.info.supply}, {c.name for c in kit.unit.netlist.top.cards} if kit.unit else set()
    bearing: dict[str, str] = {}
    for name, circuit in kit.setups.items():
        cards = circuit.netlist.top.cards
        for card in cards:
            supply = next((s for s in kit.info.supply if s.element == card.name), None)
            volts = abs(supply.volts) if supply else abs(float(circuit.parameter(circuit.element(card.name), "dc", {}))) if card.kind == "v" else 0.0
            if card.kind != "v" or (card.name in stated and supply is None) or not PHANTOM[0] <= volts <= PHANTOM[1]:
                continue
            fed = set(card.nodes) - set(GROUND_NAMES)
            # What is in a unit that draws nothing passes it on; in one that does, its own circuit says what each part bears.
            through = [set(c.nodes[:2]) for c in cards if c.kind == "r" and (kit.passive or c.name not in mine) and not set(c.nodes[:2]) & set(GROUND_NAMES)]
            for _ in through:
                fed |= {n for ends in through if ends & fed for n in ends}
            bearing |= {c.name: name for c in cards if c.kind == "c" and c.name in mine and set(c.nodes[:2]) & fed and set(c.nodes[:2]) & set(GROUND_NAMES)}
    for element, name in bearing.items():
        part = kit.part_of(element)
        may = rated(part.rating, "V") if part else None
        if part is not None and may is not None and may < PHANTOM_MOST:
            yield Problem(
                f"it bears {PHANTOM_MOST:g} V in '{name}' while nothing is joined on, with phantom at its highest, and is rated {format_value(may, 'V')}.",
                "Take one of a higher rating.", "bom.csv", ref=part.ref
            )  # fmt: skip


def _untrimmed(kit: Kit) -> Iterator[Problem]:
    """Trimmers that nothing says how to set."""
    told = {t.trimmer for t in kit.info.trim}
    for part in kit.parts.values():
        if part.kind == "trimmer" and part.ref not in told:
            yield Problem(f"nothing says how {part.ref} is set.", "Add a [[trim]] to kit.toml: without one no unit can be called as meant.", "kit.toml", ref=part.ref, severity="warning")


def _stated(kit: Kit) -> Iterator[Problem]:
    """Volts that the text of a point states, beside what its netlist gives; a trimmer may bring it there."""
    trims, trimmers = {t.watch for t in kit.info.trim}, {p.ref for p in kit.parts.values() if p.kind == "trimmer"}
    rests: dict[str, OperatingPoint] = {}
    for i, point in enumerate(kit.info.point):
        found = STATED.findall(point.says)
        if len(found) != 1 or point.running or point.name in trims or set(re.findall(r"\w+", point.says)) & trimmers:
            continue
        if point.setup not in rests:
            rests[point.setup] = operating_point(kit.setup(point.setup))
        rest = rests[point.setup]
        volts, stated = float(rest.voltage(point.node, point.reference)[0]), float(found[0].replace("−", "-"))
        if abs(volts - stated) > max(STATED_V, STATED_SHARE * abs(stated)):
            yield Problem(
                f"the text of {point.name} states {format_value(stated, 'V')}, and its netlist gives {format_value(volts, 'V', 3)} (point {i + 1}).", "Make the two agree.",
                "kit.toml", ref=point.name, severity="warning"
            )  # fmt: skip


def _played(kit: Kit) -> Iterator[Problem]:
    """What sounds before it is wired."""
    crafts = {c.id: c for c in kit.info.craft}

    def before(one: Craft, seen: frozenset[str] = frozenset()) -> set[str]:
        return set(one.after).union(*(before(crafts[a], seen | {a}) for a in one.after if a in crafts and a not in seen))

    for one in kit.info.craft:
        if one.plays and "wire" not in before(one):
            yield Problem(f"'{one.title}' wants the unit to sound, and does not wait for its wires.", "Let it come after 'wire'.", "kit.toml", ref=one.id)


def _heated(kit: Kit) -> Iterator[Problem]:
    """Valves whose heaters nobody reads, or that nothing holds to ground."""
    valves = [p for p in kit.parts.values() if p.kind == "valve"]
    if valves and not kit.info.heater:
        yield Problem("it has valves, and no [[heater]]: their volts are not read before the valves go in.", "Add one to kit.toml.", "kit.toml", ref=valves[0].ref, severity="warning")
    for heater in kit.info.heater:
        held = [w for w in kit.wires if heater.held in w.ends]
        if kit.wires and not any(w.net in GROUND_NAMES for w in held):
            yield Problem(f"the heaters {heater.name} float: no wire takes {heater.held} to ground.", "Add it to wiring.csv.", "kit.toml", ref=heater.name)
