"""What went wrong: the board with the suspects lit by how likely they are, and where red and black go."""

from __future__ import annotations

from nuvlo.desktop.board.marking import Marking
from nuvlo.desktop.pictures.frames import BoardFrame, on_board
from nuvlo.diagnosis.probes import WHOLE
from nuvlo.stages.suspects import leads_of
from nuvlo.stages.task import Finding, Wants
from nuvlo.workshop.snapshot import Snapshot


class Picture(BoardFrame):
    """Shown in any stage that a reading stops."""

    looked: tuple[str, ...] = ()  # what is looked at through the lens

    def show_state(self, shown: Snapshot, now: Finding | None, side: str) -> None:
        found = shown.suspicion
        accused: dict[str, tuple[str, float]] = {}
        for s in found.suspects if found else ():
            for ref in s.refs:
                accused.setdefault(ref, (s.letter, s.share))
        looked = now.task.parts if now and now.task.wants is Wants.LOOK and now.task.quantity == "look" else ()
        over = now is not None and now.task.quantity in WHOLE
        leads = leads_of(shown.kit, found) if found else ()
        flaws = tuple(f for f in shown.flaws if over or {f.ref, *(pad.partition(".")[0] for pad in f.pads)} & set(looked))
        lit = frozenset(now.task.parts) if now else frozenset()
        marking = Marking(lit, on_board(shown.kit), side or "top", accused={} if looked or over else accused, probes=leads, flaws=flaws)
        self.map.show_board(shown.kit, marking)
        if looked != self.looked:
            self.looked = looked
            self.map.look_at(looked)
