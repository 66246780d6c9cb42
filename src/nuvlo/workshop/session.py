"""One build on the bench: its log, what the model answered, and the state that comes of both."""

from __future__ import annotations

import threading
from collections import Counter
from collections.abc import Callable, Iterable
from contextlib import suppress
from dataclasses import replace
from pathlib import Path
from typing import Protocol, TypeVar

from nuvlo.diagnosis.diagnosis import Diagnosis
from nuvlo.diagnosis.mistakes import Flaw, flaws_of
from nuvlo.files.mistakes import Habits
from nuvlo.files.whole import file_name
from nuvlo.instruments.bench import Bench
from nuvlo.kit import Kit, Stage
from nuvlo.kit.variant import changes_of, varied
from nuvlo.logbook import Body, Build, Event, Fold, WindowKept
from nuvlo.logbook.errors import Overtaken
from nuvlo.logbook.projections import Card
from nuvlo.measurement import Observable
from nuvlo.model import WorkingModel
from nuvlo.problems import NuvloError
from nuvlo.stages.answer import Asked, Solved
from nuvlo.stages.task import Finding, Task
from nuvlo.workshop import answers
from nuvlo.workshop.answers import Answer, Answers, Question
from nuvlo.workshop.places import Places
from nuvlo.workshop.snapshot import Running, Snapshot, StageState

BenchOf = Callable[[Kit, Build], Bench | None]
A = TypeVar("A", bound=Solved)


class Refused(NuvloError):
    """The command makes no sense just now; nothing was logged."""


class Log(Protocol):
    """What a session asks of a logbook."""

    read_only: bool

    def append(self, build_id: str, *bodies: Body, seen: int | None = None) -> tuple[Event, ...]: ...

    def events(self, build_id: str, after: int = 0) -> list[Event]: ...

    def refuse_changes(self) -> None: ...

    def builds(self) -> list[Build]: ...

    def keep_card(self, card: Card) -> None: ...


class Session:
    """One build on the bench. Commands come from one thread at a time; any thread may take a :meth:`snapshot`.

    The log is written by :meth:`record` alone, on the thread of whoever carries out commands.
    """

    def __init__(
        self, log: Log, places: Places, bench_of: BenchOf, kit: Kit, build_id: str, events: list[Event]
    ) -> None:
        self.log, self.places, self._bench_of = log, places, bench_of
        self._fold = Fold(build_id)
        self.build = self._fold.add(events)
        self.box = kit  # as it came
        self.kit = varied(kit, changes_of(kit, self.build.changes))  # as it is built
        self.from_drawer = False  # whether Choose is to look no farther than the drawer
        self.gone_to: Stage | None = None
        self.hunting = False  # whether a mistake is looked for
        self.skipped: frozenset[Observable] = frozenset()  # readings that are out of reach, while one is looked for
        self.looking_at: str | None = None
        self.lock = threading.RLock()
        self._answers = Answers()
        self._snapshot: Snapshot | None = None
        self.bench = bench_of(self.kit, self.build)

    # -- state --------------------------------------------------------------------------------------------------

    def snapshot(self) -> Snapshot:
        """The present state as a value. The same one until something changes."""
        with self.lock:
            if self._snapshot is None:
                self._snapshot = Snapshot(
                    self.box, self.kit, self.build, self._answers.solved, {s: self.question(s) for s in Stage}, self.gone_to,
                    self.looking_at, self.from_drawer, self._flaws(), self.hunting, self.bench is not None, self.log.read_only, self.sheet_path,
                )  # fmt: skip
                stop = self._snapshot.stop() if self.kit.unit is not None else None
                if stop is not None:
                    self._snapshot = replace(self._snapshot, suspecting=self._answers.suspecting(self.kit, self.build, stop.task, self.skipped))
            return self._snapshot

    def forget(self) -> None:
        """Look at every task anew: time has passed, or something beside the log has changed."""
        self._snapshot = None

    def go_to(self, stage: Stage | None) -> None:
        """Take a stage in hand out of turn; None for the first that is not finished."""
        self.gone_to, self.looking_at = stage, None
        self.forget()

    def look_at(self, step: str | None) -> None:
        """Look back at a step; None for the one in hand."""
        self.looking_at = step
        self.forget()

    def hunt(self, on: bool) -> None:
        """Look for a mistake, or no more, though no reading stops anything."""
        self.hunting, self.skipped = on, frozenset()
        self.forget()

    def skip(self, of: Observable) -> None:
        """Ask for another reading: this one is out of reach."""
        self.skipped |= {of}
        self.forget()

    def use_drawer(self, only: bool) -> None:
        """Whether values are to come from the drawer alone."""
        self.from_drawer = only
        self.forget()

    def close_stage_if_done(self) -> None:
        """Leave a stage that was gone to once nothing in it is open."""
        if self.gone_to is not None and all(f.done and not f.stuck for f in self.findings(self.gone_to)):
            self.go_to(None)

    def tasks(self, stage: Stage) -> list[Task]:
        """Cautions of the stage, then its own tasks."""
        return [f.task for f in self.findings(stage)]

    def findings(self, stage: Stage) -> tuple[Finding, ...]:
        return self.snapshot().findings(stage)

    def path(self) -> list[StageState]:
        return self.snapshot().path()

    @property
    def stage(self) -> Stage:
        return self.snapshot().stage

    def now(self) -> Finding | None:
        return self.snapshot().now()

    def running(self) -> list[Running]:
        return self.snapshot().running()

    @property
    def read_only(self) -> bool:
        return self.log.read_only

    @property
    def sheet_path(self) -> Path:
        """Where the sheet is written; what else is written for people stands beside it."""
        words = (self.kit.name, self.build.serial, *(["practice"] if self.build.practised else []))
        return self.places.sheets / f"{file_name(*words)}.pdf"

    # -- the model ----------------------------------------------------------------------------------------------

    def question(self, stage: Stage) -> Question:
        """What ``stage`` would ask of the model now."""
        return self._answers.question(stage, self.kit, self.build, self.from_drawer)

    def wants_solving(self, stage: Stage) -> bool:
        """Whether :meth:`solve` would bring something new."""
        return self.snapshot().wanted(stage) is not None

    def working_model(self) -> WorkingModel:
        """The model of the present state. For one thread: that which solves."""
        with self.lock:
            return self._answers.model(self.kit, self.build)

    def asking(self, stage: Stage) -> tuple[Question, Asked]:
        """A question and all that is needed to answer it, of one and the same state."""
        with self.lock:
            drawer = tuple(self.places.drawer()) if stage is Stage.CHOOSE else ()
            return self.question(stage), Asked(self.working_model(), drawer, self.from_drawer)

    def accusing(self) -> tuple[Question, Asked]:
        """The same of what went wrong; for one thread: that which solves."""
        with self.lock:
            question = self.snapshot().suspecting
            assert question is not None
            diagnosis = self._answers.diagnosis(self.kit, self.build, self._habits, question.stage)
            return question, Asked(self.working_model(), diagnosis=diagnosis, skipped=self.skipped)

    def _flaws(self) -> tuple[Flaw, ...]:
        """What is to be seen in a unit of the practice bench."""
        hidden = self.bench.hidden if self.bench is not None else ()
        return tuple(flaw for mistake in hidden for flaw in flaws_of(mistake))

    def hunts(self) -> list[Build]:
        """Builds of this workshop with a mistake hidden in them that was looked for, this one too."""
        return [b for b in self.log.builds() if b.hunted and b.repairs]

    def _habits(self) -> Habits:
        """How often each kind of mistake is made, by this workshop's own repairs too."""
        return self.places.habits(Counter(r.cause for b in self.log.builds() if not b.hunted for r in b.repairs))

    def wants_table(self) -> bool:
        """Whether it is still to be worked out what each mistake would read, before a reading stops the unit in hand."""
        wires = self.stage is not Stage.HOOK_UP or bool(self.kit.ringing.wires)
        return self.kit.unit is not None and wires and not self._answers.knows_table(self.kit, self.build, self.stage)

    def make_table(self) -> None:
        """Work that out. Some seconds of a large kit; for one thread: that which solves."""
        with self.lock:
            diagnosis = self.diagnosis(self.stage)
        diagnosis.make_ready()

    def diagnosis(self, stage: Stage) -> Diagnosis:
        """What mistakes would make of what is read in a stage. Its table is not made before it is asked."""
        return self._answers.diagnosis(self.kit, self.build, self._habits, stage)

    def accuse_at_once(self) -> None:
        """Say what went wrong in this state, where the table of mistakes is made already: that takes no time."""
        with self.lock:
            asked = self.snapshot().wants_suspects()
            if asked and self._answers.knows_table(self.kit, self.build, asked.stage):
                self.adopt(answers.solve(*self.accusing()))

    def solve(self, stage: Stage) -> Answer:
        """Ask the model all that ``stage`` needs. Slow (up to a second or two); changes nothing: see :meth:`adopt`."""
        return answers.solve(*self.asking(stage))

    def adopt(self, answer: Answer) -> bool:
        """Take in an answer, unless the question has changed meanwhile or was another build's.

        Readings taken before the answer came get their window kept with them.
        """
        with self.lock:
            stage, windows = answer.question.stage, answer.solved.windows
            if answer.question.stopped is not None:
                if answer.question != self.snapshot().suspecting:
                    return False
                self._answers.take(answer)
                self.forget()
                return True
            if answer.question != self.question(stage):
                return False
            self._answers.take(answer)
            self.forget()
            late = [
                (r, windows[r.of]) for r in self.build.readings
                if r.stage == stage.value and r.expected is None and r.of in windows
            ]  # fmt: skip
            if late and not self.read_only:
                kept = [WindowKept(reading=r.event, nominal=w.nominal, low=w.low, high=w.high) for r, w in late]
                with suppress(Overtaken):  # then the question is another, and is asked again
                    self.record(*kept)
            return True

    def solved(self, stage: Stage) -> Solved | None:
        """The newest answer for a stage, perhaps of an earlier state."""
        return self.snapshot().solved(stage)

    def answer(self, stage: Stage, kind: type[A]) -> A | None:
        """The same where it is of the kind that stage gives."""
        return self.snapshot().answer(stage, kind)

    def settle(self) -> None:
        """Solve and adopt what the stage in hand needs, now. For scripts and tests; the window does it off its thread."""
        while self.wants_solving(self.stage):
            self.adopt(self.solve(self.stage))

    def accuse(self) -> None:
        """Say what went wrong, now, where a reading stops the stage in hand: as :meth:`settle`."""
        self.settle()
        if self.snapshot().wants_suspects():
            self.adopt(answers.solve(*self.accusing()))

    # -- the log ------------------------------------------------------------------------------------------------

    def record(self, *bodies: Body) -> None:
        """Log events; when this returns they are on the disk and in :attr:`build`.

        Raises :class:`Overtaken` where another window has gone on meanwhile; what it entered is in :attr:`build` then.
        """
        with self.lock:
            try:
                self._take_in(self.log.append(self.build.id, *bodies, seen=self._fold.seen))
            except Overtaken:
                self.catch_up()
                raise

    def catch_up(self) -> bool:
        """Take in what another window has entered; whether it has."""
        with self.lock:
            more = self.log.events(self.build.id, after=self._fold.seen)
            if more:
                self._take_in(more)
                self.follow_log()
            return bool(more)

    def _take_in(self, events: Iterable[Event]) -> None:
        before = self.build
        self.build = self._fold.add(events)
        if self.build.changes != before.changes:
            self.kit = varied(self.box, changes_of(self.box, self.build.changes))
            self.follow_log()
        self.forget()

    def follow_log(self) -> None:
        """Bring the bench to where the log stands: a trimmer turned and taken back stands where it stood."""
        if self.bench is not None:
            self.bench = self._bench_of(self.kit, self.build)
            self.forget()
