"""Commands of Choose: values, variants, mods, schools."""

from __future__ import annotations

from nuvlo.craft.order import board_order, moved
from nuvlo.craft.schools import ANSWERS
from nuvlo.electrics.stress import overstressed
from nuvlo.kit import Change, Choice, Stage
from nuvlo.kit.step_id import StepId
from nuvlo.kit.variant import change, varied
from nuvlo.logbook import ChoiceMade, KitChanged, StanceTaken
from nuvlo.logbook.events import PRINTED
from nuvlo.problems import Problem
from nuvlo.quantity import format_value, parse_value, sentence
from nuvlo.stages.choose import Proposed
from nuvlo.workshop.commands.arguments import Chosen, Modified, Nothing, SideTaken, Words
from nuvlo.workshop.commands.outcome import Reply
from nuvlo.workshop.session import Refused, Session


def school(s: Session, given: SideTaken) -> Reply:
    """Take a side where builders disagree, and say what that changes."""
    question, side = given.question, given.side
    if question.where != ANSWERS:
        s.record(StanceTaken(question=question.id, side=side.name))
        return Reply(f"{question.title}: {side.says}. It shows in: {question.where}.")
    if any(StepId(step).does(Stage.FIT, "fit") for step in s.build.done):
        raise Refused(
            Problem("parts are in already: the order can no longer change.", "Undo them, or finish this way.")
        )
    before = board_order(s.kit, s.build.school)
    s.record(StanceTaken(question=question.id, side=side.name))
    after = board_order(s.kit, s.build.school)
    moves = moved(before, after, s.kit)[:3] or ["the parts go in as before"]
    checks = [sum(step.gate is not None for step in steps) for steps in (before, after)]
    return Reply(
        f"{'; '.join(moves)}; {len(before)} steps with {checks[0]} checks become {len(after)} with {checks[1]}. {sentence(side.says)}."
    )


def drawer(s: Session, given: Nothing) -> Reply:
    """Choose among what is in the drawer, or among all preferred values again."""
    if not s.from_drawer and not s.places.drawer():
        raise Refused(Problem("the drawer is empty.", "Put a drawer.csv into the workshop's folder."))
    s.use_drawer(not s.from_drawer)
    return Reply(f"Values come from {'the drawer only' if s.from_drawer else 'all preferred values'}.")


def variant(s: Session, given: Words) -> Reply:
    """Build a named variant of the kit: each of its changes is kept with its reason."""
    found = next((v for v in s.box.info.variant if v.id == given.text.lower()), None)
    if found is None:
        known = ", ".join(f"{v.id} ({v.title.lower()})" for v in s.box.info.variant) or "none"
        raise Refused(Problem(f"there is no variant '{given.text}' of {s.kit.name}.", f"Variants: {known}."))
    return _change(s, [change(s.box, c.part, c.to, c.why) for c in found.change])


def mod(s: Session, given: Modified) -> Reply:
    """Make one part something else, or put it back to what is printed; alone it lists what was changed."""
    if not given.name:
        words = [f"{c.part}: {c.was} → {c.to}{', ' + c.why if c.why else ''}" for c in s.kit.changes]
        return Reply("; ".join(words) + "." if words else "Built as printed.")
    if given.to.lower() == PRINTED:
        s.record(KitChanged(part=given.name, to=PRINTED))
        return Reply(f"{given.name} is as printed again.")
    return _change(s, [change(s.box, given.name, given.to, given.why)])


def _change(s: Session, changes: list[Change]) -> Reply:
    kept = [c for c in s.kit.changes if c.part not in [new.part for new in changes]]
    after = varied(s.box, [*kept, *changes])  # what cannot be built is refused before it is logged
    s.record(*(KitChanged(part=c.part, to=c.to, why=c.why) for c in changes))
    over = [f"{ref} then has {words}" for ref, words in overstressed(after, quick=True)]
    made = ", ".join(f"{c.part} {c.was} → {c.to}" for c in changes)
    return Reply("; ".join([made, *over]) + ".", changes[0].part if s.kit.find_part(changes[0].part) else "")


def choose(s: Session, given: Chosen) -> Reply:
    choice = next(c for c in s.kit.info.choice if c.id == given.choice)
    chosen = _set_of(s, choice, given.value) if choice.move else {choice.part: given.value}
    s.record(*(ChoiceMade(choice=choice.id, part=ref, value=text, kept=_meant_before(s, ref, text)) for ref, text in chosen.items()))
    for ref, text in chosen.items():
        if s.bench is not None and text != s.kit.part(ref).text:
            s.bench.fit(ref, text)
    return Reply(", ".join(f"{ref} will be {s.kit.part(ref).said(text)}" for ref, text in chosen.items()) + ".")


def _meant_before(s: Session, ref: str, text: str) -> bool:
    """Whether a part was to be just this already."""
    unit, before = s.kit.part(ref).unit, s.build.chosen_values.get(ref, s.kit.part(ref).text)
    return before == text or (bool(unit) and parse_value(before, unit) == parse_value(text, unit))


def _set_of(s: Session, choice: Choice, number: str) -> dict[str, str]:
    """Values by part of the proposal with this number, or those printed."""
    parts = [(e, part) for m in choice.move for e in m.elements if (part := s.kit.part_of(e)) is not None]
    if number == PRINTED:
        return {part.ref: part.text for _, part in parts}
    proposed = s.answer(Stage.CHOOSE, Proposed)
    proposals = proposed.proposals.get(choice.id, ()) if proposed else ()
    if not proposals:
        raise Refused(Problem("the values are still being worked out.", "Wait a moment."))
    if not 1 <= int(number) <= len(proposals):
        raise Refused(Problem(f"there is no set {number}.", f"Sets shown: 1 to {len(proposals)}."))
    values = proposals[int(number) - 1].values
    return {part.ref: format_value(values[element], part.unit, 4) for element, part in parts}
