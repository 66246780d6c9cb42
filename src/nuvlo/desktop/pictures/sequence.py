"""Sequence: the whole order of work with its checks and reasons."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QScrollArea, QVBoxLayout, QWidget

from nuvlo.craft.order import Step
from nuvlo.desktop import theme
from nuvlo.desktop.labels import label
from nuvlo.desktop.pictures.frames import StagePicture
from nuvlo.stages import sequence
from nuvlo.stages.task import Finding
from nuvlo.workshop.snapshot import Snapshot

ROW = 46


class Steps(QWidget):
    """Numbered steps down a line; gates are lozenges on it."""

    def __init__(self) -> None:
        super().__init__()
        self.steps: list[Step] = []

    def show_steps(self, steps: list[Step]) -> None:
        self.steps = steps
        self.setMinimumHeight(ROW * len(steps) + 8)
        self.setAccessibleName("; ".join(f"{s.n} {s.action}" for s in steps))
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(QPen(theme.colour("line"), 3))
        p.drawLine(QPointF(30, 16), QPointF(30, ROW * len(self.steps) - 20))
        for k, step in enumerate(self.steps):
            y = k * ROW
            if not event.rect().intersects(QRectF(0, y, self.width(), ROW).toRect()):
                continue
            at = QPointF(30, y + 20)
            p.setPen(QPen(theme.colour("copper" if step.gate else "slate"), 2))
            p.setBrush(theme.colour("card"))
            if step.gate:
                p.drawPolygon(QPolygonF([at + QPointF(*d) for d in ((-15, 0), (0, -15), (15, 0), (0, 15))]))
            else:
                p.drawEllipse(at, 13, 13)
            p.setFont(theme.values(theme.SMALL, bold=True))
            p.drawText(QRectF(at.x() - 15, at.y() - 9, 30, 18), Qt.AlignmentFlag.AlignCenter, str(step.n))
            p.setPen(theme.colour("ink"))
            p.setFont(theme.words(11.5, bold=not step.gate))
            p.drawText(QRectF(58, y + 2, self.width() - 130, 20), Qt.AlignmentFlag.AlignLeft, step.action)
            p.setPen(theme.colour("faint"))
            p.setFont(theme.words(theme.SMALL))
            p.drawText(
                QRectF(58, y + 21, self.width() - 130, 18),
                Qt.AlignmentFlag.AlignLeft,
                _why(step, p, self.width() - 130),
            )
            p.setFont(theme.values(theme.SMALL))
            right = QRectF(self.width() - 70, y + 3, 60, 18)
            p.drawText(right, Qt.AlignmentFlag.AlignRight, f"{step.minutes:.0f}\u202fmin")


def _why(step: Step, p: QPainter, room: float) -> str:
    """The rule that put a step here, where one did; else its own reason."""
    told = next((w for w in step.because if w != step.reason), "") if step.verb == "fit" else ""
    return p.fontMetrics().elidedText(told or step.reason, Qt.TextElideMode.ElideRight, int(room))


class Picture(StagePicture):
    """The order in a scrolling column."""

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 4, 8, 4)
        column.addWidget(label("Order of work. Circles are work, lozenges are checks.", 10, "faint", bold=True))
        self.steps = Steps()
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        scroll.setWidget(self.steps)
        column.addWidget(scroll, 1)

    def show_state(self, shown: Snapshot, now: Finding | None, side: str) -> None:
        self.steps.show_steps(sequence.order(shown.kit, shown.build.school))
