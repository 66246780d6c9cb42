"""Measured values of loose parts, read from CSV."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from nuvlo.problems import NuvloError
from nuvlo.quantity import Measured, parse_value


def read_measured(path: Path, kit: Any, surplus: dict[str, float] | None = None) -> dict[str, list[Measured]]:
    """Measured parts from a CSV ``ref,value,unit,uncertainty``; a missing uncertainty is that of the usual meter.

    What the kit does not list goes into ``surplus``; without one it is an error.
    """
    from nuvlo.files.tables import Fields, read_table
    from nuvlo.files.whole import text_of
    from nuvlo.instruments import MeterSpec

    def row(f: Fields) -> tuple[str, Measured] | None:
        ref = f.text("ref")
        part = kit.find_part(ref)
        if part is None and surplus is not None:
            surplus[ref] = f.number("value")
            return None
        if part is None:
            raise ValueError(f"'{ref}' is not a part of {kit.name}")
        if not part.unit:
            raise ValueError(f"'{ref}' has no value to measure")
        value = parse_value(f.text("value"), part.unit)
        unit = f.text("unit", part.unit)
        if unit.lower() in ("ohm", "ohms", "r"):
            unit = "Ω"
        if unit != part.unit:
            raise ValueError(f"'{ref}' is measured in {part.unit}, not {unit}")
        if value <= 0:
            f.column = "value"
            raise ValueError(f"'{f.values['value']}' is not a value a part can have")
        given = f.optional_number("uncertainty")
        if given is not None and given < 0:
            raise ValueError(f"'{f.values['uncertainty']}' is less than nothing")
        return part.ref, Measured(value, given, unit) if given is not None else MeterSpec().measured(value, unit)

    rows, problems = read_table(text_of(path), path.name, ("ref", "value"), row)
    if problems:
        raise NuvloError(problems)
    out: dict[str, list[Measured]] = {}
    for _, one in rows:
        if one is not None:
            out.setdefault(one[0], []).append(one[1])
    return out
