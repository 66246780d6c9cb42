"""A full-wave rectifier of mains with one of its diodes not at work.

A set-up stands for the wave by volts of d.c. of one sign, so of a bridge two diodes carry all there. Where one of these is missing the other two
still charge the reservoir, once in a period in place of twice: that is the other sign, and a larger resistance of the winding. Where one lets
current through both ways, the winding is shorted every other half of a period.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from nuvlo.arrays import Array
from nuvlo.circuit.faults import Bridge, Missing, Reversed, fault_named
from nuvlo.circuit.operating_point import OperatingPoint, operating_point
from nuvlo.circuit.small_signal import impedance
from nuvlo.kit import Kit
from nuvlo.kit.schema import Supply
from nuvlo.measurement import Observable, ripple_at

Overridden = tuple[tuple[str, float], ...]

HARMONICS, PULSE_STEPS = 8, 101  # of mains, and from the middle of a pulse to its end
LEAST_VOLTS = 1e-3  # of a wave, where there is none
ANGLES = 10_000  # from nothing to a quarter of a turn
NEXT_TO_NOTHING = 1e-9  # of its volts that a supply loses in its winding
CARRIES = 0.1  # of the supply's current, from which a diode is one of those that carry it
HURTS = "The winding is shorted through {} every other half of a wave: off at once. A fuse goes, or the transformer burns."


@dataclass(frozen=True)
class Rectifier:
    """Its diodes, by element: both nodes, and whether each carries the current while the supply is as the set-ups have it; the resistor of the
    winding, and its Ω where only half of the wave is of use (nothing where the set-ups have no such resistor)."""

    supply: str
    diodes: dict[str, tuple[str, str, bool]]
    winding: tuple[str, float] | None

    def beside(self, overrides: Overridden) -> tuple[Overridden, str]:
        """What a mistake with these ``overrides`` makes of the wave, as more of them, and what does not survive it."""
        for fault in (fault_named(key) for key, _ in overrides):
            if isinstance(fault, Missing) and fault.element in self.diodes:
                other = ((Reversed(self.supply).key, 1.0),) if self.diodes[fault.element][2] else ()
                return (*other, *((self.winding,) if self.winding else ())), ""
            through = {fault.a, fault.b} if isinstance(fault, Bridge) else set()
            both = [name for name, (a, b, _) in self.diodes.items() if through == {a, b} or (isinstance(fault, Reversed) and fault.element == name)]
            if both:
                return ((self.supply, 0.0),), HURTS.format(both[0].upper())
        return (), ""


def rectifiers(kit: Kit) -> list[Rectifier]:
    """Those of its supplies; kept with the kit."""
    if "rectifiers" not in kit.memory:
        kit.memory["rectifiers"] = [_at_work(kit, s, place) for s, place in _places(kit)]
    known: list[Rectifier] = kit.memory["rectifiers"]
    return known


@dataclass(frozen=True)
class _Place:
    """Where diodes hang on a winding: their nodes, by element; and the resistor of the winding, if there is one."""

    diodes: dict[str, tuple[str, str]]
    resistor: str


def _places(kit: Kit) -> list[tuple[Supply, _Place]]:
    """Of each supply that is rectified mains, by the netlists alone."""
    out = []
    for supply in kit.info.supply if kit.unit else ():
        circuit = kit.setup(having=(supply.element,)) if supply.mains_hz and kit.setups else None
        if circuit is None or kit.unit is None or supply.element not in {e.name for e in circuit.elements}:
            continue
        names, own = ["0", *circuit.nodes], {e.name for e in kit.unit.elements}
        ends = dict.fromkeys(circuit.element(supply.element).nodes[:2], "")  # of the winding, and the resistor on the way there
        for e in circuit.of_kind("r"):
            for here, there in (e.nodes[:2], e.nodes[1::-1]):
                if e.name not in own and here in ends and there not in ends and there >= 0:
                    ends[there] = e.name
        diodes = {
            e.name: (names[e.nodes[0] + 1], names[e.nodes[1] + 1])
            for e in circuit.of_kind("d") if e.name in own and set(e.nodes[:2]) & ends.keys()
        }  # fmt: skip
        if diodes:
            out.append((supply, _Place(diodes, next((name for name in ends.values() if name), ""))))
    return out


def _at_work(kit: Kit, supply: Supply, place: _Place) -> Rectifier:
    """What each diode does in a good unit."""
    circuit = kit.setup(having=(supply.element,))
    amps = {name: float(i[0]) for name, i in operating_point(circuit).currents().items()}
    all_of_it = abs(amps[supply.element])
    diodes = {name: (*nodes, amps[name] > CARRIES * all_of_it) for name, nodes in place.diodes.items()}
    if not place.resistor:
        return Rectifier(supply.element, diodes, None)
    ohms = float(circuit.parameter(circuit.element(place.resistor), "value", {}))
    return Rectifier(supply.element, diodes, (place.resistor, half_wave_ohms(supply.volts, supply.running, ohms, all_of_it)))


def half_wave_ohms(peak: float, settled: float, ohms: float, amps: float) -> float:
    """Ω that leave of ``settled`` volts of d.c. what one pulse in a period leaves of a wave with this ``peak`` behind a winding of so many ``ohms``,
    where ``amps`` flow with two; the load draws in proportion to its volts. A pulse that lasts from −θ to θ charges to V̂·cos θ with a mean of
    V̂·(sin θ − θ·cos θ)/πR (O. H. Schade, "Analysis of rectifier operation", Proc. IRE 31, 1943; worked out anew for a resistance alone). As many
    as there are where next to nothing flows, or all is lost in the winding."""
    whole = settled - ohms * amps
    if whole <= 0 or ohms * amps < NEXT_TO_NOTHING * settled:
        return ohms
    angles = np.linspace(0.0, np.pi / 2, ANGLES, endpoint=False)
    angle = np.interp(math.pi * ohms * amps / whole, np.tan(angles) - angles, angles)
    volts = peak * math.cos(float(angle))
    return (settled - volts) / (amps * volts / whole)


def drawn(point: OperatingPoint, supply: Supply) -> Array:
    """(N,) A that a unit draws from a supply; of a rectified wave what is behind the rectifier, whichever half of the wave gives it."""
    amps = -point.currents()[supply.element]
    return np.abs(amps) if supply.mains_hz else amps


def rippling(kit: Kit) -> dict[Observable, Supply]:
    """The supplies whose ripple can be foretold, by its reading: AC volts at the point of the supply."""
    return {ripple_at(s.point): s for s, place in _places(kit) if place.resistor and s.point}


def ripple(kit: Kit, point: OperatingPoint, supply: Supply) -> Array:
    """(N,) V r.m.s. of the ripple where a supply enters, as a meter for any wave shows it without the d.c.

    Each pulse of charging current is the top of the wave above the volts of the reservoir; its harmonics, as shares of its mean, flow into what
    the circuit is there (the same pulse as in :func:`half_wave_ohms`). Only every other harmonic of mains is there while both halves are of use.
    """
    rectifier = next(r for r in rectifiers(kit) if r.supply == supply.element)
    eq = point.equations
    amps = drawn(point, supply)
    dc = np.abs(np.broadcast_to(eq.sources[supply.element], amps.shape))
    assert rectifier.winding is not None
    siemens = np.broadcast_to(eq.conductors[eq.resistor_entry[rectifier.winding[0]]][2], amps.shape)
    peak = np.maximum(dc * supply.volts / supply.running, LEAST_VOLTS)
    share = np.clip((dc - amps / siemens) / peak, 0.0, 1.0 - 1e-6)
    half = np.zeros(amps.shape, dtype=bool)
    for name in rectifier.diodes:
        half |= np.broadcast_to(np.asarray(eq.overrides.get(Missing(name).key, 0.0), float) > 0.5, amps.shape)
    angle = np.linspace(0.0, 1.0, PULSE_STEPS)[:, None] * np.arccos(share)  # from the middle of a pulse to its end
    pulse = np.maximum(np.cos(angle) - share, 0.0)
    number = np.arange(1, HARMONICS + 1)
    parts = 2.0 * (pulse * np.cos(number[:, None, None] * angle)).sum(axis=1) / pulse.sum(axis=0)  # (harmonics, N), of a mean of 1
    # The winding is joined on while a pulse flows alone, which is seldom: what it would let through is taken off.
    ohms = np.abs(1.0 / (1.0 / impedance(point, supply.node, supply.mains_hz * number.astype(float)).T - siemens))
    there = half | (number[:, None] % 2 == 0)
    out: Array = amps * np.sqrt((np.where(there, parts * ohms, 0.0) ** 2).sum(axis=0) / 2.0)
    return out
