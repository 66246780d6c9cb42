"""Work off the interface thread. One owner of all threads of a window; every job has a state, and may belong to a build."""

from __future__ import annotations

import logging
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor, wait
from enum import StrEnum
from functools import partial
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from nuvlo.problems import NuvloError, Problem, of_system
from nuvlo.progress import Progress, Stopped, under

Then = Callable[[Any, NuvloError | None], None]
STOPS = "Esc stops it"
PATIENCE = 2.0  # s that a window waits, when it closes, for work that does not end
LOG_PATIENCE = 30.0  # s for entries that nothing else holds up
LOG, MODEL, PAPER = (
    "log",
    "model",
    "paper",
)  # a thread each: events keep their order, and a solve never holds up the log


class State(StrEnum):
    """Where a job stands."""

    WAITING = "waiting"
    RUNNING = "running"
    STOPPED = "stopped"
    FAILED = "failed"
    DONE = "done"


class Job:
    """One piece of work. ``words`` say what it is while it may be stopped; ``build`` is the one it was begun for, if any."""

    def __init__(
        self, lane: str, work: Callable[[], Any], then: Then, words: str, build: str | None,
        says: Callable[[str], None],
    ) -> None:  # fmt: skip
        self.lane, self.work, self.then, self.words, self.build = lane, work, then, words, build
        self.state = State.WAITING
        self.progress = Progress(says)
        self.value: Any = None
        self.error: NuvloError | None = None
        self.future: Future[None] | None = None

    def run(self) -> None:
        """Do it, on a thread of its own."""
        if self.progress.stopping.is_set():  # stopped before it began
            self.state, self.error = State.STOPPED, Stopped()
            return
        self.state = State.RUNNING
        try:
            with under(self.progress):
                self.value = self.work()
            self.state = State.DONE
        except Stopped as stopped:
            self.state, self.error = State.STOPPED, stopped
        except NuvloError as known:
            self.state, self.error = State.FAILED, known
        except OSError as refused:
            logging.getLogger("nuvlo").warning("refused: %s", refused)
            self.state, self.error = State.FAILED, of_system(refused)
        except Exception as unknown:  # a fault of ours must not end the evening's work: say it, keep the window
            logging.getLogger("nuvlo").exception("a job failed: %s", self.words or self.work)
            self.state, self.error = State.FAILED, Fault(unknown)


class Fault(NuvloError):
    """Something went wrong inside Nuvlo; not the builder's doing."""

    def __init__(self, unknown: BaseException) -> None:
        super().__init__(Problem(f"something went wrong inside Nuvlo: {unknown!r}.", "Nothing was lost."))


class Jobs(QObject):
    """The threads of one window. ``busy`` says what is being done, empty when nothing is; ``failed`` tells faults of
    ours; ``logged`` that nothing is to be logged any more."""

    busy = pyqtSignal(str)
    failed = pyqtSignal(object)
    logged = pyqtSignal()
    _ended = pyqtSignal(object)
    _said = pyqtSignal(object, str)

    def __init__(self) -> None:
        super().__init__()
        self._threads = {lane: ThreadPoolExecutor(1, f"nuvlo-{lane}") for lane in (LOG, MODEL, PAPER)}
        self._live: list[Job] = []
        self._closed = False
        self.build: str | None = None  # that the window shows; answers for another are dropped
        self._ended.connect(self._finished)
        self._said.connect(self._progressed)

    def start(self, lane: str, work: Callable[[], Any], then: Then, words: str = "", build: str | None = None) -> Job:
        """Do ``work`` on a thread, then ``then`` with its value or its error on this one, while ``build`` is shown."""
        job = Job(lane, work, then, words, build, lambda now: self._said.emit(job, now))
        self._live.append(job)
        job.future = self._threads[lane].submit(self._run, job)
        self._say()
        return job

    def _run(self, job: Job) -> None:
        job.run()
        self._ended.emit(job)

    def _finished(self, job: Job) -> None:
        self._live.remove(job)
        if self._closed:
            return
        self._say()
        if isinstance(job.error, Fault):
            self.failed.emit(job.error)
        try:
            if job.build in (None, self.build):
                job.then(job.value, job.error)
        finally:  # whatever its answer did: lines that waited for it are not forgotten
            if not self.logging():
                self.logged.emit()

    # -- saying and stopping ------------------------------------------------------------------------------------

    @property
    def shown(self) -> Job | None:
        """The job that the window speaks of: the one at work of those that may be stopped, else the first that waits."""
        mine = [j for j in self._live if j.words and not j.progress.stopping.is_set()]
        return next((j for j in mine if j.state is State.RUNNING), next(iter(mine), None))

    def _say(self, now: str = "") -> None:
        job = self.shown
        self.busy.emit(f"{job.words}{': ' + now if now else ''}. {STOPS}" if job else "")

    def _progressed(self, job: Job, now: str) -> None:
        if job is self.shown:
            self._say(now)

    def stop(self) -> None:
        """Stop the job that is spoken of, and no other."""
        job = self.shown
        if job is not None:
            job.progress.stop()
            self._say()

    def stop_asking(self, build: str) -> None:
        """Stop what a build that is put away wants to know."""
        for job in self._live:
            if job.words and job.build == build:
                job.progress.stop()

    def under_way(self, words: str, build: str | None) -> bool:
        """Whether the same is being done already."""
        return any(j.words == words and j.build == build for j in self._live)

    @property
    def idle(self) -> bool:
        return not self._live

    def logging(self) -> bool:
        """Whether something is still to be logged, or its answer to be shown."""
        return any(not j.words and j.lane == LOG for j in self._live)

    def close(self) -> bool:
        """Stop what may be stopped, let the rest end, and take no more. False where something does not end: it is left."""
        self._closed = True
        for job in self._live:
            if job.words:
                job.progress.stop()
        for thread in self._threads.values():
            thread.shutdown(wait=False)
        _, going_on = wait([job.future for job in self._live if job.future is not None], PATIENCE)
        entries = [j.future for j in self._live if j.future in going_on and not j.words and j.lane == LOG]
        held_up = any(j.words and j.lane == LOG and j.state is State.RUNNING for j in self._live)
        if entries and not held_up:  # a slow disk: what was entered is worth waiting for
            wait(entries, LOG_PATIENCE)
            going_on = {future for future in going_on if not future.done()}
        if going_on:
            logging.getLogger("nuvlo").warning("left behind: %s", [j.words for j in self._live if j.future in going_on])
        return not going_on


def then_or_say(then: Callable[[Any], None], say: Callable[[str, bool], None]) -> Then:
    """A ``then`` that is told only what went well; what did not is said."""

    def finished(value: Any, error: NuvloError | None) -> None:
        if error is not None:
            say(str(error), False)
        else:
            then(value)

    return partial(finished)
