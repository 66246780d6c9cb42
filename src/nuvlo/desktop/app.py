"""Start the window."""

from __future__ import annotations

import gc
import logging
import os
import sys
from collections.abc import Callable
from importlib.resources import files
from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QApplication

from nuvlo.desktop import entry, faults, theme
from nuvlo.desktop.controller import Opened
from nuvlo.desktop.entry import NAME
from nuvlo.desktop.look import look_file
from nuvlo.desktop.main_window import Window


def start(opener: Callable[[], Opened], *, shelf_of: Path | None = None, check: bool = False) -> int:
    """Show the window on what ``opener`` gives, until then the shelf of the workshop in the folder ``shelf_of`` as it was; with
    ``check``, end once it has been painted whole."""
    app = QApplication(sys.argv[:1])
    app.setApplicationName("Nuvlo")
    app.setDesktopFileName(NAME)
    app.setWindowIcon(QIcon(str(files(entry) / f"{NAME}.svg")))
    theme.load_fonts()
    window = Window(look_file())
    faults.watch(window.controller.jobs.failed.emit)  # a signal: a fault on another thread is told on this one
    window.show()
    window.controller.opened.connect(_sweep_again)
    window.controller.open(opener, shelf_of)
    if not check:
        return _ended(window, app.exec())
    outcome = {"code": 1}

    def painted() -> None:
        outcome["code"] = 0 if not window.grab().isNull() else 1
        window.close()
        app.exit(outcome["code"])

    def failed(words: str, good: bool) -> None:
        if not good and window.controller.workshop is None:
            print(words, file=sys.stderr)
            app.exit(1)

    window.controller.replied.connect(failed)
    window.controller.opened.connect(lambda: QTimer.singleShot(0, painted))
    app.exec()
    return _ended(window, outcome["code"])


def _sweep_again() -> None:
    """What stands by now stays: the garbage collector need not look at it again (see :mod:`nuvlo.cli.window`)."""
    if not gc.isenabled():
        gc.freeze()
        gc.enable()


def _ended(window: Window, status: int) -> int:
    """``status``, unless work was left behind: Python would wait for its thread for ever, so the process ends here."""
    if window.controller.left_behind:
        logging.shutdown()
        sys.stdout.flush()
        sys.stderr.flush()
        os._exit(status)
    return status
