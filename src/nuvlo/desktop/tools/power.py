"""What a unit draws from its supplies; and what of its metal is bonded."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from nuvlo.desktop import theme
from nuvlo.desktop.labels import label
from nuvlo.desktop.tools.page import Page
from nuvlo.kit import Kit
from nuvlo.model.bonds import Bonds
from nuvlo.model.bonds import told as told_bonds
from nuvlo.model.power import Rail, told
from nuvlo.model.straps import Setting
from nuvlo.quantity import format_value

WARN = ("LOOP", "FLOATING", "NO RETURN")


class _Bar(QWidget):
    """How much of what there is a rail takes at worst, typical marked in it."""

    def __init__(self, rail: Rail) -> None:
        super().__init__()
        self.rail = rail
        self.setFixedHeight(22)
        self.setAccessibleName(f"{rail.name}: {told(rail)[0]}")

    def paintEvent(self, event: QPaintEvent) -> None:
        limit, p = self.rail.limit or 0.0, QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        whole = QRectF(0, 4, self.width(), 14)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.colour("line"))
        p.drawRoundedRect(whole, 4, 4)
        share = min(self.rail.worst / limit, 1.0)
        p.setBrush(theme.colour("good" if self.rail.worst <= limit else "out"))
        p.drawRoundedRect(QRectF(0, 4, whole.width() * share, 14), 4, 4)
        p.setBrush(theme.colour("ink"))
        p.drawRect(QRectF(whole.width() * min(self.rail.typical / limit, 1.0) - 1, 1, 2, 20))


class PowerTool(Page):
    """A rail below another: what it draws, in large; then what follows from it."""

    def show_answer(self, rails: list[Rail]) -> None:
        column = self.fresh()
        column.addWidget(label("What it draws", 15, bold=True))
        for rail in rails:
            column.addWidget(label(f"{rail.name}   {format_value(rail.volts, 'V', 3)}", 12, "copper", bold=True))
            first, *more = told(rail)
            column.addWidget(label(first, 13))
            if rail.limit:
                column.addWidget(_Bar(rail))
            for line in more:
                column.addWidget(label(f"{line[0].upper()}{line[1:]}.", 11))
        self.turn(column)


class BondsTool(Page):
    """A sentence for each bond, ring and piece that floats; then what each setting of a strap does."""

    def show_answer(self, found: tuple[Kit, Bonds, list[Setting]]) -> None:
        kit, now, straps = found
        column = self.fresh()
        column.addWidget(label("Ground and case", 15, bold=True))
        for line in told_bonds(kit, now):
            wrong = line.startswith(WARN)
            column.addWidget(label(line, 12, "out" if wrong else "ink", bold=wrong))
        if now.sound and now.bonds:
            column.addWidget(label("Bonded once, no ring, nothing floats.", 12, "good", bold=True))
        for setting in straps:
            for k, line in enumerate(setting.words):
                column.addWidget(label(line, 12, "out" if line.startswith(WARN) else "ink", bold=k == 0))
        self.turn(column)
