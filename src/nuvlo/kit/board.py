"""The board to scale: outline, pads and parts, seen from either side."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property


@dataclass(frozen=True)
class Placement:
    """One row of ``placement.csv``: centre of the part, degrees anticlockwise, ``top`` or ``bottom``."""

    ref: str
    package: str
    x_mm: float
    y_mm: float
    rotation: float
    side: str


@dataclass(frozen=True)
class Pad:
    """One row of ``pads.csv``."""

    ref: str
    pin: str
    x_mm: float
    y_mm: float
    pad_mm: float
    net: str


@dataclass(frozen=True)
class Board:
    """Lengths in mm, y upwards, seen from the component side."""

    outline: tuple[tuple[float, float], ...]
    pads: tuple[Pad, ...]
    placements: dict[str, Placement]

    @cached_property
    def size(self) -> tuple[float, float]:
        """Width and height in mm."""
        xs, ys = zip(*self.outline, strict=True)
        return max(xs) - min(xs), max(ys) - min(ys)

    @cached_property
    def left(self) -> float:
        return min(x for x, _ in self.outline)

    @cached_property
    def low(self) -> float:
        return min(y for _, y in self.outline)

    @cached_property
    def pads_by_ref(self) -> dict[str, tuple[Pad, ...]]:
        """The pads of each part, in the order of the file."""
        out: dict[str, list[Pad]] = {}
        for pad in self.pads:
            out.setdefault(pad.ref, []).append(pad)
        return {ref: tuple(mine) for ref, mine in out.items()}

    def pads_of(self, ref: str) -> tuple[Pad, ...]:
        return self.pads_by_ref.get(ref, ())

    @cached_property
    def middles(self) -> dict[str, tuple[float, float]]:
        """The middle of the pads of each part, mm."""
        return {ref: (sum(p.x_mm for p in mine) / len(mine), sum(p.y_mm for p in mine) / len(mine)) for ref, mine in self.pads_by_ref.items()}

    def near(self, ref: str, within_mm: float) -> tuple[str, ...]:
        """The parts whose middle lies ``within_mm`` of that of ``ref``, the nearest first: itself, if it has pads."""
        if ref not in self.middles:
            return ()
        away = {other: math.dist(at, self.middles[ref]) for other, at in self.middles.items()}
        return tuple(sorted((other for other, far in away.items() if far <= within_mm), key=lambda other: away[other]))

    def seen_from(self, x_mm: float, side: str) -> float:
        """The x of a place as seen from ``side``: turned about its vertical axis, the board shows it mirrored."""
        return x_mm if side == "top" else 2 * self.left + self.size[0] - x_mm
