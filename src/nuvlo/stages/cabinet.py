"""Cabinet work, and what else a kit asks for by the clock: one step of it as a task, in the stage that it belongs to."""

from __future__ import annotations

from nuvlo.craft.schools import taken
from nuvlo.kit import Kit
from nuvlo.kit.schema import Craft
from nuvlo.kit.step_id import craft_step
from nuvlo.logbook import Build
from nuvlo.stages.holds import craft_holds, left_of
from nuvlo.stages.task import Task, Wants


def task(kit: Kit, build: Build, one: Craft) -> Task:
    """A step of cabinet work. It waits for what comes before it, and while that sets."""
    said = [one.says]
    if one.open_minutes:
        said.append(
            f"The glue stays open about {one.open_minutes:g} minutes: type 'begin' when it is spread, and the clock runs."
        )
    if one.clamps:
        said.append(
            f"{one.clamps} clamps." if taken(build.stances, "glue") == "clamps" else "Brads, then the clamp is free."
        )
    if one.wait_hours:
        said.append(f"Then it waits {_hours(one.wait_hours)}.")
    if one.caution:
        said.append(f"Caution: {one.caution}")
    others = {c.id: c for c in kit.info.craft}
    before = [others[a] for a in one.after if a in others]
    missing = [c.title for c in before if craft_step(c.id) not in build.done]
    missing += left_of(kit, build, one.after)
    return Task(
        craft_step(one.id), one.stage, Wants.STEP, one.title, "\n".join(s for s in said if s), awaits="; ".join(missing),
        holds=craft_holds(kit, build, one.after),
    )  # fmt: skip


def _hours(hours: float) -> str:
    return f"{hours * 60:.0f} minutes" if hours < 1 else f"{hours:g} hours"
