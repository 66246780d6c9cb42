"""Set: which trimmer, which way, how far, and when to stop."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from itertools import takewhile

import numpy as np

from nuvlo.kit import Kit, Stage, Trim
from nuvlo.kit.step_id import StepId
from nuvlo.logbook import Build
from nuvlo.measurement import volts_at
from nuvlo.model import TrimCurve, Window, WorkingModel
from nuvlo.model.placed import watched_at
from nuvlo.quantity import Measured, Verdict, format_value, judge
from nuvlo.stages.answer import Asked, Solved
from nuvlo.stages.task import Finding, Task, Wants

MOVES_NOTHING = 0.05  # of the travel, that moves nothing, shows that more will not either
PAST_END = 1.1  # times the travel: a hand misses the angle it is told
ITSELF = 0.25  # of its uncertainty: how far a meter differs from itself at once
NO_NEARER = 6  # turns that bring a reading no nearer show that more will not either


@dataclass(frozen=True)
class Advice:
    """What to do with a trimmer. ``degrees`` clockwise positive; 0 when the reading is good enough or out of reach."""

    trim: Trim
    target: float
    window: Window
    reading: Measured | None
    degrees: float
    words: str
    reachable: bool
    settling: str
    span: tuple[float, float] = (float("nan"), float("nan"))  # V, between its ends in good units


@dataclass(frozen=True)
class Trims(Solved):
    """By the id of each trim: what its watched point reads over the travel, and what to do next."""

    curves: Mapping[str, TrimCurve] = field(default_factory=dict)
    advice: Mapping[str, Advice] = field(default_factory=dict)


def ask(asked: Asked) -> Trims:
    """The curve of every trim, and the next turn of each."""
    trims = asked.kit.info.trim
    curves = {t.id: asked.model.trim_curve(t) for t in trims}
    return Trims({}, "", curves, {t.id: advise(asked.model, t, curves[t.id]) for t in trims})


def trim_in_hand(kit: Kit, now: Task | None) -> Trim | None:
    """The trim that a task belongs to; the first of the kit where it belongs to none."""
    mine = (t for t in kit.info.trim if now and now.stage is Stage.SET and now.id.verb == t.id)
    return next(mine, next(iter(kit.info.trim), None))


def advice_on(now: Finding, solved: Solved) -> str:
    """What to do with the trimmer in hand; empty before its point was read."""
    advice = solved.advice.get(now.task.id.verb) if isinstance(solved, Trims) else None
    if advice is None or advice.reading is None:
        return ""
    return " ".join(w for w in (advice.words, advice.settling) if w)


def target_window(kit: Kit, build: Build, trim: Trim) -> Window | None:
    """Where the watched point should end, from the supply as last read; None until it has been read."""
    supply = build.latest(volts_at(trim.supply_point))
    if supply is None or not np.isfinite(supply.measured.value):
        return None
    target = trim.fraction * supply.measured.value
    within = abs(target) * trim.within
    return Window(watched_at(kit, trim), "V", target, target - within, target + within)


def tasks(kit: Kit, build: Build) -> list[Task]:
    """For each trim: a reading, and after a turn another, until the reading is inside the stopping window."""
    out = []
    for trim in kit.info.trim:
        window = target_window(kit, build, trim)
        reading = _reading_since_turn(kit, build, trim)
        detail = trim.says
        if window:
            detail += f" Wanted: {format_value(window.nominal, 'V')} at {trim.watch}, within {100 * trim.within:g} %."
        out.append(
            Task(StepId.of(Stage.SET, trim.id), Stage.SET, Wants.READING, f"{trim.title}: read {trim.watch}", detail, of=watched_at(kit, trim),
                 unit="V", parts=(trim.watch, trim.trimmer), window=window,
                 must=False, done=reading is not None)
        )  # fmt: skip
        # A trim is over only when its reading lies inside the window with the meter's own doubt taken off.
        good = window is not None and judge(reading, window.low, window.high) is Verdict.IN
        if not good:
            out.append(
                Task(StepId.of(Stage.SET, trim.id, "turn"), Stage.SET, Wants.TURN, f"Turn {trim.trimmer}", "", trim.trimmer,
                     parts=(trim.trimmer,), done=False)
            )  # fmt: skip
    return out


def _reading_since_turn(kit: Kit, build: Build, trim: Trim) -> Measured | None:
    found = build.since_turn(trim.trimmer, watched_at(kit, trim), Stage.SET.value)
    return found.measured if found else None


def judged(kit: Kit, build: Build, found: list[Finding], solved: Solved) -> list[Finding]:
    """A turn that cannot help is not asked for again: it stops, with the reason."""
    out = []
    for f in found:
        if f.task.wants is Wants.TURN and not f.done:
            trim = next(t for t in kit.info.trim if t.id == f.task.id.verb)
            advice = solved.advice.get(trim.id) if isinstance(solved, Trims) else None
            reason = no_nearer(kit, build, trim) or (_out_of_reach(advice) if advice and advice.reading and not advice.reachable else "")
            if reason:
                out.append(replace(f, done=f.accepted, verdict=Verdict.OUT, words=reason))
                continue
        out.append(f)
    return out


def no_nearer(kit: Kit, build: Build, trim: Trim) -> str:
    """Why further turns of a trimmer bring its point no nearer to what is wanted; empty while they may."""
    window, history = target_window(kit, build, trim), _history(kit, build, trim)
    if window is None or not history or judge(history[-1][1], window.low, window.high) is Verdict.IN:
        return ""
    ref, watch, last = trim.trimmer, trim.watch, history[-1][1]
    wanted = f"{format_value(window.nominal, 'V')} is wanted"
    half = (window.high - window.low) / 2
    if np.isfinite(last.value) and last.uncertainty >= half:
        return f"{watch} reads {last}, and {wanted} within {format_value(half, 'V', 2)}: this meter cannot tell so finely. Read it with a better one."
    travel = kit.control(ref).travel_deg
    still = list(takewhile(lambda step: _alike(step[1], step[2]), _steps(history)))
    unmoved = sum(abs(turned) for turned, _, _ in still)
    if len(still) >= 2 and unmoved >= MOVES_NOTHING * travel:
        why = f"{ref} is at its end, its wiper is open, or something else holds {watch}"
        return f"{watch} stays at {last} though {ref} was turned {unmoved:.0f}°, and {wanted}: {why}."
    first = next(_steps(history), None)
    if first and first[0]:
        gone = sum(turned for turned, _, _ in takewhile(lambda step: step[0] * first[0] > 0, _steps(history)))
        if abs(gone) > PAST_END * travel:
            way = "clockwise" if gone > 0 else "anticlockwise"
            return f"{ref} was turned {abs(gone):.0f}° {way} and has {travel:.0f}° in all: it is at its end. {watch} reads {last}, and {wanted}."
    away = [abs(r.value - window.nominal) for _, r in history if np.isfinite(r.value)]
    if len(away) >= 2 * NO_NEARER and min(away[-NO_NEARER:]) >= min(away[:-NO_NEARER]):
        return f"{len(away) - 1} turns of {ref} bring {watch} no nearer than {format_value(min(away), 'V', 2)}, and {wanted}: is {ref} worn, or too coarse?"
    return ""


def _history(kit: Kit, build: Build, trim: Trim) -> list[tuple[float, Measured]]:
    """Readings of a trim's point, oldest first, each with the degrees that its trimmer was turned since the one before it."""
    turns = [t for t in build.turns if t.ref == trim.trimmer]
    out: list[tuple[float, Measured]] = []
    before = 0
    for k, r in enumerate(build.readings):
        if r.is_of(watched_at(kit, trim)) and r.stage == Stage.SET.value:
            out.append((sum(t.degrees for t in turns if before < t.readings_before <= k), r.measured))
            before = k
    return out


def _steps(history: list[tuple[float, Measured]]) -> Iterator[tuple[float, Measured, Measured]]:
    """From the newest back: a turn, what was read after it, what before."""
    for (turned, after), (_, before) in zip(reversed(history[1:]), reversed(history[:-1]), strict=True):
        if turned:
            yield turned, after, before


def _alike(one: Measured, other: Measured) -> bool:
    """Whether two readings show no difference that the meter could not have made itself."""
    if not (np.isfinite(one.value) and np.isfinite(other.value)):
        return one.value == other.value
    return abs(one.value - other.value) <= ITSELF * max(one.uncertainty, other.uncertainty)


def _out_of_reach(advice: Advice) -> str:
    low, high = (format_value(v, "V") for v in advice.span)
    target = format_value(advice.target, "V")
    return (
        f"{advice.trim.trimmer} brings {advice.trim.watch} from {low} to {high} in a good unit, and {target} is wanted. Look at the parts about it, "
        "and at what the kit asks for."
    )


def advise(model: WorkingModel, trim: Trim, curve: TrimCurve | None = None) -> Advice:
    """What to do next with ``trim``, from its readings so far and the solved curve of its watched point."""
    kit, build = model.kit, model.build
    assert build is not None, "advice needs a build with readings"
    window = target_window(kit, build, trim)
    if window is None:
        empty = Window(watched_at(model.kit, trim), "V", float("nan"), float("nan"), float("nan"))
        return Advice(trim, float("nan"), empty, None, 0.0, f"Read {trim.supply_point} first.", True, "")
    target = window.nominal
    curve = curve or model.trim_curve(trim)
    reachable = bool(curve.low.min() <= target <= curve.high.max())
    reading = _reading_since_turn(kit, build, trim)
    settling = _settling(kit, build, trim, target)
    span = float(curve.low.min()), float(curve.high.max())
    if reading is None:
        return Advice(trim, target, window, None, 0.0, f"Read {trim.watch}.", reachable, settling, span)
    if judge(reading, window.low, window.high) is Verdict.IN:
        share = reading.value / (target / trim.fraction)
        words = f"Good: {reading} is {100 * share:.1f} % of the supply. Stop here."
        return Advice(trim, target, window, reading, 0.0, words, reachable, settling, span)
    travel = kit.control(trim.trimmer).travel_deg
    rising = curve.nominal[-1] > curve.nominal[0]
    volts, positions = (curve.nominal, curve.position) if rising else (curve.nominal[::-1], curve.position[::-1])
    here, there = np.interp([reading.value, target], volts, positions)
    degrees = float(there - here) * travel
    if not volts[0] <= reading.value <= volts[-1] or not reachable:
        # Off the curve: the nearest end says the way, but no number of degrees can be trusted.
        way = "clockwise" if (target > reading.value) == rising else "anticlockwise"
        words = f"Turn {trim.trimmer} {way} a little: {reading} is beyond what the trimmer should reach."
        return Advice(trim, target, window, reading, degrees or (8.0 if way == "clockwise" else -8.0), words, reachable,
                      settling, span)  # fmt: skip
    way = "clockwise" if degrees > 0 else "anticlockwise"
    words = f"Turn {trim.trimmer} {way} about {max(1.0, round(abs(degrees))):.0f}°."
    return Advice(trim, target, window, reading, degrees, words, reachable, settling, span)


def _settling(kit: Kit, build: Build, trim: Trim, target: float) -> str:
    """Whether the last readings close in on the target."""
    away = [
        abs(r.measured.value - target) for r in build.readings
        if r.is_of(watched_at(kit, trim)) and r.stage == Stage.SET.value
    ]  # fmt: skip
    if len(away) < 2:
        return ""
    if away[-1] <= away[-2]:
        return f"Closing in: {format_value(away[-2], 'V', 2)} away, now {format_value(away[-1], 'V', 2)}."
    return f"Drifting off: {format_value(away[-2], 'V', 2)} away, now {format_value(away[-1], 'V', 2)}."
