"""Work off the interface thread: it answers on it, belongs to a build, and is stopped in one way."""

import subprocess
import sys
import threading
import time

import pytest

from nuvlo.desktop.jobs import LOG, MODEL, Fault, Jobs, State
from nuvlo.problems import NuvloError, Problem
from nuvlo.progress import Stopped, pause
from nuvlo.workshop.workshop import Workshop


@pytest.fixture
def jobs(qtbot):
    made = Jobs()
    yield made
    made.close()


def fail():
    raise NuvloError(Problem("known."))


def test_work_answers_on_the_interface_thread(jobs, qtbot):
    got = []

    def then(value, error):
        got.append((value, str(error) if error else None, threading.current_thread() is threading.main_thread()))

    faults = []
    jobs.failed.connect(faults.append)
    started = [jobs.start(LOG, work, then) for work in (lambda: 7, fail, lambda: 1 / 0)]
    qtbot.waitUntil(lambda: len(got) == 3)
    assert got[:2] == [(7, None, True), (None, "known.", True)]
    assert "inside Nuvlo" in got[2][1]
    assert [j.state for j in started] == [State.DONE, State.FAILED, State.FAILED]
    assert [type(f) for f in faults] == [Fault], "a known error is no fault of ours"


def slow():
    while True:
        pause("going on")
        time.sleep(0.002)


def test_esc_stops_what_it_says_it_stops_and_no_command(jobs, qtbot):
    got, said = {}, []
    jobs.busy.connect(said.append)
    first = jobs.start(MODEL, slow, lambda v, e: got.setdefault("first", e), "Sweeping")
    second = jobs.start(MODEL, lambda: 2, lambda v, e: got.setdefault("second", v), "Comparing")
    jobs.start(LOG, lambda: time.sleep(0.05) or "kept", lambda v, e: got.setdefault("log", v))
    qtbot.waitUntil(lambda: "Sweeping: going on. Esc stops it" in said)
    jobs.stop()
    qtbot.waitUntil(lambda: len(got) == 3)
    assert isinstance(got["first"], Stopped)
    assert (got["second"], got["log"]) == (2, "kept")
    assert (first.state, second.state) == (State.STOPPED, State.DONE)
    assert said[-1] == ""


def test_an_early_esc_is_not_lost(jobs, qtbot):
    """Stopped while it still waits for its thread: it never begins."""
    gate, ran, got = threading.Event(), [], []
    jobs.start(MODEL, gate.wait, lambda *_: None)
    jobs.start(MODEL, lambda: ran.append(1), lambda v, e: got.append(e), "Comparing")
    jobs.stop()
    gate.set()
    qtbot.waitUntil(lambda: bool(got))
    assert isinstance(got[0], Stopped)
    assert not ran


def test_answers_for_another_build_are_dropped(jobs, qtbot):
    got = []
    jobs.build = "a"
    gate = threading.Event()
    jobs.start(MODEL, gate.wait, lambda v, e: got.append("a"), "Solving", build="a")
    jobs.start(MODEL, lambda: None, lambda v, e: got.append("b"), "Solving", build="b")
    jobs.start(LOG, lambda: None, lambda v, e: got.append("none"))
    jobs.build = "b"
    gate.set()
    qtbot.waitUntil(lambda: jobs.idle)
    assert sorted(got) == ["b", "none"]


ENDLESS = """
import sys, threading
from pathlib import Path
from PyQt6.QtCore import QTimer
from nuvlo.desktop import app, main_window
from nuvlo.desktop.controller import Opened
from nuvlo.desktop.jobs import MODEL
from nuvlo.workshop.workshop import Workshop

def shown(window):
    window.controller.jobs.start(MODEL, threading.Event().wait, lambda *_: None, "Something that never looks up")
    QTimer.singleShot(50, window.close)

show = main_window.Window.show
main_window.Window.show = lambda self: (show(self), QTimer.singleShot(0, lambda: shown(self)))
sys.exit(app.start(lambda: Opened(Workshop(Path(sys.argv[1])))))
"""


def test_a_window_that_closes_leaves_behind_what_does_not_end(tmp_path):
    done = subprocess.run([sys.executable, "-c", ENDLESS, str(tmp_path)], capture_output=True, text=True, timeout=60)
    assert done.returncode == 0, done.stderr
    assert Workshop(tmp_path).builds() == []


def test_closing_leaves_no_work_behind(qtbot):
    jobs, got = Jobs(), []
    jobs.start(MODEL, slow, lambda *_: got.append(1), "Sweeping")
    began = time.monotonic()
    jobs.close()
    assert time.monotonic() - began < 2.0
    qtbot.wait(20)
    assert not got, "a closed window is told nothing"


def test_a_line_typed_while_the_log_is_looked_at_is_done_when_that_ends(drive):
    driver = drive()
    looked = threading.Event()
    driver.window.controller.jobs.start(LOG, lambda: looked.wait(10), lambda *_: None)  # as a look for another window
    driver.window.enter("note typed meanwhile")
    driver.window.enter("large")  # a thing of the window, with nothing to log
    driver.window.enter("note and another")
    assert driver.window._queue == ["note typed meanwhile", "large", "note and another"]
    looked.set()
    driver.qtbot.waitUntil(lambda: not driver.window._queue and driver.window.controller.idle, timeout=5000)
    assert driver.session.build.notes == ["typed meanwhile", "and another"]


def test_what_is_only_loaded_ahead_holds_no_line_up(drive):
    driver = drive()
    loaded = threading.Event()
    driver.window.controller.jobs.start(MODEL, lambda: loaded.wait(10), lambda *_: None)
    driver.window.enter("note at once")
    assert not driver.window._queue
    loaded.set()
    driver.settle()
