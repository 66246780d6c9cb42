"""A child process is killed in the middle of a burst of readings, again and again: what it said it had kept is there."""

import multiprocessing
import os
import random
import signal
import time

from nuvlo.logbook import ReadingTaken
from nuvlo.logbook.store import Logbook

KILLS = int(os.environ.get("NUVLO_KILLS", "100"))  # make fuzz asks for more


def burst(path: str, build: str, pipe: int) -> None:
    """Write readings until killed, naming each, unbuffered, only after it was committed."""
    book = Logbook(path)
    number = 0
    os.write(pipe, b"ready\n")
    while True:
        number += 1
        (event,) = book.append(
            build,
            ReadingTaken(point="TP1", quantity="voltage", value=number, uncertainty=0, unit="V", stage="wake"),
        )
        os.write(pipe, event.id.encode() + b"\n")


def read_all(pipe: int) -> bytes:
    said = b""
    while chunk := os.read(pipe, 65536):
        said += chunk
    return said


def test_every_acknowledged_event_survives_sigkill(tmp_path):
    path = str(tmp_path / "logbook.db")
    first = Logbook(path)
    build = first.start("Gorsefire", "shipped:gorsefire", "001").id
    first.close()
    rnd = random.Random(1)
    context = multiprocessing.get_context("fork")
    acknowledged: set[str] = set()
    awaited = 0
    for _ in range(KILLS):
        out, into = os.pipe()
        child = context.Process(target=burst, args=(path, build, into))
        child.start()
        os.close(into)
        assert os.read(out, 6) == b"ready\n"
        least = rnd.randrange(4)  # events that it must have said, however slow the machine
        awaited += least
        said = b""
        while said.count(b"\n") < least:
            said += os.read(out, 33)
        time.sleep(rnd.uniform(0.0, 0.004))  # anywhere within the next one
        os.kill(child.pid, signal.SIGKILL)
        child.join()
        said += read_all(out)
        acknowledged |= {line.decode() for line in said.split(b"\n") if len(line) == 32}
        os.close(out)
    book = Logbook(path)
    found = {e.id for e in book.events(build)}
    assert acknowledged <= found
    assert len(acknowledged) >= awaited > KILLS, "the bursts were real"
    # An event may be kept without having been named; never the other way, and never half of one.
    assert len(book.build(build).readings) == len(found) - 1
