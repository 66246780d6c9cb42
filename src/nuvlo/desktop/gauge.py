"""The reading gauge: window as a solid bar, nominal as a notch, the reading as a lozenge with whiskers."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from nuvlo.desktop import theme
from nuvlo.desktop.focus import ringed
from nuvlo.quantity import Verdict, format_value
from nuvlo.stages.task import Finding, Wants

QUIET = 14  # px that a quiet line takes

QUANTITIES = {
    "resistance": "ohms",
    "voltage": "volts",
    "current": "current",
    "gain": "jack to jack",
    "capacitance": "farads",
    "tone": "AC volts",
}


class Gauge(QWidget):
    """One finding. ``large`` doubles the type, for two metres away. ``picked`` with its step, by a click or Enter."""

    picked = pyqtSignal(str)

    def __init__(self, finding: Finding, *, present: bool = False, large: bool = False) -> None:
        super().__init__()
        self.finding, self.present, self.scale = finding, present, 3.0 if large else 1.0
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMinimumHeight(self.sizeHint().height())
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName(self.said())

    def click(self) -> None:
        """Take its step in hand, to be read or read again."""
        self.picked.emit(self.finding.task.id)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event and event.button() == Qt.MouseButton.LeftButton and self.rect().contains(event.position().toPoint()):
            self.click()

    def show_finding(self, finding: Finding, *, present: bool) -> None:
        """Show another state of the same place."""
        if (finding, present) != (self.finding, self.present):
            self.finding, self.present = finding, present
            self.setAccessibleName(self.said())
            self.update()

    def sizeHint(self) -> QSize:
        return QSize(280, int(((98 if self.finding.window else 60) + self._lower) * self.scale))

    @property
    def _lower(self) -> int:
        """By how much the scale stands lower than usual: for the quiet line of a part."""
        return QUIET if self.finding.task.wants is Wants.MEASURE else 0

    def said(self) -> str:
        """The whole gauge in words."""
        f = self.finding
        reading = str(f.reading) if f.reading else "no reading"
        return ", ".join(w for w in (f"{f.task.target}: {reading}", f.brief or f.verdict.words, f.aside) if w)

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        f, s, t = self.finding, self.scale, theme.current()
        box = QRectF(0.5, 0.5, self.width() - 1, self.height() - 5 * s)
        p.setPen(QPen(theme.colour("copper" if self.present else "line"), 2 if self.present else 1))
        p.setBrush(theme.colour("card"))
        p.drawRoundedRect(box, 6, 6)
        left, width = 10 * s, self.width() - 20 * s
        p.setPen(theme.colour("ink"))
        p.setFont(theme.words(10.5 * s, bold=True))
        p.drawText(QRectF(left, 6 * s, width * 0.55, 18 * s), Qt.AlignmentFlag.AlignLeft, f.task.place)
        p.setFont(theme.words(theme.SMALL * s))
        p.setPen(theme.colour("faint"))
        p.drawText(
            QRectF(left, 24 * s, width * 0.5, 18 * s),
            Qt.AlignmentFlag.AlignLeft,
            "" if f.brief else f"{QUANTITIES.get(f.task.quantity, '')}{f.task.how}",
        )
        size = (
            10 if f.reading is None else theme.GAUGE if math.isfinite(f.reading.value) else 12
        )  # words need more room than figures
        p.setFont(theme.values(size * s, bold=f.reading is not None))
        p.setPen(theme.colour("ink" if f.reading else "faint"))
        value = str(f.reading) if f.reading else "not taken"
        p.drawText(QRectF(left, 4 * s, width, 25 * s), Qt.AlignmentFlag.AlignRight, value)
        if f.reading is not None and f.window is not None:
            word = f.verdict_words
            p.setFont(theme.words((10.5 if f.brief else theme.SMALL) * s, bold=True))
            p.setPen(QColor(t.verdict(f.tone.value)))
            rect = QRectF(left, 27 * s, width, 20 * s)
            p.drawText(rect, Qt.AlignmentFlag.AlignRight, word)
            mark = p.fontMetrics().horizontalAdvance(word)
            self._shape(p, QPointF(left + width - mark - 10 * s, 36 * s), f.tone, 4.5 * s)
            if f.aside:
                p.setFont(theme.words(theme.SMALL * s))
                p.setPen(theme.colour("faint"))
                p.drawText(QRectF(left, 45 * s, width, 18 * s), Qt.AlignmentFlag.AlignRight, f.aside)
        if f.window is not None:
            self._scale(p, left, width)
        p.end()
        ringed(self, box)

    @staticmethod
    def _shape(p: QPainter, at: QPointF, verdict: Verdict, r: float) -> None:
        """In: a disc. Near: a half-filled disc. Out: a hollow lozenge."""
        colour = QColor(theme.current().verdict(verdict.value))
        p.setPen(QPen(colour, 1.6))
        p.setBrush(colour if verdict is Verdict.IN else Qt.BrushStyle.NoBrush)
        if verdict is Verdict.OUT:
            p.drawPolygon(QPolygonF([at + QPointF(-r, 0), at + QPointF(0, -r), at + QPointF(r, 0), at + QPointF(0, r)]))
            return
        p.drawEllipse(at, r, r)
        if verdict is Verdict.NEAR:
            p.setBrush(colour)
            p.drawPie(QRectF(at.x() - r, at.y() - r, 2 * r, 2 * r), 90 * 16, 180 * 16)

    def _scale(self, p: QPainter, left: float, width: float) -> None:
        f, s, t = self.finding, self.scale, theme.current()
        window = f.window
        assert window is not None
        closed = math.isfinite(window.high)
        high = window.high if closed else window.low * 3 + 1
        span = (high - window.low) or abs(high) * 0.1 or 1.0
        first, last = window.low - 0.45 * span, high + 0.45 * span
        y = (58 + self._lower) * s

        def x(v: float) -> float:
            return left + min(max((v - first) / (last - first), -0.0), 1.0) * width

        p.setPen(QPen(theme.colour("line"), 1.4 * s))
        p.drawLine(QPointF(left, y), QPointF(left + width, y))
        p.setPen(Qt.PenStyle.NoPen)
        bar = QColor(t.slate)
        bar.setAlpha(70)
        p.setBrush(bar)
        end = x(high) if closed else left + width
        p.drawRect(QRectF(x(window.low), y - 5 * s, end - x(window.low), 10 * s))
        p.setBrush(theme.colour("slate"))
        for edge in (window.low, high) if closed else (window.low,):
            p.drawRect(QRectF(x(edge) - 1, y - 6 * s, 2, 12 * s))
        if math.isfinite(window.nominal):
            notch = x(window.nominal)
            p.drawPolygon(
                QPolygonF(
                    [QPointF(notch - 4 * s, y + 10 * s), QPointF(notch + 4 * s, y + 10 * s), QPointF(notch, y + 3 * s)]
                )
            )
        p.setFont(theme.values(theme.SMALL * s))
        p.setPen(theme.colour("faint"))
        below = QRectF(left, y + 11 * s, width, 18 * s)
        p.drawText(below, Qt.AlignmentFlag.AlignLeft, format_value(window.low, window.unit))
        p.drawText(below, Qt.AlignmentFlag.AlignRight, format_value(window.high, window.unit) if closed or not math.isfinite(window.low) else "or more")
        if f.reading is None:
            return
        colour = QColor(t.verdict(f.tone.value))
        r = 6.5 * s
        spot = x(f.reading.value) if math.isfinite(f.reading.value) else left + width
        at = QPointF(min(max(spot, left + r), left + width - r), y)
        p.setPen(QPen(colour, 1.6 * s))
        if first <= f.reading.value <= last:  # beyond the scale its whiskers would be cut at the card's edge
            a, b = x(f.reading.value - f.reading.uncertainty), x(f.reading.value + f.reading.uncertainty)
            p.drawLine(QPointF(a, y), QPointF(b, y))
            for end in (a, b):
                p.drawLine(QPointF(end, y - 3.5 * s), QPointF(end, y + 3.5 * s))
        lozenge = QPolygonF([at + QPointF(-r, 0), at + QPointF(0, -r), at + QPointF(r, 0), at + QPointF(0, r)])
        p.setBrush(theme.colour("card") if f.verdict is Verdict.OUT else colour)
        p.drawPolygon(lozenge)
