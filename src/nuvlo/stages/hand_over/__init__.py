"""Hand over: one page and one table that say what was built, from what, and what it measured."""

from nuvlo.stages.hand_over.sheet import Sheet, tasks, write_readings

__all__ = ["Sheet", "tasks", "write_readings"]
