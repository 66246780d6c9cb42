"""Sets of values side by side: what they are, how many units would be right, and what comes of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from nuvlo.desktop import theme
from nuvlo.quantity import format_value

ROW, BAR = 78, 150  # px


class ProposalList(QWidget):
    """One card for each set; the chosen one is framed."""

    def __init__(self) -> None:
        super().__init__()
        self.rows: list[tuple[str, float | None, str]] = []
        self.chosen = -1
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_proposals(
        self, proposals: Sequence, value_units: Mapping[str, str], units: Mapping[str, str], says: Mapping[str, str],
        chosen: int = -1,
    ) -> None:  # fmt: skip
        """Show ``proposals``; units of values and of results by name, and what each result is in words."""
        self.chosen = chosen
        self.rows = [
            (
                "   ".join(f"{name.upper() if name[-1:].isdigit() else name} {format_value(v, value_units.get(name, ''), 4)}"
                           for name, v in p.values.items()) or "As it stands",
                p.good if p.values else None,
                ", ".join(f"{says.get(k) or k} {format_value(v, units.get(k, ''), 3)}" for k, v in p.results.items()),
            )
            for p in proposals
        ]  # fmt: skip
        self.setFixedHeight(ROW * len(self.rows))
        self.setAccessibleName(
            "; ".join(f"{n}: {values}, {results}" for n, (values, _, results) in enumerate(self.rows, 1))
        )
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        for k, (values, good, results) in enumerate(self.rows):
            self._row(p, QRectF(8, k * ROW + 3, self.width() - 16, ROW - 6), k, values, good, results)

    def _row(self, p: QPainter, box: QRectF, k: int, values: str, good: float | None, results: str) -> None:
        here = k == self.chosen
        p.setPen(QPen(theme.colour("copper" if here else "line"), 2.2 if here else 1))
        p.setBrush(theme.colour("card"))
        p.drawRoundedRect(box, 6, 6)
        p.setPen(theme.colour("slate"))
        p.setFont(theme.values(15, bold=True))
        p.drawText(QRectF(box.x() + 12, box.y() + 6, 26, 26), Qt.AlignmentFlag.AlignLeft, str(k + 1))
        p.setPen(theme.colour("ink"))
        p.setFont(theme.values(13, bold=True))
        room = box.width() - 60 - (BAR + 20 if good is not None else 0)
        text = p.fontMetrics().elidedText(values, Qt.TextElideMode.ElideRight, int(room))
        p.drawText(QRectF(box.x() + 42, box.y() + 8, room, 24), Qt.AlignmentFlag.AlignLeft, text)
        p.setPen(theme.colour("faint"))
        p.setFont(theme.words(9.5))
        flags = int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop) | int(Qt.TextFlag.TextWordWrap)
        p.drawText(QRectF(box.x() + 42, box.y() + 34, box.width() - 54, box.height() - 36), flags, results)
        if good is not None:
            self._bar(p, QRectF(box.right() - BAR - 12, box.y() + 9, BAR, 8), good)

    def _bar(self, p: QPainter, box: QRectF, good: float) -> None:
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.colour("line"))
        p.drawRect(box)
        p.setBrush(theme.colour("good" if good >= 0.95 else "near" if good >= 0.5 else "out"))
        p.drawRect(QRectF(box.x(), box.y(), box.width() * good, box.height()))
        p.setPen(theme.colour("faint"))
        p.setFont(theme.words(9))
        p.drawText(
            QRectF(box.x(), box.bottom() + 1, box.width(), 15),
            Qt.AlignmentFlag.AlignRight,
            f"{100 * good:.0f} in 100 units right",
        )
