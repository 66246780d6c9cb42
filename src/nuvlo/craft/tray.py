"""The order in which parts lie in the tray."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from typing import Any

from nuvlo.kit.kit import Kit
from nuvlo.kit.parts import Part

TRAY_ORDERS = ("value", "strip", "section", "list")


def in_tray_order(kit: Kit, order: str = "value") -> list[Part]:
    """Parts in the order that suits the hand.

    ``value``: by kind in order of the list, each kind by rising value. ``strip``: what comes on one bandolier together,
    the longest first. ``section``: section by section, each by value. ``list``: as listed.
    """
    parts = list(kit.parts.values())
    kinds = list(dict.fromkeys(p.kind for p in parts))
    sections = list(dict.fromkeys(p.section for p in parts))
    alike = Counter(sort_of(p) for p in parts)

    def by_value(part: Part) -> tuple[int, float]:
        return kinds.index(part.kind), part.value if part.value is not None else 0.0

    keys: dict[str, Callable[[Part], Any]] = {
        "value": by_value, "section": lambda p: (sections.index(p.section), by_value(p)),
        "strip": lambda p: (-alike[sort_of(p)], by_value(p), sort_of(p)), "list": lambda p: 0,
    }  # fmt: skip
    return sorted(parts, key=keys.get(order, by_value))


def sort_of(part: Part) -> tuple[str, str, str]:
    """What parts of one strip or bag have in common."""
    return part.kind, part.text, part.rating
