"""What a unit draws from each of its supplies, what that means for wires, batteries and feeds, and the sum of many units."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np

from nuvlo.circuit.small_signal import load_on
from nuvlo.electrics.coils import COPPER
from nuvlo.electrics.stress import ripple
from nuvlo.kit import Kit
from nuvlo.kit.nets import GROUND_NAMES
from nuvlo.kit.schema import Supply
from nuvlo.logbook import Build
from nuvlo.model.working import WorkingModel
from nuvlo.quantity import format_value

MEMBERS = 600
WORST = 0.999  # of all units draws no more
PHANTOM_V, PHANTOM_A = 48.0, 10e-3  # a microphone's most from a 48 V feed (IEC 61938)
TELLING_A, LEAST_F = 0.02, 1e-9  # of ripple, and of what has to be filled, that is worth a line
SLOW_HZ = 0.5  # at which what a supply has to fill is looked at
SHORT_HZ = 20e3  # at which a reservoir is a short: what stands before it limits the first rush
CENTRE = ("pin", "centre", "center", "tip")  # lugs in the middle of a power socket
# mAh that alkaline cells give at so many mA, and the volts of one (usual data sheets, from memory).
CELLS: Mapping[str, tuple[float, tuple[tuple[float, float], ...]]] = {
    "9 V block": (9.0, ((5, 620), (25, 580), (100, 430), (300, 280))),
    "AA": (1.5, ((25, 2800), (100, 2400), (250, 1900), (500, 1400))),
    "AAA": (1.5, ((25, 1150), (100, 950), (250, 700), (500, 450))),
}


@dataclass(frozen=True)
class Rail:
    """One supply of a unit. ``typical`` and ``worst`` A, whichever way they flow; ``farads`` that it has to fill; ``limit`` A that
    it can give, where that is known, and by what; ``hours`` on a battery; ``centre`` what is at the middle of its socket."""

    name: str
    volts: float
    typical: float
    worst: float
    farads: float
    limit: float | None = None
    by: str = ""
    hours: float | None = None
    centre: str = ""
    rush: float | None = None  # A for an instant at switching on, where a rectifier charges a reservoir
    ripple: Mapping[str, float] | None = None  # A r.m.s. through each capacitor, by reference, where it is rectified

    @property
    def margin(self) -> float | None:
        """The share of its limit that is left at worst; negative beyond it."""
        return None if self.limit is None else 1 - self.worst / self.limit

    @property
    def watts(self) -> float:
        return abs(self.volts) * self.typical


def told(rail: Rail, copper_mm2: float = 0.0, metres: float = 1.0) -> list[str]:
    """What is to be known of a rail, a line each; with ``copper_mm2`` the volts lost in its leads."""
    amps = f"{format_value(rail.typical, 'A', 3)} typical, {format_value(rail.worst, 'A', 3)} at worst; {format_value(rail.watts, 'W', 2)}"
    if rail.limit is not None and rail.margin is not None:
        left = f"{100 * rail.margin:.0f} % left" if rail.margin >= 0 else "TOO MUCH"
        amps += f"; {left} of {format_value(rail.limit, 'A')} ({rail.by})"
    out = [amps]
    if rail.farads > LEAST_F:
        fill = f", filled in {format_value(rail.farads * abs(rail.volts) / rail.limit, 's', 2)} by that" if rail.limit else ""
        out.append(f"at switching on it has to fill {format_value(rail.farads, 'F', 2)}{fill}")
    if rail.rush is not None:
        out.append(f"for an instant then {format_value(rail.rush, 'A', 2)}, while the reservoir is empty: a slow fuse")
    out += [f"{format_value(a, 'A', 2)} of ripple through {ref}" for ref, a in (rail.ripple or {}).items() if a >= TELLING_A]
    if rail.hours is not None:
        out.append(f"some {rail.hours:.0f} hours on a fresh alkaline battery")
    if rail.centre:
        out.append(f"centre of {rail.centre}")
    if copper_mm2:
        lost = format_value(drop(rail.worst, copper_mm2, metres), "V", 2)
        out.append(f"{lost} lost in {metres:g} m of {copper_mm2:g} mm², there and back")
    return out


def rails(kit: Kit, limits: Mapping[str, float] | None = None, build: Build | None = None) -> list[Rail]:
    """Every supply of a kit, with every chip in, whatever is plugged in or played: the largest current of all its set-ups."""
    model = WorkingModel(kit, build, MEMBERS)
    out = []
    for supply in kit.info.supply:
        drawn = [abs(i) for i in _currents(model, supply)]
        first = kit.setup("", (supply.element,))
        seen = load_on(model.point_in(first), supply.element, np.array([SLOW_HZ]))
        farads = float(np.median((1 / seen[:, 0]).imag)) / (2 * math.pi * SLOW_HZ)
        limit, by = _limit(kit, supply, limits or {})
        typical, worst = float(np.median(drawn[0])), max(float(np.quantile(i, WORST)) for i in drawn)
        if _phantom(supply) and not _fed(kit):  # it passes the feed on, to a microphone for each input
            worst += PHANTOM_A * max(1, sum(p.kind == "input" for p in kit.info.port))
        rush = rippling = None
        if supply.mains_hz:
            stiff = load_on(model.point_in(first), supply.element, np.array([SHORT_HZ]))
            rush = supply.volts * (1 + supply.tolerance) / float(np.abs(stiff).min())
            rippling = {p.ref: amps for e, amps in ripple(kit).items() if (p := kit.part_of(e)) is not None and p.polarised}
        out.append(
            Rail(supply.name, supply.running, typical, worst, max(farads, 0.0), limit, by, _hours(supply, kit, typical),
                 _centre(kit, supply), rush, rippling)
        )  # fmt: skip
    return out


def _currents(model: WorkingModel, supply: Supply) -> list[np.ndarray]:
    kit = model.kit
    whole = [s.name for s in kit.info.setup if not s.out] or [""]
    setups = [kit.setup(name) for name in whole]
    return [model.point_in(c).currents()[supply.element] for c in setups if supply.element in {e.name for e in c.elements}]


def _phantom(supply: Supply) -> bool:
    return "phantom" in supply.name.lower() and abs(supply.volts - PHANTOM_V) <= 0.15 * PHANTOM_V


def _fed(kit: Kit) -> bool:
    """Whether the unit lives on a phantom feed, and does not pass one on."""
    return len(kit.info.supply) == 1


def _limit(kit: Kit, supply: Supply, limits: Mapping[str, float]) -> tuple[float | None, str]:
    for name, amps in limits.items():
        if name.lower() == supply.name.lower():
            return amps, "as stated"
    return (PHANTOM_A, "IEC 61938, one microphone") if _phantom(supply) and _fed(kit) else (None, "")


def _hours(supply: Supply, kit: Kit, amps: float) -> float | None:
    if "batter" not in supply.name.lower() or amps <= 0:
        return None
    words = " ".join(p.text for p in kit.parts.values() if p.kind == "battery").upper()
    cell = next((c for c in ("AAA", "AA") if c in words.split()), "9 V block")
    return battery_hours(cell, amps)


def battery_hours(cell: str, amps: float) -> float:
    """Hours at a steady current, until a fresh alkaline cell has fallen to some two thirds of its volts; cells in series give as
    long. The usual curve between its points by logarithms; below the first as at the first."""
    _, points = CELLS[cell]
    mA, mAh = (np.array(column) for column in zip(*points, strict=True))
    return float(np.interp(math.log(max(1e3 * amps, 1e-6)), np.log(mA), mAh)) / (1e3 * amps)


def _centre(kit: Kit, supply: Supply) -> str:
    """``J3: plus`` where the supply comes in at a socket with a middle, by its lugs, or by what its label says."""
    labels = {h.ref: h.label for h in kit.panel}
    for wire in kit.wires:
        for end in wire.ends:
            ref, _, lug = end.partition(".")
            part = kit.find_part(ref)
            if part is None or part.kind not in ("jack", "socket"):
                continue
            said = re.search(r"cent(?:re|er) (plus|minus)", f"{labels.get(ref, '')} {part.text} {part.note}", re.IGNORECASE)
            if said and wire.net.lower() == supply.node.lower():
                return f"{part.ref}: {said[1].lower()}"
            if lug.lower() not in CENTRE:
                continue
            if wire.net.lower() == supply.node.lower():
                return f"{part.ref}: {'plus' if supply.volts > 0 else 'minus'}"
            others = {w.net.lower() for w in kit.wires for e in w.ends if e.partition(".")[0] == ref}
            if wire.net in GROUND_NAMES and supply.node.lower() in others:
                return f"{part.ref}: {'minus' if supply.volts > 0 else 'plus'}"
    return ""


def drop(amps: float, square_mm: float, metres: float) -> float:
    """V lost in copper there and back, at 20 °C."""
    return 2 * amps * COPPER * metres / (square_mm * 1e-6)


# -- many units ----------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Drawn:
    """One unit of a rack, or several alike: A by rail, typical and worst, and F to fill."""

    name: str
    count: int
    typical: Mapping[str, float]
    worst: Mapping[str, float]
    farads: Mapping[str, float]


@dataclass(frozen=True)
class Sum:
    """One rail of a rack: A of all units, what the supply gives, and F to fill at switching on."""

    rail: str
    typical: float
    worst: float
    supply: float | None
    farads: float

    @property
    def margin(self) -> float | None:
        return None if not self.supply else 1 - self.worst / self.supply


def added(units: Sequence[Drawn], supply: Mapping[str, float]) -> list[Sum]:
    """The sum of each rail, in the order in which they come up."""
    names = list(dict.fromkeys([*supply, *(rail for u in units for rail in (*u.typical, *u.worst))]))
    return [
        Sum(rail, sum(u.count * u.typical.get(rail, 0.0) for u in units),
            sum(u.count * u.worst.get(rail, u.typical.get(rail, 0.0)) for u in units), supply.get(rail),
            sum(u.count * u.farads.get(rail, 0.0) for u in units))
        for rail in names
    ]  # fmt: skip


def leave_out(units: Sequence[Drawn], supply: Mapping[str, float]) -> list[str]:
    """The fewest units without which every rail holds at worst, of several such the ones that draw least; empty where all hold,
    or where nothing helps but leaving out more than four."""
    single = [one for u in units for one in [u] * u.count]

    def holds(left: Sequence[int]) -> bool:
        kept = [Drawn(u.name, 1, u.typical, u.worst, u.farads) for k, u in enumerate(single) if k not in left]
        return all(s.margin is None or s.margin >= 0 for s in added(kept, supply))

    for count in range(min(len(single), 4) + 1):
        found = [left for left in combinations(range(len(single)), count) if holds(left)]
        if found:
            best = min(found, key=lambda left: sum(sum(single[k].worst.values()) for k in left))
            return [single[k].name for k in best]
    return []
