"""What a command answers, and what all its handlers share."""

from __future__ import annotations

from dataclasses import dataclass

from nuvlo.model import Finding
from nuvlo.quantity import Measured, Verdict
from nuvlo.session import Session


@dataclass(frozen=True)
class Reply:
    """What came of a command, in words; ``shows`` names something the face should turn to."""

    words: str
    shows: str = ""


class Handlers:
    """Methods named for the verbs of the bench line, for one session."""

    def __init__(self, session: Session) -> None:
        self.s = session


def verdict_words(f: Finding | None, target: str, value: Measured) -> str:
    if f is None or f.window is None or f.verdict is Verdict.NOT_TAKEN:
        return f"{target} reads {value}."
    return f.words or f"{target} reads {value}: in window."
