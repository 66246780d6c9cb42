"""Both sides of what builders disagree on, and what the difference comes to for this kit."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from nuvlo import progress
from nuvlo.circuit.operating_point import operating_point
from nuvlo.craft.high_voltage import is_high
from nuvlo.craft.order import board_order, plugged
from nuvlo.craft.schools import QUESTIONS, WIRES, Question, school_from, taken
from nuvlo.craft.tray import sort_of
from nuvlo.electrics.stress import heat_of
from nuvlo.kit import Kit
from nuvlo.kit.variant import change, varied
from nuvlo.model.ensemble import Law, known_to, laws, sample
from nuvlo.problems import NuvloError
from nuvlo.quantity import format_value
from nuvlo.stages.choose.mods import figures
from nuvlo.stages.choose.recipes import named, work_out

TASTE = "a matter of taste: nothing a meter shows"
METER_SHARE = 0.006  # of a value, that a meter leaves unknown (0.5 % and two digits, as rectangular limits)
MEMBERS, SEED = 400, 1
SUNK = ("transistor", "chip", "regulator", "diode")  # that may stand on a heat sink
WARM_W = 0.5  # that a part may turn to heat without anybody thinking of a heat sink (common practice, no source)


@dataclass(frozen=True)
class Sides:
    """One question with the side taken, and what its sides differ by here."""

    question: Question
    taken: str
    difference: str


def both_sides(kit: Kit, stances: Mapping[str, str]) -> list[Sides]:
    """Every question. Some seconds where the kit has variants."""
    out = []
    for question in QUESTIONS:
        progress.pause(question.title.lower())
        told = _TOLD.get(question.id)
        try:
            difference = told(kit) if told else TASTE
        except NuvloError as unknown:
            difference = f"cannot be told: {unknown}"
        out.append(Sides(question, taken(stances, question.id), difference))
    return out


def _order(kit: Kit, question: str) -> str:
    sides = next(q.sides for q in QUESTIONS if q.id == question)
    steps = {s.name: board_order(kit, school_from({question: s.name})) for s in sides}
    words = [f"{n} {len(s)} steps, {sum(x.gate is not None for x in s)} of them checks" for n, s in steps.items()]
    return "; ".join(words)


def _measured(kit: Kit) -> str:
    every = [p for p in kit.parts.values() if p.kind == "resistor" and p.tolerance]
    spot = {sort_of(p) for p in every}
    words = f"{len(every)} readings or {len(spot)}"
    if kit.unit is None or not kit.info.point:
        return words
    circuit = kit.setup()
    printed = known_to(circuit, laws(kit))
    known = {e for p in every for e in kit.elements_of(p.ref)}
    measured = {n: Law(law.nominal, law.nominal * (1 - METER_SHARE), law.nominal * (1 + METER_SHARE))
                if n in known and law.width > 2 * METER_SHARE * law.nominal else law for n, law in printed.items()}  # fmt: skip
    widths = []
    for which in (printed, measured):
        point = operating_point(circuit, sample(which, MEMBERS, SEED))
        volts = {p.name: point.voltage(p.node, p.reference) for p in kit.info.point}
        widths.append({name: float(np.subtract(*np.nanquantile(v, [0.99, 0.01]))) for name, v in volts.items()})
    most = max(widths[0], key=lambda name: (1.0 + widths[0][name]) / (1.0 + widths[1][name]))
    before, after = (format_value(w[most], "V", 2) for w in widths)
    return f"{words}; what {most} may read spans {before} by the markings, {after} with every resistor measured"


def _power(kit: Kit) -> str:
    if is_high(kit):
        volts = max(abs(s.volts) for s in kit.info.supply)
        return f"a series lamp; no bench supply gives {format_value(volts, 'V', 2)}"
    limits = [f"{s.name}: {format_value(s.current_limit, 'A')}, so {format_value(abs(s.volts) * s.current_limit, 'W', 2)} at most goes into a mistake"
              for s in kit.info.supply]  # fmt: skip
    return "limited, " + "; ".join(limits) if limits else "this kit names no supply"


def _chips(kit: Kit) -> str:
    chips = [p for p in kit.parts.values() if p.kind == "chip" and p.on_board]
    if not chips:
        return "this kit has none on its board"
    return f"{len(chips)} chips, sockets in the box for {'them' if plugged(kit) else 'none'}"


def _wires(kit: Kit) -> str:
    if not kit.wire_ends:
        return "no wire ends at its board"
    minutes = {}
    for s in WIRES:
        steps = board_order(kit, school_from({"wires": s.name}))
        minutes[s.name] = sum(x.minutes for x in steps if x.verb in ("posts", "leads"))
    words = "; ".join(f"{name} {m:.0f} minutes before the wash" for name, m in minutes.items())
    return f"{len(kit.wire_ends)} wires: {words}"


def _rails(kit: Kit) -> str:
    if not kit.info.variant:
        return "this kit names no variant; 'compare' takes any supply, as in compare supply=12"
    before = figures(kit, clipping=False)
    out = []
    for variant in kit.info.variant:
        progress.pause(variant.title.lower())
        after = figures(varied(kit, [change(kit, c.part, c.to, c.why) for c in variant.change]), clipping=False)
        name, amps = max(after.currents.items(), key=lambda one: one[1], default=("supply", 0.0))
        was = before.currents.get(name, 0.0)
        over = f", over its rating: {', '.join(ref for ref, _ in after.over)}" if after.over else ""
        heat = (
            f"warmest {after.hottest[0]} {format_value(after.hottest[1], 'W', 2)}"
            if after.hottest[0]
            else "hardly any heat"
        )
        out.append(f"{variant.id}: {format_value(was, 'A', 2)} becomes {format_value(amps, 'A', 2)}, {heat}{over}")  # fmt: skip
    return "; ".join(out)


def _compound(kit: Kit) -> str:
    if kit.unit is None:
        return "without a circuit nobody knows what gets warm"
    hot = {ref: w for ref, w in heat_of(kit, operating_point(kit.setup())).items() if w > WARM_W and kit.part(ref).kind in (*SUNK, "valve")}
    warm = {ref: w for ref, w in hot.items() if kit.part(ref).kind in SUNK}
    valves = {ref: w for ref, w in hot.items() if ref not in warm}
    watt = "W"
    air = f"the valves cool in air, {', '.join(f'{ref} {format_value(w, watt, 2)}' for ref, w in valves.items())}" if valves else ""
    if not warm:
        none = f"no transistor, chip or regulator here turns more than {format_value(WARM_W, 'W')} to heat at rest: none calls for it"
        return f"{none}; {air}" if air else none
    sinks = ", ".join(f"{ref} {format_value(w, 'W', 2)}" for ref, w in warm.items()) + ": work out its sink"
    return f"{sinks}; {air}" if air else sinks


def _zener(_kit: Kit) -> str:
    found = work_out(named("zener-pair"), {})[0].results
    return (
        f"one 12 V zener has {format_value(found['r_one'], 'Ω', 2)}, two of 6.2 V have {format_value(found['r_two'], 'Ω', 2)}; 2.2 kΩ "
        f"and 47 µF take {-found['left_one']:.0f} and {-found['left_two']:.0f} dB off their hiss at 1 kHz. How much they hiss no model tells"
    )


def _bypass(_kit: Kit) -> str:
    found = work_out(named("bypass"), {})[0].results
    words = [f"at {at} {format_value(found[f'alone_{key}'], 'Ω', 2)} becomes {format_value(found[f'both_{key}'], 'Ω', 2)}"
             for at, key in (("20 kHz", "20k"), ("1 MHz", "1m"))]  # fmt: skip
    return "100 nF across 100 µF: " + ", ".join(words)


_TOLD: dict[str, Callable[[Kit], str]] = {
    "order": lambda kit: _order(kit, "order"), "soldering": lambda kit: _order(kit, "soldering"), "measure": _measured,
    "power": _power, "chips": _chips, "wires": _wires, "rails": _rails, "compound": _compound, "zener": _zener, "bypass": _bypass,
    "judging": lambda _: "measure both times: the second sheet beside the first says what it did",
}  # fmt: skip
