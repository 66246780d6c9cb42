"""What is wrong in an input, where, and what to do about it.

Everything that reads something a person wrote reports through :class:`Problem`, so that the command line, the
window and the tests show one and the same sentence.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import asdict, dataclass
from typing import Any, Literal

Severity = Literal["error", "warning"]
LONGEST = 1000  # letters of a message
_ENDLESS = re.compile(r"\S{100,}")  # a word that nobody reads to its end


@dataclass(frozen=True, slots=True)
class Problem:
    """One finding. ``line`` and ``column`` count from 1; ``None`` where they make no sense."""

    message: str
    remedy: str = ""
    file: str | None = None
    line: int | None = None
    column: int | None = None
    ref: str | None = None
    severity: Severity = "error"
    alters: bool = False  # a warning of something passed over that may change what is worked out

    def __post_init__(self) -> None:
        # What somebody else wrote stands in it, however long that is.
        said = _ENDLESS.sub(lambda word: f"{word[0][:60]}…", self.message)
        object.__setattr__(self, "message", said if len(said) <= LONGEST else f"{said[:LONGEST]}…")

    def __str__(self) -> str:
        place = ":".join(str(p) for p in (self.file, self.line, self.column) if p is not None)
        about = f"{self.ref}: " if self.ref else ""
        tail = f" {self.remedy}" if self.remedy else ""
        return f"{place + ': ' if place else ''}{about}{self.message}{tail}"

    def as_json(self) -> dict[str, Any]:
        out = asdict(self)
        if not self.alters:
            del out["alters"]
        return out


class NuvloError(Exception):
    """Something the user can mend. Carries every problem found in one pass."""

    def __init__(self, problems: Problem | Iterable[Problem]) -> None:
        self.problems = (problems,) if isinstance(problems, Problem) else tuple(problems)
        super().__init__("\n".join(str(p) for p in self.problems))


def of_system(error: OSError) -> NuvloError:
    """What the system refused, in words: for where nobody nearer has said it better."""
    name = str(error.filename).rpartition("/")[2] if error.filename else ""
    about = f"'{name}': " if name else ""
    return NuvloError(Problem(f"{about}{error.strerror or error}.", "Check its name and permissions."))


def errors(problems: Iterable[Problem]) -> tuple[Problem, ...]:
    """Only the findings that forbid going on."""
    return tuple(p for p in problems if p.severity == "error")
