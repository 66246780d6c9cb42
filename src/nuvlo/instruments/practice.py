"""The practice bench: a unit with one mistake hidden in it, to be found by readings and by looking."""

from __future__ import annotations

import numpy as np

from nuvlo.files.mistakes import shipped
from nuvlo.instruments.protocols import InstrumentError
from nuvlo.instruments.simulated import HiddenUnit, SimulatedBench
from nuvlo.kit import Kit
from nuvlo.kit.kit import override_of_element
from nuvlo.model.diagnosis import FALSE_ALARM
from nuvlo.model.mistakes import Mistake, single_mistakes
from nuvlo.model.probes import Reading
from nuvlo.problems import Problem
from nuvlo.quantity import Measured

EASY = ("decade", "strip", "open", "absent", "backwards", "reversed", "supply", "plug", "strap")  # kinds a beginner is given


def hidden_mistake(kit: Kit, seed: int, easy: bool = False) -> Mistake:
    """One of the kit's single mistakes, as often as each is made; an ``easy`` one shows at the first readings or to the eye."""
    every = [m for m in single_mistakes(kit) if m.overrides]
    every = [m for m in every if m.kind in EASY] or every if easy else every
    if not every:
        raise InstrumentError(Problem(f"{kit.name} has no circuit to hide a mistake in.", "Practise on another kit."))
    habits = shipped()
    weight = np.array([habits[m.kind].weight * m.share for m in every])
    return every[int(np.random.default_rng([seed, 505]).choice(len(every), p=weight / weight.sum()))]


class PracticeBench(SimulatedBench):
    """A bench round a unit with values of its own and a mistake in it, or two; a sound one without."""

    def __init__(self, kit: Kit, seed: int, *hidden: Mistake) -> None:
        super().__init__(HiddenUnit(kit, seed, {key: by for m in hidden for key, by in m.overrides}))
        awake = {key: by for m in hidden if not m.asleep for key, by in m.overrides}
        self.hidden, self._unplugged = hidden, SimulatedBench(HiddenUnit(kit, seed, awake))

    def take(self, reading: Reading) -> Measured:
        """A reading, whatever it is of. Raises :class:`InstrumentError` where the meter cannot tell."""
        match reading.quantity:
            case "voltage":
                return self.volts(*reading.nodes, setup=reading.setup)
            case "current":
                return self.supply_current(reading.point)
            case "tone":
                assert reading.tone is not None
                return self.played(reading.tone)
            case "capacitance":
                return self._unplugged.farads(reading.point)
            case "look":
                return self._looked_at(reading.part)
            case "lifted":
                return self._lifted(reading)
        return self._unplugged.ohms(*reading.nodes)

    def _looked_at(self, ref: str) -> Measured:
        """1 where something is seen to be wrong, 0 where all looks right. Looking again shows the same."""
        place = list(self.unit.kit.parts).index(ref)
        chance = max((shipped()[m.kind].seen for m in self.hidden if ref in m.refs), default=0.0)
        chance = max(chance, FALSE_ALARM)
        return Measured(float(np.random.default_rng([self.unit.seed, 606, place]).random() < chance), 0.0, "")

    def _lifted(self, reading: Reading) -> Measured:
        missing = any(key == f"{reading.part}.missing" for m in self.hidden for key, _ in m.overrides)
        through = any(m.kind == "short" and m.refs == (reading.point,) for m in self.hidden)
        if reading.unit == "Ω" and (missing or through):
            return self._shown(np.inf if missing else 0.0, "Ω")
        if missing or through:
            return self._shown(0.0 if missing else np.inf, "F")
        assert reading.part == override_of_element(self.unit.kit.element_of(reading.point) or "")
        return self.part(reading.point)
