"""One registered type."""

from __future__ import annotations

from dataclasses import dataclass

# How a package is held so that its pins count as they are listed.
SEEN = {
    "TO-92": "flat side towards you, legs down, from the left", "TO-126": "print towards you, legs down, from the left",
    "TO-220": "print towards you, legs down, from the left", "TO-220-5": "print towards you, legs down, from the left",
    "TO-220-11": "print towards you, legs down, from the left", "TO-18": "from below, clockwise from the tab",
    "TO-39": "from below, clockwise from the tab", "TO-1": "from below, the dot at the collector",
    "SO-2": "legs down, the dot at the collector last", "TO-3": "from below: base and emitter; the case is the collector",
    "DIP-8": "from above, notch up: down the left side, up the right", "DIP-14": "from above, notch up: down the left side, up the right",
    "DIP-16": "from above, notch up: down the left side, up the right", "noval": "from below, clockwise from the gap",
    "octal": "from below, clockwise from the key", "miniature": "from below, clockwise from the gap",
}  # fmt: skip
LEGS = {
    "E": "emitter", "B": "base", "C": "collector", "D": "drain", "G": "gate", "S": "source", "A": "anode", "K": "cathode",
    "I": "input", "O": "output",
}  # fmt: skip
LETTERS = {"regulator": {"G": "ground"}, "regulator-neg": {"G": "ground"}, "regulator-adj": {"A": "adjust"},
           "regulator-adj-neg": {"A": "adjust"}, "reference": {"R": "reference"}, "ldr-opto": {"R": "resistor"}}  # fmt: skip
WAYS_ROUND = {
    "led": "Long lead plus; the flat on the rim is minus.", "diode": "The painted band is the cathode.",
    "zener": "The painted band is the cathode: it goes to the more positive side.", "chip": "The notch or the dot is at pin 1.",
}  # fmt: skip
DIODES = ("signal", "rectifier", "schottky", "germanium", "zener")
TRANSISTORS = ("npn", "pnp", "genpn", "gepnp", "njf", "pjf", "nmos", "pmos")
VALVES = ("triode", "pentode", "rectifier-valve")


@dataclass(frozen=True)
class Pin:
    """One pin by its number and what it is."""

    number: int
    name: str


@dataclass(frozen=True)
class TypeSpread:
    """A parameter of the model that differs from unit to unit, between ``low`` and ``high``; as shares of its own value
    where ``relative``."""

    parameter: str
    low: float
    high: float
    relative: bool = False


@dataclass(frozen=True)
class Published:
    """A typical figure that data sheets give: ``what`` (vbe, hfe, gbw …) ``at`` these conditions."""

    what: str
    at: tuple[float, ...]
    value: float


@dataclass(frozen=True)
class Type:
    """What is known of a type. ``model`` is the name of its SPICE model or subcircuit in the shipped library; ``instead`` are
    (other type, what changes); ``ratings`` as parts lists write them."""

    name: str
    also: tuple[str, ...]
    sort: str
    package: str
    pins: tuple[Pin, ...]
    ratings: str
    spread: tuple[TypeSpread, ...]
    published: tuple[Published, ...]
    instead: tuple[tuple[str, str], ...]
    ended: bool
    says: str
    more: tuple[tuple[str, float], ...] = ()  # parameters of its model that no figure tells

    @property
    def model(self) -> str:
        """As netlists name it."""
        return self.name.lower().replace(" ", "_")

    @property
    def seen(self) -> str:
        """How it is held so that its pins count as listed."""
        return SEEN.get(self.package, "")

    @property
    def order(self) -> str:
        """Its legs as letters in the order of its pins (``EBC``), for transistors and diodes; empty for others."""
        letters = "".join("K" if p.name == "cathode" else p.name[0].upper() for p in self.pins)
        return letters if self.sort in (*DIODES, *TRANSISTORS, "led") else ""

    @property
    def legs(self) -> str:
        """Its two or three legs in the order of the hand that holds it; empty where that cannot be said."""
        if not self.seen or len(self.pins) > 3:
            return ""
        return f"{self.seen[0].upper()}{self.seen[1:]}: {', '.join(p.name for p in self.pins)}."

    @property
    def way_round(self) -> str:
        """What tells its way round."""
        if self.sort in DIODES:
            return WAYS_ROUND["zener" if self.sort == "zener" else "diode"]
        return WAYS_ROUND.get("chip" if self.package.startswith("DIP") else self.sort, "")

    @property
    def static_sensitive(self) -> bool:
        """Whether a spark from a hand can harm it."""
        return "static" in self.says or self.sort in ("njf", "pjf", "nmos", "pmos")

    @property
    def heat_sensitive(self) -> bool:
        """Whether a slow iron can harm it."""
        return self.sort in (*DIODES, *TRANSISTORS, "led", "ldr-opto") and self.package not in ("TO-3", "TO-220")
