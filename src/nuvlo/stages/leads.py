"""The meter's own leads: shorted once, and taken off every reading of ohms that follows."""

from __future__ import annotations

from nuvlo.kit import Stage
from nuvlo.kit.step_id import StepId
from nuvlo.logbook import Build
from nuvlo.measurement import LEADS as METER
from nuvlo.model import Window
from nuvlo.stages.task import Task, Wants

LEADS = METER.place
MOST_OHMS = 10.0  # more are no leads, but a broken one (common practice, no source)
WINDOW = Window(METER, "Ω", 0.2, 0.0, 1.0)


def tasks(stage: Stage, build: Build) -> list[Task]:
    """Short them, before the first ohm that matters in ``stage``; nothing where that was done in a stage before."""
    read = build.latest(METER)
    if read is not None and read.stage != stage.value:
        return []
    return [Task(StepId.of(stage, LEADS), stage, Wants.READING, "Short the meter's leads",
                "Their own resistance is taken off every reading that follows.", of=METER, unit="Ω", window=WINDOW)]  # fmt: skip
