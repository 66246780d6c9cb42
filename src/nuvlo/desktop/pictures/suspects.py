"""What went wrong: the board with the suspects lit by how likely they are, and where red and black go."""

from __future__ import annotations

from nuvlo.desktop.board.marking import Marking
from nuvlo.desktop.pictures.frames import BoardFrame, on_board
from nuvlo.diagnosis.probes import WHOLE
from nuvlo.diagnosis.wires import KINDS
from nuvlo.kit import Stage
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
        some = found.suspects if found and shown.stage is Stage.HOOK_UP else found.suspects[:1] if found else ()  # under power a wire is seldom it
        wired = not looked and not over and any(s.kind in KINDS.values() for s in some)
        done = frozenset(f.task.target for f in shown.findings(Stage.HOOK_UP) if f.done and f.task.id.does(Stage.HOOK_UP, "wire")) if wired else frozenset()
        marking = Marking(
            lit, on_board(shown.kit), side or "top", wired, wires_done=done, accused={} if looked or over else accused, probes=leads, flaws=flaws
        )  # fmt: skip
        self.map.show_board(shown.kit, marking)
        if looked != self.looked:
            self.looked = looked
            self.map.look_at(looked)
