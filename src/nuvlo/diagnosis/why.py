"""Why a window is as wide as it is: which parts widen it, by how much, and which single mistakes move the reading and where to."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nuvlo.diagnosis.mistakes import Mistake, single_mistakes
from nuvlo.diagnosis.probes import Reading
from nuvlo.diagnosis.trials import Trials
from nuvlo.files.mistakes import shipped
from nuvlo.kit import Kit
from nuvlo.measurement import Observable, amps_of, volts_at
from nuvlo.model.asked import powered
from nuvlo.model.placed import placed
from nuvlo.model.rectifier import rippling
from nuvlo.model.working import ModelError, WorkingModel
from nuvlo.problems import Problem
from nuvlo.quantity import format_span, format_value

PLAIN = 2.0  # widths of a window, beyond which nothing shows more plainly


@dataclass(frozen=True)
class Why:
    """Of one reading: its window, what widens it as shares of its spread, and single mistakes with what they make of it, those first that are
    made often and show plainly."""

    of: Observable
    unit: str
    low: float
    high: float
    widened: tuple[tuple[str, float], ...]
    moved: tuple[tuple[str, float], ...]

    def lines(self, most: int) -> list[str]:
        """In words, a line each."""
        by = ", ".join(f"{of} {share:.0%}".replace("%", "\u202f%") for of, share in self.widened[:most]) or "nothing much"
        out = [f"{self.of.name}: {format_span(self.low, self.high, self.unit)}. Widened by: {by}."]
        return out + [f"{format_value(to, self.unit, 3):>10s}  if {text}" for text, to in self.moved[:most]]


def why(model: WorkingModel, name: str) -> Why:
    """Of the volts at a test point, or the current or ripple of a supply. Raises :class:`ModelError` for another place."""
    kit = model.kit
    supply = next((s for s in kit.info.supply if s.name.lower() == name.lower()), None)
    point = next((p for p in kit.info.point if p.name.lower() == name.lower()), None)
    ripple = next((r for r in rippling(kit) if r.name.lower() == name.lower()), None)
    if supply is None and point is None and not ripple:
        known = ", ".join([p.name for p in kit.info.point] + [s.name for s in kit.info.supply] + [r.name for r in rippling(kit)])
        raise ModelError(Problem(f"there is no test point or supply '{name}' in {kit.name}.", f"There are: {known}.", ref=name))
    of = amps_of(supply.name) if supply else ripple or volts_at(point.name if point else "")
    window = next(w for w in model.predict(powered(kit)) if w.of == of)
    reading = Reading(**vars(placed(kit, of)))
    mistakes = [m for m in single_mistakes(kit) if m.overrides]
    nominal = {key: np.array([law.nominal]) for key, law in model.laws.items()}
    table = Trials(kit, mistakes, [reading], model.laws, nominal, 1).table()[0, :, 0]
    habits = shipped()
    out = [(m, float(v)) for m, v in zip(mistakes, table[1:], strict=True) if np.isfinite(v) and not window.low <= v <= window.high]
    wide = max(window.high - window.low, 1e-12)

    def tells(one: tuple[Mistake, float]) -> float:
        """How often it is made, and how plainly it shows here."""
        away = max(window.low - one[1], one[1] - window.high) / wide
        return habits[one[0].kind].weight * one[0].share * min(away, PLAIN)

    out.sort(key=tells, reverse=True)
    widened = tuple((_of(kit, key), share) for key, share in model.widened_by(of))
    return Why(of, window.unit, window.low, window.high, widened, tuple((m.text, v) for m, v in out))


def _of(kit: Kit, key: str) -> str:
    """A value of the circuit by the part it is of."""
    part = kit.part_of(key)
    if part is None:
        return next((s.name for s in kit.info.supply if s.element == key), key)
    parameter = key.partition(".")[2]
    said = {"bf": "gain", "is": "saturation current", "pos": "position", "vto": "pinch-off", "beta": "transconductance", "r": "", "": ""}
    word = said.get(parameter, parameter)
    return f"{part.ref}, its {word}" if word else part.ref
