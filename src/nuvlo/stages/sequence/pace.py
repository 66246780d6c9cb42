"""How long things take this builder: stated figures to begin with, drawn toward what the log has seen."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta

from nuvlo.craft.order import board_order
from nuvlo.kit import Kit
from nuvlo.kit.schema import Stage
from nuvlo.kit.step_id import StepId
from nuvlo.logbook import Build, Event
from nuvlo.logbook.events import PartMeasured, PartTicked, ReadingTaken, StepDone

STATED_WEIGHT = 4.0  # a stated figure counts as so many times seen
STATED_SPREAD = 0.5  # of the logarithm of a time, where little is known: a factor of 1.6 either way
LONGEST = timedelta(minutes=25)  # between two entries that still belong to one piece of work
SHORTEST = timedelta(seconds=2)  # entries quicker than that were typed after the work
TENTH = 1.2816  # standard deviations from the middle to the tenth and ninetieth of a hundred


@dataclass(frozen=True)
class Pace:
    """Minutes seen for each kind of work, each part or step for itself."""

    seen: Mapping[str, Sequence[float]] = field(default_factory=dict)

    def minutes(self, kind: str, stated: float) -> float:
        """The median time for one of ``kind``: the stated figure and what was seen, weighed on a logarithmic scale."""
        logs = [math.log(m) for m in self.seen.get(kind, ())]
        middle = (STATED_WEIGHT * math.log(stated) + sum(logs)) / (STATED_WEIGHT + len(logs))
        return math.exp(middle)

    def spread(self, kind: str, stated: float) -> tuple[float, float]:
        """Minutes that one of ten is quicker than, and that one of ten is slower than."""
        logs = [math.log(m) for m in self.seen.get(kind, ())]
        middle = math.log(self.minutes(kind, stated))
        variance = (STATED_WEIGHT * STATED_SPREAD**2 + sum((x - middle) ** 2 for x in logs)) / (
            STATED_WEIGHT + len(logs)
        )
        off = TENTH * math.sqrt(variance)
        return math.exp(middle - off), math.exp(middle + off)

    def told(self) -> list[str]:
        """What was seen, kind by kind: the middle, and what one of ten is under and over."""
        out = []
        for kind, seen in sorted(self.seen.items(), key=lambda one: -len(one[1])):
            stated = math.exp(sum(map(math.log, seen)) / len(seen))
            low, high = self.spread(kind, stated)
            out.append(
                f"{kind.replace('.', ' ')} {self.minutes(kind, stated):.1f} min ({low:.1f} to {high:.1f}), seen {len(seen)} times"
            )
        return out


def learned(builds: Iterable[tuple[Kit, Build, Sequence[Event]]]) -> Pace:
    """The pace of what is in the log: the time from one entry to the next, as long as nobody went away in between."""
    seen: dict[str, list[float]] = {}
    for kit, build, events in builds:
        verbs: dict[str, str] = {s.id: s.verb for s in board_order(kit, build.school)}
        before: datetime | None = None
        for event in events:
            took = event.at - before if before else None
            before = event.at
            kind = _kind(event, kit, verbs)
            if kind and took is not None and SHORTEST <= took <= LONGEST:
                seen.setdefault(kind, []).append(took.total_seconds() / 60.0)
    return Pace(seen)


def _kind(event: Event, kit: Kit, verbs: Mapping[str, str]) -> str:
    match event.body:
        case PartMeasured() | PartTicked():
            return "unpack"
        case ReadingTaken(stage="wake"):
            return "wake"
        case StepDone(step=step) if StepId(step).does(Stage.FIT, "craft"):
            return "craft." + StepId(step).about
        case StepDone(step=step) if StepId(step).does(Stage.FIT, "fit") and StepId(step).about in kit.parts:
            return f"fit.{kit.parts[StepId(step).about].kind}"
        case StepDone(step=step) if step in verbs:
            return verbs[step]
        case StepDone(step=step) if StepId(step).does(Stage.HOOK_UP, "wire"):
            return "hook-up"
        case _:
            return ""
