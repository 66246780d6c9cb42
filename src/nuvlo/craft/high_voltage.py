"""What is different where a voltage can kill. Common practice of the trade; local codes and licensed practice go before it."""

from __future__ import annotations

import math

from nuvlo.kit.kit import GROUND_NAMES, Kit
from nuvlo.kit.schema import Point

TOUCHABLE_V = 60.0  # d.c. above which dry skin no longer protects (IEC 61140, from memory)
# For hands inside it is 10 V: wet or broken skin bears less than dry skin, and a reservoir at 50 V still welds a ring to a tag.
SAFE_V = 10.0
STAY_OUT = "Hands stay out: discharge, and read again."
WARM_SECONDS = 30  # until a valve's reading stands still
CLIPPED = f"Unplugged and discharged: clip the meter on. Then power, {WARM_SECONDS} s to warm, read, and off again."
MOST_WAIT_S = 3600.0


def is_high(kit: Kit) -> bool:
    """Whether more than dry skin bears stands in it, or mains."""
    return any(abs(s.volts) > TOUCHABLE_V or s.mains_hz for s in kit.info.supply)


def reservoir(kit: Kit) -> Point:
    """Where its highest supply is read: the test point on that supply's own net, else the net itself. Never another point: one
    that stands at 0 V all along tells nothing of the reservoir."""
    supply = max(kit.info.supply, key=lambda s: abs(s.volts))
    found = (p for p in kit.info.point if p.node == supply.node and p.reference in GROUND_NAMES)
    return next(found, Point(name="reservoir", node=supply.node))


def discharge_seconds(kit: Kit) -> float | None:
    """How long until its reservoirs are below :data:`SAFE_V`, the valves cold: every electrolytic at the top of its tolerance
    through the bleeders at the reservoir, the best of several open, ``t = R·C·ln(V/10 V)``. None where nothing bleeds them.
    """
    if kit.unit is None or not kit.info.supply:
        return None
    point = reservoir(kit)
    fed, bleeders, farads = {point.node}, [], 0.0
    parts = [(c, p) for c in kit.unit.netlist.top.cards if (p := kit.part_of(c.name)) is not None and p.value is not None]
    resistors = [(set(c.nodes[:2]), p) for c, p in parts if c.kind == "r"]
    for _ in resistors:  # what hangs on the reservoir by way of resistors empties with it
        fed |= {n for ends, _ in resistors if ends & fed and not ends & set(GROUND_NAMES) for n in ends}
    for ends, part in resistors:
        if point.node in ends and ends & set(GROUND_NAMES):
            bleeders.append(1.0 / (part.value or 1.0))
    for card, part in parts:
        ends = set(card.nodes[:2])
        if part.kind == "electrolytic" and ends & fed and ends & set(GROUND_NAMES):
            farads += (part.value or 0.0) * (1 + (part.tolerance or (0.0, 0.2))[1])
    if not bleeders:
        return None
    siemens = sum(bleeders) - (max(bleeders) if len(bleeders) > 1 else 0.0)
    volts = max(abs(s.volts) * (1 + s.tolerance) for s in kit.info.supply)
    return min(farads / siemens * math.log(max(volts / SAFE_V, 1.0)), MOST_WAIT_S)
