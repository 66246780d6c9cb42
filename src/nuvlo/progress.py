"""Long work says how far it is and can be stopped. Whoever starts it puts a :class:`Progress` round it; the work itself
calls :func:`pause` now and then, and knows nothing of threads or windows."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass, field
from threading import Event

from nuvlo.problems import NuvloError, Problem


class Stopped(NuvloError):
    """The builder stopped the work; nothing was changed by it."""

    placeable = False

    def __init__(self) -> None:
        super().__init__(Problem("stopped.", "Nothing was changed."))


@dataclass(frozen=True)
class Progress:
    """One piece of long work. ``says`` is told, on the thread of the work, what is being done."""

    says: Callable[[str], None] = lambda words: None
    stopping: Event = field(default_factory=Event)

    def stop(self) -> None:
        """Ask the work to end. May be called from any thread."""
        self.stopping.set()


_present: ContextVar[Progress | None] = ContextVar("progress", default=None)


@contextmanager
def under(progress: Progress) -> Iterator[None]:
    """Work done inside answers to ``progress``."""
    token = _present.set(progress)
    try:
        yield
    finally:
        _present.reset(token)


def pause(words: str = "") -> None:
    """Where work may be stopped; ``words`` say what it does now. Raises :class:`Stopped`."""
    progress = _present.get()
    if progress is None:
        return
    if progress.stopping.is_set():
        raise Stopped
    if words:
        progress.says(words)
