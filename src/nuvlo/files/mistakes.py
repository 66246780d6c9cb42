"""How often each kind of mistake is made and how well it shows: the shipped table, or a workshop's own ``mistakes.csv``.

The shipped weights are common practice without a source: what restorers and kit makers say they meet. They are shares of each
other, of one mistake at one place; ``seen`` is how likely a look through a lens at the right part shows it.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cache
from pathlib import Path

from nuvlo.files.tables import Fields, read_table
from nuvlo.files.whole import text_of
from nuvlo.problems import NuvloError, reader

SHIPPED = Path(__file__).parents[1] / "mistakes" / "mistakes.csv"
REPAIRS = 20.0  # of a workshop's own that count as much as the table does


@dataclass(frozen=True)
class Habit:
    """One kind of mistake: its weight beside the others, how likely a look shows it, and what it is in words."""

    kind: str
    weight: float
    seen: float
    says: str


Habits = Mapping[str, Habit]


@reader
def read_habits(path: Path) -> Habits:
    """By kind. A kind that a workshop's table leaves out is as shipped. Raises :class:`NuvloError` with every problem placed."""
    known = {} if path == SHIPPED else dict(shipped())

    def row(f: Fields) -> Habit:
        kind = f.text("kind").lower()
        if known and kind not in known:
            raise ValueError(f"'{kind}' is no kind of mistake; write one of {', '.join(known)}")
        weight, seen = f.number("weight"), f.number("seen")
        if not 0 <= weight <= 1000:
            raise ValueError(f"a weight lies between 0 and 1000, not at {weight:g}")
        if not 0 <= seen <= 1:
            raise ValueError(f"'seen' is a share between 0 and 1, not {seen:g}")
        return Habit(kind, weight, seen, f.text("says", ""))

    rows, problems = read_table(text_of(path), path.name, ("kind", "weight", "seen"), row)
    if problems:
        raise NuvloError(problems)
    return known | {habit.kind: habit for _, habit in rows}


@cache
def shipped() -> Habits:
    """The table that comes with Nuvlo."""
    return read_habits(SHIPPED)


def learnt(habits: Habits, repairs: Mapping[str, int]) -> Habits:
    """Weights with what the workshop itself has met: ``repairs`` by kind are counts of a multinomial whose prior is worth
    ``REPAIRS`` of them (A. Gelman et al., *Bayesian Data Analysis*, 3rd ed., 3.4)."""
    total, met = sum(h.weight for h in habits.values()), sum(repairs.values())
    if not met or not total:
        return habits
    scale = total / (REPAIRS + met)
    return {k: replace(h, weight=scale * (REPAIRS * h.weight / total + repairs.get(k, 0))) for k, h in habits.items()}
