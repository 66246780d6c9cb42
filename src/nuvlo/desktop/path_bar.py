"""The path: nine stages as stepping stones, each telling its state by shape and word."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from nuvlo.desktop import theme

NAME_WIDTH = 170


class PathBar(QWidget):
    """Name and serial at the left, then the stones. Clicking one goes to its stage."""

    picked = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.title, self.serial, self.here = "", "", None
        self.states: list = []
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Path of the nine stages")

    def sizeHint(self) -> QSize:
        return QSize(900, 76)

    def show_path(self, title, serial, states, here) -> None:
        self.title, self.serial, self.states, self.here = title, serial, states, here
        said = "; ".join(f"{s.stage.label}: {s.state}" for s in states)
        self.setAccessibleDescription(said)
        self.update()

    def _slot(self, k: int) -> QRectF:
        width = (self.width() - NAME_WIDTH - 16) / max(1, len(self.states))
        return QRectF(NAME_WIDTH + k * width, 0, width, self.height())

    def mousePressEvent(self, event: QMouseEvent) -> None:
        for k, state in enumerate(self.states):
            if self._slot(k).contains(event.position()):
                self.picked.emit(state.stage.value)

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(theme.colour("ink"))
        p.setFont(theme.words(15, bold=True))
        p.drawText(QRectF(16, 12, NAME_WIDTH - 24, 26), Qt.AlignmentFlag.AlignLeft, self.title)
        p.setFont(theme.words(11))
        p.setPen(theme.colour("faint"))
        p.drawText(
            QRectF(16, 40, NAME_WIDTH - 24, 22), Qt.AlignmentFlag.AlignLeft, f"No. {self.serial}" if self.serial else ""
        )
        for k, state in enumerate(self.states):
            self._stone(p, self._slot(k), state, k)

    def _stone(self, p: QPainter, slot: QRectF, state, k: int) -> None:
        t = theme.current()
        centre = QPointF(slot.center().x(), 20)
        shade = {"done": t.good, "in hand": t.copper, "stuck": t.out}.get(state.state, t.faint)
        if k:
            p.setPen(QPen(theme.colour("line"), 2))
            before = self._slot(k - 1).center().x()
            p.drawLine(QPointF(before + 16, 20), QPointF(centre.x() - 16, 20))
        from PyQt6.QtGui import QColor

        pen = QPen(QColor(shade), 2.2)
        p.setPen(pen)
        p.setBrush(QColor(shade) if state.state in ("done", "stuck") else theme.colour("paper"))
        if state.state == "stuck":
            p.drawPolygon(_polygon(centre, 11, 4, 45))
            p.setPen(QPen(theme.colour("paper"), 2.4))
            p.drawLine(QPointF(centre.x(), centre.y() - 4.5), QPointF(centre.x(), centre.y() + 1))
            p.drawPoint(QPointF(centre.x(), centre.y() + 5))
        elif state.state == "done":
            p.drawEllipse(centre, 9.5, 8)
            p.setPen(QPen(theme.colour("paper"), 2.2))
            p.drawPolyline(QPolygonF([centre + QPointF(-4, 0), centre + QPointF(-1, 3), centre + QPointF(4.5, -3)]))
        elif state.state == "in hand":
            p.drawEllipse(centre, 11, 9)
            p.setBrush(QColor(shade))
            p.drawEllipse(centre, 4.5, 3.8)
        else:
            p.drawEllipse(centre, 7, 5.5)
        here = self.here is state.stage
        p.setPen(theme.colour("ink" if here or state.state != "to come" else "faint"))
        p.setFont(theme.words(10.5, bold=here))
        p.drawText(QRectF(slot.x(), 34, slot.width(), 18), Qt.AlignmentFlag.AlignHCenter, state.stage.label)
        p.setFont(theme.words(8.5))
        p.setPen(QColor(shade))
        said = state.state
        if state.state == "in hand" and state.total:
            said = f"{state.done} of {state.total}"
        p.drawText(QRectF(slot.x(), 53, slot.width(), 16), Qt.AlignmentFlag.AlignHCenter, said)


def _polygon(centre: QPointF, radius: float, corners: int, turn_deg: float) -> QPolygonF:
    from math import cos, radians, sin

    return QPolygonF(
        [
            centre
            + QPointF(
                radius * cos(radians(turn_deg + 360 * k / corners)), radius * sin(radians(turn_deg + 360 * k / corners))
            )
            for k in range(corners)
        ]
    )
