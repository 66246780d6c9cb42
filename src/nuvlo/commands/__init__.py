"""What each command of the bench line does to a session."""

from __future__ import annotations

from nuvlo.bench_line import Command
from nuvlo.commands.fit import Fitting
from nuvlo.commands.reply import Reply
from nuvlo.commands.steps import Stepping
from nuvlo.problems import Problem
from nuvlo.session import Refused, Session

__all__ = ["Reply", "execute"]

LOOKING = ("back", "stage", "next")  # verbs that leave the step that is looked back at as it is
ONLY_SAYING = (
    "back",
    "stage",
    "note",
    "find",
    "what",
    "reads",
    "letter",
    "instead",
    "match",
    "shopping",
    "mod",
    "variant",
    "school",
    "drawer",
    "tonight",
)  # verbs after which a stage gone to stays open


def execute(session: Session, command: Command) -> Reply:
    """Carry out a command. Raises :class:`Refused` or another :class:`NuvloError`; then nothing was logged."""
    with session.lock:
        handler = getattr(_Commands(session), command.verb, None)
        if handler is None:
            raise Refused(Problem(f"'{command.verb}' is for the window.", ""))
        if command.verb not in LOOKING:
            session.looking_at = None
        reply: Reply = handler(command)
        if command.verb not in ONLY_SAYING:
            session.close_stage_if_done()
        return reply


class _Commands(Stepping, Fitting):
    """One method for each verb of the bench line."""
