"""The log is the truth: typed events and the build they fold into. :mod:`nuvlo.logbook.store` keeps them.

The store is not imported here: it brings SQLAlchemy, which must not load before the first paint.
"""

from nuvlo.logbook.build import Build, Reading, fold
from nuvlo.logbook.events import (
    BoardPictured,
    Body,
    BuildStarted,
    CautionConfirmed,
    ChoiceMade,
    CurveTaken,
    Event,
    Exported,
    KitChanged,
    Note,
    PartMarked,
    PartMeasured,
    PartTicked,
    ReadingTaken,
    Redone,
    StanceTaken,
    StepAccepted,
    StepDone,
    TrayOrdered,
    TrimmerTurned,
    Undone,
    WindowKept,
)  # fmt: skip

__all__ = [
    "BoardPictured",
    "Body",
    "Build",
    "BuildStarted",
    "CautionConfirmed",
    "ChoiceMade",
    "CurveTaken",
    "Event",
    "Exported",
    "KitChanged",
    "Note",
    "PartMarked",
    "PartMeasured",
    "PartTicked",
    "Reading",
    "ReadingTaken",
    "Redone",
    "StanceTaken",
    "StepAccepted",
    "StepDone",
    "TrayOrdered",
    "TrimmerTurned",
    "Undone",
    "WindowKept",
    "fold",
]  # fmt: skip
