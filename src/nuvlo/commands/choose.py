"""Commands of Choose: values, variants, mods, schools."""

from __future__ import annotations

from nuvlo.bench_line import Command
from nuvlo.commands.reply import Handlers, Reply
from nuvlo.kit import Stage
from nuvlo.kit.assembly import board_order, moved
from nuvlo.kit.folder import Change
from nuvlo.kit.schema import Choice
from nuvlo.kit.schools import ANSWERS
from nuvlo.kit.schools import side as side_of
from nuvlo.kit.variant import change, varied
from nuvlo.logbook import (
    ChoiceMade,
    KitChanged,
    StanceTaken,
)  # fmt: skip
from nuvlo.logbook.events import PRINTED
from nuvlo.model.stress import overstressed
from nuvlo.problems import Problem
from nuvlo.quantity import format_value, sentence
from nuvlo.session import Refused


class Choosing(Handlers):
    """Commands of Choose: values, variants, mods, schools."""

    def school(self, command: Command) -> Reply:
        """Take a side where builders disagree, and say what that changes."""
        question, side = side_of(command.text)
        if question.where == ANSWERS:
            if any(step.startswith("fit.fit.") for step in self.s.build.done):
                raise Refused(
                    Problem("parts are in already: the order can no longer change.", "Undo them, or finish this way.")
                )
            before = board_order(self.s.kit, self.s.build.school)
            self.s.record(StanceTaken(question=question.id, side=side.name))
            after = board_order(self.s.kit, self.s.build.school)
            moves = moved(before, after, self.s.kit)[:3] or ["the parts go in as before"]
            checks = [sum(s.gate is not None for s in steps) for steps in (before, after)]
            return Reply(
                f"{'; '.join(moves)}; {len(before)} steps with {checks[0]} checks become {len(after)} with {checks[1]}. {sentence(side.says)}."
            )
        self.s.record(StanceTaken(question=question.id, side=side.name))
        return Reply(f"{question.title}: {side.says}. It shows in: {question.where}.")

    def drawer(self, _command: Command) -> Reply:
        """Choose among what is in the drawer, or among all preferred values again."""
        if not self.s.from_drawer and not self.s.workshop.drawer():
            raise Refused(Problem("the drawer is empty.", "Put a drawer.csv into the workshop's folder."))
        self.s.from_drawer = not self.s.from_drawer
        return Reply(f"Values come from {'the drawer only' if self.s.from_drawer else 'all preferred values'}.")

    def variant(self, command: Command) -> Reply:
        """Build a named variant of the kit: each of its changes is kept with its reason."""
        found = next((v for v in self.s.box.info.variant if v.id == command.text.lower()), None)
        if found is None:
            known = ", ".join(f"{v.id} ({v.title.lower()})" for v in self.s.box.info.variant) or "none"
            raise Refused(Problem(f"there is no variant '{command.text}' of {self.s.kit.name}.", f"Variants: {known}."))
        return self._change([change(self.s.box, c.part, c.to, c.why) for c in found.change])

    def mod(self, command: Command) -> Reply:
        """Make one part something else, or put it back to what is printed; alone it lists what was changed."""
        if not command.target:
            made = self.s.kit.changes
            words = [f"{c.part}: {c.was} → {c.to}{', ' + c.why if c.why else ''}" for c in made]
            return Reply("; ".join(words) + "." if words else "Built as printed.")
        to, _, why = command.text.partition(" because ")
        if to.lower() == PRINTED:
            self.s.record(KitChanged(part=command.target, to=PRINTED))
            return Reply(f"{command.target} is as printed again.")
        return self._change([change(self.s.box, command.target, to.strip(), why.strip())])

    def _change(self, changes: list[Change]) -> Reply:
        kept = [c for c in self.s.kit.changes if c.part not in [new.part for new in changes]]
        after = varied(self.s.box, [*kept, *changes])  # what cannot be built is refused before it is logged
        self.s.record(*(KitChanged(part=c.part, to=c.to, why=c.why) for c in changes))
        over = [f"{ref} then has {words}" for ref, words in overstressed(after, quick=True)]
        made = ", ".join(f"{c.part} {c.was} → {c.to}" for c in changes)
        return Reply("; ".join([made, *over]) + ".", changes[0].part if self.s.kit.find_part(changes[0].part) else "")

    def choose(self, command: Command) -> Reply:
        return self._choose(command.target, command.text)

    def _choose(self, choice_id: str, value: str) -> Reply:
        choice = next(c for c in self.s.kit.info.choice if c.id == choice_id)
        chosen = self._set_of(choice, value) if choice.move else {choice.part: value}
        self.s.record(*(ChoiceMade(choice=choice.id, part=ref, value=text) for ref, text in chosen.items()))
        for ref, text in chosen.items():
            if self.s.bench is not None and text != self.s.kit.part(ref).text:
                self.s.bench.unit.fit_part(ref, text)
        return Reply(", ".join(f"{ref} will be {text}" for ref, text in chosen.items()) + ".")

    def _set_of(self, choice: Choice, number: str) -> dict[str, str]:
        """Values by part of the proposal with this number, or those printed."""
        parts = [(m.element, part) for m in choice.move if (part := self.s.kit.part_of(m.element)) is not None]
        if number == "printed":
            return {part.ref: part.text for _, part in parts}
        solved = self.s.solved(Stage.CHOOSE)
        proposals = solved.proposals.get(choice.id, ()) if solved else ()
        if not proposals:
            raise Refused(Problem("the values are still being worked out.", "Wait a moment."))
        if not 1 <= int(number) <= len(proposals):
            raise Refused(Problem(f"there is no set {number}.", f"Sets shown: 1 to {len(proposals)}."))
        values = proposals[int(number) - 1].values
        return {part.ref: format_value(values[element], part.unit, 4) for element, part in parts}
