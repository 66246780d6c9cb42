"""What a stage asks of the working model, and what every answer has in common."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from nuvlo.diagnosis.diagnosis import Diagnosis
from nuvlo.files.drawer import Spare
from nuvlo.kit import Kit
from nuvlo.logbook import Build
from nuvlo.measurement import Observable
from nuvlo.model import Window, WorkingModel


@dataclass(frozen=True)
class Asked:
    """One state of a build, put before the model. ``only_drawer`` keeps choices to what is in the ``drawer``."""

    model: WorkingModel
    drawer: Sequence[Spare] = ()
    only_drawer: bool = False
    diagnosis: Diagnosis | None = None  # where it is asked what went wrong
    skipped: frozenset[Observable] = frozenset()  # readings that are out of reach

    @property
    def kit(self) -> Kit:
        return self.model.kit

    @property
    def build(self) -> Build:
        return self.model.build or Build("")


@dataclass(frozen=True)
class Solved:
    """What the model answers a stage. Stages with more to tell than windows derive from it."""

    windows: Mapping[Observable, Window] = field(default_factory=dict)  # by what is read
    problem: str = ""  # why there is no answer


def by_place(windows: Sequence[Window]) -> dict[Observable, Window]:
    """Windows by what is read."""
    return {w.of: w for w in windows}
