"""A build carried through without hands: what the window does step by step, done in a loop on a simulated bench."""

from __future__ import annotations

from dataclasses import dataclass

from nuvlo.clock import ahead
from nuvlo.kit import Stage
from nuvlo.problems import NuvloError
from nuvlo.progress import Stopped
from nuvlo.stages.task import Wants
from nuvlo.workshop.commands.command import Command
from nuvlo.workshop.commands.execute import execute
from nuvlo.workshop.session import Session

MOST_STEPS = 1000  # a build that asks for more than this is going round in a circle


@dataclass(frozen=True)
class Outcome:
    """How far a build came. ``stopped_at`` names the place where it stuck, with the ``reason``; both empty when finished."""

    finished: bool
    stage: Stage
    stopped_at: str
    reason: str
    steps: int


def run(session: Session, until: Stage | None = None, title: str = "") -> Outcome:
    """Do every step that is asked for until the sheet is written or a reading says stop.

    With ``until`` it ends when that stage asks for a step whose title begins with ``title`` and which is no caution. What dries or sets is
    waited for where the clock can be put ahead (:mod:`nuvlo.clock`); else it ends there.
    """
    for step in range(MOST_STEPS):
        session.settle()
        f = session.now()
        if f is None:
            return Outcome(True, session.stage, "", "", step)
        wanted = session.stage is until and not f.task.hazard and f.task.title.startswith(title)
        if f.stuck or wanted:
            return Outcome(False, f.task.stage, f.task.target or f.task.id, f.words, step)
        if f.waits and f.task.held is not None and (clock := ahead()) is not None:
            clock.wait_until(f.task.held.until)
            session.forget()
            continue
        verb = "confirm" if f.task.wants is Wants.CONFIRM else "next"
        try:
            execute(session, Command(verb))
        except Stopped:
            raise
        except NuvloError as error:
            return Outcome(False, f.task.stage, f.task.target or f.task.id, str(error), step)
    return Outcome(False, session.stage, "", f"not finished after {MOST_STEPS} steps", MOST_STEPS)
