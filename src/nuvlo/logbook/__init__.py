"""The log is the truth: typed events, the build they fold into, and where they are kept."""

from nuvlo.logbook.build import Build, Reading, fold
from nuvlo.logbook.events import (
    Body,
    BuildStarted,
    CautionConfirmed,
    ChoiceMade,
    CurveTaken,
    Event,
    Exported,
    Note,
    PartMarked,
    PartMeasured,
    PartTicked,
    ReadingTaken,
    Redone,
    StepAccepted,
    StepDone,
    TrimmerTurned,
    Undone,
    WindowKept,
)  # fmt: skip
from nuvlo.logbook.store import Logbook, LogbookError

__all__ = [
    "Body", "Build", "BuildStarted", "CautionConfirmed", "ChoiceMade", "CurveTaken", "Event", "Exported", "Logbook",
    "LogbookError", "Note", "PartMarked", "PartMeasured", "PartTicked", "Reading", "ReadingTaken", "Redone",
    "StepAccepted", "StepDone", "TrimmerTurned", "Undone", "WindowKept", "fold",
]  # fmt: skip
