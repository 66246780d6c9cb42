"""What time it is: that of the machine, or one that is put ahead where nobody is going to wait, as in a build carried through without hands."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from datetime import datetime, timedelta


class Ahead:
    """A clock that can be put ahead. It ``runs`` on by itself, or stands still until somebody waits."""

    def __init__(self, start: datetime, *, runs: bool) -> None:
        self._from, self._at, self._runs = datetime.now().astimezone(), start.astimezone(), runs

    @property
    def at(self) -> datetime:
        gone = datetime.now().astimezone() - self._from if self._runs else timedelta()
        return self._at + gone

    def wait_until(self, moment: datetime) -> None:
        """Let time pass up to ``moment``; none where that is over."""
        self._at += max(timedelta(), moment.astimezone() - self.at)


_here: ContextVar[Ahead | None] = ContextVar("clock", default=None)
_everywhere: Ahead | None = None


def ahead() -> Ahead | None:
    """The clock that may be put ahead; None while it is that of the machine."""
    return _here.get() or _everywhere


def now() -> datetime:
    """The present moment, in the zone of the machine."""
    other = ahead()
    return datetime.now().astimezone() if other is None else other.at


@contextmanager
def standing(start: datetime | None = None) -> Iterator[Ahead]:
    """On this thread time begins at ``start`` and passes only where it is waited for."""
    made = Ahead(start or datetime.now(), runs=False)
    token = _here.set(made)
    try:
        yield made
    finally:
        _here.reset(token)


@contextmanager
def running() -> Iterator[Ahead]:
    """On all threads time goes on from now, and may be put ahead."""
    global _everywhere
    _everywhere = made = Ahead(datetime.now(), runs=True)
    try:
        yield made
    finally:
        _everywhere = None
