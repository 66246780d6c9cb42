"""The grammar of the bench line: one short line of text → one command, with what was understood said back.

The words are those of :mod:`~nuvlo.workshop.commands.verbs`. A line may also begin with the name of a part (``r4 99.2k``,
``r4 missing``), a test point or a lug (``tp3 4.48``), or be the value that is asked for (``4.48``).
"""

from __future__ import annotations

import re

from nuvlo.instruments.typed import OPEN_WORDS
from nuvlo.kit import Kit, Part, Stage
from nuvlo.measurement import Observable, ohms_at, tone_at, volts_at
from nuvlo.model.rectifier import rippling
from nuvlo.model.wired import probes
from nuvlo.quantity import format_value
from nuvlo.stages.task import Task, Wants
from nuvlo.workshop.commands.arguments import (
    MARKS,
    At,
    NotUnderstood,
    PartMark,
    PartNamed,
    PartValue,
    measured,
    nearest,
    nothing,
    point_reading,
)
from nuvlo.workshop.commands.command import Command
from nuvlo.workshop.commands.verbs import WORDS

__all__ = ["NotUnderstood", "names", "understand"]


def names(kit: Kit) -> dict[str, str]:
    """Everything a line may start with, for completion, with what is known of it."""
    out = {
        p.ref: f"{p.kind} {format_value(p.value, p.unit) if p.value is not None else p.text}"
        for p in kit.parts.values()
    }
    out |= {p.name: p.says for p in kit.info.point} | {t.name: t.says for t in kit.info.tone}
    out |= {c.name: c.says for c in kit.info.cold}
    out |= {end: f"wire {w.name}" for w in kit.wires for end in w.ends if end not in out}
    return out | {word: verb.says for word, verb in WORDS.items() if word == verb.name}


def understand(line: str, kit: Kit, now: Task | None, stage: Stage) -> Command:
    """The command that ``line`` stands for while ``now`` is asked for. Raises :class:`NotUnderstood`."""
    line = line.encode("utf-8", "replace").decode()  # half a letter is none, and no log can hold it
    head, _, rest = line.strip().partition(" ")
    if not head:
        raise NotUnderstood.because("nothing is typed yet.", "Type 'help' for what can be typed.")
    at, rest = At(kit, now, stage), rest.strip()
    verb = WORDS.get(head.lower())
    if verb is None or (rest and verb.reads is nothing and kit.find_part(head)):
        return _named(head, rest, at)
    if verb.needs and not verb.optional and not rest:
        raise NotUnderstood.because(verb.needs, f"For example: {verb.example}.")
    given, echo = verb.reads(rest, at)
    return Command(verb.name, given, echo or verb.says.rstrip(".").lower())


def _named(name: str, rest: str, at: At) -> Command:
    """A line that begins with a name, or is the value that is asked for."""
    kit, now = at.kit, at.now
    if now is not None and now.of is not None and now.wants is Wants.READING and rest and name.lower() == now.target.lower():
        return _reading(now.of, rest, now.unit)  # the case, say, which is a part as well
    part = kit.find_part(name)
    if part is not None:
        return _of_part(part, rest)
    point = next((p.name for p in kit.info.point if p.name.lower() == name.lower()), None)
    if point is not None:
        if now is not None and now.of is not None and now.wants is Wants.READING and now.target == point:
            return _reading(now.of, rest, now.unit)
        return _reading(volts_at(point), rest, "V")
    tones = [*(tone_at(t.name) for t in kit.info.tone), *rippling(kit)]
    tone = next((of for of in tones if of.name.lower() == name.lower()), None)
    if tone is not None:
        return _reading(tone, rest, "V")
    cold = next((c for c in kit.info.cold if c.name.lower() == name.lower()), None)
    if cold is not None:
        return _reading(Observable(cold.name, cold.quantity), rest, cold.unit)
    places = [*(ohms_at(end) for w in kit.wires for end in w.ends), *(probe.of for probe in probes(kit))]
    lug = next((of for of in places if of.name.lower() == name.lower()), None)
    if lug is not None:
        return _reading(lug, rest, "Ω")
    if now and now.wants in (Wants.MEASURE, Wants.READING) and _looks_like_value(name):
        text = f"{name} {rest}".strip()
        if now.wants is Wants.READING and now.of is not None:
            return _reading(now.of, text, now.unit)
        value = measured(text, now.unit)
        return Command("measure", PartValue(now.target, value), f"{now.target} reads {value}")
    raise NotUnderstood.because(f"'{name}' is not a part, a point or a command here.", nearest(name, names(kit)))


def _of_part(part: Part, rest: str) -> Command:
    if rest.lower() in MARKS:
        return Command("mark", PartMark(part.ref, rest.lower()), f"{part.ref} is {rest.lower()}")
    if not rest:
        return Command("tick", PartNamed(part.ref), f"{part.ref} is there")
    if not part.unit:
        raise NotUnderstood.because(
            f"{part.ref} has no value to measure.",
            f"Type '{part.ref.lower()}' to tick it, or one of: {', '.join(MARKS)}.",
        )
    value = measured(rest, part.unit)
    if value.value < 0:
        raise NotUnderstood.because(
            f"{part.ref} cannot measure less than nothing.", f"Type what the meter shows, in {part.unit}."
        )
    return Command("measure", PartValue(part.ref, value), f"{part.ref} measures {value}")


def _reading(of: Observable, text: str, unit: str) -> Command:
    given, echo = point_reading(of, text, unit)
    return Command("reading", given, echo)


def _looks_like_value(text: str) -> bool:
    return text.lower() in OPEN_WORDS or bool(re.match(r"[-+\u2212]?[.,]?\d", text))
