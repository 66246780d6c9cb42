"""The CSV files of a kit folder, row by row, with every mistake placed."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from typing import TypeVar

from nuvlo.files.whole import csv_rows
from nuvlo.kit.board import Pad, Placement
from nuvlo.kit.kinds import KINDS, VALUED
from nuvlo.kit.parts import PLACES, Part, Spread
from nuvlo.kit.wiring import PanelHole, Wire
from nuvlo.problems import NuvloError, Problem
from nuvlo.quantity import parse_value
from nuvlo.quantity.tolerance import parse_tolerance

FACES = ("front", "back", "left", "right", "top", "bottom")
Row = TypeVar("Row")


class Fields:
    """One row's fields by column name, with readers that say what is wrong."""

    def __init__(self, values: dict[str, str]) -> None:
        self.values = values
        self.column = ""

    def text(self, column: str, default: str | None = None) -> str:
        self.column = column
        found = self.values.get(column, "")
        if not found and default is None:
            raise ValueError("is empty; it must be filled in")
        return found or default or ""

    def number(self, column: str) -> float:
        return parse_value(self.text(column))

    def optional_number(self, column: str) -> float | None:
        text = self.text(column, "")
        return parse_value(text) if text else None

    def yes(self, column: str) -> bool:
        text = self.text(column, "no").lower()
        if text not in ("yes", "no"):
            raise ValueError(f"'{text}' is neither yes nor no")
        return text == "yes"


def _spreads(text: str) -> tuple[Spread, ...]:
    out = []
    for item in filter(None, (piece.strip() for piece in text.split(";"))):
        match = re.fullmatch(r"([a-z]+)=(\S+)\.\.(\S+)", item)
        if not match:
            raise ValueError(f"'{item}' is not a spread; write bf=420..800, several parted by ;")
        out.append(Spread(match[1], parse_value(match[2]), parse_value(match[3])))
    return tuple(out)


def part(f: Fields) -> Part:
    kind = f.text("kind").lower()
    unit = VALUED.get(kind, "")
    text = f.text("value")
    value = parse_value(text.split()[0], unit) if unit else None
    tolerance = parse_tolerance(f.text("tolerance", ""))
    spreads = _spreads(f.text("spread", ""))
    place = f.text("place", "").lower()
    asked = kind not in KINDS and not place
    place = place or ("panel" if asked else "board")
    if place not in PLACES:
        raise ValueError(f"'{place}' is not a place; write {', '.join(PLACES)}")
    return Part(
        f.text("ref"), kind, text, value, unit, tolerance, f.text("rating", ""), f.text("package", ""),
        f.optional_number("height_mm"), f.yes("heat"), f.yes("static"), f.yes("polarised"),
        f.optional_number("cost"), spreads, place in ("board", "both"), f.text("note", ""),
        f.text("section", ""), place == "both", asked,
    )  # fmt: skip


def placement(f: Fields) -> Placement:
    side = f.text("Layer", "top").lower()
    if side not in ("top", "bottom"):
        raise ValueError(f"'{side}' is neither top nor bottom")
    return Placement(
        f.text("Designator"), f.text("Package", ""), f.number("Mid X"), f.number("Mid Y"), f.number("Rotation"), side
    )


def pad(f: Fields) -> Pad:
    size = f.number("pad_mm")
    if size <= 0:
        raise ValueError("must be more than 0")
    return Pad(f.text("ref"), f.text("pin"), f.number("x_mm"), f.number("y_mm"), size, f.text("net").lower())


def corner(f: Fields) -> tuple[float, float]:
    return f.number("x_mm"), f.number("y_mm")


def wire(f: Fields) -> Wire:
    return Wire(
        f.text("wire"), f.text("from"), f.text("to"), f.text("net").lower(), f.text("colour", ""),
        f.optional_number("length_mm"), f.text("note", ""), f.text("twist", ""),
    )  # fmt: skip


def panel_hole(f: Fields) -> PanelHole:
    hole = f.number("hole_mm")
    if hole <= 0:
        raise ValueError("must be more than 0")
    face = f.text("face", "front").lower()
    if face not in FACES:
        raise ValueError(f"'{face}' is not a face; write {', '.join(FACES)}")
    return PanelHole(f.text("ref"), f.number("x_mm"), f.number("y_mm"), hole, f.text("label", ""), face)


def read_table(
    text: str, name: str, columns: Sequence[str], make: Callable[[Fields], Row]
) -> tuple[list[tuple[int, Row]], list[Problem]]:
    """Rows with their line numbers, and every problem. ``columns`` must all stand in the heading line."""
    problems: list[Problem] = []
    try:
        (_, heading), *below = list(csv_rows(text, name)) or [(1, [])]
    except NuvloError as bad:
        return [], list(bad.problems)
    heading = [h.strip() for h in heading]
    missing = [c for c in columns if c not in heading]
    if missing:
        remedy = f"The heading needs: {','.join(columns)}."
        if name.endswith("bom.csv"):
            remedy += " A list with other headings is read by 'nuvlo bom', which writes one with these."
        return [], [Problem(f"column {', '.join(missing)} is missing.", remedy, name, 1, 1)]
    rows: list[tuple[int, Row]] = []
    lines = text.splitlines()
    for line, cells in below:
        if not any(c.strip() for c in cells):
            continue
        if len(cells) > len(heading):
            problems.append(
                Problem(f"{len(cells)} fields where the heading has {len(heading)}.", "Quote a field that holds a comma.",
                        name, line, _column(lines[line - 1], len(heading)))
            )  # fmt: skip
            continue
        fields = Fields({h: c.strip() for h, c in zip(heading, cells, strict=False)})
        try:
            rows.append((line, make(fields)))
        except ValueError as bad:
            at = heading.index(fields.column) if fields.column in heading else 0
            why = bad.problems[0].message if isinstance(bad, NuvloError) else f"{bad}."
            remedy = bad.problems[0].remedy if isinstance(bad, NuvloError) else ""
            ref = cells[0].strip() or None
            where = _column(lines[line - 1], at)
            problems.append(Problem(f"{fields.column} {why}", remedy, name, line, where, ref))
    return rows, problems


def _column(line: str, field: int) -> int:
    """Character column, from 1, where a field of a CSV line starts."""
    at, quoted, seen = 1, False, 0
    for position, character in enumerate(line, 1):
        if seen == field:
            return position
        if character == '"':
            quoted = not quoted
        elif character == "," and not quoted:
            seen += 1
            at = position + 1
    return at
