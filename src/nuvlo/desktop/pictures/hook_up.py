"""Hook up: panel parts round the board, wires between, the one in hand bold; a box without a board from behind."""

from __future__ import annotations

from nuvlo.craft.routes import joins
from nuvlo.desktop.board.inside import InsideMap
from nuvlo.desktop.board.lugs import LugPortraits
from nuvlo.desktop.board.marking import Marking
from nuvlo.desktop.pictures.frames import BoardFrame, on_board
from nuvlo.kit import Stage
from nuvlo.stages.task import Finding
from nuvlo.workshop.snapshot import Snapshot


def _leads(shown: Snapshot, now: Finding | None) -> tuple[tuple[float, float, float, float, bool], ...]:
    """Leads of letters that are joined, and of the one in hand."""
    done = {f.task.target for f in shown.findings(Stage.HOOK_UP) if f.done and f.task.id.does(Stage.HOOK_UP, "join")}
    letter = now.task.target if now and now.task.id.does(Stage.HOOK_UP, "join") else ""
    return tuple(
        (lead.start.x_mm, lead.start.y_mm, lead.end.x_mm, lead.end.y_mm, join.letter == letter)
        for join in joins(shown.kit) if join.letter in done or join.letter == letter for lead in join.leads
    )  # fmt: skip


class Picture(BoardFrame):
    """The wiring."""

    def __init__(self) -> None:
        super().__init__()
        self.inside = InsideMap()
        self.column.addWidget(self.inside, 1)
        self.inside.traced.connect(self.traced)
        self.inside.hide()
        self.lugs = self.beside = LugPortraits()
        self.column.addWidget(self.lugs)

    def show_state(self, shown: Snapshot, now: Finding | None, side: str) -> None:
        found = shown.findings(Stage.HOOK_UP)
        done = frozenset(f.task.target for f in found if f.done and f.task.id.does(Stage.HOOK_UP, "wire"))
        wire = now.task.target if now and now.task.id.does(Stage.HOOK_UP, "wire") else ""
        lit = frozenset(now.task.parts) if now else frozenset()
        self.lugs.show_ends(shown.kit, now.task.parts if now else ())
        behind = now is not None and now.task.id.does(Stage.HOOK_UP, "join")
        marking = Marking(lit, on_board(shown.kit), side or ("bottom" if behind else "top"), True, wire, done, _leads(shown, now))
        boxed = shown.kit.board is None and shown.kit.info.enclosure is not None and bool(shown.kit.panel)
        self.map.setVisible(not boxed)
        self.inside.setVisible(boxed)
        if boxed:
            self.inside.show_wiring(shown.kit, marking)
        else:
            self.map.show_board(shown.kit, marking)
