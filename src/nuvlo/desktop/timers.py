"""What runs against a clock: glue that is open, clamps that hold, coats and boards that dry."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from nuvlo import clock
from nuvlo.desktop.labels import label, tint
from nuvlo.workshop.snapshot import Running

EVERY_MS = 1000
LAST_MINUTES = 2  # of glue: then it is said louder


class TimerStrip(QWidget):
    """One line of all that runs; hidden while nothing does. ``ended`` when something has run out."""

    ended = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 0, 16, 4)
        self.words = label("", 10.5, "copper")
        row.addWidget(self.words, 1)
        self.running: Sequence[Running] = ()
        self.clock = QTimer(self)
        self.clock.setInterval(EVERY_MS)
        self.clock.timeout.connect(self._tick)
        self.hide()

    def show_running(self, running: Sequence[Running]) -> None:
        """Replace what runs."""
        self.running = running
        self._say()
        if running and not self.clock.isActive():
            self.clock.start()

    def _tick(self) -> None:
        over = any(r.until <= clock.now() for r in self.running)
        self._say()
        if over:
            self.ended.emit()

    def _say(self) -> None:
        left = [(r, (r.until - clock.now()).total_seconds()) for r in self.running]
        left = [(r, s) for r, s in left if s > 0]
        self.setVisible(bool(left))
        if not left:
            self.clock.stop()
            return
        self.words.setText("     ".join(f"{r.words_before_time_left} {in_words(s)}" for r, s in left))
        urgent = any(r.open and s < 60 * LAST_MINUTES for r, s in left)
        tint(self.words, "out" if urgent else "copper")
        self.words.setAccessibleName(self.words.text())


def in_words(seconds: float) -> str:
    """``7:42``, ``3 h 12 min``."""
    minutes = int(seconds // 60)
    return f"{minutes // 60} h {minutes % 60} min" if minutes >= 60 else f"{minutes}:{int(seconds % 60):02d}"
