"""What comes of a command: a reply at once, or work that takes a while and a reply after it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from nuvlo.quantity import Measured, Verdict
from nuvlo.stages.task import Finding


@dataclass(frozen=True)
class Reply:
    """What came of a command, in words; ``shows`` names a part that the face should turn to."""

    words: str
    shows: str = ""


@dataclass(frozen=True)
class Work:
    """What a command wants done without holding the session or the log: ``job`` may take seconds and be stopped; ``then``
    takes its result, logs what is to be kept, and says what came of it."""

    words: str
    job: Callable[[], Any]
    then: Callable[[Any], Reply]


Outcome = Reply | Work


def verdict_words(f: Finding | None, read: str, value: Measured) -> str:
    """What a reading says, in one sentence; ``read`` is what was read, in words."""
    if f is None or f.window is None or f.verdict is Verdict.NOT_TAKEN:
        return f"{read} reads {value}."
    return f.words or f"{read} reads {value}: in window."
