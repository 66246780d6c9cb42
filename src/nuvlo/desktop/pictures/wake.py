"""Wake: the board with its test points and what they read."""

from __future__ import annotations

from nuvlo.desktop.board_map import Marking
from nuvlo.desktop.pictures.frames import BoardFrame, on_board
from nuvlo.kit import Stage


class Picture(BoardFrame):
    """Where to hold the probe."""

    def show_session(self, session, now, side: str) -> None:
        readings = {
            f.task.target: (f"{f.task.target} {f.reading}", f.verdict.value)
            for f in session.findings(Stage.WAKE) if f.reading is not None
        }  # fmt: skip
        lit = frozenset(now.task.parts) if now else frozenset()
        self.board.show_board(session.kit, Marking(lit, on_board(session.kit), side or "top", readings=readings))
