"""Carries commands out: looks the row up, does it, and goes on from there."""

from __future__ import annotations

from typing import Any

from nuvlo.logbook.errors import Overtaken
from nuvlo.problems import Problem
from nuvlo.workshop.commands.arguments import Nothing
from nuvlo.workshop.commands.command import Command
from nuvlo.workshop.commands.outcome import Outcome, Reply, Work
from nuvlo.workshop.commands.verbs import STAGE, STEP, VERBS
from nuvlo.workshop.session import Refused, Session


def begin(session: Session, command: Command) -> Outcome:
    """Carry out a command, or say what work it wants done first; its result goes to :func:`finish`.

    Raises :class:`Refused` or another :class:`NuvloError`; then nothing was logged.
    """
    verb = VERBS[command.verb]
    if verb.does is None:
        raise Refused(Problem(f"'{command.verb}' is for the window.", ""))
    with session.lock:
        if not verb.looks:
            session.log.refuse_changes()  # before a file is copied or a step is left
        if STEP not in verb.keeps and session.looking_at is not None:
            session.look_at(None)
        meant = _meant(session, command)
        try:
            outcome = verb.does(session, command.given)
        except Overtaken:
            if _meant(session, command) != meant:
                raise
            outcome = verb.does(session, command.given)
        if isinstance(outcome, Reply):
            _settle(session, command)
        return outcome


def finish(session: Session, command: Command, work: Work, result: Any) -> Reply:
    """Log what came of a command's work, and say it."""
    with session.lock:
        try:
            reply = work.then(result)
        except Overtaken:  # what was found stands by itself
            reply = work.then(result)
        _settle(session, command)
        return reply


def execute(session: Session, command: Command) -> Reply:
    """Carry out a command whole, its work too. For scripts and tests; the window does the work off the log's thread."""
    outcome = begin(session, command)
    return finish(session, command, outcome, outcome.job()) if isinstance(outcome, Work) else outcome


def _meant(session: Session, command: Command) -> object:
    """What a command that does not name it speaks of: the step in hand, or the last entry."""
    if command.verb == "undo":
        return session.build.can_undo
    if isinstance(command.given, Nothing) or command.verb == "accept":
        now = session.now()
        return now and (now.task.id, now.reading)
    return None


def _settle(session: Session, command: Command) -> None:
    if STAGE not in VERBS[command.verb].keeps:
        session.close_stage_if_done()
    session.accuse_at_once()
