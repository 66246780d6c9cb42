"""Fit: one part after another in the order of work, with the checks between."""

from __future__ import annotations

from nuvlo.kit import Kit, Part, Stage, look_alikes
from nuvlo.kit.assembly import Step, board_order
from nuvlo.kit.bend import bends
from nuvlo.logbook import Build
from nuvlo.model import Task, Wants
from nuvlo.quantity import format_value

WAY_ROUND = {
    "diode": "Painted band to the printed band.",
    "transistor": "Flat to the printed flat; all three legs free before you push. Quick with the iron, one leg of each in turn.",
    "electrolytic": "Long lead to the hole marked plus; the stripe is minus.",
    "lamp": "Long lead is plus.",
}
SEATING = {
    "resistor": "Either way round. Flush on the board.",
    "capacitor": "Either way round. Flush on the board.",
    "trimmer": "It fits one way. Leave its screw where the driver can reach it, at mid travel.",
}
GATES = {
    "values": "Read each value once more off the part: {parts}.",
    "polarity": "Look only at which way round: {parts}.",
    "contact": "Touching, not merely near: {parts}. Nothing between them but what belongs there.",
    "section": "Power this section alone, current limited, and read its points before the next goes in: {parts}.",
    "joints": "Every joint shiny and wetted, no bridge, solder seen on the far side.",
    "wash": "Brush, wash, and let it dry before power.",
}


def tasks(kit: Kit, build: Build) -> list[Task]:
    """The steps of the order as tasks; fitting is ticked part by part."""
    out = []
    for step in board_order(kit, build.school):
        if step.stage != "fit":
            continue
        if step.verb == "fit":
            out += [_fit(kit.parts[ref], build, step, _more(kit, ref)) for ref in step.parts]
        else:
            names = ", ".join(step.parts)
            detail = GATES.get(step.gate or "", step.reason + " {parts}.").format(parts=names)
            out.append(Task(f"fit.{step.n}", Stage.FIT, Wants.STEP, step.action, detail, parts=step.parts))
    return out


def _more(kit: Kit, ref: str) -> str:
    """How to bend its leads, and what it is mistaken for."""
    mine = [lead for lead in bends(kit) if lead.ref == ref]
    ways = ", ".join(f"leg {lead.pin} to {lead.clock}" for lead in mine)
    said = [f"Bend on the solder side: {ways} o'clock."] if mine else []
    said += [
        f"Mind leg {lead.pin}: {lead.near} is only {lead.clearance_mm:.1f}\u202fmm away." for lead in mine if lead.tight
    ]
    return "\n".join(w for w in (*said, look_alikes.warning(kit, ref)) if w)


def _fit(part: Part, build: Build, step: Step, warning: str) -> Task:
    measured = build.part_value(part.ref)
    value = build.chosen_values.get(part.ref, part.text)
    known = f", measured {measured}" if measured else ""
    shown = (
        format_value(part.value, part.unit) if part.value is not None and part.ref not in build.chosen_values else value
    )
    way = WAY_ROUND.get(part.kind) if part.polarised else SEATING.get(part.kind, "")
    return Task(
        f"fit.{step.n}.{part.ref}", Stage.FIT, Wants.STEP, f"Fit {part.ref}: {shown}", 
        f"{part.kind.capitalize()}{known}. {way}".strip() + (f"\n{warning}" if warning else ""),
        part.ref, parts=(part.ref,),
    )  # fmt: skip
