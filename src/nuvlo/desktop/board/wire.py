"""How a wire is drawn: in its colour, the one in hand with a seam of copper, those to come dotted and pale."""

from __future__ import annotations

from collections.abc import Collection

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen

from nuvlo.desktop import theme
from nuvlo.kit import Wire

WIRES = {
    "red": "#C3312F", "black": "#20262B", "white": "#C9C2B2", "orange": "#E07B25", "blue": "#2F5FB0", "green": "#3B8B4B",
    "yellow": "#D7AE1E", "brown": "#7A4420", "violet": "#7D4FA3", "grey": "#8C8C8C",
}  # fmt: skip
BLACK_BY_LAMP = "#8C8C8C"  # black on a dark ground


def draw_wire(p: QPainter, path: QPainterPath, wire: Wire, now: str, done: Collection[str]) -> None:
    """One wire along ``path``; ``now`` is the name of the one in hand."""
    in_hand = wire.name == now
    there = in_hand or wire.name in done
    colour = QColor(WIRES.get(wire.colour, theme.current().faint))
    if wire.colour == "black" and theme.current() is theme.LAMP:
        colour = QColor(BLACK_BY_LAMP)
    colour.setAlpha(255 if there else 70)
    pen = QPen(colour, 5 if in_hand else 2.2)
    if not there:
        pen.setStyle(Qt.PenStyle.DotLine)
    p.setBrush(Qt.BrushStyle.NoBrush)
    if in_hand:
        p.setPen(QPen(theme.colour("copper"), 9))
        p.drawPath(path)
    p.setPen(pen)
    p.drawPath(path)


def draw_lead(p: QPainter, a: QPointF, b: QPointF, now: bool) -> None:
    """A lead on the back of a lettered board, from joint to joint."""
    p.setPen(QPen(theme.colour("copper" if now else "faint"), 4 if now else 1.6, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
    p.drawLine(a, b)
    if now:
        p.setBrush(theme.colour("copper"))
        for at in (a, b):
            p.drawEllipse(at, 4.5, 4.5)
