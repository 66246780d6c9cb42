"""What a workshop's own meter reads: ``meter.toml`` in its folder."""

from __future__ import annotations

from pathlib import Path

from nuvlo.files.whole import text_of, toml_of
from nuvlo.kit.kit import HAND_HELD, Reach
from nuvlo.problems import NuvloError, Problem, reader
from nuvlo.quantity import UnreadableValue, format_value, parse_value

LIMITS = {"ac_hertz": ("Hz", 50.0, 1e6), "ac_volts": ("V", 1e-5, 10.0), "volts_ohms": ("Ω", 2e4, 1e13), "most_ohms": ("Ω", 1e5, 1e15)}


@reader
def read_reach(path: Path) -> Reach:
    """``ac_hertz`` to which AC volts are right, ``ac_volts`` from which they are, ``volts_ohms`` between its leads on volts,
    ``most_ohms`` that it reads; what is left out is as with a hand-held one.

    Raises :class:`NuvloError` for another key, or a value that no meter has.
    """
    table = toml_of(text_of(path), path.name)
    found = {"ac_hertz": HAND_HELD.hertz, "ac_volts": HAND_HELD.volts, "volts_ohms": HAND_HELD.ohms, "most_ohms": HAND_HELD.most_ohms}
    for key, given in table.items():
        if key not in LIMITS:
            raise NuvloError(Problem(f"'{key}' is nothing that is stated of a meter.", f"Write {', '.join(LIMITS)}.", path.name, ref=key))
        unit, least, most = LIMITS[key]
        try:
            value = float(given) if isinstance(given, int | float) and not isinstance(given, bool) else parse_value(str(given), unit)
        except UnreadableValue as bad:
            raise NuvloError(Problem(f"{key} = '{given}' is no value.", f'Write {key} = "1k" or a number in {unit}.', path.name, ref=key)) from bad
        if not least <= value <= most:
            raise NuvloError(Problem(f"no meter has {key} = {format_value(value, unit)}.", f"From {format_value(least, unit)} to {format_value(most, unit)}.", path.name, ref=key))
        found[key] = value
    return Reach(found["ac_hertz"], found["ac_volts"], found["volts_ohms"], found["most_ohms"])
