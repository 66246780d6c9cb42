"""Before hands go inside a unit that was powered and holds high voltage: measured voltages, taken, not assumed."""

from __future__ import annotations

import math
from datetime import timedelta

from nuvlo.craft.high_voltage import SAFE_V, discharge_seconds, discharger, is_high, reservoirs
from nuvlo.kit import Kit, Stage
from nuvlo.kit.schema import Point
from nuvlo.kit.step_id import StepId
from nuvlo.logbook import Build
from nuvlo.measurement import volts_at
from nuvlo.model import Window
from nuvlo.quantity import format_value
from nuvlo.stages.holds import Hold
from nuvlo.stages.task import Task, Wants
from nuvlo.words import listed


def charged(kit: Kit, build: Build) -> bool:
    """Whether a unit that holds high voltage may still do so: it was powered, and not each of its capacitors was read to be empty since."""
    return is_high(kit) and build.live and not all(p.name in build.emptied for p in reservoirs(kit))


def tasks(kit: Kit, build: Build, stage: Stage, *, always: bool = False, about: str = "") -> list[Task]:
    """The readings that must be taken before hands go inside, one at each capacitor that is charged by itself. None where the unit was not
    powered since the last ones, but for a stage that asks for them (``always``). ``about`` tells two of one stage apart."""
    if not is_high(kit) or not (always or charged(kit, build)):
        return []
    every = reservoirs(kit)
    return [_reading(kit, build, stage, point, every, about) for point in every]


def _reading(kit: Kit, build: Build, stage: Stage, point: Point, every: list[Point], about: str) -> Task:
    named, of = _named(kit, point), volts_at(point.name, unplugged=True)
    first = point is every[0]
    own = [about] * bool(about) + ([] if first else [point.name])
    wait = discharge_seconds(kit)
    holds: tuple[Hold, ...] = ()
    if build.powered_at is not None and wait:
        holds = (Hold("The reservoir empties through its bleeders", build.powered_at + timedelta(seconds=wait), "empty"),)
    return Task(
        StepId.of(stage, "discharge", *own), stage, Wants.READING, f"Unplug, discharge, and read {named}" if first else f"Still unplugged: read {named} too",
        _how(kit, every, wait) if first else f"Behind a resistor that is open it stays charged by itself. Discharge it, then read volts at {named}: below {SAFE_V:g} V.",
        of=of, unit="V", parts=(point.name,),
        window=Window(of, "V", 0.0, -SAFE_V, SAFE_V), holds=holds,
        done=None if of.place in build.read_off else False,  # a reading from before it was powered again tells nothing
    )  # fmt: skip


def _how(kit: Kit, every: list[Point], wait: float | None) -> str:
    seconds = f"{10 * math.ceil(wait / 10):.0f}\u202fs" if wait else "a few minutes"
    through, names = discharger(kit), listed([_named(kit, p) for p in every])
    with_what = "a resistor with insulated clips"
    held = "until the meter shows next to nothing"
    if through is not None:
        with_what = f"a wirewound resistor of {format_value(through.ohms, 'Ω')}, {through.watts:g}\u202fW or more, with insulated clips"
        held = f"for {through.seconds:.0f}\u202fs each"
    return (
        f"Pull the plug and wait {seconds}. One hand in your pocket. Take {with_what}: the chassis end goes on first, then the other to {names}, {held}. "
        f"Then read volts at {_named(kit, every[0])}, black on the chassis: hands go inside only below {SAFE_V:g} V, wherever it is read. "
        "If it stays above, a bleeder is open: it does not discharge by itself."
    )


def _named(kit: Kit, point: Point) -> str:
    return point.name if point in kit.info.point else kit.named_place(point.node)
