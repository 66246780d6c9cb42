"""Hand over: one page and one table that say what was built, from what, and what it measured."""

from __future__ import annotations

from dataclasses import dataclass

from nuvlo.craft.high_voltage import CLIPPED, is_high
from nuvlo.craft.order import board_order
from nuvlo.kit import Kit, Stage
from nuvlo.kit.step_id import StepId
from nuvlo.logbook import Build
from nuvlo.quantity import Verdict, format_value
from nuvlo.stages import discharge
from nuvlo.stages.task import Finding, Task, Wants


def tasks(kit: Kit, build: Build) -> list[Task]:
    """The last look before the lid, the lid, the sheet."""
    last = [f"{r.point} {r.measured}" for r in {r.point: r for r in build.readings if r.quantity == "voltage"}.values()]
    again = f" They were: {', '.join(last)}." if last else ""
    again += f" {CLIPPED}" if is_high(kit) else ""
    lid = [
        Task(step.id, Stage.HAND_OVER, Wants.STEP, step.action, step.reason + (again if step.verb == "recheck" else ""))
        for step in board_order(kit, build.school) if step.stage is Stage.HAND_OVER
    ]  # fmt: skip
    inside = next((k for k, t in enumerate(lid) if not t.id.does(Stage.HAND_OVER, "recheck")), len(lid))
    # Whatever was powered for the last readings is empty before a hand fits anything, or the lid.
    lid[inside:inside] = discharge.tasks(kit, build, Stage.HAND_OVER, always=bool(lid))
    return [
        *lid,
        Task(StepId.of(Stage.HAND_OVER, "sheet"), Stage.HAND_OVER, Wants.EXPORT, "Write the sheet",
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
            word = f.verdict_words if f.window else "no window"
            if f.brief and f.aside:  # of a part: whether it fits; that it is the right one goes with that
                word = f.aside + (", accepted" if f.accepted else "")
            out.append((f.task.target, f.task.quantity, str(f.reading), window, word))
        return out

    @property
    def asked(self) -> dict[Stage, tuple[int, int]]:
        """By stage, how many readings the kit asks for and how many of them were taken, or accepted without."""
        out: dict[Stage, tuple[int, int]] = {}
        for f in self.findings:
            if f.task.wants in (Wants.MEASURE, Wants.READING, Wants.SWEEP) and f.task.id.verb != "gain":
                asked, taken = out.get(f.task.stage, (0, 0))
                out[f.task.stage] = (asked + 1, taken + (f.done or f.accepted))
        return out

    @property
    def overall(self) -> str:
        """The unit in one phrase. It is as meant only when every reading that its kit asks for was taken, and none is out."""
        verdicts = [f.verdict for f in self.findings if f.window is not None and not f.accepted]
        if not any(f.task.wants is Wants.SWEEP and f.accepted for f in self.findings):
            verdicts.append(self.proof_verdict)
        if Verdict.OUT in verdicts or Verdict.MISSING in verdicts:
            return "not as meant"
        open_ones = sum(asked - taken for asked, taken in self.asked.values())
        if open_ones:
            return f"not judged: {open_ones} of {sum(asked for asked, _ in self.asked.values())} readings are not taken"
        if not self.asked:
            return "not judged: nothing was measured, because this kit asks for no readings"
        if any(f.accepted for f in self.findings):
            return "as meant, but for what was accepted"
        return "as meant"

    @property
    def told(self) -> str:
        """What the verdict stands on: what was measured, and what was not."""
        measured = [f"{stage.label} {taken} of {asked}" for stage, (asked, taken) in self.asked.items()]
        unasked = [stage.label for stage in (Stage.WAKE, Stage.SET, Stage.PROVE) if stage not in self.asked]
        near = sum(f.tone is Verdict.NEAR for f in self.findings)
        nearly = sum(f.tone is not f.verdict for f in self.findings)
        said = [f"Readings taken: {', '.join(measured)}."] if measured else []
        said += (
            [f"{near} {'lies' if near == 1 else 'lie'} too close to the edge of their window to tell."] if near else []
        )
        said += [f"{nearly} {'part fits' if nearly == 1 else 'parts fit'} as far as this meter can tell."] if nearly else []
        said += [f"This kit asks for none in {' and '.join(unasked)}."] if unasked else []
        return " ".join(said)
