"""How a wire is drawn: in its colour with an outline, a pattern and its number, so that no eye has to know a colour; the one in
hand with a seam of copper, those to come dotted and pale."""

from __future__ import annotations

from collections.abc import Collection

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen

from nuvlo.desktop import theme
from nuvlo.kit import Wire

WIRES = {
    "red": "#C3312F", "black": "#20262B", "white": "#F4F1EA", "orange": "#E07B25", "blue": "#2F5FB0", "green": "#3B8B4B",
    "yellow": "#D7AE1E", "brown": "#7A4420", "violet": "#7D4FA3", "grey": "#8C8C8C", "pink": "#D98BA6",
}  # fmt: skip
STRIPES: dict[str, tuple[float, ...]] = {
    "violet": (5, 4), "brown": (1, 3), "green": (8, 3, 1, 3), "grey": (2, 6), "orange": (10, 4), "yellow": (4, 2), "pink": (1, 1.5),
}  # dashes and gaps of a stripe along the wire, in its widths: of two colours that some eyes take for one, one has it
WIDE, IN_HAND = 3.0, 5.0  # px
EDGE = 1.2  # px of outline on each side


def draw_wire(p: QPainter, path: QPainterPath, wire: Wire, now: str, done: Collection[str]) -> None:
    """One wire along ``path``; ``now`` is the name of the one in hand."""
    in_hand = wire.name == now
    there = in_hand or wire.name in done
    colour = QColor(WIRES.get(wire.colour, theme.current().faint))
    p.setBrush(Qt.BrushStyle.NoBrush)
    if not there:
        faint = theme.colour("faint")
        faint.setAlpha(130)
        p.setPen(QPen(faint, 1.6, Qt.PenStyle.DotLine))
        p.drawPath(path)
        return
    wide = IN_HAND if in_hand else WIDE
    if in_hand:
        p.setPen(QPen(theme.colour("copper"), wide + 2 * EDGE + 4))
        p.drawPath(path)
    for shade, width in ((theme.colour("ink"), wide + 2 * EDGE), (colour, wide)):
        p.setPen(QPen(shade, width))
        p.drawPath(path)
    if wire.colour in STRIPES:
        stripe = QPen(QColor(WIRES["white" if wire.colour not in ("yellow", "pink", "grey") else "black"]), wide * 0.45)
        stripe.setCapStyle(Qt.PenCapStyle.FlatCap)
        stripe.setDashPattern([length / 0.45 for length in STRIPES[wire.colour]])
        p.setPen(stripe)
        p.drawPath(path)


def number_wire(p: QPainter, path: QPainterPath, wire: Wire, at: float) -> None:
    """The number of a wire on a small card, ``at`` this share of its way."""
    p.setFont(theme.values(theme.SMALL, bold=True))
    middle, wide = path.pointAtPercent(at), p.fontMetrics().horizontalAdvance(wire.name) + 8.0
    box = QRectF(middle.x() - wide / 2, middle.y() - 9, wide, 18)
    p.setPen(QPen(theme.colour("edge"), 1))
    p.setBrush(theme.colour("card"))
    p.drawRoundedRect(box, 4, 4)
    p.setPen(theme.colour("ink"))
    p.drawText(box, Qt.AlignmentFlag.AlignCenter, wire.name)


def draw_wires(p: QPainter, routed: list[tuple[Wire, QPainterPath]], now: str, done: Collection[str]) -> None:
    """All wires, the one in hand above the rest, then the numbers of those that are there, staggered along their ways."""
    for wire, path in sorted(routed, key=lambda one: one[0].name == now):
        draw_wire(p, path, wire, now, done)
    for k, (wire, path) in enumerate(routed):
        if wire.name == now or (wire.name in done and path.length() > LEAST_NUMBERED):
            number_wire(p, path, wire, 0.5 if wire.name == now else NUMBERED_AT[k % len(NUMBERED_AT)])


LEAST_NUMBERED = 60.0  # px of a wire that has room for its number
NUMBERED_AT = (0.35, 0.5, 0.65)  # shares of the way, one after the other: side by side they would lie on each other


def draw_lead(p: QPainter, a: QPointF, b: QPointF, now: bool) -> None:
    """A lead on the back of a lettered board, from joint to joint."""
    p.setPen(QPen(theme.colour("copper" if now else "faint"), 4 if now else 1.6, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
    p.drawLine(a, b)
    if now:
        p.setBrush(theme.colour("copper"))
        for at in (a, b):
            p.drawEllipse(at, 4.5, 4.5)
