"""How much of what there is a rail takes: the worst filled, the typical marked in it."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from nuvlo.desktop import theme


class Bar(QWidget):
    """One rail, A: ``worst`` of ``limit``, ``typical`` marked."""

    def __init__(self, name: str, typical: float, worst: float, limit: float, words: str = "") -> None:
        super().__init__()
        self.typical, self.worst, self.limit = typical, worst, limit
        self.setFixedHeight(22)
        self.setAccessibleName(f"{name}: {words}" if words else name)

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        whole = QRectF(0, 4, self.width(), 14)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.colour("line"))
        p.drawRoundedRect(whole, 4, 4)
        p.setBrush(theme.colour("good" if self.worst <= self.limit else "out"))
        p.drawRoundedRect(QRectF(0, 4, whole.width() * min(self.worst / self.limit, 1.0), 14), 4, 4)
        p.setBrush(theme.colour("ink"))
        p.drawRect(QRectF(whole.width() * min(self.typical / self.limit, 1.0) - 1, 1, 2, 20))
