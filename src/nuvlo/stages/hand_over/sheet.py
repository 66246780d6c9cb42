"""Hand over: one page and one table that say what was built, from what, and what it measured."""

from __future__ import annotations

import csv
from dataclasses import dataclass
from pathlib import Path

from nuvlo.kit import Kit, Stage
from nuvlo.kit.assembly import board_order
from nuvlo.logbook import Build
from nuvlo.model import Finding, Task, Wants
from nuvlo.quantity import Verdict, format_value

WORDS = {
    Verdict.IN: "in window", Verdict.NEAR: "too close to tell", Verdict.OUT: "out of window",
    Verdict.NOT_TAKEN: "not taken", Verdict.MISSING: "missing",
}  # fmt: skip


def tasks(kit: Kit, build: Build) -> list[Task]:
    """The last look before the lid, the lid, the sheet."""
    last = [f"{r.point} {r.measured}" for r in {r.point: r for r in build.readings if r.quantity == "voltage"}.values()]
    again = f" They were: {', '.join(last)}." if last else ""
    lid = [
        Task(f"hand_over.{step.verb}", Stage.HAND_OVER, Wants.STEP, step.action, step.reason + (again if step.verb == "recheck" else ""))
        for step in board_order(kit, build.school) if step.stage == "hand_over"
    ]  # fmt: skip
    return [
        *lid,
        Task("hand_over.sheet", Stage.HAND_OVER, Wants.EXPORT, "Write the sheet",
             "One PDF page for the owner or for next year's self, and a CSV of every reading.", "sheet")
    ]  # fmt: skip


@dataclass(frozen=True)
class Sheet:
    """All that the page says. ``rows`` are findings with a reading, in order of work."""

    kit: Kit
    build: Build
    findings: tuple[Finding, ...]
    proof_words: str = ""
    proof_verdict: Verdict = Verdict.NOT_TAKEN

    @property
    def rows(self) -> list[tuple[str, str, str, str, str]]:
        """Place, what, reading, window, verdict: as text."""
        out = []
        for f in self.findings:
            if f.reading is None:
                continue
            window = "—"
            if f.window is not None:
                window = f"{format_value(f.window.low, f.window.unit)} to {format_value(f.window.high, f.window.unit)}"
            word = WORDS[f.verdict] + (", accepted" if f.accepted else "") if f.window else "no window"
            out.append((f.task.target, f.task.quantity, str(f.reading), window, word))
        return out

    @property
    def overall(self) -> str:
        """The unit in one phrase."""
        verdicts = [f.verdict for f in self.findings if f.window is not None and not f.accepted]
        verdicts.append(self.proof_verdict)
        if Verdict.OUT in verdicts or Verdict.MISSING in verdicts:
            return "not as meant"
        if any(f.accepted for f in self.findings):
            return "as meant, but for what was accepted"
        return "as meant"


def write_readings(kit: Kit, build: Build, path: Path) -> None:
    """What was changed, then every value measured, oldest first: ``point,quantity,value,unit,uncertainty``, when, with what.

    Raises ``OSError`` when the file cannot be written.
    """
    with path.open("w", encoding="utf-8", newline="") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(["point", "quantity", "value", "unit", "uncertainty", "stage", "at", "instrument"])
        for c in kit.changes:
            writer.writerow([c.part, f"changed from {c.was}", c.to, "", "", "choose", "", c.why])
        for ref, values in build.measured.items():
            for m in values:
                quantity = "resistance" if m.unit == "Ω" else "capacitance"
                writer.writerow([ref, quantity, f"{m.value:.6g}", m.unit, f"{m.uncertainty:.3g}", "unpack", "", ""])
        for r in build.readings:
            writer.writerow(
                [r.point, r.quantity, f"{r.measured.value:.6g}", r.measured.unit, f"{r.measured.uncertainty:.3g}", r.stage,
                 r.at.isoformat(timespec="seconds"), r.instrument]
            )  # fmt: skip
        for curve in build.curves:
            for f, db in zip(curve.frequency, curve.magnitude_db, strict=True):
                writer.writerow([f"{f:.6g} Hz", "response", f"{db:.4f}", "dB", f"{curve.uncertainty_db:g}", "prove", "",
                                 curve.instrument])  # fmt: skip
