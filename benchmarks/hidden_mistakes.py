"""Hidden single mistakes, found by readings that Nuvlo chooses: how often, after how many, and how honest the stated probabilities are."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from nuvlo.diagnosis.diagnosis import GOOD, UNEXPLAINED, Diagnosis, Ranking
from nuvlo.diagnosis.mistakes import Mistake
from nuvlo.diagnosis.probes import SENSES, Reading
from nuvlo.instruments.bench import observed
from nuvlo.instruments.practice import PracticeBench
from nuvlo.instruments.protocols import InstrumentError
from nuvlo.kit import Kit
from nuvlo.measurement import Observable
from nuvlo.model import Window, asked
from nuvlo.model.working import WorkingModel
from nuvlo.quantity import Measured, Verdict, judge

MOST_READINGS = 6
PLAINLY, BEYOND = 6.0, 3.0  # doubts of a meter, and spreads of what tolerances do


@dataclass
class Score:
    """Of ``tried`` units with a mistake in them: those whose group came first, and among the first three."""

    tried: int = 0
    silent: int = 0  # of these, those that no meter tells from a good unit: only looking does
    first: int = 0
    three: int = 0
    readings: list[int] = field(default_factory=list)  # to a group with nine chances in ten
    stated: list[tuple[float, bool]] = field(default_factory=list)  # chance of the first answer, and whether it was the one
    good: int = 0
    good_called: int = 0
    two: int = 0
    two_called: int = 0  # that no single mistake explains all the kit's own readings
    two_shown: int = 0  # of these, those that plainly read otherwise than either mistake alone
    two_shown_called: int = 0

    @property
    def shown(self) -> int:
        return self.tried - self.silent

    @property
    def off(self) -> float:
        """Expected calibration error of the stated chances, in ten bins (M. Naeini, G. Cooper, M. Hauskrecht, AAAI 2015)."""
        if not self.stated:
            return 0.0
        chance, right = np.array([p for p, _ in self.stated]), np.array([r for _, r in self.stated], dtype=float)
        bins = np.minimum((chance * 10).astype(int), 9)
        return float(sum(abs(chance[bins == b].sum() - right[bins == b].sum()) for b in range(10)) / chance.size)


def told_by(bench: PracticeBench, r: Reading) -> dict[Observable, Measured]:
    """All that a reading tells; nothing where the display does not settle."""
    try:
        return observed(bench, r)
    except InstrumentError:
        return {}


def taken_by(bench: PracticeBench, r: Reading) -> Measured | None:
    """What the bench shows; nothing where the display does not settle."""
    try:
        return bench.take(r.of)
    except InstrumentError:
        return None


def to_a_stop(d: Diagnosis, bench: PracticeBench, windows: Sequence[Window]) -> dict[Observable, Measured]:
    """The kit's own readings in their order, up to the first out of its window."""
    rows, taken = {r.of: r for r in d.readings}, {}
    for w in windows:
        key = w.of
        shown = taken_by(bench, rows[key]) if key in rows else None
        if shown is not None:
            taken[key] = shown
            if judge(shown, w.low, w.high) is Verdict.OUT:
                break
    return taken


def own_windows(kit: Kit) -> list[Window]:
    """Those of Wake and Prove, in the order in which they are read."""
    model = WorkingModel(kit)
    cold = model.predict([*(asked.at_points(kit) if kit.passive else asked.across_supplies(kit)), *asked.cold(kit)])
    return cold + (model.predict(asked.powered(kit)) if kit.info.supply else []) + model.predict(asked.tones(kit))


def play(d: Diagnosis, hidden: Sequence[Mistake], seed: int, chosen: bool, windows: Sequence[Window] = ()) -> tuple[Ranking, int]:
    """The ranking after at most six readings, chosen by Nuvlo or at random, and after how many the first answer had nine chances in ten. Before
    them nothing was read, or, where there are ``windows``, what is read up to a stop. A look is one reading, whatever lies in its field."""
    bench = PracticeBench(d.kit, seed, *hidden)
    dice = np.random.default_rng(seed)
    taken = to_a_stop(d, bench, windows)
    tried: set[Observable] = set()
    sure, ranking = MOST_READINGS + 1, d.rank(taken, rung=asked.ringing_out(d.kit))
    for count in range(1, MOST_READINGS + 1):
        left = [r for r in d.readings if r.of not in tried | taken.keys()]
        if not left:
            break
        r = ranking.next[0] if chosen and ranking.next else left[int(dice.integers(len(left)))]
        taken.update(told_by(bench, r))
        tried.add(r.of)  # where the display does not settle, too
        ranking = d.rank(taken, skipped=tried, rung=asked.ringing_out(d.kit))
        if sure > MOST_READINGS and max(ranking.nothing_shown, *(g.probability for g in ranking.groups[:1])) > 0.9:
            sure = count
    return ranking, sure


def pick(d: Diagnosis, dice: np.random.Generator) -> Mistake:
    """A mistake as often as each is made, of those that a practice bench can hide: with parts."""
    weights = d.weights * [not m.wired for m in d.mistakes]
    return d.mistakes[int(dice.choice(len(d.mistakes), p=weights / weights.sum()))]


def score(d: Diagnosis, count: int, seed: int, chosen: bool = True, good: int = 0, two: int = 0, windows: Sequence[Window] = ()) -> Score:
    """``count`` units with one mistake each, ``good`` ones without, and some with ``two`` that a meter shows, in different parts. The stated
    chances are looked at over units as they are taken to be beforehand: some with one mistake, some with none."""
    dice = np.random.default_rng(seed)
    out = Score()
    for k in range(count):
        hidden = pick(d, dice)
        ranking, sure = play(d, [hidden], seed + 1000 + k, chosen, windows)
        at = next((n for n, g in enumerate(g for g in ranking.groups if not g.silent) if hidden in g.mistakes), 999)
        silent = d.indistinct(hidden)
        out.tried += 1
        out.silent += silent
        out.first += at == 0 and not silent
        out.three += at < 3 and not silent
        out.readings.append(sure)
        accused = ranking.accused.probability if ranking.accused else 0.0
        out.stated.append((ranking.nothing_shown, silent and at > 0) if ranking.nothing_shown > accused else (accused, at == 0))
    for k in range(good):
        ranking, _ = play(d, [], seed + 9000 + k, chosen)
        out.good += 1
        accused = ranking.accused.probability if ranking.accused else 0.0
        out.good_called += ranking.nothing_shown > max(accused, ranking.unexplained)
        if k < count * GOOD / (1.0 - GOOD - UNEXPLAINED):
            out.stated.append((max(ranking.nothing_shown, accused), ranking.nothing_shown > accused))
    own = [r for r in d.readings if r.quantity not in (*SENSES, "lifted") and not r.of.follows and not r.minutes]
    for k in range(two):
        pair = [pick(d, dice), pick(d, dice)]
        while set(pair[0].refs) & set(pair[1].refs) or any(d.indistinct(m) for m in pair):
            pair = [pick(d, dice), pick(d, dice)]
        taken = read_all(d, own, seed + 20_000 + k, *pair)
        ranking = d.rank(taken, rung=asked.ringing_out(d.kit))
        called = ranking.unexplained > max(ranking.nothing_shown, ranking.accused.probability if ranking.accused else 0.0)
        shown = all(differ(d, taken, read_all(d, own, seed + 20_000 + k, one), one) for one in pair)
        out.two += 1
        out.two_called += called
        out.two_shown += shown
        out.two_shown_called += called and shown
    return out


def read_all(d: Diagnosis, own: Sequence[Reading], seed: int, *hidden: Mistake) -> dict[Observable, Measured]:
    """All the kit's own readings of a unit with these mistakes."""
    bench = PracticeBench(d.kit, seed, *hidden)
    return {r.of: shown for r in own if (shown := taken_by(bench, r)) is not None}


def differ(d: Diagnosis, a: dict[Observable, Measured], b: dict[Observable, Measured], one: Mistake) -> bool:
    """Whether a unit reads ``a`` where with ``one`` mistake alone it would read ``b``, plainly: by more than the meter is in doubt, and than
    tolerances make of a unit with that mistake."""
    if a.keys() != b.keys():
        return True
    rows = {r.of: k for k, r in enumerate(d.readings)}
    here, there = (np.full((len(d.readings), 1), np.nan) for _ in range(2))
    for key in a:
        here[rows[key]], there[rows[key]] = a[key].value, b[key].value
    off = np.abs(d.scaled(here) - d.scaled(there))[:, 0]
    wide = np.sqrt((d.seen[1][:, 1 + d.mistakes.index(one)] ** 2).mean(axis=1))
    return any(off[rows[key]] > max(PLAINLY * d.doubt(rows[key], a[key]), BEYOND * wide[rows[key]]) for key in a if np.isfinite(off[rows[key]]))


HEADS = f"{'kit':11s} {'mistakes':>8s} {'tried':>5s} {'shown':>5s} {'first':>6s} {'three':>6s} {'random':>13s} {'from a stop':>13s} {'readings':>9s} {'off':>5s} {'good':>6s} {'two':>11s} {'table':>6s} {'next':>7s}"


def row(name: str, d: Diagnosis, found: Score, by_chance: Score, stopped: Score, table: float, asks: float) -> str:
    """One kit in a line: shares of what a meter shows, with nothing read before, by readings at random, and after what is read up to a stop; of two mistakes, where both show, and of all; readings to nine chances in ten as median and nine in ten; seconds of the table; ms of a ranking."""
    many, chance = max(found.shown, 1), max(by_chance.shown, 1)
    middle, most = np.quantile(found.readings, (0.5, 0.9), method="nearest") if found.readings else (0, 0)
    return (
        f"{name:11s} {len(d.mistakes):8d} {found.tried:5d} {found.shown:5d} {found.first / many:6.2f} {found.three / many:6.2f}"
        f" {by_chance.first / chance:6.2f} {by_chance.three / chance:6.2f} {stopped.first / max(stopped.shown, 1):6.2f} {stopped.three / max(stopped.shown, 1):6.2f} {int(middle):5d} {'>6' if most > MOST_READINGS else int(most):>3} {found.off:5.2f}"
        f" {found.good_called / max(found.good, 1):6.2f} {found.two_shown_called / max(found.two_shown, 1):6.2f} {found.two_called / max(found.two, 1):4.2f} {table:5.1f}s {1000 * asks:5.0f}ms"
    )
