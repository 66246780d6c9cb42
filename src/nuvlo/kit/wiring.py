"""Wires and the holes of the panel."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Wire:
    """One row of ``wiring.csv``: ``start`` and ``end`` are a pad's reference or ``PART.lug``; those of one ``twist`` go together."""

    name: str
    start: str
    end: str
    net: str
    colour: str
    length_mm: float | None
    note: str
    twist: str = ""

    @property
    def ends(self) -> tuple[str, str]:
        return self.start, self.end


@dataclass(frozen=True)
class PanelHole:
    """One row of ``panel.csv``: on a ``face`` of the box, ``x_mm`` from the left and ``y_mm`` from below as one looks at the front; on the
    sides x, and on top and bottom y, run from the front backwards."""

    ref: str
    x_mm: float
    y_mm: float
    hole_mm: float
    label: str
    face: str = "front"
