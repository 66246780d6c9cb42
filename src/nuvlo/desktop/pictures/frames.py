"""What all pictures of stages have in common, and the two frames most share: a curve, and the board."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from nuvlo.desktop.board.map import BoardMap
from nuvlo.desktop.jobs import Jobs
from nuvlo.kit import Kit
from nuvlo.stages.task import Finding
from nuvlo.workshop.snapshot import Snapshot

ROOMY, UNBOUND = 400, 16_777_215  # px high: from where on a picture shows a part beside the whole; as high as a widget may be


class StagePicture(QWidget):
    """What the Picture lane shows in a stage. ``board`` is its map, where it has one; ``traced`` tells a lug that was clicked."""

    traced = pyqtSignal(str)
    board: BoardMap | None = None
    beside: QWidget | None = None  # what gives its room to the rest where the window is low
    worker: Jobs | None = None  # for what takes longer than a redraw may

    def show_state(self, shown: Snapshot, now: Finding | None, side: str) -> None:
        """Show a state with ``now`` in hand, the board from ``side`` where one was asked for."""
        raise AssertionError(f"{type(self).__module__} shows nothing")

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        if self.beside is not None:
            self.beside.setMaximumHeight(UNBOUND if self.height() >= ROOMY else 0)

    def forget(self) -> None:
        """Another build is shown from now on."""


class BoardFrame(StagePicture):
    """The board map, with room for more below it."""

    def __init__(self) -> None:
        super().__init__()
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(8, 4, 8, 4)
        self.map = self.board = BoardMap()
        self.column.addWidget(self.map, 1)
        self.map.traced.connect(self.traced)

    def forget(self) -> None:
        self.map.forget()


class CurveFrame(StagePicture):
    """A curve. pyqtgraph loads with the first of these."""

    def __init__(self) -> None:
        super().__init__()
        from nuvlo.desktop.curve import CurveView

        self.curve = CurveView()
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.addWidget(self.curve)


def on_board(kit: Kit) -> frozenset[str]:
    """References of all parts on the board: from Hook up on they are in."""
    return frozenset(p.ref for p in kit.parts.values() if p.on_board)
