"""A build carried through without hands: what the window does step by step, done in a loop on a simulated bench."""

from __future__ import annotations

from dataclasses import dataclass

from nuvlo.bench_line import Command
from nuvlo.commands import execute
from nuvlo.kit import Stage
from nuvlo.model import Wants
from nuvlo.problems import NuvloError
from nuvlo.session import Session

MOST_STEPS = 1000  # a build that asks for more than this is going round in a circle


@dataclass(frozen=True)
class Outcome:
    """How far a build came. ``stopped_at`` names the place where it stuck, with the ``reason``; both empty when finished."""

    finished: bool
    stage: Stage
    stopped_at: str
    reason: str
    steps: int


def run(session: Session) -> Outcome:
    """Do every step that is asked for until the sheet is written or a reading says stop."""
    for step in range(MOST_STEPS):
        session.settle()
        f = session.now()
        if f is None:
            return Outcome(True, session.stage, "", "", step)
        if f.stuck:
            return Outcome(False, f.task.stage, f.task.target or f.task.id, f.words, step)
        verb = "confirm" if f.task.wants is Wants.CONFIRM else "next"
        try:
            execute(session, Command(verb, ""))
        except NuvloError as error:
            return Outcome(False, f.task.stage, f.task.target or f.task.id, str(error), step)
    return Outcome(False, session.stage, "", f"not finished after {MOST_STEPS} steps", MOST_STEPS)
