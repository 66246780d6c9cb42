"""Give the program made-up inputs for as long as told: python tools/fuzz.py [--minutes 5] [--kind netlist] [--first 0] [--count N]

Each kind and number is one input (tests/fuzz/kinds.py); two processes share them. A finding is printed with what brings it
back: any exception but a refusal in words, over 10 s of processor time, or over 1 GB of memory.
"""

from __future__ import annotations

import argparse
import logging
import multiprocessing
import os
import resource
import signal
import sys
import tempfile
import time
import traceback
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))
os.environ.setdefault("OMP_NUM_THREADS", "1")
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

from nuvlo import problems
from tests.fuzz.kinds import KINDS, tried

problems.bare_faults = True
logging.disable()

SECONDS, BYTES = 10.0, 1_000_000_000
BATCH = 200


class TooLong(BaseException):
    """Ten seconds of processor time have gone by."""


def late(*_: object) -> None:
    raise TooLong


def batch(kind: str, numbers: range, pipe: multiprocessing.connection.Connection) -> None:
    """Try some inputs; tell each finding, then the slowest."""
    resource.setrlimit(resource.RLIMIT_DATA, (BYTES + (1 << 29), resource.RLIM_INFINITY))
    signal.signal(signal.SIGPROF, late)
    slowest = (0.0, -1)
    with tempfile.TemporaryDirectory(prefix="nuvlo-fuzz-") as scratch:
        for number in numbers:
            began = time.process_time()
            signal.setitimer(signal.ITIMER_PROF, SECONDS)
            try:
                tried(kind, number, Path(scratch))
            except (Exception, TooLong) as finding:
                pipe.send((number, "".join(traceback.format_exception(finding)[-6:])))
            finally:
                signal.setitimer(signal.ITIMER_PROF, 0)
            slowest = max(slowest, (time.process_time() - began, number))
    pipe.send((slowest, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024))
    pipe.close()


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--minutes", type=float, default=5.0)
    parser.add_argument("--kind", choices=KINDS, action="append")
    parser.add_argument("--first", type=int, default=0)
    parser.add_argument("--count", type=int, help="so many of each kind, however long it takes")
    a = parser.parse_args()
    end = time.monotonic() + 60.0 * a.minutes
    kinds = a.kind or list(KINDS)
    at, tries, findings = dict.fromkeys(kinds, a.first), dict.fromkeys(kinds, 0), 0
    slowest, most = (0.0, -1, ""), 0
    going: list[tuple[multiprocessing.Process, multiprocessing.connection.Connection, str, range]] = []
    turn = 0
    while True:
        open_kinds = [k for k in kinds if a.count is None or tries[k] < a.count]
        if open_kinds and (a.count is not None or time.monotonic() < end) and len(going) < (os.cpu_count() or 1):
            kind = open_kinds[turn % len(open_kinds)]
            turn += 1
            size = BATCH if a.count is None else min(BATCH, a.count - tries[kind])
            numbers = range(at[kind], at[kind] + size)
            at[kind], tries[kind] = numbers.stop, tries[kind] + size
            mine, theirs = multiprocessing.Pipe(duplex=False)
            process = multiprocessing.get_context("fork").Process(target=batch, args=(kind, numbers, theirs))
            process.start()
            theirs.close()
            going.append((process, mine, kind, numbers))
            continue
        if not going:
            break
        process, pipe, kind, numbers = going.pop(0)
        told = None
        try:
            while True:
                told = pipe.recv()
                if isinstance(told[0], int):
                    findings += 1
                    print(
                        f"--- {kind} {told[0]}: tools/fuzz.py --kind {kind} --first {told[0]} --count 1\n{told[1]}",
                        flush=True,
                    )
        except EOFError:
            process.join()
        if told is None or isinstance(told[0], int):
            findings += 1
            print(
                f"--- {kind} {numbers.start} to {numbers.stop - 1}: the process ended with {process.exitcode}",
                flush=True,
            )
        else:
            slowest, most = max(slowest, (*told[0], kind)), max(most, told[1])
    every = ", ".join(f"{n} {k}" for k, n in tries.items())
    print(f"{sum(tries.values()):,} inputs ({every}); {findings} findings; slowest {slowest[0]:.1f} s "
          f"({slowest[2]} {slowest[1]}), most memory {most / 1e6:.0f} MB")  # fmt: skip
    return 1 if findings else 0


if __name__ == "__main__":
    sys.exit(main())
