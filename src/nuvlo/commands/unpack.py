"""Commands of Unpack: ticks, measurements, substitutes, the tray, the letter."""

from __future__ import annotations

from nuvlo.bench_line import Command
from nuvlo.commands.reply import Handlers, Reply, verdict_words
from nuvlo.kit import Stage
from nuvlo.logbook import (
    PartMarked,
    PartMeasured,
    PartTicked,
    TrayOrdered,
)  # fmt: skip
from nuvlo.model.stress import stresses
from nuvlo.problems import Problem
from nuvlo.quantity import Measured, format_value
from nuvlo.session import Refused
from nuvlo.stages import hook_up
from nuvlo.stages.unpack.identify import Candidate, identify, identify_reading
from nuvlo.stages.unpack.make_do import make_do
from nuvlo.stages.unpack.match import match


class Unpacking(Handlers):
    """Commands of Unpack: ticks, measurements, substitutes, the tray, the letter."""

    def tray(self, command: Command) -> Reply:
        self.s.record(TrayOrdered(order=command.text))
        return Reply(f"The tray lies by {command.text}.")

    def what(self, command: Command) -> Reply:
        return self._candidates(identify(command.text, self.s.kit, self.s.build.ticked))

    def reads(self, command: Command) -> Reply:
        return self._candidates(identify_reading(command.text, self.s.kit, self.s.build.ticked))

    @staticmethod
    def _candidates(found: list[Candidate]) -> Reply:
        words = [f"{c.words}{': ' + ', '.join(c.refs) if c.refs else ''} ({c.how})" for c in found[:3]]
        refs = next((c.refs for c in found if c.refs), ())
        return Reply("; or ".join(words) + "." if words else "It fits no part of this kit.", refs[0] if refs else "")

    def instead(self, command: Command) -> Reply:
        """What the drawer can put in place of a part, and what it would bear there."""
        part = self.s.kit.part(command.target)
        stress = stresses(self.s.kit, quick=part.unit != "F").get(part.ref)
        found = make_do(part, self.s.workshop.drawer(), None, stress)
        if not found:
            raise Refused(
                Problem(f"the drawer holds nothing that would do for {part.ref}.", "Order it, or widen what you allow.")
            )
        words = [s.words + (f" (but {s.warnings[0]})" if s.warnings else "") for s in found[:3]]
        bears = f" {stress.words(part.unit)}" if stress and stress.volts else ""
        return Reply(f"For {part.ref}: {'; or '.join(words)}.{bears}", part.ref)

    def match(self, _command: Command) -> Reply:
        measured = {ref: m.value for ref in self.s.build.measured if (m := self.s.build.part_value(ref)) is not None}
        found = match(self.s.kit, measured)
        moved = [f"{place} takes the part measured as {item}" for place, item in found.places.items() if place != item]
        worth = [
            f"{name} {format_value(x, unit, 3)} becomes {format_value(y, unit, 3)}"
            for name, unit, x, y in found.effects
        ]
        words = f"Mismatch {100 * found.before:.2g} % as they lie, {100 * found.after:.2g} % matched"
        return Reply("; ".join([words, *(moved or ["leave them as they are"]), *worth]) + ".")

    def shopping(self, _command: Command) -> Reply:
        path = self.s.write_shopping_list()
        return Reply(f"Written: {path.name} in {path.parent.name}/.")

    def letter(self, _command: Command) -> Reply:
        path = self.s.write_letter()
        return Reply(f"Written: {path.name} in {path.parent.name}/.")

    def tick(self, command: Command) -> Reply:
        self.s.record(PartTicked(ref=command.target))
        return Reply(f"{command.target} is there.")

    def mark(self, command: Command) -> Reply:
        self.s.record(PartMarked(ref=command.target, state=command.text))
        if command.text == "swapped" and self.s.bench is not None:
            self.s.bench.unit.fit_part(command.target, self._value_of(command.target))
        return Reply(f"{command.target} is {command.text}.")

    def _value_of(self, ref: str) -> str:
        return self.s.build.chosen_values.get(ref, self.s.kit.part(ref).text)

    def measure(self, command: Command) -> Reply:
        assert command.value is not None
        return self._measured(command.target, command.value, "typed")

    def _measured(self, ref: str, value: Measured, instrument: str) -> Reply:
        leads = self.s.build.latest(hook_up.LEADS, "resistance") if value.unit == "Ω" else None
        if leads is not None:  # their own resistance matters below some hundred ohms
            value = Measured(max(0.0, value.value - leads.measured.value), value.uncertainty, value.unit)
        self.s.record(
            PartMeasured(
                ref=ref, value=value.value, uncertainty=value.uncertainty, unit=value.unit, instrument=instrument
            )
        )
        f = next((f for f in self.s.findings(Stage.UNPACK) if f.task.target == ref), None)
        return Reply(verdict_words(f, ref, value))
