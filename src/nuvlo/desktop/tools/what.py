"""What is this part? Colours clicked from one end to the other, drawn on a body, and everything they can mean."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QIcon, QPainter, QPaintEvent, QPen, QPixmap
from PyQt6.QtWidgets import QGridLayout, QPushButton, QVBoxLayout, QWidget

from nuvlo.desktop import theme
from nuvlo.desktop.board.portrait import BANDS, BODY, LEAD
from nuvlo.desktop.labels import label
from nuvlo.kit import Kit
from nuvlo.problems import NuvloError
from nuvlo.stages.unpack.identify import identify

MOST_BANDS = 6
ACROSS = 4  # colour buttons in a row


class _Body(QWidget):
    """A resistor with the bands clicked so far."""

    def __init__(self) -> None:
        super().__init__()
        self.bands: list[str] = []
        self.setFixedHeight(110)

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle, half = self.height() / 2, 150.0
        at = self.width() / 2
        p.setPen(QPen(QColor(LEAD), 5, cap=Qt.PenCapStyle.RoundCap))
        p.drawLine(QPointF(at - half - 120, middle), QPointF(at + half + 120, middle))
        p.setPen(QPen(theme.colour("faint"), 1))
        p.setBrush(QColor(BODY))
        p.drawRoundedRect(QRectF(at - half, middle - 34, 2 * half, 68), 24, 24)
        p.setPen(Qt.PenStyle.NoPen)
        for k, band in enumerate(self.bands):
            p.setBrush(QColor(BANDS[band]))
            p.drawRect(QRectF(at - half + 26 + k * 44, middle - 34, 20, 68))


class WhatTool(QWidget):
    """Click colours, or type ``what brown black orange gold``."""

    def __init__(self, kit: Kit, ticked: set[str]) -> None:
        super().__init__()
        self.kit, self.ticked = kit, ticked
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 4, 12, 4)
        column.setSpacing(10)
        column.addWidget(label("What is this part?", 15, bold=True))
        column.addWidget(
            label("Click the bands from one end to the other; both directions are tried. Or type: what 104K", 11)
        )
        self.body = _Body()
        column.addWidget(self.body)
        grid = QGridLayout()
        self.buttons: dict[str, QPushButton] = {}
        for k, colour in enumerate(BANDS):
            button = QPushButton(_swatch(colour), colour)
            button.setIconSize(QSize(26, 18))
            button.setStyleSheet("text-align: left; padding-left: 12px;")
            button.clicked.connect(lambda _=False, c=colour: self.add(c))
            self.buttons[colour] = button
            grid.addWidget(button, k // ACROSS, k % ACROSS)
        again = QPushButton("begin again")
        again.clicked.connect(self.clear)
        self.buttons["begin again"] = again
        grid.addWidget(again, len(BANDS) // ACROSS, len(BANDS) % ACROSS, 1, ACROSS - len(BANDS) % ACROSS)
        column.addLayout(grid)
        self.answer = label("", 13)
        column.addWidget(self.answer)
        column.addStretch(1)

    def add(self, colour: str) -> None:
        """One more band; a seventh begins again."""
        self.body.bands = [*self.body.bands, colour] if len(self.body.bands) < MOST_BANDS else [colour]
        self.body.update()
        try:
            found = identify(" ".join(self.body.bands), self.kit, self.ticked)
        except NuvloError:
            words = "These bands mean nothing yet: go on to the other end."
        else:
            words = "\n".join(
                f"{c.words}   {c.how}"
                f"{'   fits ' + ', '.join(c.refs) if c.refs else ''}" for c in found
            )  # fmt: skip
        self.answer.setText(words)
        self.setAccessibleName(f"{', '.join(self.body.bands)}: {words}")

    def clear(self) -> None:
        self.body.bands = []
        self.body.update()
        self.answer.setText("")


def _swatch(colour: str) -> QIcon:
    picture = QPixmap(26, 18)
    picture.fill(QColor(BANDS[colour]))
    p = QPainter(picture)
    p.setPen(QPen(theme.colour("faint"), 1))
    p.drawRect(0, 0, 25, 17)
    p.end()
    return QIcon(picture)
