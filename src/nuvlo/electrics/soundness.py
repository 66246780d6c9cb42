"""What a kit says that no builder should build: legs in other holes than their type's, a plus on the lower voltage, parts beyond
their ratings, nets with one pin, values that nobody makes. Found by rule, with the place and a remedy."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator

import numpy as np

from nuvlo.catalogue import Type, find
from nuvlo.circuit.number import spice_number
from nuvlo.circuit.operating_point import OperatingPoint, operating_point
from nuvlo.electrics.claims import claims
from nuvlo.electrics.coils import Winding as CoilWinding
from nuvlo.electrics.stress import over_rating, rating_of, stresses
from nuvlo.kit import Kit
from nuvlo.kit.nets import GROUND_NAMES, UNCONNECTED
from nuvlo.kit.packages import body_mm, coil_mm
from nuvlo.kit.parts import Part
from nuvlo.model.bonds import bonds
from nuvlo.model.ensemble import known_to
from nuvlo.problems import NuvloError, Problem
from nuvlo.quantity import format_value
from nuvlo.words import listed

BACKWARDS = 0.3  # V that an electrolytic may stand the wrong way round (common practice, no source)
TOUCH_MM = 12.0  # between the middles of two bodies that touch
SERIES = {0.05: ("E24",), 0.02: ("E24", "E48", "E96"), 0.0: ("E24", "E96", "E192")}  # by the least tolerance it is for
# What the pins of a chip, a regulator or a valve are called, in the order of its subcircuit's terminals.
TERMINALS = {
    "op-amp": ("+in", "−in", "V+", "V−", "out"), "power-amp": ("+in", "−in", "V+", "V−", "out"),
    "regulator": ("input", "ground", "output"), "regulator-neg": ("input", "ground", "output"),
    "regulator-adj": ("input", "adjust", "output"), "regulator-adj-neg": ("input", "adjust", "output"),
    "triode": ("plate", "grid", "cathode"), "pentode": ("plate", "screen", "grid", "cathode"),
}  # fmt: skip
LEGS = {"q": ("collector", "base", "emitter"), "j": ("drain", "gate", "source"), "m": ("drain", "gate", "source"), "d": ("anode", "cathode")}
TWO_ENDED = "rcldvi"
CONDUCTS, LESS = 0.4, 0.1  # V of a junction that conducts, and by which one is less than another
NEAR_RAIL_V, NEAR_RAIL = 2.0, 0.3  # V, and at most what share of the supply, within which an output hangs at a rail
UNIT_MM, PANEL_MM = 5.08, 112.0  # width of a unit of a modular panel, and the height between its rails
AIR_SHARE, TUNED_SHARE = 0.05, 0.03  # by which a box may differ from what the circuit reckons with
WOUND_SHARE = 0.04  # and a coil from its value
WALL_MM, UNDER_MM = 2.0, 7.0  # of a case; of spacers, board and leads beneath
FOR_LEADS = ("jack", "socket", "header", "switch", "potentiometer", "inlet")  # what leads are plugged into, where it is on the board
STEP_VALUE = re.compile(r"(?<=[?:])\s*(\d+(?:\.\d+)?(?:meg|k)?)\s*(?=[:}])")
CASES = ("case", "chassis")  # nets that are metal, and may have one bond


def unsound(kit: Kit) -> list[Problem]:
    """Everything found, errors first. Some seconds for a large kit: its set-ups are solved at the ends of its supplies."""
    found = [*_values(kit), *_relations(kit), *_list(kit), *_bonded(kit), *_fits(kit), *_unplaced(kit), *_unreached(kit), *_crowded(kit)]
    if kit.unit is not None:
        found += [*claims(kit), *_pins(kit), *_halves(kit), *_nets(kit), *_unlisted(kit), *_loose(kit), *_controls(kit), *_steps(kit), *_chambers(kit), *_windings(kit)]
        try:
            solved = list(_ends(kit))
            found += [*_legs(kit, solved), *_polarity(kit, solved), *_ratings(kit)]
        except NuvloError as unsolved:
            found += unsolved.problems
    return sorted(found, key=lambda p: p.severity != "error")


def _problem(ref: str, message: str, remedy: str, file: str = "bom.csv", *, error: bool = True) -> Problem:
    return Problem(message, remedy, file, ref=ref, severity="error" if error else "warning")


# -- pins ----------------------------------------------------------------------------------------------------------


def _pins(kit: Kit) -> Iterator[Problem]:
    """Pads that are not on the nets of their pins, where the type is known."""
    if kit.board is None:
        return
    for part in kit.parts.values():
        known = find(part.text) if not part.unit else None
        pads = {p.pin: p.net for p in kit.board.pads_of(part.ref) or kit.board.pads_of(_socket_of(part.ref))}
        wanted = _nets_by_pin(kit, part, known) if known and pads else {}
        wrong = [n for n, net in sorted(wanted.items()) if str(n) in pads and pads[str(n)] != net]
        if known is None:
            yield from _other_nets(kit, part)
        if known is None or not wrong:
            continue
        names = {p.number: p.name for p in known.pins}
        said = "; ".join(f"pin {n} is its {names[n]}, on '{wanted[n]}', and its pad is on '{pads[str(n)]}'" for n in wrong[:3])
        held = f" ({known.package}, {known.seen})" if known.seen else ""
        remedy = f"Lay the pads as a {known.name} has its pins{held}, or name the type that is meant."
        yield _problem(part.ref, f"{said}.", remedy, "pads.csv")


def _other_nets(kit: Kit, part: Part) -> Iterator[Problem]:
    """A part without a type whose pads are on other nets than the netlist has it on."""
    assert kit.board is not None
    on_board = {_ground_or(p.net.lower()) for p in kit.board.pads_of(part.ref)}
    cards = [c for c in kit.unit.netlist.top.cards if c.name in kit.elements_of(part.ref)] if kit.unit else []
    drawn = dict.fromkeys(_ground_or(net) for c in cards for net in c.nodes)
    apart = [net for net in drawn if net not in on_board]
    if on_board and apart:
        there = listed([f"'{net}'" for net in sorted(on_board)])
        yield _problem(part.ref, f"circuit.cir has it on '{apart[0]}', and none of its pads is: they are on {there}.",
                       "Put the right net into pads.csv, or mend the netlist.", "pads.csv")  # fmt: skip


def _ground_or(net: str) -> str:
    return "0" if net in GROUND_NAMES else net


def _unreached(kit: Kit) -> Iterator[Problem]:
    """Test points on the board that nothing there leads to."""
    for point in kit.info.point:
        pads = kit.board.pads_of(point.name) if kit.board else ()
        nets = {_ground_or(p.net.lower()) for p in pads}
        if kit.board is not None and nets and not any(p.ref != point.name and _ground_or(p.net.lower()) in nets for p in kit.board.pads):
            yield _problem(point.name, f"its pad is on '{pads[0].net}', and nothing else on the board is: it would read as open.",
                           "Lead that net to the board, or take the pad away where the point is a lug.", "pads.csv")  # fmt: skip


def _unplaced(kit: Kit) -> Iterator[Problem]:
    """Parts that belong on the board and have no place there."""
    plugged = {p.ref for p in kit.plugged}
    for part in kit.parts.values():
        held = part.ref in kit.on_tags or part.ref in plugged
        if kit.board is not None and part.on_board and not held and not kit.board.pads_of(part.ref):
            yield _problem(part.ref, "it belongs on the board, and has no pads there.",
                           "Give it its pads and its place, or say in bom.csv that it is not on the board.", "pads.csv")  # fmt: skip


def _socket_of(ref: str) -> str:
    """The socket of a chip: the one with its number."""
    return "SKT" + "".join(c for c in ref if c.isdigit())


def _nets_by_pin(kit: Kit, part: Part, known: Type) -> dict[int, str]:
    """The net of each pin of a type, as the netlist has it."""
    assert kit.unit is not None
    cards = {c.name: c for c in kit.unit.netlist.top.cards}
    out: dict[int, str] = {}
    elements = kit.elements_of(part.ref)
    for k, element in enumerate(elements):
        card = cards[element]
        names = LEGS.get(card.kind) or TERMINALS.get(known.sort, ())
        half = "abcd"[k] if k < 4 else ""
        for name, net in zip(names, card.nodes, strict=False):
            out |= {p.number: net for p in known.pins if p.name.lower() in (name.lower(), f"{name.lower()} {half}")}
    return out


def _halves(kit: Kit) -> Iterator[Problem]:
    """Halves of a chip that nothing is joined to."""
    for part in kit.parts.values():
        known = find(part.text) if part.kind == "chip" else None
        if known is None or known.sort != "op-amp":
            continue
        has = sum(p.name.startswith("out") for p in known.pins)
        used = len(kit.elements_of(part.ref))
        if 0 < used < has:
            yield _problem(
                part.ref, f"{has - used} of its {has} amplifiers are joined to nothing: they swing about and draw current.",
                "Join output and −in, and +in to a quiet voltage between the rails, in circuit.cir.", "circuit.cir", error=False
            )  # fmt: skip


# -- nets ----------------------------------------------------------------------------------------------------------


def _nets(kit: Kit) -> Iterator[Problem]:
    """Nets with one pin, and nets of the board that no part has."""
    assert kit.unit is not None
    top = kit.unit.netlist.top.cards
    ends = Counter(n for c in top for n in c.nodes)
    at_bench = {n for s in kit.setups.values() for c in s.netlist.top.cards if c.name not in
                {t.name for t in top} for n in c.nodes}  # fmt: skip
    outside = at_bench | {p.node for p in kit.info.port} | {s.node for s in kit.info.supply} | {*GROUND_NAMES, *CASES}
    for card in top:
        if card.kind in TWO_ENDED and len(card.nodes) >= 2 and card.nodes[0] == card.nodes[1]:
            yield Problem(f"both ends of '{card.name}' are on the net '{card.nodes[0]}', so it does nothing.", "Name the two nets that it joins.", "circuit.cir",
                          card.token.line, ref=card.name)  # fmt: skip
    for net, count in ends.items():
        owner = next(c.name for c in top if net in c.nodes)
        if count == 1 and net not in outside and not _sounds(kit, net):
            yield Problem(f"the net '{net}' has one pin only, of {owner}.", "Join it to something, or take it out.", "circuit.cir",
                          ref=owner, severity="warning")  # fmt: skip
    known = {*ends, *outside, UNCONNECTED}
    for pad in kit.board.pads if kit.board else ():
        if pad.net not in known:
            yield _problem(pad.ref, f"its pad {pad.pin} is on '{pad.net}', which no part has.", "Mend the net.", "pads.csv")


def _sounds(kit: Kit, net: str) -> bool:
    """Whether a net is the sound of a loudspeaker, which goes through the air."""
    assert kit.unit is not None
    return any(c.kind == "x" and c.nodes[-1] == net and (c.model or "").startswith("driver") for c in kit.unit.netlist.top.cards)


def _loose(kit: Kit) -> Iterator[Problem]:
    """Parts off the board, supplies and ports, whose nets come to no pad for a wire, and no wire."""
    if kit.board is None:
        return
    assert kit.unit is not None
    ends = set(kit.wire_ends)
    mounted = {p.ref for p in kit.parts.values() if p.kind in FOR_LEADS}
    reached = {p.net for p in kit.board.pads if p.ref in ends or p.ref in mounted} | {w.net for w in kit.wires}
    on_board = {p.net for p in kit.board.pads if p.ref in kit.parts}
    cards = {c.name: c for c in kit.unit.netlist.top.cards}
    for part in kit.parts.values():
        if part.on_board and part.ref not in kit.on_tags:
            continue
        nets = [n for e in kit.elements_of(part.ref) for n in cards[e].nodes if n not in CASES and not _sounds(kit, n)]
        far = next((n for n in nets if n not in reached and not _direct(kit, part, n)), None)
        if far is not None:
            yield _problem(part.ref, f"it is off the board, and its net '{far}' comes to no pad and no wire.",
                           "Add a pad for its wire to pads.csv, or the wire to wiring.csv.", "pads.csv", error=False)  # fmt: skip
    outside = [(s.node, f"the {s.name} comes from outside") for s in kit.info.supply]
    outside += [(p.node, f"'{p.name}' is a port") for p in kit.info.port]
    for net, why in outside:
        if net in on_board and net not in reached:
            yield Problem(f"{why}, and its net '{net}' comes to no pad for a wire.", "Add one to pads.csv.", "pads.csv", severity="warning")


def _direct(kit: Kit, part: Part, net: str) -> bool:
    """Whether another part off the board has this net too: lug to lug, without the board."""
    assert kit.unit is not None
    others = [c for c in kit.unit.netlist.top.cards if net in c.nodes and c.name not in kit.elements_of(part.ref)]
    refs = [p.ref for c in others if (p := kit.part_of(c.name)) is not None]
    on_tags = any(not kit.board.pads_of(ref) for ref in refs) if kit.board else True
    return on_tags or any(net == p.node for p in kit.info.port)


# -- what is solved --------------------------------------------------------------------------------------------------


def _ends(kit: Kit) -> Iterator[tuple[str, OperatingPoint]]:
    """Each set-up with all supplies low, usual and high."""
    share = np.array([-1.0, 0.0, 1.0])
    supplies = {s.element: s.running * (1 + share * s.tolerance) for s in kit.info.supply}
    for name, circuit in kit.setups.items():
        point = operating_point(circuit, known_to(circuit, supplies))
        if not point.failed:
            yield name, point


def _unlisted(kit: Kit) -> Iterator[Problem]:
    """Elements of the netlist that the list lacks. What stands beside a part for its windings and leads, ``rl1`` with L1, is of that part."""
    assert kit.unit is not None
    refs = {ref.lower() for ref in kit.parts}
    for card in kit.unit.netlist.top.cards:
        if card.kind in "rcldqjmx" and kit.part_of(card.name) is None and card.name[1:] not in refs:
            ref = card.name.removeprefix("x").upper()
            yield Problem(f"'{card.name}' is in circuit.cir, and the list has no {ref}: nobody would fit it.", f"Add {ref} to bom.csv, or take it out.", "circuit.cir",
                          card.token.line, ref=card.name, severity="warning")  # fmt: skip


def _legs(kit: Kit, solved: list[tuple[str, OperatingPoint]]) -> Iterator[Problem]:
    """Transistors whose base conducts to the collector at rest in every set-up, as they do with nodes in another order; chips whose V+ stands below
    their V−."""
    assert kit.unit is not None
    for card in kit.unit.netlist.top.cards:
        model = kit.unit.netlist.top.find_model(card.model) if card.kind == "q" and card.model else None
        if model is not None and len(set(card.nodes[:3])) == 3:
            sign = -1.0 if model.kind == "pnp" else 1.0
            c, b = card.nodes[:2]
            forward = [sign * float(p.voltage(b, c)[1]) for _, p in solved]
            if forward and min(forward) > CONDUCTS:
                yield Problem(f"at rest its base conducts to its collector, by {format_value(forward[0], 'V', 2)}: it amplifies nothing.",
                              "Give its nodes in the order collector, base, emitter; else look at what drives it.", "circuit.cir", card.token.line, ref=card.name, severity="warning")  # fmt: skip
    for ref in _upside_down(kit, solved):
        order = ", ".join(TERMINALS["op-amp"])
        yield _problem(ref, "its V+ stands below its V− at rest.", f"Give its nodes in the order {order}.", "circuit.cir")


def _upside_down(kit: Kit, solved: list[tuple[str, OperatingPoint]]) -> list[str]:
    """Chips whose V+ stands below their V− where the unit is supplied."""
    assert kit.unit is not None
    rails = {part.ref: kit.unit.pins(e) for part in kit.parts.values() for e in kit.elements_of(part.ref)[:1] if e.startswith("x")}
    return [ref for ref, pins in rails.items() if {"vp", "vn"} <= pins.keys() and any(float(p.voltage(pins["vp"], pins["vn"])[1]) < -LESS for _, p in solved)]


def _at_a_rail(kit: Kit, solved: list[tuple[str, OperatingPoint]]) -> list[str]:
    """Chips with an output that hangs near one of their rails at rest."""
    assert kit.unit is not None
    out = []
    for part in kit.parts.values():
        for pins in (kit.unit.pins(e) for e in kit.elements_of(part.ref) if e.startswith("x")):
            if {"vp", "vn", "o"} <= pins.keys():
                for _, p in solved:
                    high, low = float(p.voltage(pins["vp"], pins["o"])[1]), float(p.voltage(pins["o"], pins["vn"])[1])
                    if min(high, low) < min(NEAR_RAIL_V, NEAR_RAIL * (high + low)):
                        out.append(part.ref)
    return list(dict.fromkeys(out))


def _polarity(kit: Kit, solved: list[tuple[str, OperatingPoint]]) -> Iterator[Problem]:
    """Electrolytic capacitors whose plus stands below their minus. Where a chip hangs at a rail that may be all there is to it."""
    assert kit.unit is not None
    cards = {c.name: c for c in kit.unit.netlist.top.cards}
    if _upside_down(kit, solved):
        return  # of such a circuit nothing more is known
    hanging = _at_a_rail(kit, solved)
    for part in kit.parts.values():
        element = kit.element_of(part.ref)
        if part.kind != "electrolytic" or element is None or "bipolar" in f"{part.rating} {part.note} {part.package}".lower():
            continue
        pads = {p.pin: p.net for p in (kit.board.pads_of(part.ref) if kit.board else ())}
        plus, minus = pads.get("1", cards[element].nodes[0]), pads.get("2", cards[element].nodes[1])
        lowest, where = min(((float(np.min(p.voltage(plus, minus))), n) for n, p in solved), default=(0.0, ""))
        if lowest < -BACKWARDS:
            volts = format_value(-lowest, "V", 3)
            if hanging:
                yield _problem(
                    part.ref, f"its plus, on '{plus}', stands {volts} below its minus, on '{minus}', in the set-up '{where}'. But {listed(hanging)} hangs at a rail there.",
                    f"Look first whether the nodes of {listed(hanging)} stand in the order {', '.join(TERMINALS['op-amp'])}; leave the capacitor until it works.", "circuit.cir",
                    error=False,
                )  # fmt: skip
                continue
            yield _problem(
                part.ref, f"its plus, on '{plus}', stands {volts} below its minus, on '{minus}', in the set-up '{where}': it would burst.",
                "Exchange its pads, and its nodes in circuit.cir.", "pads.csv" if pads else "circuit.cir"
            )  # fmt: skip


def _ratings(kit: Kit) -> Iterator[Problem]:
    """Parts that bear more than they may; those of known type by what the catalogue says where the list is silent."""
    for ref, stress in stresses(kit, quick=True).items():
        part = kit.part(ref)
        words = over_rating(rating_of(part), stress, part.unit)
        if words:
            yield _problem(ref, f"{words}.", "Choose a larger rating, or another circuit.", error="more than half" not in words)


# -- the list ------------------------------------------------------------------------------------------------------


def _values(kit: Kit) -> Iterator[Problem]:
    """Resistors and capacitors of values in no series."""
    for part in kit.parts.values():
        if part.kind not in ("resistor", "capacitor", "electrolytic") or not part.value or part.tolerance is None:
            continue
        width = max(abs(t) for t in part.tolerance)
        series = next(s for least, s in SERIES.items() if width >= least)
        near = _nearest(part.value, series)
        if abs(near / part.value - 1) > 2e-3:
            yield _problem(
                part.ref, f"{part.text} is in none of the series that {100 * width:g} % parts are made in.",
                f"The nearest is {format_value(near, part.unit)} ({'/'.join(series)}).", error=False
            )  # fmt: skip


def _nearest(value: float, series: tuple[str, ...]) -> float:
    from eseries import ESeries, find_nearest

    found = [float(find_nearest(ESeries[name], value)) for name in series]
    return min(found, key=lambda one: abs(one / value - 1))


def _steps(kit: Kit) -> Iterator[Problem]:
    """Resistors of a switch's steps, of values in no series: ``step<2.5 ? 1.47k : 300``."""
    text = (kit.folder / "circuit.cir").read_text(encoding="utf-8", errors="replace")
    for number, line in enumerate(text.splitlines(), 1):
        if "?" not in line or not line.lower().startswith("r"):
            continue
        for value in STEP_VALUE.findall(line.lower()):
            ohms = spice_number(value)
            near = _nearest(ohms, SERIES[0.0]) if 1.0 <= ohms < 10e6 else ohms
            if abs(near / ohms - 1) > 2e-3:
                yield Problem(f"a step of {format_value(ohms, 'Ω')} is in none of the series that resistors are made in.",
                              f"The nearest is {format_value(near, 'Ω')}.", "circuit.cir", number, 1, severity="warning")  # fmt: skip


def _controls(kit: Kit) -> Iterator[Problem]:
    """Controls that turn nothing."""
    for control in kit.info.control:
        if kit.find_part(control.ref) is not None and not kit.elements_of(control.ref):
            yield _problem(control.ref, f"'{control.name}' is a control, and circuit.cir has no element of it.",
                           "Add its element, or take the control out.", "kit.toml")  # fmt: skip


def _fits(kit: Kit) -> Iterator[Problem]:
    """Boards that do not go into their case or behind their panel, and parts that stand higher than it is deep."""
    if kit.board is None:
        return
    short, long = sorted(kit.board.size)
    tall = max((p for p in kit.parts.values() if p.on_board and p.ref in kit.board.placements), key=lambda p: p.stands_mm, default=None)
    for case in (p for p in kit.parts.values() if p.kind in ("case", "panel")):
        units = re.search(r"(\d+) units wide", case.text)
        found = re.search(r"(\d+(?:\.\d+)?) x (\d+(?:\.\d+)?)(?: x (\d+(?:\.\d+)?))? mm", case.text)
        sides = (float(units[1]) * UNIT_MM, PANEL_MM) if units else (float(found[1]), float(found[2])) if found else None
        if sides is None:
            continue
        room = sorted(side - (0.0 if units else 2 * WALL_MM) for side in sides)
        board = f"the board of {long:g} × {short:g} mm"
        if short > room[0] or long > room[1]:
            yield _problem(case.ref, f"{board} does not go into it: it has {room[1]:g} × {room[0]:g} mm inside.",
                           "Take a larger one, or a smaller board.")  # fmt: skip
        deep = float(found[3]) - 2 * WALL_MM - UNDER_MM if found and found[3] else None
        if deep is not None and tall is not None and tall.stands_mm > deep:
            yield _problem(case.ref, f"{tall.ref} stands {tall.stands_mm:g} mm, and above the board are {deep:g} mm.", "Take a deeper one.")


def _crowded(kit: Kit) -> Iterator[Problem]:
    """Parts whose bodies lie over one another."""
    if kit.board is None:
        return
    plugged = {p.ref for p in kit.plugged}
    boxes: list[tuple[str, float, float, float, float]] = []
    for ref, place in kit.board.placements.items():
        part = kit.find_part(ref)
        if part is None or ref in plugged:
            continue
        wide, high = body_mm(part) if place.rotation % 180 == 0 else body_mm(part)[::-1]
        boxes.append((ref, place.x_mm - wide / 2, place.y_mm - high / 2, place.x_mm + wide / 2, place.y_mm + high / 2))
    over = {frozenset((r.part, r.to)) for r in kit.info.relation if r.how in ("touches", "below", "insulate")}
    for k, (ref, left, low, right, high) in enumerate(boxes):
        for other, *(x0, y0, x1, y1) in boxes[:k]:
            if left < x1 and x0 < right and low < y1 and y0 < high and frozenset((ref, other)) not in over:
                yield _problem(ref, f"its body lies over that of {other}.", "Move one of them.", "placement.csv")


def _chambers(kit: Kit) -> Iterator[Problem]:
    """Air that is not what the circuit's drivers reckon with, and drivers whose air nobody states."""
    stated = {driver.lower(): c for c in kit.info.chamber for driver in c.drivers}
    for card in kit.unit.netlist.top.cards if kit.unit else ():
        part = kit.part_of(card.name)
        wanted = {name: spice_number(v.text) for name, v in card.parameters.items() if name in ("vb", "fb")}
        if part is None or part.kind != "driver" or "vb" not in wanted:
            continue
        chamber = stated.get(part.ref.lower())
        if chamber is None:
            yield _problem(part.ref, "the circuit reckons with air behind it, and no [[chamber]] says where that is.",
                           "Add one, with the litres inside and what takes of them.", "kit.toml")  # fmt: skip
            continue
        litres = 1e3 * wanted["vb"]
        if abs(chamber.each_l / litres - 1) > AIR_SHARE:
            yield _problem(part.ref, f"it works on {chamber.each_l:.3g} l, and the circuit reckons with {litres:.3g} l.",
                           "Mend one of the two.", "kit.toml")  # fmt: skip
        elif wanted.get("fb", 0.0) and abs(chamber.tuned_hz / wanted["fb"] - 1) > TUNED_SHARE:
            yield _problem(part.ref, f"its port resonates at {chamber.tuned_hz:.3g} Hz, and the circuit reckons with {wanted['fb']:.3g} Hz.",
                           "Mend the length of the port, or the circuit.", "kit.toml")  # fmt: skip


def _windings(kit: Kit) -> Iterator[Problem]:
    """Coils that are not wound to the inductance of the list."""
    for w in kit.info.winding:
        part = kit.find_part(w.part)
        shape = coil_mm(part.package) if part else None
        if part is None or shape is None or not part.value:
            yield _problem(w.part, "a winding is stated of what is no coil with a size.", "Give its package as coil-66x28, mm across and long.", "kit.toml")
            continue
        henries = CoilWinding(w.inner_mm, shape[0], shape[1], w.turns).inductance
        if abs(henries / part.value - 1) > WOUND_SHARE:
            yield _problem(part.ref, f"wound so it has {format_value(henries, 'H', 3)}, and the list says {part.text}.",
                           "Mend its turns, its size or its value.", "kit.toml")  # fmt: skip


def _bonded(kit: Kit) -> Iterator[Problem]:
    """Metal that floats, and rings of ground."""
    if not kit.wires or not kit.info.metal:
        return
    now = bonds(kit)
    for piece in now.floating:
        yield _problem(piece, "it is metal, and on no net.", "Bond it once, by a wire or a jack that touches it.", "wiring.csv")
    for loop in now.loops:
        yield _problem(loop[0].one.partition(".")[0], f"a ring of ground is closed by {', '.join(x.by for x in loop)}.",
                       "Insulate one of them.", "wiring.csv", error=False)  # fmt: skip


def _relations(kit: Kit) -> Iterator[Problem]:
    """Parts that are to touch and lie apart."""
    for relation in kit.info.relation:
        one, other = kit.find_part(relation.part), kit.find_part(relation.to)
        if relation.how != "touches" or kit.board is None or one is None or other is None:
            continue
        a, b = kit.board.placements.get(one.ref), kit.board.placements.get(other.ref)
        if a is None or b is None:
            continue
        apart = float(np.hypot(a.x_mm - b.x_mm, a.y_mm - b.y_mm))
        if apart > TOUCH_MM:
            yield _problem(one.ref, f"it is to touch {other.ref}, and lies {apart:.0f} mm from it.",
                           "Place them together, or take the relation out.", "placement.csv")  # fmt: skip


def _list(kit: Kit) -> Iterator[Problem]:
    """What the circuit or the case implies and the list does not have."""
    kinds = Counter(p.kind for p in kit.parts.values())
    words = " ".join(f"{p.kind} {p.text} {p.note} {p.package}" for p in kit.parts.values()).lower()
    hardware = " ".join(p.text for p in kit.parts.values() if p.kind == "hardware").lower()
    mains = any(s.mains_hz for s in kit.info.supply)
    battery = any("batter" in s.name.lower() for s in kit.info.supply)
    lacks: list[tuple[bool, str, str]] = [
        (mains and "fuse" not in words, "a fuse", "it is fed from the mains"),
        (mains and "inlet" not in words, "a mains inlet", "it is fed from the mains"),
        (mains and not re.search(r"mains switch|switch.*mains", words), "a mains switch", "it is fed from the mains"),
        (battery and not re.search(r"clip|holder", words), "a battery clip", "it is fed from a battery"),
        (kinds["potentiometer"] > kinds["knob"], "a knob for each potentiometer", "their shafts are bare"),
        (bool(kinds["case"] + kinds["panel"]) and not re.search(r"screw|spacer|pillar|standoff", hardware), "screws or spacers", "a board is mounted in a case"),
        (bool(kinds["case"]) and kit.board is not None and not re.search(r"\bwire\b", words), "wire", "a board is wired to a case"),
        (kit.board is not None and not re.search(r"\bboard\b", words), "a board", "parts are placed on one"),
    ]  # fmt: skip
    for lacking, what, why in lacks:
        if lacking:
            yield Problem(f"the list lacks {what}: {why}.", "Add it to bom.csv, on a row of its own.", "bom.csv",
                          severity="warning")  # fmt: skip
