"""What every test may use: the demo kit, throw-away workshops, and Qt without a monitor."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import Any

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["XDG_CACHE_HOME"] = tempfile.mkdtemp(prefix="nuvlo-tests-")  # what is kept between runs is nobody's but theirs

import pytest
from hypothesis import settings

from nuvlo import clock, problems
from nuvlo.circuit.circuit import Circuit
from nuvlo.files.kit_folder import read_kit
from nuvlo.kit import Kit
from nuvlo.workshop.demo import SHIPPED
from nuvlo.workshop.session import Session
from nuvlo.workshop.workshop import Workshop
from tests.circuit.deviations import table

problems.bare_faults = True  # what no reader had thought of ends as it is here, so that it is seen and mended

settings.register_profile("nuvlo", deadline=None, max_examples=60, derandomize=True)
settings.load_profile("nuvlo")


def pytest_terminal_summary(terminalreporter: Any) -> None:
    """How far the solver is from the independent one, where rows of it were run."""
    passed = terminalreporter.stats.get("passed", [])
    found = [value for report in passed for name, value in report.user_properties if name == "deviation"]
    if found:
        terminalreporter.write_line("\n".join(table(found)))


@pytest.fixture(autouse=True, scope="module")
def time() -> Iterator[clock.Ahead]:
    """A clock that goes on by itself and can be put ahead: nobody waits for a board to dry."""
    with clock.running() as going:
        yield going


@pytest.fixture(scope="session")
def gorsefire() -> Kit:
    return read_kit(SHIPPED / "gorsefire")


@pytest.fixture(scope="session")
def circuit(gorsefire: Kit) -> Circuit:
    return gorsefire.setup("signal")


@pytest.fixture
def bench(tmp_path: Path, gorsefire: Kit) -> Iterator[Callable[..., Session]]:
    """``bench(seed, wrong)``: a fresh build of the demo kit on a simulated bench."""
    opened: list[Workshop] = []

    def make(seed: int = 1, wrong: dict[str, str | float] | None = None, kind: str = "simulated") -> Session:
        workshop = Workshop(tmp_path / f"shop{len(opened)}", wrong)
        opened.append(workshop)
        return workshop.start(gorsefire, bench=f"{kind}:{seed}")

    yield make
    for workshop in opened:
        workshop.close()


def reopened(session: Session) -> Session:
    """The same build as its log left it."""
    return Session(
        session.log,
        session.places,
        session._bench_of,
        session.box,
        session.build.id,
        session.log.events(session.build.id),
    )


def long_but(few: Iterable[Any], every: Iterable[Any]) -> list[Any]:
    """Every case of a test, all but a few of them left to ``make long``: the few are those that differ most."""
    few = list(few)
    return [one if one in few else pytest.param(one, marks=pytest.mark.long) for one in every]
