"""The calendar: evening by evening what to do, what to have ready, what waits meanwhile."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QVBoxLayout, QWidget

from nuvlo.desktop import theme
from nuvlo.desktop.labels import label
from nuvlo.desktop.tools.page import Page
from nuvlo.stages.sequence.diary import Evening, told_together
from nuvlo.workshop.schedule import Schedule

MOST_PACES = 6
MOST_LINES = 40  # told of one evening; the rest is counted


class Strip(QWidget):
    """The hours of one evening: a bar for each piece of work, and after it the time that it waits."""

    def __init__(self, evening: Evening) -> None:
        super().__init__()
        self.evening = evening
        self.setFixedHeight(16)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        one = self.evening
        whole = max((one.end - one.start).total_seconds(), 1.0)
        p.setPen(QPen(theme.colour("line"), 2))
        p.drawLine(0, 12, self.width(), 12)
        p.setPen(Qt.PenStyle.NoPen)
        for k, task in enumerate(one.tasks):
            x0, x1 = ((t - one.start).total_seconds() / whole * self.width() for t in (task.start, task.end))
            p.setBrush(theme.colour("slate" if k % 2 == 0 else "copper"))
            p.drawRect(QRectF(x0, 2, max(2.0, x1 - x0 - 1), 10))


class CalendarTool(Page):
    """Shows a :class:`Schedule`."""

    def __init__(self) -> None:
        super().__init__()
        self.lines: list[str] = []

    def show_answer(self, found: Schedule) -> None:
        column = self.fresh(4)
        plan = found.calendar
        self.lines = []
        surety = (
            "none finishes earlier" if plan.optimal else f"no plan could be done before {plan.bound:%A %d %B, %H:%M}"
        )
        done = f"Done and dry {plan.finish:%A %d %B, %H:%M}: {surety}." if plan.tasks else "Nothing is left to do."
        self._say(column, done, 15, "ink", bold=True)
        usual = "Your usual evenings are guessed: put a free.csv into the workshop's folder. " if found.usual else ""
        column.addWidget(
            label(
                f"{usual}'calendar save' writes it as iCalendar and CSV; 'calendar all' plans every unit in the workshop; 'tonight 40' says what fits. Esc returns.",
                10,
                "faint",
            )
        )
        for evening in found.evenings:
            self._evening(column, evening)
        told = found.pace.told()[:MOST_PACES]
        if told:
            column.addSpacing(10)
            column.addWidget(label("Your own pace, from the log", 10, "faint", bold=True))
            self._say(column, "; ".join(told) + ".", 10, "faint")
        self.turn(column)
        self.setAccessibleName("; ".join(self.lines))

    def _say(self, column: QVBoxLayout, words: str, size: float, role: str, *, bold: bool = False) -> None:
        self.lines.append(words)
        column.addWidget(label(words, size, role, bold=bold))

    def _evening(self, column: QVBoxLayout, evening: Evening) -> None:
        column.addSpacing(10)
        self._say(
            column, f"{evening.start:%A %d %B}   {evening.start:%H:%M} to {evening.end:%H:%M}", 12, "copper", bold=True
        )
        column.addWidget(Strip(evening))
        if evening.needs:
            self._say(column, f"Have ready: {', '.join(evening.needs)}.", 10, "slate")
        lines = told_together(evening.tasks)
        for line in lines[:MOST_LINES]:
            self._say(column, line, 11, "ink")
        if len(lines) > MOST_LINES:
            self._say(column, f"and {len(lines) - MOST_LINES} more", 10, "faint")
        for caution in evening.cautions:
            self._say(column, f"Caution: {caution}", 10, "out")
