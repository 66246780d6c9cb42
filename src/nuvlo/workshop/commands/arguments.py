"""What may stand behind the word of a command: typed values, and the readers that make them of what was typed.

A reader takes the text and where the builder stands, and gives the value with what it was understood as. It raises
:class:`NotUnderstood` with what is wrong and an example.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from math import isclose
from typing import Any

from nuvlo.craft import schools
from nuvlo.craft.tray import TRAY_ORDERS
from nuvlo.diagnosis.probes import TOUCH, WHOLE
from nuvlo.instruments import typed_reading
from nuvlo.kit import Kit, Part, Stage
from nuvlo.measurement import LEADS, Observable, amps_of, gain_read
from nuvlo.problems import NuvloError, Problem
from nuvlo.quantity import Measured, UnreadableValue, parse_value
from nuvlo.stages.fit.joints import BAD, GOOD, joint_named
from nuvlo.stages.task import Task, Wants
from nuvlo.words import listed

MOST_DIGITS = 6  # of the number of a line
MOST_DEGREES = 36_000.0  # in one entry: a hundred turns
MOST_REFERENCE = 0.0051  # beyond which a part tells nothing that the meter does not know (common practice, no source)
MARKS = ("missing", "wrong", "reversed", "doubtful", "swapped", "posted")
FELT = {"hot": True, "warm": True, "cool": False, "cold": False, "right": False, "fine": False}
LOOKED = {"right": False, "fine": False, "good": False, "ok": False, "wrong": True, "bad": True}
BECAUSE = re.compile(r"\s*\bbecause\b\s*", re.IGNORECASE)


class NotUnderstood(NuvloError):
    """The line makes no command; says why in one sentence."""

    @classmethod
    def because(cls, message: str, remedy: str = "") -> NotUnderstood:
        return cls(Problem(message, remedy))


@dataclass(frozen=True)
class At:
    """Where the builder stands: the kit as it is built, what is asked for, and the stage."""

    kit: Kit
    now: Task | None
    stage: Stage


@dataclass(frozen=True)
class Nothing:
    """A command that needs no more."""


@dataclass(frozen=True)
class Words:
    """Free words."""

    text: str


@dataclass(frozen=True)
class PartNamed:
    ref: str


@dataclass(frozen=True)
class PartValue:
    """A loose part and what it measures."""

    ref: str
    value: Measured


@dataclass(frozen=True)
class ReferenceShown:
    """A part known better than the meter: its value, its tolerance (a fraction), and what the meter shows of it."""

    value: float
    tolerance: float
    shown: Measured


@dataclass(frozen=True)
class PartMark:
    """A part and the state it is in."""

    ref: str
    state: str


@dataclass(frozen=True)
class PointReading:
    of: Observable
    value: Measured


@dataclass(frozen=True)
class Looked:
    """What a look at some parts showed: each of them looks wrong, or right. A look at the ``whole`` board, over it or closely, found no
    others. Or what a finger on them felt."""

    refs: tuple[str, ...]
    wrong: bool
    whole: str = ""
    quantity: str = "look"


@dataclass(frozen=True)
class Turned:
    """A trimmer and how far it was turned, degrees, clockwise positive."""

    ref: str
    degrees: float


@dataclass(frozen=True)
class StageNamed:
    stage: Stage


@dataclass(frozen=True)
class Chosen:
    """A choice and its option, the number of a set, or ``printed``."""

    choice: str
    value: str


@dataclass(frozen=True)
class SideTaken:
    question: schools.Question
    side: schools.School


@dataclass(frozen=True)
class JointSeen:
    joint: str
    mark: str


@dataclass(frozen=True)
class Reworked:
    """Parts that were taken ``off``, or only heated again."""

    refs: tuple[str, ...]
    off: bool
    why: str = ""


@dataclass(frozen=True)
class Modified:
    """A part or supply and what it becomes; no name asks what was changed."""

    name: str = ""
    to: str = ""
    why: str = ""


@dataclass(frozen=True)
class Minutes:
    minutes: float


@dataclass(frozen=True)
class PhotoNamed:
    file: str
    says: str


@dataclass(frozen=True)
class PictureLaid:
    """A picture beneath one side of the map, by where two pads are in it, px; without a file it is taken away."""

    side: str
    file: str = ""
    first: tuple[str, float, float] = ("", 0.0, 0.0)
    second: tuple[str, float, float] = ("", 0.0, 0.0)


@dataclass(frozen=True)
class ColumnMeans:
    """A column of a parts list and what it holds."""

    heading: str
    meaning: str


@dataclass(frozen=True)
class LineSays:
    """A line of a parts list and what it is to say; nothing to leave it out."""

    number: int
    text: str


Reader = Callable[[str, At], tuple[Any, str]]


def words(rest: str, at: At) -> tuple[Words, str]:
    return Words(rest), ""


def nothing(rest: str, at: At) -> tuple[Nothing, str]:
    """A word that stands alone."""
    if rest:
        raise NotUnderstood.because(f"'{rest}' is not wanted here.", "The word stands alone.")
    return Nothing(), ""


def stage(rest: str, at: At) -> tuple[StageNamed, str]:
    wanted = rest.lower().replace(" ", "_").replace("-", "_")
    found = [s for s in Stage if wanted and s.value.startswith(wanted)]
    if not found:
        known = ", ".join(s.label.lower() for s in Stage)
        raise NotUnderstood.because(f"there is no stage '{rest}'.", f"Stages: {known}.")
    return StageNamed(found[0]), f"go to {found[0].label}"


def part(rest: str, at: At) -> tuple[PartNamed, str]:
    found = at.kit.find_part(rest)
    if found is None:
        raise NotUnderstood.because(f"there is no '{rest}' in this kit.", nearest(rest, at.kit.parts))
    return PartNamed(found.ref), f"show {found.ref}"


def on_the_map(rest: str, at: At) -> tuple[PartNamed, str]:
    """A part of the kit, or a pad or test point of its board."""
    pads = {name.lower(): name for name in (at.kit.board.pads_by_ref if at.kit.board else ())}
    if at.kit.find_part(rest) is None and (ref := pads.get(rest.lower())):
        return PartNamed(ref), f"show {ref}"
    return part(rest, at)


def spare_for(rest: str, at: At) -> tuple[PartNamed, str]:
    named, _ = part(rest, at)
    return named, f"look in the drawer for {named.ref}"


def tray_order(rest: str, at: At) -> tuple[Words, str]:
    if rest.lower() not in TRAY_ORDERS:
        raise NotUnderstood.because(
            f"the tray cannot be sorted by '{rest}'.", f"Type tray and one of: {', '.join(TRAY_ORDERS)}."
        )
    return Words(rest.lower()), f"lay the tray out by {rest.lower()}"


def side_taken(rest: str, at: At) -> tuple[SideTaken, str]:
    try:
        question, taken = schools.side(rest)
    except NuvloError as bad:
        raise NotUnderstood(bad.problems) from bad
    return SideTaken(question, taken), f"{question.title.lower()}: {taken.name}"


def joint(rest: str, at: At) -> tuple[JointSeen, str]:
    """``r4.1 dull``."""
    name, _, mark = rest.partition(" ")
    found = joint_named(at.kit, name)
    if found is None:
        raise NotUnderstood.because(f"there is no joint '{name}'.", "Write a part and its pin, as in joint r4.1 dull.")
    if mark.lower() not in (*BAD, GOOD):
        raise NotUnderstood.because(f"a joint cannot be '{mark}'.", f"It is one of: {', '.join((*BAD, GOOD))}.")
    return JointSeen(found, mark.lower()), f"{found} is {mark.lower()}"


def because(text: str) -> tuple[str, str]:
    """What stands before and behind the word ``because``."""
    what, *why = BECAUSE.split(text, maxsplit=1)
    return what.strip(), why[0].strip() if why else ""


def rework(rest: str, at: At) -> tuple[Reworked, str]:
    """``r4 off because …``, ``10k off`` for every part of that value, ``r4 hot``."""
    name, _, how = rest.partition(" ")
    named = at.kit.find_part(name)
    refs = [named.ref] if named else [p.ref for p in at.kit.parts.values() if p.on_board and has_value(p, name)]
    if not refs:
        raise NotUnderstood.because(
            f"there is no part and no value '{name}'.", "For example: rework r4 off, rework 10k off."
        )
    what, why = because(how)
    if what.lower() not in ("off", "hot", ""):
        raise NotUnderstood.because(
            f"a part is not reworked '{what}'.", "It is taken 'off', or its joints were 'hot' again."
        )
    off = what.lower() != "hot"
    return Reworked(tuple(refs), off, why), f"{', '.join(refs)} {'taken off' if off else 'heated again'}"


def has_value(part: Part, text: str) -> bool:
    """Whether ``text`` names the part's value, however it is written, or its type."""
    if part.value is None:
        return text.lower() == part.text.lower()
    try:
        return isclose(parse_value(text, part.unit), part.value, rel_tol=1e-6)
    except UnreadableValue:
        return False


def minutes(rest: str, at: At) -> tuple[Minutes, str]:
    found = re.fullmatch(r"(\d{1,4})\s*(?:m|min|minutes)?", rest, re.ASCII)
    if found is None:
        raise NotUnderstood.because("how many minutes are there?", "For example: tonight 40.")
    return Minutes(float(found[1])), f"say what fits in {found[1]} minutes"


def modification(rest: str, at: At) -> tuple[Modified, str]:
    """``r9 100k because …``; the name of a supply may have spaces, so the longest name that fits is taken."""
    if not rest:
        return Modified(), "list what was changed"
    known = sorted([*at.kit.parts, *(s.name for s in at.kit.info.supply)], key=len, reverse=True)
    name = next((n for n in known if rest.lower().startswith(n.lower() + " ")), None)
    if name is None:
        raise NotUnderstood.because(
            f"'{rest.split()[0]}' is not a part or supply of this kit with a new value behind it.",
            f"For example: mod r9 100k because more bass. {nearest(rest.split()[0], known)}",
        )
    to, why = because(rest[len(name) :])
    return Modified(name, to, why), f"{name} becomes {to}"


def choice(rest: str, at: At) -> tuple[Chosen, str]:
    choices = at.kit.info.choice
    here = next((c for c in choices if at.now and c.id == at.now.target), None)
    if here is None:  # not asked for now: the choice that has this option, or the first that has any
        named = [c for c in choices if any(o.value.lower() == rest.lower() for o in c.options)]
        here = next(iter([*named, *(c for c in choices if c.options), *choices]), None)
    if here is None:
        raise NotUnderstood.because("this kit leaves nothing to choose.", "Every part is as printed.")
    if here.move:
        if rest.lower() in ("", "printed", "0"):
            return Chosen(here.id, "printed"), "keep what is printed"
        if rest.isdecimal():
            return Chosen(here.id, rest), f"fit set {rest}"
        raise NotUnderstood.because(
            f"'{rest}' is not a set of values.", "Type the number of one that is shown, or 'choose printed'."
        )
    for number, option in enumerate(here.options, 1):
        if rest.lower() in (option.value.lower(), str(number)):
            return Chosen(here.id, option.value), f"fit {option.value} as {here.part}"
    options = ", ".join(o.value for o in here.options)
    raise NotUnderstood.because(f"'{rest}' is not an option for {here.part}.", f"Options: {options}.")


def turn(rest: str, at: At) -> tuple[Turned, str]:
    said = rest.split()
    controls = {c.ref.lower(): c for c in at.kit.info.control}
    ref = ""
    if said and said[0].lower() in controls:
        ref = controls[said.pop(0).lower()].ref
    elif at.now and at.now.wants is Wants.TURN:
        ref = at.now.target
    elif at.kit.info.trim:
        ref = at.kit.info.trim[0].trimmer
    if not ref or not said:
        raise NotUnderstood.because("say how far.", "For example: turn 30, or turn -12 for anticlockwise.")
    try:
        degrees = float(said[0].rstrip("°").replace("\u2212", "-").replace(",", "."))
    except ValueError:
        raise NotUnderstood.because(f"'{said[0]}' is not an angle.", "For example: turn 30.") from None
    if not abs(degrees) <= MOST_DEGREES:
        raise NotUnderstood.because(f"no trimmer turns by {said[0]}°.", f"At most {MOST_DEGREES:g}° at a time.")
    if len(said) > 1 and said[1].lower() in ("ccw", "left", "anticlockwise"):
        degrees = -abs(degrees)
    way = "clockwise" if degrees >= 0 else "anticlockwise"
    return Turned(ref, degrees), f"{ref} turned {abs(degrees):g}° {way}"


def _sensed(rest: str, at: At, quantity: str) -> tuple[tuple[str, ...], bool, str]:
    """The parts that are spoken of, whether all of them are known, and what is said of them: those asked for where none is named."""
    *names, said = rest.replace(",", " ").split() or [""]
    parts = [at.kit.find_part(name) for name in names if name.lower() != "and"]
    refs = tuple(part.ref for part in parts if part)
    if not names and at.now and at.now.wants is Wants.LOOK and at.now.quantity == quantity:
        refs = at.now.parts
    return refs, None not in parts, said.lower()


def touch(rest: str, at: At) -> tuple[Looked, str]:
    """``hot`` or ``cool``, of what is to be touched; ``u1 hot`` of another part, ``u1 u2 cool`` of several."""
    refs, known, said = _sensed(rest, at, TOUCH)
    if not refs or not known or said not in FELT:
        raise NotUnderstood.because("a finger is laid on a part, and it is hot or cool.", "For example: touch q1 hot.")
    if FELT[said] and len(refs) > 1 and len(rest.split()) == 1:
        raise NotUnderstood.because(f"which of {listed(refs)} is hot?", f"For example: touch {refs[0].lower()} hot.")
    return Looked(refs, FELT[said], quantity=TOUCH), feels(refs, FELT[said])


def feels(refs: Sequence[str], hot: bool) -> str:
    """What a finger on them felt, in words."""
    return f"{listed(refs)} {'is' if len(refs) == 1 else 'are'} {'hot' if hot else 'no hotter than it should be' if len(refs) == 1 else 'no hotter than they should be'}"


def look(rest: str, at: At) -> tuple[Looked, str]:
    """``wrong`` or ``right``, of what is to be looked at; ``r4 wrong`` of another part, ``r4 r5 right`` of several."""
    refs, known, said = _sensed(rest, at, "look")
    names = len(rest.split()) > 1
    over = at.now.quantity if at.now is not None and at.now.quantity in WHOLE else ""
    if not (refs or (over and not names)) or not known or said not in LOOKED:
        raise NotUnderstood.because("a look is at a part, and it looks right or wrong.", "For example: look r4 wrong.")
    wrong = LOOKED[said]
    if over and not names:
        if wrong:
            raise NotUnderstood.because("which part looks wrong?", f"For example: look {next(iter(at.kit.parts), 'R4').lower()} wrong.")
        return Looked((), False, over), "the whole board looks right"
    if wrong and not names and len(refs) > 1:
        raise NotUnderstood.because(f"which of {listed(refs)} looks wrong?", f"For example: look {refs[0].lower()} wrong.")
    return Looked(refs, wrong, over if wrong else ""), looks(refs, wrong)


def looks(refs: Sequence[str], wrong: bool) -> str:
    """What a look at them showed, in words."""
    return f"{listed(refs)} look{'s' if len(refs) == 1 else ''} {'wrong' if wrong else 'right'}"


def current(rest: str, at: At) -> tuple[PointReading, str]:
    """``2.3m`` of the supply that is asked for or the only one; ``+12 V 20m`` of a named one."""
    supplies = {s.name.lower(): s.name for s in at.kit.info.supply}
    named = next((n for n in sorted(supplies, key=len, reverse=True) if rest.lower().startswith(n)), None)
    asked = at.now.of if at.now and at.now.quantity == "current" else None
    if named is not None and rest[len(named) :].strip():
        return point_reading(amps_of(supplies[named]), rest[len(named) :].strip(), "A")
    if not supplies:
        raise NotUnderstood.because("this kit names no supply.", "Add one to kit.toml.")
    of = asked or (amps_of(next(iter(supplies.values()))) if len(supplies) == 1 else None)
    if of is None:
        raise NotUnderstood.because(
            "the current of which supply?", f"For example: current {next(iter(supplies.values()))} 20m."
        )
    return point_reading(of, rest, "A")


def leads(rest: str, at: At) -> tuple[PointReading, str]:
    return point_reading(LEADS, rest, "Ω")


def reference(rest: str, at: At) -> tuple[ReferenceShown, str]:
    """``10k 0.1% 9.97k``: what it is, how well that is known, and what the meter shows."""
    example = "For example, a 10 kΩ part of 0.1 % that the meter shows as 9.97 kΩ: reference 10k 0.1% 9.97k."
    found = re.fullmatch(r"(\S+)\s+±?\s*([\d.,]+)\s*%\s*(\S+)", rest)
    if found is None:
        raise NotUnderstood.because("a reference is its value, its tolerance and what the meter shows.", example)
    unit = "F" if re.search(r"[pnuµμ]F?$|F$", found[1]) else "Ω"
    value, shown, tolerance = (
        measured(found[1], unit),
        measured(found[3], unit),
        float(found[2].replace(",", ".")) / 100,
    )
    if not 0 < value.value < float("inf") or shown.over_range or shown.value <= 0:
        raise NotUnderstood.because("a reference has a value, and the meter shows one.", example)
    if not abs(shown.value / value.value - 1) < 0.1:
        raise NotUnderstood.because(f"{shown} is far from {value}: that is another part, or a slip.", example)
    if not 0 < tolerance <= MOST_REFERENCE:
        raise NotUnderstood.because(
            f"a part of {found[2]} % is no better than the meter.", "Take one of 0.5 % or better, or trust the meter."
        )
    return ReferenceShown(value.value, tolerance, shown), f"a reference of {value} shows as {shown}"


def gain(rest: str, at: At) -> tuple[PointReading, str]:
    if at.kit.info.prove is None:
        raise NotUnderstood.because(
            "this kit does not say what its gain is measured between.", "Add [prove] to kit.toml."
        )
    return point_reading(gain_read(), rest, "dB")


def point_reading(of: Observable, text: str, unit: str) -> tuple[PointReading, str]:
    """A reading at a place, typed. Raises :class:`NotUnderstood`."""
    if not text:
        raise NotUnderstood.because(f"what does {of.name} read?", f"Type the value after it, in {unit}.")
    value = measured(text, unit)
    if of.quantity == "tone" and value.value < 0:
        raise NotUnderstood.because("AC volts are never less than nothing.", "Type what the meter shows on AC.")
    return PointReading(of, value), f"{of.name} reads {value}"


def measured(text: str, unit: str) -> Measured:
    """A value as it was read off a display. Raises :class:`NotUnderstood`."""
    try:
        return typed_reading(text, unit)
    except UnreadableValue as bad:
        raise NotUnderstood(bad.problems) from bad


def photo(rest: str, at: At) -> tuple[PhotoNamed, str]:
    file, _, says = rest.partition(" ")
    return PhotoNamed(file, says.strip()), ""


def column(rest: str, at: At) -> tuple[ColumnMeans, str]:
    heading, _, meaning = rest.replace("=", " ").rpartition(" ")
    return ColumnMeans(heading.strip(), meaning.strip().lower()), ""


def list_line(rest: str, at: At) -> tuple[LineSays, str]:
    given = line_says(rest)
    return given, f"line {given.number} says '{given.text}'" if given.text else f"leave line {given.number} out"


def line_says(rest: str) -> LineSays:
    """What a line of a list is to say. Raises :class:`NotUnderstood`."""
    number, _, text = rest.strip().partition(" ")
    if not number.isdecimal() or len(number) > MOST_DIGITS:
        raise NotUnderstood.because("which line? Its number stands first.", "For example: line 14 R7 47k.")
    return LineSays(int(number), text.strip())


def nearest(text: str, known: Iterable[str]) -> str:
    """The name that is likest, as a question; where none is like it, where to look."""
    from rapidfuzz import process

    best = process.extractOne(text.lower(), {k: k.lower() for k in known}, score_cutoff=60)
    return f"Did you mean '{best[2]}'?" if best else "Type 'help' for the commands."
