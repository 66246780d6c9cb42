"""What went wrong: the board with the suspects lit by how likely they are, and where red and black go."""

from __future__ import annotations

from nuvlo.desktop.board.map import Marking
from nuvlo.desktop.pictures.frames import BoardFrame, on_board
from nuvlo.stages.suspects import leads_of
from nuvlo.stages.task import Finding
from nuvlo.workshop.snapshot import Snapshot


class Picture(BoardFrame):
    """Shown in any stage that a reading stops."""

    def show_state(self, shown: Snapshot, now: Finding | None, side: str) -> None:
        found = shown.suspicion
        accused: dict[str, tuple[str, float]] = {}
        for s in found.suspects if found else ():
            for ref in s.refs:
                accused.setdefault(ref, (s.letter, s.share))
        leads = leads_of(shown.kit, found) if found else ()
        marking = Marking(frozenset(now.task.parts) if now else frozenset(), on_board(shown.kit), side or "top", accused=accused, probes=leads)
        self.map.show_board(shown.kit, marking)
