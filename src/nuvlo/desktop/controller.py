"""Between window and workshop: commands and solving happen off the interface thread, results come back as signals."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from importlib import import_module
from typing import Any

from PyQt6.QtCore import QObject, QThreadPool, pyqtSignal

from nuvlo.bench_line import Command
from nuvlo.commands import execute
from nuvlo.desktop import jobs
from nuvlo.kit import Stage
from nuvlo.problems import NuvloError
from nuvlo.progress import Progress, Stopped, under

TOOL_VERBS = ("recipe", "compare", "import", "column", "take", "both", "calendar", "manual")
STOPS = "Esc stops it"
WINDOW_VERBS = ("zoom", "rotate", "net", "picture", "large", "daylight", "lamp", "side", "help", *TOOL_VERBS)


class Controller(QObject):
    """One session in the window.

    ``changed`` after anything that may show; ``replied`` with words and whether it went well; ``busy`` with what is
    being worked out, empty when nothing is.
    """

    changed = pyqtSignal()
    replied = pyqtSignal(str, bool)
    busy = pyqtSignal(str)
    window_command = pyqtSignal(object)
    shows = pyqtSignal(str)
    opened = pyqtSignal()
    loaded_ahead = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.session: Any = None
        # One thread each: events keep their order, and a solve never holds up the log.
        self._log, self._model = QThreadPool(self), QThreadPool(self)
        self._log.setMaxThreadCount(1)
        self._model.setMaxThreadCount(1)
        self._solving: object = None
        self._given_up: object = None  # the question that was stopped: not asked again until something changes
        self._under_way: list[Progress] = []
        self._running = 0
        self._closed = False

    # -- opening ------------------------------------------------------------------------------------------------

    def open(self, opener: Callable[[], Any]) -> None:
        """Open a session by ``opener`` off this thread."""
        self.busy.emit("Opening the workshop")
        self._start(self._log, opener, self._opened)

    def _opened(self, session: Any, error: NuvloError | None) -> None:
        self.busy.emit("")
        if error is not None:
            self.replied.emit(str(error), False)
            return
        self.session = session
        self.opened.emit()
        self._start(self._model, _load_ahead, lambda *_: self.loaded_ahead.emit())
        fresh = f"{session.kit.name} is open: {len(session.kit.parts)} parts to unpack."
        self.replied.emit(session.where_you_were() or fresh, True)
        if session.read_only:
            self.replied.emit("This workshop can be viewed but not changed: its folder is not writable.", False)
        self.refresh()

    def close(self) -> None:
        """Let work under way end, then close the logbook."""
        self._closed = True
        if self.session is not None:
            self.session.stop()
        for progress in self._under_way:
            progress.stop()
        self._log.waitForDone()
        self._model.waitForDone()
        if self.session is not None:
            self.session.workshop.close()

    @property
    def idle(self) -> bool:
        """Nothing is being logged or solved."""
        return self._running == 0

    # -- commands -----------------------------------------------------------------------------------------------

    def command(self, command: Command) -> None:
        """Carry out a command. The answer comes by :attr:`replied`."""
        if command.verb in WINDOW_VERBS:
            self.window_command.emit(command)
            return
        session = self.session
        if session is None:
            self.replied.emit("The workshop is still opening.", False)
            return
        if command.verb in ("next", "sweep", "read") and session.stage is Stage.PROVE:
            self.busy.emit(f"Sweeping. {STOPS}")
        self._given_up = None
        self._start(self._log, lambda: execute(session, command), self._executed, "Working it out")

    def _executed(self, reply: Any, error: NuvloError | None) -> None:
        self.busy.emit("")
        if error is not None:
            self.replied.emit(str(error), False)
        else:
            self.replied.emit(reply.words, True)
            if reply.shows:
                self.shows.emit(reply.shows)
        self.refresh()

    def work(self, words: str, job: Callable[[], Any], then: Callable[[Any], None]) -> None:
        """Do ``job`` off this thread, saying ``words`` meanwhile; then give its answer to ``then`` on it."""

        def finished(value: Any, error: NuvloError | None) -> None:
            self.busy.emit("")
            if error is not None:
                self.replied.emit(str(error), False)
            else:
                then(value)

        self.busy.emit(f"{words}. {STOPS}")
        self._start(self._model, job, finished, words)

    def stop(self) -> None:
        """Stop whatever is being worked out."""
        if self.session is not None:
            self.session.stop()
        for progress in self._under_way:
            progress.stop()

    # -- solving ------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the present state, and ask the model for what the stage in hand lacks."""
        self.changed.emit()
        session = self.session
        if session is None:
            return
        stage = session.stage
        question = (stage, session.key(stage))
        if not session.wants_solving(stage) or question in (self._solving, self._given_up):
            return
        self._solving = question
        words = "Working out what to expect"
        self.busy.emit(f"{words}. {STOPS}")
        self._start(self._model, lambda: self._solve(stage), self._solved, words)

    def _solve(self, stage: Stage) -> bool:
        answer = self.session.solve(stage)
        return bool(self.session.adopt(answer))

    def _solved(self, adopted: bool, error: NuvloError | None) -> None:
        stopped, self._solving = self._solving, None
        self.busy.emit("")
        if error is not None:
            self.replied.emit(str(error), False)
            self._given_up = stopped if isinstance(error, Stopped) else None
        self.refresh()

    # -- threads ------------------------------------------------------------------------------------------------

    def _start(
        self, pool: QThreadPool, work: Callable[[], Any], then: Callable[[Any, Any], None], words: str = ""
    ) -> None:
        """Do ``work``, which may be stopped and says how far it is where there are ``words`` for it, then ``then``."""
        self._running += 1
        progress = Progress(partial(self._say, words) if words else lambda _: None)
        self._under_way.append(progress)

        def finished(value: Any, error: NuvloError | None) -> None:
            self._running -= 1
            self._under_way.remove(progress)
            if not self._closed:
                then(value, error)

        def watched() -> Any:
            with under(progress):
                return work()

        jobs.start(self, pool, watched, finished)

    def _say(self, words: str, now: str) -> None:
        """From the thread of the work."""
        self.busy.emit(f"{words}: {now}. {STOPS}")


def _load_ahead() -> None:
    """Bring in, while the builder reads the first step, what later pictures need."""
    import_module("pyqtgraph")
