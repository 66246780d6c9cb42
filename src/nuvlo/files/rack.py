"""A rack or a board of pedals as its user keeps it: a CSV with a row for each unit and a column for each rail, in mA."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from nuvlo.files.tables import Fields, read_table
from nuvlo.files.whole import text_of
from nuvlo.problems import NuvloError, reader
from nuvlo.quantity import parse_value

KNOWN = ("unit", "count", "kit", "note")
WORST = " worst"
SUPPLY = "supply"


@dataclass(frozen=True)
class RackRow:
    """One unit, or several alike: A by rail as stated, typical and worst, and the folder of its kit, whose rails fill what is not."""

    name: str
    count: int
    typical: dict[str, float]
    worst: dict[str, float]
    kit: Path | None


@dataclass(frozen=True)
class Rack:
    """Its units, and what its supply gives, A by rail."""

    units: list[RackRow]
    supply: dict[str, float]


@reader
def read_rack(path: Path) -> Rack:
    """Rows ``unit,count,kit,+12 V,…``; ``kit`` names a kit's folder, seen from the file, whose rails are worked out where
    the row states none. The row ``supply`` says what there is. A column ``+12 V worst`` may stand beside ``+12 V``. Raises :class:`NuvloError` with every
    problem placed."""
    text = text_of(path)
    supply: dict[str, float] = {}

    def row(f: Fields) -> RackRow | None:
        name = f.text("unit")
        given = {c: _amps(f, c) for c in f.values if c not in KNOWN and f.values[c]}
        if name.lower() == SUPPLY:
            supply.update(given)
            return None
        count = f.optional_number("count")
        if count is not None and (count < 1 or count != int(count)):
            raise ValueError(f"'{f.values['count']}' is not a count")
        typical = {c: a for c, a in given.items() if not c.endswith(WORST)}
        worst = typical | {c.removesuffix(WORST): a for c, a in given.items() if c.endswith(WORST)}
        folder = f.text("kit", "")
        return RackRow(name, int(count or 1), typical, worst, path.parent / folder if folder else None)

    rows, problems = read_table(text, path.name, ("unit",), row)
    if problems:
        raise NuvloError(problems)
    return Rack([unit for _, unit in rows if unit is not None], supply)


def _amps(f: Fields, column: str) -> float:
    """A bare number is milliamperes."""
    text = f.text(column)
    try:
        amps = float(text.replace(",", ".")) / 1e3
    except ValueError:
        amps = parse_value(text, "A")
    if amps < 0:
        raise ValueError(f"'{text}' is less than nothing; a negative rail draws so much too")
    return amps
