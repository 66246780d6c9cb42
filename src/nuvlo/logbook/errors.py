"""What can go wrong with a log; apart from what keeps it, which takes a while to load."""

from __future__ import annotations

from nuvlo.problems import NuvloError


class LogbookError(NuvloError):
    """The logbook could not be read or written. What was written before is still there."""


class Overtaken(LogbookError):
    """Another program has gone on with the build meanwhile: look at what it entered first. Nothing was written."""
