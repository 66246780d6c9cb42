"""One state of one build, as a value: what is asked, what is known, where it stands. Faces show snapshots and nothing else."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from functools import cached_property
from pathlib import Path
from typing import TypeVar

from nuvlo import clock
from nuvlo.craft.bend import bends
from nuvlo.craft.look_alikes import look_alikes
from nuvlo.diagnosis.mistakes import Flaw
from nuvlo.diagnosis.probes import TOUCH, WHOLE, lies_on_board
from nuvlo.kit import Kit, Stage
from nuvlo.kit.step_id import StepId, craft_step
from nuvlo.logbook import Build
from nuvlo.quantity import Verdict
from nuvlo.stages import discharge, hand_over, prove
from nuvlo.stages.answer import Solved
from nuvlo.stages.lacks import lacks
from nuvlo.stages.registry import asked_as, findings, row
from nuvlo.stages.sequence.jobs import still_drying
from nuvlo.stages.suspects import Suspicion, hunt_task, offers, probe_task, stops
from nuvlo.stages.task import Finding, Shown, Wants
from nuvlo.workshop.answers import SUSPECTS, Answer, Question

BUILT = (Stage.UNPACK, Stage.CHOOSE, Stage.SEQUENCE, Stage.FIT, Stage.HOOK_UP)  # what lies behind a unit that is hunted in
HUNTED = (Stage.WAKE, Stage.SET, Stage.PROVE)
NOTHING_OUT = "Something is wrong, though no reading is out of its window."
IRON_HOT = timedelta(hours=12)  # after soldering, that somebody coming back is asked about the iron
A = TypeVar("A", bound=Solved)


@dataclass(frozen=True)
class StageState:
    """One stepping stone of the path. ``state`` is ``done``, ``in hand``, ``stuck``, ``to come``, ``nothing to do`` or ``lacks input``."""

    stage: Stage
    state: str
    done: int
    total: int


@dataclass(frozen=True)
class Running:
    """Something against a clock, until when; ``open`` glue hurries, what dries only waits. ``stages`` are those it concerns."""

    title: str
    until: datetime
    open: bool = False
    stages: frozenset[Stage] = frozenset(Stage)

    @property
    def words_before_time_left(self) -> str:
        """As in ``Glue the carcass: ready in`` 3 h."""
        return f"{self.title}: {'glue open' if self.open else 'ready in'}"

    @property
    def words_before_moment(self) -> str:
        """As in ``Glue the carcass: ready`` Thu 11:27."""
        return f"{self.title}: {'glue open until' if self.open else 'ready'}"


@dataclass(frozen=True)
class Snapshot:
    """All that may be shown of a build at a moment. Made off the interface thread by :meth:`made_ready`; reading it is quick."""

    box: Kit  # as it came
    kit: Kit  # as it is built
    build: Build
    answers: Mapping[Stage | str, Answer] = field(default_factory=dict)
    questions: Mapping[Stage, Question] = field(default_factory=dict)  # what each stage would ask in this state
    gone_to: Stage | None = None  # a stage that was gone to
    looking_at: str | None = None  # a step that is looked back at
    from_drawer: bool = False
    flaws: tuple[Flaw, ...] = ()  # what is to be seen in a unit of the practice bench
    hunting: bool = False  # whether a mistake is looked for without a reading that stops anything
    has_bench: bool = False
    read_only: bool = False
    sheet_path: Path = Path()
    suspecting: Question | None = None  # what would be asked of what went wrong, where a reading stops the stage in hand
    at: datetime = field(default_factory=clock.now)
    _found: dict[Stage, tuple[Finding, ...]] = field(default_factory=dict, compare=False, repr=False)
    _runs: dict[str, list[Running]] = field(default_factory=dict, compare=False, repr=False)

    def made_ready(self) -> Snapshot:
        """With everything worked out that a window asks of it, so that showing it takes no time."""
        for stage in Stage:
            self.findings(stage)
        self.running()
        look_alikes(self.kit)
        bends(self.kit)
        return self

    # -- the model ----------------------------------------------------------------------------------------------

    def solved(self, stage: Stage) -> Solved | None:
        """The newest answer for a stage, perhaps of an earlier state."""
        answer = self.answers.get(asked_as(stage))
        return answer.solved if answer else None

    def answer(self, stage: Stage, kind: type[A]) -> A | None:
        """The same where it is of the kind that stage gives."""
        solved = self.solved(stage)
        return solved if isinstance(solved, kind) else None

    def fresh(self, stage: Stage) -> bool:
        """Whether the answer for a stage is one of this very state."""
        answer = self.answers.get(asked_as(stage))
        return answer is not None and answer.question == self.questions.get(stage)

    def wanted(self, stage: Stage) -> Question | None:
        """What the model is to be asked for ``stage``; None where an answer would bring nothing new."""
        asks = self.kit.unit is not None and row(asked_as(stage)).ask is not None
        return self.questions.get(stage) if asks and not self.fresh(stage) else None

    @property
    def suspicion(self) -> Suspicion | None:
        """Whom the readings accuse, where a reading stops the stage in hand and it is known for this very state."""
        answer = self.answers.get(SUSPECTS)
        if self.suspecting is None or answer is None or answer.question != self.suspecting or not isinstance(answer.solved, Suspicion):
            return None
        return answer.solved

    def wants_suspects(self) -> Question | None:
        """What is to be asked of what went wrong, where that is not known yet."""
        answer = self.answers.get(SUSPECTS)
        return None if self.suspecting is None or (answer and answer.question == self.suspecting) else self.suspecting

    # -- what is known ------------------------------------------------------------------------------------------

    def findings(self, stage: Stage) -> tuple[Finding, ...]:
        """What is known of each task of ``stage``."""
        if self.build.hunted and stage in BUILT:
            return ()  # it is built: what is wrong is to be found
        if stage not in self._found:
            answer = self.solved(stage)
            self._found[stage] = tuple(
                findings(stage, self.kit, self.build, answer, answer is not None and self.fresh(stage))
            )
        return self._found[stage]

    def gain(self) -> Finding | None:
        """The gain as swept or typed, against the band; None before there is one."""
        return prove.gain_finding(self.build, self.solved(Stage.PROVE) or Solved())

    @cached_property
    def stage(self) -> Stage:
        """The stage in hand: the one gone to, or the first that is not finished."""
        if self.gone_to is not None:
            return self.gone_to
        for stage in Stage:
            if any(not f.done or f.stuck for f in self.findings(stage)):
                return stage
        return Stage.HAND_OVER

    def now(self) -> Finding | None:
        """The task in hand: the one looked back at, or the first of the stage that is not done; where that is a reading out of its
        window, what is to be read to find the mistake. None at the end."""
        return self.probe() or self.in_hand()

    def stop(self) -> Finding | None:
        """The reading out of its window that stops the stage in hand."""
        f = self.in_hand()
        if self.hunting and self.stage in HUNTED and self.looking_at is None and not (f and f.task.wants is Wants.CONFIRM):
            return f if f is not None and f.stuck and stops(f) else Finding(hunt_task(self.stage), False, words=NOTHING_OUT)
        return f if f is not None and f.stuck and f.task.id != self.looking_at and stops(f) else None

    @property
    def by_eye(self) -> bool:
        """Whether the builder says what a look showed: of a simulated unit the bench does, but where a unit for practice is drawn as the lens
        shows it."""
        asked = self.suspicion.next if self.suspicion else None
        drawn = asked is None or (asked.quantity not in (*WHOLE, TOUCH) and all(lies_on_board(self.kit, ref) for ref in asked.looked))
        return not self.has_bench or (self.build.hunted and drawn)

    def probe(self) -> Finding | None:
        """What is to be read next to find what went wrong; before hands go inside a unit that may be charged, what is left in it."""
        found, stop = self.suspicion, self.stop()
        if found is None or stop is None:
            return None
        task = probe_task(self.kit, stop.task.stage, found)
        if task is not None and found.next is not None and found.next.state == "off":
            empty = discharge.tasks(self.kit, self.build, stop.task.stage, about="probe")
            task = next((t for t in empty if t.target not in self.build.emptied), task)
        return Finding(task, False, window=task.window) if task else None

    def in_hand(self) -> Finding | None:
        """The first task of the stage that is not done, or the one looked back at."""
        found = self.findings(self.stage)
        for f in found:
            if self.looking_at is not None and f.task.id == self.looking_at:
                return f
        open_ones = [f for f in found if not f.done or f.stuck]
        return next((f for f in open_ones if not f.lets_pass), next(iter(open_ones), None))

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
                built = self.build.hunted and stage in BUILT
                state = "done" if built else "lacks input" if lacks(self.kit, stage) else "nothing to do"
            elif done == len(found):
                state = "done"
            else:
                state = "in hand" if stage is here or done else "to come"
            out.append(StageState(stage, state, done, len(found)))
        return out

    def shown(self) -> Shown:
        """The readings that go with the step in hand."""
        stage, now = self.stage, self.now()
        pick = row(stage).shown
        if pick is None:
            judged = (f for f in self.findings(stage) if f.task.wants in (Wants.MEASURE, Wants.READING))
            return Shown("Readings", tuple(judged))
        shown = pick(self.findings, now)
        gain = self.gain() if asked_as(stage) is Stage.PROVE else None
        return Shown(shown.heading, (gain, *shown.findings)) if gain else shown

    def advice(self) -> str:
        """What the model says of the step in hand; empty where it says nothing, or nothing yet."""
        if self.suspicion is not None and self.probe() is not None:
            return self.suspicion.why
        now, solved = self.now(), self.solved(self.stage)
        if now is None or solved is None or not self.fresh(self.stage):
            return ""
        return row(now.task.stage).advice(now, solved)

    def offers(self) -> list[tuple[str, str]]:
        """What may be picked at the step in hand: in words, and as the line that picks it."""
        now, found = self.now(), self.suspicion
        if found is not None:
            return offers(found, now, self.by_eye)
        return row(now.task.stage).offers(self.kit, now, self.solved(now.task.stage) or Solved()) if now else []

    # -- clocks -------------------------------------------------------------------------------------------------

    def running(self) -> list[Running]:
        """Glue that is open, and what was done and is not dry, set or cool yet."""
        if "now" not in self._runs:
            self._runs["now"] = self._run()
        return self._runs["now"]

    def _run(self) -> list[Running]:
        out = []
        for one in self.kit.info.craft:
            step = craft_step(one.id)
            if step in self.build.begun_at and step not in self.build.done:
                until = self.build.begun_at[step] + timedelta(minutes=one.open_minutes)
                out.append(Running(one.title, until, open=True))
        for step, (title, until) in still_drying(self.kit, self.build, self.at).items():
            waits_for_it = (
                frozenset({Stage.FIT, Stage.WAKE}) if not step.does(Stage.FIT, "craft") else frozenset({Stage.FIT})
            )
            out.append(Running(title, until, stages=waits_for_it))
        known = {(r.title, r.until) for r in out}
        for stage in Stage:  # whatever else holds a step
            held = {(h.title, h.until) for f in self.findings(stage) if not f.done for h in f.task.holds}
            out += [Running(title, until, stages=frozenset({stage})) for title, until in sorted(held - known)]
        return [r for r in out if r.until > self.at]

    def where_you_were(self) -> str:
        """For coming back: what was done last and when, what is in hand, what still dries. Empty for a new build."""
        build, now = self.build, self.now()
        unread = ""
        if build.unread:
            many = (
                "1 entry of this build cannot" if build.unread == 1 else f"{build.unread} entries of this build cannot"
            )
            unread = f"{many} be read by this Nuvlo; left as it is, and not counted. "
        if build.last_at is None or build.events < 2:
            return unread
        last = next((f.task.title for s in Stage for f in self.findings(s) if f.task.id == build.last_done), "an entry")
        ago = self.at - build.last_at
        when = f"{ago.days} days ago" if ago.days > 1 else f"{build.last_at.astimezone():%A %H:%M}"
        said = [f"Last, {when}: {last}"]
        soldered = StepId(build.last_done).does(Stage.FIT, "solder")
        said += ["the iron may be on"] if soldered and ago < IRON_HOT else []
        said += [f"in hand: {now.task.title}"] if now else []
        said += [f"{r.words_before_moment} {r.until.astimezone():%a %H:%M}" for r in self.running()]
        return unread + "; ".join(said) + "."

    # -- hand over ----------------------------------------------------------------------------------------------

    def sheet(self) -> hand_over.Sheet:
        """All the sheet says of this state."""
        gain = self.gain()
        found = tuple(f for stage in Stage for f in self.findings(stage)) + ((gain,) if gain else ())
        proved = self.answer(Stage.PROVE, prove.Proved)
        proof = proved.proof if proved else None
        return hand_over.Sheet(
            self.kit, self.build, found, proof.words if proof else "", proof.verdict if proof else Verdict.NOT_TAKEN
        )
