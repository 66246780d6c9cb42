"""A manual's own order of work, entered line by line and checked: which of its steps block or endanger later ones.

A line is a verb and what it is done to: ``fit R1-R6, C1``, ``check values R1-R6``, ``solder all``, ``test Supply``, ``wash``.
``all`` is everything the kit has; ``rest`` what that verb was not used on yet. ``#`` begins a remark.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from nuvlo.craft.order import plan_of
from nuvlo.craft.plan import Event, Plan
from nuvlo.craft.precedence import broken, precedences
from nuvlo.files.parts_list.references import references
from nuvlo.kit.kit import Kit
from nuvlo.problems import NuvloError, Problem

VERBS = {
    "fit": "fit", "insert": "fit", "place": "fit", "solder": "solder", "values": "values", "polarity": "polarity", "contact": "contact",
    "insulate": "insulate", "screw": "screw", "bolt": "bolt", "plug": "plug", "mount": "mount", "delicate": "delicate",
    "battery": "battery", "knob": "knob", "knobs": "knob",
}  # fmt: skip
WHOLE = {
    "joints": "joints", "wash": "wash", "bake": "bake", "snap": "snap", "panel": "panel", "power": "power", "recheck": "recheck",
    "close": "close", "posts": "posts", "wires": "leads", "leads": "leads", "wire": "wire", "tighten": "tighten", "set": "set", "look": "look",
    "heaters": "heaters",
}  # fmt: skip


# Rules about what few manuals speak of, and the verbs of which one shows that this one does.
SELDOM = {
    "tighten": ("tighten",), "wired": ("wire",), "set": ("set",), "look": ("look",), "delicate": ("delicate",),
    "last": ("battery", "knob"), "tags": ("tighten",), "heaters": ("heaters",), "bolt": ("bolt",),
}  # fmt: skip


@dataclass(frozen=True)
class Fault:
    """One thing wrong with an order: the ``line`` in which it shows, what is wrong there, and why it matters."""

    line: int
    words: str
    reason: str
    rule: str


def faults(kit: Kit, text: str, name: str = "order") -> list[Fault]:
    """What a manual's order does too early, too late or never, each with the reason. Empty where it keeps to every rule.

    Raises :class:`NuvloError` with every line that cannot be read.
    """
    order, lines = read_order(kit, text, name)
    fitted = [ref for verb, ref in order if verb == "fit"]
    plan = plan_of(kit)
    known = [r for r in dict.fromkeys(fitted) if r in plan.fitted]
    # A part for itself: the manual's own groups decide what is looked at together.
    alone = Plan(
        kit,
        tuple((ref,) for ref in known),
        plan.plugged,
        tuple(dict.fromkeys(s for verb, s in order if verb == "test")),
        # Few manuals speak of wires: what is not said is not held against them.
        wires=kit.wire_ends if {("posts", ""), ("leads", "")} & set(order) else (),
        posts=("leads", "") not in order,
    )
    out = []
    # Nor what it leaves to the hand that wires, tightens and trims.
    verbs = {verb for verb, _ in order}
    unsaid = [rule for rule, named in SELDOM.items() if not verbs & set(named)]
    for wrong in broken(order, precedences(alone, unsaid)):
        at = lines[order.index(wrong.after)]
        never = wrong.before not in order
        words = f"{_words(wrong.after)} {'without' if never else 'before'} {_words(wrong.before, doing=True)}"
        out.append(Fault(at, words, wrong.reason, wrong.rule))
    missing = [r for r in plan.fitted if ("fit", r) not in order]
    if missing:
        out.append(Fault(0, f"{', '.join(missing)} never fitted", "The order leaves them out.", "complete"))
    return _together(out)


def _together(found: Sequence[Fault]) -> list[Fault]:
    """Faults of one line for one reason, said once with how many there are."""
    out: dict[tuple[int, str, str], list[Fault]] = {}
    for fault in found:
        out.setdefault((fault.line, fault.rule, fault.reason), []).append(fault)
    return [
        Fault(
            f[0].line, f[0].words + (f", and {len(f) - 1} more like it" if len(f) > 1 else ""), f[0].reason, f[0].rule
        )
        for f in out.values()
    ]


def _words(event: Event, *, doing: bool = False) -> str:
    verb, ref = event
    said = {
        "fit": "fitted", "solder": "soldered", "values": "the check of its value", "polarity": "the check of which way round it is",
        "contact": "the check that it touches", "insulate": "its insulation", "screw": "screwed down", "test": "tested",
        "joints": "the joints looked over", "wash": "washed", "bake": "dried", "snap": "boards snapped", "panel": "the panel on",
        "mount": "mounted", "power": "first power", "plug": "plugged in", "recheck": "the readings repeated", "close": "closed", "posts": "posts", "leads": "the wires in",
        "wire": "wired up", "tighten": "tightened", "set": "the trimmers set", "look": "the last joints looked over", "delicate": "mounted",
        "battery": "put in", "bolt": "screwed down for good", "heaters": "the heater wires in", "knob": "put on",
    }[verb]  # fmt: skip
    if doing and verb in ("values", "polarity", "contact", "insulate"):
        return said
    return f"{ref} {said}".strip()


def read_order(kit: Kit, text: str, name: str = "order") -> tuple[list[Event], list[int]]:
    """Events of an order, and the line of each. Raises :class:`NuvloError` with every line that cannot be read."""
    order: list[Event] = []
    lines: list[int] = []
    problems: list[Problem] = []
    for number, raw in enumerate(text.splitlines(), 1):
        line = raw.partition("#")[0].strip()
        if not line:
            continue
        try:
            found = _line(kit, line, order)
        except NuvloError as bad:
            problems += [Problem(p.message, p.remedy, name, number, 1) for p in bad.problems]
            continue
        order += found
        lines += [number] * len(found)
    if problems:
        raise NuvloError(problems)
    return order, lines


def _line(kit: Kit, line: str, before: Iterable[Event]) -> list[Event]:
    words = re.sub(r"^(?:\d+[.)]?\s+)?(?:(?:check|look at|and)\s+)?", "", line, flags=re.IGNORECASE).split(None, 1)
    verb, rest = words[0].lower().rstrip(":"), words[1] if len(words) > 1 else ""
    if verb in WHOLE:
        return [(WHOLE[verb], "")]
    if verb == "test":
        section = next((p.section for p in kit.parts.values() if p.section and p.section.lower() == rest.lower()), None)
        if section is None:
            known = ", ".join(dict.fromkeys(p.section for p in kit.parts.values() if p.section)) or "none"
            raise NuvloError(Problem(f"there is no section '{rest}'.", f"Sections: {known}."))
        return [("test", section)]
    if verb not in VERBS:
        raise NuvloError(
            Problem(f"'{verb}' is not a step that is known here.", f"Verbs: {', '.join([*VERBS, 'test', *WHOLE])}.")
        )
    verb = VERBS[verb]
    every = [p.ref for p in kit.parts.values() if (p.on_board or verb in ("plug", "mount"))]
    if rest.lower() in ("all", "rest", ""):
        used = {ref for v, ref in before if v == verb} if rest.lower() == "rest" else set()
        loose = {ref for v, ref in before if v == "fit"}
        return [(verb, r) for r in every if r not in used and (verb == "fit" or not loose or r in loose)]
    refs = list(references(rest)) or re.split(r"[,;\s]+", rest)
    unknown = [r for r in refs if kit.find_part(r) is None]
    if unknown:
        raise NuvloError(Problem(f"there is no part '{unknown[0]}' in {kit.name}.", "Check the reference."))
    return [(verb, kit.part(r).ref) for r in refs]
