"""A real window on a fresh demo workshop, driven by key events."""

from __future__ import annotations

import time

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from nuvlo import clock
from nuvlo.desktop import theme
from nuvlo.desktop.controller import Opened
from nuvlo.desktop.main_window import SIZE, Window
from nuvlo.kit import Stage
from nuvlo.workshop.workshop import Workshop

PATIENCE = 60.0  # s


class Driver:
    """Fingers on the keyboard of one window."""

    def __init__(self, qtbot, window: Window) -> None:
        self.qtbot, self.window = qtbot, window

    @property
    def session(self):
        return self.window.controller.session

    def settle(self) -> None:
        """Until nothing is being logged or solved."""
        end = time.monotonic() + PATIENCE
        while not self.window.controller.idle or self.window._queue:  # qtbot.waitUntil looks every 10 ms: it would be most of the suite's waiting
            assert time.monotonic() < end, "nothing ever came of it"
            QApplication.processEvents()
            time.sleep(0.001)
        for _ in range(3):  # a layout that changes another takes more than one round
            QApplication.processEvents()

    def press(self, key: Qt.Key, widget=None) -> None:
        QTest.keyClick(widget or QApplication.focusWidget() or self.window, key)
        self.settle()

    def space(self) -> None:
        self.press(Qt.Key.Key_Space)

    def type(self, line: str, *, enter: bool = True) -> None:
        QTest.keyClicks(QApplication.focusWidget() or self.window, line)
        if enter:
            self.press(Qt.Key.Key_Return)

    @property
    def said(self) -> str:
        return self.window.bench_line.said.text()

    def wait(self, moment) -> None:
        """Let time pass, as the line of clocks sees it."""
        clock.ahead().wait_until(moment)
        self.window.controller.look_again()
        self.settle()

    def until(self, stage: Stage, title: str = "") -> None:
        """Go on by Space, and by the word where a caution wants it."""
        for _ in range(300):
            now = self.session.now()
            if self.session.stage is stage and now and now.task.title.startswith(title):
                return
            if now and now.waits and now.task.held is not None:
                self.wait(now.task.held.until)
            elif now and now.task.hazard:
                self.type("confirm")
            else:
                self.space()
        raise AssertionError(f"never came to {stage} {title}")


def painted(widget) -> bool:
    """Whether more is painted than a background and its border."""
    picture = widget.grab().toImage()
    step = max(1, min(picture.width(), picture.height()) // 60)
    found = {picture.pixel(x, y) for x in range(0, picture.width(), step) for y in range(0, picture.height(), step)}
    return len(found) > 2


def begun(folder, kit, bench="typed") -> Opened:
    """A build of ``kit`` just begun in a workshop of its own."""
    workshop = Workshop(folder)
    return Opened(workshop, workshop.start(kit, bench=bench))


def gone_on(folder, build) -> Opened:
    """A build of a workshop opened again."""
    workshop = Workshop(folder)
    return Opened(workshop, workshop.open(build))


@pytest.fixture
def drive(qtbot, tmp_path, gorsefire):
    """``drive(seed, wrong)``: a window with a session open."""
    theme.load_fonts()
    opened = []

    def make(seed=7, wrong=None, kind="simulated", opener=None) -> Driver:
        folder = tmp_path / f"shop{len(opened)}"
        window = Window(folder / "look.json")
        window.resize(*SIZE)
        qtbot.addWidget(window, before_close_func=lambda w: w.controller.close())
        window.show()
        window.activateWindow()

        def begin() -> Opened:
            workshop = Workshop(folder, wrong)
            return Opened(workshop, workshop.start(gorsefire, bench=f"{kind}:{seed}"))

        window.controller.open(opener or begin)
        driver = Driver(qtbot, window)
        opened.append(driver)
        driver.settle()
        window.bench_line.entry.setFocus()
        return driver

    yield make
    theme.use("daylight")
