"""What the groups of an order of work are called, and why each is fitted when it is."""

from __future__ import annotations

from collections.abc import Sequence

from nuvlo.craft.plan import Plan
from nuvlo.kit.kinds import kind_of, plural_of
from nuvlo.kit.parts import Part

ON_TAGS = "A lead goes round each tag, short and without touching its neighbour, and is soldered when all of that tag are on it."
ALL = "all that lies on the board"
FACING = ("potentiometer", "jack", "switch", "lamp", "socket")  # kinds that show on a panel


def mounted(plan: Plan, refs: Sequence[str]) -> str:
    kinds = {plan.part(r).kind for r in refs}
    if "driver" in kinds:
        return "the drivers" if kinds == {"driver"} else "the drivers, and what else goes into the cabinet"
    if kinds <= set(FACING):
        return "the panel parts, finger-tight"
    if len(kinds) == 1:
        return f"the {plural_of(kinds.pop())}"
    return "what goes on the chassis, finger-tight" if kinds & set(FACING) else "what goes into the case"


def mount_reason(plan: Plan, refs: Sequence[str]) -> str:
    kinds = {plan.part(r).kind for r in refs}
    if "driver" in kinds:
        return "Drivers go into their openings on their gaskets, terminals where the wires reach, screws crosswise."
    named = [words for words, some in (("pots", "potentiometer"), ("jacks", "jack"), ("switches", "switch"), ("lamps", "lamp")) if some in kinds]
    if len(named) < 2:
        return "All is in its place before anything holds it."
    return f"{', '.join(named[:-1]).capitalize()} and {named[-1]} line up with the panel before anything holds them."


def names_of(plan: Plan) -> list[str]:
    """What each group is called; a kind that comes again is called by its references."""
    out: list[str] = []
    batch = 0
    within = [{plan.part(r).section for r in refs} for refs in plan.groups if refs[0] not in plan.late]
    by_section = bool(plan.tested) or (all(len(s) == 1 for s in within) and len(set().union(*within)) > 1)
    for refs in plan.groups:
        kinds = {plan.part(r).kind for r in refs}
        section = f" of {plan.part(refs[0]).section}" if by_section and plan.part(refs[0]).section else ""
        if plan.part(refs[0]).through_panel:
            name = "what stands through the panel"
        elif refs[0] in plan.on_tags:
            what = f"the {_plural([plan.part(r) for r in refs])}" if len(kinds) == 1 else "what hangs"
            name = f"{what} on the tags of {plan.on_tags[refs[0]]}"
        elif len(kinds) == 1:
            plural = _plural([plan.part(r) for r in refs])
            name = f"the {plural}{section if plural != plan.part(refs[0]).section.lower() else ''}"
            name = name if name not in out else ", ".join(refs) if len(refs) < 3 else name.replace("the ", "the other ", 1)
        elif section:
            name = f"the parts{section}"
            name = name if name not in out else f"the other parts{section}"
        else:
            batch += 1
            name = f"batch {batch}"
        out.append(name)
    if batch != 1:
        return out
    # One batch only is no batch.
    alone = len(plan.groups[out.index("batch 1")]) == len(plan.boarded)
    return [(ALL if alone else "the other parts" if k else "the first parts") if n == "batch 1" else n for k, n in enumerate(out)]


def _plural(parts: Sequence[Part]) -> str:
    """What parts of one kind are called together: discs are no film capacitors."""
    discs = [p.package.startswith("disc") for p in parts]
    if parts[0].kind == "capacitor" and any(discs):
        return "disc capacitors" if all(discs) else "small capacitors"
    return plural_of(parts[0].kind)


def fit_reason(
    plan: Plan, refs: Sequence[str], before: Sequence[Part], own: Sequence[str], because: Sequence[str]
) -> str:
    parts = [plan.part(r) for r in refs]
    first = parts[0]
    if len({p.kind for p in parts}) > 1:
        if first.ref in plan.on_tags:
            return ON_TAGS
        return "Taken together, so the board is turned over once." if before else "The lowest parts go in first."
    if plan.manual and kind_of(first.kind).early:
        return "As the manual has it: what must sit right goes on a bare board. Mind the heat of every joint after."
    if first.ref in plan.on_tags:
        return ON_TAGS
    if first.through_panel:
        return "Placed, not soldered, until the panel holds them."
    if own and before:
        return own[0]
    if not before:
        return f"{'It lies' if len(refs) == 1 else 'They lie'} lowest: the board stays flat when it is turned over."
    if first.section and first.section != before[0].section and plan.tested:
        return f"The next section, the lowest first: {first.section}."
    taller, last, others = first.stands_mm, before[0].stands_mm, _plural(before)
    it, s = ("it", "s") if len(refs) == 1 else ("they", "")
    if first.heat_sensitive and taller < last:
        return f"{it.capitalize()} mind{s} heat, so {it} come{s} after the {others} although {it} stand{s} lower."
    if taller >= last:
        known = first.height_mm is not None and before[0].height_mm is not None
        them = "it" if len(refs) == 1 else "them"
        if taller == last:
            return f"{it.capitalize()} stand{s} as high as the {others} before {them}."
        return f"{it.capitalize()} {'' if known else 'usually '}stand{s} {taller:g} mm, the {others} before {them} {last:g} mm."
    return because[0] if because else "The lowest of what is left."
