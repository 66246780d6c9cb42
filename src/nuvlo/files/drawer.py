"""The bench drawer: spare parts with their counts. ``drawer.csv`` of a workshop."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from nuvlo.files.tables import Fields, read_table
from nuvlo.files.whole import text_of
from nuvlo.kit.kinds import VALUED
from nuvlo.problems import NuvloError, reader
from nuvlo.quantity import parse_value
from nuvlo.quantity.tolerance import parse_tolerance


@dataclass(frozen=True)
class Spare:
    """One sort of part in the drawer."""

    kind: str
    value: float
    unit: str
    tolerance: tuple[float, float]
    rating: str
    count: int


@reader
def read_drawer(path: Path) -> list[Spare]:
    """Spares that are there at all. Raises :class:`NuvloError` with every problem placed."""

    def row(f: Fields) -> Spare:
        kind = f.text("kind").lower()
        if kind not in VALUED:
            raise ValueError(f"'{kind}' has no value; write one of {', '.join(VALUED)}")
        count = f.number("count")
        if count < 0 or count != int(count):
            raise ValueError(f"'{f.values['count']}' is not a count")
        return Spare(kind, parse_value(f.text("value"), VALUED[kind]), VALUED[kind],
                     parse_tolerance(f.text("tolerance", "")) or (0.0, 0.0), f.text("rating", ""), int(count))  # fmt: skip

    rows, problems = read_table(text_of(Path(path)), Path(path).name, ("kind", "value", "count"), row)
    if problems:
        raise NuvloError(problems)
    return [spare for _, spare in rows if spare.count]
