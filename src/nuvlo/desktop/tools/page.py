"""What all tools that are read like a page have in common."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QPushButton, QScrollArea, QVBoxLayout, QWidget


class Page(QScrollArea):
    """A page that scrolls up and down and leaves the keys to the bench line."""

    def __init__(self) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._page = QWidget()

    def fresh(self, spacing: int = 8) -> QVBoxLayout:
        """The column of a new page, to be filled; :meth:`turn` shows it."""
        self._page = QWidget()
        column = QVBoxLayout(self._page)
        column.setContentsMargins(12, 4, 12, 12)
        column.setSpacing(spacing)
        return column

    def turn(self, column: QVBoxLayout) -> None:
        """Show the page that was filled in place of the one before."""
        column.addStretch(1)
        self.setWidget(self._page)


def one_of(words: str, picked: bool, take: Callable[[], None]) -> QPushButton:
    """A row of a list from which one is picked."""
    button = QPushButton(words)
    button.setObjectName("quiet")
    button.setStyleSheet("text-align: left; padding-left: 10px;" + (" font-weight: bold;" if picked else ""))
    button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    button.clicked.connect(lambda _=False: take())
    return button
