"""Measured values of loose parts, and readings at places, from CSV."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping
from pathlib import Path
from typing import Any

from nuvlo.instruments.typed import typed_reading
from nuvlo.measurement import Observable
from nuvlo.measurement.trace import Trace
from nuvlo.problems import NuvloError, Problem, reader
from nuvlo.quantity import Measured, parse_value


@reader
def read_measured(path: Path, kit: Any, surplus: dict[str, float] | None = None, left_out: list[Problem] | None = None) -> dict[str, list[Measured]]:
    """Measured parts from a CSV ``ref,value,unit,uncertainty``; a missing uncertainty is that of the usual meter.

    What the kit does not list goes into ``surplus``; without one it is an error. What is wrong with some of the rows goes into ``left_out``, and
    the others are read; without one nothing is.
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
    _leave_out(problems, bool(rows), left_out)
    out: dict[str, list[Measured]] = {}
    for _, one in rows:
        if one is not None:
            out.setdefault(one[0], []).append(one[1])
    return out


def _leave_out(problems: list[Problem], any_read: bool, left_out: list[Problem] | None) -> None:
    """Keep what is wrong with some rows beside the others. Raises :class:`NuvloError` where nobody asks for it, or nothing else was read."""
    if problems and (left_out is None or not any_read):
        raise NuvloError(problems)
    if left_out is not None:
        left_out += problems


def read_readings(path: Path, places: Collection[Observable], quantity: str, unit: str, left_out: list[Problem] | None = None) -> dict[Observable, Measured]:
    """Readings of one quantity from a CSV, the last of each place: see :func:`read_places`."""
    return read_places(path, dict.fromkeys(places, unit), quantity, left_out)


LOOSE = {"Ω": "resistance", "F": "capacitance", "H": "inductance"}  # of a part by itself, by the unit that it is read in
RESPONSE, CHANGED = "response", "changed from"  # quantities of written readings that are none
SAID = {"right": 0.0, "wrong": 1.0, "cool": 0.0, "hot": 1.0, "0": 0.0, "1": 1.0}  # of what has no unit


@reader
def read_places(
    path: Path, places: Mapping[Observable, str], only: str = "", left_out: list[Problem] | None = None, skipped: set[Observable] | None = None
) -> dict[Observable, Measured]:
    """Readings from a CSV ``point,quantity,value,unit,uncertainty``, the last of each; open is ``inf`` or ``OL``; of a look or a finger ``right``,
    ``wrong``, ``hot``, ``cool``; ``skip`` of what is out of reach, which goes into ``skipped``. ``places`` are the units of what may be
    read; where ``only`` one quantity is wanted, others are passed over. What is wrong with some of the rows, a place that is none of
    them too, goes into ``left_out`` and the others are read; without one, or where nothing is left, it raises :class:`NuvloError`."""
    return dict(read_rows(path, places, only, left_out, skipped))


@reader
def read_rows(
    path: Path, places: Mapping[Observable, str], only: str = "", left_out: list[Problem] | None = None, skipped: set[Observable] | None = None,
    found: Callable[[str, str], tuple[Observable, str] | None] = lambda name, quantity: None,
) -> list[tuple[Observable, Measured]]:
    """All of them, in the order in which they stand there; what is none of the ``places`` may still be ``found``, with its unit, by name and quantity.
    Of what else a build's written readings hold, the value of a loose part is known by its own quantity; its responses and changes are passed over."""
    from nuvlo.files.tables import Fields, read_table
    from nuvlo.files.whole import text_of

    by_name = {(of.name.lower(), of.quantity): of for of in places}
    by_name |= {(of.place.lower(), LOOSE[unit]): of for of, unit in places.items() if of.quantity == "value" and unit in LOOSE and (of.place.lower(), LOOSE[unit]) not in by_name}

    def row(f: Fields) -> tuple[Observable, Measured] | None:
        name = f.text("point").lower()
        usual = only or next((q for p, q in by_name if p == name), "")
        quantity = f.text("quantity", usual).lower()
        if (only and quantity != only) or quantity == RESPONSE or quantity.startswith(CHANGED):
            return None
        f.column = "point"
        place = by_name.get((name, quantity))
        if place is None and (other := found(f.values["point"], quantity)) is not None:
            place, unit = other
        elif place is not None:
            unit = places[place]
        else:
            raise ValueError(f"'{f.values['point']}' is no place where {quantity or 'anything'} is read here")
        f.column = "value"
        said = f.text("value").lower()
        if said in ("skip", "skipped"):
            if skipped is not None:
                skipped.add(place)
            return None
        if not unit:
            if said not in SAID:
                raise ValueError(f"'{f.values['value']}' says nothing of a {'finger: write hot or cool' if quantity == 'touch' else 'look: write right or wrong'}")
            return place, Measured(SAID[said], 0.0, "")
        read = typed_reading(f.text("value"), unit)
        if quantity == "tone" and read.value < 0:
            raise ValueError(f"'{f.values['value']}': AC volts are never less than nothing")
        given = f.optional_number("uncertainty")
        return place, Measured(read.value, given, read.unit) if given is not None else read

    rows, problems = read_table(text_of(path), path.name, ("point", "value"), row)
    _leave_out(problems, bool(rows), left_out)
    return [one for _, one in rows if one is not None]


@reader
def read_curve(path: Path) -> Trace | None:
    """The response among written readings, rows ``100 Hz,response,-3.01,dB``; None where there is none."""
    from nuvlo.files.tables import Fields, read_table
    from nuvlo.files.whole import text_of

    def row(f: Fields) -> tuple[float, float, float] | None:
        if f.text("quantity", "").lower() != RESPONSE:
            return None
        hertz = parse_value(f.text("point"), "Hz")
        return hertz, f.number("value"), f.optional_number("uncertainty") or 0.0

    rows, problems = read_table(text_of(path), path.name, ("point", "value"), row)
    if problems:
        raise NuvloError(problems)
    found = sorted(one for _, one in rows if one is not None)
    return Trace(tuple(f for f, _, _ in found), tuple(db for _, db, _ in found), uncertainty=max(u for _, _, u in found)) if found else None
