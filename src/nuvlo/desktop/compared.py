"""A gauge of one reading beside what each suspect would show: bars on one scale, the reading a line through all of them."""

from __future__ import annotations

import math
from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from nuvlo.desktop import theme
from nuvlo.desktop.gauge import QUANTITIES
from nuvlo.quantity import format_value
from nuvlo.stages.suspects import Compared, Told, in_words

HEAD, ROW, FOOT, LETTERS = 46, 17, 22, 46  # px; the last for the names of the bars
WIDE = 12.0  # ends of a scale so far apart, in times, that it is of the logarithm


class ComparedGauge(QWidget):
    """``large`` doubles the type, for two metres away."""

    def __init__(self, shown: Compared, *, large: bool = False) -> None:
        super().__init__()
        self.shown, self.scale = shown, 2.4 if large else 1.0
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMinimumHeight(self.sizeHint().height())
        self.setAccessibleName(self.said())

    def sizeHint(self) -> QSize:
        return QSize(280, int((HEAD + ROW * len(self.shown.told) + FOOT + 5) * self.scale))

    def said(self) -> str:
        """The whole gauge in words."""
        r, unit = self.shown.reading, self.shown.reading.unit
        told = [f"{t.letter or 'a good unit'} {in_words(t.middle, unit)}" for t in self.shown.told if not math.isnan(t.middle)]
        return f"{r.of.short}: {self.shown.taken or 'to be read'}; expected: {', '.join(told)}"

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        s, r, taken = self.scale, self.shown.reading, self.shown.taken
        p.setPen(QPen(theme.colour("copper" if taken is None else "line"), 2 if taken is None else 1))
        p.setBrush(theme.colour("card"))
        p.drawRoundedRect(QRectF(1, 1, self.width() - 2, self.height() - 5 * s), 6, 6)
        left, width = 10 * s, self.width() - 20 * s
        p.setPen(theme.colour("ink"))
        p.setFont(theme.words(10.5 * s, bold=True))
        p.drawText(QRectF(left, 6 * s, width * 0.6, 18 * s), Qt.AlignmentFlag.AlignLeft, r.of.short)
        p.setFont(theme.words(theme.SMALL * s))
        p.setPen(theme.colour("faint"))
        p.drawText(QRectF(left, 24 * s, width * 0.6, 18 * s), Qt.AlignmentFlag.AlignLeft, QUANTITIES.get(r.quantity, r.quantity))
        p.setFont(theme.values((theme.GAUGE if taken and math.isfinite(taken.value) else 10) * s, bold=taken is not None))
        p.setPen(theme.colour("ink" if taken else "copper"))
        p.drawText(QRectF(left, 4 * s, width, 25 * s), Qt.AlignmentFlag.AlignRight, str(taken) if taken else "read this")
        self._bars(p, left, width)

    def _bars(self, p: QPainter, left: float, width: float) -> None:
        s, taken, unit = self.scale, self.shown.taken, self.shown.reading.unit
        told = [t for t in self.shown.told if not math.isnan(t.middle)]
        ends = [v for t in told for v in (t.low, t.high) if math.isfinite(v)]
        ends += [taken.value] if taken and math.isfinite(taken.value) else []
        if not ends:
            return
        low, high = min(ends), max(ends)
        by_shares = low > 0 and high > WIDE * low
        first, last = (math.log(low), math.log(high)) if by_shares else (low, high)
        room = 0.08 * ((last - first) or abs(last) or 1.0)
        first, last = first - room, last + room
        start, long = left + LETTERS * s, width - (LETTERS + 4) * s

        def x(value: float) -> float:
            if math.isinf(value):
                return start + long if value > 0 else start
            at = math.log(max(value, 1e-300)) if by_shares else value
            return start + min(max((at - first) / (last - first), 0.0), 1.0) * long

        for k, t in enumerate(told):
            self._bar(p, t, left, (HEAD + ROW * k) * s, x)
        y = (HEAD + ROW * len(told)) * s
        p.setPen(QPen(theme.colour("line"), 1.2 * s))
        p.drawLine(QPointF(start, y), QPointF(start + long, y))
        p.setFont(theme.values(theme.SMALL * s))
        p.setPen(theme.colour("faint"))
        below = QRectF(start, y + 2 * s, long, 18 * s)
        p.drawText(below, Qt.AlignmentFlag.AlignLeft, format_value(low, unit, 3))
        p.drawText(below, Qt.AlignmentFlag.AlignRight, format_value(high, unit, 3))
        if taken is not None:
            at, r = x(taken.value), 5 * s
            p.setPen(QPen(theme.colour("ink"), 1.6 * s))
            p.drawLine(QPointF(at, (HEAD - 4) * s), QPointF(at, y))
            p.setBrush(theme.colour("ink"))
            p.drawPolygon(QPolygonF([QPointF(at - r, y), QPointF(at, y - r), QPointF(at + r, y), QPointF(at, y + r)]))

    def _bar(self, p: QPainter, t: Told, left: float, top: float, x: Callable[[float], float]) -> None:
        """One bar with its letter: copper where a suspect would read, slate where a good unit would."""
        s = self.scale
        role = "copper" if t.letter else "slate"
        p.setFont(theme.words(theme.SMALL * s, bold=bool(t.letter)))
        p.setPen(theme.colour(role))
        p.drawText(QRectF(left, top, LETTERS * s, ROW * s), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, t.letter or "good")
        bar = QColor(theme.colour(role))
        bar.setAlpha(150)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(bar)
        a, b = x(t.low), x(t.high)
        p.drawRect(QRectF(a - 1.5 * s, top + 4 * s, b - a + 3 * s, (ROW - 8) * s))
