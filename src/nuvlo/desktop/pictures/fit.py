"""Fit: the board with the part in hand lit and what is in filled; its portrait below."""

from __future__ import annotations

from nuvlo.desktop.board_map import Marking
from nuvlo.desktop.pictures.frames import BoardFrame
from nuvlo.desktop.portrait import Portrait
from nuvlo.kit import Stage
from nuvlo.stages.fit.joints import BAD

SOLDER_SIDE = ("fit.solder", "fit.joints", "fit.wash")  # steps done on the other side of the board


class Picture(BoardFrame):
    """Map above, portrait below."""

    def __init__(self) -> None:
        super().__init__()
        self.portrait = Portrait()
        self.column.addWidget(self.portrait)

    def show_session(self, session, now, side: str) -> None:
        found = session.findings(Stage.FIT)
        done = frozenset(f.task.target for f in found if f.done and f.task.target)
        # Soldering and the look at joints happen on the other side of the board.
        wanted = side or ("bottom" if now and now.task.id.startswith(SOLDER_SIDE) else "top")
        lit = frozenset(now.task.parts) if now else frozenset()
        only = lit if now and now.task.id.startswith("fit.polarity") else frozenset()
        bad = frozenset(joint for joint, mark in session.build.joints.items() if mark in BAD)
        self.board.show_board(session.kit, Marking(lit, done, wanted, bad=bad, only=only))
        part = session.kit.find_part(now.task.target) if now and now.task.target else None
        self.portrait.setVisible(part is not None)
        self.portrait.show_part(part)
