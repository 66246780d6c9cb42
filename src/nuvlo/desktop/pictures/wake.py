"""Wake: the board with its test points and what they read."""

from __future__ import annotations

from nuvlo.desktop.board.marking import Marking
from nuvlo.desktop.pictures.frames import BoardFrame, on_board
from nuvlo.kit import Stage
from nuvlo.stages.task import Finding
from nuvlo.workshop.snapshot import Snapshot


class Picture(BoardFrame):
    """Where to hold the probe."""

    def show_state(self, shown: Snapshot, now: Finding | None, side: str) -> None:
        readings = {
            f.task.target: (f"{f.task.target} {f.reading}", f.verdict.value)
            for f in shown.findings(Stage.WAKE) if f.reading is not None
        }  # fmt: skip
        lit = frozenset(now.task.parts) if now else frozenset()
        self.map.show_board(shown.kit, Marking(lit, on_board(shown.kit), side or "top", readings=readings))
