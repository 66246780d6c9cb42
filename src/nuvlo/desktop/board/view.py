"""How a board is looked at: how near, from where, turned how far; and a picture of it laid beneath by two of its pads."""

from __future__ import annotations

from dataclasses import dataclass, replace
from math import cos, radians, sin

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPixmap, QTransform

LEAST, MOST = 0.5, 16.0  # zoom


@dataclass(frozen=True)
class View:
    """``zoom`` 1 fits the board into its room; ``pan`` px; ``turn`` degrees clockwise."""

    zoom: float = 1.0
    pan: tuple[float, float] = (0.0, 0.0)
    turn: float = 0.0

    def transform(self, centre: QPointF) -> QTransform:
        """From the board as it fits its room, about whose ``centre`` it turns, to what is seen."""
        out = QTransform()
        out.translate(centre.x() + self.pan[0], centre.y() + self.pan[1])
        out.rotate(self.turn)
        out.scale(self.zoom, self.zoom)
        out.translate(-centre.x(), -centre.y())
        return out

    def zoomed(self, factor: float, at: QPointF, centre: QPointF) -> View:
        """Nearer by ``factor``, with the place under ``at`` staying where it is."""
        zoom = min(MOST, max(LEAST, self.zoom * factor))
        kept = self.transform(centre).inverted()[0].map(at)
        moved = replace(self, zoom=zoom, pan=(0.0, 0.0)).transform(centre).map(kept)
        return replace(self, zoom=zoom, pan=(at.x() - moved.x(), at.y() - moved.y()))

    def moved(self, by: QPointF) -> View:
        return replace(self, pan=(self.pan[0] + by.x(), self.pan[1] + by.y()))

    def turned(self, degrees: float) -> View:
        return replace(self, turn=(self.turn + degrees) % 360.0)


def room_for(width: float, height: float, turn: float) -> tuple[float, float]:
    """What a rectangle takes when it is turned."""
    c, s = abs(cos(radians(turn))), abs(sin(radians(turn)))
    return width * c + height * s, width * s + height * c


@dataclass(frozen=True)
class Underlay:
    """A picture of one ``side`` of a board. ``first`` and ``second`` are px in it, at the places ``at_first`` and ``at_second``
    (mm from the left edge as that side shows it, and upwards)."""

    picture: QPixmap
    side: str
    first: tuple[float, float]
    second: tuple[float, float]
    at_first: tuple[float, float]
    at_second: tuple[float, float]

    def to_board(self) -> QTransform:
        """From px of the picture to mm as seen, y upwards: turned, scaled and moved, never sheared.

        Raises ``ValueError`` where both places are the same.
        """
        a, b = complex(self.first[0], -self.first[1]), complex(self.second[0], -self.second[1])
        x, y = complex(*self.at_first), complex(*self.at_second)
        if abs(b - a) < 1.0 or abs(y - x) < 0.1:
            raise ValueError("the two places are the same")
        m = (y - x) / (b - a)
        shift = x - m * a
        # (X + iY) = m (px − i py) + shift
        return QTransform(m.real, m.imag, m.imag, -m.real, shift.real, shift.imag)
