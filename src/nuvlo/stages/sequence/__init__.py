"""Sequence: the order of work and the reason for each place in it."""

from __future__ import annotations

from nuvlo.craft.order import Step, board_order
from nuvlo.craft.schools import DEFAULT_SCHOOL
from nuvlo.kit import Kit, Stage
from nuvlo.kit.step_id import StepId
from nuvlo.logbook import Build
from nuvlo.stages.task import Task, Wants


def order(kit: Kit, school: str = DEFAULT_SCHOOL) -> list[Step]:
    """All steps in the order of a school, with gates."""
    return board_order(kit, school)


def tasks(kit: Kit, build: Build) -> list[Task]:
    """Read the order through once before the iron is hot."""
    steps = order(kit, build.school)
    if not steps:
        return []
    minutes = sum(s.minutes for s in steps)
    gates = sum(s.gate is not None for s in steps)
    detail = f"{len(steps)} steps, {gates} of them checks, about {minutes:.0f} minutes at the bench.\n"
    detail += f"School: {build.school}. Another: 'school sections', 'school together', before the first part goes in."
    return [Task(StepId.of(Stage.SEQUENCE, "read"), Stage.SEQUENCE, Wants.STEP, "Read the order through", detail)]
