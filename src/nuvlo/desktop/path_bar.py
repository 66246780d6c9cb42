"""The path: nine stages as stepping stones, each telling its state by shape and word."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from nuvlo.desktop import theme
from nuvlo.desktop.focus import ringed
from nuvlo.kit import Stage
from nuvlo.workshop.snapshot import StageState

NAME_WIDTH = 170


class PathBar(QWidget):
    """Name and serial at the left, then the stones. Clicking one goes to its stage. By keyboard: Tab comes here, the arrows go
    from stone to stone, Enter goes to the stage."""

    picked = pyqtSignal(str)
    shelf = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.title, self.serial = "", ""
        self.here: Stage | None = None
        self.states: list[StageState] = []
        self._at = 0  # where the arrows are: the shelf, then the stones
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Path of the nine stages")

    def sizeHint(self) -> QSize:
        return QSize(900, 76)

    def show_path(self, title: str, serial: str, states: list[StageState], here: Stage) -> None:
        if (title, serial, states, here) == (self.title, self.serial, self.states, self.here):
            return
        self.title, self.serial, self.states, self.here = title, serial, states, here
        said = "; ".join(f"{s.stage.label}: {s.state}" for s in states)
        self.setAccessibleDescription(said)
        self.update()

    def _slot(self, k: int) -> QRectF:
        width = (self.width() - NAME_WIDTH - 16) / max(1, len(self.states))
        return QRectF(NAME_WIDTH + k * width, 0, width, self.height())

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.position().x() < NAME_WIDTH:
            self.shelf.emit()
            return
        for k, state in enumerate(self.states):
            if self._slot(k).contains(event.position()):
                self.picked.emit(state.stage.value)

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        self._go_to(next((k for k, s in enumerate(self.states, 1) if s.stage is self.here), 0))
        super().focusInEvent(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        steps = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}
        if event is not None and event.key() in steps:
            self._go_to(min(max(0, self._at + steps[Qt.Key(event.key())]), len(self.states)))
        else:
            super().keyPressEvent(event)

    def _go_to(self, at: int) -> None:
        self._at = at
        stone_at = self.states[at - 1] if 0 < at <= len(self.states) else None
        self.setAccessibleName(f"{stone_at.stage.label}, {stone_at.state}" if stone_at else "Shelf")
        self.update()

    def click(self) -> None:
        """Go where the arrows are."""
        if 0 < self._at <= len(self.states):
            self.picked.emit(self.states[self._at - 1].stage.value)
        else:
            self.shelf.emit()

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(theme.colour("ink"))
        p.setFont(theme.words(15, bold=True))
        p.drawText(QRectF(16, 12, NAME_WIDTH - 24, 26), Qt.AlignmentFlag.AlignLeft, self.title)
        p.setFont(theme.words(11))
        p.setPen(theme.colour("faint"))
        p.drawText(
            QRectF(16, 37, NAME_WIDTH - 24, 20), Qt.AlignmentFlag.AlignLeft, f"No. {self.serial}" if self.serial else ""
        )
        p.setFont(theme.words(theme.SMALL))
        p.setPen(theme.colour("slate"))
        p.drawText(QRectF(16, 56, NAME_WIDTH - 24, 18), Qt.AlignmentFlag.AlignLeft, "Shelf (F2)")
        for k, state in enumerate(self.states):
            self._stone(p, self._slot(k), state, k)
        p.end()
        slot = self._slot(self._at - 1) if self._at else QRectF(8, 0, NAME_WIDTH - 12, self.height())
        ringed(self, slot.adjusted(2, 1, -2, -1))

    def _stone(self, p: QPainter, slot: QRectF, state: StageState, k: int) -> None:
        centre = QPointF(slot.center().x(), 20)
        shade = shade_of(state.state)
        if k:
            p.setPen(QPen(theme.colour("line"), 2))
            before = self._slot(k - 1).center().x()
            p.drawLine(QPointF(before + 16, 20), QPointF(centre.x() - 16, 20))
        stone(p, centre, state.state)
        here = self.here is state.stage
        p.setPen(theme.colour("ink" if here or state.state != "to come" else "faint"))
        p.setFont(theme.words(10.5, bold=here))
        p.drawText(QRectF(slot.x(), 34, slot.width(), 18), Qt.AlignmentFlag.AlignHCenter, state.stage.label)
        p.setFont(theme.words(theme.SMALL))
        p.setPen(QColor(shade))
        said = state.state
        if state.state == "in hand" and state.total:
            said = f"{state.done} of {state.total}"
        p.drawText(QRectF(slot.x(), 52, slot.width(), 18), Qt.AlignmentFlag.AlignHCenter, said)


def stone(p: QPainter, centre: QPointF, state: str, scale: float = 1.0) -> None:
    """One stepping stone: its shape tells the state as well as its colour."""
    shade = QColor(shade_of(state))
    p.setPen(QPen(shade, 2.2))
    p.setBrush(shade if state in ("done", "stuck") else theme.colour("paper"))
    if state == "stuck":
        p.drawPolygon(_polygon(centre, 11 * scale, 4, 45))
        p.setPen(QPen(theme.colour("paper"), 2.4 * scale))
        p.drawLine(centre + QPointF(0, -4.5 * scale), centre + QPointF(0, scale))
        p.drawPoint(centre + QPointF(0, 5 * scale))
    elif state == "done":
        p.drawEllipse(centre, 9.5 * scale, 8 * scale)
        p.setPen(QPen(theme.colour("paper"), 2.2 * scale))
        p.drawPolyline(QPolygonF([centre + QPointF(x, y) * scale for x, y in ((-4, 0), (-1, 3), (4.5, -3))]))
    elif state == "in hand":
        p.drawEllipse(centre, 11 * scale, 9 * scale)
        p.setBrush(shade)
        p.drawEllipse(centre, 4.5 * scale, 3.8 * scale)
    elif state == "lacks input":
        p.drawEllipse(centre, 9 * scale, 7.5 * scale)
        p.setFont(theme.words(theme.SMALL, bold=True))
        p.drawText(QRectF(centre.x() - 8, centre.y() - 8, 16, 16), Qt.AlignmentFlag.AlignCenter, "?")
    elif state == "nothing to do":
        p.drawLine(centre + QPointF(-4 * scale, 0), centre + QPointF(4 * scale, 0))
    else:
        p.drawEllipse(centre, 7 * scale, 5.5 * scale)


def shade_of(state: str) -> str:
    """The colour that goes with a state."""
    t = theme.current()
    return {"done": t.good, "in hand": t.copper, "stuck": t.out, "lacks input": t.near}.get(state, t.faint)


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
