"""The practice bench: a unit with one mistake hidden in it, to be found by readings."""

from __future__ import annotations

import numpy as np

from nuvlo.instruments.protocols import Meter
from nuvlo.instruments.simulated import HiddenUnit, SimulatedBench
from nuvlo.kit import Kit
from nuvlo.model.diagnosis import Reading
from nuvlo.model.mistakes import Mistake, single_mistakes
from nuvlo.quantity import Measured


def hidden_mistake(kit: Kit, seed: int) -> Mistake:
    """One of the kit's single mistakes, as often as each is made."""
    every = single_mistakes(kit)
    weight = np.array([m.weight for m in every])
    return every[int(np.random.default_rng([seed, 505]).choice(len(every), p=weight / weight.sum()))]


def practice_bench(kit: Kit, seed: int, hidden: Mistake | None) -> SimulatedBench:
    """A bench round a unit with values of its own and the mistake in it; a sound one without."""
    return SimulatedBench(HiddenUnit(kit, seed, dict(hidden.overrides) if hidden else {}))


def take(meter: Meter, reading: Reading) -> Measured:
    """A reading, whatever it is of. Raises :class:`InstrumentError` where the meter cannot tell."""
    match reading.quantity:
        case "voltage":
            return meter.volts(*reading.nodes, setup=reading.setup)
        case "current":
            return meter.supply_current(reading.point)
        case "tone":
            return meter.tone(reading.point)
        case "capacitance":
            return meter.farads(reading.point)
    return meter.ohms(*reading.nodes)
