"""Fit: cabinet work, one part after another in the order of work, and the checks between."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from nuvlo.craft import look_alikes
from nuvlo.craft.bend import bends
from nuvlo.craft.joints import rings
from nuvlo.craft.order import Step, board_order
from nuvlo.kit import Kit, Part, Stage
from nuvlo.kit.kinds import kind_of
from nuvlo.kit.step_id import StepId, craft_step, fit_step
from nuvlo.logbook import Build
from nuvlo.stages import cabinet, discharge
from nuvlo.stages.fit.joints import open_marks
from nuvlo.stages.fit.seating import handling, iron, seating, way_round
from nuvlo.stages.holds import craft_holds
from nuvlo.stages.task import Finding, Shown, Task, Wants

MANY_HEATS = 3  # after which a pad may lift (common practice, no source)
GATES = {
    "values": "Read each once more off the part itself: {parts}.",
    "polarity": "Look only at which way round: {parts}.",
    "contact": "Touching, not merely near: {parts}. Nothing between them but what belongs there.",
    "section": "Power what is there, current limited, and read it before the next section goes in. {reason}",
    "wash": "Brush, wash, and let it dry before power.",
}


def tasks(kit: Kit, build: Build) -> list[Task]:
    """Cabinet work and the steps of the order as tasks; fitting is ticked part by part, joints ring by ring."""
    later, mine = _following(kit, "mount"), [c for c in kit.info.craft if c.stage is Stage.FIT]
    before = [cabinet.task(kit, build, one) for one in mine if one.id not in later]
    board: list[Task] = []
    for step in board_order(kit, build.school):
        if step.stage is not Stage.FIT:
            continue
        if step.verb == "fit":
            board += [_fit(kit, kit.parts[ref], build, step) for ref in step.parts]
        elif step.verb == "joints":
            board += _joints(kit, build, step)
        else:
            board.append(_plain(kit, build, step))
    every = before + board + [cabinet.task(kit, build, one) for one in mine if one.id in later]
    # A hand goes in again where something is open that was closed before: rework, a part that came late.
    inside = any(t.done is False or (t.done is None and t.id not in build.done) for t in every)
    return (discharge.tasks(kit, build, Stage.FIT) if inside else []) + every


def shown(found: Callable[[Stage], Sequence[Finding]], now: Finding | None) -> Shown:
    """What the parts in hand measured when they were unpacked."""
    parts = now.task.parts if now else ()
    return Shown("Measured at unpacking", tuple(f for f in found(Stage.UNPACK) if f.reading and f.task.target in parts))


def reopened(kit: Kit, build: Build, refs: tuple[str, ...], off: bool) -> tuple[StepId, ...]:
    """Steps that no longer hold once parts were taken ``off``, or only re-heated."""
    out: list[StepId] = []
    for step in board_order(kit, build.school):
        mine = [r for r in step.parts if r in refs]
        if step.verb == "joints":
            out += [step.ring_id(k) for k, ring in enumerate(rings(kit, step.parts), 1) if set(ring) & set(refs)]
        elif step.verb in ("wash", "bake", "recheck", "close"):
            out.append(step.id)
        elif mine and off:
            out += [fit_step(r) for r in mine] if step.verb == "fit" else [step.id]
    return tuple(s for s in out if s in build.done)


def _following(kit: Kit, verb: str) -> set[str]:
    """Cabinet work that comes after a step of the order, near or far."""
    found: set[str] = set()
    for _ in kit.info.craft:
        found |= {c.id for c in kit.info.craft if verb in c.after or found & set(c.after)}
    return found


def _plain(kit: Kit, build: Build, step: Step) -> Task:
    names = ", ".join(step.parts)
    if step.verb == "heaters":
        names = "; ".join(f"wire {w.name}, {w.start} to {w.end}" for w in kit.ringing.heaters)
    if step.verb == "leads":
        names = "; ".join(wire for pad in step.parts for wire in _wires(kit, pad))
    detail = GATES.get(step.gate or "", step.reason + (" {parts}." if names else "")).format(parts=names, reason=step.reason)
    if step.verb == "solder":
        detail = f"{names}.\n{iron([kit.parts[r] for r in step.parts])}"
        often = [f"{r} ({build.heats[r]} times)" for r in step.parts if build.heats.get(r, 0) >= MANY_HEATS]
        detail += f"\nHeated often already: {', '.join(often)}; pads lift." if often else ""
    holding = [c for c in kit.info.craft if step.verb in c.holds_up]
    missing = [c.title for c in holding if craft_step(c.id) not in build.done]
    return Task(
        step.id, Stage.FIT, Wants.STEP, step.action, detail, parts=step.parts, awaits="; ".join(missing),
        holds=craft_holds(kit, build, [c.id for c in holding]),
    )  # fmt: skip


def _wires(kit: Kit, pad: str) -> list[str]:
    """The wires that begin at a pad, with what is known of them: ``W1 (white, 60 mm, to J1.tip)``."""
    out = []
    for wire in kit.wires:
        if pad in wire.ends:
            far = wire.end if wire.start == pad else wire.start
            known = [wire.colour, f"{wire.length_mm:g}\u202fmm" if wire.length_mm else "", f"to {far}"]
            out.append(f"{pad} ({', '.join(k for k in known if k)})")
    return out or [pad]


def _joints(kit: Kit, build: Build, step: Step) -> list[Task]:
    """The look over the solder side, from the outside in; a joint marked bad stops it until it is re-flowed."""
    found = rings(kit, step.parts)
    out = []
    for k, ring in enumerate(found, 1):
        wrong = open_marks(build.joints, ring)
        detail = f"Every joint shiny and wetted, no bridge, solder seen on the far side: {', '.join(ring)}.\n"
        detail += "One that is not: 'joint r4.1 dull', 'bridge' or 'missing'; put right: 'joint r4.1 reflowed'."
        title = f"{step.action}, {k} of {len(found)} from the edge in"
        out.append(Task(step.ring_id(k), Stage.FIT, Wants.STEP, title, detail, parts=ring, wrong="; ".join(wrong)))
    return out


def _more(kit: Kit, ref: str) -> str:
    """How to bend its leads, and what it is mistaken for."""
    mine = [lead for lead in bends(kit) if lead.ref == ref]
    ways = ", ".join(f"leg {lead.pin} to {lead.clock}" for lead in mine)
    said = [f"Bend on the solder side: {ways} o'clock."] if mine else []
    said += [
        f"Mind leg {lead.pin}: {lead.near} is only {lead.clearance_mm:.1f}\u202fmm away." for lead in mine if lead.tight
    ]
    return "\n".join(w for w in (*said, look_alikes.warning(kit, ref) or kind_of(kit.parts[ref].kind).mistake) if w)


def _fit(kit: Kit, part: Part, build: Build, step: Step) -> Task:
    measured = build.part_value(part.ref)
    known = f", measured {measured}" if measured else ""
    shown = part.said(build.chosen_values.get(part.ref))
    words = [
        f"{part.kind.capitalize()}{known}. {way_round(part)} {seating(kit, part)}".strip(),
        handling(part),
        _more(kit, part.ref),
    ]
    return Task(
        fit_step(part.ref), Stage.FIT, Wants.STEP, f"Fit {part.ref}: {shown}", "\n".join(w for w in words if w), part.ref,
        parts=(part.ref,),
    )  # fmt: skip
