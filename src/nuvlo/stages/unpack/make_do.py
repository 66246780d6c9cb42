"""A part is missing or wrong: what the drawer can put in its place, and whether that stands what it will bear."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations_with_replacement

import numpy as np

from nuvlo.electrics.stress import Stress, over_rating
from nuvlo.files.drawer import Spare
from nuvlo.kit import Part
from nuvlo.kit.kinds import kind_of
from nuvlo.quantity import format_value

MOST = 6


@dataclass(frozen=True)
class Substitute:
    """Parts of the drawer in place of one. ``off`` is how far their nominal value is away, as a fraction."""

    words: str
    value: float
    off: float
    low: float
    high: float
    warnings: tuple[str, ...]


def make_do(
    part: Part, drawer: Sequence[Spare], within: float | None = None, stress: Stress | None = None
) -> list[Substitute]:
    """Substitutes from the drawer, best first: one part, or two in series or parallel.

    Their value with all tolerances lies ``within`` (a fraction; the part's own tolerance, at least 2 %) of the part's.
    """
    if part.value is None:
        return []
    allowed = within if within is not None else max(0.02, part.tolerance[1] if part.tolerance else 0.02)
    spares = [
        s
        for s in drawer
        if s.kind in (kind_of(part.kind).may_be or (part.kind,)) and s.unit == part.unit and s.value > 0
    ]
    out = [_single(part, s, stress) for s in spares]
    for a, b in combinations_with_replacement(spares, 2):
        if a is not b or a.count > 1:
            out += [_double(part, a, b, how, stress) for how in ("series", "parallel")]
    good = [
        s
        for s in out
        if s.low >= part.value * (1 - allowed) * 0.99999 and s.high <= part.value * (1 + allowed) * 1.00001
    ]
    return sorted(good, key=lambda s: (len(s.warnings), " and " in s.words, round(abs(s.off), 4), s.high - s.low))[
        :MOST
    ]


def _single(part: Part, spare: Spare, stress: Stress | None) -> Substitute:
    low, high = (spare.value * (1 + t) for t in spare.tolerance)
    words = f"{format_value(spare.value, spare.unit)}{', ' + spare.rating if spare.rating else ''}"
    warning = over_rating(spare.rating, stress, part.unit) if stress else ""
    return _substitute(part, words, spare.value, low, high, (warning,) if warning else ())


def _double(part: Part, a: Spare, b: Spare, how: str, stress: Stress | None) -> Substitute:
    adds = (how == "series") == (part.unit != "F")

    def joined(x: float, y: float) -> float:
        return x + y if adds else x * y / (x + y)

    ends = [joined(a.value * (1 + x), b.value * (1 + y)) for x, y in zip(a.tolerance, b.tolerance, strict=True)]
    words = f"{format_value(a.value, a.unit)} and {format_value(b.value, b.unit)} in {how}"
    warnings = []
    for mine, other in ((a, b), (b, a)):
        # Of two in series each bears its share of volts, of two in parallel its share of current.
        share = mine.value / (mine.value + other.value)
        share = share if adds else 1 - share
        volts, amps = (share, 1.0) if how == "series" else (1.0, share)
        own = Stress(stress.volts * volts, stress.watts * share, stress.amps * amps) if stress else None
        warning = over_rating(mine.rating, own, part.unit) if own else ""
        if warning:
            warnings.append(f"{format_value(mine.value, mine.unit)}: {warning}")
    return _substitute(part, words, joined(a.value, b.value), ends[0], ends[1], tuple(dict.fromkeys(warnings)))


def _substitute(part: Part, words: str, value: float, low: float, high: float, warnings: tuple[str, ...]) -> Substitute:
    assert part.value is not None
    return Substitute(words, value, float(np.round(value / part.value - 1, 9)), low, high, warnings)
