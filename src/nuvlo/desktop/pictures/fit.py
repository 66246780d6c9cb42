"""Fit: the board with the part in hand lit and what is in filled; its portrait below."""

from __future__ import annotations

from nuvlo.desktop.board.marking import Marking
from nuvlo.desktop.board.portrait import Portrait
from nuvlo.desktop.pictures.frames import BoardFrame
from nuvlo.kit import Stage
from nuvlo.stages.fit.joints import BAD
from nuvlo.stages.task import Finding
from nuvlo.workshop.snapshot import Snapshot

SOLDER_SIDE = ("solder", "joints", "wash")  # steps done on the other side of the board


class Picture(BoardFrame):
    """Map above, portrait below."""

    def __init__(self) -> None:
        super().__init__()
        self.portrait = self.beside = Portrait()
        self.column.addWidget(self.portrait)

    def show_state(self, shown: Snapshot, now: Finding | None, side: str) -> None:
        found = shown.findings(Stage.FIT)
        done = frozenset(f.task.target for f in found if f.done and f.task.target)
        # Soldering and the look at joints happen on the other side of the board.
        wanted = side or ("bottom" if now and now.task.id.does(Stage.FIT, *SOLDER_SIDE) else "top")
        lit = frozenset(now.task.parts) if now else frozenset()
        only = lit if now and now.task.id.does(Stage.FIT, "polarity") else frozenset()
        bad = frozenset(joint for joint, mark in shown.build.joints.items() if mark in BAD)
        self.map.show_board(shown.kit, Marking(lit, done, wanted, bad=bad, only=only))
        part = shown.kit.find_part(now.task.target) if now and now.task.target else None
        self.portrait.setVisible(part is not None)
        self.portrait.show_part(part)
