"""Commands of Fit and its calendar."""

from __future__ import annotations

from nuvlo.bench_line import Command
from nuvlo.commands.reply import Handlers, Reply
from nuvlo.logbook import (
    BoardPictured,
)  # fmt: skip
from nuvlo.schedule import fits


class Fitting(Handlers):
    """Commands of Fit and its calendar."""

    def pictured(self, command: Command) -> Reply:
        """A picture lies beneath one side of the map, aligned by two pads; without text it is taken away."""
        if not command.text:
            self.s.record(BoardPictured(file="", side=command.target))
            return Reply("The picture is taken away.")
        file, ref_a, pin_a, ax, ay, ref_b, pin_b, bx, by = command.text.split("|")
        first, second = (f"{ref_a}.{pin_a}", float(ax), float(ay)), (f"{ref_b}.{pin_b}", float(bx), float(by))
        self.s.record(BoardPictured(file=file, side=command.target, first=first, second=second))
        return Reply("The picture lies beneath the map.")

    def tonight(self, command: Command) -> Reply:
        return Reply(fits(self.s, float(command.text)))
