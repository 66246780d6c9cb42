"""Kit and build → ensemble → windows for any reading."""

from nuvlo.model.windows import JOINT_COVERAGE, Window, joint_windows
from nuvlo.model.working import Band, TrimCurve, WorkingModel

__all__ = ["JOINT_COVERAGE", "Band", "TrimCurve", "Window", "WorkingModel", "joint_windows"]
