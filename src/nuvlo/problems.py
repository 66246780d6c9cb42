"""What is wrong in an input, where, and what to do about it.

Everything that reads something a person wrote reports through :class:`Problem`, so that the command line, the
window and the tests show one and the same sentence.
"""

from __future__ import annotations

import errno
import logging
import re
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import asdict, dataclass, replace
from functools import wraps
from os import PathLike, fspath
from typing import Any, Literal, TypeVar, cast

Severity = Literal["error", "warning"]
LONGEST = 1000  # letters of a message
bare_faults = False  # tests set it: what nobody had thought of then ends as it is, and not as a problem of a file
Read = TypeVar("Read", bound=Callable[..., Any])
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

    placeable = True  # whether a file can be at fault

    def __init__(self, problems: Problem | Iterable[Problem]) -> None:
        self.problems = (problems,) if isinstance(problems, Problem) else tuple(problems)
        super().__init__("\n".join(str(p) for p in self.problems))


    def within(self, file: str) -> None:
        """Say of each problem that names no file that it is in ``file``."""
        if self.placeable:
            NuvloError.__init__(self, [p if p.file else replace(p, file=file) for p in self.problems])


class Unforeseen(NuvloError):
    """A failure that no reader had thought of. It is told like any other problem; its cause goes into the log."""


@contextmanager
def reading(file: str, doing: str = "read") -> Iterator[None]:
    """Where what a stranger wrote is read, or worked with: any failure inside is a problem in ``file``, none is a fault of Nuvlo's.

    Raises :class:`NuvloError`, each of whose problems names a file.
    """
    try:
        yield
    except NuvloError as bad:
        bad.within(file)
        raise
    except OSError as bad:
        why, remedy = refused(bad)
        raise NuvloError(Problem(f"cannot be {doing}: {why}.", remedy, file)) from bad
    except Exception as bad:
        if bare_faults:
            raise
        logging.getLogger("nuvlo").warning("%s cannot be %s", file, doing, exc_info=bad)
        what = f"{type(bad).__name__}: {bad}" if str(bad) else type(bad).__name__
        raise Unforeseen(Problem(f"cannot be {doing}: something in it is like nothing met before ({what}).", "Save or send it again, or leave that part out.", file)) from bad


def reader(read: Read) -> Read:
    """Decorates what reads the file or folder whose path is its first argument: see :func:`reading`."""

    @wraps(read)
    def guarded(path: str | PathLike[str], *rest: Any, **named: Any) -> Any:
        whole = fspath(path)
        with reading(whole.rstrip("/").rpartition("/")[2] or whole):
            return read(path, *rest, **named)

    return cast(Read, guarded)


def refused(error: OSError) -> tuple[str, str]:
    """Why the system refused something, and what to do about it."""
    why = str(error.strerror or error)
    if places := re.search(r"No usable temporary directory found in \[(.*)\]", why):
        return f"no folder for what is needed for a moment can be written: {places[1]}", "Make room in one of them, or set TMPDIR to a folder that can be written."
    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        return why, "Free some space."
    if error.errno == errno.EROFS:
        return why, "Name a place that can be written."
    return why, "Check its name and permissions."


def of_system(error: OSError) -> NuvloError:
    """What the system refused, in words: for where nobody nearer has said it better."""
    about = f"'{error.filename}': " if error.filename else ""
    why, remedy = refused(error)
    return NuvloError(Problem(f"{about}{why}.", remedy))


def at_fault(fault: Exception) -> NuvloError:
    """A failure of Nuvlo's own, told in a sentence; what it was goes into the log. Raised as it is where tests want it so."""
    if bare_faults:
        raise fault
    logging.getLogger("nuvlo").error("a fault of ours", exc_info=fault)
    what = f"{type(fault).__name__}: {fault}" if str(fault) else type(fault).__name__
    return NuvloError(Problem(f"something went wrong inside Nuvlo ({what}).", "Nothing that was entered is lost. The log says where it happened."))


def errors(problems: Iterable[Problem]) -> tuple[Problem, ...]:
    """Only the findings that forbid going on."""
    return tuple(p for p in problems if p.severity == "error")
