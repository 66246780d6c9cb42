"""A plan evening by evening: what to do, what to have ready, what to mind; as iCalendar and CSV; and what fits tonight."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from itertools import groupby

from nuvlo.craft.hazards import hazards
from nuvlo.kit import Hazard, Kit, Stage
from nuvlo.stages.sequence.calendar import Calendar, Planned
from nuvlo.stages.sequence.evenings import Free
from nuvlo.stages.sequence.jobs import Job

STAGE_OF = {"solder": Stage.FIT, "fit": Stage.FIT, "hook-up": Stage.HOOK_UP, "wake": Stage.WAKE, "power": Stage.WAKE, "plug": Stage.WAKE,
            "set": Stage.SET, "prove": Stage.PROVE}  # fmt: skip
HEADING = ("step", "unit", "start", "end", "part", "parts", "ready", "refs", "needs", "caution")
# How a step is told that follows the fitting of the same parts.
THEN = {"values": "look at values", "polarity": "way round", "contact": "touching", "screw": "screw down", "solder": "solder"}  # fmt: skip


@dataclass(frozen=True)
class Evening:
    """One stretch of work: its tasks, tools and consumables to gather ahead, and cautions."""

    start: datetime
    end: datetime
    tasks: tuple[Planned, ...]
    needs: tuple[str, ...]
    cautions: tuple[str, ...]


def evenings(found: Calendar, free: Sequence[Free], kit: Kit) -> list[Evening]:
    """The evenings on which something is done."""
    out = []
    for one in free:
        mine = tuple(t for t in found.tasks if one.start <= t.start < one.end)
        if mine:
            needs = tuple(dict.fromkeys(n for t in mine for n in t.job.needs))
            cautions = [t.job.caution for t in mine] + [h.danger for t in mine for h in _hazards(kit, t.job)]
            out.append(
                Evening(
                    mine[0].start, max(t.end for t in mine), mine, needs, tuple(dict.fromkeys(c for c in cautions if c))
                )
            )
    return out


def _hazards(kit: Kit, job: Job) -> list[Hazard]:
    stage = STAGE_OF.get(job.kind.partition(".")[0])
    return hazards(kit, stage) if stage else []


def tonight(jobs: Sequence[Job], minutes: float, now: datetime) -> list[Planned]:
    """What fits in so many minutes from ``now``: jobs that can be begun, in their order, none left half-done."""
    done: dict[str, datetime] = {}
    out: list[Planned] = []
    at, end = now, now + timedelta(minutes=minutes)
    names = {j.id for j in jobs}
    for job in jobs:
        ready = all(a not in names or done.get(a, end + timedelta(1)) <= at for a in job.after)
        late = job.not_before is not None and job.not_before > at
        stop = at + timedelta(minutes=job.minutes)
        if ready and not late and stop <= end:
            dry = stop + timedelta(hours=job.waits_hours)
            out.append(Planned(job, at, stop, dry))
            done[job.id] = dry
            at = stop
    return out


def as_csv(found: Calendar) -> str:
    """One row a task, times in ISO 8601."""
    file = io.StringIO()
    writer = csv.writer(file, lineterminator="\n")
    writer.writerow(HEADING)
    for t in found.tasks:
        writer.writerow(
            [t.job.title, t.job.unit, t.start.isoformat(timespec="minutes"), t.end.isoformat(timespec="minutes"), t.part, t.parts,
             t.ready.isoformat(timespec="minutes"), " ".join(t.job.parts), "; ".join(t.job.needs), t.job.caution]
        )  # fmt: skip
    return file.getvalue()


def as_icalendar(found: Calendar, title: str, now: datetime) -> bytes:
    """An iCalendar file (RFC 5545): an event for each task."""
    from icalendar import Calendar as File
    from icalendar import Event

    file = File()
    file.add("prodid", "-//Nuvlo//calendar//EN")
    file.add("version", "2.0")
    for n, t in enumerate(found.tasks):
        event = Event()
        part = f" ({t.part} of {t.parts})" if t.parts > 1 else ""
        unit = f" {t.job.unit}" if t.job.unit else ""
        event.add("summary", f"{title}{unit}: {t.job.title}{part}")
        event.add("dtstart", t.start)
        event.add("dtend", t.end)
        event.add("dtstamp", now)
        event.add("uid", f"{t.job.id}-{t.part}-{n}-{t.start:%Y%m%dT%H%M}@nuvlo")
        words = [", ".join(t.job.parts), f"Have ready: {', '.join(t.job.needs)}." if t.job.needs else "", t.job.caution]
        words.append(f"Then it waits until {t.ready:%a %d %b %H:%M}." if t.ready > t.end else "")
        event.add("description", "\n".join(w for w in words if w))
        file.add_component(event)
    out: bytes = file.to_ical()
    return out


def told_together(tasks: Sequence[Planned]) -> list[str]:
    """A line for each task; pieces of one that follow each other, and what is done to parts right after they are put in,
    stand in one line."""
    lines: list[str] = []
    fitted: Planned | None = None
    for _, run in groupby(tasks, key=lambda t: t.job.id):
        pieces = list(run)
        task = pieces[0]
        wait = f"   then waits until {pieces[-1].ready:%a %H:%M}" if pieces[-1].ready > pieces[-1].end else ""
        same = fitted is not None and task.job.unit == fitted.job.unit and set(task.job.parts) <= set(fitted.job.parts)
        whole = len(pieces) == task.parts
        if same and whole and task.job.kind in THEN:
            lines[-1] += f", {THEN[task.job.kind]}{wait}"
            continue
        numbers = f"{task.part}" if len(pieces) == 1 else f"{task.part} to {pieces[-1].part}"
        part = "" if whole else f" ({numbers} of {task.parts})"
        unit = f"{task.job.unit}: " if task.job.unit else ""
        lines.append(f"{task.start:%H:%M}  {unit}{task.job.title}{part}{wait}")
        fitted = task if task.job.kind == "fit" and whole else None
    return lines
