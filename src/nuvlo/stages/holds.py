"""What a step must wait for by the clock: what dries, sets or settles before it, and how long it takes itself."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime, timedelta

from nuvlo import clock
from nuvlo.craft.order import board_order
from nuvlo.craft.wires import ticked
from nuvlo.kit import Kit, Stage
from nuvlo.kit.step_id import StepId, craft_step
from nuvlo.logbook import Build

SETS, RUNS = "dry or set", "over"  # what it is at the end
BOARD = {"wash": "dry", "bake": "cool"}  # what a board is after such a step


@dataclass(frozen=True)
class Hold:
    """Something that is not over before ``until``, and what it is: ``Brush and wash``, not ``dry``."""

    title: str
    until: datetime
    not_yet: str = SETS
    passable: bool = False  # whether other steps may go before what it holds

    @property
    def over(self) -> bool:
        return self.until <= clock.now()

    @property
    def words(self) -> str:
        """Why a step waits, and how long still."""
        return f"{self.title}: not {self.not_yet} before {self.until.astimezone():%a %H:%M}, {self._left} from now."

    @property
    def cut_short(self) -> str:
        """What a step that does not wait cuts off: ``29 min before 'Brush and wash' is dry``."""
        return f"{self._left} before '{self.title}' is {self.not_yet}"

    @property
    def _left(self) -> str:
        return span((self.until - clock.now()).total_seconds() / 60)


def board_holds(kit: Kit, build: Build) -> tuple[Hold, ...]:
    """What was done on the board and must be dry before anything on it is measured or powered."""
    waits = [s for s in board_order(kit, build.school) if s.stage is Stage.FIT and s.waits_hours and s.id in build.done_at]
    return tuple(Hold(s.action, build.done_at[s.id] + timedelta(hours=s.waits_hours), BOARD.get(s.verb, SETS)) for s in waits)


def craft_holds(kit: Kit, build: Build, ids: Iterable[str]) -> tuple[Hold, ...]:
    """What of the kit's own work by the clock, of these ``ids``, was done and waits."""
    wanted = set(ids)
    found = ((c, build.done_at.get(craft_step(c.id))) for c in kit.info.craft if c.id in wanted)
    return tuple(Hold(c.title, at + timedelta(hours=c.wait_hours), SETS if c.stage is Stage.FIT else RUNS, passable=True) for c, at in found if at is not None and c.wait_hours)


def left_of(kit: Kit, build: Build, verbs: Iterable[str]) -> list[str]:
    """Titles of the steps of the order with these ``verbs`` that are not done. Wiring is done wire by wire."""
    wanted = set(verbs)
    there = ticked(kit, build.done)
    wired = all(w.name in there for w in kit.wires)
    return [s.action for s in board_order(kit, build.school) if s.verb in wanted and s.id not in build.done and not (s.verb == "wire" and wired)]


def begun_hold(build: Build, step: StepId, title: str, minutes: float) -> tuple[Hold, ...]:
    """The end of a step that takes so many ``minutes``, once it was begun."""
    begun = build.begun_at.get(step)
    return () if begun is None or not minutes else (Hold(title, begun + timedelta(minutes=minutes), RUNS),)


def span(minutes: float) -> str:
    """``30 s``, ``29 min``, ``3 h 5 min``; a part of a minute counts as one."""
    if minutes < 1.65:
        return f"{60 * minutes:.0f}\u202fs"
    whole = -int(-minutes // 1)
    return f"{whole}\u202fmin" if whole < 100 else f"{whole // 60}\u202fh {whole % 60}\u202fmin"
