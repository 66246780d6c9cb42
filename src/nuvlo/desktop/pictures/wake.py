"""Wake: the board with its test points and what they read."""

from __future__ import annotations

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from nuvlo.desktop.board_map import BoardMap, Marking
from nuvlo.kit import Stage


class Picture(QWidget):
    """Where to hold the probe."""

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 4, 8, 4)
        self.board = BoardMap()
        column.addWidget(self.board, 1)

    def show_session(self, session, now, side: str) -> None:
        readings = {
            f.task.target: (f"{f.task.target} {f.reading}", f.verdict.value)
            for f in session.findings(Stage.WAKE) if f.reading is not None
        }  # fmt: skip
        parts = frozenset(p.ref for p in session.kit.parts.values() if p.on_board)
        lit = frozenset(now.task.parts) if now else frozenset()
        self.board.show_board(session.kit, Marking(lit, parts, side or "top", readings=readings))
