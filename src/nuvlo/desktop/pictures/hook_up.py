"""Hook up: panel parts round the board, wires between, the one in hand bold."""

from __future__ import annotations

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from nuvlo.desktop.board_map import BoardMap, Marking
from nuvlo.kit import Stage


class Picture(QWidget):
    """The wiring."""

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 4, 8, 4)
        self.board = BoardMap()
        column.addWidget(self.board, 1)

    def show_session(self, session, now, side: str) -> None:
        found = session.findings(Stage.HOOK_UP)
        prefix = f"{Stage.HOOK_UP.value}.wire."
        done = frozenset(f.task.target for f in found if f.done and f.task.id.startswith(prefix))
        wire = now.task.target if now and now.task.id.startswith(prefix) else ""
        parts = frozenset(p.ref for p in session.kit.parts.values() if p.on_board)
        lit = frozenset(now.task.parts) if now else frozenset()
        self.board.show_board(session.kit, Marking(lit, parts, side or "top", True, wire, done))
