"""Another process that tries some of the mistakes of a kit: Python alone would do it on one core.

It reads the kit anew from its folder, so that nothing but plain values goes from one to the other, pickled, by pipes.
"""

from __future__ import annotations

import os
import pickle
import subprocess
import sys
from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from typing import Any

from nuvlo.arrays import Array
from nuvlo.diagnosis.mistakes import Mistake
from nuvlo.diagnosis.probes import Reading
from nuvlo.kit import Kit
from nuvlo.model.ensemble import Law

HELPING = "nuvlo.diagnosis.helping"  # what the other process runs
MOST = 3  # beside this process
NEUTRAL = os.path.abspath(os.sep)  # where it starts: nothing that a stranger sent lies there
WORTH = 5000  # members, below which none is asked for help: to start takes a second


@dataclass(frozen=True)
class Job:
    """What a helper needs to make the same trials: the kit by its folder and what was changed of it; which mistakes are tried, by number then, and
    which readings taken. To find these again would take it a second."""

    folder: str
    changes: tuple[Any, ...]
    mistakes: Sequence[Mistake]
    readings: Sequence[Reading]
    laws: Mapping[str, Law]
    base: Mapping[str, Array]
    draws: int


class Helper:
    """One process. :meth:`begin` with the job, :meth:`ask` it for some mistakes, then :meth:`answer`; :meth:`end` it whatever happened."""

    def __init__(self) -> None:
        there = {**os.environ, "OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"}
        # Isolated (-I): a kit folder that is the current one, or named in PYTHONPATH, may hold a module called as one of ours.
        command = [sys.executable, "-I", "-m", HELPING]
        self.process = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, env=there, cwd=NEUTRAL)

    def begin(self, job: Job) -> None:
        """Tell it what is to be tried, once it listens: it takes a second to start. Raises :class:`OSError` where it has died."""
        self._send(job)

    def _send(self, value: Any) -> None:
        assert self.process.stdin is not None
        pickle.dump(value, self.process.stdin)
        self.process.stdin.flush()

    def ask(self, work: Any) -> None:
        self._send(work)

    def answer(self) -> dict[int, Array]:
        """What every reading would be, by its row. Raises :class:`OSError` or :class:`EOFError` where it has died."""
        assert self.process.stdout is not None
        found: dict[int, Array] = pickle.load(self.process.stdout)
        return found

    def end(self) -> None:
        self.process.kill()
        self.process.wait()
        for pipe in (self.process.stdin, self.process.stdout):
            if pipe is not None:
                with suppress(OSError):
                    pipe.close()


def helpers_for(kit: Kit, members: int, companies: int) -> int:
    """How many processes are worth starting: none for little work, for a kit that is in no folder, or where ``NUVLO_HELPERS`` is 0."""
    if members < WORTH or not (kit.folder / "kit.toml").is_file():
        return 0
    most = int(os.environ.get("NUVLO_HELPERS", MOST))
    return max(0, min(most, (os.cpu_count() or 1) - 1, companies - 1))
