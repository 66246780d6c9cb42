"""Work off the interface thread; what it gives comes back on it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, QRunnable, QThreadPool, pyqtSignal, pyqtSlot

from nuvlo.problems import NuvloError, Problem

Then = Callable[[Any, "NuvloError | None"], None]


class _Answer(QObject):
    given = pyqtSignal(object, object)  # value, error


class _Job(QRunnable):
    def __init__(self, work: Callable[[], Any]) -> None:
        super().__init__()
        self.work, self.answer = work, _Answer()
        self.setAutoDelete(False)

    def run(self) -> None:
        try:
            value, error = self.work(), None
        except NuvloError as known:
            value, error = None, known
        except Exception as unknown:  # a fault of ours must not end the evening's work: say it, keep the window
            words = f"something went wrong inside Nuvlo: {unknown!r}."
            value, error = None, NuvloError(Problem(words, "Nothing was lost."))
        self.answer.given.emit(value, error)


class _Receiver(QObject):
    """Lives on the interface thread, so that an answer from a pool's thread is queued to it."""

    def __init__(self, owner: QObject, job: _Job, then: Then) -> None:
        super().__init__(owner)
        self.job, self.then = job, then  # the job is kept until it has answered

    @pyqtSlot(object, object)
    def receive(self, value: Any, error: Any) -> None:
        self.deleteLater()
        self.then(value, error)


def start(owner: QObject, pool: QThreadPool, work: Callable[[], Any], then: Then) -> None:
    """Run ``work`` on ``pool``; ``then`` gets its value or its error on the thread of ``owner``, while that lives."""
    job = _Job(work)
    receiver = _Receiver(owner, job, then)
    job.answer.given.connect(receiver.receive)
    pool.start(job)
