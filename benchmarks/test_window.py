"""What the window costs the interface thread: redraws after an event, the log's fold at each append, and the shelf.

Printed by ``make bench``: a redraw at most 30 ms with 65 parts; twenty builds of 1,500 events listed in at most 0.2 s.
"""

import os
import statistics
import time
from datetime import UTC, datetime, timedelta

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import pytest
from PyQt6.QtWidgets import QApplication

from nuvlo.desktop import theme
from nuvlo.desktop.controller import Opened
from nuvlo.desktop.main_window import Window
from nuvlo.files.kit_folder import read_kit
from nuvlo.kit import Stage
from nuvlo.logbook import Event, Fold, Note, PartMeasured, PartTicked, fold
from nuvlo.logbook.events import BuildStarted
from nuvlo.workshop.demo import SHIPPED
from nuvlo.workshop.shelf import shelf
from nuvlo.workshop.workshop import Workshop

LINES = {
    Stage.UNPACK: ("r1 1.01k", "r2 10.1k", "c1", "undo", "tray strip", "tray value", "r5 missing", "r5"),
    Stage.FIT: ("next", "next", "next", "side", "find c4", "next", "undo"),
    Stage.WAKE: ("note hello", "tp1 4.5", "tp2 1.2", "undo"),
    Stage.CHOOSE: ("mod r3 2k2 because more gain", "undo", "note hello"),
}


@pytest.fixture(scope="module")
def window(tmp_path_factory):
    """A window on Millrace: 65 parts."""
    app = QApplication.instance() or QApplication([])
    theme.load_fonts()
    folder = tmp_path_factory.mktemp("shop")
    made = Window(folder / "look.json")
    made.show()

    def begin() -> Opened:
        workshop = Workshop(folder)
        return Opened(workshop, workshop.start(read_kit(SHIPPED / "millrace"), bench="simulated:5"))

    made.controller.open(begin)
    settle(app, made)
    yield made
    made.close()


def settle(app, window) -> None:
    quiet = 0
    while quiet < 20:
        app.processEvents()
        quiet = quiet + 1 if window.controller.idle else 0
        time.sleep(0.002)


def test_redraws_after_events(window, capsys):
    app = QApplication.instance()
    took: dict[Stage, list[float]] = {}
    redraw = window.refresh

    for stage, lines in LINES.items():
        window.enter(f"stage {stage.value}")
        settle(app, window)
        while (now := window.controller.shown.now()) is not None and now.task.hazard:
            window.enter("confirm")
            settle(app, window)

        def timed(stage=stage) -> None:
            began = time.perf_counter()
            redraw()
            app.processEvents()
            took.setdefault(stage, []).append(1e3 * (time.perf_counter() - began))

        window.controller.changed.disconnect()
        window.controller.changed.connect(timed)
        for line in lines:
            window.enter(line)
            settle(app, window)
        window.controller.changed.disconnect()
        window.controller.changed.connect(redraw)
    with capsys.disabled():
        for stage, each in took.items():
            print(f"\nredraw of 65 parts in {stage.label}: median {statistics.median(each):.1f} ms, largest {max(each):.1f} ms", end="")
        print()
    assert took.keys() == LINES.keys()


def events(count: int, build: str = "b") -> list[Event]:
    start = datetime(2026, 1, 1, tzinfo=UTC)
    bodies = [BuildStarted(kit="Millrace", folder="shipped:millrace", serial="001")]
    for k in range(count - 1):
        ref = f"R{k % 40 + 1}"
        bodies.append((PartTicked(ref=ref), PartMeasured(ref=ref, value=1e3 + k, uncertainty=5.0, unit="Ω"), Note(text=f"note {k}"))[k % 3])
    return [Event(id=f"{build}{k}", build=build, at=start + timedelta(seconds=k), body=b) for k, b in enumerate(bodies)]


def test_folding_forward(benchmark, capsys):
    """One more event on 1,500, beside folding them all."""
    every = events(1501)
    began = time.perf_counter()
    fold("b", every)
    whole = time.perf_counter() - began

    def setup():
        folded = Fold("b")
        folded.add(every[:-1])
        return (folded,), {}

    benchmark.pedantic(lambda folded: folded.add(every[-1:]), setup=setup, rounds=15)
    with capsys.disabled():
        print(f"\none more event on 1,500: {1e3 * benchmark.stats.stats.median:.2f} ms; folding all {1e3 * whole:.1f} ms")


def test_the_shelf_of_twenty_builds(benchmark, tmp_path, capsys):
    workshop = Workshop(tmp_path)
    for _ in range(20):
        build = workshop.logbook.start("Millrace", "shipped:millrace", "001")
        workshop.logbook.append(build.id, *(e.body for e in events(1500)[1:]))
    began = time.perf_counter()
    shelf(workshop)
    anew = time.perf_counter() - began
    benchmark(lambda: shelf(workshop))
    with capsys.disabled():
        print(f"\nshelf of 20 builds of 1,500 events: {benchmark.stats.stats.median:.3f} s; every card made anew {anew:.2f} s")
