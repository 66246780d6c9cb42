"""The part as it lies in the hand, to scale beside a 10 mm rule. Drawn from its kind, value and size."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from nuvlo.catalogue import find
from nuvlo.desktop import theme
from nuvlo.kit import Part
from nuvlo.kit.kinds import kind_of
from nuvlo.markings.marking import resistor_bands
from nuvlo.quantity import sentence

BANDS = {
    "black": "#1B1B1B", "brown": "#7A4420", "red": "#C3312F", "orange": "#E07B25", "yellow": "#EAC52E", "green": "#3B8B4B",
    "blue": "#2F5FB0", "violet": "#7D4FA3", "grey": "#8C8C8C", "white": "#F4F4F4", "gold": "#C9A23F", "silver": "#B9BEC2",
    "pink": "#E6A0B4",
}  # fmt: skip
LEAD, METAL, DARK, FILM, BODY = "#8E979B", "#B9BEC2", "#2B2F33", "#B5523B", "#D9C7A0"


HIGH = 190  # px


class Portrait(QWidget):
    """One part. ``text`` under it says what the picture shows, for those who do not see it."""

    def __init__(self, part: Part | None = None) -> None:
        super().__init__()
        self.part = part
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Maximum)

    def sizeHint(self) -> QSize:
        return QSize(300, HIGH)

    def show_part(self, part: Part | None) -> None:
        self.part = part
        self.setAccessibleName(describe(part) if part else "")
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(QPen(theme.colour("line"), 1))
        p.setBrush(theme.colour("card"))
        p.drawRoundedRect(QRectF(0.5, 0.5, self.width() - 1, self.height() - 1), 6, 6)
        if self.part is None:
            return
        p.setPen(theme.colour("ink"))
        p.setFont(theme.words(13, bold=True))
        p.drawText(QRectF(16, 10, 400, 22), Qt.AlignmentFlag.AlignLeft, f"{self.part.ref}   {self.part.text}")
        p.setFont(theme.words(10))
        p.setPen(theme.colour("faint"))
        p.drawText(
            QRectF(16, self.height() - 26, self.width() - 32, 18), Qt.AlignmentFlag.AlignLeft, describe(self.part)
        )
        mm = kind_of(self.part.kind).px_mm
        p.save()
        rise = 20 if kind_of(self.part.kind).upright else 6  # long legs stay clear of the words below
        p.translate(self.width() / 2 - 30, self.height() / 2 - rise)
        draw = DRAW.get(kind_of(self.part.kind).drawn_as or self.part.kind)
        (draw or _box)(p, mm, self.part)
        p.restore()
        if draw is not None:  # of others the size is not known
            self._rule(p, mm)

    def _rule(self, p: QPainter, mm: float) -> None:
        right, y = self.width() - 20.0, self.height() - 44.0
        p.setPen(QPen(theme.colour("faint"), 1.5))
        p.drawLine(QPointF(right - 10 * mm, y), QPointF(right, y))
        for k in range(11):
            tall = 8 if k % 5 == 0 else 4
            p.drawLine(QPointF(right - k * mm, y), QPointF(right - k * mm, y - tall))
        p.setFont(theme.values(theme.SMALL))
        p.drawText(QRectF(right - 10 * mm, y + 2, 10 * mm, 14), Qt.AlignmentFlag.AlignRight, "10\u202fmm")


def describe(part: Part) -> str:
    """What to look for on the part."""
    if part.kind == "resistor" and part.value is not None and part.tolerance is not None:
        try:
            return "Bands from the left: " + ", ".join(resistor_bands(part.value, part.tolerance[1])) + "."
        except ValueError:
            return ""
    known = find(part.text) if kind_of(part.kind).typed else None
    if known is not None and known.legs:
        return known.legs
    return kind_of(part.kind).look or (sentence(part.note) + "." if part.note else "")


def _lead(p: QPainter, a: QPointF, b: QPointF) -> None:
    p.setPen(QPen(QColor(LEAD), 3, cap=Qt.PenCapStyle.RoundCap))
    p.drawLine(a, b)


def _fill(p: QPainter, colour: str) -> None:
    p.setPen(QPen(theme.colour("faint"), 1))
    p.setBrush(QColor(colour))


def _resistor(p: QPainter, mm: float, part: Part) -> None:
    _lead(p, QPointF(-14 * mm, 0), QPointF(14 * mm, 0))
    _fill(p, BODY)
    path = QPainterPath()
    path.addRoundedRect(QRectF(-3.3 * mm, -1.1 * mm, 6.6 * mm, 2.2 * mm), mm, mm)
    for x in (-2.6, 2.6):
        end = QPainterPath()
        end.addEllipse(QPointF(x * mm, 0), 0.9 * mm, 1.3 * mm)
        path = path.united(end)
    p.drawPath(path)
    if part.value is None or part.tolerance is None:
        return
    try:
        bands = resistor_bands(part.value, part.tolerance[1])
    except ValueError:
        return
    places = [-2.6, -1.5, -0.6, 0.3, 2.6] if len(bands) == 5 else [-2.6, -1.2, 0.0, 2.6]
    for x, band in zip(places, bands, strict=False):
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(BANDS[band]))
        half = 1.25 if abs(x) > 2 else 1.1
        p.drawRect(QRectF((x - 0.28) * mm, -half * mm, 0.56 * mm, 2 * half * mm))


def _diode(p: QPainter, mm: float, part: Part) -> None:
    _lead(p, QPointF(-14 * mm, 0), QPointF(14 * mm, 0))
    _fill(p, DARK)
    p.drawRoundedRect(QRectF(-2.6 * mm, -1.35 * mm, 5.2 * mm, 2.7 * mm), 3, 3)
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(QColor(METAL))
    p.drawRect(QRectF(1.5 * mm, -1.35 * mm, 0.6 * mm, 2.7 * mm))


def _film(p: QPainter, mm: float, part: Part) -> None:
    for x in (-2.5, 2.5):
        _lead(p, QPointF(x * mm, 2.5 * mm), QPointF(x * mm, 6 * mm))
    _fill(p, FILM)
    p.drawRoundedRect(QRectF(-3.6 * mm, -4 * mm, 7.2 * mm, 7 * mm), 4, 4)
    p.setPen(QColor("#FFFFFF"))
    p.setFont(theme.values(11, bold=True))
    p.drawText(QRectF(-3.6 * mm, -2.5 * mm, 7.2 * mm, 4 * mm), Qt.AlignmentFlag.AlignCenter, part.text)


def _electrolytic(p: QPainter, mm: float, part: Part) -> None:
    _lead(p, QPointF(-1.25 * mm, 4 * mm), QPointF(-1.25 * mm, 8.2 * mm))
    _lead(p, QPointF(1.25 * mm, 4 * mm), QPointF(1.25 * mm, 6.6 * mm))
    _fill(p, "#39495A")
    p.drawRoundedRect(QRectF(-3.1 * mm, -5.5 * mm, 6.3 * mm, 10 * mm), 5, 5)
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(QColor("#C8D0D6"))
    p.drawRect(QRectF(1.4 * mm, -5.2 * mm, 1.2 * mm, 9.4 * mm))
    p.setPen(QPen(QColor("#39495A"), 2))
    for y in (-3.5, -0.5, 2.5):
        p.drawLine(QPointF(1.7 * mm, y * mm), QPointF(2.3 * mm, y * mm))
    p.setPen(QColor("#FFFFFF"))
    _print(p, QRectF(-3 * mm, -3 * mm, 4.2 * mm, 5 * mm), part.text)


def _print(p: QPainter, box: QRectF, text: str) -> None:
    """What is printed on a part, as small as its body has it."""
    p.setFont(theme.values(theme.SMALL, bold=True))
    wide = max(p.fontMetrics().horizontalAdvance(text), 1)
    share = min(1.0, box.width() / wide)
    p.save()
    p.translate(box.center())
    p.scale(share, share)
    p.drawText(QRectF(-wide, -10, 2 * wide, 20), Qt.AlignmentFlag.AlignCenter, text)
    p.restore()


def _transistor(p: QPainter, mm: float, part: Part) -> None:
    for x in (-1.27, 0, 1.27):
        _lead(p, QPointF(x * mm, 2 * mm), QPointF(x * 1.3 * mm, 8 * mm))
    _fill(p, DARK)
    p.drawRoundedRect(QRectF(-2.4 * mm, -2.6 * mm, 4.8 * mm, 4.8 * mm), 4, 4)
    p.setPen(QColor("#E4E4E4"))
    _print(p, QRectF(-2.3 * mm, -2.4 * mm, 4.6 * mm, 4 * mm), part.text)
    p.setPen(theme.colour("ink"))
    p.setFont(theme.values(theme.SMALL))
    for x, pin in zip((-1.27, 0, 1.27), "123", strict=True):  # beside its leg, where they stand apart
        p.drawText(QRectF(1.22 * x * mm - 14, 5.4 * mm, 11, 17), Qt.AlignmentFlag.AlignRight, pin)


def _lamp(p: QPainter, mm: float, part: Part) -> None:
    _lead(p, QPointF(-1.27 * mm, 2 * mm), QPointF(-1.27 * mm, 8.5 * mm))
    _lead(p, QPointF(1.27 * mm, 2 * mm), QPointF(1.27 * mm, 7 * mm))
    _fill(p, "#C8453C")
    path = QPainterPath()
    path.moveTo(-2.5 * mm, 2 * mm)
    path.lineTo(-2.5 * mm, -2 * mm)
    path.arcTo(QRectF(-2.5 * mm, -4.5 * mm, 5 * mm, 5 * mm), 180, -180)
    path.lineTo(2.5 * mm, 2 * mm)
    path.closeSubpath()
    p.drawPath(path)
    p.drawRect(QRectF(-2.9 * mm, 1.6 * mm, 5.4 * mm, 1.0 * mm))


def _trimmer(p: QPainter, mm: float, part: Part) -> None:
    for x in (-2.54, 0, 2.54):
        _lead(p, QPointF(x * mm, 3 * mm), QPointF(x * mm, 6.5 * mm))
    _fill(p, "#3D6EA8")
    p.drawRoundedRect(QRectF(-3.5 * mm, -3.8 * mm, 7 * mm, 7 * mm), 4, 4)
    _fill(p, "#E9E4D8")
    p.drawEllipse(QPointF(0, -0.3 * mm), 2 * mm, 2 * mm)
    p.setPen(QPen(QColor(DARK), 3))
    p.drawLine(QPointF(0, -1.8 * mm), QPointF(0, 1.2 * mm))
    p.drawLine(QPointF(-1.5 * mm, -0.3 * mm), QPointF(1.5 * mm, -0.3 * mm))


def _pot(p: QPainter, mm: float, part: Part) -> None:
    for x in (-5, 0, 5):
        _lead(p, QPointF(x * mm, 6 * mm), QPointF(x * mm, 11 * mm))
    _fill(p, METAL)
    p.drawEllipse(QPointF(0, 0), 8 * mm, 8 * mm)
    _fill(p, "#8E979B")
    p.drawEllipse(QPointF(0, 0), 3 * mm, 3 * mm)
    p.setPen(theme.colour("faint"))
    p.setFont(theme.values(theme.SMALL))
    for x, pin in zip((-5, 0, 5), "123", strict=True):
        p.drawText(QRectF((x + 0.6) * mm, 8.6 * mm, 20, 17), Qt.AlignmentFlag.AlignLeft, pin)


def _jack(p: QPainter, mm: float, part: Part) -> None:
    _fill(p, DARK)
    p.drawRoundedRect(QRectF(-9 * mm, -6 * mm, 18 * mm, 12 * mm), 6, 6)
    _fill(p, METAL)
    p.drawRect(QRectF(9 * mm, -4 * mm, 6 * mm, 8 * mm))
    for y in (-4, 4):
        _lead(p, QPointF(-9 * mm, y * mm), QPointF(-13 * mm, y * mm))
    p.setPen(QColor("#E4E4E4"))
    p.setFont(theme.words(theme.SMALL))
    p.drawText(QRectF(-8.6 * mm, -5.2 * mm, 60, 17), Qt.AlignmentFlag.AlignLeft, "tip")
    p.drawText(QRectF(-8.6 * mm, 2.2 * mm, 60, 17), Qt.AlignmentFlag.AlignLeft, "sleeve")


def _box(p: QPainter, _: float, part: Part) -> None:
    """What has no picture: its kind in a box, to no scale."""
    box = QRectF(-85, -32, 170, 64)
    _fill(p, METAL)
    p.drawRoundedRect(box, 6, 6)
    p.setPen(QColor(DARK))
    p.setFont(theme.words(11))
    p.drawText(box, Qt.AlignmentFlag.AlignCenter, part.kind)


DRAW = {
    "resistor": _resistor, "diode": _diode, "capacitor": _film, "electrolytic": _electrolytic, "transistor": _transistor,
    "lamp": _lamp, "trimmer": _trimmer, "potentiometer": _pot, "jack": _jack,
}  # fmt: skip
