"""What each part bears at rest, and whether its rating allows for it."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from dataclasses import dataclass
from functools import partial

import numpy as np

from nuvlo import progress
from nuvlo.arrays import Array
from nuvlo.catalogue import find
from nuvlo.catalogue.type import VALVES
from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.operating_point import OperatingPoint, operating_point
from nuvlo.circuit.transient import transient
from nuvlo.kit import Kit
from nuvlo.kit.kinds import kind_of
from nuvlo.kit.parts import Part
from nuvlo.model.ensemble import known_to
from nuvlo.quantity import UnreadableValue, format_value, parse_value

PULSE_SAMPLES = 60  # between two charging pulses
SETTLING_PULSES = 8
START_SHARES = (0.97, 0.92)
# Terminals of a type's subcircuit between which its rated volts stand.
BETWEEN = {
    "op-amp": (2, 3), "power-amp": (2, 3), "regulator": (0, 2), "regulator-neg": (0, 2), "regulator-adj": (0, 2),
    "regulator-adj-neg": (0, 2), "triode": (0, 2), "pentode": (0, 3),
}  # fmt: skip
COMFORT = 0.5  # of its rated watts that a resistor is to bear (common practice, no source)


@dataclass(frozen=True)
class Stress:
    """What a part bears at the highest supply, in whichever set-up it bears most: V across it and W in it at rest; A through it, of a capacitor its ripple."""

    volts: float
    watts: float
    amps: float = 0.0

    def words(self, unit: str) -> str:
        """What it bears, of a part with this unit."""
        if unit != "F":
            return f"It bears {format_value(self.volts, 'V', 2)} and {format_value(self.watts, 'W', 2)}."
        rippling = f" and {format_value(self.amps, 'A', 2)} of ripple" if self.amps else ""
        return f"It bears {format_value(self.volts, 'V', 2)}{rippling}."


def stresses(kit: Kit, *, quick: bool = False) -> dict[str, Stress]:
    """What every resistor, capacitor, lamp and diode bears, every supply at the upper end of its tolerance.

    Where a supply comes from rectified mains, capacitors bear its ripple too, which takes some seconds to find: ``quick``
    leaves it out. Empty where the kit has no circuit, or that no operating point. Kept with the kit.
    """
    key = ("stresses", quick)
    if key not in kit.memory:
        kit.memory[key] = _stresses(kit, {} if quick else ripple(kit))
    found: dict[str, Stress] = kit.memory[key]
    return found


def _stresses(kit: Kit, rippling: dict[str, float]) -> dict[str, Stress]:
    if kit.unit is None:
        return {}
    out: dict[str, Stress] = {}
    unloaded = {s.name for s in kit.info.setup if s.out}
    for name, circuit in kit.setups.items():
        for ref, found in _borne(kit, circuit, rippling, unloaded=name in unloaded).items():
            was = out.get(ref, found)
            out[ref] = Stress(max(was.volts, found.volts), max(was.watts, found.watts), max(was.amps, found.amps))
    return out


def _borne(kit: Kit, circuit: Circuit, rippling: dict[str, float], *, unloaded: bool) -> dict[str, Stress]:
    """What each part bears in one set-up. ``unloaded``, a reservoir stands at the peak of its wave."""
    supplies = {s.element: (s.volts if unloaded else s.running) * (1 + s.tolerance) for s in kit.info.supply}
    point = operating_point(circuit, known_to(circuit, supplies))
    if point.failed:
        return {}
    heat, amps, absorbed = point.dissipation(), point.currents(), point.absorbed()
    present = {card.name for card in circuit.netlist.top.cards}
    out = {}
    for part in kit.parts.values():
        element = kit.element_of(part.ref)
        if element is None or element not in present:
            continue
        if part.unit not in ("Ω", "F") and not kind_of(part.kind).forward:
            device = _device(kit, part, circuit, point, absorbed)
            if device is not None:
                out[part.ref] = device
            continue
        if element.startswith("x"):
            continue
        a, b = circuit.element(element).nodes[:2]
        across = abs((point.x[a, 0] if a >= 0 else 0.0) - (point.x[b, 0] if b >= 0 else 0.0))
        carried = rippling.get(element, abs(float(amps[element][0])) if element in amps else 0.0)
        out[part.ref] = Stress(float(across), float(heat[element][0]) if element in heat else 0.0, carried)
    return out


def heat_of(kit: Kit, point: OperatingPoint) -> dict[str, float]:
    """W that each part turns to heat at rest: of a chip or a valve all that goes into its block, heaters apart."""
    out: dict[str, float] = {}
    of_whole: dict[str, float] = {}
    for name, watts in point.absorbed().items():
        whole = name.partition(".")[0]
        of_whole[whole] = of_whole.get(whole, 0.0) + float(watts[0])
    for part in kit.parts.values():
        mine = [of_whole[e] for e in kit.elements_of(part.ref) if e in of_whole]
        if mine and part.unit not in ("F", "H"):
            out[part.ref] = sum(mine)
    return out


def _device(
    kit: Kit, part: Part, circuit: Circuit, point: OperatingPoint, absorbed: Mapping[str, Array]
) -> Stress | None:
    """What a device of known type bears: V between the legs its rating speaks of, W in all of it; of a valve in its plate."""
    known = find(part.text)
    cards = {c.name: c for c in circuit.netlist.top.cards}
    if known is None:
        return None
    legs = BETWEEN.get(known.sort, (0, 2) if cards[kit.elements_of(part.ref)[0]].kind in "qjm" else None)
    if legs is None:
        return None
    volts = watts = 0.0
    for element in kit.elements_of(part.ref):
        nodes = cards[element].nodes
        volts = max(volts, abs(float(point.voltage(nodes[legs[0]], nodes[legs[1]])[0])))
        inner = {name: float(w[0]) for name, w in absorbed.items() if name == element or name.startswith(f"{element}.")}
        if known.sort in VALVES:  # each system has a plate of its own
            watts = max(watts, sum(w for name, w in inner.items() if name.endswith(".ba")))
        else:
            watts += sum(inner.values())
    return Stress(volts, watts)


def ripple(kit: Kit) -> dict[str, float]:
    """A r.m.s. through every capacitor, by element, from supplies that are rectified mains; empty where none is.

    Followed in time, the last charging pulse taken; kept with the kit.
    """
    if "ripple" not in kit.memory:
        kit.memory["ripple"] = _ripple(kit)
    found: dict[str, float] = kit.memory["ripple"]
    return found


def _ripple(kit: Kit) -> dict[str, float]:
    fed = [s for s in kit.info.supply if s.mains_hz]
    if not fed or kit.unit is None:
        return {}
    circuit = kit.setup()
    capacitors = {e.name: e for e in circuit.of_kind("c") if "." not in e.name}
    farads = {name: float(circuit.parameter(e, "value", {})) for name, e in capacitors.items()}
    pulse = 1.0 / (2 * max(s.mains_hz for s in fed))

    def across(share: float, pulses: int) -> dict[str, Array]:
        """V across every capacitor, from rest with the rectifiers at a ``share`` of their peak."""
        progress.pause("following the ripple of the supply")
        swings = {s.element: partial(_rectified, s.volts * (1 + s.tolerance), s.mains_hz, share) for s in fed}
        names = ["0", *circuit.nodes]
        ends = {name: [names[n + 1] for n in e.nodes[:2]] for name, e in capacitors.items()}
        wanted = sorted({n for pair in ends.values() for n in pair} - {"0"})
        found = transient(circuit, pulse / PULSE_SAMPLES, pulses * pulse, wanted, signals=swings).voltage
        volts = {n: found[n][0] for n in wanted} | {"0": np.zeros(pulses * PULSE_SAMPLES + 1)}
        return {name: volts[a] - volts[b] for name, (a, b) in ends.items()}

    def drift(share: float) -> float:
        """How much charge the capacitors gain on the way: none where they start from where they end."""
        found = across(share, SETTLING_PULSES)
        return float(
            sum(
                farads[n] * abs(v[0]) * float(v[-PULSE_SAMPLES:].mean() - v[0]) * np.sign(v[0])
                for n, v in found.items()
            )
        )

    # Supplies settle in seconds; started from the right share of the peak they have settled at once (a secant).
    shares = START_SHARES
    first, second = (drift(share) for share in shares)
    best = shares[1] - second * (shares[1] - shares[0]) / (second - first) if second != first else shares[1]
    settled = across(float(np.clip(best, 0.5, 1.0)), SETTLING_PULSES)
    step = pulse / PULSE_SAMPLES
    return {
        name: float(np.sqrt(np.mean((farads[name] * np.diff(v[-PULSE_SAMPLES - 1 :]) / step) ** 2)))
        for name, v in settled.items()
    }


def _rectified(peak: float, hertz: float, share: float, time: float) -> float:
    """V of a rectified wave at ``time``, falling from a ``share`` of its ``peak``."""
    return peak * abs(math.cos(2.0 * math.pi * hertz * time + math.acos(share)))


def overstressed(kit: Kit, *, quick: bool = False) -> list[tuple[str, str]]:
    """(reference, sentence) of every part that its rating does not allow for, as :func:`stresses` finds them."""
    out = []
    for ref, stress in stresses(kit, quick=quick).items():
        words = over_rating(rating_of(kit.part(ref)), stress, kit.part(ref).unit)
        if words:
            out.append((ref, words))
    return out


def rating_of(part: Part) -> str:
    """What a part may bear: as its list says, else as its type is rated."""
    known = None if part.rating or part.unit else find(part.text)
    return known.ratings if known else part.rating


def over_rating(rating: str, stress: Stress, unit: str) -> str:
    """What is too much for a part of this ``rating`` and ``unit``, in words; empty where nothing is."""
    volts, watts, amps = rated(rating, "V"), rated(rating, "W"), rated(rating, "A")
    if amps is not None and stress.amps > amps:
        kind = " of ripple" if unit == "F" else ""
        return f"{format_value(stress.amps, 'A', 2)}{kind} through it where it may carry {format_value(amps, 'A')}"
    if volts is not None and unit in ("F", "") and stress.volts > volts:
        return f"{format_value(stress.volts, 'V')} across it where it may bear {format_value(volts, 'V')}"
    if watts is not None and stress.watts > watts:
        return f"{format_value(stress.watts, 'W')} in it where it may bear {format_value(watts, 'W')}"
    if watts is not None and unit == "Ω" and stress.watts > COMFORT * watts:
        return f"{format_value(stress.watts, 'W')} in it: more than half of its {format_value(watts, 'W')}"
    return ""


def rated(rating: str, unit: str) -> float | None:
    """The volts or watts that a rating names."""
    found = re.search(rf"(\d[\d.,]*\s*[mk]?){unit}\b", rating, re.ASCII)
    try:
        return parse_value(found[1].strip() + unit, unit) if found else None
    except UnreadableValue:  # it names no size that anything has
        return None
