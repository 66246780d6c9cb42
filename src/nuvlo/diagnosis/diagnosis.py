"""What single mistake explains the readings: every mistake under its tolerances, judged by what was read, and what to read next.

Each mistake is tried with a few draws of all tolerances (:mod:`~nuvlo.diagnosis.trials`), which stand as a meter sees them in a
:class:`~nuvlo.diagnosis.table.Table`; how likely what was read is under each is in :mod:`~nuvlo.diagnosis.likelihood`, what to read next in
:mod:`~nuvlo.diagnosis.asking`. Bayes' rule does the rest.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nuvlo.arrays import Array
from nuvlo.diagnosis.asking import next_reading
from nuvlo.diagnosis.likelihood import likelihoods
from nuvlo.diagnosis.mistakes import Mistake
from nuvlo.diagnosis.probes import Reading
from nuvlo.diagnosis.table import APART, Table
from nuvlo.diagnosis.wires import rung_out
from nuvlo.measurement import Observable
from nuvlo.quantity import Measured

GOOD, UNEXPLAINED = 0.2, 0.1  # beforehand: that nothing is wrong, and that no single mistake is it
SINCE = 0.05  # of its weight, a mistake with a wire that was rung out: that it has come since (common practice, no source)
AGAIN = 0.05  # of its weight, a mistake that was put right already (common practice, no source)


@dataclass(frozen=True)
class Group:
    """Mistakes that no reading tells apart, likeliest first."""

    mistakes: tuple[Mistake, ...]
    probability: float
    silent: bool = False  # nor from a good unit: only looking does


@dataclass(frozen=True)
class Ranking:
    """Groups, likeliest first; how likely it is that nothing is wrong, and that no single mistake explains what was read."""

    groups: tuple[Group, ...]
    good_unit: float
    unexplained: float
    next: tuple[Reading, float] | None  # and the bits that are expected from it

    @property
    def nothing_shown(self) -> float:
        """How likely it is that all reads as in a good unit: that it is one, or has a mistake which only looking finds."""
        return self.good_unit + sum(g.probability for g in self.groups if g.silent)

    @property
    def accused(self) -> Group | None:
        """The likeliest group that a reading shows."""
        return next((g for g in self.groups if not g.silent), None)


class Diagnosis(Table):
    """The mistakes of a kit and what readings tell of them. Made once, in some seconds; asked in milliseconds."""

    def make_ready(self) -> None:
        """All that takes time, so that :meth:`rank` takes none."""
        for name in ("seen", "related", "same", "ends", "left_alone"):
            getattr(self, name)  # kept from here on

    def posterior(self, taken: Mapping[Observable, Measured], repaired: Collection[str] = ()) -> tuple[Array, float]:
        """How likely the good unit and each mistake are (1 + mistakes,), and that none of them is it; together one. Those whose ids are
        among what was ``repaired`` already are seldom made again."""
        share, unexplained = self.in_states(taken, repaired)
        return self._of_mistakes(share), unexplained

    def _of_mistakes(self, share: Array) -> Array:
        """(1 + mistakes,) from shares of all their states."""
        out: Array = np.bincount(self.states, share).astype(float)
        return out

    def in_states(self, taken: Mapping[Observable, Measured], repaired: Collection[str] = (), rung: Collection[Observable] = ()) -> tuple[Array, float]:
        """The same of each state of rest (states,); beforehand one is as likely as the other. Wires of which all was ``rung`` out have seldom come off since."""
        known, apart, besides = likelihoods(self, taken)
        weight = self.weights * np.where([m.id in repaired for m in self.mistakes], AGAIN, 1.0) if repaired else self.weights
        usually = weight.sum()
        if not self.wiring:  # mistakes with wires come beside all that may be wrong else, in nobody's place
            sound = rung_out(self.kit, self.mistakes, rung) if rung else ()
            usually = weight[[not m.wired for m in self.mistakes]].sum() or usually
            weight = weight * [SINCE if m.id in sound else 1.0 for m in self.mistakes]
        before = np.concatenate([[GOOD], (1.0 - GOOD - UNEXPLAINED) * weight / usually])
        before = (before / np.bincount(self.states))[self.states]
        # Heavy tails together are not what they are one by one: the two are compared one by one, and what comes of it is laid on the whole.
        usual = np.log(before / before.sum())
        several = np.logaddexp.reduce(usual + known) + np.logaddexp.reduce(usual + besides) - np.logaddexp.reduce(usual + apart)
        log = np.concatenate([np.log(before) + known, [math.log(UNEXPLAINED) + several]])
        share = np.exp(log - log.max())
        share /= share.sum()
        return share[:-1], float(share[-1])

    def rank(self, taken: Mapping[Observable, Measured], only: Collection[str] = (), repaired: Collection[str] = (), skipped: Collection[Observable] = (), empty: bool = False, rung: Collection[Observable] = ()) -> Ranking:
        """What the readings taken so far say, and what to take next: of ``only`` these quantities, where any are named, and none of those that are
        out of reach; under power with the sockets ``empty`` or not, as they are. ``rung`` are the readings of wires that were passed before."""
        share, unexplained = self.in_states(taken, repaired, rung)
        likely = self._of_mistakes(share)
        groups: list[tuple[list[int], float]] = []
        looked, lifted = ([row for row, r in enumerate(self.readings) if r.quantity == kind and r.of in taken] for kind in ("look", "lifted"))
        wrong = {self.readings[row].part for row in looked if taken[self.readings[row].of].value > 0.5}
        order = np.argsort(-likely[1:], kind="stable") + 1
        free = np.ones(likely.size, dtype=bool)
        for k in order:
            if free[k]:  # the likeliest left, with all that is like it; what was looked at parts those that no meter does
                alike = free & self.same[k] & (self.shows[looked] == self.shows[looked, k][:, None]).all(axis=0) & ~self._parted(k, lifted)
                members = order[alike[order]].tolist()
                free[members] = False
                groups.append((members, float(likely[members].sum())))
        groups.sort(key=lambda g: -g[1])
        named = tuple(
            Group(tuple(self.mistakes[k - 1] for k in members), share, self._silent(members[0], wrong, lifted))
            for members, share in groups
        )
        return Ranking(named, float(likely[0]), unexplained, next_reading(self, share, taken, only, unexplained, skipped, empty))

    def _silent(self, mistake: int, wrong: set[str], lifted: list[int]) -> bool:
        """Whether it reads as a good unit does, with no leg lifted that would show it; nor were parts it concerns seen to be ``wrong``."""
        return bool(self.same[0, mistake]) and not self._parted(0, lifted)[mistake] and not wrong & set(self.mistakes[mistake - 1].refs)

    def _parted(self, mistake: int, lifted: list[int]) -> NDArray[np.bool_]:
        """(1 + mistakes,): which of these readings of parts by themselves tell a mistake from the others."""
        if not lifted:
            return np.zeros(1 + len(self.mistakes), dtype=bool)
        middle, wide = (part[lifted, : 1 + len(self.mistakes)] for part in self.compared)
        apart = (middle - middle[:, [mistake]]) ** 2 > APART**2 * (wide + wide[:, [mistake]])
        return np.asarray(apart.any(axis=0))

    def indistinct(self, mistake: Mistake) -> bool:
        """Whether no reading of the table tells a mistake from a good unit: only looking does, or a tone."""
        return bool(self.same[0, 1 + self.mistakes.index(mistake)])
