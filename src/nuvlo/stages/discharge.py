"""Before hands go inside a unit that was powered and holds high voltage: a measured voltage, taken, not assumed."""

from __future__ import annotations

import math

from nuvlo.craft.high_voltage import SAFE_V, discharge_seconds, is_high, reservoir
from nuvlo.kit import Kit, Stage
from nuvlo.kit.kit import SWITCHED_OFF
from nuvlo.kit.step_id import StepId
from nuvlo.logbook import Build
from nuvlo.logbook.build import OFF
from nuvlo.model import Window
from nuvlo.stages.task import Task, Wants


def tasks(kit: Kit, build: Build, stage: Stage, *, always: bool = False, about: str = "") -> list[Task]:
    """The reading that must be taken before hands go inside. Nothing where the unit was not powered since the last one, but
    for a stage that asks for it (``always``). ``about`` tells two of one stage apart."""
    if not is_high(kit) or not (always or build.live):
        return []
    point = reservoir(kit)
    named = point.name if point in kit.info.point else kit.named_place(point.node)
    place = f"{point.name}{OFF}"
    done = None if build.unplugged else False  # a reading from before it was powered again tells nothing
    wait = discharge_seconds(kit)
    seconds = f"{10 * math.ceil(wait / 10):.0f} s" if wait else "a few minutes"
    return [
        Task(
            StepId.of(stage, "discharge", *([about] if about else [])), stage, Wants.READING, f"Unplug, discharge, and read {named}",
            f"Pull the plug and wait {seconds}. Discharge the reservoir through a resistor with one hand, then read volts at {named}: "
            f"hands go inside only below {SAFE_V:g} V. If it stays above, a bleeder is open: it does not discharge by itself.",
            place, "voltage", "V", parts=(point.name,), nodes=(point.node, point.reference), setup=SWITCHED_OFF,
            window=Window(place, "voltage", "V", 0.0, -SAFE_V, SAFE_V), done=done,
        )
    ]  # fmt: skip

