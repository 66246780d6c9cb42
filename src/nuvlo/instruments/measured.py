"""Measured values of loose parts, and readings at places, from CSV."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from pathlib import Path
from typing import Any

from nuvlo.instruments.typed import typed_reading
from nuvlo.problems import NuvloError, reader
from nuvlo.quantity import Measured, parse_value


@reader
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


def read_readings(path: Path, places: Collection[str], quantity: str, unit: str) -> dict[str, Measured]:
    """Readings of one quantity from a CSV, the last of each place: see :func:`read_places`."""
    found = read_places(path, {(place, quantity): unit for place in places}, quantity)
    return {place: measured for (place, _), measured in found.items()}


SAID = {"right": 0.0, "wrong": 1.0, "cool": 0.0, "hot": 1.0, "0": 0.0, "1": 1.0}  # of what has no unit


@reader
def read_places(path: Path, places: Mapping[tuple[str, str], str], only: str = "") -> dict[tuple[str, str], Measured]:
    """Readings from a CSV ``point,quantity,value,unit,uncertainty``, the last of each; open is ``inf`` or ``OL``; of a look or a finger ``right``,
    ``wrong``, ``hot``, ``cool``. ``places`` are the units of
    what may be read, by point and quantity; where ``only`` one quantity is wanted, others are passed over. Raises :class:`NuvloError` where
    a place is none of them."""
    from nuvlo.files.tables import Fields, read_table
    from nuvlo.files.whole import text_of

    by_name = {(point.lower(), quantity): (point, quantity) for point, quantity in places}

    def row(f: Fields) -> tuple[tuple[str, str], Measured] | None:
        name = f.text("point").lower()
        usual = only or next((q for p, q in by_name if p == name), "")
        quantity = f.text("quantity", usual).lower()
        if only and quantity != only:
            return None
        f.column = "point"
        place = by_name.get((name, quantity))
        if place is None:
            raise ValueError(f"'{f.values['point']}' is no place where {quantity or 'anything'} is read here")
        f.column = "value"
        said = f.text("value").lower()
        if not places[place]:
            if said not in SAID:
                raise ValueError(f"'{f.values['value']}' says nothing of a {'finger: write hot or cool' if quantity == 'touch' else 'look: write right or wrong'}")
            return place, Measured(SAID[said], 0.0, "")
        read = typed_reading(f.text("value"), places[place])
        if quantity == "tone" and read.value < 0:
            raise ValueError(f"'{f.values['value']}': AC volts are never less than nothing")
        given = f.optional_number("uncertainty")
        return place, Measured(read.value, given, read.unit) if given is not None else read

    rows, problems = read_table(text_of(path), path.name, ("point", "value"), row)
    if problems:
        raise NuvloError(problems)
    return dict(one for _, one in rows if one is not None)
