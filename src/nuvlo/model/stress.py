"""What each part bears at rest, and whether its rating allows for it."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass

from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.operating_point import operating_point
from nuvlo.kit import Kit
from nuvlo.quantity import format_value, parse_value

FORWARD = ("lamp", "diode")  # kinds that carry a rated current
COMFORT = 0.5  # of its rated watts that a resistor is to bear (common practice, no source)


@dataclass(frozen=True)
class Stress:
    """What a part bears at rest: V across it and W in it, at the highest supply."""

    volts: float
    watts: float
    amps: float = 0.0


def stresses(
    kit: Kit, supplies: Mapping[str, float] | None = None, circuit: Circuit | None = None,
    values: Mapping[str, float] | None = None,
) -> dict[str, Stress]:  # fmt: skip
    """What every resistor and capacitor bears at the operating point; ``supplies`` (element → V) raise the stated ones.

    Without more, every supply stands at the upper end of its tolerance. ``circuit`` and ``values`` stand for the kit's own
    where it was changed. Empty where the kit has no circuit, or that no operating point.
    """
    circuit = circuit or kit.circuit
    if circuit is None:
        return {}
    volts = {s.element: s.volts * (1 + s.tolerance) for s in kit.info.supply} | dict(supplies or {})
    point = operating_point(circuit, {**volts, **(values or {})})
    if point.failed:
        return {}
    heat, amps = point.dissipation(), point.currents()
    out = {}
    for part in kit.parts.values():
        element = kit.element_of(part.ref)
        if element is None or element.startswith("x") or (part.unit not in ("Ω", "F") and part.kind not in FORWARD):
            continue
        a, b = circuit.element(element).nodes[:2]
        across = abs((point.x[a, 0] if a >= 0 else 0.0) - (point.x[b, 0] if b >= 0 else 0.0))
        carried = abs(float(amps[element][0])) if element in amps else 0.0
        out[part.ref] = Stress(float(across), float(heat[element][0]) if element in heat else 0.0, carried)
    return out


def overstressed(
    kit: Kit, supplies: Mapping[str, float] | None = None, circuit: Circuit | None = None,
    values: Mapping[str, float] | None = None,
) -> list[tuple[str, str]]:  # fmt: skip
    """(reference, sentence) of every part that its rating does not allow for, as :func:`stresses` finds them."""
    out = []
    for ref, stress in stresses(kit, supplies, circuit, values).items():
        words = over_rating(kit.part(ref).rating, stress, kit.part(ref).unit)
        if words:
            out.append((ref, words))
    return out


def over_rating(rating: str, stress: Stress, unit: str) -> str:
    """What is too much for a part of this ``rating`` and ``unit``, in words; empty where nothing is."""
    volts, watts, amps = rated(rating, "V"), rated(rating, "W"), rated(rating, "A")
    if amps is not None and stress.amps > amps:
        return f"{format_value(stress.amps, 'A')} through it where it may carry {format_value(amps, 'A')}"
    if volts is not None and unit == "F" and stress.volts > volts:
        return f"{format_value(stress.volts, 'V')} across it where it may bear {format_value(volts, 'V')}"
    if watts is not None and stress.watts > watts:
        return f"{format_value(stress.watts, 'W')} in it where it may bear {format_value(watts, 'W')}"
    if watts is not None and stress.watts > COMFORT * watts:
        return f"{format_value(stress.watts, 'W')} in it: more than half of its {format_value(watts, 'W')}"
    return ""


def rated(rating: str, unit: str) -> float | None:
    """The volts or watts that a rating names."""
    found = re.search(rf"(\d[\d.,]*\s*[mk]?){unit}\b", rating)
    return parse_value(found[1].strip() + unit, unit) if found else None
