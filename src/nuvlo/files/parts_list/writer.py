"""Parts out again as ``bom.csv``."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable

from nuvlo.kit.parts import Part

COLUMNS = (
    "ref", "kind", "value", "tolerance", "rating", "package", "height_mm", "heat", "static", "polarised", "cost", "spread",
    "place", "note", "section",
)  # fmt: skip


def bom_csv(parts: Iterable[Part]) -> str:
    """``bom.csv`` of these parts, as ``docs/kit-format.md`` describes it."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS)
    for p in parts:
        row = (
            p.ref, p.kind, p.text, tolerance_text(p.tolerance), p.rating, p.package, _number(p.height_mm),
            _yes(p.heat_sensitive), _yes(p.static_sensitive), _yes(p.polarised), _number(p.cost),
            ";".join(f"{s.parameter}={s.low:g}..{s.high:g}" for s in p.spreads), p.place, p.note,
            p.section,
        )  # fmt: skip
        writer.writerow([" ".join(cell.split()) for cell in row])  # a line end within a cell, of whatever system, is read back by few
    return out.getvalue()


def tolerance_text(tolerance: tuple[float, float] | None) -> str:
    """``1%`` or ``-20/+50%``."""
    if tolerance is None:
        return ""
    low, high = (round(100 * t, 6) for t in tolerance)
    return f"{high:g}%" if low == -high else f"{low:g}/+{high:g}%"


def _number(value: float | None) -> str:
    return "" if value is None else f"{value:g}"


def _yes(value: bool) -> str:
    return "yes" if value else "no"
