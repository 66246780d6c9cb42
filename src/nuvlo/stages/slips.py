"""A slip of the finger or of a lead: one reading that is likelier typed or held wrongly than true. It is read again before anybody is accused."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from nuvlo.diagnosis.diagnosis import Diagnosis
from nuvlo.diagnosis.mistakes import ids_of
from nuvlo.diagnosis.probes import SENSES
from nuvlo.logbook import Build
from nuvlo.measurement import Observable
from nuvlo.quantity import Measured, format_value

SLIPS: tuple[tuple[str, float], ...] = (
    ("with the leads exchanged", -1.0), ("with the point one place on", 0.1), ("with the point one place back", 10.0),
    ("in thousandths", 1e-3), ("without its milli", 1e3),
)  # fmt: skip
BEYOND = 1.2  # times the most that any mistake makes, from which a reading is none of this unit's
HELPS = 0.2  # chance that no single mistake explains it, below which all is explained; and above one less this, nothing is
MISTAKEN = 0.03  # of a reading: how near it lies to what another point reads


def slip(diagnosis: Diagnosis, build: Build, taken: Mapping[Observable, Measured], unexplained: float) -> tuple[Observable, str] | None:
    """Which reading to take again, and why; None where there is none, or where it was taken twice and stands. ``unexplained`` is the chance
    that no single mistake explains all that was ``taken``."""
    rows = {r.of: k for k, r in enumerate(diagnosis.readings)}
    once = [of for of in taken if of.quantity not in SENSES and np.isfinite(taken[of].value) and not _stands(build, of)]
    for of in reversed(once):  # the newest first
        if (why := _odd(diagnosis, rows, of, taken[of])) is not None:
            return of, why
    if unexplained <= 1.0 - HELPS or len(taken) < 2:
        return None
    repaired = ids_of(diagnosis.mistakes, (r.told for r in build.repairs))
    for of in reversed(once):
        others = {k: v for k, v in taken.items() if k != of}
        if diagnosis.in_states(others, repaired)[1] < HELPS:
            said = f"{of.name} reads {taken[of]}, which no single mistake explains beside the other readings; without it, they fit together."
            other = _misplaced(diagnosis, rows, of, taken[of])
            return of, said + (f" It is what {other} reads." if other else "")
    return None


def _stands(build: Build, of: Observable) -> bool:
    """Whether the newest reading of a place was read there before, as far as the meter tells."""
    every = [r.measured for r in build.readings if r.of == of]
    return bool(every) and any(abs(m.value - every[-1].value) <= 2 * max(m.uncertainty, every[-1].uncertainty) for m in every[:-1])


def _odd(diagnosis: Diagnosis, rows: Mapping[Observable, int], of: Observable, shown: Measured) -> str | None:
    """Why a reading looks typed wrongly: with one slip undone it is a good unit's, or nothing in this unit reaches it."""
    row = rows[of]
    low, high = _good(diagnosis, row)
    if not np.isfinite(low) or low - shown.uncertainty <= shown.value <= high + shown.uncertainty:
        return None
    r = diagnosis.readings[row]
    for how, times in SLIPS:
        meant, doubt = shown.value * times, shown.uncertainty * abs(times)
        near_nothing = abs(meant) < 10 * max(doubt, 1e-12) or low <= 0 <= high
        if low - doubt <= meant <= high + doubt and not near_nothing:
            return f"{of.name} reads {shown}: {how} it would be {format_value(meant, r.unit)}, as in a good unit."
    if r.quantity == "voltage":
        volts = [k for k, one in enumerate(diagnosis.readings) if one.quantity == "voltage"]
        most = float(np.nanmax(np.abs(diagnosis.table[volts])))
        if abs(shown.value) > BEYOND * most + shown.uncertainty:
            return f"{of.name} reads {shown}, and nothing in this unit reaches more than {format_value(most, 'V', 2)}."
    return None


def _good(diagnosis: Diagnosis, row: int) -> tuple[float, float]:
    """What good units read there, the least and the most."""
    values = diagnosis.table[row, 0]
    values = values[np.isfinite(values)]
    return (float(values.min()), float(values.max())) if values.size else (float("nan"), float("nan"))


def _misplaced(diagnosis: Diagnosis, rows: Mapping[Observable, int], of: Observable, shown: Measured) -> str:
    """Another of the kit's own points, which reads this in a good unit."""
    own = {p.name for p in diagnosis.kit.info.point}
    for other, row in rows.items():
        low, high = _good(diagnosis, row)
        doubt = shown.uncertainty + MISTAKEN * abs(shown.value)
        if other.place in own and other != of and other.quantity == of.quantity and low - doubt <= shown.value <= high + doubt:
            return other.name
    return ""
