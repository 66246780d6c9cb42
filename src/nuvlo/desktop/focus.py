"""Where the keys go, shown alike everywhere: a ring of ink with a gap inside it, seen on any ground."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QPushButton, QWidget

from nuvlo.desktop import theme


def ring(p: QPainter, box: QRectF) -> None:
    """Draw the ring just inside a box."""
    p.setBrush(Qt.BrushStyle.NoBrush)
    for role, inset in (("ink", 1.0), ("card", 3.0)):
        p.setPen(QPen(theme.colour(role), 2))
        p.drawRoundedRect(box.adjusted(inset, inset, -inset, -inset), 6, 6)


class MainButton(QPushButton):
    """The button of what is to be done now."""

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        ringed(self)


def ringed(widget: QWidget, box: QRectF | None = None) -> None:
    """Draw the ring around a widget, or a part of it, while it has the focus. At the end of its painting."""
    if widget.hasFocus():
        p = QPainter(widget)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        ring(p, box or QRectF(widget.rect()))
