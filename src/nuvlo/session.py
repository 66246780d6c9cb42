"""One build on the bench: what is asked, what is known, and what the model has answered so far."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from nuvlo.kit import Kit, Stage, look_alikes
from nuvlo.kit.assembly import board_order
from nuvlo.kit.hazards import hazards
from nuvlo.kit.variant import changes_of, varied
from nuvlo.logbook import Body, Build, Event, WindowKept, fold
from nuvlo.model import Band, Finding, Task, TrimCurve, Wants, Window, WorkingModel, finding
from nuvlo.model.working import Comparison
from nuvlo.problems import NuvloError, Problem
from nuvlo.quantity import Verdict
from nuvlo.stages import choose, fit, hand_over, hook_up, prove, sequence, set_up, unpack, wake
from nuvlo.stages.choose.search import Drawn, Proposal
from nuvlo.stages.prove import Proof
from nuvlo.stages.sequence.jobs import still_drying
from nuvlo.stages.set_up import Advice

if TYPE_CHECKING:
    from nuvlo.workshop import Workshop

TASKS: dict[Stage, Callable[[Kit, Build], list[Task]]] = {
    Stage.UNPACK: unpack.tasks, Stage.CHOOSE: choose.tasks, Stage.SEQUENCE: sequence.tasks, Stage.FIT: fit.tasks,
    Stage.HOOK_UP: hook_up.tasks, Stage.WAKE: wake.tasks, Stage.SET: set_up.tasks, Stage.PROVE: prove.tasks,
    Stage.HAND_OVER: hand_over.tasks,
}  # fmt: skip


IRON_HOT = timedelta(hours=12)  # after soldering, that somebody coming back is asked about the iron


class Refused(NuvloError):
    """The command makes no sense just now; nothing was logged."""


@dataclass(frozen=True)
class StageState:
    """One stepping stone of the path. ``state`` is ``done``, ``in hand``, ``stuck``, ``to come`` or ``nothing to do``."""

    stage: Stage
    state: str
    done: int
    total: int


@dataclass(frozen=True)
class Running:
    """Something against a clock, until when; ``open`` glue hurries, what dries only waits."""

    words: str
    until: datetime
    open: bool = False


@dataclass(frozen=True)
class Solved:
    """What the model said for a stage in one state of the build. ``key`` tells which state."""

    key: object
    stage: Stage
    windows: dict[tuple[str, str], Window] = field(default_factory=dict)
    comparisons: tuple[Comparison, ...] = ()
    proposals: dict[str, tuple[Proposal, ...]] = field(default_factory=dict)
    printed: dict[str, Proposal] = field(default_factory=dict)  # what choices with moves do as the kit is printed
    curves: dict[str, Drawn] = field(default_factory=dict)  # of what is printed and the first proposals
    trim_curve: TrimCurve | None = None
    advice: Advice | None = None
    band: Band | None = None
    proof: Proof | None = None
    problem: str = ""


class Session:
    """One build on the bench. Commands may come from any thread, one at a time; reading the state is quick."""

    def __init__(self, workshop: Workshop, kit: Kit, build: Build, events: list[Event]) -> None:
        self.workshop, self.build = workshop, build
        self.box = kit  # as it came
        self.kit = varied(kit, changes_of(kit, build.changes))  # as it is built
        self._events = events
        self.from_drawer = False  # whether Choose is to look no farther than the drawer
        self.lock = threading.RLock()
        self._solved: dict[Stage, Solved] = {}
        self.chosen_stage: Stage | None = None
        self.looking_at: str | None = None
        self.stopping = threading.Event()
        self._model: tuple[object, WorkingModel] | None = None
        self._found: dict[Stage, list[Finding]] = {}  # kept until the next event or answer of the model
        self.bench = workshop.bench_for(self.kit, build)
        look_alikes.look_alikes(self.kit)  # kept with the kit: found here, off the interface thread
        board_order(self.kit, build.school)

    # -- what is asked, what is known ---------------------------------------------------------------------------

    def tasks(self, stage: Stage) -> list[Task]:
        """Cautions of the stage, then its own tasks."""
        cautions = [
            Task(f"{stage.value}.caution.{h.id}", stage, Wants.CONFIRM, "Caution", h.danger, h.id, hazard=h)
            for h in hazards(self.kit, stage)
        ]  # fmt: skip
        return cautions + TASKS[stage](self.kit, self.build)

    def findings(self, stage: Stage) -> list[Finding]:
        """What is known of each task of ``stage``."""
        kept = self._found  # the dictionary of this state: another thread may begin a new one meanwhile
        if stage not in kept:
            kept[stage] = self._find(stage)
        return kept[stage]

    def _find(self, stage: Stage) -> list[Finding]:
        solved = self._solved.get(stage)
        windows = solved.windows if solved else {}
        found = [finding(t, self.build, windows) for t in self.tasks(stage)]
        if stage is Stage.UNPACK:
            return self._with_strips(found)
        if stage is Stage.PROVE:
            return [self._proved(f, solved) if f.task.wants is Wants.SWEEP and f.done else f for f in found]
        return found

    def _with_strips(self, found: list[Finding]) -> list[Finding]:
        """A part that is wrong with all of its strip says so, and names every place it would have gone."""
        wrong = unpack.strips(unpack.check_in(self.kit, self.build.measured, self.build.marks))
        words = {ref: strip.words for strip in wrong for ref in strip.refs}
        return [
            replace(f, words=f"{f.words} {words[f.task.target]}") if f.stuck and f.task.target in words else f
            for f in found
        ]  # fmt: skip

    def _proved(self, f: Finding, solved: Solved | None) -> Finding:
        """A sweep's verdict is that of its curve; where only the gain was measured, that of the gain."""
        if self.build.curves:
            proof = solved.proof if solved else None
            return Finding(f.task, True, proof.verdict, proof.words, accepted=f.accepted) if proof else f
        gain = self.gain_finding()
        return Finding(f.task, True, gain.verdict, gain.words, accepted=f.accepted) if gain else f

    def gain_finding(self) -> Finding | None:
        """The gain as swept, against the band; None before the first sweep."""
        reading = self.build.latest("gain", "gain")
        if reading is None:
            return None
        task = Task("prove.gain", Stage.PROVE, Wants.READING, "Gain", target="gain", quantity="gain", unit="dB")
        solved = self._solved.get(Stage.PROVE)
        return finding(task, self.build, solved.windows if solved else {})

    def path(self) -> list[StageState]:
        """The nine stepping stones."""
        out = []
        here = self.stage
        for stage in Stage:
            found = self.findings(stage)
            done = sum(f.done and not f.stuck for f in found)
            if any(f.stuck for f in found):
                state = "stuck"
            elif not found:
                state = "nothing to do"
            elif done == len(found):
                state = "done"
            else:
                state = "in hand" if stage is here or done else "to come"
            out.append(StageState(stage, state, done, len(found)))
        return out

    @property
    def stage(self) -> Stage:
        """The stage in hand: the one gone to, or the first that is not finished."""
        if self.chosen_stage is not None:
            return self.chosen_stage
        for stage in Stage:
            if any(not f.done or f.stuck for f in self.findings(stage)):
                return stage
        return Stage.HAND_OVER

    def now(self) -> Finding | None:
        """The task in hand: the one looked back at, or the first of the stage that is not done. None at the end."""
        found = self.findings(self.stage)
        if self.looking_at is not None:
            for f in found:
                if f.task.id == self.looking_at:
                    return f
        open_ones = [f for f in found if not f.done or f.stuck]
        return next((f for f in open_ones if not f.waits), next(iter(open_ones), None))

    def running(self) -> list[Running]:
        """Glue that is open, and what was done and is not dry, set or cool yet."""
        now = datetime.now().astimezone()
        out = []
        for one in self.kit.info.craft:
            step = f"fit.craft.{one.id}"
            if step in self.build.begun_at and step not in self.build.done:
                until = self.build.begun_at[step] + timedelta(minutes=one.open_minutes)
                out.append(Running(f"{one.title}: glue open", until, open=True))
        out += [
            Running(f"{title}: ready in", until) for title, until in still_drying(self.kit, self.build, now).values()
        ]
        return [r for r in out if r.until > now]

    def where_you_were(self) -> str:
        """For coming back: what was done last and when, what is in hand, what still dries. Empty for a new build."""
        build, now = self.build, self.now()
        if build.last_at is None or build.events < 2:
            return ""
        last = next((f.task.title for s in Stage for f in self.findings(s) if f.task.id == build.last_done), "an entry")
        ago = datetime.now(build.last_at.tzinfo) - build.last_at
        when = f"{ago.days} days ago" if ago.days > 1 else f"{build.last_at.astimezone():%A %H:%M}"
        said = [f"Last, {when}: {last}"]
        said += ["the iron may be on"] if build.last_done.startswith("fit.solder") and ago < IRON_HOT else []
        said += [f"in hand: {now.task.title}"] if now else []
        said += [f"{r.words} {r.until.astimezone():%a %H:%M}" for r in self.running()]
        return "; ".join(said) + "."

    @property
    def read_only(self) -> bool:
        return self.workshop.logbook.read_only

    # -- the model ----------------------------------------------------------------------------------------------

    def working_model(self) -> WorkingModel:
        """The model of the present state. One that answered for the same state is used again for what it has solved."""
        state = self.key(Stage.SET)
        if self._model is None or self._model[0] != state:
            self._model = (state, WorkingModel(self.kit, fold(self.build.id, self._events)))
        return self._model[1]

    def key(self, stage: Stage) -> object:
        """Changes whenever the model would answer otherwise for ``stage``."""
        b = self.build
        parts = tuple((ref, tuple(v)) for ref, v in sorted(b.measured.items()))
        supplies = tuple(b.latest(s.point) for s in self.kit.info.supply if s.point)
        watched = tuple(b.latest(t.watch) for t in self.kit.info.trim)
        turns = tuple((t.ref, t.degrees, t.readings_before) for t in b.turns)
        own: tuple[int, ...] = (len(b.curves), len(b.readings)) if stage in (Stage.SET, Stage.PROVE) else ()
        chosen = (tuple(sorted(b.chosen_values.items())), tuple(b.changes.items()))
        own = (self.from_drawer,) if stage is Stage.CHOOSE else own
        return parts, chosen, supplies, watched, turns, own

    def wants_solving(self, stage: Stage) -> bool:
        """Whether :meth:`solve` would bring something new."""
        if self.kit.circuit is None or stage in (Stage.UNPACK, Stage.SEQUENCE, Stage.FIT):
            return False
        solved = self.solved(stage)
        return solved is None or solved.key != self.key(solved.stage)

    def solve(self, stage: Stage) -> Solved:
        """Ask the model all that ``stage`` needs. Slow (up to a second or two); changes nothing: see :meth:`adopt`."""
        stage = _asked_as(stage)
        with self.lock:
            key, model = self.key(stage), self.working_model()
        try:
            return self._ask(model, stage, key)
        except NuvloError as error:
            return Solved(key, stage, problem=str(error))

    def _ask(self, model: WorkingModel, stage: Stage, key: object) -> Solved:
        info = self.kit.info
        if stage is Stage.CHOOSE and info.choice:
            optional = next((c for c in info.choice if c.options), None)
            compared = tuple(choose.effects(model, optional.id)) if optional and info.prove else ()
            drawer, only = self.workshop.drawer(), self.from_drawer
            proposed = {
                c.id: tuple(choose.propose(self.kit, c, build=model.build, drawer=drawer, only_drawer=only))
                for c in info.choice
            }
            printed = {c.id: p for c in info.choice if (p := choose.printed(self.kit, c, model.build)) is not None}
            drawn = {
                c.id: found for c in info.choice
                if c.id in printed and (found := choose.drawn(self.kit, c, (printed[c.id], *proposed[c.id][:2]), model.build))
            }  # fmt: skip
            return Solved(key, stage, comparisons=compared, proposals=proposed, printed=printed, curves=drawn)
        if stage is Stage.HOOK_UP:
            return Solved(key, stage, _by_key(model.resistance_windows(model.ring_out_pairs())))
        if stage is Stage.WAKE:
            shorts = model.resistance_windows(model.supply_pairs())
            return Solved(key, stage, _by_key(shorts + model.voltage_windows()))
        if stage is Stage.SET and info.trim:
            curve = model.trim_curve(info.trim[0])
            return Solved(key, stage, trim_curve=curve, advice=set_up.advise(model, info.trim[0], curve))
        if stage is Stage.PROVE and info.prove:
            band = model.response_band
            curves = model.build.curves if model.build else []
            proof = prove.judge_curve(curves[-1], band, info.prove.reference_hz) if curves else None
            low, nominal, high = (
                float(np.interp(np.log(info.prove.reference_hz), np.log(band.frequency), edge))
                for edge in (band.low, band.nominal, band.high)
            )
            gain = {("gain", "gain"): Window("gain", "gain", "dB", nominal, low, high)}
            return Solved(key, stage, gain, band=band, proof=proof)
        return Solved(key, stage)

    def adopt(self, solved: Solved) -> bool:
        """Take in an answer of :meth:`solve`, unless the question has changed meanwhile.

        Readings taken before the answer came get their window kept with them.
        """
        with self.lock:
            if solved.key != self.key(solved.stage):
                return False
            self._solved[solved.stage] = solved
            self._found = {}
            late = [
                (r, solved.windows[r.point, r.quantity]) for r in self.build.readings
                if r.stage == solved.stage.value and r.expected is None and (r.point, r.quantity) in solved.windows
            ]  # fmt: skip
            if late and not self.read_only:
                self.record(*(WindowKept(reading=r.event, nominal=w.nominal, low=w.low, high=w.high) for r, w in late))
            return True

    def solved(self, stage: Stage) -> Solved | None:
        """The newest answer for a stage, perhaps of an earlier state."""
        return self._solved.get(_asked_as(stage))

    def settle(self) -> None:
        """Solve and adopt what the stage in hand needs, now. For scripts and tests; the window does it off its thread."""
        while self.wants_solving(self.stage):
            self.adopt(self.solve(self.stage))

    # -- commands -----------------------------------------------------------------------------------------------

    def record(self, *bodies: Body) -> None:
        """Log events; when this returns they are on the disk and in :attr:`build`."""
        with self.lock:
            self._events += self.workshop.logbook.append(self.build.id, *bodies)
            before, self.build = self.build, fold(self.build.id, self._events)
            if self.build.changes != before.changes:
                self.kit = varied(self.box, changes_of(self.box, self.build.changes))
                self.bench = self.workshop.bench_for(self.kit, self.build)
            self._found = {}

    def forget(self) -> None:
        """Look at every task anew: time has passed."""
        self._found = {}

    def close_stage_if_done(self) -> None:
        """Leave a stage that was gone to once nothing in it is open."""
        if self.chosen_stage is not None and all(f.done and not f.stuck for f in self.findings(self.chosen_stage)):
            self.chosen_stage = None

    def stop(self) -> None:
        """Ask a sweep under way to end without keeping anything. May be called from any thread."""
        self.stopping.set()

    # -- hand over --------------------------------------------------------------------------------

    @property
    def sheet_path(self) -> Path:
        safe = "".join(c if c.isalnum() else "-" for c in f"{self.kit.name}-{self.build.serial}".lower())
        return self.workshop.sheets / f"{safe}.pdf"

    def sheet(self) -> hand_over.Sheet:
        """All the sheet says, from the present state."""
        gain = self.gain_finding()
        found = tuple(f for stage in Stage for f in self.findings(stage)) + ((gain,) if gain else ())
        solved = self._solved.get(Stage.PROVE)
        proof = solved.proof if solved else None
        return hand_over.Sheet(
            self.kit, self.build, found, proof.words if proof else "", proof.verdict if proof else Verdict.NOT_TAKEN
        )

    def write_review(self) -> Path:
        """Write the sheet on which someone else looks over the joints. Raises :class:`Refused` as :meth:`write_sheet`."""
        from nuvlo.stages.fit.review import write_review

        path = self.sheet_path.with_name(f"{self.sheet_path.stem}-review.pdf")
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            write_review(self.kit, self.build, self.workshop.pictures, path)
        except OSError as bad:
            raise Refused(
                Problem(f"{path.name} cannot be written: {bad}.", "Check the folder and its pictures.")
            ) from bad
        return path

    def write_shopping_list(self) -> Path:
        """Write what boxes seldom hold and what is missing, with costs. Raises :class:`Refused` as :meth:`write_letter`."""
        from nuvlo.kit.schools import taken
        from nuvlo.stages.unpack.letter import shopping_list

        lines = [
            f"{what}{f'  {cost:.2f}' if cost is not None else ''}"
            for what, cost in shopping_list(self.kit, self.build.marks, taken(self.build.stances, "wires") == "posts")
        ]
        return self._write_text("shopping", "\n".join(lines) + "\n")

    def write_letter(self) -> Path:
        """Write what is wrong with the box as plain text. Raises :class:`Refused` where there is nothing to write about."""
        from nuvlo.stages.unpack.letter import letter

        checked = unpack.check_in(self.kit, self.build.measured, self.build.marks)
        text = letter(self.kit, checked, unpack.strips(checked), self.build.marks)
        if not text:
            raise Refused(
                Problem("there is nothing to write about.", "Mark parts missing, wrong or doubtful, or measure them.")
            )
        return self._write_text("letter", text)

    def _write_text(self, what: str, text: str) -> Path:
        path = self.sheet_path.with_name(f"{self.sheet_path.stem}-{what}.txt")
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(text, encoding="utf-8")
        except OSError as bad:
            raise Refused(Problem(f"{path.name} cannot be written: {bad.strerror}.", "Check the folder.")) from bad
        return path

    def write_sheet(self) -> Path:
        """Write PDF and CSV; the path of the PDF. Raises :class:`Refused` when the folder does not take them."""
        from nuvlo.stages.hand_over.page import write_pdf

        if self.build.curves and self.wants_solving(Stage.PROVE):
            self.adopt(self.solve(Stage.PROVE))
        solved = self._solved.get(Stage.PROVE)
        path = self.sheet_path
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            write_pdf(self.sheet(), path, solved.band if solved else None)
            hand_over.write_readings(self.kit, self.build, path.with_suffix(".csv"))
        except OSError as error:
            raise Refused(
                Problem(
                    f"the sheet could not be written: {error.strerror}.", "Free space or open the folder, then 'sheet'."
                )
            ) from error
        return path


def _asked_as(stage: Stage) -> Stage:
    """Hand over asks the model nothing of its own: it wants to know what Prove does."""
    return Stage.PROVE if stage is Stage.HAND_OVER else stage


def _by_key(windows: list[Window]) -> dict[tuple[str, str], Window]:
    return {(w.point, w.quantity): w for w in windows}
