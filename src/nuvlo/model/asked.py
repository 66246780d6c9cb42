"""What is asked of every unit of a kit, sitting by sitting, as observables."""

from __future__ import annotations

from nuvlo.kit import Kit
from nuvlo.measurement import Observable, amps_of, farads_at, ohms_at, tone_at, volts_at
from nuvlo.model.bonds import shell_bonds
from nuvlo.model.rectifier import rippling
from nuvlo.model.wired import probes


def ringing_out(kit: Kit) -> list[Observable]:
    """Lugs and pads against ground: all at which wires are rung out, both ends of the first wire of every net, and the metal of case
    or panel; then what is read in the other throws of switches, jacks and straps."""
    asked, out = dict(kit.ringing.places), []
    seen: set[str] = set()
    for wire in kit.ringing.to_black:
        first = wire.net not in seen and wire.net != kit.ringing.black
        seen.add(wire.net)
        out += [ohms_at(end) for end in wire.ends if first or end in asked]
    out += [ohms_at(bond.other) for bond in shell_bonds(kit)]
    return list(dict.fromkeys([*out, *(probe.of for probe in probes(kit))]))


def across_supplies(kit: Kit) -> list[Observable]:
    """Ohms at each supply terminal that has a test point, and with the leads exchanged: a short is looked for."""
    places = [s.point for s in kit.info.supply if s.point]
    return [ohms_at(place, exchanged=back) for back in (False, True) for place in places]


def cold(kit: Kit) -> list[Observable]:
    """What the kit asks of a unit before it is powered: ohms, then capacitances."""
    readings = kit.info.cold
    return [ohms_at(c.name) for c in readings if c.kind == "ohms"] + [farads_at(c.name) for c in readings if c.kind == "capacitance"]


def at_points(kit: Kit) -> list[Observable]:
    """Ohms at each test point: what a kit without a supply is asked."""
    return [ohms_at(p.name) for p in kit.info.point]


def at_empty_sockets(kit: Kit) -> list[Observable]:
    """The current of each supply with the sockets empty, and the volts that stand at them; nothing where nothing is plugged in."""
    if not kit.plugged:
        return []
    return [amps_of(s.name, empty=True) for s in kit.info.supply] + [volts_at(place, empty=True) for place, _ in kit.at_sockets]


def powered(kit: Kit) -> list[Observable]:
    """The current of each supply, the volts at every test point, the ripple of what is rectified."""
    return [*(amps_of(s.name) for s in kit.info.supply), *(volts_at(p.name) for p in kit.info.point), *rippling(kit)]


def tones(kit: Kit) -> list[Observable]:
    """AC volts of each of the kit's tones where it is read, its level set where it is fed in."""
    return [tone_at(t.name) for t in kit.info.tone]
