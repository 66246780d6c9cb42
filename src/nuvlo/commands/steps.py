"""Commands that move along: on, back, undo, notes, cautions."""

from __future__ import annotations

from nuvlo.bench_line import Command
from nuvlo.commands.bench import AtTheBench
from nuvlo.commands.choose import Choosing
from nuvlo.commands.reply import Reply
from nuvlo.kit import Stage
from nuvlo.logbook import (
    CautionConfirmed,
    Note,
    PartTicked,
    Redone,
    StepAccepted,
    StepDone,
    Undone,
)  # fmt: skip
from nuvlo.model import Wants
from nuvlo.problems import Problem
from nuvlo.session import Refused


class Stepping(AtTheBench, Choosing):
    """Commands that move along: on, back, undo, notes, cautions."""

    def next(self, command: Command) -> Reply:
        if self.s.looking_at is not None:
            self.s.looking_at = None
            return Reply("Back to the step in hand.")
        f = self.s.now()
        if f is None:
            return Reply("All is done.")
        if f.waits:
            raise Refused(Problem(f.words, "Or 'accept' to go on without."))
        if f.stuck:
            raise Refused(
                Problem(
                    f.words or "this step is stuck.",
                    "Put it right and read again, mark the part 'swapped', or 'accept'.",
                )
            )
        task = f.task
        match task.wants:
            case Wants.CONFIRM:
                raise Refused(Problem("a caution is not passed by going on.", "Read it, then type 'confirm'."))
            case Wants.TICK:
                self.s.record(PartTicked(ref=task.target))
            case Wants.STEP:
                self.s.record(StepDone(step=task.id))
            case Wants.CHOOSE:
                choice = next(c for c in self.s.kit.info.choice if c.id == task.target)
                return self._choose(choice.id, "printed" if choice.move else choice.options[0].value)
            case Wants.TURN:
                return self._turn_as_advised()
            case Wants.EXPORT:
                return self.sheet(command)
            case _:
                return self.read(command)
        return Reply(f"{task.title}: done.")

    def back(self, _command: Command) -> Reply:
        found = self.s.findings(self.s.stage)
        now = self.s.now()
        at = next((k for k, f in enumerate(found) if now and f.task.id == now.task.id), len(found))
        if at == 0:
            raise Refused(Problem("this is the first step of the stage.", "Go to another with 'stage'."))
        self.s.looking_at = found[at - 1].task.id
        return Reply("Looking back; Space returns.")

    def stage(self, command: Command) -> Reply:
        self.s.chosen_stage, self.s.looking_at = Stage(command.target), None
        return Reply(f"{self.s.chosen_stage.label}.")

    def undo(self, _command: Command) -> Reply:
        if self.s.build.can_undo is None:
            raise Refused(Problem("there is nothing to take back.", ""))
        self.s.record(Undone(target=self.s.build.can_undo))
        self._rebuild_bench()
        return Reply("Taken back.")

    def redo(self, _command: Command) -> Reply:
        if self.s.build.can_redo is None:
            raise Refused(Problem("there is nothing to put in again.", ""))
        self.s.record(Redone(target=self.s.build.can_redo))
        self._rebuild_bench()
        return Reply("Put in again.")

    def _rebuild_bench(self) -> None:
        """A trimmer turned and taken back stands where it stood: the bench follows the log."""
        if self.s.bench is not None:
            self.s.bench = self.s.workshop.bench_for(self.s.kit, self.s.build)

    def note(self, command: Command) -> Reply:
        self.s.record(Note(text=command.text))
        return Reply("Noted.")

    def find(self, command: Command) -> Reply:
        """Where a part lies; while parts go in, its own step is looked at, so that list, map and portrait show the same."""
        if self.s.stage is Stage.FIT and any(f.task.target == command.target for f in self.s.findings(Stage.FIT)):
            self.s.looking_at = next(f.task.id for f in self.s.findings(Stage.FIT) if f.task.target == command.target)
            return Reply(f"{self._where(command.target)} Space returns.", command.target)
        return Reply(self._where(command.target), command.target)

    def _where(self, ref: str) -> str:
        place = self.s.kit.board.placements.get(ref) if self.s.kit.board else None
        return f"{ref} lies at {place.x_mm:g}, {place.y_mm:g} mm." if place else f"{ref} is not on the board."

    def confirm(self, _command: Command) -> Reply:
        f = self.s.now()
        if f is None or f.task.wants is not Wants.CONFIRM:
            raise Refused(Problem("there is no caution to confirm.", ""))
        self.s.record(CautionConfirmed(hazard=f.task.target))
        return Reply("Confirmed.")

    def accept(self, command: Command) -> Reply:
        f = self.s.now()
        if f is None or not (f.stuck or f.waits):
            raise Refused(Problem("nothing here is out of its window.", ""))
        self.s.record(StepAccepted(step=f.task.id, why=command.text))
        return Reply(f"{f.task.target or f.task.title} accepted as it is.")
