"""The order in which a board is filled: lowest profile first, heat-hardy before heat-shy, with gates between.

Rules are common practice, no source: the board must lie flat when it is turned over, so what stands lower goes in
first; a part that minds heat goes in after its neighbours that do not, unless it stands much lower than they do.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass
from itertools import groupby
from typing import Any

from nuvlo.kit.folder import Kit
from nuvlo.kit.tables import Part

HEAT_SHY_MM = 3.0  # how much taller a heat-shy part is taken to be when its turn is decided
MINUTES_PER_PART = 1.5
UNKNOWN_HEIGHT_MM = 8.0
PLURALS = {"resistor": "resistors", "capacitor": "film capacitors", "diode": "diodes", "switch": "switches"}


@dataclass(frozen=True)
class Step:
    """One step of the order. ``gate`` names the check a gate step is; ``after`` are numbers of earlier steps."""

    n: int
    action: str
    parts: tuple[str, ...]
    gate: str | None
    after: tuple[int, ...]
    reason: str
    minutes: float


TRAY_ORDERS = ("value", "strip", "section", "list")


def in_tray_order(kit: Kit, order: str = "value") -> list[Part]:
    """Parts in the order that suits the hand.

    ``value``: by kind in order of the list, each kind by rising value. ``strip``: what comes on one bandolier together,
    the longest first. ``section``: section by section, each by value. ``list``: as listed.
    """
    parts = list(kit.parts.values())
    kinds = list(dict.fromkeys(p.kind for p in parts))
    sections = list(dict.fromkeys(p.section for p in parts))
    alike = Counter(_sort_of(p) for p in parts)

    def by_value(part: Part) -> tuple[int, float]:
        return kinds.index(part.kind), part.value if part.value is not None else 0.0

    keys: dict[str, Callable[[Part], Any]] = {
        "value": by_value, "section": lambda p: (sections.index(p.section), by_value(p)),
        "strip": lambda p: (-alike[_sort_of(p)], by_value(p), _sort_of(p)), "list": lambda p: 0,
    }  # fmt: skip
    return sorted(parts, key=keys.get(order, by_value))


def _sort_of(part: Part) -> tuple[str, str, str]:
    return part.kind, part.text, part.rating


def board_order(kit: Kit) -> list[Step]:
    """Steps for the parts on the board, then for those on the panel."""
    steps: list[Step] = []

    def add(action: str, parts: tuple[str, ...], reason: str, minutes: float, gate: str | None = None) -> None:
        after = (steps[-1].n,) if steps else ()
        steps.append(Step(len(steps) + 1, action, parts, gate, after, reason, minutes))

    on_board = sorted((p for p in kit.parts.values() if p.on_board), key=_turn)
    previous: Part | None = None
    for kind, group in groupby(on_board, key=lambda p: p.kind):
        parts = list(group)
        refs = tuple(p.ref for p in parts)
        name = plural(kind)
        add(f"Fit the {name}", refs, _reason(parts[0], previous), MINUTES_PER_PART * len(parts))
        add(f"Check the values of the {name}", refs, "A wrong value is easy to lift now and hard once soldered.", 1.0,
            "values")  # fmt: skip
        if any(p.polarised for p in parts):
            add(f"Check which way round the {name} sit", refs, "Polarity deserves a look of its own.", 1.0, "polarity")
        add(
            f"Solder the {name}",
            refs,
            "Checked, so it may be made fast: one leg, see that it sits flush, then the rest.",
            0.7 * len(parts),
        )
        previous = parts[0]
    if on_board:
        everything = tuple(p.ref for p in on_board)
        add("Look over the solder side for dull joints and bridges", everything,
            "Found now it is a minute's work; found at power-up it may cost a part.", 4.0, "joints")  # fmt: skip
        add(
            "Brush and wash the solder side", everything, "Flux left at high resistances leaks and hisses.", 5.0, "wash"
        )
    panel = tuple(p.ref for p in kit.parts.values() if not p.on_board and p.kind != "case")
    if panel:
        add("Mount the panel parts, finger-tight", panel,
            "Pots, jacks and lamp line up with the panel before anything holds them.", 2.0 * len(panel))  # fmt: skip
    return steps


def plural(kind: str) -> str:
    return PLURALS.get(kind, kind + "s")


def _height(part: Part) -> float:
    return UNKNOWN_HEIGHT_MM if part.height_mm is None else part.height_mm


def _turn(part: Part) -> tuple[float, str, str]:
    return _height(part) + (HEAT_SHY_MM if part.heat_sensitive else 0.0), part.kind, part.ref


def _reason(part: Part, previous: Part | None) -> str:
    if previous is None:
        return "They lie lowest: the board stays flat when it is turned over."
    taller, before = _height(part), _height(previous)
    if part.heat_sensitive and taller < before:
        return f"They mind heat, so they come after the {plural(previous.kind)} although they stand lower."
    return f"They stand {taller:g} mm, the {plural(previous.kind)} before them {before:g} mm."
