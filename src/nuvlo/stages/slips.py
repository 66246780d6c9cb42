"""A slip of the finger or of a lead: one reading that is likelier typed or held wrongly than true. It is read again before anybody is accused."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from nuvlo.diagnosis.diagnosis import Diagnosis
from nuvlo.diagnosis.probes import SENSES
from nuvlo.logbook import Build
from nuvlo.quantity import Measured, format_value

Place = tuple[str, str]
SLIPS: tuple[tuple[str, float], ...] = (
    ("with the leads exchanged", -1.0), ("with the point one place on", 0.1), ("with the point one place back", 10.0),
    ("in thousandths", 1e-3), ("without its milli", 1e3),
)  # fmt: skip
BEYOND = 1.2  # times the most that any mistake makes, from which a reading is none of this unit's
HELPS = 0.2  # chance that no single mistake explains it, below which all is explained; and above one less this, nothing is
MISTAKEN = 0.03  # of a reading: how near it lies to what another point reads


def slip(diagnosis: Diagnosis, build: Build, taken: Mapping[Place, Measured], unexplained: float) -> tuple[Place, str] | None:
    """Which reading to take again, and why; None where there is none, or where it was taken twice and stands. ``unexplained`` is the chance
    that no single mistake explains all that was ``taken``."""
    rows = {r.key: k for k, r in enumerate(diagnosis.readings)}
    once = [key for key in taken if key[1] not in SENSES and np.isfinite(taken[key].value) and not _stands(build, key)]
    for key in reversed(once):  # the newest first
        if (why := _odd(diagnosis, rows, key, taken[key])) is not None:
            return key, why
    if unexplained <= 1.0 - HELPS or len(taken) < 2:
        return None
    repaired = {r.text for r in build.repairs}
    for key in reversed(once):
        others = {k: v for k, v in taken.items() if k != key}
        if diagnosis.in_states(others, repaired)[1] < HELPS:
            said = f"{key[0]} reads {taken[key]}, which no single mistake explains beside the other readings; without it, they fit together."
            other = _misplaced(diagnosis, rows, key, taken[key])
            return key, said + (f" It is what {other} reads." if other else "")
    return None


def _stands(build: Build, key: Place) -> bool:
    """Whether the newest reading of a place was read there before, as far as the meter tells."""
    every = [r.measured for r in build.readings if (r.point, r.quantity) == key]
    return bool(every) and any(abs(m.value - every[-1].value) <= 2 * max(m.uncertainty, every[-1].uncertainty) for m in every[:-1])


def _odd(diagnosis: Diagnosis, rows: Mapping[Place, int], key: Place, shown: Measured) -> str | None:
    """Why a reading looks typed wrongly: with one slip undone it is a good unit's, or nothing in this unit reaches it."""
    row = rows[key]
    low, high = _good(diagnosis, row)
    if not np.isfinite(low) or low - shown.uncertainty <= shown.value <= high + shown.uncertainty:
        return None
    r = diagnosis.readings[row]
    for how, times in SLIPS:
        meant, doubt = shown.value * times, shown.uncertainty * abs(times)
        near_nothing = abs(meant) < 10 * max(doubt, 1e-12) or low <= 0 <= high
        if low - doubt <= meant <= high + doubt and not near_nothing:
            return f"{key[0]} reads {shown}: {how} it would be {format_value(meant, r.unit)}, as in a good unit."
    if r.quantity == "voltage":
        volts = [k for k, one in enumerate(diagnosis.readings) if one.quantity == "voltage"]
        most = float(np.nanmax(np.abs(diagnosis.table[volts])))
        if abs(shown.value) > BEYOND * most + shown.uncertainty:
            return f"{key[0]} reads {shown}, and nothing in this unit reaches more than {format_value(most, 'V', 2)}."
    return None


def _good(diagnosis: Diagnosis, row: int) -> tuple[float, float]:
    """What good units read there, the least and the most."""
    values = diagnosis.table[row, 0]
    values = values[np.isfinite(values)]
    return (float(values.min()), float(values.max())) if values.size else (float("nan"), float("nan"))


def _misplaced(diagnosis: Diagnosis, rows: Mapping[Place, int], key: Place, shown: Measured) -> str:
    """Another of the kit's own points, which reads this in a good unit."""
    own = {p.name for p in diagnosis.kit.info.point}
    for other, row in rows.items():
        low, high = _good(diagnosis, row)
        doubt = shown.uncertainty + MISTAKEN * abs(shown.value)
        if other[0] in own and other != key and other[1] == key[1] and low - doubt <= shown.value <= high + doubt:
            return other[0]
    return ""
