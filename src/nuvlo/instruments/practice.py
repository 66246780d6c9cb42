"""The practice bench: a unit with one mistake hidden in it, to be found by readings and by looking."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np

from nuvlo.diagnosis.mistakes import Mistake, ids_of, single_mistakes
from nuvlo.diagnosis.probes import looks_of
from nuvlo.diagnosis.table import AT_A_GLANCE, FALSE_ALARM
from nuvlo.files.mistakes import shipped
from nuvlo.instruments.protocols import InstrumentError
from nuvlo.instruments.simulated import HiddenUnit, SimulatedBench
from nuvlo.kit import Kit
from nuvlo.logbook import Build, Repair
from nuvlo.measurement import Observable
from nuvlo.problems import Problem
from nuvlo.quantity import Measured

EASY_ONES = "easy"
EASY = ("decade", "strip", "open", "absent", "backwards", "reversed", "supply", "plug", "strap")  # kinds a beginner is given
ANYTHING = ("value",)  # what may come to next to nothing: no hunt


def hidden_mistake(kit: Kit, seed: int, how: str = "") -> Mistake:
    """One of the kit's single mistakes, as often as each is made; an ``easy`` one shows at the first readings or to the eye; else the
    one of the id ``how``, or of these words. Raises :class:`InstrumentError` where there is none."""
    if kit.unit is None:
        raise InstrumentError(Problem(f"{kit.name} has no circuit.cir, so no mistake can be hidden in it.", "Practise on another kit."))
    every = [m for m in single_mistakes(kit) if m.overrides and m.kind not in ANYTHING]
    if how not in ("", EASY_ONES):
        known = ids_of(every, [("", how)]) or {how}
        every = [m for m in every if m.id in known]
    every = [m for m in every if m.kind in EASY] or every if how == EASY_ONES else every
    if not every:
        raise InstrumentError(Problem(f"{kit.name} has no such mistake to hide.", "Practise on another, or let Nuvlo pick one."))
    habits = shipped()
    weight = np.array([habits[m.kind].weight * m.share for m in every])
    return every[int(np.random.default_rng([seed, 505]).choice(len(every), p=weight / weight.sum()))]


class PracticeBench(SimulatedBench):
    """A bench round a unit with values of its own and a mistake in it, or two; a sound one without."""

    def __init__(self, kit: Kit, seed: int, *hidden: Mistake) -> None:
        self._how = float(np.random.default_rng([seed, 707]).random())  # mildly or badly, where that is not known
        super().__init__(HiddenUnit(kit, seed, self._made(hidden)))
        self._hidden = hidden
        self.burnt: list[str] = []  # what did not survive being powered so
        self.needless = 0  # repairs of what was right
        self._lay_bare()

    def _made(self, some: Iterable[Mistake]) -> dict[str, str | float]:
        return {key: by for m in some for key, by in m.made(self._how)}

    def _lay_bare(self) -> None:
        """The same unit with its sockets empty: what is wrong with what goes into them is not there then."""
        kit, seed = self.unit.kit, self.unit.seed
        self._empty = SimulatedBench(HiddenUnit(kit, seed, self._made(m for m in self.hidden if not m.asleep)))

    def take(self, of: Observable) -> Measured:
        cold = of.empty or of.quantity in ("resistance", "capacitance")
        return self._empty.take(of) if cold else super().take(of)

    @property
    def hidden(self) -> tuple[Mistake, ...]:
        return self._hidden

    def _looks_wrong(self, ref: str) -> bool:
        """Whether something is seen to be wrong. Looking again shows the same."""
        return self._eye(ref) < max(self._shows(ref), FALSE_ALARM)

    def looked_over(self, closely: bool = False) -> tuple[str, ...]:
        """In passing less is seen than at a part by itself; what seems wrong is looked at once more, so that nothing else is accused."""
        share = 1.0 if closely else AT_A_GLANCE
        return tuple(r.part for r in looks_of(self.unit.kit) if self._eye(r.part) < share * self._shows(r.part))

    def _eye(self, ref: str) -> float:
        """How sharp it is at a part, of one and the same unit always the same: 0 sees all, 1 nothing."""
        return float(np.random.default_rng([self.unit.seed, 606, list(self.unit.kit.parts).index(ref)]).random())

    def _shows(self, ref: str) -> float:
        """How likely what is wrong with a part is to be seen."""
        return max((shipped()[m.kind].seen for m in self.hidden if ref in m.refs), default=0.0)

    def _lifted(self, ref: str) -> Measured:
        """A part by itself, one leg out of the board."""
        kit, unit = self.unit.kit, self.unit.kit.part(ref).unit
        missing = any(key == f"{kit.override_of(ref)}.missing" for m in self.hidden for key, _ in m.overrides)
        through = any(m.kind == "short" and m.refs == (ref,) for m in self.hidden)
        if unit == "Ω" and (missing or through):
            return self._shown(np.inf if missing else 0.0, "Ω")
        if missing or through:
            return self._shown(0.0 if missing else np.inf, "F")
        return super()._lifted(ref)

    def repair(self, repair: Repair) -> None:
        """A repair that touches what is really wrong heals it; another changes nothing."""
        self.burnt += [m.hurts for m in self.hidden if m.hurts and repair.powered]
        before = len(self.hidden)
        known = ids_of(self.hidden, [repair.told])
        self._hidden = tuple(m for m in self.hidden if m.id not in known and not (m.refs and set(m.refs) <= set(repair.refs)))
        self.unit.wrong = HiddenUnit(self.unit.kit, self.unit.seed, self._made(self.hidden)).wrong
        self.needless += len(self.hidden) == before
        self._lay_bare()

    def told(self, build: Build, hunts: Sequence[Build] = ()) -> str:
        if self.hidden:
            return f"That was not it: the unit is as it was. {self.needless} {'part was' if self.needless == 1 else 'parts were'} changed needlessly."
        readings, minutes = sum(r.readings for r in build.repairs), sum(r.minutes for r in build.repairs)
        said = [f"That was it: {readings} readings, {max(1, round(minutes))} min"]
        said += [f"{self.needless} changed needlessly"] if self.needless else []
        if len(hunts) > 1:
            said.append(f"{len(hunts)} hunts so far, {sum(r.readings for b in hunts for r in b.repairs) / len(hunts):.0f} readings each")
        return " ".join(["; ".join(said) + ".", *dict.fromkeys(self.burnt)])
