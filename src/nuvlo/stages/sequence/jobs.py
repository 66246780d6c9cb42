"""What is still to be done on one unit, as jobs with hands-on minutes and waiting hours: what the calendar plans with."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from nuvlo.craft.joints import RING
from nuvlo.craft.order import MINUTES, Step, board_order, plugged
from nuvlo.craft.schools import taken
from nuvlo.craft.wires import ticked
from nuvlo.kit import Kit
from nuvlo.kit.schema import Stage
from nuvlo.kit.step_id import StepId, craft_step, fit_step
from nuvlo.logbook import Build
from nuvlo.measurement import volts_at
from nuvlo.stages.sequence.pace import Pace
from nuvlo.stages.task import POSTED

# Minutes at the bench for what is no step of the order (rough figures; the log's own take their place).
UNPACK_EACH, WIRE_EACH, RING_EACH, READ_EACH, TRIM_EACH, PROVE, SHEET = 0.4, 2.5, 0.7, 1.5, 10.0, 10.0, 5.0
WARM_UP_HOURS = 0.25  # before anything is set (TRADE: 15 minutes)
POST_DAYS = 7.0  # that a part in the post is given where nobody knows better
BRAD_MINUTES = 5.0  # more hands-on where brads take the place of clamps
TOOLS = {
    "fit": ("side cutters",), "solder": ("soldering iron and stand", "solder of 0.8 mm", "side cutters"),
    "posts": ("soldering iron and stand", "solder of 0.8 mm"), "leads": ("soldering iron and stand", "solder of 0.8 mm", "labels for wires"),
    "wash": ("isopropyl alcohol and a brush",), "unpack": ("multimeter",), "wake": ("multimeter",), "power": ("multimeter",),
    "hook-up": ("soldering iron and stand", "solder of 0.8 mm", "multimeter"), "set": ("multimeter",), "test": ("multimeter",),
}  # fmt: skip


@dataclass(frozen=True)
class Job:
    """One job. ``minutes`` hands-on, then ``waits_hours`` until what comes ``after`` it (ids) may begin; ``clamps`` are held
    from its beginning to the end of its wait. ``whole`` cannot be broken off; ``kind`` is what its pace is learned by."""

    id: str
    title: str
    minutes: float
    waits_hours: float = 0.0
    after: tuple[str, ...] = ()
    clamps: int = 0
    unit: str = ""
    kind: str = ""
    whole: bool = False
    not_before: datetime | None = None
    parts: tuple[str, ...] = ()
    needs: tuple[str, ...] = ()
    caution: str = ""


def jobs(
    kit: Kit, build: Build | None = None, pace: Pace | None = None, now: datetime | None = None, school: str = ""
) -> list[Job]:
    """What is left to do on a unit, in the order of its school. Without a ``build``, all of it."""
    state, pace = build or Build("new"), pace or Pace()
    school = school or state.school
    out = [
        *_unpack(kit, state, pace),
        *_board(kit, state, pace, school),
        *_electrical(kit, state, pace),
        *_craft(kit, state),
    ]
    out = _held_up(kit, _joined(out))
    out = [replace(j, needs=(*TOOLS.get(j.kind.partition(".")[0], ()), *j.needs)) for j in out]
    return _dried(kit, out, state, now) if now else out


def of_unit(found: Iterable[Job], unit: str) -> list[Job]:
    """The same jobs for a second or third unit, ids and all."""
    return [replace(j, id=f"{unit}:{j.id}", after=tuple(f"{unit}:{a}" for a in j.after), unit=unit) for j in found]


def _unpack(kit: Kit, build: Build, pace: Pace) -> list[Job]:
    left = [ref for ref in kit.parts if ref not in build.ticked and ref not in build.marks]
    if not left:
        return []
    return [
        Job("unpack", "Unpack: count, measure, sort", pace.minutes("unpack", UNPACK_EACH) * len(left), kind="unpack")
    ]


def _board(kit: Kit, build: Build, pace: Pace, school: str) -> list[Job]:
    out: list[Job] = []
    late = {ref for ref, mark in build.marks.items() if mark == POSTED}
    before: tuple[str, ...] = ("unpack",)
    for step in board_order(kit, school):
        if step.stage in (Stage.HAND_OVER, Stage.HOOK_UP, Stage.SET) or (step.verb == "power" and not plugged(kit)):
            continue  # where nothing is plugged in, waking is the first power test
        waiting = (
            tuple(ref for ref in step.parts if ref in late)
            if step.verb in ("fit", "values", "polarity", "solder")
            else ()
        )
        share = _left(step, build, waiting)
        if share > 0:
            minutes = step.minutes * share * _times(pace, step, kit)
            job = Job(
                f"{step.verb}-{step.n}",
                step.action,
                minutes,
                step.waits_hours,
                before,
                kind=step.verb,
                parts=step.parts,
            )
            out.append(job)
            before = (job.id,)
    out = [replace(j, after=(*j.after, "hook-up")) if j.kind == "power" else j for j in out]
    behind = [ref for ref in late if any(s.verb == "fit" and ref in s.parts for s in board_order(kit, school))]
    if behind and out:
        last = next((j for j in out if j.kind in ("joints", "wash", "mount")), out[-1])
        fit = Job(
            "posted",
            f"Fit {', '.join(sorted(behind))} when it has come",
            3.0 * len(behind),
            kind="fit",
            parts=tuple(sorted(behind)),
        )
        out = [replace(j, after=(*j.after, fit.id)) if j.id == last.id else j for j in out]
        out.insert(0, fit)
    return out


def _left(step: Step, build: Build, waiting: tuple[str, ...]) -> float:
    """The share of a step that is still to be done."""
    if step.verb == "joints":
        seen = sum(name.startswith(f"{step.id}.") for name in build.done)
        return max(0.0, 1.0 - seen / max(1, -(-len(step.parts) // RING)))
    if step.id in build.done:
        return 0.0
    if step.verb != "fit" and waiting and set(waiting) == set(step.parts):
        return 0.0
    if step.verb == "fit":
        left = [r for r in step.parts if fit_step(r) not in build.done and r not in waiting]
        return len(left) / len(step.parts)
    return 1.0


def _times(pace: Pace, step: Step, kit: Kit) -> float:
    """How much slower than stated this builder is at such a step."""
    kind = f"fit.{kit.parts[step.parts[0]].kind}" if step.verb == "fit" and step.parts else step.verb
    stated = step.minutes / max(1, len(step.parts)) if step.verb in ("fit", "solder") else step.minutes
    return pace.minutes(kind, stated) / stated


def _electrical(kit: Kit, build: Build, pace: Pace) -> list[Job]:
    """Wiring, readings, trims, proof, the lid and the sheet: one job each."""
    there = ticked(kit, build.done)
    wires = [w for w in kit.wires if w.name not in there]
    rings = len({w.net for w in kit.ringing.wires}) if wires else 0
    wired = pace.minutes("hook-up", WIRE_EACH) * len(wires) + RING_EACH * rings
    if taken(build.stances, "wires") == "direct":  # one end of each is in the board already
        wired -= MINUTES["leads"][0] * sum(bool({w.start, w.end} & set(kit.wire_ends)) for w in wires)
    points = [p for p in kit.info.point if build.latest(volts_at(p.name), stage="wake") is None]
    trims = [t for t in kit.info.trim if build.latest(volts_at(t.watch), stage="set") is None]
    lid = [s for s in board_order(kit) if s.stage is Stage.HAND_OVER and s.id not in build.done]
    earlier = [tuple(s.verb for s in lid[:k]) for k in range(len(lid))]  # one after the other, as the order has them
    found = [
        Job("hook-up", "Hook up and ring out", wired, after=("tighten", "mount", "wash", "joints"), kind="hook-up") if wires else None,
        Job("wake", "Wake: first power and every reading", pace.minutes("wake", READ_EACH) * len(points), WARM_UP_HOURS if trims else 0.0,
            ("hook-up", "plug", "power", "mount"), kind="wake") if points and kit.unit else None,
        Job("set", "Set: bias and trims", pace.minutes("set", TRIM_EACH) * len(trims), after=("wake",), kind="set") if trims else None,
        Job("prove", "Prove", PROVE, after=("set", "wake"), kind="prove") if kit.info.prove and not build.curves else None,
        *[Job(s.verb, s.action, s.minutes, after=("prove", "set", "wake", *before), kind=s.verb) for s, before in zip(lid, earlier, strict=True)],
        Job("sheet", "Write the sheet", SHEET, after=("close", "prove", "set", "wake", "mount", *(s.verb for s in lid)), kind="sheet")
        if not build.exports else None,
    ]  # fmt: skip
    return [replace(j, after=tuple(a for a in j.after if a != j.id)) for j in found if j is not None]


def _craft(kit: Kit, build: Build) -> list[Job]:
    brads = taken(build.stances, "glue") == "brads"
    out = []
    for one in kit.info.craft:
        if craft_step(one.id) in build.done:
            continue
        pinned = brads and one.open_minutes and one.clamps
        out.append(
            Job(f"craft-{one.id}", one.title, one.minutes + (BRAD_MINUTES if pinned else 0.0), one.wait_hours, one.after,
                0 if pinned else one.clamps, kind=f"craft.{one.id}", whole=one.open_minutes > 0, needs=one.needs, caution=one.caution)
        )  # fmt: skip
    return out


def _joined(found: list[Job]) -> list[Job]:
    """Names of what comes before, each turned into the ids of jobs that are there: a verb means the last step of that verb."""
    ids = {j.id for j in found}
    by_kind: dict[str, str] = {}
    for j in found:
        by_kind[j.kind.partition(".")[0]] = j.id
    crafts = {j.kind.removeprefix("craft."): j.id for j in found if j.kind.startswith("craft.")}

    def resolved(name: str) -> str | None:
        return name if name in ids else crafts.get(name) or by_kind.get(name)

    return [replace(j, after=tuple(dict.fromkeys(a for a in map(resolved, j.after) if a and a != j.id))) for j in found]


def _held_up(kit: Kit, found: list[Job]) -> list[Job]:
    """Steps of the order wait for cabinet work, as ``holds_up`` of it says."""
    there = {j.id for j in found}
    waits: dict[str, list[str]] = {}
    for one in kit.info.craft:
        for verb in one.holds_up if f"craft-{one.id}" in there else ():
            waits.setdefault(verb, []).append(f"craft-{one.id}")
    return [replace(j, after=(*j.after, *waits[j.kind])) if j.kind in waits else j for j in found]


def _dried(kit: Kit, found: list[Job], build: Build, now: datetime) -> list[Job]:
    """What follows something done that still dries waits for that; what is in the post is given some days."""
    until: dict[str, datetime] = {"posted": now + timedelta(days=POST_DAYS)}
    wet = still_drying(kit, build, now)
    for one in kit.info.craft:
        if craft_step(one.id) in wet:
            dry = wet[craft_step(one.id)][1]
            following = [f"craft-{c.id}" for c in kit.info.craft if one.id in c.after]
            following += [j.id for j in found if j.kind in one.holds_up]
            until |= {name: max(dry, until.get(name, dry)) for name in following}
    boards = [dry for step, (_, dry) in wet.items() if not StepId(step).does(Stage.FIT, "craft")]
    first = next((j.id for j in found if j.kind in MINUTES), None)
    if boards and first:
        until[first] = max(boards)
    return [replace(j, not_before=until[j.id]) if j.id in until else j for j in found]


def still_drying(kit: Kit, build: Build, now: datetime) -> dict[StepId, tuple[str, datetime]]:
    """What was done and is not dry, set or cool yet: step → its title, and when it will be."""
    waits: dict[str, tuple[str, float]] = {craft_step(c.id): (c.title, c.wait_hours) for c in kit.info.craft}
    waits |= {s.id: (s.action, s.waits_hours) for s in board_order(kit, build.school) if s.stage is Stage.FIT}
    out = {}
    for step, at in build.done_at.items():
        title, hours = waits.get(step, ("", 0.0))
        until = at + timedelta(hours=hours)
        if hours and until > now:
            out[step] = (title, until)
    return out
