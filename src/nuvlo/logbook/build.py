"""The state of one unit: nothing but the fold of its events."""

from __future__ import annotations

from collections.abc import Iterable
from copy import copy
from dataclasses import dataclass, field, replace
from datetime import datetime

from nuvlo.craft.high_voltage import SAFE_V
from nuvlo.craft.schools import school_from
from nuvlo.kit import Stage
from nuvlo.kit.step_id import StepId
from nuvlo.logbook import events as ev
from nuvlo.logbook.benches import for_practice, hidden_in, numbered
from nuvlo.measurement import Observable
from nuvlo.quantity import Measured
from nuvlo.quantity.uncertainty import agreeing, mean_of_repeats


@dataclass(frozen=True)
class Reading:
    """One reading, with when and with what."""

    of: Observable
    measured: Measured
    stage: str
    at: datetime
    instrument: str
    event: str = ""
    expected: tuple[float, float, float] | None = None  # nominal, low, high when it was taken

    def is_of(self, of: Observable) -> bool:
        """Whether it is a reading of that. Logs of before knew what a trim reads in a set-up of its own by its point alone."""
        return self.of == of or (self.stage == Stage.SET.value and self.of == replace(of, setup=""))


@dataclass(frozen=True)
class Reference:
    """A part that is known better than the meter: its value, its tolerance (a fraction), and what the meter showed of it."""

    value: float
    tolerance: float
    shown: Measured


@dataclass(frozen=True)
class Repair:
    """What had gone wrong and was put right: its words, its kind in the table of mistakes, the parts; its id there, where the log holds it. After how many readings (of these
    ``powered`` ones with the power on) and how many minutes since the first of them."""

    text: str
    cause: str
    refs: tuple[str, ...]
    readings: int
    powered: int
    minutes: float
    mistake: str = ""

    @property
    def told(self) -> tuple[str, str]:
        """Its id, where there is one, and its words."""
        return self.mistake, self.text


@dataclass(frozen=True)
class Turn:
    """One turn of a control, clockwise positive; ``readings_before`` places it among the readings."""

    ref: str
    degrees: float
    readings_before: int


POWERED = (Stage.WAKE.value, Stage.SET.value, Stage.PROVE.value)
FIRST_POWER = (f"{Stage.WAKE.value}.lamp", f"{Stage.WAKE.value}.power")  # steps that switch a unit on
KEPT = 64  # events from one state that is kept for an undo to the next


@dataclass
class Build:
    """A unit being built. Filled by :class:`Fold` and only read elsewhere."""

    id: str
    kit: str = ""
    folder: str = ""
    serial: str = ""
    bench: str = "typed"
    started: datetime | None = None
    ticked: set[str] = field(default_factory=set)
    measured: dict[str, list[Measured]] = field(default_factory=dict)
    references: list[Reference] = field(default_factory=list)
    marks: dict[str, str] = field(default_factory=dict)
    swapped: set[str] = field(default_factory=set)
    choices: dict[str, str] = field(default_factory=dict)
    chosen_values: dict[str, str] = field(default_factory=dict)
    tray_order: str = "value"
    stances: dict[str, str] = field(default_factory=dict)  # question → side, where one was taken
    changes: dict[str, tuple[str, str]] = field(default_factory=dict)  # part or supply → to what, why
    done: set[StepId] = field(default_factory=set)
    done_at: dict[StepId, datetime] = field(default_factory=dict)
    accepted: dict[StepId, str] = field(default_factory=dict)
    passed: dict[StepId, tuple[str, datetime | None]] = field(default_factory=dict)  # steps that went ahead of what held them: in words, until when
    confirmed: set[str] = field(default_factory=set)
    readings: list[Reading] = field(default_factory=list)
    turns: list[Turn] = field(default_factory=list)
    live: bool = False  # it was powered: what is charged stays so until it is read to be empty
    powered_at: datetime | None = None  # when it was last known to be powered
    read_off: set[str] = field(default_factory=set)  # places read unplugged since then
    emptied: set[str] = field(default_factory=set)  # those of them that were read to be empty
    curves: list[ev.CurveTaken] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    begun_at: dict[str, datetime] = field(default_factory=dict)  # steps against a clock
    joints: dict[str, str] = field(default_factory=dict)
    heats: dict[str, int] = field(default_factory=dict)  # how often a part's joints were hot since it went in
    repairs: list[Repair] = field(default_factory=list)
    photos: list[ev.PhotoKept] = field(default_factory=list)
    last_at: datetime | None = None
    last_done: str = ""
    pictures: dict[str, ev.BoardPictured] = field(default_factory=dict)  # of the board, by side
    exports: list[str] = field(default_factory=list)
    can_undo: str | None = None
    last: ev.Body | ev.Unread | None = None  # what that would take back
    can_redo: str | None = None
    events: int = 0
    unread: int = 0  # rows of the log that cannot be read

    def copied(self) -> Build:
        """The same state with containers of its own. What is in them is never changed, only replaced."""
        out = copy(self)
        for name, value in vars(self).items():
            if isinstance(value, set | dict | list):
                setattr(out, name, value.copy())
        return out

    @property
    def school(self) -> str:
        """The order of work that the sides taken make, such as ``lowest+groups``."""
        return school_from(self.stances)

    def latest(self, of: Observable, stage: str | None = None) -> Reading | None:
        """The newest reading of that; in ``stage``, where one is named."""
        return next((r for r in reversed(self.readings) if r.of == of and stage in (None, r.stage)), None)

    def part_value(self, ref: str) -> Measured | None:
        """What a loose part measures, from all of its readings that agree."""
        return mean_of_repeats(self.measured.get(ref, ()))[0]

    @property
    def number(self) -> str:
        """Its serial, and that it is for practice where it is."""
        return numbered(self.serial, self.bench)

    @property
    def practised(self) -> bool:
        """Whether it is for practice: a simulated bench makes its readings."""
        return for_practice(self.bench)

    @property
    def hunted(self) -> bool:
        """Whether it is built, and a mistake hidden in it is to be found."""
        return hidden_in(self.bench)

    def since_turn(self, control: str, of: Observable, stage: str | None = None) -> Reading | None:
        """The newest reading of what is watched since ``control`` was last turned; in ``stage``, where one is named."""
        turns = [t.readings_before for t in self.turns if t.ref == control]
        found = [
            r for r in self.readings[turns[-1] if turns else 0 :]
            if r.is_of(of) and stage in (None, r.stage)
        ]  # fmt: skip
        return found[-1] if found else None

    def repeats(self, ref: str) -> tuple[int, float, int]:
        """How many readings of a part agree, how far they lie apart (in its unit), and how many do not agree with the newest."""
        every = self.measured.get(ref, ())
        found = [m.value for m in agreeing(every)] if every else []
        return len(found), max(found, default=0.0) - min(found, default=0.0), len(every) - len(found)

    def turned(self, ref: str) -> float:
        """Degrees a control has been turned in all, clockwise positive."""
        return sum(t.degrees for t in self.turns if t.ref == ref)


class Fold:
    """Folds the events of one build forward as they come; what was folded before is not read again.

    Each :attr:`build` is a value of its own: the one before stays as it was. An undo goes back to the last of the states
    kept every :data:`KEPT` events and folds on from there.
    """

    def __init__(self, build_id: str) -> None:
        self.build = Build(build_id)
        self._standing: list[ev.Event] = []
        self._shelved: list[list[ev.Event]] = []  # entries that a redo could bring back, the next one last
        self._kept: list[tuple[int, Build]] = [(0, self.build)]  # states by how many events stand in them
        self.seen = 0  # events taken in so far

    def add(self, events: Iterable[ev.Event]) -> Build:
        """Take in events in their order; the state after them."""
        build, back_to = self.build.copied(), None
        for event in events:
            self.seen += 1
            if isinstance(event.body, ev.Undone):
                first = self._shelve(ev.entry_of(event.body.target))
                if first is not None:
                    back_to = first if back_to is None else min(first, back_to)
                continue
            if isinstance(event.body, ev.Redone):
                entry = ev.entry_of(event.body.target)
                back = next((block for block in self._shelved if ev.entry_of(block[0].id) == entry), None)
                if back is None:
                    continue
                self._shelved.remove(back)
                standing = back
            else:
                if not isinstance(event.body, ev.WindowKept):
                    self._shelved.clear()
                standing = [event]
            for one in standing:
                self._standing.append(one)
                if back_to is None:
                    build = self._take(build, one, len(self._standing))
        if back_to is not None:
            build = self._again(back_to)
        undoable = (
            e
            for e in reversed(self._standing)
            if not isinstance(e.body, ev.BuildStarted | ev.WindowKept | ev.Unread)
        )
        last = next(undoable, None)
        build.can_undo, build.last = (last.id, last.body) if last else (None, None)
        build.can_redo = self._shelved[-1][-1].id if self._shelved else None
        build.events = self.seen
        self.build = build
        return build

    def _shelve(self, entry: str) -> int | None:
        """Take all events of an entry out; the place of the first of them, None where none stands."""
        places = [k for k, e in enumerate(self._standing) if ev.entry_of(e.id) == entry]
        if not places:
            return None
        self._shelved.append([self._standing[k] for k in places])
        for k in reversed(places):
            del self._standing[k]
        return places[0]

    def _take(self, build: Build, event: ev.Event, number: int) -> Build:
        _apply(build, event)
        build.last_at = event.at
        if number % KEPT == 0:
            self._kept.append((number, build))
            return build.copied()
        return build

    def _again(self, first: int) -> Build:
        """Fold anew what stands, from the last state kept before the event numbered ``first``."""
        while self._kept[-1][0] > first:
            self._kept.pop()
        number, kept = self._kept[-1]
        build = kept.copied()
        for k, event in enumerate(self._standing[number:], number + 1):
            build = self._take(build, event, k)
        return build


def fold(build_id: str, events: Iterable[ev.Event]) -> Build:
    """State of a build after ``events``, in their order."""
    return Fold(build_id).add(events)


def _apply(build: Build, event: ev.Event) -> None:
    match event.body:
        case ev.Unread():
            build.unread += 1
        case ev.BuildStarted() as b:
            build.kit, build.folder, build.serial, build.bench = b.kit, b.folder, b.serial, b.bench
            build.started = event.at
        case ev.PartTicked(ref=ref):
            build.ticked.add(ref)
            build.marks.pop(ref, None)
        case ev.PartMeasured() as b:
            build.ticked.add(b.ref)
            build.measured[b.ref] = [*build.measured.get(b.ref, ()), Measured(b.value, b.uncertainty, b.unit)]
        case ev.ReferenceRead() as b:
            build.references.append(Reference(b.value, b.tolerance, Measured(b.shown, b.uncertainty, b.unit)))
        case ev.PartMarked(ref=ref, state=state):
            if state == "swapped":
                build.marks.pop(ref, None)
                build.measured.pop(ref, None)  # another part: measure it anew
                build.swapped.add(ref)
            else:
                build.marks[ref] = state
        case ev.ChoiceMade() as b:
            if not b.kept and build.chosen_values.get(b.part) != b.value:
                build.measured.pop(b.part, None)
            build.choices[b.choice] = b.value
            build.chosen_values[b.part] = b.value
        case ev.SchoolTaken(school=school):  # of logs written before each question had an event of its own
            build.stances |= zip(("order", "soldering"), school.split("+"), strict=False)
        case ev.StanceTaken(question=question, side=side):
            build.stances[question] = side
        case ev.KitChanged() as b:
            build.changes.pop(b.part, None)
            build.measured.pop(b.part, None)  # another part: measure it anew
            build.chosen_values.pop(b.part, None)
            if b.to != ev.PRINTED:
                build.changes[b.part] = (b.to, b.why)
        case ev.TrayOrdered(order=order):
            build.tray_order = order
        case ev.StepDone(step=step):
            build.done.add(StepId(step))
            build.done_at[StepId(step)] = event.at
            build.last_done = step
            if step.startswith(FIRST_POWER):
                _powered(build, event.at)
        case ev.StepAccepted(step=step, why=why):
            build.accepted[StepId(step)] = why
        case ev.HoldPassed(step=step, what=what, until=until):
            build.passed[StepId(step)] = (what, until)
        case ev.ReadingTaken() as b:
            taken, of = Measured(b.value, b.uncertainty, b.unit), b.of
            if of.unplugged:
                build.read_off.add(of.place)
                (build.emptied.add if abs(b.value) <= SAFE_V else build.emptied.discard)(of.place)
                build.live |= abs(b.value) > SAFE_V
            elif b.quantity in ("voltage", "current", "tone") and b.stage in POWERED:
                _powered(build, event.at)
            build.readings.append(
                Reading(of, taken, b.stage, event.at, b.instrument, event.id, b.expected)
            )
        case ev.WindowKept() as b:
            for k, reading in enumerate(build.readings):
                if reading.event == b.reading:
                    build.readings[k] = replace(reading, expected=(b.nominal, b.low, b.high))
        case ev.TrimmerTurned(ref=ref, degrees=degrees):
            build.turns.append(Turn(ref, degrees, len(build.readings)))
        case ev.CautionConfirmed(hazard=hazard):
            build.confirmed.add(hazard)
        case ev.CurveTaken() as b:
            _powered(build, event.at)
            build.curves.append(b)
        case ev.StepBegun(step=step):
            build.begun_at[step] = event.at
        case ev.JointMarked(joint=joint, mark=mark):
            build.joints[joint] = mark
            if mark == "reflowed":
                ref = joint.partition(".")[0]
                build.heats[ref] = build.heats.get(ref, 0) + 1
        case ev.PartReworked() as b:
            _rework(build, b)
        case ev.MistakeFound() as b:
            first = build.readings[0].at if build.readings else event.at
            on = sum(r.of.quantity in ("voltage", "current", "tone") for r in build.readings)
            build.repairs.append(Repair(b.text, b.cause, b.refs, len(build.readings), on, (event.at - first).total_seconds() / 60, b.mistake))
            build.readings, build.curves = [], []
        case ev.PhotoKept() as b:
            build.photos.append(b)
        case ev.BoardPictured() as b:
            build.pictures.pop(b.side, None)
            if b.file:
                build.pictures[b.side] = b
        case ev.Note(text=text):
            build.notes.append(text)
        case ev.Exported(file=file):
            build.exports.append(file)


def _powered(build: Build, at: datetime) -> None:
    """The unit was powered: what was read of it unplugged no longer holds."""
    build.live, build.powered_at = True, at
    build.read_off, build.emptied = set(), set()


def _rework(build: Build, b: ev.PartReworked) -> None:
    """What was seen before a part was touched again no longer holds; the readings of a whole unit least of all."""
    for step in b.reopened:
        build.done.discard(StepId(step))
        build.done_at.pop(StepId(step), None)
    build.heats[b.ref] = build.heats.get(b.ref, 0) + 1
    if b.what == "off":
        for joint in [j for j in build.joints if j.partition(".")[0] == b.ref]:
            build.joints.pop(joint)
        build.measured.pop(b.ref, None)
    build.readings = []
    build.curves = []
