"""Keys that work wherever the focus is: every typed character belongs to the bench line, Space goes on."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QApplication, QWidget

from nuvlo.bench_line import Command


class Keys(QObject):
    """Event filter of the whole application, for one window."""

    def __init__(self, window) -> None:
        super().__init__(window)
        self.window = window

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() != QEvent.Type.KeyPress or QApplication.activeWindow() not in (self.window, None):
            return False
        # The window system's own QWindow sees each key first; it is let through to the widget it is meant for.
        if not isinstance(watched, QWidget) or not (watched is self.window or self.window.isAncestorOf(watched)):
            return False
        assert isinstance(event, QKeyEvent)
        key, entry = event.key(), self.window.bench_line.entry
        if key == Qt.Key.Key_F11:
            self.window.run(Command("large", ""))
        elif key == Qt.Key.Key_Escape:
            self.window.controller.stop()
            self.window.close_tool()
            entry.clear()
            entry.setFocus()
        elif watched is entry:
            return False
        elif key == Qt.Key.Key_Space and not entry.text():
            # Never let Space press a focused button: a caution is not passed by a foot switch.
            self.window.run(Command("next", ""))
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and hasattr(watched, "click"):
            watched.click()
        elif (
            event.text() and event.text().isprintable() and not event.modifiers() & Qt.KeyboardModifier.ControlModifier
        ):
            entry.setFocus()
            entry.insert(event.text())
        else:
            return False
        return True
