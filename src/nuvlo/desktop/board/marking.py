"""What is lit on the map of a board, and what a painter may ask of a map."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Protocol

from PyQt6.QtCore import QPointF, QRect, QSize
from PyQt6.QtGui import QPainter

from nuvlo.desktop.board.view import View
from nuvlo.diagnosis.mistakes import Flaw
from nuvlo.kit import Board, Kit


@dataclass(frozen=True)
class Marking:
    """What of the map is lit: parts and pads in hand, parts that are in, wires shown, words beside points."""

    lit: frozenset[str] = frozenset()
    done: frozenset[str] = frozenset()
    side: str = "top"
    wires: bool = False
    wire_now: str = ""
    wires_done: frozenset[str] = frozenset()
    leads: tuple[tuple[float, float, float, float, bool], ...] = ()  # mm from, to, of a lettered board; whether it is in hand
    readings: dict[str, tuple[str, str]] = field(default_factory=dict)
    net: str = ""
    bad: frozenset[str] = frozenset()  # joints, as R4.1
    accused: Mapping[str, tuple[str, float]] = field(default_factory=dict)  # letter and share of the suspect that a part is of
    probes: tuple[tuple[str, str], ...] = ()  # pads that the leads go on, as R4.1, and their colours
    flaws: tuple[Flaw, ...] = ()  # what is to be seen through the lens
    only: frozenset[str] = frozenset()  # the rest is faint, where there are any


class Map(Protocol):
    """A map of a board, as those who paint on it see it; places are given in mm as seen from the component side."""

    kit: Kit | None
    marking: Marking
    view: View

    @property
    def board(self) -> Board: ...

    def place(self, x_mm: float, y_mm: float) -> QPointF: ...

    def placing(self) -> Callable[[float, float], QPointF]: ...

    def scale(self) -> float: ...

    def centre(self) -> QPointF: ...

    def underlay_shown(self) -> bool: ...

    def paint_underlay(self, p: QPainter) -> None: ...

    def size(self) -> QSize: ...

    def rect(self) -> QRect: ...

    def devicePixelRatio(self) -> float: ...

    def update(self) -> None: ...
