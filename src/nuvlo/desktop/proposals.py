"""Sets of values side by side: what they are, how many units would be right, and what comes of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QFontMetrics, QPainter, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from nuvlo.desktop import theme
from nuvlo.kit.schema import Aim
from nuvlo.model.results import unit_of
from nuvlo.quantity import format_value
from nuvlo.stages.choose.search import Proposal

BAR, LEFT, HEAD = 150, 42, 36  # px: of the yield's bar, of the text, of a card's first line
NARROW = 400  # px of a lane in which bar and values do not stand side by side
NO_HEAT = 1e-3  # W that are not worth a word
WRAPPED = 0x0001 | 0x0020 | 0x1000  # left, top, wrapped at words


@dataclass(frozen=True)
class Row:
    """One card. ``good`` is the share of units that would be right, None where that cannot be said."""

    mark: str
    values: str
    good: float | None
    results: str


class ProposalList(QWidget):
    """One card for each set, as high as its words need; the chosen one is framed."""

    def __init__(self) -> None:
        super().__init__()
        self.rows: list[Row] = []
        self.chosen = -1
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_proposals(
        self,
        proposals: Sequence[Proposal],
        value_units: Mapping[str, str],
        aims: Sequence[Aim],
        chosen: int = -1,
        printed: Proposal | None = None,
    ) -> None:
        """Show ``proposals`` numbered, and what is ``printed`` first; results that have words, wanted ones before others."""
        told = sorted((a for a in aims if a.says), key=lambda a: not a.wanted)

        def row(mark: str, p: Proposal) -> Row:
            values = "   ".join(
                f"{_name(k)}\u00a0{format_value(v, value_units.get(k, ''), 3)}" for k, v in p.values.items()
            )
            words = ";  ".join(
                f"{a.says} {format_value(p.results[a.name], unit_of(a), 3)}"
                for a in told
                if a.name in p.results and not (a.kind == "power" and p.results[a.name] < NO_HEAT)
            )
            if p.new:
                words += f";  {p.new} value{'s' if p.new > 1 else ''} to be bought"
            return Row(
                mark, values or "As it stands", p.good if p.values and any(a.wanted for a in aims) else None, words
            )

        self.rows = [row("", printed)] if printed is not None else []
        self.rows += [row(str(n), p) for n, p in enumerate(proposals, 1)]
        self.chosen = chosen + (printed is not None) if chosen >= 0 else -1
        self.setAccessibleName("; ".join(f"{r.mark or 'as printed'}: {r.values}, {r.results}" for r in self.rows))
        self._fit()
        self.update()

    def _head(self, row: Row) -> QRectF:
        """Where the values of a card stand, as high as they need."""
        barred, narrow = row.good is not None, self.width() < NARROW
        top = 32 if barred and narrow else 8  # below the bar, where there is no room beside it
        wide = self.width() - 8 - 60 - (BAR + 20 if barred and not narrow else 0)
        metrics = QFontMetrics(theme.values(13, bold=bool(row.mark)))
        needed = metrics.boundingRect(QRectF(0, 0, max(wide, 100), 10_000).toRect(), WRAPPED, _values(row)).height()
        return QRectF(LEFT, top, max(wide, 100), max(needed, HEAD - 12))

    def _height(self, row: Row) -> int:
        room = QRectF(0, 0, max(self.width() - LEFT - 28, 100), 10_000).toRect()
        results = QFontMetrics(theme.words(10)).boundingRect(room, WRAPPED, row.results).height()
        return int(self._head(row).bottom() + 4 + results + 12)

    def _fit(self) -> None:
        self.setFixedHeight(sum(self._height(r) + 6 for r in self.rows) + 4)

    def resizeEvent(self, event: QResizeEvent) -> None:
        if event.oldSize().width() != event.size().width():
            self._fit()
        super().resizeEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        y = 2.0
        for k, row in enumerate(self.rows):
            height = self._height(row)
            self._card(p, QRectF(4, y, self.width() - 8, height), row, k == self.chosen)
            y += height + 6

    def _card(self, p: QPainter, box: QRectF, row: Row, here: bool) -> None:
        p.setPen(QPen(theme.colour("copper" if here else "line"), 2.2 if here else 1))
        p.setBrush(theme.colour("card" if row.mark else "paper"))
        p.drawRoundedRect(box, 6, 6)
        p.setPen(theme.colour("slate"))
        p.setFont(theme.values(15, bold=True))
        p.drawText(QRectF(box.x() + 12, box.y() + 7, 26, 26), Qt.AlignmentFlag.AlignLeft, row.mark)
        p.setPen(theme.colour("ink" if row.mark else "faint"))
        p.setFont(theme.values(13, bold=bool(row.mark)))
        head = self._head(row)
        p.drawText(head.translated(box.topLeft()), WRAPPED, _values(row))
        p.setPen(theme.colour("faint"))
        p.setFont(theme.words(10))
        below = head.bottom() + 4
        p.drawText(
            QRectF(box.x() + LEFT, box.y() + below, box.width() - LEFT - 20, box.height() - below), WRAPPED, row.results
        )
        if row.good is not None:
            self._bar(p, QRectF(box.right() - BAR - 12, box.y() + 8, BAR, 7), row.good)

    @staticmethod
    def _bar(p: QPainter, box: QRectF, good: float) -> None:
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.colour("line"))
        p.drawRect(box)
        p.setBrush(theme.colour("good" if good >= 0.95 else "near" if good >= 0.5 else "out"))
        p.drawRect(QRectF(box.x(), box.y(), box.width() * good, box.height()))
        p.setPen(theme.colour("faint"))
        p.setFont(theme.words(theme.SMALL))
        words = f"{100 * good:.0f} of 100 are right"
        p.drawText(QRectF(box.x(), box.bottom() + 1, box.width(), 19), Qt.AlignmentFlag.AlignRight, words)


def _values(row: Row) -> str:
    return row.values if row.mark else f"{row.values}   as\u00a0printed"


def _name(element: str) -> str:
    """``r8`` is R8 on the board; a named value keeps its name."""
    return element.upper() if element[-1:].isdigit() else element
