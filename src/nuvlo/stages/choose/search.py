"""Say what you want, get values: preferred values tried all at once, the best judged by how many units would be right."""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from nuvlo import progress
from nuvlo.arrays import Array
from nuvlo.circuit.circuit import Circuit
from nuvlo.circuit.operating_point import operating_point
from nuvlo.circuit.small_signal import log_frequencies, responses
from nuvlo.circuit.variation import Law, sample
from nuvlo.files.drawer import Spare
from nuvlo.kit.schema import Aim, Move
from nuvlo.markings.marking import mantissas
from nuvlo.model.results import amount, results, unit_of
from nuvlo.problems import NuvloError, Problem
from nuvlo.quantity import format_value

SCREENED = 5000  # combinations tried at their nominal values in one go
JUDGED = 20  # of them judged by yield
UNITS_EACH = 200  # units of each judged
COARSE = {1: 6000, 2: 70, 3: 17, 4: 8}  # values tried of each move at first
NO_MATTER = {"V": 1e-7, "W": 5e-3}  # noise and heat below which nobody asks
STEPS_PER_OCTAVE = 6  # in which noise and heat are told apart: about 1 dB
DECIBELS = 0.5  # how near a wish in decibels is meant where nothing is said
SHARE = 0.05  # and any other


Drawn = tuple[Array, Array, Aim]  # frequencies (F,) Hz, dB (K, F), and the result they belong to


@dataclass(frozen=True)
class Proposal:
    """Values by part, the results with them, and the share of units that would meet every wish."""

    values: dict[str, float]
    results: dict[str, float]
    good: float
    miss: float  # of the nominal unit: 0 at the middle of every wish, 1 at the edge of one
    changed: int  # values that are not as printed
    new: int = 0  # and that are neither in the box nor in the drawer


@dataclass(frozen=True)
class Question:
    """What a search works on. ``laws`` are the spreads of everything that is not moved; ``names`` inputs of a recipe."""

    circuit: Circuit
    moves: tuple[Move, ...]
    aims: tuple[Aim, ...]
    laws: Mapping[str, Law]
    names: Mapping[str, float]
    tolerances: Mapping[str, float]
    drawer: tuple[Spare, ...] = ()
    told: tuple[Aim, ...] = ()  # what is found of the best only: their noise, their heat
    at_hand: tuple[tuple[str, float], ...] = ()  # (unit, value) of everything in the box or the drawer

    def is_new(self, move: Move, value: float) -> bool:
        """Whether a value would have to be bought."""
        return not any(unit == move.unit and np.isclose(value, known, rtol=1e-6) for unit, known in self.at_hand)

    def printed(self, element: str) -> float:
        """The value in the netlist, with the inputs in place."""
        found = self.circuit
        head, _, parameter = element.rpartition(".")
        if element in found.netlist.top.parameters:
            return float(found.elements[0].scope.root.value(element, dict(self.names)))
        if not head:
            return float(found.parameter(found.element(element), "value", dict(self.names)))
        inner = next(e for e in found.elements if e.scope.prefix == head + ".")
        return float(inner.scope.value(parameter, dict(self.names)))


def curves(q: Question, proposals: Sequence[Proposal]) -> Drawn | None:
    """Frequencies (F,), dB (K, F) of what each proposal does, and the aim it is drawn for; None where none is a response."""
    drawn = [a for a in q.aims if a.source and a.node and a.kind in ("corner_low", "corner_high", "peak", "gain")]
    shaped = [a for a in drawn if a.kind != "gain" or len({b.at for b in drawn if b.node == a.node}) > 1]
    aim = next(iter(shaped), None)  # what is flat tells nothing as a curve
    if aim is None or not proposals:
        return None
    moved: dict[str, float | Array] = {
        name: np.array([p.values[name] for p in proposals]) for name in proposals[0].values
    }
    frequency = log_frequencies(20.0, 20e3, 80)
    point = operating_point(q.circuit, {**q.names, **moved})
    found = responses(point, aim.source, [aim.node], frequency)[aim.node].magnitude_db
    return frequency, np.broadcast_to(found, (len(proposals), frequency.size)), aim


def candidates(move: Move, printed: float, names: Mapping[str, float], drawer: Sequence[Spare] = ()) -> Array:
    """Rising preferred values that ``move`` allows. Raises :class:`NuvloError` where there is none."""
    low, high = (
        float(amount(text, names)) if text is not None else printed * factor
        for text, factor in ((move.low, 0.1), (move.high, 10.0))
    )
    if not 0 < low <= high < np.inf:
        why = "there is nothing left for it" if not high > 0 else f"the least that would do, {format_value(low, move.unit)}, is more than the most, {format_value(high, move.unit)}"
        remedy = "Give it more to work from, or ask for less." if names else "Mend low and high of the choice."
        raise NuvloError(Problem(f"no '{move.element}' does this: {why}.", remedy, ref=move.element))
    if move.series == "drawer":
        every = np.unique([s.value for s in drawer if s.unit == move.unit])
    else:
        decades = range(int(np.floor(np.log10(low))) - 3, int(np.ceil(np.log10(high))) - 1)
        every = np.array(sorted(float(f"{m}e{d}") for m in mantissas(int(move.series[1:])) for d in decades))
    found = every[(every >= low * 0.9999) & (every <= high * 1.0001)]
    if not found.size:
        raise NuvloError(
            Problem(
                f"no value of {move.series} lies between {low:g} and {high:g}.", "Widen the span.", ref=move.element
            )
        )
    return np.asarray(found)


def search(question: Question, most: int = 5, seed: int = 1) -> list[Proposal]:
    """The best few sets of values, best first: those that most units would be right with."""
    q = question
    if not any(a.wanted or a.prefer for a in q.aims):
        raise NuvloError(
            Problem("nothing is wanted of these values.", "Give an aim want, at_least, at_most or prefer.")
        )
    ladders = [candidates(m, q.printed(m.element), q.names, q.drawer) for m in q.moves]
    found, misses, leanings = _screen(q, ladders)
    best = np.lexsort((leanings, misses))[:JUDGED]
    yields = judge(q, found[best], seed)
    nominal = _results(replace(q, aims=(*q.aims, *q.told)), found[best])
    printed = [q.printed(m.element) for m in q.moves]
    out = [
        Proposal(
            {e: float(v) for m, v in zip(q.moves, found[row], strict=True) for e in m.elements},
            {name: float(np.broadcast_to(values, len(best))[k]) for name, values in nominal.items()}, float(yields[k]), float(misses[row]),
            0 if q.names else int(sum(not np.isclose(v, p, rtol=1e-6) for v, p in zip(found[row], printed, strict=True))),
            int(sum(q.is_new(m, v) for m, v in zip(q.moves, found[row], strict=True))) if q.at_hand else 0,
        )
        for k, row in enumerate(best)
    ]  # fmt: skip
    # Among as many right units as these draws can tell apart: what sits nearer to what is wanted, what is preferred, what need not be bought,
    # what hisses or warms less by more than a little, what changes less.
    lean = {id(p): float(leanings[row]) for p, row in zip(out, best, strict=True)}

    def rank(p: Proposal) -> tuple[float, ...]:
        costs = [round(STEPS_PER_OCTAVE * np.log2(max(p.results[a.name], NO_MATTER[unit_of(a)]))) for a in q.told]
        return (round(4 * p.miss), lean[id(p)], p.new, *costs, p.changed, p.miss)

    left, ranked = sorted([p for p in out if p.good > 0] or out, key=lambda p: -p.good), []
    while left:
        alike = [p for p in left if left[0].good - p.good <= told_apart(left[0].good)]
        ranked += sorted(alike, key=rank)
        left = left[len(alike) :]
    return ranked[:most]


def told_apart(good: float) -> float:
    """By how much a share of right units must be less than ``good`` for the draws to tell: two standard deviations of it, and one unit."""
    return 2.0 * float(np.sqrt(good * (1.0 - good) / UNITS_EACH)) + 1.0 / UNITS_EACH


def _screen(q: Question, ladders: list[Array]) -> tuple[Array, Array, Array]:
    """(combinations, moves) tried, how far each misses and what it leans to (both less is better): all of them, or from
    a coarse grid ever finer."""
    steps = [np.unique(np.linspace(0, len(v) - 1, COARSE.get(len(ladders), 5)).round().astype(int)) for v in ladders]
    if np.prod([len(v) for v in ladders]) <= SCREENED:
        steps = [np.arange(len(v)) for v in ladders]
    rungs = np.array(list(itertools.product(*steps)))
    misses, leanings = _misses(q, ladders, rungs)
    stride = max(int(np.diff(s).max(initial=1)) for s in steps)
    while stride > 1:
        stride = -(-stride // 3) if stride > 3 else 1
        near = rungs[np.lexsort((leanings, misses))[: max(4, 400 // 3 ** len(ladders))]]
        shifts = np.array(list(itertools.product(*[range(-2, 3)] * len(ladders)))) * stride
        fresh = (near[:, None, :] + shifts).reshape(-1, len(ladders))
        fresh = np.clip(fresh, 0, [len(v) - 1 for v in ladders])
        fresh = np.unique(fresh, axis=0)
        fresh = fresh[~(fresh[:, None] == near).all(axis=2).any(axis=1)][:SCREENED]
        if fresh.size:
            more, lean = _misses(q, ladders, fresh)
            rungs, misses = np.concatenate([rungs, fresh]), np.concatenate([misses, more])
            leanings = np.concatenate([leanings, lean])
        _, once = np.unique(rungs, axis=0, return_index=True)
        rungs, misses, leanings = rungs[once], misses[once], leanings[once]
    return np.column_stack([v[rungs[:, k]] for k, v in enumerate(ladders)]), misses, leanings


def _misses(q: Question, ladders: list[Array], rungs: Array) -> tuple[Array, Array]:
    progress.pause(f"trying {len(rungs):,} sets of values")
    values = np.column_stack([v[rungs[:, k].astype(int)] for k, v in enumerate(ladders)])
    found = _results(q, values)
    lean = next((found[a.name] * (1.0 if a.prefer == "low" else -1.0) for a in q.aims if a.prefer), np.zeros(1))
    # What no move touches is one number for all of them.
    return np.broadcast_to(miss(q.aims, found, q.names), len(values)), np.broadcast_to(lean, len(values))


def _results(q: Question, values: Array) -> dict[str, Array]:
    moved = {e: values[:, k].copy() for k, m in enumerate(q.moves) for e in m.elements}
    return results(q.circuit, q.aims, {**q.names, **moved}, {**q.names, **moved})


def wishes(aim: Aim, names: Mapping[str, object]) -> tuple[float | Array, float | Array]:
    """Lower and upper edge of what an aim wishes, infinite where it sets none."""
    if aim.want is not None:
        want = np.asarray(amount(aim.want, names), float)
        within = amount(aim.within, names) if aim.within else DECIBELS if unit_of(aim) == "dB" else SHARE * np.abs(want)
        return want - within, want + within
    return (
        -np.inf if aim.at_least is None else amount(aim.at_least, names),
        np.inf if aim.at_most is None else amount(aim.at_most, names),
    )


def wish_words(aims: Sequence[Aim], names: Mapping[str, object]) -> str:
    """What is wanted, in words: ``through the lamp 700 µA to 900 µA``. Empty where nothing is."""
    out = []
    for aim in (a for a in aims if a.wanted):
        low, high = (float(np.ravel(edge)[0]) for edge in wishes(aim, names))
        unit, what = unit_of(aim), aim.says or aim.name
        if np.isinf(low):
            out.append(f"{what} at most {format_value(high, unit)}")
        elif np.isinf(high):
            out.append(f"{what} at least {format_value(low, unit)}")
        else:
            out.append(f"{what} {format_value(low, unit)} to {format_value(high, unit)}")
    return "; ".join(out)


def as_printed(q: Question) -> Proposal:
    """The values as they stand, with their results."""
    values = {e: q.printed(e) for m in q.moves for e in m.elements}
    found = results(q.circuit, (*q.aims, *q.told), {**q.names, **values}, {**q.names, **values})
    good = float(judge(q, np.array([[values[m.element] for m in q.moves]]), 1)[0])
    return Proposal(values, {k: float(v[0]) for k, v in found.items()}, good, float(miss(q.aims, found, q.names)[0]), 0)


def miss(aims: Sequence[Aim], found: Mapping[str, Array], names: Mapping[str, float]) -> Array:
    """(N,) how far each member is from the middle of the wishes: 1 is the edge of one, over 1 outside."""
    everything = {**names, **found}
    total: Array = np.zeros(1)
    for aim in (a for a in aims if a.wanted):
        low, high = wishes(aim, everything)
        value = found[aim.name]
        if aim.want is not None:
            off = np.abs(value - (low + high) / 2) / np.maximum((high - low) / 2, 1e-300)
        else:
            scale = np.maximum(SHARE * np.abs(np.where(np.isfinite(low), low, high)), 1e-12)
            short = np.maximum(low - value, value - high) / scale
            off = np.where(short > 0, 1.0 + short, 0.0)
        total = np.maximum(total, np.where(np.isfinite(off), off, 1e6))
    return total


def judge(q: Question, values: Array, seed: int) -> Array:
    """(K,) share of units that meet every wish, for K sets of values: all parts anywhere within their tolerances."""
    progress.pause(f"judging the best {len(values)}")
    units = sample(dict(q.laws), UNITS_EACH, seed)
    spread = sample({e: Law(1.0, 1 - (t := _tolerance(q, m)), 1 + t) for m in q.moves for e in m.elements}, UNITS_EACH, seed + 1)
    many = {name: np.tile(v, len(values)) for name, v in units.items()}
    for k, m in enumerate(q.moves):
        many |= {e: (values[:, k, None] * spread[e]).ravel() for e in m.elements}
    # What is only told need not be found for every unit, unless a formula may speak of it.
    needed = [a for a in q.aims if a.wanted or any(b.kind == "expression" and b.wanted for b in q.aims)]
    found = results(q.circuit, needed, {**q.names, **many}, {**q.names, **many})
    good = np.ones(len(values) * UNITS_EACH, dtype=bool)
    everything: dict[str, object] = {**q.names, **found}
    for aim in (a for a in q.aims if a.wanted):
        low, high = wishes(aim, everything)
        good &= (found[aim.name] >= low) & (found[aim.name] <= high)
    return np.asarray(good.reshape(len(values), UNITS_EACH).mean(axis=1))


def share_right(q: Question) -> float:
    """The same where nothing is moved."""
    return float(judge(q, np.zeros((1, 0)), 1)[0])


def _tolerance(q: Question, move: Move) -> float:
    return q.tolerances.get(move.element, move.tolerance)
