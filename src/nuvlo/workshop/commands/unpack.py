"""Commands of Unpack: ticks, measurements, substitutes, the tray, the letter."""

from __future__ import annotations

import math

from nuvlo.catalogue import find
from nuvlo.electrics.stress import stresses
from nuvlo.kit import Stage
from nuvlo.logbook import PartMarked, PartMeasured, PartTicked, TrayOrdered
from nuvlo.logbook.events import ReferenceRead
from nuvlo.measurement import LEADS
from nuvlo.model.meter import meter_of
from nuvlo.problems import Problem
from nuvlo.quantity import Measured, format_value
from nuvlo.stages.unpack.identify import Candidate, identify, identify_reading
from nuvlo.stages.unpack.make_do import make_do
from nuvlo.stages.unpack.match import match as matched
from nuvlo.workshop import papers
from nuvlo.workshop.commands.arguments import Nothing, PartMark, PartNamed, PartValue, ReferenceShown, Words
from nuvlo.workshop.commands.outcome import Reply, verdict_words
from nuvlo.workshop.session import Refused, Session

MOST_FARADS = 0.1  # F: more than any part of an audio kit; a number above was typed without its prefix
PREFIXES = {"p": 1e-12, "n": 1e-9, "u": 1e-6}


def tray(s: Session, given: Words) -> Reply:
    s.record(TrayOrdered(order=given.text))
    return Reply(f"The tray lies by {given.text}.")


def what(s: Session, given: Words) -> Reply:
    return _candidates(identify(given.text, s.kit, s.build.ticked))


def reads(s: Session, given: Words) -> Reply:
    return _candidates(identify_reading(given.text, s.kit, s.build.ticked))


def _candidates(found: list[Candidate]) -> Reply:
    words = [f"{c.words}{': ' + ', '.join(c.refs) if c.refs else ''} ({c.how})" for c in found[:3]]
    refs = next((c.refs for c in found if c.refs), ())
    return Reply("; or ".join(words) + "." if words else "It fits no part of this kit.", refs[0] if refs else "")


def instead(s: Session, given: PartNamed) -> Reply:
    """What the drawer can put in place of a part, and what it would bear there."""
    part = s.kit.part(given.ref)
    stress = stresses(s.kit, quick=part.unit != "F").get(part.ref)
    known = find(part.text) if not part.unit else None
    if known is not None and known.instead:
        others = "; or ".join(f"{name} ({change})" for name, change in known.instead)
        bears = f" {stress.words('')}" if stress and stress.volts else ""
        return Reply(f"For {part.ref}, a {known.name}: {others}.{bears}", part.ref)
    found = make_do(part, s.places.drawer(), None, stress)
    if not found:
        raise Refused(
            Problem(f"the drawer holds nothing that would do for {part.ref}.", "Order it, or widen what you allow.")
        )
    words = [f.words + (f" (but {f.warnings[0]})" if f.warnings else "") for f in found[:3]]
    bears = f" {stress.words(part.unit)}" if stress and stress.volts else ""
    return Reply(f"For {part.ref}: {'; or '.join(words)}.{bears}", part.ref)


def match(s: Session, given: Nothing) -> Reply:
    measured = {ref: m.value for ref in s.build.measured if (m := s.build.part_value(ref)) is not None}
    found = matched(s.kit, measured)
    moved = [f"{place} takes the part measured as {item}" for place, item in found.places.items() if place != item]
    worth = [
        f"{name} {format_value(x, unit, 3)} becomes {format_value(y, unit, 3)}" for name, unit, x, y in found.effects
    ]
    before, after = (f"{100 * x:.0f} %" if x >= 1 else f"{100 * x:.2g} %" for x in (found.before, found.after))
    doubt = f"{100 * found.doubt:.1g} %"
    words = f"Pairs differ by {before} in the places they are listed for, by {after} matched, ± {doubt}"
    return Reply("; ".join([words, *(moved or ["leave each where it is"]), *worth]) + ".")


def shopping(s: Session, given: Nothing) -> Reply:
    path = papers.write_shopping_list(s)
    return Reply(f"Written: {path.name} in {path.parent.name}/.")


def letter(s: Session, given: Nothing) -> Reply:
    path = papers.write_letter(s)
    return Reply(f"Written: {path.name} in {path.parent.name}/.")


def tick(s: Session, given: PartNamed) -> Reply:
    s.record(PartTicked(ref=given.ref))
    return Reply(f"{given.ref} is there.")


def mark(s: Session, given: PartMark) -> Reply:
    s.record(PartMarked(ref=given.ref, state=given.state))
    if given.state == "swapped" and s.bench is not None:
        s.bench.fit(given.ref, s.build.chosen_values.get(given.ref, s.kit.part(given.ref).text))
    return Reply(f"{given.ref} is {given.state}.")


def measure(s: Session, given: PartValue, instrument: str = "typed") -> Reply:
    with_prefix(given.ref, given.value, s.kit.part(given.ref).value)
    value, leads = without_leads(s, given.value)
    s.record(
        PartMeasured(ref=given.ref, value=value.value, uncertainty=value.uncertainty, unit=value.unit, instrument=instrument,
                     shown=given.value.value if leads else None, leads=leads)
    )  # fmt: skip
    f = next((f for f in s.findings(Stage.UNPACK) if f.task.target == given.ref), None)
    return Reply(verdict_words(f, given.ref, value))


def with_prefix(place: str, value: Measured, meant: float | None = None) -> None:
    """Refuse farads that no meter on a bench shows: the prefix was left out. What is ``meant`` there says which it was likely to be."""
    if value.unit != "F" or not MOST_FARADS < value.value < math.inf:
        return
    likely = min(PREFIXES, key=lambda p: abs(math.log(value.value * PREFIXES[p] / meant))) if meant else "n"
    asked = f"{format_value(value.value * PREFIXES[likely], 'F', 4)}?"
    raise Refused(Problem(f"{format_value(value.value, 'F', 4)} at {place} is no capacitor of this trade: {asked}", f"Put p, n or u behind the number, as in '{place.lower()} {value.value:g}{likely}'."))


def reference(s: Session, given: ReferenceShown) -> Reply:
    """Learn the meter by a part that is known better than it."""
    shown, _leads = without_leads(s, given.shown)
    s.record(
        ReferenceRead(value=given.value, tolerance=given.tolerance, shown=shown.value, uncertainty=shown.uncertainty, unit=shown.unit)
    )  # fmt: skip
    known = meter_of(s.kit, s.build).gain(shown.value, shown.unit)
    return Reply(known.words if known else "It tells nothing of the meter.")


def without_leads(s: Session, value: Measured) -> tuple[Measured, float]:
    """A reading of ohms with the resistance of the meter's own leads taken off, once it was read, and what was taken off:
    below some hundred ohms it shows."""
    leads = s.build.latest(LEADS) if value.unit == "Ω" else None
    if leads is None or value.over_range or leads.measured.over_range:
        return value, 0.0
    off = leads.measured.value
    return Measured(max(0.0, value.value - off), value.uncertainty, value.unit), off
