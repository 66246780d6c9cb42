"""The two frames most pictures share: a curve, and the board."""

from __future__ import annotations

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from nuvlo.desktop.board_map import BoardMap
from nuvlo.kit import Kit


class BoardFrame(QWidget):
    """The board map, with room for more below it."""

    def __init__(self) -> None:
        super().__init__()
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(8, 4, 8, 4)
        self.board = BoardMap()
        self.column.addWidget(self.board, 1)


class CurveFrame(QWidget):
    """A curve. pyqtgraph loads with the first of these."""

    def __init__(self) -> None:
        super().__init__()
        from nuvlo.desktop.curve import CurveView

        self.curve = CurveView()
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.addWidget(self.curve)


def on_board(kit: Kit) -> frozenset[str]:
    """References of all parts on the board: from Hook up on they are in."""
    return frozenset(p.ref for p in kit.parts.values() if p.on_board)
