"""How often the true mistake is named, of units solved elsewhere: beside units of the model's own, asked in the same way."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import partial

import numpy as np

from benchmarks.elsewhere import BESIDE_THE_LIST, Elsewhere, Fault, Key, KitText, planted, varied
from benchmarks.hidden_mistakes import own_windows, pick, told_by
from nuvlo.diagnosis.diagnosis import Diagnosis, Group, Ranking
from nuvlo.diagnosis.probes import Reading
from nuvlo.instruments.practice import PracticeBench
from nuvlo.model import Window
from nuvlo.model.asked import ringing_out
from nuvlo.quantity import Measured, Verdict, judge

METERED = ("voltage", "current", "resistance", "capacitance", "tone", "lifted")
FEW_READINGS, MOST_READINGS, SURE, WORTH_BITS = 10, 30, 0.9, 0.01
MOST_PARTS = 3  # that a group may name, to be first
GOOD_UNITS = 24  # of which a window is made
WIDER = 0.25  # of what good units span, more on either side


@dataclass
class Tally:
    tried: int = 0
    visible: int = 0
    first: int = 0
    soon: int = 0  # first after few readings already
    three: int = 0
    by_kind: Counter[tuple[str, str]] = field(default_factory=Counter)
    asked: list[int] = field(default_factory=list)
    good: int = 0
    good_called: int = 0
    visible_good: int = 0  # visible ones that were called good
    innocent: int = 0  # others accused with more than 0.6
    missed: list[str] = field(default_factory=list)


def wilson(hits: int, tried: int, z: float = 1.96) -> tuple[float, float]:
    """Interval of a share (E. B. Wilson, J. Am. Stat. Assoc. 22, 1927)."""
    if not tried:
        return 0.0, 1.0
    share, more = hits / tried, z * z / tried
    middle, half = (share + more / 2) / (1 + more), z * math.sqrt(share * (1 - share) / tried + more / (4 * tried)) / (1 + more)
    return middle - half, middle + half


def windows_elsewhere(bench: Elsewhere, kit: KitText, seed: int) -> dict[Key, tuple[float, float]]:
    """Between what good units read there."""
    seen: dict[Key, list[float]] = {}
    for k in range(GOOD_UNITS):
        for key, shown in bench.read(varied(kit, np.random.default_rng([seed, 55, k])), seed * 1000 + k).items():
            seen.setdefault(key, []).append(shown.value)
    out = {}
    for key, values in seen.items():
        low, high = min(values), max(values)
        more = WIDER * (high - low) if math.isfinite(high - low) else 0.0
        out[key] = low - more, high + more
    return out


def out_of(window: tuple[float, float], shown: Measured) -> bool:
    low, high = window
    return shown.value + shown.uncertainty < low or shown.value - shown.uncertainty > high


def parts_of(group: Group) -> set[str]:
    return {ref for m in group.mistakes for ref in m.refs}


def names(group: Group, refs: tuple[str, ...]) -> bool:
    """Whether a group says of at most three parts that it is one of these; of a supply, that it is that."""
    said = parts_of(group)
    return len(said) <= MOST_PARTS and (bool(said & set(refs)) if refs else any(m.kind == "supply" for m in group.mistakes))


def ask(d: Diagnosis, windows: Sequence[Window], taken: Callable[[Reading], Mapping[Key, Measured]]) -> tuple[Ranking, Ranking, int]:
    """The ranking after a few readings and at the end of a hunt as a builder goes about it, and how many readings Nuvlo asked for: the kit's own
    readings up to the first out of its window, then whatever is asked for, until it is nine chances in ten that it is one of a few parts or there is
    nothing more to ask."""
    known: dict[Key, Measured] = {}
    rows = {r.of: r for r in d.readings}
    for w in windows:
        key = w.of
        shown = taken(rows[key]) if key in rows else {}
        known.update(shown)
        if key in shown and judge(shown[key], w.low, w.high) is Verdict.OUT:
            break
    tried, rung = set(known), ringing_out(d.kit)  # which Hook up had passed
    ranking = soon = d.rank(known, METERED, rung=rung)
    for count in range(MOST_READINGS):
        soon = ranking if count <= FEW_READINGS else soon
        sure = ranking.accused and ranking.accused.probability > SURE and len(parts_of(ranking.accused)) <= MOST_PARTS
        if ranking.next is None or ranking.next[1] < WORTH_BITS or sure:
            return soon, ranking, count
        tried.add(ranking.next[0].of)
        known.update(taken(ranking.next[0]))
        ranking = d.rank(known, METERED, skipped=tried, rung=rung)
    return soon, ranking, MOST_READINGS


def place_of(ranking: Ranking, fault: Fault) -> int:
    """At which place of the list a mistake is named; nowhere, 999."""
    return next((k for k, g in enumerate(g for g in ranking.groups if not g.silent) if names(g, fault.refs)), 999)


def is_first(ranking: Ranking, fault: Fault) -> bool:
    return place_of(ranking, fault) == 0 and ranking.accused is not None and ranking.accused.probability >= ranking.nothing_shown


def judged(tally: Tally, soon: Ranking, ranking: Ranking, asked: int, fault: Fault) -> None:
    tally.asked.append(asked)
    accused, at, first = ranking.accused, place_of(ranking, fault), is_first(ranking, fault)
    tally.visible += 1
    tally.visible_good += ranking.nothing_shown > 0.5
    tally.innocent += not first and accused is not None and accused.probability > 0.6
    tally.soon += is_first(soon, fault)
    tally.first += first
    tally.three += at < 3
    tally.by_kind[fault.kind, "first" if first else "not"] += 1
    if not first:
        said = f"{accused.probability:.2f} {[m.text for m in accused.mistakes][:3]}" if accused else "nobody"
        tally.missed.append(f"{fault.says}: {said}; at {at}, good {ranking.nothing_shown:.2f}, none {ranking.unexplained:.2f}")


def score_elsewhere(d: Diagnosis, kit: KitText, units: int, seed: int) -> tuple[Tally, Tally]:
    """Of mistakes of the list, with good units besides, and of others."""
    bench = Elsewhere(kit, d.readings)
    windows, own = windows_elsewhere(bench, kit, seed), own_windows(d.kit)
    listed, others = Tally(), Tally()
    for k in range(units):
        unit, fault = planted(kit, seed * 100_000 + k)
        tally = others if fault.kind in BESIDE_THE_LIST else listed
        tally.tried += 1
        read = bench.read(unit, seed * 100_000 + k)
        if len(read) >= len(windows) / 2 and any(out_of(windows[key], shown) for key, shown in read.items() if key in windows and key.quantity != "lifted"):
            judged(tally, *ask(d, own, partial(one_of, read)), fault)
    for k in range(units // 3):
        read = bench.read(varied(kit, np.random.default_rng([seed, 77, k])), seed * 100_000 + 50_000 + k)
        good_unit(listed, ask(d, own, partial(one_of, read))[1])
    return listed, others


def score_own(d: Diagnosis, units: int, seed: int) -> Tally:
    """The same of units made by the model itself, with mistakes of its own list that it says a meter shows."""
    tally, own, dice = Tally(), own_windows(d.kit), np.random.default_rng(seed)
    for k in range(units):
        hidden = pick(d, dice)
        tally.tried += 1
        if not d.indistinct(hidden):
            bench = PracticeBench(d.kit, seed + 1000 + k, hidden)
            judged(tally, *ask(d, own, partial(told_by, bench)), Fault(hidden.kind, hidden.text, hidden.refs))
    for k in range(units // 3):
        good_unit(tally, ask(d, own, partial(told_by, PracticeBench(d.kit, seed + 9000 + k)))[1])
    return tally


def one_of(read: Mapping[Key, Measured], r: Reading) -> dict[Key, Measured]:
    return {r.of: read[r.of]} if r.of in read else {}


def good_unit(tally: Tally, ranking: Ranking) -> None:
    tally.good += 1
    tally.good_called += ranking.nothing_shown > max(ranking.unexplained, ranking.accused.probability if ranking.accused else 0.0)


def added(tallies: Sequence[Tally]) -> Tally:
    out = Tally()
    for t in tallies:
        for name in ("tried", "visible", "soon", "first", "three", "good", "good_called", "visible_good", "innocent"):
            setattr(out, name, getattr(out, name) + getattr(t, name))
        out.asked += t.asked
        out.by_kind += t.by_kind
    return out


def share(hits: int, tried: int) -> str:
    """A share with its 95 % interval."""
    low, high = wilson(hits, tried)
    return f"{hits / tried:.2f} [{low:.2f} {high:.2f}]" if tried else "-".center(16)


HEADS = f"{'':11s} {'units of the model: first':>26s} {'three':>6s} {'good':>6s} | {'elsewhere, of the list':>23s} {'three':>6s} {'beside it':>17s} {'all: in ten':>17s} {'first':>17s} {'good':>17s} {'called good':>11s} {'innocent':>9s} {'asked':>6s}"


def row(name: str, own: Tally, listed: Tally, others: Tally) -> str:
    """One kit: shares of the visible; good units called good; visible ones called good, innocents over 0.6; readings asked for, as median."""
    both = added([listed, others])
    many = max(both.visible, 1)
    return (
        f"{name:11s} {own.visible:8d} {share(own.first, own.visible):>17s} {own.three / max(own.visible, 1):6.2f} {own.good_called / max(own.good, 1):6.2f} |"
        f" {listed.visible:5d} {share(listed.first, listed.visible):>17s} {listed.three / max(listed.visible, 1):6.2f} {share(others.first, others.visible):>17s}"
        f" {share(both.soon, both.visible):>17s} {share(both.first, both.visible):>17s} {share(listed.good_called, listed.good):>17s} {both.visible_good / many:11.2f} {both.innocent / many:9.2f} {np.median(both.asked or [0]):6.0f}"
    )
