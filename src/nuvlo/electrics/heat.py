"""How hot each part of a unit gets: the watts in it at rest, the rise its body makes of them, and the air in the case.

Kelvins per watt of bodies in free air and the seconds they take are of common data sheets, from memory; the case gives off
``CASE_W`` watts per square metre and kelvin (natural convection and radiation together: 8 to 12 in heat-transfer handbooks).
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from nuvlo.arrays import Array
from nuvlo.catalogue import find
from nuvlo.circuit.operating_point import OperatingPoint
from nuvlo.electrics.stress import over_rating, rated, rating_of, stresses
from nuvlo.kit import Kit
from nuvlo.kit.parts import Part

ROOM = 25.0  # °C
CASE_W = 10.0  # W per m² and K
BODIES = {
    "axial-7": (300.0, 10.0), "axial-10": (170.0, 15.0), "axial-15": (90.0, 40.0), "axial-20": (60.0, 60.0), "to92": (200.0, 20.0),
    "to126": (100.0, 40.0), "to220": (62.0, 90.0), "dip-8": (110.0, 60.0), "dip-14": (85.0, 70.0), "dip-16": (80.0, 70.0), "led": (250.0, 10.0),
    "trimmer": (120.0, 20.0), "pot16": (80.0, 40.0),
}  # fmt: skip  # K/W in free air, s to two thirds of the way
KINDS = {"resistor": (170.0, 15.0), "diode": (250.0, 10.0), "transistor": (200.0, 20.0), "chip": (110.0, 60.0), "regulator": (62.0, 90.0), "lamp": (250.0, 10.0)}
HOT_AFTER = 3.0  # of those times: within a twentieth of where it ends
DERATED_FROM, FILM_LIMIT = 70.0, 155.0  # °C
WORTH_K = 5.0  # of rise that a hand can tell
BULB = "its bulb passes 150\u202f°C within a minute: never touch it, and let it stand ten minutes after"


@dataclass(frozen=True)
class Warmth:
    """One part: watts in it, kelvins above the air about it, °C at rest in its case, seconds until it is there; what to feel; and what
    is too much for it, empty where nothing is."""

    ref: str
    watts: float
    rise: float
    celsius: float
    seconds: float
    says: str
    over: str = ""


def case_rise(kit: Kit, watts: float) -> float:
    """K of the air in a case above the room; nothing where its size is not known."""
    box = kit.info.enclosure
    if box is None:
        return 0.0
    w, h, d = (x / 1000.0 for x in (box.width_mm, box.height_mm, box.depth_mm))
    return watts / (CASE_W * 2 * (w * h + h * d + w * d))


def warmths(kit: Kit) -> list[Warmth]:
    """Every part whose warmth a hand or a thermometer tells, or whose rating does not allow for what it bears; hottest first."""
    every = stresses(kit, quick=True)
    heaters = {p.ref: heater_watts(p) for p in kit.parts.values() if p.kind == "valve"}
    inside = case_rise(kit, sum(s.watts for s in every.values()) + sum(heaters.values()))
    out = []
    for ref, stress in every.items():
        part = kit.part(ref)
        over = over_rating(rating_of(part), stress, part.unit)
        if part.kind == "valve":
            out.append(Warmth(ref, stress.watts + heaters[ref], 0.0, 150.0, 60.0, BULB, over))
            continue
        body = _body(part)
        rise = stress.watts * body[0] if body else 0.0
        if rise < WORTH_K and not over:
            continue
        celsius = ROOM + inside + rise
        out.append(Warmth(ref, stress.watts, rise, celsius, HOT_AFTER * body[1] if body else 0.0, felt(celsius), over))
    return sorted(out, key=lambda w: -w.celsius)


def _body(part: Part) -> tuple[float, float] | None:
    """K/W and seconds of a body. A resistor's are told by its rating: that many watts take it from 70 °C about it to the limit of its film
    (derating as in IEC 60115-1)."""
    found = BODIES.get(part.package) or KINDS.get(part.kind)
    may = rated(part.rating, "W") if part.kind == "resistor" else None
    return ((FILM_LIMIT - DERATED_FROM) / may, found[1]) if may and found else found


def kelvins_per_watt(part: Part) -> float:
    """K/W of a body that a finger can be laid on; 0 of others."""
    body = _body(part)
    return body[0] if body and part.kind != "valve" else 0.0


def rises(kit: Kit, point: OperatingPoint, refs: Sequence[str]) -> dict[str, Array]:
    """(N,) K of each of some parts above the air about it, at rest there."""
    cold = np.zeros(point.x.shape[1])
    heat: dict[str, Array] = {}
    for name, watts in point.absorbed().items():
        whole = name.partition(".")[0]
        heat[whole] = heat.get(whole, cold) + watts
    return {ref: kelvins_per_watt(kit.part(ref)) * sum((heat.get(e, cold) for e in kit.elements_of(ref)), cold) for ref in refs}


def felt(celsius: float) -> str:
    """What a hand says of it (common practice, no source)."""
    if celsius < 40.0:
        return "hardly warm"
    if celsius < 50.0:
        return "warm; a finger stays on it"
    return "hot; a finger stays a second or two" if celsius < 60.0 else "too hot to touch: use a thermometer"


def heater_watts(part: Part) -> float:
    """W of a valve's heater, as its type says; 0 where it does not."""
    known = find(part.text)
    found = re.search(r"heater ([\d.]+) V ([\d.]+) A", known.says) if known else None
    return float(found[1]) * float(found[2]) if found else 0.0
