"""What is different where a voltage can kill. Common practice of the trade; local codes and licensed practice go before it."""

from __future__ import annotations

import math
from dataclasses import dataclass

from nuvlo.kit.kit import Kit
from nuvlo.kit.nets import GROUND_NAMES
from nuvlo.kit.parts import Part
from nuvlo.kit.schema import Point

TOUCHABLE_V = 60.0  # d.c. above which dry skin no longer protects (IEC 61140, from memory)
# For hands inside it is 10 V: wet or broken skin bears less than dry skin, and a reservoir at 50 V still welds a ring to a tag.
SAFE_V = 10.0
STAY_OUT = "Hands stay out: discharge, and read again."
WARM_SECONDS = 30  # until a valve's reading stands still
CLIPPED = f"Unplugged and discharged: clip the meter on. Then power, {WARM_SECONDS} s to warm, read, and off again."
MOST_WAIT_S = 3600.0
OHMS, WATTS = (1e3, 2.2e3, 4.7e3, 10e3, 22e3), (5.0, 10.0, 20.0, 50.0)  # of the resistor that is discharged through
HELD_S, OVERLOAD = 10.0, 5.0


def is_high(kit: Kit) -> bool:
    """Whether more than dry skin bears stands in it, or mains."""
    return any(abs(s.volts) > TOUCHABLE_V or s.mains_hz for s in kit.info.supply)


def reservoir(kit: Kit) -> Point:
    """Where its highest supply is read: the test point on that supply's own net, else the net itself. Never another point: one
    that stands at 0 V all along tells nothing of the reservoir."""
    supply = max(kit.info.supply, key=lambda s: abs(s.volts))
    found = (p for p in kit.info.point if p.node == supply.node and p.reference in GROUND_NAMES)
    return next(found, Point(name="reservoir", node=supply.node))


@dataclass(frozen=True)
class _Stored:
    """What holds charge in a unit: the nets that are fed by its highest supply by way of resistors, the electrolytics there by net, and the
    resistors from the first of these nets to ground."""

    fed: set[str]
    electrolytics: dict[str, list[Part]]
    bleeders: list[float]

    @property
    def farads(self) -> float:
        """Of all, at the top of their tolerance."""
        return sum((p.value or 0.0) * (1 + (p.tolerance or (0.0, 0.2))[1]) for parts in self.electrolytics.values() for p in parts)


def _stored(kit: Kit) -> _Stored:
    point = reservoir(kit)
    fed, bleeders = {point.node}, []
    electrolytics: dict[str, list[Part]] = {}
    cards = kit.unit.netlist.top.cards if kit.unit is not None else []
    parts = [(c, p) for c in cards if (p := kit.part_of(c.name)) is not None and p.value is not None]
    resistors = [(set(c.nodes[:2]), p) for c, p in parts if c.kind == "r"]
    for _ in resistors:  # what hangs on the reservoir by way of resistors empties with it
        fed |= {n for ends, _ in resistors if ends & fed and not ends & set(GROUND_NAMES) for n in ends}
    for ends, part in resistors:
        if point.node in ends and ends & set(GROUND_NAMES):
            bleeders.append(1.0 / (part.value or 1.0))
    for card, part in parts:
        ends = set(card.nodes[:2])
        if part.kind == "electrolytic" and ends & fed and ends & set(GROUND_NAMES):
            electrolytics.setdefault(next(iter(ends & fed)), []).append(part)
    return _Stored(fed, electrolytics, bleeders)


def most_volts(kit: Kit) -> float:
    """V that its highest supply stands at, at the top of its tolerance."""
    return max((abs(s.volts) * (1 + s.tolerance) for s in kit.info.supply), default=0.0)


def reservoirs(kit: Kit) -> list[Point]:
    """Where each of its capacitors at high voltage is read, that of the highest supply first: behind a resistor that is open each of the others
    stays charged by itself."""
    first = reservoir(kit)
    out = [first]
    for node, parts in _stored(kit).electrolytics.items():
        if node != first.node:
            point = (p for p in kit.info.point if p.node == node and p.reference in GROUND_NAMES)
            out.append(next(point, Point(name=f"plus of {parts[0].ref}", node=node)))
    return out


@dataclass(frozen=True)
class Discharger:
    """A resistor to empty capacitors by: Ω, W, and the s that it is held on until they are below :data:`SAFE_V`."""

    ohms: float
    watts: float
    seconds: float


def discharger(kit: Kit) -> Discharger | None:
    """The resistor to discharge through: of those that anybody has, the largest that empties all capacitors together within
    :data:`HELD_S`; wirewound, which bears five times its watts for as long (common practice, no source). None where nothing is charged."""
    farads, volts = _stored(kit).farads, most_volts(kit)
    if not farads or volts <= SAFE_V:
        return None
    falls = farads * math.log(volts / SAFE_V)
    ohms = max((r for r in OHMS if r * falls <= HELD_S), default=OHMS[0])
    watts = next((w for w in WATTS if OVERLOAD * w >= volts**2 / ohms), WATTS[-1])
    return Discharger(ohms, watts, math.ceil(ohms * falls))


def discharge_seconds(kit: Kit) -> float | None:
    """How long until its reservoirs are below :data:`SAFE_V`, the valves cold: every electrolytic at the top of its tolerance
    through the bleeders at the reservoir, the best of several open, ``t = R·C·ln(V/10 V)``. None where nothing bleeds them.
    """
    if kit.unit is None or not kit.info.supply:
        return None
    stored = _stored(kit)
    if not stored.bleeders:
        return None
    siemens = sum(stored.bleeders) - (max(stored.bleeders) if len(stored.bleeders) > 1 else 0.0)
    return min(stored.farads / siemens * math.log(max(most_volts(kit) / SAFE_V, 1.0)), MOST_WAIT_S)
