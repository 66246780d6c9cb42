"""Every value that was measured, as CSV."""

from __future__ import annotations

import csv
import math
from pathlib import Path

from nuvlo.instruments.measured import CHANGED, LOOSE, RESPONSE
from nuvlo.kit import Kit
from nuvlo.logbook import Build


def write_readings(kit: Kit, build: Build, path: Path) -> None:
    """What was changed, then every value measured, oldest first: ``point,quantity,value,unit,uncertainty``, when, with what.

    Raises ``OSError`` when the file cannot be written.
    """
    with path.open("w", encoding="utf-8", newline="") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(["point", "quantity", "value", "unit", "uncertainty", "stage", "at", "instrument"])
        for c in kit.changes:
            writer.writerow([_guarded(w) for w in (c.part, f"{CHANGED} {c.was}", c.to, "", "", "choose", "", c.why)])
        for ref, values in build.measured.items():
            for m in values:
                quantity = LOOSE.get(m.unit, "value")
                writer.writerow(
                    [_guarded(ref), quantity, _number(m.value), m.unit, f"{m.uncertainty:.3g}", "unpack", "", ""]
                )
        for r in build.readings:
            writer.writerow(
                [_guarded(r.of.name), r.of.quantity, _number(r.measured.value), r.measured.unit, f"{r.measured.uncertainty:.3g}", r.stage,
                 r.at.isoformat(timespec="seconds"), r.instrument]
            )  # fmt: skip
        for curve in build.curves:
            for f, db in zip(curve.frequency, curve.magnitude_db, strict=True):
                writer.writerow([f"{f:.6g} Hz", RESPONSE, f"{db:.4f}", "dB", f"{curve.uncertainty_db:g}", "prove", "",
                                 curve.instrument])  # fmt: skip


def _guarded(text: str) -> str:
    """A cell that a spreadsheet would take for a formula begins with a quote."""
    return f"'{text}" if text[:1] in ("=", "+", "-", "@", "\t", "\r") else text


def _number(value: float) -> str:
    """As many digits as it has; over range as a meter shows it."""
    return "OL" if math.isinf(value) else f"{value:.12g}"
