"""Parts: what a row of a parts list says of one."""

from __future__ import annotations

import re
from dataclasses import dataclass

from nuvlo.kit.kinds import kind_of
from nuvlo.quantity import UnreadableValue, format_value, parse_value

PLACES = ("board", "panel", "both")  # 'both' stands on the board and through the panel


@dataclass(frozen=True)
class Spread:
    """A model parameter that differs from one part to the next, between ``low`` and ``high``."""

    parameter: str
    low: float
    high: float


SURFACE = re.compile(r"\b(so|soic|sot|ssop|msop|tssop|qfn|melf|0[2468]0[1-9]|1206|1210)", re.IGNORECASE)


FLAT_MM = 1.0  # surface-mount parts


@dataclass(frozen=True)
class Part:
    """One row of ``bom.csv``. ``value`` in SI units where the kind has one; ``tolerance`` as fractions (low, high)."""

    ref: str
    kind: str
    text: str
    value: float | None
    unit: str
    tolerance: tuple[float, float] | None
    rating: str
    package: str
    height_mm: float | None
    heat_sensitive: bool
    static_sensitive: bool
    polarised: bool
    cost: float | None
    spreads: tuple[Spread, ...]
    on_board: bool
    note: str
    section: str = ""
    through_panel: bool = False
    asked: bool = False  # what it is, and so where it goes, is not known: it is asked about before anything is done with it

    def said(self, text: str | None = None) -> str:
        """Its value, or another that was chosen for it, as values are written; what is no value as it was written."""
        if (text is None or text == self.text) and self.value is not None:
            return format_value(self.value, self.unit)
        try:
            return format_value(parse_value(text or self.text, self.unit), self.unit) if self.unit else text or self.text
        except UnreadableValue:
            return text or self.text

    @property
    def place(self) -> str:
        """Where it stands, as ``bom.csv`` has it; empty where that is not known."""
        if self.asked:
            return ""
        return "both" if self.through_panel else "board" if self.on_board else "panel"

    @property
    def surface_mount(self) -> bool:
        return bool(SURFACE.search(self.package))

    @property
    def stands_mm(self) -> float:
        """How high it stands; as its kind usually does where the list does not say."""
        if self.height_mm is not None:
            return self.height_mm
        return FLAT_MM if self.surface_mount else kind_of(self.kind).stands_mm

    @property
    def limits(self) -> tuple[float, float] | None:
        """Least and greatest value the marking allows."""
        if self.value is None or self.tolerance is None:
            return None
        return self.value * (1 + self.tolerance[0]), self.value * (1 + self.tolerance[1])
