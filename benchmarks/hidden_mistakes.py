"""Hidden single mistakes, found by readings that Nuvlo chooses: how often, after how many, and how honest the stated probabilities are."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from nuvlo.instruments.practice import PracticeBench
from nuvlo.instruments.protocols import InstrumentError
from nuvlo.kit import Kit
from nuvlo.model.diagnosis import Diagnosis, Ranking
from nuvlo.model.mistakes import Mistake
from nuvlo.model.probes import Reading
from nuvlo.quantity import Measured

MOST_READINGS = 6


@dataclass
class Score:
    """Of ``tried`` units with a mistake in them: those whose group came first, and among the first three."""

    tried: int = 0
    silent: int = 0  # of these, those that no reading tells from a good unit
    first: int = 0
    three: int = 0
    readings: list[int] = field(default_factory=list)  # to a group with nine chances in ten
    stated: list[tuple[float, bool]] = field(default_factory=list)  # chance of the first group, and whether it was the one
    called_good: int = 0  # of those with a mistake that a reading would show
    good: int = 0
    good_called: int = 0


def taken_by(bench: PracticeBench, r: Reading) -> Measured | None:
    """What the bench shows; nothing where the display does not settle."""
    try:
        return bench.take(r)
    except InstrumentError:
        return None


def play(d: Diagnosis, hidden: Mistake | None, seed: int, chosen: bool) -> tuple[Ranking, int]:
    """The ranking after at most six readings, chosen by Nuvlo or at random, and after how many the first group had nine chances in ten."""
    bench = PracticeBench(d.kit, seed, *([hidden] if hidden else []))
    dice = np.random.default_rng(seed)
    taken: dict[tuple[str, str], Measured] = {}
    tried: set[tuple[str, str]] = set()
    sure, ranking = MOST_READINGS + 1, d.rank(taken)
    for count in range(1, MOST_READINGS + 1):
        left = [r for r in d.readings if r.key not in tried]
        if not left:
            break
        r = ranking.next[0] if chosen and ranking.next and ranking.next[0].key not in tried else left[int(dice.integers(len(left)))]
        tried.add(r.key)
        shown = taken_by(bench, r)
        if shown is not None:
            taken[r.key] = shown
        ranking = d.rank(taken)
        if sure > MOST_READINGS and max(ranking.nothing_shown, *(g.probability for g in ranking.groups[:1])) > 0.9:
            sure = count
    return ranking, sure


def score(kit: Kit, count: int, seed: int, chosen: bool = True, good: int = 0) -> Score:
    d = Diagnosis(kit)
    dice = np.random.default_rng(seed)
    weight = d.weights
    out = Score()
    for k in range(count):
        hidden = d.mistakes[int(dice.choice(len(d.mistakes), p=weight / weight.sum()))]
        ranking, sure = play(d, hidden, seed + 1000 + k, chosen)
        at = next((n for n, g in enumerate(g for g in ranking.groups if not g.silent) if hidden in g.mistakes), 999)
        silent = d.indistinct(hidden)
        out.tried += 1
        out.silent += silent
        out.first += at == 0 and not silent
        out.three += at < 3 and not silent
        out.readings.append(sure)
        accused = ranking.accused.probability if ranking.accused else 0.0
        called_good = ranking.nothing_shown > accused
        out.stated.append((ranking.nothing_shown, silent) if called_good else (accused, at == 0))
        out.called_good += called_good and not silent
    for k in range(good):
        ranking, _ = play(d, None, seed + 9000 + k, chosen)
        out.good += 1
        out.good_called += ranking.nothing_shown > max(ranking.accused.probability if ranking.accused else 0.0, ranking.unexplained)
    return out
