"""Which values a unit may have: from printed tolerances, narrowed by what has been measured."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TypeVar

import numpy as np

from nuvlo.catalogue import find
from nuvlo.catalogue.spread import spread_of
from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.faults import Bridge, fault_named
from nuvlo.circuit.overrides import can_override
from nuvlo.circuit.variation import Law, sample
from nuvlo.kit import Kit
from nuvlo.kit.kit import override_of_element
from nuvlo.kit.parts import Part
from nuvlo.kit.step_id import part_step
from nuvlo.logbook import Build
from nuvlo.measurement import volts_at
from nuvlo.model.meter import NOTHING_LEARNT, meter_of
from nuvlo.quantity import Measured, parse_value

__all__ = ["Law", "known_to", "laws", "sample"]
V = TypeVar("V")

FAR = 5.0  # times more or less than any good one: the wrong part, not a spread of the right one
WRONG_SUPPLY = 0.4  # share by which a supply may be off and still be what the unit runs on; else it is off or another
POSITION_SPREAD = 0.03  # of full travel: how well eye and hand set a knob (common practice, no source)


def known_to(circuit: Circuit, values: Mapping[str, V]) -> dict[str, V]:
    """Those of ``values`` that stand in ``circuit``: a supply is not in the unit alone, a chip not where it is left out."""
    return {name: value for name, value in values.items() if can_override(circuit, name)}


def laws(kit: Kit, build: Build | None = None) -> dict[str, Law]:
    """For each quantity of the circuit that may differ from unit to unit, the law of its value.

    Keys are override names of the circuit (``r3``, ``q1.bf``, ``xrv1.pos``). A value chosen by the builder replaces the
    printed one; a measured value replaces both, but one that is far from it: that is the wrong part, to be swapped before it
    goes in, and counts only once it was accepted. A supply read at its point replaces its stated tolerance, unless it is off or the wrong one.
    """
    out: dict[str, Law] = {}
    meter = meter_of(kit, build) if build else NOTHING_LEARNT
    for part in kit.parts.values():
        element = kit.element_of(part.ref)
        if element is None:
            continue
        gangs = kit.elements_of(part.ref)  # halves of a valve, of a dual pot: each has a spread of its own
        for one, spread in ((g, s) for g in gangs for s in part.spreads):
            out[f"{one}.{spread.parameter}"] = Law.between(spread.low, spread.high)
        if not part.spreads and not part.unit:
            out |= _by_type(kit, part)
        if part.value is None:
            continue
        chosen = build.chosen_values.get(part.ref) if build else None
        value = parse_value(chosen, part.unit) if chosen else part.value
        low, high = part.tolerance or (0.0, 0.0)
        law = Law(value, value * (1 + low), value * (1 + high))
        out |= {override_of_element(other): law for other in gangs}
        measured = build.part_value(part.ref) if build else None
        if build and measured is not None and np.isfinite(measured.value) and measured.limits[0] > 0:
            meant = _near(measured.value, law) or part_step(part.ref) in build.accepted
            law = law.narrowed(meter.corrected(measured)) if meant else law
        out[override_of_element(element)] = law
    for control in kit.info.control:
        element = kit.element_of(control.ref)
        if element is not None:
            out[f"{element}.pos"] = _position(control.start, control.travel_deg, build, control.ref)
    for supply in kit.info.supply:
        volts = supply.running
        law = Law(volts, volts * (1 - supply.tolerance), volts * (1 + supply.tolerance))
        # Behind a rectifier the point reads what is left of the wave, and not its element.
        reading = build.latest(volts_at(supply.point)) if build and supply.point and not supply.mains_hz else None
        if reading and np.isfinite(reading.measured.value):
            # A negative supply may be a source of positive volts that is turned round.
            turned = -1.0 if reading.measured.value * volts < 0 else 1.0
            seen = Measured(turned * reading.measured.value, reading.measured.uncertainty, reading.measured.unit)
            if volts and abs(seen.value / volts - 1) < WRONG_SUPPLY:
                law = law.narrowed(seen)
        out[supply.element] = law
    return out


def as_they_stand(kit: Kit) -> dict[str, Law]:
    """Positions of knobs and trimmers of which the kit does not say how they are set: about where its netlist has them, as eye and hand put
    them; one that stands at its end is there."""
    out = {}
    for part in kit.parts.values():
        for element in kit.elements_of(part.ref) if kit.unit and part.kind in ("potentiometer", "trimmer") else ():
            name = f"{element}.pos"
            if kit.unit and element.startswith("x") and kit.unit.has_parameter(name) and 0.0 < (at := kit.unit.given(element, "pos")) < 1.0:
                out[name] = Law(at, max(0.0, at - POSITION_SPREAD), min(1.0, at + POSITION_SPREAD))
    return out


def _by_type(kit: Kit, part: Part) -> dict[str, Law]:
    """What the catalogue knows of how units of the part's type differ, where the list says nothing of it."""
    known = find(part.text)
    unit = kit.unit
    if known is None or unit is None:
        return {}
    out = {}
    for element in kit.elements_of(part.ref):
        for spread in spread_of(known):
            name = f"{element}.{spread.parameter}"
            if not unit.has_parameter(name):
                continue
            own = _own_value(unit, element, spread.parameter)
            if spread.relative:
                out[name] = Law(own, *sorted((own * (1 + spread.low), own * (1 + spread.high))))
            else:
                law = Law.between(spread.low, spread.high)
                out[name] = Law(own, law.low, law.high) if law.low <= own <= law.high else law
    return out


def _own_value(circuit: Circuit, element: str, parameter: str) -> float:
    """A parameter of an element's model, or of a subcircuit instance, as the netlist has it."""
    if element.startswith("x"):
        return circuit.given(element, parameter)
    return float(circuit.parameter(circuit.element(element), parameter, {}))


def usual(kit: Kit, known: Mapping[str, Law], key: str) -> float:
    """What stands for an override where nothing is wrong: the middle of its law, what the netlist gives, and of a mistake nothing."""
    if key in known:
        return known[key].nominal
    if isinstance(fault_named(key), Bridge):
        return float(np.inf)
    element, _, parameter = key.rpartition(".")
    if element:
        return _own_value(kit.unit, element, parameter) if kit.unit and kit.unit.has_parameter(key) else 0.0
    beside = next((c for c in kit.setups.values() if c.has_parameter(key)), None)  # what the unit is joined to
    return _own_value(beside, key, "dc" if beside.element(key).kind in "vi" else "value") if beside else 0.0


def _near(value: float, law: Law) -> bool:
    return law.low / FAR < value < law.high * FAR


def _position(start: float, travel_deg: float, build: Build | None, ref: str) -> Law:
    at = float(np.clip(start + (build.turned(ref) if build else 0.0) / travel_deg, 0.0, 1.0))
    return Law(at, max(0.0, at - POSITION_SPREAD), min(1.0, at + POSITION_SPREAD))
