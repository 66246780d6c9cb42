"""Hand over: one page and one table that say what was built, from what, and what it measured."""

from __future__ import annotations

from dataclasses import dataclass

from nuvlo.craft.high_voltage import CLIPPED, is_high
from nuvlo.craft.order import board_order
from nuvlo.kit import Kit, Stage
from nuvlo.kit.step_id import StepId
from nuvlo.logbook import Build
from nuvlo.measurement import ohms_at, tone_at, volts_at
from nuvlo.model.bonds import shell_bonds
from nuvlo.quantity import Verdict, format_span, format_value
from nuvlo.stages import discharge
from nuvlo.stages.lacks import sounds, untold_trimmers
from nuvlo.stages.task import Finding, Task, Wants
from nuvlo.words import listed


def tasks(kit: Kit, build: Build) -> list[Task]:
    """The last look before the lid, the lid, the sheet."""
    last = [f"{r.of.name} {r.measured}" for r in {r.of: r for r in build.readings if r.of.quantity == "voltage"}.values()]
    again = f" They were: {', '.join(last)}." if last else ""
    again += f" {CLIPPED}" if is_high(kit) else ""
    lid = [
        Task(
            step.id, Stage.HAND_OVER, Wants.STEP, step.action,
            _before_lid(kit, build) if step.verb == "close" else step.reason + (again if step.verb == "recheck" else ""),
        )
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


def _before_lid(kit: Kit, build: Build) -> str:
    """What was set, heard and bonded before the lid, by name, and what was not."""
    said = []
    trimmers = [p.ref for p in kit.parts.values() if p.kind == "trimmer"]
    read = {t.trimmer for t in kit.info.trim if build.latest(volts_at(t.watch), stage=Stage.SET.value) is not None}
    if trimmers:
        unset = [r for r in trimmers if r not in read]
        said.append(f"trimmers {listed([r for r in trimmers if r in read]) or 'none'} set" + (f", {listed(unset)} not" if unset else ""))
    tones = [t.name for t in kit.info.tone]
    heard = [t for t in tones if build.latest(tone_at(t)) is not None]
    if tones or kit.info.prove:
        left = [t for t in tones if t not in heard]
        swept = ", swept" if build.curves else ""
        said.append(f"tones {listed(heard) or 'none'} read{swept}" + (f", {listed(left)} not" if left else ""))
    bonds = [b.other for b in shell_bonds(kit)]
    if bonds:
        rung = [b for b in bonds if build.latest(ohms_at(b)) is not None]
        left = [b for b in bonds if b not in rung]
        said.append(f"bonds of {listed(rung) or 'none'} rung out" + (f", {listed(left)} not" if left else ""))
    return f"Before the lid: {'; '.join(said)}." if said else "Before the lid: this kit has neither trimmers nor tones nor bonds to look at."


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
                window = format_span(f.window.low, f.window.high, f.window.unit)
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
    def unknown(self) -> list[str]:
        """Why the unit cannot be judged: what was not measured, not set, or cannot be asked."""
        out = [] if self.kit.unit is not None else ["this kit has no circuit, so nothing says what it should read"]
        open_ones = sum(asked - taken for asked, taken in self.asked.values())
        if open_ones:
            out.append(f"{open_ones} of {sum(asked for asked, _ in self.asked.values())} readings are not taken")
        if untold := untold_trimmers(self.kit):
            out.append(f"{len(untold)} {'trimmer' if len(untold) == 1 else 'trimmers'} of the list {'has' if len(untold) == 1 else 'have'} no procedure: {listed(untold)}")
        unset = list(dict.fromkeys(f.task.target for f in self.findings if f.task.wants is Wants.TURN and not f.done and not f.accepted))
        if unset and not open_ones:
            out.append(f"{listed(unset)} {'is' if len(unset) == 1 else 'are'} not set")
        if self.kit.unit is not None and not sounds(self.kit):
            out.append("nothing that sounds was measured: this kit names no tone and no sweep")
        elif self.asked and self.kit.unit is not None and not open_ones and not self._sounded:
            out.append("nothing that sounds was measured")
        if not self.asked and not out:
            out.append("nothing was measured, because this kit asks for no readings")
        return out

    @property
    def _sounded(self) -> bool:
        """Whether a tone or a sweep was taken, or passed over with a reason."""
        heard = (f for f in self.findings if f.task.stage is Stage.PROVE and (f.task.wants is Wants.SWEEP or f.task.quantity == "tone"))
        return any(f.done or f.accepted for f in heard)

    @property
    def overall(self) -> str:
        """The unit in one phrase. It is as meant only when every reading that its kit asks for was taken, every trimmer was set, something
        sounded, and none is out."""
        verdicts = [f.verdict for f in self.findings if f.window is not None and not f.accepted]
        if not any(f.task.wants is Wants.SWEEP and f.accepted for f in self.findings):
            verdicts.append(self.proof_verdict)
        if Verdict.OUT in verdicts or Verdict.MISSING in verdicts:
            return "not as meant"
        if self.unknown:
            return f"not judged: {'; '.join(self.unknown)}"
        excepted = ["accepted"] * any(f.accepted for f in self.findings) + ["not waited for"] * bool(self.ahead)
        if excepted:
            return f"as meant, but for what was {listed(excepted)}"
        return "as meant, as far as this meter reads" if self.beyond else "as meant"

    @property
    def beyond(self) -> str:
        """What the kit asks for that the meter in use does not read, as a sentence; empty where it reads all."""
        written = {t.name: t.hertz for t in self.kit.written}
        moved = [f"{t.name} ({format_value(written[t.name], 'Hz')})" for t in self.kit.info.tone if written.get(t.name, t.hertz) != t.hertz]
        waiting = [f"{t.name} ({format_value(t.hertz, 'Hz')})" for t in self.kit.waiting]
        limit = format_value(self.kit.reach.hertz, "Hz")
        said = [f"{listed(waiting)} {'was' if len(waiting) == 1 else 'were'} not measured"] if waiting else []
        said += [f"{listed(moved)} {'was' if len(moved) == 1 else 'were'} read at {limit}"] if moved else []
        return f"This meter reads AC to {limit}: {'; '.join(said)}." if said else ""

    @property
    def skipped(self) -> list[str]:
        """What was accepted as it was, with the reason that was given."""
        there = {f.task.id: f.task.title for f in self.findings}
        return [f"{there[step]}: {why or 'no reason was given'}" for step, why in self.build.accepted.items() if step in there]

    @property
    def ahead(self) -> list[str]:
        """What was done before what it should have waited for."""
        return [f"{f.task.title}: {f.ahead}" for f in self.findings if f.ahead]

    @property
    def told(self) -> str:
        """What the verdict stands on: what was measured, and what was not."""
        measured = [f"{stage.label} {taken} of {asked}" for stage, (asked, taken) in self.asked.items()]
        unasked = [stage.label for stage in (Stage.WAKE, Stage.SET, Stage.PROVE) if stage not in self.asked]
        near = sum(f.tone is Verdict.NEAR for f in self.findings)
        nearly = sum(f.tone is not f.verdict for f in self.findings)
        said = [f"Readings taken: {', '.join(measured)}."] if measured else []
        said += (
            [f"{near} {'lies' if near == 1 else 'lie'} too close to the edge of {'its' if near == 1 else 'their'} window to tell."] if near else []
        )
        said += [f"{nearly} {'part fits' if nearly == 1 else 'parts fit'} as far as this meter can tell."] if nearly else []
        said += [f"Nothing was asked in {listed(unasked)}."] if unasked else []
        said += [self.beyond] if self.beyond else []
        return " ".join(said)
