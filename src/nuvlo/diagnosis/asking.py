"""What to read next: the reading from which most bits are expected per minute of trouble."""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from nuvlo.arrays import Array
from nuvlo.diagnosis.information import bits_of, of_two, parts, roughly
from nuvlo.diagnosis.likelihood import expected, looked_at
from nuvlo.diagnosis.probes import BOARD, CLOSE, COLD, MOST_LOOKED, OVER, TOUCH, WHOLE, Reading
from nuvlo.diagnosis.table import AT_A_GLANCE, Table
from nuvlo.measurement import Observable, ohms_at
from nuvlo.quantity import Measured

FOLLOWS, CLEAR = 3.0, 0.1  # times the least doubt of a meter, or this share of how far mistakes lie apart, within which a sum of readings is one
STILL_ASKED = 0.5  # at most, that no single mistake is it, in what is asked next
WEIGHED = 12  # readings whose bits are worked out to the last


def next_reading(t: Table, likely: Array, taken: Mapping[Observable, Measured], only: Collection[str] = (), unexplained: float = 0.0, skipped: Collection[Observable] = (), empty: bool = False) -> tuple[Reading, float] | None:
    """The reading that is expected to tell most per minute, and its bits: the mutual information of what is wrong and what is read,
    in bins of equal chance (T. M. Cover, J. A. Thomas, *Elements of Information Theory*, 2nd ed., 2.4). ``likely`` are shares of all
    states (states,); which of its states a mistake is in is not asked."""
    unexplained = min(unexplained, STILL_ASKED)  # one of two mistakes is found by what would tell it alone
    chance = likely / likely.sum()
    heavy = np.flatnonzero(chance > 1e-4)
    w = chance[heavy] / chance[heavy].sum()
    last = next(reversed(list(taken)), None)
    before = next((r for r in t.readings if r.of == last), None)
    closely = Observable(BOARD, CLOSE) in taken  # then another look shows no more
    first = _before_power(t, taken, only, skipped)
    left = [
        row for row, r in enumerate(t.readings)
        if (not first or r.of in first) and r.of not in taken and r.of not in skipped and not (closely and r.quantity in ("look", OVER)) and (not only or r.quantity in only) and (r.of.empty == empty or r.quantity in COLD)
    ]  # fmt: skip
    left = [row for row in left if not follows(t, row, taken)]
    told = [one for kind in ("look", TOUCH) for one in looks(t, [row for row in left if t.readings[row].quantity == kind], heavy, w)]
    told += [(t.readings[row], glance(t, row, heavy, w, taken)) for row in left if t.readings[row].quantity in WHOLE]
    asked = np.array([row for row in left if not t.looked[row]], dtype=int)
    if asked.size:
        takes = np.array([t.readings[row].takes(before) for row in asked])
        middle, left_over = expected(t, asked, heavy, taken)
        wide = np.sqrt(left_over + np.array([t.noise(row) for row in asked])[:, None] ** 2)
        chances, which = w, t.states[heavy]
        if unexplained > 0:  # something unknown may make anything of it
            middle = np.concatenate([middle, t.apart[asked, :1]], axis=1)
            wide = np.concatenate([wide, (t.apart[asked, 1] + wide.min(axis=1))[:, None]], axis=1)
            chances, which = np.append(w * (1.0 - unexplained), unexplained), np.append(which, -1)
        for k in np.argsort(-roughly(middle, wide, chances) / takes)[:WEIGHED].tolist():
            told.append((t.readings[asked[k]], bits_of(middle[k], wide[k], chances, which)))
    return max(told, key=lambda one: one[1] / one[0].takes(before), default=None)


def _before_power(t: Table, taken: Mapping[Observable, Measured], only: Collection[str], skipped: Collection[Observable]) -> set[Observable]:
    """What is to be read before anything under power is: ohms at each supply that has a point, else something with the power off. Nothing
    where the unit was read under power already, and is whole enough for that, or has no supply; nor while wires are rung out, with no power near."""
    if t.wiring or any(of.quantity not in COLD for of in taken) or (only and "resistance" not in only):
        return set()
    known = {r.of for r in t.readings}
    wanted = {ohms_at(s.point) for s in t.kit.info.supply if s.point}
    left = (wanted & known) - set(taken) - set(skipped)
    if left or not t.kit.info.supply or any(of.quantity in COLD for of in taken):
        return left
    return {r.of for r in t.readings if r.quantity in COLD} - set(skipped)


def follows(t: Table, row: int, taken: Mapping[Observable, Measured]) -> bool:
    """Whether volts add up to this reading that were read already, along whatever way, closely enough for what it would tell."""
    r = t.readings[row]
    if r.quantity != "voltage" or r.nodes[0] == r.nodes[1]:
        return False
    steps: dict[str, list[tuple[str, float]]] = {}
    for key, volts in taken.items():
        other = t.by_key.get(key)
        if other is not None and other.quantity == "voltage" and (other.setup, other.of.empty) == (r.setup, r.of.empty):
            for here, there in (other.nodes, other.nodes[::-1]):
                steps.setdefault(here, []).append((there, (volts.uncertainty / 2) ** 2))
    doubt, left = {r.nodes[0]: 0.0}, [r.nodes[0]]
    while left:
        here = min(left, key=lambda node: doubt[node])  # the surest first (E. W. Dijkstra, Numer. Math. 1, 1959)
        left.remove(here)
        for there, more in steps.get(here, ()):
            if there not in doubt or doubt[here] + more < doubt[there]:
                doubt[there] = doubt[here] + more
                left.append(there)
    far = doubt.get(r.nodes[1], math.inf)
    return math.sqrt(far) <= max(FOLLOWS * t.noise(row), CLEAR * float(t.apart[row, 1]))


def looks(t: Table, rows: list[int], heavy: NDArray[np.intp], w: Array) -> list[tuple[Reading, float]]:
    """What may be looked at, each of these ``rows`` with more and more of what is seen beside it, and the bits of which of them is the
    first that shows something wrong. ``heavy`` mistakes have the chances ``w``."""
    if not rows:
        return []
    shows = t.shows[rows][:, t.states[heavy]]
    bits = of_two(shows @ w) - of_two(shows) @ w
    place = {row: k for k, row in enumerate(rows)}
    fields = np.full((len(rows), MOST_LOOKED), len(rows))  # the last is none
    for k, row in enumerate(rows):
        seen = sorted((place[other] for other in t.fields[row] if other in place), key=lambda other: -bits[other])[:MOST_LOOKED]
        fields[k, : len(seen)] = seen
    each = np.concatenate([shows, np.zeros((1, heavy.size))])[fields]
    clear = np.cumprod(1.0 - each, axis=1)
    first = each * np.concatenate([np.ones_like(clear[:, :1]), clear[:, :-1]], axis=1)
    whole = np.cumsum(parts(first @ w), axis=1) + parts(clear @ w)
    within = np.cumsum(parts(first) @ w, axis=1) + parts(clear) @ w
    out = []
    for k, field in enumerate(fields.tolist()):
        refs = [t.readings[rows[other]] for other in field if other < len(rows)]
        out += [(replace(refs[0], beside=tuple(r.part for r in refs[1 : n + 1])), float(whole[k, n] - within[k, n])) for n in range(len(refs))]
    return out


def glance(t: Table, row: int, heavy: NDArray[np.intp], w: Array, taken: Mapping[Observable, Measured]) -> float:
    """Bits of which part, if any, a look at the whole board finds to be wrong; of a close one what one in passing did not find."""
    which = t.states[heavy]
    chance = np.where(looked_at(t, taken)[which], 0.0, t.shows[row, which])
    if Observable(BOARD, OVER) in taken:
        chance = chance * (1.0 - AT_A_GLANCE) / (1.0 - AT_A_GLANCE * chance)
    found: Array = np.bincount(np.unique(t.seen_by[which], return_inverse=True)[1], w * chance).astype(float)
    within = float(w @ (parts(chance) + parts(1.0 - chance)))
    return float(parts(found).sum() + parts(np.array(1.0 - found.sum()))) - within
