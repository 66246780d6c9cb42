"""Keys that work wherever the focus is: every typed character belongs to the bench line, Space goes on."""

from __future__ import annotations

from functools import cache

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QFocusEvent, QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QApplication, QWidget

from nuvlo.desktop.frame import Frame
from nuvlo.workshop.commands.command import Command
from nuvlo.workshop.commands.verbs import ROWS

BY_TAB = (Qt.FocusReason.TabFocusReason, Qt.FocusReason.BacktabFocusReason)
SPACE = "Space"  # means go on only while nothing is typed: see eventFilter


@cache
def own_keys() -> dict[int, str]:
    """Commands by the keys that they have of their own. Not before a key is pressed: the first key sequence costs Qt 40 ms."""
    return {QKeySequence(v.key)[0].toCombined(): v.name for v in ROWS if v.key and v.key != SPACE}


class Keys(QObject):
    """Event filter of the whole application, for one window."""

    def __init__(self, window: QWidget, frame: Frame) -> None:
        super().__init__(window)
        self.window, self.frame = window, frame
        self._tabbed_to: QWidget | None = None  # what can be pressed and has the focus by Tab, not by a click

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QFocusEvent) and event.gotFocus() and isinstance(watched, QWidget):
            self._tabbed_to = watched if hasattr(watched, "click") and event.reason() in BY_TAB else None
        if not isinstance(event, QKeyEvent) or event.type() != QEvent.Type.KeyPress:
            return False
        # The window system's own QWindow sees each key first; it is let through to the widget it is meant for.
        if QApplication.activeWindow() not in (self.window, None) or not isinstance(watched, QWidget):
            return False
        if not (watched is self.window or self.window.isAncestorOf(watched)):
            return False
        return self._pressed(watched, event)

    def _pressed(self, watched: QWidget, event: QKeyEvent) -> bool:
        key, entry = event.key(), self.frame.bench_line.entry
        own = own_keys().get(event.keyCombination().toCombined())
        on_shelf = self.frame.controller.shown is None
        if own is not None and not (entry.text() and event.modifiers()):  # Ctrl+Z in a line is the line's
            if not on_shelf or own in ("large", "help"):
                self.frame.run(Command(own))
        elif key == Qt.Key.Key_Escape:
            self.frame.controller.stop()
            self.frame.escape()
        elif on_shelf and not entry.text() and key in (Qt.Key.Key_Down, Qt.Key.Key_Right):
            self.frame.shelf.step(1)
        elif on_shelf and not entry.text() and key in (Qt.Key.Key_Up, Qt.Key.Key_Left):
            self.frame.shelf.step(-1)
        elif watched is entry:
            return False
        elif key == Qt.Key.Key_Space and not entry.text():
            # It presses a button that was gone to by Tab. After a click it goes on, so that a foot switch does not undo again; and no caution
            # is passed by it.
            if watched is self._tabbed_to and hasattr(watched, "click") and not self._cautioned():
                watched.click()
            elif not on_shelf:
                self.frame.run(Command("next"))
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

    def _cautioned(self) -> bool:
        """Whether a caution is to be confirmed."""
        shown = self.frame.controller.shown
        now = shown.now() if shown is not None else None
        return now is not None and now.task.hazard is not None
