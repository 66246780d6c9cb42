"""Capacitors that hang on a supply: what it has to fill at switching on, and what they leak."""

from __future__ import annotations

from nuvlo.kit import Kit
from nuvlo.kit.nets import GROUND_NAMES
from nuvlo.kit.parts import Part
from nuvlo.kit.schema import Supply

THROUGH = ("resistor", "link", "diode", "inductor", "fuse", "switch")
LEAKS, AT_LEAST = 0.03, 3e-6  # A per farad and volt, and A: of an electrolytic after a minute (IEC 60384-4, from memory)


def on_supply(kit: Kit, supply: Supply) -> list[Part]:
    """Capacitors from a supply to ground: on its own net, or behind what lets direct current through."""
    cards = kit.unit.netlist.top.cards if kit.unit is not None else []
    parts = [(set(c.nodes[:2]), p) for c in cards if (p := kit.part_of(c.name)) is not None]
    fed, through = {supply.node}, [ends for ends, p in parts if p.kind in THROUGH and not ends & set(GROUND_NAMES)]
    for _ in through:
        fed |= {n for ends in through if ends & fed for n in ends}
    return [p for ends, p in parts if p.unit == "F" and ends & fed and ends & set(GROUND_NAMES)]


def farads_on(kit: Kit, supply: Supply) -> float:
    """F that a supply has to fill."""
    return sum(p.value or 0.0 for p in on_supply(kit, supply))


def leakage(kit: Kit, supply: Supply) -> float:
    """A at most that electrolytics on a supply leak, a minute after it came on."""
    return sum(LEAKS * (p.value or 0.0) * abs(supply.volts) + AT_LEAST for p in on_supply(kit, supply) if p.kind == "electrolytic")
