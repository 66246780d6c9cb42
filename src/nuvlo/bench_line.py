"""The grammar of the bench line: one short line of text → one command, with what was understood said back.

``r4 99.2k`` a measured part, ``tp3 4.48`` a reading, ``4.48`` whatever is asked for now, ``r4 missing``, ``choose 220n``,
``turn 30`` or ``turn -12``, ``note lid scratched``, ``next``, ``undo`` and so on.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from math import isclose

from nuvlo.instruments import typed_reading
from nuvlo.kit import Kit, Part, Stage
from nuvlo.kit.schools import side
from nuvlo.kit.tray import TRAY_ORDERS
from nuvlo.model import Task, Wants
from nuvlo.problems import NuvloError, Problem
from nuvlo.quantity import Measured, UnreadableValue, parse_value
from nuvlo.stages.fit.joints import BAD, GOOD, joint_named

MOST_DEGREES = 36_000.0  # in one entry: a hundred turns
MARKS = ("missing", "wrong", "reversed", "doubtful", "swapped", "posted")
PLAIN = {
    "next": "done, go on", "back": "look at the step before", "undo": "take the last entry back",
    "redo": "put it in again", "read": "read the instrument that is connected", "sweep": "play and record the sweep",
    "confirm": "confirm the caution", "sheet": "write the sheet", "letter": "write to the seller what is wrong",
    "shopping": "write what is still to be bought", "begin": "the glue is spread: start its clock", "review": "write the sheet on which someone else looks over the joints",
    "drawer": "choose only from the drawer, or from all values again", "match": "say which measured part goes where, so that pairs agree", "large": "large mode on or off",
    "daylight": "light colours", "lamp": "dark colours", "side": "turn the board over", "help": "list the commands",
}  # fmt: skip
WITH_TEXT = {
    "note": "keep a note", "accept": "accept this reading as it is, with a reason",
    "what": "say what these bands or this code can be", "reads": "say which parts that reading fits",
    "recipe": "work out a recipe; alone it lists them", "compare": "the kit and a changed one side by side", "import": "read a parts list",
    "zoom": "look nearer: zoom 2, zoom fit", "rotate": "turn the map: rotate 90", "net": "light every pad of a net: net vcc, net off",
    "picture": "lay a picture of the board beneath the map, by two clicks; picture off takes it away",
    "photo": "keep a picture with this step: photo joints.jpg left edge", "variant": "build a named variant of the kit", "calendar": "when to do what, in your free evenings", "manual": "check a manual's own order of work: manual FILE", "both": "where builders disagree, with both sides",
    "column": "take a column of the list for something else", "take": "make a kit of the list and begin a build",
}  # fmt: skip
NEEDS_WORDS = {
    "note": ("a note needs words.", "For example: note lid scratched."),
    "manual": ("which file?", "For example: manual order.txt, with a line for each step."), "photo": ("which file?", "For example: photo joints.jpg left edge."), "variant": ("which variant?", "'compare' lists them."),
    "reads": ("what does the meter show?", "For example: reads 99.4k."),
    "import": ("which file?", "For example: import parts.csv."),
    "column": ("which column is what?", "For example: column Marking note."),
}  # fmt: skip
SHORT = {"n": "next", "b": "back", "u": "undo", "ok": "next", "measure": "read", "export": "sheet"}


class NotUnderstood(NuvloError):
    """The line makes no command; says why in one sentence."""


@dataclass(frozen=True)
class Command:
    """``verb`` with what it needs. ``echo`` says in plain words what will happen."""

    verb: str
    echo: str
    target: str = ""
    text: str = ""
    value: Measured | None = None
    degrees: float = 0.0
    quantity: str = ""


def names(kit: Kit) -> list[str]:
    """Everything a line may start with, for completion."""
    lugs = [end for w in kit.wires for end in (w.start, w.end)]
    points = [p.name for p in kit.info.point]
    words = [
        *PLAIN,
        *WITH_TEXT,
        "choose",
        "turn",
        "find",
        "instead",
        "tray",
        "school",
        "mod",
        "tonight",
        "joint",
        "rework",
        "stage",
        "current",
        "leads",
        "gain",
    ]
    return list(dict.fromkeys([*kit.parts, *points, *lugs, *words]))


def understand(line: str, kit: Kit, now: Task | None, stage: Stage) -> Command:
    """The command that ``line`` stands for while ``now`` is asked for. Raises :class:`NotUnderstood`."""
    words = line.strip().split()
    if not words:
        raise NotUnderstood(Problem("nothing is typed yet.", "Try 'help'."))
    head = words[0].lower()
    head = SHORT.get(head, head)
    rest = line.strip()[len(words[0]) :].strip()
    if head in PLAIN and not rest:
        return Command(head, PLAIN[head])
    if head in WITH_TEXT:
        if head in NEEDS_WORDS and not rest:
            raise NotUnderstood(Problem(*NEEDS_WORDS[head]))
        return Command(head, WITH_TEXT[head], text=rest)
    if head == "choose":
        return _choose(rest, kit, now)
    if head in ("turn", "turned"):
        return _turn(rest, kit, now)
    if head == "stage":
        return _stage(rest)
    if head == "find":
        return _find(rest, kit)
    if head == "school":
        try:
            question, taken = side(rest)
        except NuvloError as bad:
            raise NotUnderstood(bad.problems) from bad
        return Command("school", f"{question.title.lower()}: {taken.name}", text=taken.name)
    if head == "joint":
        return _joint(rest, kit)
    if head == "rework":
        return _rework(rest, kit)
    if head == "tonight":
        return _tonight(rest)
    if head == "mod":
        return _mod(rest, kit)
    if head == "tray":
        if rest.lower() not in TRAY_ORDERS:
            raise NotUnderstood(Problem(f"'{rest}' is no order of the tray.", f"Orders: {', '.join(TRAY_ORDERS)}."))
        return Command("tray", f"lay the tray out by {rest.lower()}", text=rest.lower())
    if head == "instead":
        found = _find(rest, kit)
        return Command("instead", f"look in the drawer for {found.target}", found.target)
    return _named(words[0], rest, kit, now, stage)


def _joint(rest: str, kit: Kit) -> Command:
    """``joint r4.1 dull``."""
    name, _, mark = rest.partition(" ")
    joint = joint_named(kit, name)
    if joint is None:
        raise NotUnderstood(Problem(f"there is no joint '{name}'.", "Write a part and its pin, as in joint r4.1 dull."))
    if mark.lower() not in (*BAD, GOOD):
        raise NotUnderstood(Problem(f"'{mark}' is no mark of a joint.", f"Marks: {', '.join((*BAD, GOOD))}."))
    return Command("joint", f"{joint} is {mark.lower()}", joint, mark.lower())


def _rework(rest: str, kit: Kit) -> Command:
    """``rework r4 off because …``, ``rework 10k off`` for every part of that value, ``rework r4 hot``."""
    name, _, how = rest.partition(" ")
    part = kit.find_part(name)
    refs = [part.ref] if part else [p.ref for p in kit.parts.values() if p.on_board and _has_value(p, name)]
    if not refs:
        raise NotUnderstood(
            Problem(f"there is no part and no value '{name}'.", "For example: rework r4 off, rework 10k off.")
        )
    what = how.partition(" because ")[0].strip().lower() or "off"
    if what not in ("off", "hot"):
        raise NotUnderstood(Problem(f"'{how}' is no rework.", "A part is taken 'off', or its joints were 'hot' again."))
    _, _, why = how.partition(" because ")
    text = f"{what} because {why}" if why else what
    return Command(
        "rework", f"{', '.join(refs)} {'taken off' if what == 'off' else 'heated again'}", " ".join(refs), text
    )


def _has_value(part: Part, text: str) -> bool:
    """Whether ``text`` names the part's value, however it is written, or its type."""
    if part.value is None:
        return text.lower() == part.text.lower()
    try:
        return isclose(parse_value(text, part.unit), part.value, rel_tol=1e-6)
    except UnreadableValue:
        return False


def _tonight(rest: str) -> Command:
    """``tonight 40``: in minutes."""
    found = re.match(r"(\d+)", rest)
    if found is None:
        raise NotUnderstood(Problem("how many minutes are there?", "For example: tonight 40."))
    return Command("tonight", f"say what fits in {found[1]} minutes", text=found[1])


def _mod(rest: str, kit: Kit) -> Command:
    """``mod r9 100k because …``; the name of a supply may have spaces, so the longest name that fits is taken."""
    if not rest:
        return Command("mod", "list what was changed")
    known = sorted([*kit.parts, *(s.name for s in kit.info.supply)], key=len, reverse=True)
    name = next((n for n in known if rest.lower().startswith(n.lower() + " ")), None)
    if name is None:
        raise NotUnderstood(
            Problem(f"'{rest}' changes nothing.", "Write mod r9 100k because …, with a part or supply of this kit.")
        )
    to = rest[len(name) :].strip()
    return Command("mod", f"{name} becomes {to}", name, to)


def _stage(rest: str) -> Command:
    wanted = rest.lower().replace(" ", "_").replace("-", "_")
    found = [s for s in Stage if wanted and s.value.startswith(wanted)]
    if not found:
        stages = ", ".join(s.label.lower() for s in Stage)
        raise NotUnderstood(Problem(f"there is no stage '{rest}'.", f"Stages: {stages}."))
    return Command("stage", f"go to {found[0].label}", found[0].value)


def _find(rest: str, kit: Kit) -> Command:
    part = kit.find_part(rest)
    if part is None:
        raise NotUnderstood(Problem(f"there is no '{rest}' in this kit.", _nearest(rest, list(kit.parts))))
    return Command("find", f"show {part.ref}", part.ref)


def _choose(rest: str, kit: Kit, now: Task | None) -> Command:
    choices = kit.info.choice
    here = next((c for c in choices if now and c.id == now.target), None)
    if here is None:  # not asked for now: the choice that has this option, or the first that has any
        named = [c for c in choices if any(o.value.lower() == rest.lower() for o in c.options)]
        here = next(iter([*named, *(c for c in choices if c.options), *choices]), None)
    if here is None:
        raise NotUnderstood(Problem("there is nothing to choose now.", "Go to it with 'stage choose'."))
    if here.move:
        if rest.lower() in ("", "printed", "0"):
            return Command("choose", "keep what is printed", here.id, "printed")
        if rest.isdigit():
            return Command("choose", f"fit set {rest}", here.id, rest)
        raise NotUnderstood(
            Problem(f"'{rest}' is no set of values.", "Type the number of one that is shown, or 'choose printed'.")
        )
    for number, option in enumerate(here.options, 1):
        if rest.lower() in (option.value.lower(), str(number)):
            return Command("choose", f"fit {option.value} as {here.part}", here.id, option.value)
    options = ", ".join(o.value for o in here.options)
    raise NotUnderstood(Problem(f"'{rest}' is not an option for {here.part}.", f"Options: {options}."))


def _turn(rest: str, kit: Kit, now: Task | None) -> Command:
    words = rest.split()
    controls = {c.ref.lower(): c for c in kit.info.control}
    ref = ""
    if words and words[0].lower() in controls:
        ref = controls[words.pop(0).lower()].ref
    elif now and now.wants is Wants.TURN:
        ref = now.target
    elif kit.info.trim:
        ref = kit.info.trim[0].trimmer
    if not ref or not words:
        raise NotUnderstood(Problem("say how far.", "For example: turn 30, or turn -12 for anticlockwise."))
    try:
        degrees = float(words[0].rstrip("°").replace("\u2212", "-").replace(",", "."))
    except ValueError:
        raise NotUnderstood(Problem(f"'{words[0]}' is no angle.", "For example: turn 30.")) from None
    if not abs(degrees) <= MOST_DEGREES:
        raise NotUnderstood(Problem(f"no trimmer turns by {words[0]}°.", f"At most {MOST_DEGREES:g}° at a time."))
    if len(words) > 1 and words[1].lower() in ("ccw", "left", "anticlockwise"):
        degrees = -abs(degrees)
    way = "clockwise" if degrees >= 0 else "anticlockwise"
    return Command("turn", f"{ref} turned {abs(degrees):g}° {way}", ref, degrees=degrees)


def _named(name: str, rest: str, kit: Kit, now: Task | None, stage: Stage) -> Command:
    part = kit.find_part(name)
    point = next((p for p in kit.info.point if p.name.lower() == name.lower()), None)
    lug = next((end for w in kit.wires for end in (w.start, w.end) if end.lower() == name.lower()), None)
    supply = kit.info.supply[0] if kit.info.supply and name.lower() == "current" else None
    if part and rest.lower() in MARKS:
        return Command("mark", f"{part.ref} is {rest.lower()}", part.ref, rest.lower())
    if part and not rest:
        return Command("tick", f"{part.ref} is there", part.ref)
    if part:
        if not part.unit:
            raise NotUnderstood(
                Problem(f"{part.ref} has no value to measure.", f"Type '{part.ref.lower()}' to tick it, or one of: "
                        f"{', '.join(MARKS)}.")
            )  # fmt: skip
        value = _value(rest, part.unit)
        if value.value < 0:
            raise NotUnderstood(
                Problem(f"{part.ref} cannot measure less than nothing.", f"Type what the meter shows, in {part.unit}.")
            )
        return Command("measure", f"{part.ref} measures {value}", part.ref, value=value)
    for target, quantity, unit in (
        (supply.name if supply else "", "current", "A"),
        (point.name if point else "", *_asked(now, point.name if point else "")),
        (lug or "", "resistance", "Ω"),
        ("leads" if name.lower() == "leads" else "", "resistance", "Ω"),
        ("gain" if name.lower() == "gain" and kit.info.prove else "", "gain", "dB"),
    ):
        if target:
            if not rest:
                raise NotUnderstood(Problem(f"what does {target} read?", f"Type the value after it, in {unit}."))
            value = _value(rest, unit)
            return Command("reading", f"{target} reads {value}", target, value=value, quantity=quantity)
    if now and now.wants in (Wants.MEASURE, Wants.READING) and _looks_like_value(name):
        value = _value((name + " " + rest).strip(), now.unit)
        verb = "measure" if now.wants is Wants.MEASURE else "reading"
        return Command(verb, f"{now.target} reads {value}", now.target, value=value, quantity=now.quantity)
    raise NotUnderstood(Problem(f"'{name}' is no part, point or command here.", _nearest(name, names(kit))))


def _asked(now: Task | None, point: str) -> tuple[str, str]:
    """Quantity and unit for a reading at ``point``: what is being asked for there, or volts."""
    if now and now.wants is Wants.READING and now.target == point:
        return now.quantity, now.unit
    return "voltage", "V"


def _looks_like_value(text: str) -> bool:
    return text.lower() in ("ol", "open") or bool(re.match(r"[-+\u2212]?[.,]?\d", text))


def _value(text: str, unit: str) -> Measured:
    try:
        return typed_reading(text, unit)
    except UnreadableValue as bad:
        raise NotUnderstood(bad.problems) from bad


def _nearest(text: str, known: list[str]) -> str:
    from rapidfuzz import process

    best = process.extractOne(text.lower(), {k: k.lower() for k in known}, score_cutoff=60)
    return f"Did you mean '{best[2]}'?" if best else "Type 'help' for the commands."
