"""Small capacitors that keep radio out at a connector: which, how far from it, and the corner they make with what is plugged in."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from nuvlo.circuit.operating_point import operating_point
from nuvlo.circuit.small_signal import impedance
from nuvlo.kit import Kit
from nuvlo.kit.nets import GROUND_NAMES
from nuvlo.quantity import format_value

MOST_F = 4.7e-9  # larger ones do another job
HENRY_PER_MM = 1e-9  # of a lead (F. E. Terman, Radio Engineers' Handbook, 1943, straight wire: 0.8 to 1.1 nH/mm for 0.5 mm, 20 to 100 mm)
FAR_HZ = 100e6  # where the lead undoes the capacitor only beyond broadcasting, nothing need be said
HERTZ = np.geomspace(1e3, 100e6, 241)
NOT_HEARD_HZ = 20e3


@dataclass(frozen=True)
class RadioFilter:
    """What stands between ``lug`` and ground: the part, its F, the mm from lug to part (None where unknown) and the Hz from which it
    shorts what comes in, with all that is plugged in there. Without a part there is none."""

    lug: str
    part: str
    farads: float
    mm: float | None
    corner: float

    @property
    def undone(self) -> float:
        """Hz at which capacitor and lead resonate: above, the lead keeps radio from ground."""
        return math.inf if not self.mm else 1 / (2 * math.pi * math.sqrt(HENRY_PER_MM * self.mm * self.farads))

    @property
    def words(self) -> str:
        if not self.part:
            return f"{self.lug}: no capacitor to ground at the input. Where radio is heard, 100 pF right at the lug."
        far = "" if self.mm is None else f", {self.mm:.0f} mm from the lug"
        long = f" From {format_value(self.undone, 'Hz', 2)} on its lead undoes it: right at the lug it would not." if self.undone < FAR_HZ else ""
        deep = " It takes treble with it." if self.corner < 2 * NOT_HEARD_HZ else ""
        return f"{self.lug}: {self.part}, {format_value(self.farads, 'F', 3)}{far}, keeps out what is above {format_value(self.corner, 'Hz', 2)}.{long}{deep}"


def radio_filters(kit: Kit) -> list[RadioFilter]:
    """The filter of each signal lug of a connector, and each input that has none."""
    unit = kit.unit
    if unit is None or not kit.wires:
        return []
    hears = bool(kit.info.supply) or not any(p.kind == "driver" for p in kit.parts.values())  # a loudspeaker makes no sound of radio
    names = ["0", *unit.nodes]
    caps: dict[str, list[str]] = {}
    for e in unit.elements:
        if e.kind == "c" and float(unit.parameter(e, "value", {})) <= MOST_F:
            ends = [names[n + 1] for n in e.nodes[:2]]
            for net, other in (ends, ends[::-1]):
                if other in (*GROUND_NAMES, kit.ringing.black):
                    caps.setdefault(net, []).append(e.name)
    inputs = {p.node.lower() for p in kit.info.port if p.kind == "input"}
    out: list[RadioFilter] = []
    for wire in kit.ringing.to_black:
        for lug, far in (wire.ends, (wire.end, wire.start)):
            part = kit.find_part(lug.partition(".")[0])
            if part is None or part.kind != "jack" or wire.net in (*GROUND_NAMES, kit.ringing.black):
                continue
            found = caps.get(wire.net.lower(), [])
            out += [_filter(kit, lug, far, wire.net, wire.length_mm, element) for element in found]
            if not found and hears and wire.net.lower() in inputs:
                out.append(RadioFilter(lug, "", 0.0, None, math.inf))
    return list(dict.fromkeys(out))


def _filter(kit: Kit, lug: str, pad: str, net: str, wire_mm: float | None, element: str) -> RadioFilter:
    assert kit.unit is not None
    farads = float(kit.unit.parameter(kit.unit.element(element), "value", {}))
    part = kit.part_of(element)
    ref = part.ref if part else element.upper()
    plugged = next((p.element for p in kit.info.port if p.kind == "input" and p.element), "")
    setup = kit.setup("", (net, plugged))
    bare = operating_point(setup, {element: 1e-18})
    ohms = np.abs(impedance(bare, net, HERTZ)).reshape(-1)
    shorted = ohms * 2 * np.pi * HERTZ * farads >= 1
    corner = float(HERTZ[int(np.argmax(shorted))]) if shorted.any() else math.inf
    return RadioFilter(lug, ref, farads, _apart(kit, pad, net, ref, wire_mm), corner)


def _apart(kit: Kit, pad: str, net: str, ref: str, wire_mm: float | None) -> float | None:
    """From the lug along its wire, then over the board to the nearest pad of the part."""
    if kit.board is None or wire_mm is None:
        return None
    here = [p for p in kit.board.pads if p.ref == pad]
    there = [p for p in kit.board.pads_of(ref) if p.net == net]
    if not here or not there:
        return None
    return wire_mm + min(math.hypot(a.x_mm - b.x_mm, a.y_mm - b.y_mm) for a in here for b in there)
