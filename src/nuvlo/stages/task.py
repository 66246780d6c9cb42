"""What a stage asks of the builder, and what the answer means. The one vocabulary of all stages and both faces."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from enum import StrEnum

from nuvlo.kit import Hazard, Stage
from nuvlo.kit.step_id import StepId
from nuvlo.logbook import Build, Reading
from nuvlo.measurement import Observable, gain_read
from nuvlo.model.windows import Window
from nuvlo.quantity import Measured, Verdict, format_span, judge
from nuvlo.quantity.uncertainty import distance_in_words
from nuvlo.stages.holds import Hold

POSTED = "posted"  # the mark of a part that is still in the post


class Wants(StrEnum):
    """What would do a task."""

    TICK = "tick"  # a part found
    MEASURE = "measure"  # a loose part's value
    STEP = "step"  # said to be done
    CHOOSE = "choose"
    READING = "reading"
    LOOK = "look"  # through a lens, at what may be wrong
    TURN = "turn"
    SWEEP = "sweep"
    EXPORT = "export"
    CONFIRM = "confirm"  # a caution


@dataclass(frozen=True)
class Task:
    """One thing to do. ``target`` is a part, trimmer, choice or hazard, or what is read; ``parts`` are lit on the picture."""

    id: StepId
    stage: Stage
    wants: Wants
    title: str
    detail: str = ""
    target: str = ""  # of a reading its name
    of: Observable | None = None  # what is read
    unit: str = ""
    parts: tuple[str, ...] = ()
    hazard: Hazard | None = None
    window: Window | None = None  # where the stage knows it without solving
    degrees: float = 0.0
    must: bool = True  # whether a reading out of its window stops the build here
    done: bool | None = None  # where the stage itself knows
    minutes: float = 0.0  # that it takes by the clock, from when it is begun
    holds: tuple[Hold, ...] = ()  # what must be over before it
    awaits: str = ""  # what must be done before it
    wrong: str = ""  # what the stage knows to be wrong with it

    def __post_init__(self) -> None:
        if self.of is not None:
            object.__setattr__(self, "target", self.of.name)

    @property
    def quantity(self) -> str:
        """Of what is read."""
        return self.of.quantity if self.of else ""

    @property
    def unplugged(self) -> bool:
        """Whether it is read with the plug pulled: what is left in the capacitors."""
        return self.of is not None and self.of.unplugged

    @property
    def place(self) -> str:
        """Where it is read, in short."""
        return self.of.short if self.of else self.target

    @property
    def how(self) -> str:
        """And how a switch is thrown meanwhile."""
        return f", {self.of.throw}" if self.of and self.of.throw else ""

    @property
    def held(self) -> Hold | None:
        """What it still waits for by the clock, the longest."""
        return max((h for h in self.holds if not h.over), key=lambda h: h.until, default=None)

    @property
    def example(self) -> str:
        """A reading of its unit, as it may be typed."""
        return {"Ω": "99.2k", "A": "2.3m", "F": "97n", "H": "4.7m", "dB": "41.5"}.get(self.unit, "4.48")


@dataclass(frozen=True)
class Finding:
    """What is known about a task: whether it is done, its verdict, and the reason in words."""

    task: Task
    done: bool
    verdict: Verdict = Verdict.NOT_TAKEN
    words: str = ""
    reading: Measured | None = None
    window: Window | None = None
    accepted: bool = False
    brief: str = ""  # the verdict in a few words, where those of all readings would not do
    aside: str = ""  # and what is said beside it, quietly
    waits: bool = False  # for parts that are still in the post; other steps may go before
    ahead: str = ""  # what it did not wait for: it was done before that was over

    @property
    def verdict_words(self) -> str:
        """The verdict in a few words, and whether it was accepted all the same, or read too early."""
        words = self.brief or self.verdict.words
        if not self.brief and self.verdict is Verdict.OUT and self.reading is not None and self.window is not None:
            words = distance_in_words(self.reading, self.window.low, self.window.high)
        return words + (", accepted" if self.accepted else "") + (", early" if self.ahead else "")

    @property
    def lets_pass(self) -> bool:
        """Whether other steps may go before it while it waits: for a part in the post, or while glue sets, not while the board is wet."""
        held = self.task.held
        return self.waits and (held is None or held.passable)

    @property
    def tone(self) -> Verdict:
        """How loudly the verdict is shown. A right part that a meter cannot quite prove to be in tolerance calls for nothing."""
        return Verdict.IN if self.brief and self.verdict is Verdict.NEAR else self.verdict

    @property
    def stuck(self) -> bool:
        """Out of its window, and not accepted as it is."""
        return self.task.must and not self.accepted and self.verdict in (Verdict.OUT, Verdict.MISSING)


Windows = Mapping[Observable, Window]


@dataclass(frozen=True)
class Shown:
    """Readings that go with the step in hand, under a heading."""

    heading: str
    findings: tuple[Finding, ...]


def finding(task: Task, build: Build, windows: Windows, fresh: bool = True) -> Finding:
    """What the log says about ``task``. ``windows`` by what is read; one not solved yet leaves no verdict, and no reading
    is judged by windows that are not ``fresh``."""
    accepted = task.id in build.accepted
    if task.wants in (Wants.MEASURE, Wants.TICK, Wants.STEP) and task.parts:
        posted = [ref for ref in task.parts if build.marks.get(ref) == POSTED]
        if posted and task.stage is Stage.UNPACK:
            return Finding(task, True, words=f"{posted[0]} is in the post.")
        if posted:
            words = f"{', '.join(posted)} {'is' if len(posted) == 1 else 'are'} still in the post. When it has come, type '{posted[0].lower()}'."
            return Finding(task, accepted, words=words, accepted=accepted, waits=not accepted)
        state = next((f"{ref} is marked {build.marks[ref]}" for ref in task.parts if ref in build.marks), "")
        if state:
            return Finding(task, accepted, Verdict.MISSING, f"{state}.", accepted=accepted)
    if task.wants is Wants.MEASURE:
        return _judged(task, build.part_value(task.target), task.window, accepted)
    if task.wants is Wants.READING:
        taken = build.latest(task.of, task.stage.value) if task.of else None
        if task.done is False:  # the stage knows the reading is out of date
            taken = None
        if taken is None and not accepted and (hold := _held(task, build)) is not None:
            return Finding(task, False, words=hold.words, waits=True, window=task.window or (windows.get(task.of) if task.of else None))
        solved = windows.get(task.of) if task.of and (fresh or taken is None) else None
        window = task.window or _expected(task, taken) or solved
        judged = _judged(task, taken.measured if taken else None, window, accepted)
        if taken is not None:
            judged = replace(judged, ahead=_ahead(task, build, taken.at))
        if task.wrong and judged.verdict is not Verdict.OUT:
            return replace(judged, verdict=Verdict.OUT, words=f"{task.wrong}.")
        return judged
    done = task.done if task.done is not None else _done(task, build)
    if task.wrong:
        return Finding(task, accepted, Verdict.OUT, f"{task.wrong}.", accepted=accepted)
    # Who accepts does not wait any longer; the step itself is still to be done.
    if not done and not accepted and task.awaits and task.id not in build.passed:
        return Finding(task, False, words=f"It waits for: {task.awaits}.", waits=True)
    if not done and not accepted and (hold := _held(task, build)) is not None:
        return Finding(task, False, words=hold.words, waits=True)
    return Finding(task, done, accepted=accepted, ahead=_ahead(task, build, build.done_at.get(task.id)) if done else "")


def _held(task: Task, build: Build) -> Hold | None:
    """What a task still waits for, unless it was said to go ahead of it."""
    hold = task.held
    _, until = build.passed.get(task.id, ("", None))
    return None if hold is not None and until is not None and hold.until <= until else hold


def _ahead(task: Task, build: Build, at: datetime | None) -> str:
    """What a task that was done ``at`` a time, None for an unknown one, was done too early for; empty where it had waited after all."""
    what, until = build.passed.get(task.id, ("", None))
    return "" if at is not None and until is not None and at >= until else what


def _expected(task: Task, taken: Reading | None) -> Window | None:
    """The window that stood when the reading was taken."""
    if taken is None or taken.expected is None:
        return None
    return Window(taken.of, task.unit, *taken.expected)


def _done(task: Task, build: Build) -> bool:
    match task.wants:
        case Wants.TICK:
            return task.target in build.ticked
        case Wants.CHOOSE:
            return task.target in build.choices
        case Wants.CONFIRM:
            return task.target in build.confirmed
        case Wants.SWEEP:
            return bool(build.curves) or build.latest(gain_read()) is not None
        case Wants.EXPORT:
            return bool(build.exports)
        case _:
            return task.id in build.done


def _judged(task: Task, reading: Measured | None, window: Window | None, accepted: bool) -> Finding:
    if reading is None:
        return Finding(task, False, window=window)
    if window is None:
        return Finding(task, True, reading=reading)
    # Nothing reads below no ohms at all, so 0 is no edge that a reading could straddle.
    low = -math.inf if window.low <= 0 and window.unit in ("Ω", "F") else window.low
    verdict = judge(reading, low, window.high)
    words = ""
    if verdict in (Verdict.OUT, Verdict.NEAR):
        inside = format_span(window.low, window.high, window.unit)
        away = distance_in_words(reading, window.low, window.high)
        near = "too close to the edge to tell" if verdict is Verdict.NEAR else away
        words = f"{task.of.words if task.of else task.target} reads {reading}, expected {inside}: {near}."
    return Finding(task, True, verdict, words, reading, window, accepted)
