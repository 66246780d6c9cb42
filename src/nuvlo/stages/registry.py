"""The nine stages, a row each: what is asked of the builder, what is asked of the model, what the answer means.

A stage is added by its module (with ``tasks``, and ``ask`` where the model has a say), its row here, and the picture of the
same name in ``desktop/pictures``.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

from nuvlo.craft.hazards import hazards
from nuvlo.kit import Kit, Stage
from nuvlo.kit.step_id import StepId
from nuvlo.logbook import Build
from nuvlo.measurement import volts_at
from nuvlo.stages import choose, fit, hand_over, hook_up, prove, sequence, set_up, unpack, wake
from nuvlo.stages.answer import Asked, Solved
from nuvlo.stages.holds import board_holds
from nuvlo.stages.leads import LEADS
from nuvlo.stages.task import Finding, Shown, Task, Wants, finding

Refine = Callable[[Kit, Build, list[Finding], Solved], list[Finding]]
Show = Callable[[Callable[[Stage], Sequence[Finding]], Finding | None], Shown]


def _as_found(kit: Kit, build: Build, found: list[Finding], solved: Solved) -> list[Finding]:
    return found


@dataclass(frozen=True)
class Row:
    """One stage. ``module`` names it in ``stages/`` and its picture in ``desktop/pictures/``.

    ``ask`` puts its question to the model, ``depends`` says what in the build the answer hangs on beside what all
    answers hang on, ``refine`` says more of findings once all of them are known, ``shown`` picks the readings that the
    window shows, ``advice`` is what the answer says of the step in hand,
    ``offers`` what may be picked there, with the lines that pick it. ``asks_as`` names a stage whose answer serves this one.
    """

    stage: Stage
    module: str
    tasks: Callable[[Kit, Build], list[Task]]
    ask: Callable[[Asked], Solved] | None = None
    depends: Callable[[Build, bool], object] = lambda build, only_drawer: None
    refine: Refine = _as_found
    shown: Show | None = None
    advice: Callable[[Finding, Solved], str] = lambda now, solved: ""
    offers: Callable[[Kit, Finding, Solved], list[tuple[str, str]]] = lambda kit, now, solved: []
    note: str = "Nothing is read in this stage."
    asks_as: Stage | None = None


MEASURED = (Stage.WAKE, Stage.SET, Stage.PROVE)  # not before the board is dry: what is wet leaks, and under power it does worse
LOOK_OVER = StepId.of(Stage.WAKE, "look")


def _own_readings(build: Build, only_drawer: bool) -> object:
    return len(build.curves), len(build.readings)


ROWS: Mapping[Stage, Row] = {
    row.stage: row
    for row in (
        Row(Stage.UNPACK, "unpack", unpack.tasks, refine=unpack.judged, offers=unpack.offers),
        Row(Stage.CHOOSE, "choose", choose.tasks, choose.ask, depends=lambda build, only_drawer: only_drawer,
            offers=choose.offers,
            note="What is fitted decides what every later reading should be: windows follow the choice."),
        Row(Stage.SEQUENCE, "sequence", sequence.tasks,
            note="Nothing is read in this stage. Each step waits for the one above it; a check that fails is put right "
            "before the next part goes in."),
        Row(Stage.FIT, "fit", fit.tasks, shown=fit.shown, note="Nothing is read while parts go in."),
        Row(Stage.HOOK_UP, "hook_up", hook_up.tasks, hook_up.ask, advice=hook_up.advice_on),
        Row(Stage.WAKE, "wake", wake.tasks, wake.ask, depends=lambda build, only_drawer: build.stances.get("power"), advice=wake.advice_on),
        Row(Stage.SET, "set_up", set_up.tasks, set_up.ask, _own_readings, set_up.judged, advice=set_up.advice_on),
        Row(Stage.PROVE, "prove", prove.tasks, prove.ask, lambda build, only_drawer: len(build.curves), prove.judged, prove.shown),
        Row(Stage.HAND_OVER, "hand_over", hand_over.tasks, shown=prove.shown, note="", asks_as=Stage.PROVE),
    )
}  # fmt: skip


def row(stage: Stage) -> Row:
    """The row of a stage."""
    return ROWS[stage]


def asked_as(stage: Stage) -> Stage:
    """The stage whose answer serves ``stage``."""
    return ROWS[stage].asks_as or stage


def tasks(stage: Stage, kit: Kit, build: Build) -> list[Task]:
    """Cautions of the stage, then its own tasks."""
    cautions = [
        Task(StepId.of(stage, "caution", h.id), stage, Wants.CONFIRM, "Caution", h.danger, h.id, hazard=h)
        for h in hazards(kit, stage)
    ]  # fmt: skip
    wet = board_holds(kit, build) if stage in MEASURED else ()
    return cautions + [t if t.id == LOOK_OVER or t.target == LEADS else replace(t, holds=t.holds + wet) for t in ROWS[stage].tasks(kit, build)]


def findings(stage: Stage, kit: Kit, build: Build, solved: Solved | None, fresh: bool = True) -> list[Finding]:
    """What is known of each task of ``stage``; ``solved`` is the model's answer, None before there is one.

    One that is not ``fresh`` is of an earlier state: its windows are still worth showing, but no reading is judged by them.
    """
    answer = solved or Solved()
    found = [finding(t, build, answer.windows, fresh) for t in tasks(stage, kit, build)]
    return ROWS[stage].refine(kit, build, found, answer)


def key(stage: Stage, kit: Kit, build: Build, only_drawer: bool) -> object:
    """Changes whenever the model would answer otherwise for ``stage``."""
    parts = tuple((ref, tuple(v)) for ref, v in sorted(build.measured.items()))
    supplies = tuple(build.latest(volts_at(s.point)) for s in kit.info.supply if s.point)
    watched = tuple(build.latest(volts_at(t.watch)) for t in kit.info.trim)
    turns = tuple((t.ref, t.degrees, t.readings_before) for t in build.turns)
    chosen = (tuple(sorted(build.chosen_values.items())), tuple(build.changes.items()))
    return build.id, parts, chosen, supplies, watched, turns, ROWS[asked_as(stage)].depends(build, only_drawer)
