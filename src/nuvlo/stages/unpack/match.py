"""Which measured part goes where, so that pairs, channels and differential legs agree best."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from nuvlo.circuit.circuit import Array
from nuvlo.kit import Kit
from nuvlo.model.results import results, unit_of
from nuvlo.problems import NuvloError, Problem

TURNS = 40


@dataclass(frozen=True)
class Matching:
    """``places`` says which measured part (by the reference it was measured under) goes to each place.

    Mismatch is the largest relative difference within a pair; ``effects`` are (result, unit, before, after).
    """

    places: dict[str, str]
    before: float
    after: float
    effects: tuple[tuple[str, str, float, float], ...]


def match(kit: Kit, measured: Mapping[str, float]) -> Matching:
    """Assign measured parts to the places of the kit's pairs. ``measured`` by reference; spares under names of their own.

    Only parts that are alike (kind and printed value) change places. Raises :class:`NuvloError` where the kit names no
    pairs or nothing of them was measured.
    """
    pairs = [pair for m in kit.info.match for pair in m.pairs]
    if not pairs:
        raise NuvloError(Problem(f"{kit.name} names no pairs to match.", "Add [[match]] with pairs to kit.toml."))
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
        places, mismatch(pairs, start, known), mismatch(pairs, places, known), _effects(kit, start, places, known)
    )


def mismatch(pairs: list[tuple[str, str]], places: Mapping[str, str], values: Mapping[str, float]) -> float:
    """Largest relative difference within a pair."""
    both = [(values[places[a]], values[places[b]]) for a, b in pairs if a in places and b in places]
    return max((abs(x - y) / max(abs(x + y) / 2, 1e-300) for x, y in both), default=0.0)


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
    """Seconds of pairs are assigned to firsts at the least total difference, firsts chosen anew, until nothing changes."""
    mine = [(a, b) for a, b in pairs if a in items and b in items]
    if not mine:
        return
    values = np.array([known[i] for i in items])
    order = np.argsort(values)
    # Begin with neighbours in size: the closest ones first, as many as there are pairs.
    gaps = np.diff(values[order])
    taken: set[int] = set()
    starts: list[tuple[int, int]] = []
    for k in np.argsort(gaps, kind="stable"):
        if len(starts) < len(mine) and k not in taken and k + 1 not in taken:
            taken |= {int(k), int(k) + 1}
            starts.append((int(order[k]), int(order[k + 1])))
    if len(starts) < len(mine):  # what is left makes the rest
        left = [int(order[k]) for k in range(len(items)) if k not in taken]
        starts += list(zip(left[0::2], left[1::2], strict=False))[: len(mine) - len(starts)]
    best = _improved(starts, values)
    for (a, b), (first, second) in zip(mine, best, strict=False):
        if items[first] == b or items[second] == a:  # nothing is moved that need not be
            first, second = second, first
        places[a], places[b] = items[first], items[second]


def _improved(starts: list[tuple[int, int]], values: Array) -> list[tuple[int, int]]:
    from scipy.optimize import linear_sum_assignment  # heavy: not before it is needed

    firsts = [a for a, _ in starts]
    chosen = list(starts)
    cost = sum((values[a] - values[b]) ** 2 for a, b in chosen)
    for _ in range(TURNS):
        rest = [k for k in range(len(values)) if k not in firsts]
        table = (values[firsts][:, None] - values[rest]) ** 2
        rows, columns = linear_sum_assignment(table)
        fresh = [(firsts[r], rest[c]) for r, c in zip(rows, columns, strict=True)]
        now = float(table[rows, columns].sum())
        if now >= cost - 1e-30:
            break
        chosen, cost = fresh, now
        firsts = [b for _, b in chosen]  # the other halves take their turn
    return chosen


def _effects(
    kit: Kit, before: Mapping[str, str], after: Mapping[str, str], known: Mapping[str, float]
) -> tuple[tuple[str, str, float, float], ...]:
    """What mismatch does to the results the kit names, solved with the measured values in either order."""
    aims = [aim for m in kit.info.match for aim in m.aim]
    if not aims or kit.circuit is None:
        return ()
    overrides = {}
    for ref in before:
        element, part = kit.element_of(ref), kit.part(ref)
        if element is not None and part.value is not None and not element.startswith("x"):
            overrides[element] = np.array([known[before[ref]], known[after[ref]]])
    if not overrides:
        return ()
    found = results(kit.circuit, aims, overrides)
    return tuple((a.name, unit_of(a), float(found[a.name][0]), float(found[a.name][1])) for a in aims)
