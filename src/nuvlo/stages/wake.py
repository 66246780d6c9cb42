"""Wake: first power. Shorts first, then the supply current, then each test point."""

from __future__ import annotations

from nuvlo.kit import Kit, Stage
from nuvlo.logbook import Build
from nuvlo.model import Task, Wants
from nuvlo.quantity import format_value, sentence


def tasks(kit: Kit, build: Build) -> list[Task]:
    """Readings in the order in which they protect the unit."""
    out = []
    for supply in kit.info.supply:
        if supply.point:
            out.append(
                Task(f"wake.short.{supply.point}", Stage.WAKE, Wants.READING, f"Look for a short at {supply.point}",
                     f"Power off. Ohms from {supply.point} to ground.", supply.point, "resistance", "Ω",
                     parts=(supply.point,), nodes=(supply.node,))
            )  # fmt: skip
    for supply in kit.info.supply:
        limit = format_value(supply.current_limit, "A")
        out.append(
            Task(f"wake.current.{supply.name}", Stage.WAKE, Wants.READING, f"Power on: current of the {supply.name}",
                 f"Current limit at {limit}. Controls where they start. Off at once if it passes the window.",
                 supply.name, "current", "A", nodes=(supply.node,))
        )  # fmt: skip
    trims = {t.watch for t in kit.info.trim}
    for point in kit.info.point:
        later = " It is set in the next stage." if point.name in trims else ""
        out.append(
            Task(f"wake.{point.name}", Stage.WAKE, Wants.READING, f"Measure {point.name}",
                 f"{sentence(point.says)}. Black lead on ground.{later}", point.name, "voltage", "V",
                 parts=(point.name,), nodes=(point.node,))
        )  # fmt: skip
    return out
