"""What went wrong: which single mistakes explain the readings of a unit that has stopped, and where to probe next.

Asked by every stage that takes readings; what it answers is shown in place of the step that is stuck.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from nuvlo.craft.high_voltage import CLIPPED, is_high
from nuvlo.diagnosis.diagnosis import Diagnosis, Group, Ranking
from nuvlo.diagnosis.mistakes import ids_of
from nuvlo.diagnosis.probes import CLOSE, COLD, OVER, SENSES, TOUCH, WHOLE, Reading, looks_of
from nuvlo.diagnosis.wires import rings_out
from nuvlo.kit import Kit, Stage
from nuvlo.kit.nets import GROUND_NAMES
from nuvlo.kit.step_id import StepId, wire_step
from nuvlo.logbook import Build
from nuvlo.measurement import Observable
from nuvlo.model.wired import probes
from nuvlo.quantity import Measured, format_value
from nuvlo.stages.answer import Solved
from nuvlo.stages.slips import slip
from nuvlo.stages.task import Finding, Task, Wants
from nuvlo.words import listed

LETTERS = "ABCDE"
LEAST = 0.02  # share of a suspect that is worth showing
WORTH_BITS = 0.01  # expected of a reading that is worth taking
OFFERED, MOST_OFFERED = 0.4, 3  # share of a suspect that may be said to be it at a touch, and how many of its mistakes
APART = 1.0  # spreads by which a reading must part the suspects to be worth showing
GAUGES = 5  # readings beside the one to take, those that part the suspects most
COMPARED = 3  # suspects whose readings are told
OFF_FIRST = "Power off. "
EMPTY_FIRST = "Unplugged, discharged, and measured to be below the limit. "
SURE = 0.95  # of what single mistakes have together, from which a suspect is put right: whether there is another besides shows after that
REPAIR = "repair"
REPAIRS = {
    "decade": "Take it out, fit the right value, and look at both joints.", "look-alike": "Take it out, fit the right part, and look at both joints.",
    "value": "Take it out and measure it by itself; fit the right value, and look at both joints.",
    "supply": "Read the supply by itself, and set it right or take another, before the unit is on it again.",
    "strip": "Take all of them out; measure each new one before it goes in.", "exchanged": "Take both out and put each where it belongs.",
    "reversed": "Take it out. What was powered the wrong way round is replaced, not turned.", "bridge": "Draw the solder off with braid, and look again.",
    "open": "Look whether it is there at all; heat both its joints again with fresh solder.", "cold": "Heat its joints again with fresh solder.",
    "lead": "Bend it back, or cut it shorter.", "turned": "Take it out by its legs, one after another, and turn it.",
    "backwards": "Take it out of its socket. Fit a new one, notch to notch.", "absent": "Set it in, every leg in its hole.",
    "wire-open": "Look whether it is there, and soldered at both ends; then read it once more.", "wire-exchanged": "Put each on the lug that the list names.",
    "wire-beside": "Put it on the lug that the list names.", "wire-ground": "Look for a whisker of wire or a lug that leans on metal, and bend it off.",
    "crossed": "Put each lead on its own lug; then try the pot from end to end.", "strap": "Fit the strap and read its ohms.", "plug": "Turn the plug; then look for what was hurt.",
}  # fmt: skip
UNREAD = Measured(math.nan, 0.0, "")
LEAST_SHOWN = {"V": 0.5e-3, "A": 0.5e-6, "Ω": 0.05}  # below which a hand-held meter shows nothing (common practice, no source)
LIKELY_SEEN = 0.5  # chance that a look shows it
PROBING = "probe"  # the verb of steps that look for a mistake
LENS = "Its value, its way round, its joints on both sides, and what lies between them and the next."
GLANCE = "Every part against the list, some five seconds each: value, way round. Every joint, and what lies between. What seems wrong, look at closely."
CLOSELY = ("One after the other, from one edge to the other, with the list beside it: value, way round, joints on both sides, what lies between. "
           "What seems wrong, look at twice.")  # fmt: skip
FINGER = ("Power on, a minute long. A finger close by first; what is felt from there is not touched. Is one of them hotter than it should be? "
          "Smoke or a smell: off at once.")  # fmt: skip
LENSES = "They lie side by side. Of each: value, way round, joints on both sides, and what lies between them."


@dataclass(frozen=True)
class Told:
    """What one suspect would read, or a good unit, whose letter is empty."""

    letter: str
    low: float
    middle: float
    high: float


@dataclass(frozen=True)
class Compared:
    """A reading, taken or to be taken, beside what each suspect would show."""

    reading: Reading
    taken: Measured | None
    told: tuple[Told, ...]


@dataclass(frozen=True)
class Suspect:
    """Mistakes that nothing read so far tells apart, by their ``ids`` too where the table of mistakes knows them. ``refs`` are lit on the board;
    ``hurts`` what does not survive it."""

    letter: str
    words: tuple[str, ...]
    kind: str
    refs: tuple[str, ...]
    share: float
    hurts: str = ""
    ids: tuple[str, ...] = ()


@dataclass(frozen=True)
class Suspicion(Solved):
    """The suspects, likeliest first, with how many more there are; how likely it is that all is well, and that no single
    mistake explains what was read; what to read next and why."""

    suspects: tuple[Suspect, ...] = ()
    more: int = 0
    good: float = 0.0
    unexplained: float = 0.0
    next: Reading | None = None
    why: str = ""
    compared: tuple[Compared, ...] = ()
    sure: bool = False  # of the first suspect, so that it is put right
    again: str = ""  # why one reading is taken again before anybody is accused

    @property
    def verdict(self) -> str:
        """What is to be said before all else, where the readings say something; empty else."""
        if self.again:
            return "Before anything is looked for: one reading is to be taken again."
        first = self.suspects[0].share if self.suspects else 0.0
        if self.unexplained > max(first, self.good):
            return "No single mistake explains what was read: look for two, or read again what is furthest off."
        if self.good > max(first, self.unexplained, 0.5):
            return "What was read fits a good unit: read again what stopped you."
        return ""


def stops(f: Finding) -> bool:
    """Whether a finding is a reading, or a sweep, that a mistake may explain."""
    told = f.task.wants is Wants.READING and not f.task.unplugged and f.reading is not None
    return f.task.wants is Wants.SWEEP or (told and f.task.id.verb != "heater")  # heaters are in no circuit


def hunt_task(stage: Stage) -> Task:
    """Something is wrong, though no reading is out of its window."""
    return Task(StepId.of(stage, "hunt"), stage, Wants.READING, "Something is wrong")


def offers(found: Suspicion, now: Finding | None, by_eye: bool) -> list[tuple[str, str]]:
    """What may be picked: what a look showed, where no simulated bench says that, and what it was."""
    looked = now.task.parts if now and now.task.wants is Wants.LOOK and by_eye else ()
    whole = by_eye and now is not None and now.task.quantity in WHOLE
    if looked and now is not None and now.task.quantity == TOUCH:
        cool = f"{looked[0]} is not hot" if len(looked) == 1 else "None of them is hot"
        return [(cool, "touch cool"), *((f"{ref} is hot", f"touch {ref.lower()} hot") for ref in looked), *_found_offers(found)]
    out = [("The whole board looks right", "look right")] if whole else [("It looks right" if len(looked) == 1 else "All of them look right", "look right")] if looked else []
    out += [(f"{ref} looks wrong", f"look {ref.lower()} wrong") for ref in looked]
    return out + _found_offers(found)


def _found_offers(found: Suspicion) -> list[tuple[str, str]]:
    """What it may have been."""
    likely = [s for s in found.suspects if s.share >= OFFERED]
    named = [(f"{s.letter}{k}" if len(s.words) > 1 else s.letter, text) for s in likely for k, text in enumerate(s.words, start=1)]
    return [(f"It was: {text}", f"found {name.lower()}") for name, text in named[:MOST_OFFERED]]


def taken_of(build: Build, diagnosis: Diagnosis) -> dict[Observable, Measured]:
    """The newest reading of each thing that the diagnosis knows, in the order in which they were taken."""
    known = {r.of for r in diagnosis.readings}
    wiring = diagnosis.wiring  # what a lug read before it was wired tells of no wire
    out: dict[Observable, Measured] = {}
    for r in build.readings:
        if r.of in known and (not wiring or r.stage == Stage.HOOK_UP.value):
            out.pop(r.of, None)
            out[r.of] = r.measured
    return out


def passed_rung(build: Build, diagnosis: Diagnosis) -> set[Observable]:
    """What was read of wires in Hook up as it should, with the wire on: neither what was accepted as it was, nor a pad that was read before."""
    if diagnosis.wiring:
        return set()
    newest = {r.of: r for r in build.readings if r.stage == Stage.HOOK_UP.value}
    on = {end: at for w in diagnosis.kit.wires if (at := build.done_at.get(wire_step(w.name))) is not None for end in w.ends}
    return {
        of for of, r in newest.items()
        if r.expected is not None and r.expected[1] <= r.measured.value <= r.expected[2] and (of.place not in on or r.at >= on[of.place])
    }  # fmt: skip


def suspect(diagnosis: Diagnosis, build: Build, stop: Task, skipped: Collection[Observable] = ()) -> Suspicion:
    """Whom the readings so far accuse, with ``stop`` out of its window; what was ``skipped`` is not asked for."""
    taken = taken_of(build, diagnosis)
    cold = stop.quantity in COLD

    ranking = diagnosis.rank(taken, COLD if cold else (), ids_of(diagnosis.mistakes, (r.told for r in build.repairs)), skipped, stop.of is not None and stop.of.empty, passed_rung(build, diagnosis))
    if (odd := slip(diagnosis, build, taken, ranking.unexplained)) is not None and odd[0] not in skipped:
        of, why = odd
        return Suspicion(unexplained=ranking.unexplained, good=ranking.nothing_shown, next=next(r for r in diagnosis.readings if r.of == of), again=why, why=why)
    told = [g for g in ranking.groups if not g.silent]
    least = LEAST * sum(g.probability for g in told)  # where no single mistake explains it, those that come nearest
    shown = [g for g in told if g.probability >= least][: len(LETTERS)]
    suspects = tuple(_suspect(letter, g) for letter, g in zip(LETTERS, shown, strict=False))
    reading = ranking.next[0] if ranking.next and ranking.next[1] >= WORTH_BITS else None
    mine = [diagnosis.mistakes.index(g.mistakes[0]) + 1 for g in shown]
    sure = bool(suspects) and suspects[0].share >= max(SURE * (1.0 - ranking.unexplained), ranking.unexplained)
    if sure:  # an iron is not lifted before an eye was
        reading = _look_first(diagnosis, {**taken, **dict.fromkeys(skipped, UNREAD)}, shown[0])
    return Suspicion(
        suspects=suspects, more=_folded(ranking, shown), good=ranking.nothing_shown, unexplained=ranking.unexplained, next=reading, sure=sure and reading is None,
        why=_why(diagnosis, reading, mine), compared=_compared(diagnosis, reading, taken, mine),
    )  # fmt: skip


def _look_first(diagnosis: Diagnosis, taken: Mapping[Observable, Measured], group: Group) -> Reading | None:
    """A look at the first part of a suspect, where it may show and was not taken, nor the part measured by itself."""
    first = group.mistakes[0]
    if not first.refs or diagnosis.habits[first.kind].seen <= 0 or any(Observable(ref, "lifted") in taken for ref in first.refs):
        return None
    return next((r for r in diagnosis.readings if r.quantity == "look" and r.part in first.refs and r.of not in taken), None)


def _suspect(letter: str, group: Group) -> Suspect:
    first = group.mistakes[0]
    refs = dict.fromkeys(ref for m in group.mistakes for ref in m.refs or [p for p in m.pads if "." not in p])  # of a wire its pads on the board
    return Suspect(letter, tuple(m.text for m in group.mistakes), first.kind, tuple(refs), group.probability, first.hurts, tuple(m.id for m in group.mistakes))


def _folded(ranking: Ranking, shown: list[Group]) -> int:
    return sum(not g.silent and g.probability >= LEAST / 10 for g in ranking.groups) - len(shown)


def _told(diagnosis: Diagnosis, row: int, mistake: int, letter: str) -> Told:
    values = diagnosis.table[row, mistake]
    values = values[~np.isnan(values)]
    if not values.size:
        return Told(letter, math.nan, math.nan, math.nan)
    low, middle, high = np.quantile(values, (0.02, 0.5, 0.98), method="nearest")
    return Told(letter, float(low), float(middle), float(high))


def _compared(diagnosis: Diagnosis, reading: Reading | None, taken: Mapping[Observable, Measured], mine: list[int]) -> tuple[Compared, ...]:
    """The reading to take, then those taken that part the suspects most."""
    rows = {r.of: k for k, r in enumerate(diagnosis.readings)}
    mean, off = diagnosis.seen

    def parts(of: Observable) -> float:
        row = rows[of]
        spread = float(off[row, [0, *mine]].std()) + 1e-12
        return float(np.ptp(mean[row, [0, *mine]])) / spread

    telling = [of for of in taken if of.quantity not in SENSES and parts(of) > APART]
    before = sorted(telling, key=parts, reverse=True)[:GAUGES]
    every = [reading.of] if reading and reading.quantity not in SENSES else []
    out = []
    for of in [*every, *before]:
        row = rows[of]
        told = [_told(diagnosis, row, 0, "")] + [_told(diagnosis, row, k, letter) for k, letter in zip(mine[:COMPARED], LETTERS, strict=False)]
        out.append(Compared(diagnosis.readings[row], taken.get(of), tuple(told)))
    return tuple(out)


def _why(diagnosis: Diagnosis, reading: Reading | None, mine: list[int]) -> str:
    """What the first suspects would read there, in a sentence."""
    if reading is None:
        return ""
    rows = [k for k, r in enumerate(diagnosis.readings) if r in reading.alone]
    if reading.quantity in SENSES:
        seen = [letter for k, letter in zip(mine, LETTERS, strict=False) if diagnosis.shows[rows, k].max() > LIKELY_SEEN]
        named = listed(seen, "or")
        return "" if not seen else f"With {named} one would be hot." if reading.quantity == TOUCH else f"It would show {named}."
    said = []
    for k, letter in zip(mine[:COMPARED], LETTERS, strict=False):
        middle = _told(diagnosis, rows[0], k, letter).middle
        said += [f"{letter} would read {in_words(middle, reading.unit)}"] if not math.isnan(middle) else []
    good = _told(diagnosis, rows[0], 0, "").middle
    if not math.isnan(good):
        said.append(f"{'a good unit' if said else 'A good unit would read'} {in_words(good, reading.unit)}")
    return f"{', '.join(said)}." if said else ""


def in_words(value: float, unit: str) -> str:
    """What a meter would show, in three figures; ``open`` where there is no end to it."""
    return "open" if math.isinf(value) else format_value(value if abs(value) >= LEAST_SHOWN.get(unit, 0.0) else 0.0, unit, 3)


def probe_task(kit: Kit, stage: Stage, found: Suspicion) -> Task | None:
    """The reading to take next, as a task of the stage that stopped."""
    r, first = found.next, next(iter(found.suspects), None)
    if first is not None and not found.verdict and (r is None or found.sure):
        said = f"{first.words[0]}{'' if len(first.words) == 1 else ', or what else reads the same'}"
        how = f"{EMPTY_FIRST if is_high(kit) else OFF_FIRST}{REPAIRS.get(first.kind, 'Put it right, and look once more.')}"
        return Task(StepId.of(stage, PROBING, REPAIR), stage, Wants.STEP, f"Put it right: {said}", how + _off_the_board(kit, first.refs), parts=first.refs)
    if r is None:
        return None
    high = is_high(kit)
    before = (EMPTY_FIRST if high else OFF_FIRST) if r.state == "off" else CLIPPED + " " if high else ""
    step = StepId.of(stage, PROBING, r.quantity, r.of.name)
    if found.again:
        title, how = _held(kit, r)
        return Task(step, stage, Wants.READING, f"Read {r.of.name} again", f"{before}{found.again} {how}", of=r.of, unit=r.unit,
                    parts=tuple(_places(kit, r)))  # fmt: skip
    if r.quantity == TOUCH:
        return Task(step, stage, Wants.LOOK, f"Touch {listed(r.looked)}", FINGER, of=r.of, parts=r.looked)
    if r.quantity == OVER:
        return Task(step, stage, Wants.LOOK, "Look the whole board over", f"{before}{GLANCE} Type, say, {_example(kit, found)}.", of=r.of)
    if r.quantity == CLOSE:
        return Task(step, stage, Wants.LOOK, "Go over every part and joint through a lens", f"{before}{CLOSELY} Type, say, {_example(kit, found)}.", of=r.of)
    if r.quantity == "look":
        part = kit.find_part(r.part)
        named = listed(r.looked) if r.beside else f"{r.of.place}, {part.text}," if part and part.text else r.of.place
        return Task(step, stage, Wants.LOOK, f"Look at {named} through a lens", f"{before}{LENS if not r.beside else LENSES}{_off_the_board(kit, r.looked)}", of=r.of, parts=r.looked)
    title, how = _held(kit, r)
    if r.of.empty:
        title = f"Sockets empty: {title[0].lower()}{title[1:]}"
    return Task(step, stage, Wants.READING, title, f"{before}{how}", of=r.of, unit=r.unit,
                parts=tuple(_places(kit, r)))  # fmt: skip


def _off_the_board(kit: Kit, refs: Sequence[str]) -> str:
    """Where those of some parts are that hang on tags, in a sentence with a space before it: the map of the board shows none of them."""
    out = ""
    for to in dict.fromkeys(kit.on_tags[ref] for ref in refs if ref in kit.on_tags):
        mine = [ref for ref in refs if kit.on_tags.get(ref) == to]
        out += f" {listed(mine)} {'hangs' if len(mine) == 1 else 'hang'} on the tags of {to}."
    return out


def _example(kit: Kit, found: Suspicion) -> str:
    """A line that says what looks wrong."""
    seen = {r.part: None for r in looks_of(kit)}
    ref = next((ref for s in found.suspects for ref in s.refs if ref in seen), next(iter(seen)))
    return f"'look {ref.lower()} wrong'"


def _held(kit: Kit, r: Reading) -> tuple[str, str]:
    """What to do, and where the leads go."""
    place = r.of.place
    if rings_out(kit, r):
        return _at_lugs(kit, r)
    red, black = (kit.named_place(n) for n in r.nodes) if r.nodes[0] else ("", "")
    leads = f"Red on {red}, black on {black}"
    named = f"{listed(r.through)} in series" if r.through else ""
    match r.quantity:
        case "lifted":
            return f"Lift one leg of {place} and measure it", f"The other leg stays. Clip the meter across the part itself.{_off_the_board(kit, [place])}"
        case "current":
            return f"Current of the {place}", "The meter in line, or the supply's own."
        case "tone" if r.supply:
            return f"Ripple of the {r.supply.name}: AC volts at {place}", f"Power on, the meter on AC volts. {leads}. It keeps the d.c. out."
        case "tone" if r.tone:
            fed = r.tone.fed or kit.named_place(r.tone.at)
            level = format_value(r.tone.level, "V")
            read = r.tone.read or f"red on {red}, black on {black}"
            return f"Tone of {format_value(r.tone.hertz, 'Hz')}: AC volts at {place}", f"Fed to {fed}, {level} there. Read: {read}."
        case "capacitance":
            return (f"Capacitance of {named}" if r.through else f"Capacitance at {place}"), f"{(r.cold and r.cold.read) or leads}."
        case "resistance" if r.through:
            return f"Ohms of {named}", f"{leads}."
        case "resistance" if r.between:
            return f"Ohms between {listed(r.between)}", f"{leads}. Where a junction lies on the way it counts which is which."
        case "resistance":
            cold = next((c.read for c in kit.info.cold if c.name == place), "") or f"red on {red}, black on {black}"
            return f"Ohms at {r.of.words}", f"{cold[0].upper()}{cold[1:]}."
    if r.between:
        red, black = r.between
        return f"Volts between {red} and {black}", f"Power on. Red on {red}, black on {black}: the sign counts."
    return f"Volts at {place}", f"Power on. Red on {red}, black on {black}."


def _at_lugs(kit: Kit, r: Reading) -> tuple[str, str]:
    """The same of a reading of the ring-out."""
    probe = next((p for p in probes(kit) if p.of == r.of), None)
    if probe is not None:
        return f"{probe.switch.part}, {probe.throw.name}: ring out {probe.red} to {probe.black}", f"{probe.switch.part}: {probe.throw.name}. Red on {probe.red}, black on {probe.black}."
    black = "ground" if kit.ringing.black in GROUND_NAMES else kit.ringing.black_at
    return f"Ring out {r.of.place} to {black}", f"Red on {r.of.place}, black on {black}; controls and switches where they start."


def _places(kit: Kit, r: Reading) -> list[str]:
    """What is lit: the point or part that the red lead is on, and a lifted part."""
    if rings_out(kit, r):
        probe = next((p for p in probes(kit) if p.of == r.of), None)
        return [probe.red, probe.black] if probe else [r.of.place]
    if r.quantity == "lifted":
        return [r.of.place]
    return [name for node in r.nodes if node and node not in GROUND_NAMES and (name := kit.lead_on(node)[0])]


def leads_of(kit: Kit, found: Suspicion) -> tuple[tuple[str, str], ...]:
    """Where red and black go on the board: a pad as ``R1.2``, and the colour."""
    r = found.next
    if r is None or not r.nodes[0] or rings_out(kit, r):
        return ()
    out = []
    for node, colour in zip(r.nodes, ("red", "black"), strict=True):
        name, pin = kit.lead_on(node)
        pads = kit.board.pads if kit.board else ()
        if not any(p.ref == name for p in pads):  # a point that is no pad of its own
            same = GROUND_NAMES if node in GROUND_NAMES else (node,)
            name, pin = next(((p.ref, str(p.pin)) for p in pads if p.net.lower() in same), ("", ""))
        if name:
            out.append((f"{name}.{pin}" if pin else name, colour))
    return tuple(out)
