"""Hook up: panel parts round the board, wires between, the one in hand bold."""

from __future__ import annotations

from nuvlo.desktop.board_map import Marking
from nuvlo.desktop.pictures.frames import BoardFrame, on_board
from nuvlo.kit import Stage


class Picture(BoardFrame):
    """The wiring."""

    def show_session(self, session, now, side: str) -> None:
        found = session.findings(Stage.HOOK_UP)
        prefix = f"{Stage.HOOK_UP.value}.wire."
        done = frozenset(f.task.target for f in found if f.done and f.task.id.startswith(prefix))
        wire = now.task.target if now and now.task.id.startswith(prefix) else ""
        lit = frozenset(now.task.parts) if now else frozenset()
        self.board.show_board(session.kit, Marking(lit, on_board(session.kit), side or "top", True, wire, done))
