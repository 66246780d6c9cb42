"""Kit and build → ensemble → windows for any reading."""

from nuvlo.model.task import Finding, Task, Wants, finding
from nuvlo.model.windows import JOINT_COVERAGE, Window, joint_windows
from nuvlo.model.working import Band, TrimCurve, WorkingModel

__all__ = [
    "JOINT_COVERAGE", "Band", "Finding", "Task", "TrimCurve", "Wants", "Window", "WorkingModel", "finding",
    "joint_windows",
]  # fmt: skip
