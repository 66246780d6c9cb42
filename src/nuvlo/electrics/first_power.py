"""First power, worked out: the limit to set, the charge that lights a lamp, the series lamp, and what each does if all is well and if not.

A tungsten filament away from its rated volts: its current goes as their 0.55th power and its light as their 3.4th (J. E. Kaufman, ed.,
*IES Lighting Handbook*, Reference Volume, "Light sources", exponents for large gas-filled lamps; from memory).
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from nuvlo.craft.high_voltage import TOUCHABLE_V
from nuvlo.electrics.heat import heater_watts
from nuvlo.kit import Kit
from nuvlo.kit.schema import Supply
from nuvlo.measurement import Observable, amps_of
from nuvlo.model.leaks import farads_on
from nuvlo.model.windows import Window
from nuvlo.quantity import format_value

HEADROOM = 1.5  # times the most that a good unit draws (common practice, no source)
LEAST_LIMIT = 5e-3  # A that supplies can be set to
ADAPTER_F = 1000e-6  # that stands at the output of a common adapter (common practice, no source)
LIT_SHARE = 0.5  # of its volts, down to which a lamp is seen to burn
LAMPS = (15.0, 25.0, 40.0, 60.0, 75.0, 100.0, 150.0, 200.0)  # W that are made
DIM = 0.05  # of its light, that a lamp in series with a good unit is to give at most
CURRENT_POWER, LIGHT_POWER = 0.55, 3.4
NEXT_TO_NOTHING = 50e-6  # A
LOW_VOLTS = 30.0  # above it no charged capacitor is played with (common practice, no source)
TWICE = 3.0  # times a good unit's draw that a partial short takes, for what the lamp says of it


@dataclass(frozen=True)
class FirstPower:
    """One way of switching a supply on, ``empty``: with the sockets empty; its ``amount`` (A, F or W by ``unit``; 0 where there is nothing to set), and in words what to set, what happens
    if all is well and if it is not."""

    of: Observable
    school: str
    amount: float
    unit: str
    set_to: str
    well: str
    wrong: str

    @property
    def words(self) -> str:
        return " ".join(w for w in (self.set_to, self.well, self.wrong) if w)


def first_powers(kit: Kit, currents: Mapping[Observable, Window]) -> list[FirstPower]:
    """Each way of switching on each supply, from the windows of their ``currents``, with the sockets empty too. What is at high voltage or on mains is only switched on through a lamp."""
    out = []
    for supply in kit.info.supply:
        for empty in (False, True):
            draws = currents.get(amps_of(supply.name, empty=empty))
            if draws is None:
                continue
            ways = ways_for(kit, supply)
            out += [_lamp(kit, supply, draws)] if ways == ("bulb",) else []
            out += [_limit(supply, draws)] if "limit" in ways else []
            out += [_straight(supply, draws)] if "straight" in ways else []
            out += [_charge(kit, supply, draws)] if "charge" in ways else []
    return out


def ways_for(kit: Kit, supply: Supply) -> tuple[str, ...]:
    """The ways of switching on that make sense for a supply: no lamp where there is no mains, and of adapters one, at low voltage."""
    if supply.mains_hz or abs(supply.volts) > TOUCHABLE_V:
        return ("bulb",)
    alone = len(kit.info.supply) == 1 and abs(supply.volts) <= LOW_VOLTS
    return ("limit", "straight", "charge") if alone else ("limit", "straight")


def way_for(kit: Kit, supply: Supply, taken: str) -> str:
    """The way that was taken, or the one in its place where it makes no sense here."""
    ways = ways_for(kit, supply)
    return taken if taken in ways else ways[0]


def _amps(value: float) -> str:
    return format_value(value, "A", 2)


def limit_for(most: float) -> float:
    """A to set a supply to whose unit draws ``most`` at the outside: rounded up to two digits."""
    wanted = max(HEADROOM * most, LEAST_LIMIT)
    step = 10.0 ** (math.floor(math.log10(wanted)) - 1)
    return math.ceil(wanted / step - 1e-9) * step


def _limit(supply: Supply, draws: Window) -> FirstPower:
    most = max(abs(draws.low), abs(draws.high))
    limit = max(min(limit_for(most), supply.current_limit), most)
    return FirstPower(
        draws.of, "limit", limit, "A", f"Set the limit to {_amps(limit)}.",
        f"A good unit draws {drawn_words(draws)}, and the volts stay at {format_value(abs(supply.volts), 'V')}.",
        "If the limit holds and the volts sink, something is short: off.",
    )  # fmt: skip


def drawn_words(draws: Window) -> str:
    """What a good unit draws: ``5 mA to 8.6 mA``, the smaller first; of next to nothing that it is so, and what is too much."""
    low, high = sorted((abs(draws.low), abs(draws.high)))
    if abs(draws.nominal) < NEXT_TO_NOTHING:
        return f"next to nothing: below {_amps(max(high, abs(draws.nominal)))} after a minute"
    return f"{_amps(low)} to {_amps(high)}"


def lasts(farads: float, own: float, volts: float, amps: float) -> float:
    """s until a charge of ``farads`` at ``volts``, shared with a unit's ``own`` farads, has sunk to :data:`LIT_SHARE` of those volts at a
    steady current; 0 where the sharing alone brings it there."""
    shared = volts * farads / (farads + own)
    return max(0.0, (farads + own) * (shared - LIT_SHARE * volts) / amps)


def _charge(kit: Kit, supply: Supply, draws: Window) -> FirstPower:
    volts, amps = abs(supply.volts), max(abs(draws.nominal), 1e-9)
    own = farads_on(kit, supply)
    seconds = lasts(ADAPTER_F, own, volts, amps)
    if not seconds:
        return FirstPower(
            draws.of, "charge", ADAPTER_F, "F", f"Some {format_value(ADAPTER_F, 'F')} stand in a common adapter, and {format_value(own, 'F', 2)} in the unit, which take most of it.",
            "One flash of the lamp at most.", "It tells little here: set a current limit instead.",
        )  # fmt: skip
    return FirstPower(
        draws.of, "charge", ADAPTER_F, "F", f"Some {format_value(ADAPTER_F, 'F')} stand in a common adapter: charge it, pull it from the wall, then connect it.",
        f"The lamp lights and fades within about {_seconds(seconds)}.", "No light at all, or one flash, means a short or a plug the wrong way round: no power.",
    )  # fmt: skip


def _straight(supply: Supply, draws: Window) -> FirstPower:
    most = max(abs(draws.low), abs(draws.high))
    return FirstPower(
        draws.of, "straight", 0.0, "", "The meter in line, a hand at the switch.",
        f"A good unit draws {drawn_words(draws)}.", f"Off at once above {_amps(HEADROOM * most)}.",
    )  # fmt: skip


def lamp_share(lamp: float, load: float) -> float:
    """Share of the mains that stands across a lamp of ``lamp`` W in series with a load that takes ``load`` W by itself (a resistance)."""
    low, high = 0.0, 1.0
    for _ in range(60):
        v = (low + high) / 2
        # Current of the filament against that of the load, both in units of the mains' volts.
        low, high = (v, high) if lamp * v**CURRENT_POWER < load * (1.0 - v) else (low, v)
    return (low + high) / 2


def light(share: float) -> float:
    """Share of its rated light that a filament gives at a share of its volts."""
    return float(share**LIGHT_POWER)


def _lamp(kit: Kit, supply: Supply, draws: Window) -> FirstPower:
    heaters = 0.0 if draws.of.empty else sum(heater_watts(p) for p in kit.parts.values())
    watts = abs(supply.running) * abs(draws.nominal) + heaters
    lamp = next((w for w in LAMPS if light(lamp_share(w, watts)) <= DIM), LAMPS[-1])
    good, partly = lamp_share(lamp, watts), lamp_share(lamp, TWICE * watts)
    return FirstPower(
        draws.of, "bulb", lamp, "W", f"A filament lamp of {lamp:g}\u202fW in series: the unit takes about {watts:.0f}\u202fW.",
        f"It flares up and fades to {_share(light(good))} of its light, and the unit runs at {100 * (1 - good):.0f}\u202f% of its volts.",
        f"At {TWICE:g} times the draw it keeps {_share(light(partly))} of its light; full light is a dead short: unplug.",
    )  # fmt: skip


def _share(share: float) -> str:
    return "next to nothing" if share < 0.01 else f"{100 * share:.0f}\u202f%"


def _seconds(seconds: float) -> str:
    return f"{seconds:.1f}\u202fs" if seconds < 10 else f"{seconds:.0f}\u202fs"
