"""Which measured part goes where, so that pairs, channels and differential legs agree best."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from nuvlo.arrays import Array
from nuvlo.kit import Kit
from nuvlo.model.results import results, unit_of
from nuvlo.problems import NuvloError, Problem
from nuvlo.quantity.uncertainty import doubt_of_difference


@dataclass(frozen=True)
class Matching:
    """``places`` says which measured part (by the reference it was measured under) goes to each place.

    Mismatch is the largest relative difference within a pair; the meter's error cancels in it but for ``doubt``, what the last
    digits leave (a fraction, k = 2). ``effects`` are (result, unit, before, after). ``volts`` before and after are how far apart transistors are,
    whose reading is a junction's: 18 mV of it are a factor of two in current, whatever the share.
    """

    places: dict[str, str]
    before: float
    after: float
    doubt: float
    effects: tuple[tuple[str, str, float, float], ...]
    volts: tuple[float, float] | None = None


def match(kit: Kit, measured: Mapping[str, float]) -> Matching:
    """Assign measured parts to the places of the kit's pairs. ``measured`` by reference; spares under names of their own.

    Only parts that are alike (kind and printed value) change places. Raises :class:`NuvloError` where the kit names no
    pairs or nothing of them was measured.
    """
    pairs = [pair for m in kit.info.match for pair in m.pairs]
    if not pairs:
        raise NuvloError(Problem(f"{kit.name} names no pairs to match.", "Add [[match]] with pairs to kit.toml."))
    refs = [ref for pair in pairs for ref in pair]
    twice = next((ref for ref in refs if refs.count(ref) > 1), "")
    if twice:
        raise NuvloError(
            Problem(f"{twice} stands in two pairs.", "In [[match]] of kit.toml each part belongs to one pair.")
        )
    known = {ref.upper(): value for ref, value in measured.items()}
    places = {ref: ref for pair in pairs for ref in pair if ref in known}
    if not any(a in known and b in known for a, b in pairs):
        raise NuvloError(
            Problem("no pair has both its parts measured.", f"Measure {pairs[0][0]} and {pairs[0][1]} first.")
        )
    for sort in _sorts(kit, pairs, known):
        _settle(sort, pairs, known, places)
    start = {ref: ref for ref in places}
    return Matching(
        places, mismatch(pairs, start, known), mismatch(pairs, places, known),
        max(doubt_of_difference(known[ref]) for ref in places), _effects(kit, start, places, known), _volts(kit, pairs, start, places, known),
    )  # fmt: skip


def mismatch(pairs: list[tuple[str, str]], places: Mapping[str, str], values: Mapping[str, float]) -> float:
    """Largest relative difference within a pair."""
    both = [(values[places[a]], values[places[b]]) for a, b in pairs if a in places and b in places]
    return max((abs(x - y) / max(abs(x + y) / 2, 1e-300) for x, y in both), default=0.0)


def _volts(kit: Kit, pairs: list[tuple[str, str]], start: Mapping[str, str], after: Mapping[str, str], values: Mapping[str, float]) -> tuple[float, float] | None:
    mine = [(a, b) for a, b in pairs if a in start and b in start and kit.part(a).kind == "transistor"]
    if not mine:
        return None
    before, then = (max(abs(values[places[a]] - values[places[b]]) for a, b in mine) for places in (start, after))
    return before, then


def _sorts(kit: Kit, pairs: list[tuple[str, str]], known: Mapping[str, float]) -> list[list[str]]:
    """Items that may change places: those of one kind and printed value, and spares near it."""
    groups: dict[tuple[str, str], list[str]] = {}
    paired = {ref for pair in pairs for ref in pair}
    for ref in known:
        part = kit.find_part(ref)
        if part is not None and (ref in paired):
            groups.setdefault((part.kind, part.text), []).append(ref)
    for ref, value in known.items():
        if kit.find_part(ref) is None and groups:  # a spare: it belongs to the sort it lies nearest to
            nearest = min(groups, key=lambda g: abs(np.log(max(value, 1e-30) / max(known[groups[g][0]], 1e-30))))
            groups[nearest].append(ref)
    return [g for g in groups.values() if len(g) > 1]


def _settle(items: list[str], pairs: list[tuple[str, str]], known: Mapping[str, float], places: dict[str, str]) -> None:
    """Give the pairs of places those items that differ least in sum of squares; where nothing is won nothing is moved."""
    mine = [(a, b) for a, b in pairs if a in items and b in items]
    if not mine:
        return
    values = np.array([known[i] for i in items])
    chosen = closest_pairs(values, len(mine))
    squares = sum((values[a] - values[b]) ** 2 for a, b in chosen)
    if sum((known[a] - known[b]) ** 2 for a, b in mine) <= squares * (1 + 1e-12):
        return
    from scipy.optimize import linear_sum_assignment  # heavy: not before it is needed

    # Which pair of items goes to which places: so that the fewest parts are moved.
    ways = [[(a, b), (b, a)] for a, b in ((items[x], items[y]) for x, y in chosen)]
    moved = np.array(
        [[min(sum(x != y for x, y in zip(way, pair, strict=True)) for way in two) for two in ways] for pair in mine]
    )
    for row, column in zip(*linear_sum_assignment(moved), strict=True):
        pair = mine[row]
        places[pair[0]], places[pair[1]] = min(
            ways[column], key=lambda way: sum(x != y for x, y in zip(way, pair, strict=True))
        )


def closest_pairs(values: Array, count: int) -> list[tuple[int, int]]:
    """``count`` disjoint pairs of ``values`` (n,), as indices, with the least sum of squared differences.

    The best pairs are neighbours in size (two pairs that cross or lie within each other are never better than uncrossed),
    so going up the sorted values and taking or leaving each pair of neighbours finds the optimum in n · count steps.
    """
    order = np.argsort(values, kind="stable")
    gaps = np.diff(values[order]) ** 2
    least = np.full((len(values) + 1, count + 1), np.inf)  # of the first so many values, with so many pairs
    least[:, 0] = 0.0
    for n in range(2, len(values) + 1):
        least[n, 1:] = np.minimum(least[n - 1, 1:], least[n - 2, :-1] + gaps[n - 2])
    out: list[tuple[int, int]] = []
    n, left = len(values), count
    while left:
        if least[n, left] == least[n - 1, left]:
            n -= 1
        else:
            out.append((int(order[n - 2]), int(order[n - 1])))
            n, left = n - 2, left - 1
    return out[::-1]


def _effects(
    kit: Kit, before: Mapping[str, str], after: Mapping[str, str], known: Mapping[str, float]
) -> tuple[tuple[str, str, float, float], ...]:
    """What mismatch does to the results the kit names, solved with the measured values in either order."""
    aims = [aim for m in kit.info.match for aim in m.aim]
    if not aims or kit.unit is None:
        return ()
    overrides = {}
    for ref in before:
        element, part = kit.element_of(ref), kit.part(ref)
        if element is not None and part.value is not None and not element.startswith("x"):
            overrides[element] = np.array([known[before[ref]], known[after[ref]]])
    if not overrides:
        return ()
    found: dict[str, Array] = {}
    for question in kit.info.match:
        if question.aim:
            found |= results(kit.asked_in(question), question.aim, overrides)
    return tuple((a.name, unit_of(a), float(found[a.name][0]), float(found[a.name][1])) for a in aims)
