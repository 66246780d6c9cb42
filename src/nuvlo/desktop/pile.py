"""Widgets one below another that are kept from one state to the next.

To make, style and lay out a lane anew takes longer than all the rest of a redraw; to put other words on what is there
takes next to nothing.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass
from typing import Any

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from nuvlo.desktop import theme
from nuvlo.desktop.labels import label


@dataclass(frozen=True)
class Row:
    """One widget of a pile: rows of one ``key`` look the same, ``make`` makes such a widget, ``fill`` says what is on it."""

    key: Hashable
    make: Callable[[], QWidget]
    fill: Callable[[Any], object] = lambda _: None
    kept: bool = True  # else made anew each time: for what is rare


class Pile(QWidget):
    """Shows rows. A widget is used again for another row of its key."""

    def __init__(self, margins: tuple[int, int, int, int], spacing: int) -> None:
        super().__init__()
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(*margins)
        self._column.setSpacing(spacing)
        self._column.addStretch(1)
        self._shown: list[tuple[Row, QWidget]] = []
        self._spare: dict[Hashable, list[QWidget]] = {}
        self._light = theme.current().name

    def show_rows(self, rows: Sequence[Row]) -> list[QWidget]:
        """Show ``rows`` in place of those that are there. Returns their widgets."""
        if self._light != theme.current().name:  # their colours are those they were made in
            self._light = theme.current().name
            self._clear(keep=False)
        if [row.key for row in rows] != [row.key for row, _ in self._shown] or not all(row.kept for row in rows):
            self._clear(keep=True)
            for k, row in enumerate(rows):
                spare = self._spare.get(row.key)
                widget = spare.pop() if spare else row.make()
                self._column.insertWidget(k, widget)
                widget.show()
                self._shown.append((row, widget))
        self._shown = [(row, widget) for row, (_, widget) in zip(rows, self._shown, strict=True)]
        for row, widget in self._shown:
            row.fill(widget)
        return [widget for _, widget in self._shown]

    def _clear(self, *, keep: bool) -> None:
        for row, widget in reversed(self._shown):  # so that the topmost is taken again first
            self._column.removeWidget(widget)
            widget.hide()
            if keep and row.kept:
                self._spare.setdefault(row.key, []).append(widget)
            else:
                widget.deleteLater()
        self._shown = []
        if not keep:
            for spare in self._spare.values():
                for widget in spare:
                    widget.deleteLater()
            self._spare.clear()


def words(text: str, points: float = theme.BASE, role: str = "ink", *, bold: bool = False) -> Row:
    """A row of words that wrap."""
    return Row(("words", points, role, bold), lambda: label("", points, role, bold=bold), lambda w: w.setText(text))


def gap() -> Row:
    """As much room again as stands between rows."""

    def make() -> QWidget:
        out = QWidget()
        out.setFixedHeight(0)
        return out

    return Row("gap", make)
