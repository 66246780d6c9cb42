"""Opens kits and builds, takes commands, appends events, undoes: the only door the faces use."""

from __future__ import annotations

import threading
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path

from nuvlo.bench_line import Command
from nuvlo.instruments import InstrumentError
from nuvlo.instruments.simulated import HiddenUnit, SimulatedBench
from nuvlo.kit import Kit, Stage, read_kit
from nuvlo.logbook import (
    Body, Build, CautionConfirmed, ChoiceMade, CurveTaken, Event, Exported, Logbook, Note, PartMarked, PartMeasured,
    PartTicked, ReadingTaken, Redone, StepAccepted, StepDone, TrimmerTurned, Undone, WindowKept, fold,
)  # fmt: skip
from nuvlo.model import Band, Finding, Task, TrimCurve, Wants, Window, WorkingModel, finding
from nuvlo.model.working import Comparison
from nuvlo.problems import NuvloError, Problem
from nuvlo.quantity import Measured, Verdict
from nuvlo.stages import choose, fit, hand_over, hook_up, prove, sequence, set_up, unpack, wake
from nuvlo.stages.prove import Proof
from nuvlo.stages.set_up import Advice

SHIPPED = Path(__file__).parent / "demo" / "kits"
SHIPPED_PREFIX = "shipped:"
TASKS: dict[Stage, Callable[[Kit, Build], list[Task]]] = {
    Stage.UNPACK: unpack.tasks, Stage.CHOOSE: choose.tasks, Stage.SEQUENCE: sequence.tasks, Stage.FIT: fit.tasks,
    Stage.HOOK_UP: hook_up.tasks, Stage.WAKE: wake.tasks, Stage.SET: set_up.tasks, Stage.PROVE: prove.tasks,
    Stage.HAND_OVER: hand_over.tasks,
}  # fmt: skip


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
class Solved:
    """What the model said for a stage in one state of the build. ``key`` tells which state."""

    key: object
    stage: Stage
    windows: dict[tuple[str, str], Window] = field(default_factory=dict)
    comparisons: tuple[Comparison, ...] = ()
    trim_curve: TrimCurve | None = None
    advice: Advice | None = None
    band: Band | None = None
    proof: Proof | None = None
    problem: str = ""


@dataclass(frozen=True)
class Reply:
    """What came of a command, in words; ``shows`` names something the face should turn to."""

    words: str
    shows: str = ""


class Session:
    """One build on the bench. Commands may come from any thread, one at a time; reading the state is quick."""

    def __init__(self, workshop: Workshop, kit: Kit, build: Build, events: list[Event]) -> None:
        self.workshop, self.kit, self.build = workshop, kit, build
        self._events = events
        self._lock = threading.RLock()
        self._solved: dict[Stage, Solved] = {}
        self._chosen_stage: Stage | None = None
        self._looking_at: str | None = None
        self._stop = threading.Event()
        self._model: tuple[object, WorkingModel] | None = None
        self._found: dict[Stage, list[Finding]] = {}  # kept until the next event or answer of the model
        self.bench = workshop.bench_for(kit, build)

    # -- what is asked, what is known ---------------------------------------------------------------------------

    def tasks(self, stage: Stage) -> list[Task]:
        """Cautions of the stage, then its own tasks."""
        cautions = [
            Task(f"{stage.value}.caution.{h.id}", stage, Wants.CONFIRM, "Caution", h.danger, h.id, hazard=h)
            for h in self.kit.info.hazard if h.stage is stage
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
        if stage is Stage.PROVE and solved and solved.proof:
            proof = solved.proof
            return [
                Finding(f.task, f.done, proof.verdict, proof.words, accepted=f.accepted)
                if f.task.wants is Wants.SWEEP and f.done else f
                for f in found
            ]  # fmt: skip
        return found

    def gain_finding(self) -> Finding | None:
        """The gain as swept, against the band; None before the first sweep."""
        reading = self.build.latest("gain", "gain")
        if reading is None:
            return None
        task = Task("prove.gain", Stage.PROVE, Wants.READING, "Gain", target="gain", quantity="gain", unit="dB")
        return finding(task, self.build, {})

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
        if self._chosen_stage is not None:
            return self._chosen_stage
        for stage in Stage:
            if any(not f.done or f.stuck for f in self.findings(stage)):
                return stage
        return Stage.HAND_OVER

    def now(self) -> Finding | None:
        """The task in hand: the one looked back at, or the first of the stage that is not done. None at the end."""
        found = self.findings(self.stage)
        if self._looking_at is not None:
            for f in found:
                if f.task.id == self._looking_at:
                    return f
        return next((f for f in found if not f.done or f.stuck), None)

    @property
    def read_only(self) -> bool:
        return self.workshop.logbook.read_only

    # -- the model ----------------------------------------------------------------------------------------------

    def _working_model(self) -> WorkingModel:
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
        own = (len(b.curves), len(b.readings)) if stage in (Stage.SET, Stage.PROVE) else ()
        return parts, tuple(sorted(b.chosen_values.items())), supplies, watched, turns, own

    def wants_solving(self, stage: Stage) -> bool:
        """Whether :meth:`solve` would bring something new."""
        if self.kit.circuit is None or stage in (Stage.UNPACK, Stage.SEQUENCE, Stage.FIT):
            return False
        solved = self._solved.get(stage)
        return solved is None or solved.key != self.key(stage)

    def solve(self, stage: Stage) -> Solved:
        """Ask the model all that ``stage`` needs. Slow (up to a second or two); changes nothing: see :meth:`adopt`."""
        with self._lock:
            key, model = self.key(stage), self._working_model()
        try:
            return self._ask(model, stage, key)
        except NuvloError as error:
            return Solved(key, stage, problem=str(error))

    def _ask(self, model: WorkingModel, stage: Stage, key: object) -> Solved:
        info = self.kit.info
        if stage is Stage.CHOOSE and info.choice and info.prove:
            return Solved(key, stage, comparisons=tuple(choose.effects(model, info.choice[0].id)))
        if stage is Stage.HOOK_UP:
            return Solved(key, stage, _by_key(model.resistance_windows(model.ring_out_pairs())))
        if stage is Stage.WAKE:
            shorts = model.resistance_windows(model.supply_pairs())
            return Solved(key, stage, _by_key(shorts + model.voltage_windows()))
        if stage is Stage.SET and info.trim:
            curve = model.trim_curve(info.trim[0])
            return Solved(key, stage, trim_curve=curve, advice=set_up.advise(model, info.trim[0], curve))
        if stage in (Stage.PROVE, Stage.HAND_OVER) and info.prove:
            band = model.response_band
            curves = model.build.curves if model.build else []
            proof = prove.judge_curve(curves[-1], band, info.prove.reference_hz) if curves else None
            return Solved(key, stage, band=band, proof=proof)
        return Solved(key, stage)

    def adopt(self, solved: Solved) -> bool:
        """Take in an answer of :meth:`solve`, unless the question has changed meanwhile.

        Readings taken before the answer came get their window kept with them.
        """
        with self._lock:
            if solved.key != self.key(solved.stage):
                return False
            self._solved[solved.stage] = solved
            self._found = {}
            late = [
                (r, solved.windows[r.point, r.quantity]) for r in self.build.readings
                if r.stage == solved.stage.value and r.expected is None and (r.point, r.quantity) in solved.windows
            ]  # fmt: skip
            if late and not self.read_only:
                self.record(
                    *(WindowKept(reading=r.event, nominal=w.nominal, low=w.low, high=w.high) for r, w in late)
                )
            return True

    def solved(self, stage: Stage) -> Solved | None:
        """The newest answer for a stage, perhaps of an earlier state."""
        return self._solved.get(stage)

    def settle(self) -> None:
        """Solve and adopt what the stage in hand needs, now. For scripts and tests; the window does it off its thread."""
        while self.wants_solving(self.stage):
            self.adopt(self.solve(self.stage))

    # -- commands -----------------------------------------------------------------------------------------------

    def record(self, *bodies: Body) -> None:
        """Log events; when this returns they are on the disk and in :attr:`build`."""
        with self._lock:
            self._events += self.workshop.logbook.append(self.build.id, *bodies)
            self.build = fold(self.build.id, self._events)
            self._found = {}

    def execute(self, command: Command) -> Reply:
        """Carry out a command of the bench line. Raises :class:`Refused` or another :class:`NuvloError`."""
        with self._lock:
            handler = getattr(self, f"_do_{command.verb}", None)
            if handler is None:
                raise Refused(Problem(f"'{command.verb}' is for the window.", ""))
            if command.verb not in ("back", "stage", "next"):
                self._looking_at = None
            reply: Reply = handler(command)
            if command.verb not in ("back", "stage", "note", "find") and self._chosen_stage is not None:
                found = self.findings(self._chosen_stage)
                if all(f.done and not f.stuck for f in found):
                    self._chosen_stage = None
            return reply

    def _do_next(self, command: Command) -> Reply:
        if self._looking_at is not None:
            self._looking_at = None
            return Reply("Back to the step in hand.")
        f = self.now()
        if f is None:
            return Reply("All is done.")
        if f.stuck:
            raise Refused(
                Problem(f.words or "this step is stuck.", "Put it right and read again, mark the part 'swapped', or 'accept'.")
            )
        task = f.task
        match task.wants:
            case Wants.CONFIRM:
                raise Refused(Problem("a caution is not passed by going on.", "Read it, then type 'confirm'."))
            case Wants.TICK:
                self.record(PartTicked(ref=task.target))
            case Wants.STEP:
                self.record(StepDone(step=task.id))
            case Wants.CHOOSE:
                choice = next(c for c in self.kit.info.choice if c.id == task.target)
                return self._choose(choice.id, choice.options[0].value)
            case Wants.TURN:
                return self._turn_as_advised()
            case Wants.EXPORT:
                return self._do_sheet(command)
            case _:
                return self._do_read(command)
        return Reply(f"{task.title}: done.")

    def _do_back(self, _command: Command) -> Reply:
        found = self.findings(self.stage)
        now = self.now()
        at = next((k for k, f in enumerate(found) if now and f.task.id == now.task.id), len(found))
        if at == 0:
            raise Refused(Problem("this is the first step of the stage.", "Go to another with 'stage'."))
        self._looking_at = found[at - 1].task.id
        return Reply("Looking back; Space returns.")

    def _do_stage(self, command: Command) -> Reply:
        self._chosen_stage, self._looking_at = Stage(command.target), None
        return Reply(f"{self._chosen_stage.label}.")

    def _do_undo(self, _command: Command) -> Reply:
        if self.build.can_undo is None:
            raise Refused(Problem("there is nothing to take back.", ""))
        self.record(Undone(target=self.build.can_undo))
        self._rebuild_bench()
        return Reply("Taken back.")

    def _do_redo(self, _command: Command) -> Reply:
        if self.build.can_redo is None:
            raise Refused(Problem("there is nothing to put in again.", ""))
        self.record(Redone(target=self.build.can_redo))
        self._rebuild_bench()
        return Reply("Put in again.")

    def _rebuild_bench(self) -> None:
        """A trimmer turned and taken back stands where it stood: the bench follows the log."""
        if self.bench is not None:
            self.bench = self.workshop.bench_for(self.kit, self.build)

    def _do_note(self, command: Command) -> Reply:
        self.record(Note(text=command.text))
        return Reply("Noted.")

    def _do_find(self, command: Command) -> Reply:
        return Reply(self._where(command.target), command.target)

    def _where(self, ref: str) -> str:
        place = self.kit.board.placements.get(ref) if self.kit.board else None
        return f"{ref} lies at {place.x_mm:g}, {place.y_mm:g} mm." if place else f"{ref} is not on the board."

    def _do_tick(self, command: Command) -> Reply:
        self.record(PartTicked(ref=command.target))
        return Reply(f"{command.target} is there.")

    def _do_mark(self, command: Command) -> Reply:
        self.record(PartMarked(ref=command.target, state=command.text))
        if command.text == "swapped" and self.bench is not None:
            self.bench.unit.fit_part(command.target, self._value_of(command.target))
        return Reply(f"{command.target} is {command.text}.")

    def _value_of(self, ref: str) -> str:
        return self.build.chosen_values.get(ref, self.kit.part(ref).text)

    def _do_measure(self, command: Command) -> Reply:
        assert command.value is not None
        return self._measured(command.target, command.value, "typed")

    def _measured(self, ref: str, value: Measured, instrument: str) -> Reply:
        self.record(
            PartMeasured(ref=ref, value=value.value, uncertainty=value.uncertainty, unit=value.unit, instrument=instrument)
        )
        f = next((f for f in self.findings(Stage.UNPACK) if f.task.target == ref), None)
        return Reply(_verdict_words(f, ref, value))

    def _do_reading(self, command: Command) -> Reply:
        assert command.value is not None
        return self._reading(command.target, command.quantity, command.value, "typed")

    def _reading(self, point: str, quantity: str, value: Measured, instrument: str) -> Reply:
        stage = self.stage
        if value.unit == "Ω" and point != hook_up.LEADS:
            leads = self.build.latest(hook_up.LEADS, "resistance")
            if leads is not None:
                value = Measured(max(0.0, value.value - leads.measured.value), value.uncertainty, value.unit)
        solved = self._solved.get(stage)
        window = solved.windows.get((point, quantity)) if solved and solved.key == self.key(stage) else None
        expected = (window.nominal, window.low, window.high) if window else None
        self.record(
            ReadingTaken(point=point, quantity=quantity, value=value.value, uncertainty=value.uncertainty, unit=value.unit,
                         stage=stage.value, instrument=instrument, expected=expected)
        )  # fmt: skip
        f = next((f for f in self.findings(stage) if f.task.target == point and f.task.quantity == quantity), None)
        return Reply(_verdict_words(f, point, value))

    def _do_choose(self, command: Command) -> Reply:
        return self._choose(command.target, command.text)

    def _choose(self, choice_id: str, value: str) -> Reply:
        choice = next(c for c in self.kit.info.choice if c.id == choice_id)
        self.record(ChoiceMade(choice=choice.id, part=choice.part, value=value))
        if self.bench is not None and value != self.kit.part(choice.part).text:
            self.bench.unit.fit_part(choice.part, value)
        return Reply(f"{choice.part} will be {value}.")

    def _do_confirm(self, _command: Command) -> Reply:
        f = self.now()
        if f is None or f.task.wants is not Wants.CONFIRM:
            raise Refused(Problem("there is no caution to confirm.", ""))
        self.record(CautionConfirmed(hazard=f.task.target))
        return Reply("Confirmed.")

    def _do_accept(self, command: Command) -> Reply:
        f = self.now()
        if f is None or not f.stuck:
            raise Refused(Problem("nothing here is out of its window.", ""))
        self.record(StepAccepted(step=f.task.id, why=command.text))
        return Reply(f"{f.task.target or f.task.title} accepted as it is.")

    def _do_turn(self, command: Command) -> Reply:
        if self.bench is not None:
            self.bench.turn(command.target, command.degrees)
        self.record(TrimmerTurned(ref=command.target, degrees=command.degrees))
        return Reply(command.echo + ".")

    def _turn_as_advised(self) -> Reply:
        self.settle_if_simple()
        solved = self._solved.get(Stage.SET)
        advice = solved.advice if solved else None
        if advice is None or solved is None or solved.key != self.key(Stage.SET):
            raise Refused(Problem("the advice is still being worked out.", "Wait a moment."))
        if not advice.degrees:
            raise Refused(Problem(advice.words, ""))
        degrees = float(round(advice.degrees)) or (1.0 if advice.degrees > 0 else -1.0)
        way = "clockwise" if degrees > 0 else "anticlockwise"
        return self._do_turn(Command("turn", f"{advice.trim.trimmer} turned {abs(degrees):g}° {way}", advice.trim.trimmer,
                                     degrees=degrees))  # fmt: skip

    def settle_if_simple(self) -> None:
        """Advice is quick to solve once; do it where it is missing."""
        if self.wants_solving(Stage.SET):
            self.adopt(self.solve(Stage.SET))

    def _do_read(self, _command: Command) -> Reply:
        f = self.now()
        if f is None:
            raise Refused(Problem("there is nothing to read.", ""))
        task = f.task
        if task.wants not in (Wants.MEASURE, Wants.READING, Wants.SWEEP):
            raise Refused(Problem("no reading is asked for here.", ""))
        if self.bench is None:
            raise Refused(Problem(f"no instrument is connected: type what {task.target} reads.", "For example: 4.48"))
        if task.wants is Wants.SWEEP:
            return self._sweep()
        if task.wants is Wants.MEASURE:
            return self._measured(task.target, self.bench.part(task.target), self.bench.name)
        return self._reading(task.target, task.quantity, self._instrument(task), self.bench.name)

    def _instrument(self, task: Task) -> Measured:
        assert self.bench is not None
        if task.target == hook_up.LEADS:
            return self.bench.leads()
        if task.quantity == "current":
            return self.bench.supply_current(task.target)
        node = task.nodes[0]
        return self.bench.ohms(node) if task.quantity == "resistance" else self.bench.volts(node)

    def _do_sweep(self, _command: Command) -> Reply:
        if self.bench is None:
            raise Refused(Problem("no audio interface is connected.", ""))
        return self._sweep()

    def stop(self) -> None:
        """Ask a sweep under way to end without keeping anything. May be called from any thread."""
        self._stop.set()

    def _unless_stopped(self) -> None:
        if self._stop.is_set():
            raise Refused(Problem("the sweep was stopped; nothing of it was kept.", "Space starts it again."))

    def _sweep(self) -> Reply:
        """Sweep at a level that keeps every stage clean, and keep the response and the gain."""
        wanted = self.kit.info.prove
        assert wanted is not None and self.bench is not None
        self._stop.clear()
        model = self._working_model()
        level = model.clean_level()
        self._unless_stopped()
        if not level > 0:
            raise InstrumentError(Problem("no level keeps this unit clean.", "Check its bias first."))
        played = prove.log_sweep(wanted.from_hz, wanted.to_hz, level)
        recording = self.bench.play_and_record(played, prove.RATE)
        self._unless_stopped()
        band = model.response_band
        db = prove.measured_response(played, recording.signal, recording.rate, band.frequency)
        curve = CurveTaken(
            name="response", frequency=tuple(band.frequency.tolist()), magnitude_db=tuple(db.tolist()),
            uncertainty_db=recording.uncertainty_db, level=level, instrument=self.bench.name,
        )  # fmt: skip
        proof = prove.judge_curve(curve, band, wanted.reference_hz)
        gain = ReadingTaken(
            point="gain", quantity="gain", value=proof.gain_db, uncertainty=recording.uncertainty_db, unit="dB",
            stage=Stage.PROVE.value, instrument=self.bench.name,
            expected=((proof.gain_low + proof.gain_high) / 2, proof.gain_low, proof.gain_high),
        )  # fmt: skip
        self._unless_stopped()
        self.record(curve, gain)
        self.adopt(Solved(self.key(Stage.PROVE), Stage.PROVE, band=band, proof=proof))
        return Reply(proof.words)

    # -- hand over ----------------------------------------------------------------------------------------------

    def _do_sheet(self, _command: Command) -> Reply:
        pdf = self.write_sheet()
        self.record(Exported(file=pdf.name))
        return Reply(f"Written: {pdf.name} and {pdf.stem}.csv in {self.workshop.sheets.name}/.", "sheet")

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
            hand_over.write_readings(self.build, path.with_suffix(".csv"))
        except OSError as error:
            raise Refused(
                Problem(f"the sheet could not be written: {error.strerror}.", "Free space or open the folder, then 'sheet'.")
            ) from error
        return path


class Workshop:
    """A folder with a logbook, and the kits within reach."""

    def __init__(self, folder: Path, wrong: Mapping[str, str | float] | None = None) -> None:
        """``wrong`` puts wrong parts into the units of simulated benches, for practice and for tests."""
        self.folder = Path(folder)
        self.wrong = wrong
        self.logbook = Logbook(self.folder / "logbook.db")

    def close(self) -> None:
        self.logbook.close()

    @property
    def sheets(self) -> Path:
        return self.folder / "sheets"

    def builds(self) -> list[Build]:
        return self.logbook.builds()

    def start(self, kit: Kit, serial: str | None = None, bench: str = "typed") -> Session:
        """A new build of ``kit``."""
        folder = kit.folder.resolve()
        # Shipped kits move with the program; their place is kept by name.
        place = f"{SHIPPED_PREFIX}{folder.name}" if folder.parent == SHIPPED.resolve() else str(folder)
        serial = serial or f"{1 + sum(b.kit == kit.name for b in self.builds()):03d}"
        build = self.logbook.start(kit.name, place, serial, bench)
        return Session(self, kit, build, self.logbook.events(build.id))

    def open(self, build_id: str) -> Session:
        """A build as its log left it."""
        events = self.logbook.events(build_id)
        build = fold(build_id, events)
        kit = read_kit(kit_place(build.folder))
        return Session(self, kit, build, events)

    def bench_for(self, kit: Kit, build: Build) -> SimulatedBench | None:
        """The simulated bench of a demo build, standing where the log left it; None where values are typed in."""
        kind, _, seed = build.bench.partition(":")
        if kind != "simulated" or kit.circuit is None:
            return None
        bench = SimulatedBench(HiddenUnit(kit, int(seed or 0), self.wrong))
        bench.follow(build)
        return bench


def kit_place(text: str) -> Path:
    """Folder of a kit as a build remembers it."""
    return SHIPPED / text.removeprefix(SHIPPED_PREFIX) if text.startswith(SHIPPED_PREFIX) else Path(text)


def demo_workshop(folder: Path) -> Workshop:
    """The demo workshop in ``folder``, with a first build on a simulated bench when it is new."""
    workshop = Workshop(folder)
    if not workshop.builds() and not workshop.logbook.read_only:
        workshop.start(read_kit(SHIPPED / "gorsefire"), bench="simulated:7")
    return workshop


def _by_key(windows: list[Window]) -> dict[tuple[str, str], Window]:
    return {(w.point, w.quantity): w for w in windows}


def _verdict_words(f: Finding | None, target: str, value: Measured) -> str:
    if f is None or f.window is None or f.verdict is Verdict.NOT_TAKEN:
        return f"{target} reads {value}."
    return f.words or f"{target} reads {value}: in window."
