"""Unpack: find every part, measure what a meter can, judge it against its marking."""

from __future__ import annotations

from dataclasses import replace

from nuvlo.craft import look_alikes
from nuvlo.craft.schools import taken
from nuvlo.craft.tray import in_tray_order, sort_of
from nuvlo.kit import Kit, Part, Stage
from nuvlo.kit.kinds import kind_of
from nuvlo.kit.kit import Reach
from nuvlo.kit.step_id import StepId, part_step
from nuvlo.logbook import Build
from nuvlo.markings.marking import resistor_bands
from nuvlo.measurement import Observable
from nuvlo.model import Window
from nuvlo.model.meter import Meter, meter_of
from nuvlo.quantity import format_value, parse_value, sentence
from nuvlo.quantity.tolerance import tolerance_words
from nuvlo.stages import discharge, leads
from nuvlo.stages.answer import Solved
from nuvlo.stages.task import Finding, Task, Wants
from nuvlo.stages.unpack.check_in import check_in, checked_in, strips

FEW_OHMS = 50.0  # below which a fifth of an ohm in the leads shows


def tasks(kit: Kit, build: Build) -> list[Task]:
    """One task for each part, in tray order, and the meter's leads shorted before the first of few ohms. Who spot-checks
    measures the first of each strip of resistors."""
    spot = taken(build.stances, "measure") == "spot"
    seen: set[tuple[str, str, str]] = set()
    shorted = False
    meter = meter_of(kit, build)
    out = []
    for part in in_tray_order(kit, build.tray_order):
        trusted = spot and part.kind == "resistor" and sort_of(part) in seen and part.ref not in build.measured
        seen.add(sort_of(part))
        task = _task(part, build, look_alikes.warning(kit, part.ref), trusted, meter, kit.reach)
        if not shorted and task.wants is Wants.MEASURE and part.unit == "Ω" and (part.value or 0.0) < FEW_OHMS:
            out += leads.tasks(Stage.UNPACK, build)
            shorted = True
        out.append(task)
        out += [_asked(part)] if part.asked else []
    # A part that is measured again once the unit was powered comes out of it, or goes back in.
    again = discharge.charged(kit, build) and any(p.ref not in build.ticked for p in kit.parts.values())
    return (discharge.tasks(kit, build, Stage.UNPACK) if again else []) + out


def judged(kit: Kit, build: Build, found: list[Finding], solved: Solved) -> list[Finding]:
    """Whether each part that was measured is the right one, and in tolerance. One that is wrong with all of its strip says
    so, and names every place it would have gone."""
    checked = checked_in(kit, build)
    strip_words = {ref: strip.words for strip in strips(checked) for ref in strip.refs}
    by_ref = {c.part.ref: c for c in checked}
    out = []
    for f in found:
        one = by_ref.get(f.task.target)
        if f.task.wants is Wants.MEASURE and f.reading is not None and one is not None and one.which is not None:
            f = replace(f, verdict=one.verdict, words=one.words, brief=one.is_words, aside=one.fits_words)
            if f.stuck and one.part.ref in strip_words:
                f = replace(f, words=f"{f.words} {strip_words[one.part.ref]}")
        out.append(f)
    return out


def _task(part: Part, build: Build, warning: str, trusted: bool, meter: Meter, reach: Reach) -> Task:
    chosen = build.chosen_values.get(part.ref)
    value = parse_value(chosen, part.unit) if chosen else part.value
    beyond = value is not None and reach.beyond(value, part.unit)
    if kind_of(part.kind).meter and value is not None and part.tolerance is not None and not trusted and not beyond:
        low, high = value * (1 + part.tolerance[0]), value * (1 + part.tolerance[1])
        of = Observable(part.ref, "resistance" if part.unit == "Ω" else "capacitance")
        window = Window(of, part.unit, value, low, high)
        detail = f"Marked {format_value(value, part.unit)}, {tolerance_words(part.tolerance)}. {marking(part)}".strip()
        count, apart, slips = build.repeats(part.ref)
        if slips:
            detail += f"\n{'An earlier reading lies' if slips == 1 else 'Earlier readings lie'} too far from the newest to be of the same part: the newest counts."
        if count > 1:
            detail += f"\n{count} readings, {format_value(apart, part.unit, 2)} apart; their mean counts."
        known = meter.gain(value, part.unit)
        detail = f"{detail}\n{known.words}" if known else detail
        detail = f"{detail}\n{warning}" if warning else detail
        return Task(
            part_step(part.ref), Stage.UNPACK, Wants.MEASURE, f"Measure {part.ref}", detail.strip(), of=of,
            unit=part.unit, parts=(part.ref,), window=window,
        )  # fmt: skip
    detail = f"{part.said() if beyond else sentence(part.text)}. {marking(part) or sentence(part.note)}".strip().rstrip(".") + "."
    if beyond:
        detail += f" More than the meter reads, which is {format_value(reach.most_ohms, 'Ω')} at most: its marking has to do."
    detail = f"{detail}\n{warning}" if warning else detail
    return Task(
        part_step(part.ref),
        Stage.UNPACK,
        Wants.TICK,
        f"Find {part.ref}: {part.kind}",
        detail,
        part.ref,
        parts=(part.ref,),
    )


def _asked(part: Part) -> Task:
    """What it is cannot be read from the list: nothing is done with it before the builder says."""
    ref = part.ref.lower()
    return Task(
        StepId.of(Stage.UNPACK, "asked", part.ref), Stage.UNPACK, Wants.STEP, f"What is {part.ref}, {part.text}: in the case, or on the board?",
        f"The list does not say. It is neither soldered nor left out before you say: 'mod {ref} case', 'mod {ref} board', or what it is, such as 'mod {ref} jack'.",
        part.ref, parts=(part.ref,), awaits=f"what {part.ref} is",
    )  # fmt: skip


def offers(kit: Kit, now: Finding, solved: Solved) -> list[tuple[str, str]]:
    """Where a part goes of which the list does not say what it is."""
    part = kit.find_part(now.task.target)
    if part is None or not part.asked or now.task.id.verb != "asked":
        return []
    return [(f"{part.ref} is in the case", f"mod {part.ref.lower()} case"), (f"{part.ref} is on the board", f"mod {part.ref.lower()} board")]


def marking(part: Part) -> str:
    """How the part is marked, in words; empty where that cannot be said."""
    if part.kind != "resistor" or part.value is None or part.tolerance is None:
        return ""
    try:
        return "Bands: " + ", ".join(resistor_bands(part.value, part.tolerance[1])) + "."
    except ValueError:
        return ""


__all__ = ["check_in", "judged", "marking", "offers", "strips", "tasks"]
